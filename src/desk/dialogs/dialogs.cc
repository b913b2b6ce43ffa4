#include "desk/dialogs/dialogs.h"

#include "desk/kit/dialog_form.h"
#include "desk/kit/form.h"
#include "desk/kit/number_field.h"
#include "desk/look/theme.h"
#include "media/pyramid.h"
#include "optics/placing.h"
#include "scene/scene_json.h"

#include <QColorDialog>
#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFontComboBox>
#include <QFontDatabase>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSpinBox>
#include <cmath>
#include <functional>

namespace stage::desk {
namespace {

QSpinBox* pixels(int value) {
    auto* box = new QSpinBox;
    box->setRange(16, scene::Limits::frameSide);
    box->setValue(value);
    box->setSuffix(QObject::tr(" px"));
    return box;
}

QWidget* pair(QWidget* a, QWidget* b) {
    auto* widget = new QWidget;
    auto* row = new QHBoxLayout(widget);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(a);
    row->addWidget(new QLabel(QStringLiteral("×")));
    row->addWidget(b);
    row->addStretch();
    return widget;
}

struct ReadySize {
    const char* name;
    int width, height;
};
constexpr ReadySize readySizes[] = {{QT_TR_NOOP("wide, high definition"), 1920, 1080},
                                    {QT_TR_NOOP("wide, ultra high definition"), 3840, 2160},
                                    {QT_TR_NOOP("wide, small"), 1280, 720},
                                    {QT_TR_NOOP("square"), 1080, 1080},
                                    {QT_TR_NOOP("vertical"), 1080, 1920},
                                    {QT_TR_NOOP("portrait"), 1080, 1350},
                                    {QT_TR_NOOP("cinema 1.85"), 1998, 1080},
                                    {QT_TR_NOOP("cinema 2.39"), 2048, 858},
                                    {QT_TR_NOOP("cinema 2.39, large"), 4096, 1716}};

struct Rate {
    const char* text;
    const char* value;
};
constexpr Rate rates[] = {{"23.976", "24000/1001"},
                          {"24", "24"},
                          {"25", "25"},
                          {"29.97", "30000/1001"},
                          {"30", "30"},
                          {"50", "50"},
                          {"60", "60"}};

}

std::optional<edit::Edit> askPush(QWidget* parent, const scene::Scene& scene, std::size_t layers,
                                  double nearest, double farthest, const Previewer& previewer,
                                  const std::function<edit::Edit(const edit::Edit&)>& whole) {
    using scene::Measured;
    Form form(parent, QObject::tr("Push %1 layers").arg(layers), QObject::tr("Push"));
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

std::optional<edit::Edit> askSettings(QWidget* parent, const scene::Scene& scene,
                                      const Previewer& previewer) {
    const scene::Output& out = scene.output;
    Form form(parent, QObject::tr("Scene settings"), QObject::tr("Apply"));
    auto* width = pixels(out.frame.x);
    auto* height = pixels(out.frame.y);
    auto* ready = new QComboBox;
    ready->setObjectName(QStringLiteral("readySizes"));
    ready->addItem(QObject::tr("own size"));
    for (const ReadySize& each : readySizes)
        ready->addItem(
            QObject::tr("%1  %2 × %3").arg(QObject::tr(each.name)).arg(each.width).arg(each.height),
            QSize(each.width, each.height));
    form.layout->addRow(QObject::tr("Ready sizes"), ready);
    form.layout->addRow(QObject::tr("Frame"), pair(width, height));
    auto* keep = new QComboBox;
    keep->setObjectName(QStringLiteral("keepSeen"));
    keep->addItem(QObject::tr("as much across as before"), QStringLiteral("width"));
    keep->addItem(QObject::tr("as much up and down as before"), QStringLiteral("height"));
    keep->addItem(QObject::tr("as much along its shorter side"), QStringLiteral("shorter"));
    keep->setToolTip(
        QObject::tr("What a new frame goes on seeing. The gate is cropped or widened for it; focal "
                    "lengths stay, and so does the staging"));
    form.layout->addRow(QObject::tr("It sees"), keep);
    const auto showReady = [=] {
        const int i = ready->findData(QSize(width->value(), height->value()));
        const QSignalBlocker quiet(ready);
        ready->setCurrentIndex(std::max(0, i));
        keep->setEnabled(width->value() != out.frame.x || height->value() != out.frame.y);
    };
    QObject::connect(ready, &QComboBox::currentIndexChanged, &form.dialog, [=](int i) {
        const QSize size = ready->itemData(i).toSize();
        if (!size.isValid() || i == 0) return;
        width->setValue(size.width());
        height->setValue(size.height());
    });
    QObject::connect(width, &QSpinBox::valueChanged, &form.dialog, showReady);
    QObject::connect(height, &QSpinBox::valueChanged, &form.dialog, showReady);
    showReady();
    auto* rate = new QComboBox;
    for (const Rate& each : rates)
        rate->addItem(QObject::tr("%1 per second").arg(QLatin1String(each.text)),
                      QString::fromLatin1(each.value));
    int current = -1;
    for (int i = 0; i < rate->count(); ++i)
        if (rate->itemData(i).toString() ==
            QString::fromStdString(out.rate.den() == 1 ? std::to_string(out.rate.num()) : out.rate.text()))
            current = i;
    if (current < 0) {
        rate->addItem(QObject::tr("%1 per second").arg(out.rate.toDouble()),
                      QString::fromStdString(out.rate.text()));
        current = rate->count() - 1;
    }
    rate->setCurrentIndex(current);
    form.layout->addRow(QObject::tr("Frames"), rate);
    auto* duration = new QLineEdit(QString::fromStdString(scene::timecode(out.frames, out.rate)));
    duration->setObjectName(QStringLiteral("figure"));
    duration->setToolTip(QObject::tr("minutes:seconds:frames; also 6s, or a number of frames"));
    form.layout->addRow(QObject::tr("Duration"), duration);
    auto* home = new NumberField(scene::Measured::Length, QStringLiteral("m"), 2, 0.5);
    home->setValue(scene.homeDepth);
    home->setToolTip(QObject::tr("Where newly added layers land"));
    form.layout->addRow(QObject::tr("Home depth"), home);
    auto* perPixel = new NumberField(scene::Measured::Length, QStringLiteral("m"), 5, 0.001);
    perPixel->setObjectName(QStringLiteral("figure"));
    perPixel->setToolTip(
        QObject::tr("Metres that a pixel of the frame spans at home depth; another sets the home "
                    "depth"));
    form.layout->addRow(QObject::tr("Metres a pixel there"), perPixel);
    const double slope = optics::firstView(scene).slope;
    perPixel->setValue(scene.homeDepth / slope);
    QObject::connect(home, &NumberField::entered, perPixel, [=](double v) { perPixel->setValue(v / slope); });
    QObject::connect(perPixel, &NumberField::entered, home, [=](double v) { home->setValue(v * slope); });
    auto* background = new QComboBox;
    background->addItems({QObject::tr("black"), QObject::tr("white"), QObject::tr("transparent"),
                          QObject::tr("another colour")});
    const scene::Colour& bg = out.background;
    scene::Colour chosen = bg;
    QObject::connect(background, &QComboBox::activated, &form.dialog, [&](int i) {
        if (i != 3) return;
        const QColor colour = QColorDialog::getColor(shown(chosen), &form.dialog, QObject::tr("Background"),
                                                     QColorDialog::ShowAlphaChannel);
        if (colour.isValid()) chosen = sceneColour(colour);
    });
    background->setCurrentIndex(bg == scene::Colour{0, 0, 0, 1}   ? 0
                                : bg == scene::Colour{1, 1, 1, 1} ? 1
                                : bg.a == 0                       ? 2
                                                                  : 3);
    form.layout->addRow(QObject::tr("Background"), background);
    auto* blending = new QComboBox;
    blending->addItems(
        {QObject::tr("as light, like a lens"), QObject::tr("as paint, like a flat layered picture")});
    blending->setCurrentIndex(static_cast<int>(out.blending));
    blending->setToolTip(
        QObject::tr("Whether half-transparent layers are mixed in light or in encoded values"));
    form.layout->addRow(QObject::tr("Mix layers"), blending);
    return askEdit(
        form, scene,
        [&](QString& complaint) {
            const QString rateText = rate->currentData().toString();
            const Rational newRate(
                rateText.section(QLatin1Char('/'), 0, 0).toLongLong(),
                rateText.contains(QLatin1Char('/')) ? rateText.section(QLatin1Char('/'), 1).toLongLong() : 1);
            const auto frames = scene::frameFromText(duration->text().toStdString(), newRate);
            if (!frames) complaint = QString::fromStdString(frames.error().sentence);
            const scene::Colour ground = background->currentIndex() == 0   ? scene::Colour{0, 0, 0, 1}
                                         : background->currentIndex() == 1 ? scene::Colour{1, 1, 1, 1}
                                         : background->currentIndex() == 2 ? scene::Colour{0, 0, 0, 0}
                                                                           : chosen;
            edit::Edit edit = {{"edit", "settings"},
                               {"frame", {width->value(), height->value()}},
                               {"rate", rateText.toStdString()},
                               {"frames", frames.value_or(out.frames)},
                               {"homeDepth", read(home, complaint)},
                               {"background", scene::toJson(ground)},
                               {"blending", blending->currentIndex() == 0 ? "light" : "paint"}};
            if (keep->isEnabled()) edit["keep"] = keep->currentData().toString().toStdString();
            return edit;
        },
        previewer);
}

std::optional<output::Job> askOutput(QWidget* parent, const scene::Scene& scene,
                                     const std::filesystem::path& document) {
    Form form(parent, QObject::tr("Write a movie or pictures"), QObject::tr("Write"));
    auto* format = new QComboBox;
    format->setObjectName(QStringLiteral("outputFormat"));
    format->addItem(QObject::tr("H.264 movie (.mp4)"), QStringLiteral(".mp4"));
    format->addItem(QObject::tr("FFV1 movie, lossless (.mkv)"), QStringLiteral(".mkv"));
    format->addItem(QObject::tr("PNG pictures (.png)"), QStringLiteral(".png"));
    auto* width = pixels(scene.output.frame.x);
    auto* height = pixels(scene.output.frame.y);
    width->setObjectName(QStringLiteral("outputWidth"));
    const double aspect = static_cast<double>(scene.output.frame.y) / scene.output.frame.x;
    QObject::connect(width, &QSpinBox::valueChanged, height, [height, aspect](int w) {
        height->setValue(static_cast<int>(std::lround(w * aspect / 2)) * 2);
    });
    auto* first = new QSpinBox;
    auto* last = new QSpinBox;
    for (QSpinBox* box : {first, last})
        box->setRange(0, static_cast<int>(scene.output.frames - 1));
    last->setValue(static_cast<int>(scene.output.frames - 1));
    last->setObjectName(QStringLiteral("outputLast"));
    auto* path = new QLineEdit;
    path->setObjectName(QStringLiteral("outputPath"));
    const QString base = document.empty()
                             ? QDir::homePath() + QStringLiteral("/move")
                             : QString::fromStdString((document.parent_path() / document.stem()).string());
    const auto suggest = [=] {
        const QString suffix = format->currentData().toString();
        path->setText(base +
                      (suffix == QStringLiteral(".png") ? QStringLiteral("-frames/frame.####.png") : suffix));
    };
    suggest();
    QObject::connect(format, &QComboBox::currentIndexChanged, path, suggest);
    auto* browse = new QPushButton(QObject::tr("Choose…"));
    QObject::connect(browse, &QPushButton::clicked, &form.dialog, [&form, path] {
        const QString chosen =
            QFileDialog::getSaveFileName(&form.dialog, QObject::tr("Write to"), path->text());
        if (!chosen.isEmpty()) path->setText(chosen);
    });
    auto* where = new QWidget;
    auto* row = new QHBoxLayout(where);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(path, 1);
    row->addWidget(browse);
    auto* range = new QWidget;
    auto* rangeRow = new QHBoxLayout(range);
    rangeRow->setContentsMargins(0, 0, 0, 0);
    rangeRow->addWidget(first);
    rangeRow->addWidget(new QLabel(QObject::tr("to")));
    rangeRow->addWidget(last);
    rangeRow->addStretch();
    auto* quality = new QComboBox;
    quality->setObjectName(QStringLiteral("outputQuality"));
    const struct {
        const char* name;
        render::Way way;
        int samples;
    } qualities[] = {
        {QT_TRANSLATE_NOOP("QObject", "draft: fast, each layer blurred by itself"), render::Way::Draft, 16},
        {QT_TRANSLATE_NOOP("QObject", "final: 64 rays through lens and shutter"), render::Way::Final, 64},
        {QT_TRANSLATE_NOOP("QObject", "final: 128 rays, twice the time"), render::Way::Final, 128},
        {QT_TRANSLATE_NOOP("QObject", "traced: 1024 rays and no short cut"), render::Way::Traced, 1024},
        {QT_TRANSLATE_NOOP("QObject", "pinhole: all sharp, nothing blurs"), render::Way::Pinhole, 16}};
    for (const auto& each : qualities)
        quality->addItem(QObject::tr(each.name));
    quality->setCurrentIndex(1);
    form.layout->addRow(QObject::tr("Format"), format);
    form.layout->addRow(QObject::tr("Quality"), quality);
    form.layout->addRow(QObject::tr("Size"), pair(width, height));
    form.layout->addRow(QObject::tr("Frames"), range);
    form.layout->addRow(QObject::tr("File"), where);
    const auto check = [&] {
        return path->text().trimmed().isEmpty() ? QObject::tr("Say into which file to write.")
               : last->value() < first->value() ? QObject::tr("The last frame is before the first.")
                                                : QString();
    };
    if (!form.run(check)) return std::nullopt;
    constexpr output::Format formats[] = {output::Format::H264, output::Format::Ffv1, output::Format::Png};
    return output::Job{path->text().toStdString(),
                       formats[format->currentIndex()],
                       {width->value(), height->value()},
                       first->value(),
                       last->value(),
                       {.way = qualities[quality->currentIndex()].way,
                        .samples = qualities[quality->currentIndex()].samples}};
}

}
