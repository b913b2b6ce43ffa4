#include "desk/dialogs/output_dialog.h"

#include "desk/dialogs/frame_size.h"
#include "desk/kit/dialog_form.h"
#include "desk/kit/question.h"
#include "desk/kit/settings.h"
#include "output/job_json.h"
#include "scene/variant.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QLocale>
#include <QPushButton>
#include <QSpinBox>
#include <cmath>

namespace stage::desk {
namespace {

using output::Format;
using output::FormatInfo;

struct QualityEntry {
    const char* name;
    render::Method method;
    int samples;
    double noise;
};
constexpr QualityEntry qualities[] = {
    {QT_TRANSLATE_NOOP("stage::desk::OutputDialog", "draft: fast, each layer blurred by itself"),
     render::Method::Draft, 16, 0},
    {QT_TRANSLATE_NOOP("stage::desk::OutputDialog",
                       "final: rays through lens and shutter, noise below 0.3 %"),
     render::Method::Final, render::usualSamples, render::usualNoise},
    {QT_TRANSLATE_NOOP("stage::desk::OutputDialog", "final, fine: noise below 0.1 %, several times as long"),
     render::Method::Final, 1024, 0.001},
    {QT_TRANSLATE_NOOP("stage::desk::OutputDialog", "traced: 1024 rays and no short cut"),
     render::Method::Traced, 1024, 0},
    {QT_TRANSLATE_NOOP("stage::desk::OutputDialog", "pinhole: all sharp, nothing blurs"),
     render::Method::Pinhole, 16, 0}};

QString text(std::string_view view) {
    return QString::fromUtf8(view.data(), static_cast<qsizetype>(view.size()));
}

std::filesystem::path presetFile() {
    const QFileInfo file(settings().fileName());
    return file.absolutePath().toStdString() + "/output-presets.json";
}

QWidget* besideEachOther(std::initializer_list<QWidget*> widgets) {
    auto* row = new QWidget;
    auto* layout = new QHBoxLayout(row);
    layout->setContentsMargins(0, 0, 0, 0);
    for (QWidget* each : widgets)
        layout->addWidget(each);
    layout->addStretch();
    return row;
}

class OutputDialog {
    Q_DECLARE_TR_FUNCTIONS(stage::desk::OutputDialog)
public:
    OutputDialog(QWidget* parent, const scene::ScenePtr& scene, const std::filesystem::path& document)
        : m_form(parent, tr("Write a movie or pictures"), tr("Queue")), m_scene(scene),
          m_base(document.empty()
                     ? QDir::homePath() + QStringLiteral("/move")
                     : QString::fromStdString((document.parent_path() / document.stem()).string())) {
        addPresets();
        addFormat();
        addEncoding();
        addSize(scene->output.frame);
        addVariants();
        addRange(static_cast<int>(scene->output.frames - 1));
        addLoop();
        addWipe();
        addFile();
        addNote();
        showPresets(0);
        takeFormat();
    }

    std::vector<OutputChoice> ask() {
        if (!m_form.run([this] { return complaint(); })) return {};
        return choices();
    }

private:
    Format format() const { return static_cast<Format>(m_format->currentData().toInt()); }
    const FormatInfo& info() const { return output::infoOf(format()); }

