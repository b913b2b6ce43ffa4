#include "desk/dialogs/layer_dialogs.h"

#include "desk/kit/dialog_form.h"
#include "desk/kit/number_field.h"

#include <QComboBox>
#include <QFontComboBox>
#include <QFontDatabase>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QSpinBox>
#include <cmath>
#include <functional>

namespace stage::desk {
std::optional<edit::Edit> askPush(QWidget* parent, const scene::Scene& scene, std::size_t layers,
                                  double nearest, double farthest, const Previewer& previewer,
                                  const std::function<edit::Edit(const edit::Edit&)>& whole) {
    using scene::Measured;
    Form form(parent, QObject::tr("Push %n layer(s)", nullptr, static_cast<int>(layers)),
              QObject::tr("Push"));
    auto* way = new QComboBox;
    way->setObjectName(QStringLiteral("pushWay"));
    way->addItems({QObject::tr("by the same distance"), QObject::tr("by the same ratio"),
                   QObject::tr("spread evenly between"),
                   QObject::tr("spread in equal steps of parallax between")});
    form.layout->addRow(QObject::tr("How"), way);
    auto* by = number(form, QObject::tr("Distance"), Measured::Length, QStringLiteral("m"), 2, 0.1, 1,
                      QObject::tr("Metres, positive away from the camera"));
    auto* ratio = number(form, QObject::tr("Ratio"), Measured::Percent, QStringLiteral("%"), 0, 5, 120,
                         QObject::tr("120 % puts what is at 10 m to 12 m"));
    auto* from = number(form, QObject::tr("Nearest"), Measured::Length, QStringLiteral("m"), 2, 0.5, nearest,
                        QObject::tr("Depth of the nearest one, metres"));
    auto* to = number(form, QObject::tr("Farthest"), Measured::Length, QStringLiteral("m"), 2, 0.5, farthest,
                      QObject::tr("Depth of the farthest one, metres"));
    from->setObjectName(QStringLiteral("spreadFrom"));
    to->setObjectName(QStringLiteral("spreadTo"));
    const auto show = [=, &form] {
        const int i = way->currentIndex();
        form.layout->setRowVisible(by, i == 0);
        form.layout->setRowVisible(ratio, i == 1);
        form.layout->setRowVisible(from, i > 1);
        form.layout->setRowVisible(to, i > 1);
    };
    QObject::connect(way, &QComboBox::currentIndexChanged, &form.dialog, show);
    way->setCurrentIndex(layers > 1 ? 2 : 0);
    show();
    const auto build = [&](QString& complaint) {
        switch (way->currentIndex()) {
        case 0:
            return whole({{"by", read(by, complaint)}});
        case 1:
            return whole({{"ratio", read(ratio, complaint) / 100}});
        default:
            return whole({{"spread", {read(from, complaint), read(to, complaint)}},
                          {"steps", way->currentIndex() == 2 ? "even" : "parallax"}});
        }
    };
    return askEdit(form, scene, build, previewer);
}

std::optional<edit::Edit> askRecede(QWidget* parent, const scene::Scene& scene, Rational now, double depth) {
    Form form(parent, QObject::tr("Recede unseen"), QObject::tr("Key it"));
    auto* note =
        new QLabel(QObject::tr("The layer goes to another depth over time, and the picture of it does\n"
                               "not change. Where the camera walks meanwhile, every frame is keyed."));
    note->setObjectName(QStringLiteral("dim"));
    form.layout->addRow(note);
    const auto& rate = scene.output.rate;
    const std::int64_t first = frameAt(now, rate);
    const auto timeField = [&](const QString& name, std::int64_t frame) {
        auto* field = new QLineEdit(QString::fromStdString(scene::timecode(frame, rate)));
        field->setObjectName(QStringLiteral("figure"));
        field->setToolTip(QObject::tr("minutes:seconds:frames; also 6s, or a number of frames"));
        form.layout->addRow(name, field);
        return field;
    };
    auto* from = timeField(QObject::tr("From"), first);
    auto* to =
        timeField(QObject::tr("To"),
                  std::max(first + 1, std::min(scene.output.frames - 1, first + frameAt(Rational(2), rate))));
    auto* target = number(form, QObject::tr("Depth"), scene::Measured::Length, QStringLiteral("m"), 2, 0.5,
                          depth * 1.5, QObject::tr("Where it is in the end, metres from the first mark"));
    edit::Edit edit;
    const auto check = [&] {
        QString complaint;
        const auto a = scene::frameFromText(from->text().toStdString(), rate),
                   b = scene::frameFromText(to->text().toStdString(), rate);
        if (!a) return QString::fromStdString(a.error().sentence);
        if (!b) return QString::fromStdString(b.error().sentence);
        edit = {{"from", timeOfFrame(*a, rate).text()},
                {"to", timeOfFrame(*b, rate).text()},
                {"depth", read(target, complaint)}};
        return complaint;
    };
    return form.run(check) ? std::optional(edit) : std::nullopt;
}

std::optional<edit::Edit> askScatter(QWidget* parent, const scene::Scene& scene, std::int64_t layer,
                                     const scene::Scatter& now, bool again, const Previewer& previewer) {
    using scene::Measured;
    Form form(parent, QObject::tr("Scatter"), again ? QObject::tr("Scatter again") : QObject::tr("Scatter"));
    auto* count = new QSpinBox;
    count->setObjectName(QStringLiteral("scatterCount"));
    count->setRange(1, scene::Limits::copies);
    count->setValue(now.count);
    form.layout->addRow(QObject::tr("Copies"), count);
    const QString metre = QStringLiteral("m");
    auto* across = number(form, QObject::tr("Across"), Measured::Length, metre, 2, 0.5, now.box.x,
                          QObject::tr("Width of the box they are scattered in, metres"));
    auto* up = number(form, QObject::tr("Up"), Measured::Length, metre, 2, 0.5, now.box.y,
                      QObject::tr("Height of the box, metres"));
    auto* deep = number(form, QObject::tr("In depth"), Measured::Length, metre, 2, 0.5, now.box.z,
                        QObject::tr("Depth of the box, metres"));
    auto* turn = number(form, QObject::tr("Maximum turn"), Measured::Angle, QStringLiteral("°"), 0, 5,
                        now.turn, QObject::tr("Each about its own axis, either way"));
    auto* sizes = number(form, QObject::tr("Size variation"), Measured::Percent, QStringLiteral("%"), 0, 5,
                         now.sizes * 100, QObject::tr("30 %: from 70 to 130 percent"));
    auto* seed = seedRow(form, QObject::tr("Seed"), now.seed, QObject::tr("The same seed scatters the same"));
    if (again) {
        auto* note = new QLabel(
            QObject::tr("Places, turns and sizes of all copies are made anew; tracks, cut-outs and looks of\n"
                        "copies that were changed by hand stay with them."));
        note->setObjectName(QStringLiteral("dim"));
        form.layout->addRow(note);
    }
    return askEdit(
        form, scene,
        [&](QString& complaint) {
            return edit::Edit{{"edit", "scatter"},
                              {"layer", layer},
                              {"count", count->value()},
                              {"seed", seed->value()},
                              {"box", {read(across, complaint), read(up, complaint), read(deep, complaint)}},
                              {"turn", read(turn, complaint)},
                              {"sizes", read(sizes, complaint) / 100}};
        },
        previewer);
}

std::optional<edit::Edit> askText(QWidget* parent) {
    Form form(parent, QObject::tr("Text"), QObject::tr("Add text"));
    auto* text = new QPlainTextEdit;
    text->setFixedHeight(70);
    text->setObjectName(QStringLiteral("newText"));
    text->setTabChangesFocus(true);
    auto* font = new QFontComboBox;
    font->setCurrentFont(QFont(QStringLiteral("B612")));
    auto* style = new QComboBox;
    const auto styles = [&] {
        style->clear();
        style->addItems(QFontDatabase::styles(font->currentFont().family()));
        style->setCurrentText(QStringLiteral("Bold"));
    };
    styles();
    QObject::connect(font, &QFontComboBox::currentFontChanged, &form.dialog, styles);
    form.layout->addRow(QObject::tr("Text"), text);
    form.layout->addRow(QObject::tr("Font"), font);
    form.layout->addRow(QObject::tr("Style"), style);
    auto* note = new QLabel(QObject::tr("It lands at home depth, an eighth of the frame high."));
    note->setObjectName(QStringLiteral("dim"));
    form.layout->addRow(note);
    const auto check = [&] {
        return text->toPlainText().trimmed().isEmpty() ? QObject::tr("Type the text first.") : QString();
    };
    if (!form.run(check)) return std::nullopt;
    return edit::Edit{
        {"edit", "add-text"},
        {"text", text->toPlainText().toStdString()},
        {"font", (font->currentFont().family() + QLatin1Char(' ') + style->currentText()).toStdString()}};
}

}
