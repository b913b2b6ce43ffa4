#include "desk/dialogs.h"

#include "desk/number_field.h"
#include "desk/theme.h"
#include "media/pyramid.h"

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

struct Form {
    QDialog dialog;
    QFormLayout* layout;
    QDialogButtonBox* buttons;

    Form(QWidget* parent, const QString& title, const QString& ok) : dialog(parent) {
        dialog.setWindowTitle(title);
        dialog.setMinimumWidth(420);
        auto* outer = new QVBoxLayout(&dialog);
        outer->setContentsMargins(18, 16, 18, 14);
        outer->setSpacing(14);
        layout = new QFormLayout;
        layout->setHorizontalSpacing(16);
        layout->setVerticalSpacing(8);
        outer->addLayout(layout);
        buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
        buttons->button(QDialogButtonBox::Ok)->setText(ok);
        outer->addWidget(buttons);
        QObject::connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
        QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    }
    /// Until it is cancelled or check() gives no complaint.
    bool run(const std::function<QString()>& check = [] { return QString(); }) {
        auto* complaint = new QLabel;
        complaint->setObjectName(QStringLiteral("warning"));
        complaint->setWordWrap(true);
        complaint->hide();
        layout->addRow(complaint);
        while (dialog.exec() == QDialog::Accepted) {
            const QString problem = check();
            if (problem.isEmpty()) return true;
            complaint->setText(problem);
            complaint->show();
        }
        return false;
    }
};

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
    if (!form.run() || text->toPlainText().trimmed().isEmpty()) return std::nullopt;
    return edit::Edit{
        {"edit", "add-text"},
        {"text", text->toPlainText().toStdString()},
        {"font", (font->currentFont().family() + QLatin1Char(' ') + style->currentText()).toStdString()}};
}

std::optional<edit::Edit> askSettings(QWidget* parent, const scene::Scene& scene) {
    const scene::Output& out = scene.output;
    Form form(parent, QObject::tr("Scene settings"), QObject::tr("Apply"));
    auto* width = pixels(out.frame.x);
    auto* height = pixels(out.frame.y);
    form.layout->addRow(QObject::tr("Frame"), pair(width, height));
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
    auto* background = new QComboBox;
    background->addItems(
        {QObject::tr("black"), QObject::tr("white"), QObject::tr("transparent"), QObject::tr("as it is")});
    const scene::Colour& bg = out.background;
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
    edit::Edit edit;
    const auto check = [&] {
        const QString rateText = rate->currentData().toString();
        const Rational newRate(
            rateText.section(QLatin1Char('/'), 0, 0).toLongLong(),
            rateText.contains(QLatin1Char('/')) ? rateText.section(QLatin1Char('/'), 1).toLongLong() : 1);
        const auto frames = scene::frameFromText(duration->text().toStdString(), newRate);
        if (!frames) return QString::fromStdString(frames.error().sentence);
        const auto depth = scene::quantity(home->text().toStdString(), scene::Measured::Length);
        if (!depth) return QString::fromStdString(depth.error().sentence);
        edit = {{"edit", "settings"},
                {"frame", {width->value(), height->value()}},
                {"rate", rateText.toStdString()},
                {"frames", *frames},
                {"homeDepth", *depth},
                {"blending", blending->currentIndex() == 0 ? "light" : "paint"}};
        const auto tried = edit::apply(scene, edit);
        return tried ? QString() : QString::fromStdString(tried.error().sentence);
    };
    if (!form.run(check)) return std::nullopt;
    if (background->currentIndex() == 0) edit["background"] = {0, 0, 0, 1};
    if (background->currentIndex() == 1) edit["background"] = {1, 1, 1, 1};
    if (background->currentIndex() == 2) edit["background"] = {0, 0, 0, 0};
    return edit;
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
    form.layout->addRow(QObject::tr("Format"), format);
    form.layout->addRow(QObject::tr("Size"), pair(width, height));
    form.layout->addRow(QObject::tr("Frames"), range);
    form.layout->addRow(QObject::tr("File"), where);
    if (!form.run()) return std::nullopt;
    constexpr output::Format formats[] = {output::Format::H264, output::Format::Ffv1, output::Format::Png};
    return output::Job{path->text().toStdString(),
                       formats[format->currentIndex()],
                       {width->value(), height->value()},
                       first->value(),
                       last->value()};
}

}