    void addPresets() {
        m_presets = new QComboBox;
        m_presets->setObjectName(QStringLiteral("outputPreset"));
        auto* keep = new QPushButton(tr("Keep…"));
        keep->setToolTip(tr("Keeps format, encoding and rendering under a name of your own"));
        keep->setAutoDefault(false);
        QObject::connect(keep, &QPushButton::clicked, &m_form.dialog, [this] { keepPreset(); });
        m_forget = new QPushButton(tr("Forget"));
        m_forget->setAutoDefault(false);
        QObject::connect(m_forget, &QPushButton::clicked, &m_form.dialog, [this] { forgetPreset(); });
        m_form.layout->addRow(tr("For"), besideEachOther({m_presets, keep, m_forget}));
        if (auto own = output::loadPresets(presetFile())) m_own = std::move(*own);
        QObject::connect(m_presets, &QComboBox::activated, &m_form.dialog, [this](int at) { take(at); });
    }
    void showPresets(int at) {
        m_presets->clear();
        for (const auto* list : {&output::usualPresets(), &std::as_const(m_own)})
            for (const output::Preset& preset : *list)
                m_presets->addItem(QString::fromStdString(preset.name));
        m_presets->setCurrentIndex(at);
        m_forget->setEnabled(at >= static_cast<int>(output::usualPresets().size()));
    }
    void take(int at) {
        const auto usual = static_cast<int>(output::usualPresets().size());
        m_forget->setEnabled(at >= usual);
        if (at < 0 || at >= usual + static_cast<int>(m_own.size())) return;
        const output::Preset& preset = at < usual ? output::usualPresets()[static_cast<std::size_t>(at)]
                                                  : m_own[static_cast<std::size_t>(at - usual)];
        m_format->setCurrentIndex(m_format->findData(static_cast<int>(preset.format)));
        takeFormat();
        const output::Encoding& encoding = preset.encoding;
        m_aim->setCurrentIndex(encoding.megabytes ? 1 : 0);
        if (encoding.rate) m_rate->setValue(*encoding.rate);
        if (encoding.megabytes) m_megabytes->setValue(*encoding.megabytes);
        if (encoding.bits) m_bits->setCurrentIndex(m_bits->findData(encoding.bits));
        m_alpha->setChecked(encoding.alpha);
        if (!encoding.compression.empty())
            m_compression->setCurrentText(QString::fromStdString(encoding.compression));
        for (std::size_t i = 0; i < std::size(qualities); ++i)
            if (qualities[i].method == preset.quality.method &&
                qualities[i].samples == preset.quality.samples)
                m_quality->setCurrentIndex(static_cast<int>(i));
    }
    void keepPreset() {
        const auto name = askForText(&m_form.dialog, tr("Keep a preset"), tr("What it is for"));
        if (!name || name->isEmpty()) return;
        const output::Job now = job();
        std::erase_if(m_own, [&](const output::Preset& each) { return each.name == name->toStdString(); });
        m_own.push_back({name->toStdString(), now.format, now.encoding, now.quality});
        savePresets();
        showPresets(m_presets->count());
        m_presets->setCurrentIndex(m_presets->count() - 1);
        m_forget->setEnabled(true);
    }
    void forgetPreset() {
        const int own = m_presets->currentIndex() - static_cast<int>(output::usualPresets().size());
        if (own < 0 || own >= static_cast<int>(m_own.size())) return;
        m_own.erase(m_own.begin() + own);
        savePresets();
        showPresets(0);
    }
    void savePresets() {
        if (const auto saved = output::savePresets(presetFile(), m_own); !saved)
            m_note->setText(QString::fromStdString(saved.error().sentence));
    }

    void addFormat() {
        m_format = new QComboBox;
        m_format->setObjectName(QStringLiteral("outputFormat"));
        for (const FormatInfo& each : output::formats())
            m_format->addItem(tr("%1 (%2)").arg(text(each.title), text(each.suffixes.front())),
                              static_cast<int>(each.format));
        QObject::connect(m_format, &QComboBox::currentIndexChanged, &m_form.dialog, [this] {
            if (m_note) takeFormat();
        });
        QObject::connect(m_format, &QComboBox::activated, m_presets,
                         [this] { m_presets->setCurrentIndex(-1); });
        m_form.layout->addRow(tr("Format"), m_format);
    }

