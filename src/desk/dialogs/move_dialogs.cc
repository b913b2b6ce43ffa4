#include "desk/dialogs/move_dialogs.h"

#include "desk/kit/dialog_form.h"
#include "motion/ready_moves.h"

#include <QComboBox>
#include <QLabel>
#include <QSpinBox>

namespace stage::desk {

std::optional<edit::Edit> askReadyMove(QWidget* parent, const scene::Scene& scene, Rational now,
                                       std::int64_t subject, const Previewer& previewer) {
    using motion::Ready;
    using scene::Measured;
    Form form(parent, QObject::tr("Make a move"), QObject::tr("Make it"));
    auto* move = new QComboBox;
    move->setObjectName(QStringLiteral("readyMove"));
    const char* const tips[] = {
        QT_TRANSLATE_NOOP("QObject", "Ahead along the axis, so many metres"),
        QT_TRANSLATE_NOOP("QObject", "Back along the axis: what is around comes into view"),
        QT_TRANSLATE_NOOP("QObject", "To the right; less than 0: to the left"),
        QT_TRANSLATE_NOOP("QObject", "Up, tilting so that the subject stays where it is"),
        QT_TRANSLATE_NOOP("QObject", "Around the subject, degrees; seen from above anticlockwise"),
        QT_TRANSLATE_NOOP("QObject", "A little ahead and aside, for a picture that only breathes"),
        QT_TRANSLATE_NOOP("QObject", "Ahead through all layers, to just before the last"),
        QT_TRANSLATE_NOOP("QObject",
                          "Ahead while the lens widens: the subject stays as wide, its ground grows"),
        QT_TRANSLATE_NOOP("QObject", "Once around the subject; ends where it began")};
    for (const std::string_view name : motion::readyNames)
        move->addItem(QString::fromUtf8(name.data(), static_cast<qsizetype>(name.size())));
    form.layout->addRow(QObject::tr("Move"), move);
    auto* tip = new QLabel;
    tip->setObjectName(QStringLiteral("dim"));
    tip->setWordWrap(true);
    tip->setMinimumWidth(320);
    form.layout->addRow(QString(), tip);
    auto* amount =
        number(form, QObject::tr("Amount"), Measured::Plain, QString(), 2, 0.25, 0,
               QObject::tr("Metres, or degrees of an arc. 0: a fitting one for where the subject is"));
    auto* seconds = number(form, QObject::tr("Takes"), Measured::Plain, QStringLiteral("s"), 2, 0.5, 4,
                           QObject::tr("Seconds, from the playhead on"));
    auto* pace = new QComboBox;
    for (const scene::NamedPace& named : scene::namedPaces)
        pace->addItem(QString::fromUtf8(named.name.data(), static_cast<qsizetype>(named.name.size())));
    form.layout->addRow(QObject::tr("Pace"), pace);
    auto* about = layerRow(form, scene, QObject::tr("Subject"), QObject::tr("what is in focus"), subject);
    auto* note =
        new QLabel(QObject::tr("Becomes ordinary marks from the playhead on, in place of those there."));
    note->setObjectName(QStringLiteral("dim"));
    form.layout->addRow(note);
    const auto chosen = [&](int i) {
        tip->setText(QObject::tr("%1. Amount 0: as far as fits.").arg(QObject::tr(tips[i])));
        const auto kind = static_cast<Ready>(i);
        const bool around = kind == Ready::Arc || kind == Ready::OrbitLoop;
        about->setEnabled(around || kind == Ready::Rise || kind == Ready::DollyZoom);
        amount->setUnit(around ? QStringLiteral("°") : QStringLiteral("m"));
        pace->setCurrentIndex(kind == Ready::OrbitLoop || kind == Ready::Drift ? 0 : 3);
    };
    QObject::connect(move, &QComboBox::currentIndexChanged, &form.dialog, chosen);
    chosen(0);
    const auto build = [&](QString& complaint) {
        const double takes = read(seconds, complaint);
        if (complaint.isEmpty() && !(takes > 0)) complaint = QObject::tr("A move takes more than 0 seconds.");
        edit::Edit edit = {{"edit", "ready-move"},
                           {"move", motion::readyNames[static_cast<std::size_t>(move->currentIndex())]},
                           {"amount", read(amount, complaint)},
                           {"seconds", Rational::nearest(takes).text()},
                           {"time", now.text()},
                           {"pace", scene::namedPaces[static_cast<std::size_t>(pace->currentIndex())].name}};
        if (about->isEnabled() && about->currentIndex() > 0)
            edit["subject"] = about->currentData().toLongLong();
        return edit;
    };
    return askEdit(form, scene, build, previewer);
}

namespace {

std::optional<double> askNumber(QWidget* parent, const QString& title, const QString& name,
                                scene::Measured measured, const QString& unit, int decimals, double step,
                                double now, const QString& tip, const QString& tooLittle,
                                const Previewer& previewer = {},
                                const std::function<edit::Edit(double)>& whole = {}) {
    Form form(parent, title, title);
    auto* field = number(form, name, measured, unit, decimals, step, now, tip);
    form.showLive(previewer, [&](QString& complaint) {
        const double chosen = read(field, complaint);
        if (complaint.isEmpty() && !(chosen > 0)) complaint = tooLittle;
        return complaint.isEmpty() ? whole(chosen) : edit::Edit();
    });
    double value = 0;
    const auto check = [&] {
        QString complaint;
        value = read(field, complaint);
        return complaint.isEmpty() && !(value > 0) ? tooLittle : complaint;
    };
    return form.run(check) ? std::optional(value) : std::nullopt;
}

}

std::optional<double> askSeconds(QWidget* parent, const QString& title, const QString& name, double now,
                                 const QString& tip) {
    return askNumber(parent, title, name, scene::Measured::Plain, QStringLiteral("s"), 2, 0.5, now, tip,
                     QObject::tr("It takes more than 0 seconds."));
}

std::optional<double> askPercent(QWidget* parent, const QString& title, const QString& name, double now,
                                 const QString& tip, const Previewer& previewer,
                                 const std::function<edit::Edit(double)>& whole) {
    return askNumber(parent, title, name, scene::Measured::Percent, QStringLiteral("%"), 0, 10, now, tip,
                     QObject::tr("It should be more than 0 %."), previewer, whole);
}

std::optional<edit::Edit> askHandHeld(QWidget* parent, const scene::Scene& scene,
                                      const Previewer& previewer) {
    using scene::Measured;
    Form form(parent, QObject::tr("Hand-held"), QObject::tr("Apply"));
    auto* amount = number(form, QObject::tr("Amount"), Measured::Percent, QStringLiteral("%"), 0, 10, 100,
                          QObject::tr("100 %: a calm hand; 0: as steady as before"));
    auto* rate = number(form, QObject::tr("Rate"), Measured::Plain, QStringLiteral("per s"), 2, 0.1, 0.8,
                        QObject::tr("How often it sways, per second"));
    auto* seed = seedRow(form, QObject::tr("Seed"), 1, QObject::tr("The same seed sways the same"));
    const auto build = [&](QString& complaint) {
        edit::Edit edit = {{"edit", "hand-held"},
                           {"amount", read(amount, complaint) / 100},
                           {"rate", read(rate, complaint)},
                           {"seed", seed->value()}};
        return edit;
    };
    return askEdit(form, scene, build, previewer);
}

std::optional<edit::Edit> askLens(QWidget* parent, const scene::Scene& scene, double focal,
                                  std::int64_t layer, const Previewer& previewer) {
    Form form(parent, QObject::tr("Another lens, same picture"), QObject::tr("Change"));
    auto* field = number(form, QObject::tr("Focal length"), scene::Measured::Focal, QStringLiteral("mm"), 1,
                         1, focal, QObject::tr("Of the whole move"));
    auto* how = new QComboBox;
    how->setAccessibleName(QObject::tr("What gives way"));
    how->addItem(QObject::tr("the camera steps back or forward"), QStringLiteral("camera"));
    how->addItem(QObject::tr("the layers are resized"), QStringLiteral("layers"));
    form.layout->addRow(QObject::tr("What gives way"), how);
    auto* note = new QLabel(layer ? QObject::tr("The selected layer stays as large in the frame.")
                                  : QObject::tr("What is in focus stays as large in the frame."));
    note->setObjectName(QStringLiteral("dim"));
    form.layout->addRow(note);
    QObject::connect(how, &QComboBox::currentIndexChanged, note, [note](int i) { note->setVisible(i == 0); });
    const auto build = [&](QString& complaint) {
        const std::string refit = how->currentData().toString().toStdString();
        edit::Edit edit = {{"edit", "lens"}, {"focal", read(field, complaint)}, {"refit", refit}};
        if (layer && refit == "camera") edit["layer"] = layer;
        return edit;
    };
    return askEdit(form, scene, build, previewer);
}

std::optional<motion::Step> askStep(QWidget* parent) {
    using scene::Measured;
    Form form(parent, QObject::tr("Walk by"), QObject::tr("Walk"));
    const auto row = [&](const QString& name, Measured measured, const QString& unit, const QString& tip) {
        return number(form, name, measured, unit, 2, measured == Measured::Length ? 0.1 : 1, 0, tip);
    };
    const QString m = QStringLiteral("m"), degree = QStringLiteral("°");
    auto* truck = row(QObject::tr("Truck"), Measured::Length, m, QObject::tr("To the camera's right"));
    auto* pedestal = row(QObject::tr("Pedestal"), Measured::Length, m, QObject::tr("Up"));
    auto* dolly = row(QObject::tr("Dolly"), Measured::Length, m, QObject::tr("Ahead"));
    auto* pan = row(QObject::tr("Pan"), Measured::Angle, degree, QObject::tr("To the right"));
    auto* tilt = row(QObject::tr("Tilt"), Measured::Angle, degree, QObject::tr("Up"));
    auto* roll = row(QObject::tr("Roll"), Measured::Angle, degree, QObject::tr("Clockwise"));
    motion::Step step;
    const auto check = [&] {
        QString complaint;
        step = {read(truck, complaint), read(pedestal, complaint), read(dolly, complaint),
                read(pan, complaint),   read(tilt, complaint),     read(roll, complaint)};
        return complaint;
    };
    return form.run(check) ? std::optional(step) : std::nullopt;
}

namespace {

edit::Edit trackEdit(std::int64_t layer, const std::string& property, const edit::Edit& more) {
    edit::Edit edit = {{"edit", "track"}};
    if (layer != 0) edit["layers"] = {layer};
    edit["property"] = property;
    edit.update(more);
    return edit;
}

}

std::optional<edit::Edit> askLink(QWidget* parent, const scene::Scene& scene, std::int64_t layer,
                                  const std::string& property) {
    using scene::Measured;
    const scene::Track* track = interaction::trackOf(scene, layer, property);
    const scene::Link now = track && track->link ? *track->link : scene::Link{0, property, 1, 0, Rational(0)};
    Form form(parent, QObject::tr("%1 follows").arg(QString::fromStdString(property)), QObject::tr("Follow"));
    auto* leader =
        layerRow(form, scene, QObject::tr("Follows"), QObject::tr("the camera"), now.layer, {layer});
    leader->setObjectName(QStringLiteral("linkLayer"));
    auto* what = new QComboBox;
    what->setObjectName(QStringLiteral("linkProperty"));
    form.layout->addRow(QObject::tr("Its"), what);
    const auto fill = [&] {
        what->clear();
        for (const std::string& name : interaction::propertiesOf(scene, leader->currentData().toLongLong()))
            what->addItem(QString::fromStdString(name));
        const int same = what->findText(QString::fromStdString(now.property));
        what->setCurrentIndex(same >= 0 ? same : 0);
    };
    QObject::connect(leader, &QComboBox::currentIndexChanged, &form.dialog, fill);
    fill();
    auto* factor = number(form, QObject::tr("Factor"), Measured::Plain, QString(), 2, 0.1, now.factor,
                          QObject::tr("Times this; less than 0 goes the other way"));
    const QString unit = QString::fromStdString(interaction::propertyFormat(layer, property).unit);
    auto* offset = number(form, QObject::tr("Offset"), Measured::Plain, unit, 2, 0.1, now.offset,
                          QObject::tr("Plus this"));
    auto* delay = number(form, QObject::tr("Delay"), Measured::Plain, QStringLiteral("s"), 2, 0.1,
                         now.delay.toDouble(), QObject::tr("As it was so many seconds ago"));
    auto* note = new QLabel(QObject::tr("Keys of this property are put aside while it follows."));
    note->setObjectName(QStringLiteral("dim"));
    form.layout->addRow(note);
    return askEdit(form, scene, [&](QString& complaint) {
        edit::Edit link = {{"property", what->currentText().toStdString()},
                           {"factor", read(factor, complaint)},
                           {"offset", read(offset, complaint)},
                           {"delay", Rational::nearest(read(delay, complaint)).text()}};
        if (const auto id = leader->currentData().toLongLong(); id != 0) link["layer"] = id;
        return trackEdit(layer, property, {{"link", link}});
    });
}

std::optional<edit::Edit> askNoise(QWidget* parent, const scene::Scene& scene, std::int64_t layer,
                                   const std::string& property) {
    using scene::Measured;
    const scene::Track* track = interaction::trackOf(scene, layer, property);
    const interaction::PropertyFormat reading = interaction::propertyFormat(layer, property);
    const bool had = track && !track->noises.empty();
    const scene::Noise now = had ? track->noises.front()
                                 : scene::Noise{scene::Noise::Kind::Sway,
                                                reading.unit == "°"    ? 2
                                                : reading.unit == "mm" ? 1
                                                                       : 0.1,
                                                1, 1};
    Form form(parent, QObject::tr("Noise on %1").arg(QString::fromStdString(property)),
              QObject::tr("Put on"));
    auto* kind = new QComboBox;
    kind->setObjectName(QStringLiteral("noiseKind"));
    for (const std::string_view name : scene::noiseNames)
        kind->addItem(QString::fromUtf8(name.data(), static_cast<qsizetype>(name.size())));
    kind->setCurrentIndex(static_cast<int>(now.kind));
    kind->setToolTip(QObject::tr("Sway: smooth. Jitter: another value at every step. Flicker: drops, as a "
                                 "flame does"));
    form.layout->addRow(QObject::tr("Kind"), kind);
    auto* amount = number(form, QObject::tr("Amount"), Measured::Plain, QString::fromStdString(reading.unit),
                          3, 0.05, now.amount, QObject::tr("At most so much either way; 0 removes it"));
    auto* rate = number(form, QObject::tr("Rate"), Measured::Plain, QStringLiteral("per s"), 2, 0.1, now.rate,
                        QObject::tr("Changes per second, about"));
    auto* seed = seedRow(form, QObject::tr("Seed"), now.seed, QObject::tr("The same seed is the same noise"));
    return askEdit(form, scene, [&](QString& complaint) {
        edit::Edit noises = edit::Edit::array();
        if (const double most = read(amount, complaint); most != 0)
            noises.push_back({{"kind", scene::noiseNames[static_cast<std::size_t>(kind->currentIndex())]},
                              {"amount", most},
                              {"rate", read(rate, complaint)},
                              {"seed", seed->value()}});
        return trackEdit(layer, property, {{"noise", noises}});
    });
}

}