    void addEncoding() {
        m_aim = new QComboBox;
        m_aim->addItems({tr("Quality"), tr("Size of the file")});
        m_rate = new QDoubleSpinBox;
        m_rate->setObjectName(QStringLiteral("outputRate"));
        m_rate->setDecimals(0);
        m_megabytes = new QDoubleSpinBox;
        m_megabytes->setObjectName(QStringLiteral("outputMegabytes"));
        m_megabytes->setRange(0.1, 1e6);
        m_megabytes->setValue(20);
        m_megabytes->setSuffix(tr(" MB"));
        m_rateNote = new QLabel;
        m_rateNote->setObjectName(QStringLiteral("dim"));
        m_aimRow = besideEachOther({m_aim, m_rate, m_megabytes, m_rateNote});
        m_form.layout->addRow(tr("Aim at"), m_aimRow);
        QObject::connect(m_aim, &QComboBox::currentIndexChanged, &m_form.dialog, [this] { showAim(); });
        m_bits = new QComboBox;
        m_bits->setObjectName(QStringLiteral("outputBits"));
        m_form.layout->addRow(tr("Bits of a channel"), m_bits);
        m_compression = new QComboBox;
        m_form.layout->addRow(tr("Compression"), m_compression);
        m_alpha = new QCheckBox(tr("Keep what shows through the background as alpha"));
        m_alpha->setChecked(true);
        m_form.layout->addRow(QString(), m_alpha);
        m_quality = new QComboBox;
        m_quality->setObjectName(QStringLiteral("outputQuality"));
        for (const QualityEntry& each : qualities)
            m_quality->addItem(tr(each.name));
        m_quality->setCurrentIndex(1);
        m_form.layout->addRow(tr("Rendering"), m_quality);
    }
    void showAim() {
        const bool size = info().sized && m_aim->currentIndex() == 1;
        m_rate->setVisible(!size);
        m_rateNote->setVisible(!size);
        m_megabytes->setVisible(size);
        refreshNote();
    }
    /// Rows that count for the format.
    void takeFormat() {
        const FormatInfo& now = info();
        m_form.layout->setRowVisible(m_aimRow, now.rate.any());
        m_aim->setVisible(now.sized);
        m_rate->setRange(std::min(now.rate.best, now.rate.worst), std::max(now.rate.best, now.rate.worst));
        m_rate->setValue(now.rate.usual);
        m_rateNote->setText(tr("%1 is the best, %2 the smallest").arg(now.rate.best).arg(now.rate.worst));
        m_bits->clear();
        for (const int bits : now.bits)
            m_bits->addItem(bits == 32 || now.suffixes.front() == ".exr" ? tr("%1, floating").arg(bits)
                                                                         : QString::number(bits),
                            bits);
        m_form.layout->setRowVisible(m_bits, now.bits.size() > 1);
        m_compression->clear();
        for (const auto& each : now.compressions)
            m_compression->addItem(text(each));
        m_form.layout->setRowVisible(m_compression, !now.compressions.empty());
        m_form.layout->setRowVisible(m_alpha, now.alpha && m_scene->output.background.a < 1);
        if (m_loopRow) { // frames whose layers stay apart have neither
            m_form.layout->setRowVisible(m_loopRow, !now.layered);
            m_form.layout->setRowVisible(m_wipe, !now.layered);
        }
        showAim();
        suggest();
    }

    void addSize(V2i frame) {
        m_width = pixelBox(frame.x);
        m_height = pixelBox(frame.y);
        m_width->setObjectName(QStringLiteral("outputWidth"));
        const double aspect = static_cast<double>(frame.y) / frame.x;
        QObject::connect(m_width, &QSpinBox::valueChanged, m_height, [this, aspect](int width) {
            m_height->setValue(static_cast<int>(std::lround(width * aspect)));
        });
        for (QSpinBox* box : {m_width, m_height})
            QObject::connect(box, &QSpinBox::valueChanged, &m_form.dialog, [this] { refreshNote(); });
        m_form.layout->addRow(tr("Size"), sizeRow(m_width, m_height));
    }

    /// Where there are size variants: which of them, and the scene's own frame.
    void addVariants() {
        if (m_scene->output.variants.empty()) return;
        m_variants = new QListWidget;
        m_variants->setObjectName(QStringLiteral("outputVariants"));
        m_variants->setToolTip(tr("Each becomes a file of its own, with its name in the file's"));
        const auto add = [&](const QString& name, V2i frame) {
            auto* item =
                new QListWidgetItem(tr("%1, %2 × %3").arg(name).arg(frame.x).arg(frame.y), m_variants);
            item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable);
            item->setCheckState(Qt::Checked);
        };
        add(tr("the scene's own frame"), m_scene->output.frame);
        for (const scene::Variant& each : m_scene->output.variants)
            add(QString::fromStdString(each.name), each.frame);
        const int rows = std::min(4, m_variants->count());
        m_variants->setFixedHeight(rows * m_variants->sizeHintForRow(0) + 2 * m_variants->frameWidth());
        QObject::connect(m_variants, &QListWidget::itemChanged, &m_form.dialog, [this] { refreshNote(); });
        m_form.layout->addRow(tr("Variants"), m_variants);
    }

    void addRange(int last) {
        m_first = new QSpinBox;
        m_last = new QSpinBox;
        for (QSpinBox* box : {m_first, m_last}) {
            box->setRange(0, last);
            QObject::connect(box, &QSpinBox::valueChanged, &m_form.dialog, [this] { refreshNote(); });
        }
        m_last->setValue(last);
        m_last->setObjectName(QStringLiteral("outputLast"));
        m_form.layout->addRow(tr("Frames"), besideEachOther({m_first, new QLabel(tr("to")), m_last}));
    }

    void addLoop() {
        m_loop = new QComboBox;
        m_loop->setObjectName(QStringLiteral("outputLoop"));
        m_loop->addItems({tr("none"), tr("the end dissolves into the beginning"), tr("back and forth")});
        m_dissolve = new QSpinBox;
        m_dissolve->setRange(1, 100000);
        m_dissolve->setValue(output::Loop().dissolve);
        m_dissolve->setSuffix(tr(" frames"));
        m_dissolve->setVisible(false);
        QObject::connect(m_loop, &QComboBox::currentIndexChanged, m_dissolve,
                         [this](int at) { m_dissolve->setVisible(at == 1); });
        m_loopRow = besideEachOther({m_loop, m_dissolve});
        m_form.layout->addRow(tr("Loop"), m_loopRow);
    }

    void addFile() {
        m_path = new QLineEdit;
        m_path->setObjectName(QStringLiteral("outputPath"));
        m_path->setMinimumWidth(360);
        QObject::connect(m_path, &QLineEdit::textEdited, &m_form.dialog, [this] { m_pathIsOwn = true; });
        // How much is free depends on where it goes.
        QObject::connect(m_path, &QLineEdit::textChanged, &m_form.dialog, [this] { refreshNote(); });
        auto* browse = new QPushButton(tr("Choose…"));
        browse->setAutoDefault(false);
        QObject::connect(browse, &QPushButton::clicked, &m_form.dialog, [this] {
            const QString chosen =
                QFileDialog::getSaveFileName(&m_form.dialog, tr("Write to"), m_path->text());
            if (chosen.isEmpty()) return;
            m_path->setText(chosen);
            m_pathIsOwn = true;
        });
        auto* where = new QWidget;
        auto* row = new QHBoxLayout(where);
        row->setContentsMargins(0, 0, 0, 0);
        row->addWidget(m_path, 1);
        row->addWidget(browse);
        m_form.layout->addRow(tr("File"), where);
    }
    /// A name that was typed keeps all but its suffix.
    void suggest() {
        const QString suffix = text(info().suffixes.front());
        if (m_pathIsOwn) {
            const QFileInfo file(m_path->text());
            const auto& known = info().suffixes;
            const std::string own = ("." + file.suffix()).toLower().toStdString();
            if (std::find(known.begin(), known.end(), own) == known.end() && !file.suffix().isEmpty())
                m_path->setText(m_path->text().chopped(file.suffix().size() + 1) + suffix);
        } else {
            m_path->setText(m_base + (info().movie ? suffix : QStringLiteral("-frames/frame.####") + suffix));
        }
        refreshNote();
    }

    void addWipe() {
        m_wipe = new QCheckBox(tr("Wipe from the flat picture to the staged one"));
        m_wipe->setObjectName(QStringLiteral("outputWipe"));
        m_wipe->setToolTip(
            tr("A line goes across the frame from right to left: left of it the layers as mark 1 sees them"));
        m_form.layout->addRow(QString(), m_wipe);
    }

    void addNote() {
        m_note = new QLabel;
        m_note->setObjectName(QStringLiteral("dim"));
        m_note->setWordWrap(true);
        m_form.layout->addRow(QString(), m_note);
    }
    /// How large it becomes, and what is done to its size.
    void refreshNote() {
        if (!m_note || !m_last) return;
        QString note;
        output::Space space{0, 0, -1};
        for (const OutputChoice& each : choices()) {
            const output::Space more = output::spaceFor(*each.scene, each.job);
            space = {space.file + more.file, std::max(space.meanwhile, more.meanwhile), more.free};
            if (note.isEmpty()) note = QString::fromStdString(output::sizeNote(each.job));
        }
        const QLocale locale;
        const auto bytes = [&](std::int64_t count) {
            return locale.formattedDataSize(count, 0, QLocale::DataSizeSIFormat);
        };
        QString needs = tr("About %1").arg(bytes(space.file));
        if (space.meanwhile > 0) needs += tr(", and %1 more until it is whole").arg(bytes(space.meanwhile));
        if (space.free >= 0) needs += tr("; %1 free").arg(bytes(space.free));
        if (space.free >= 0 && space.file + space.meanwhile > space.free)
            needs = tr("▲ The disk may be too small: ") + needs;
        m_note->setText((note.isEmpty() ? QString() : note + QLatin1Char('\n')) + needs + QLatin1Char('.'));
    }

    output::Job job() const {
        const QualityEntry& quality = qualities[m_quality->currentIndex()];
        output::Job job{m_path->text().toStdString(),
                        format(),
                        {m_width->value(), m_height->value()},
                        m_first->value(),
                        m_last->value(),
                        {.method = quality.method, .samples = quality.samples, .noise = quality.noise}};
        const FormatInfo& now = info();
        if (m_wipe->isChecked() && !now.layered) job.wipe.emplace();
        if (now.sized && m_aim->currentIndex() == 1)
            job.encoding.megabytes = m_megabytes->value();
        else if (now.rate.any() && m_rate->value() != now.rate.usual)
            job.encoding.rate = m_rate->value();
        if (now.bits.size() > 1) job.encoding.bits = m_bits->currentData().toInt();
        job.encoding.alpha = m_alpha->isChecked();
        if (!now.compressions.empty()) job.encoding.compression = m_compression->currentText().toStdString();
        if (!now.layered)
            job.loop = {static_cast<output::Loop::Kind>(m_loop->currentIndex()), m_dissolve->value()};
        return job;
    }

    std::vector<OutputChoice> choices() const {
        const auto chosen = [&](int row) {
            return !m_variants || m_variants->item(row)->checkState() == Qt::Checked;
        };
        std::vector<OutputChoice> all;
        if (chosen(0)) all.push_back({m_scene, job()});
        for (int row = 1; m_variants && row < m_variants->count(); ++row) {
            if (!chosen(row)) continue;
            const scene::Variant& variant = m_scene->output.variants[static_cast<std::size_t>(row - 1)];
            all.push_back({std::make_shared<const scene::Scene>(scene::inVariant(*m_scene, variant)),
                           output::jobInVariant(*m_scene, job(), variant)});
        }
        return all;
    }

    QString complaint() const {
        if (m_path->text().trimmed().isEmpty()) return tr("Say into which file to write.");
        if (m_last->value() < m_first->value()) return tr("The last frame is before the first.");
        const std::vector<OutputChoice> all = choices();
        if (all.empty()) return tr("Choose at least one frame to write.");
        for (const OutputChoice& each : all)
            if (const std::string wrong = output::complaintAbout(*each.scene, each.job); !wrong.empty())
                return QString::fromStdString(wrong);
        return {};
    }

    Form m_form;
    scene::ScenePtr m_scene;
    QString m_base; ///< path without suffix
    std::vector<output::Preset> m_own;
    QComboBox *m_presets, *m_format, *m_quality, *m_aim, *m_bits, *m_compression, *m_loop;
    QPushButton* m_forget;
    QCheckBox *m_wipe, *m_alpha;
    QSpinBox *m_width, *m_height, *m_first, *m_last = nullptr, *m_dissolve;
    QDoubleSpinBox *m_rate, *m_megabytes;
    QListWidget* m_variants = nullptr; ///< the scene's own frame first; null: there are none
    QWidget *m_aimRow, *m_loopRow = nullptr;
    QLabel *m_rateNote, *m_note = nullptr;
    QLineEdit* m_path;
    bool m_pathIsOwn = false;
};

}

std::vector<OutputChoice> askOutput(QWidget* parent, const scene::ScenePtr& scene,
                                    const std::filesystem::path& document) {
    return OutputDialog(parent, scene, document).ask();
}

}
