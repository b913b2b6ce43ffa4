#include "desk/dialogs/output_dialog.h"

#include "desk/dialogs/frame_size.h"
#include "desk/kit/dialog_form.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QFileDialog>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <cmath>

namespace stage::desk {
namespace {

struct Kind {
    const char *name, *suffix;
    output::Format format;
};
constexpr Kind kinds[] = {
    {QT_TRANSLATE_NOOP("stage::desk::OutputDialog", "H.264 movie (.mp4)"), ".mp4", output::Format::H264},
    {QT_TRANSLATE_NOOP("stage::desk::OutputDialog", "FFV1 movie, lossless (.mkv)"), ".mkv",
     output::Format::Ffv1},
    {QT_TRANSLATE_NOOP("stage::desk::OutputDialog", "PNG pictures (.png)"), "-frames/frame.####.png",
     output::Format::Png}};

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

class OutputDialog {
    Q_DECLARE_TR_FUNCTIONS(stage::desk::OutputDialog)
public:
    OutputDialog(QWidget* parent, const scene::Scene& scene, const std::filesystem::path& document)
        : m_form(parent, tr("Write a movie or pictures"), tr("Write")),
          m_base(document.empty()
                     ? QDir::homePath() + QStringLiteral("/move")
                     : QString::fromStdString((document.parent_path() / document.stem()).string())) {
        addKind();
        addSize(scene.output.frame);
        addRange(static_cast<int>(scene.output.frames - 1));
        addFile();
        addWipe();
    }

    std::optional<output::Job> ask() {
        if (!m_form.run([this] { return complaint(); })) return std::nullopt;
        const QualityEntry& quality = qualities[m_quality->currentIndex()];
        output::Job job{m_path->text().toStdString(),
                        kinds[m_kind->currentIndex()].format,
                        {m_width->value(), m_height->value()},
                        m_first->value(),
                        m_last->value(),
                        {.method = quality.method, .samples = quality.samples, .noise = quality.noise}};
        if (m_wipe->isChecked()) job.wipe.emplace();
        return job;
    }

private:
    void addKind() {
        m_kind = new QComboBox;
        m_kind->setObjectName(QStringLiteral("outputFormat"));
        for (const Kind& each : kinds)
            m_kind->addItem(tr(each.name));
        m_form.layout->addRow(tr("Format"), m_kind);
        m_quality = new QComboBox;
        m_quality->setObjectName(QStringLiteral("outputQuality"));
        for (const QualityEntry& each : qualities)
            m_quality->addItem(tr(each.name));
        m_quality->setCurrentIndex(1);
        m_form.layout->addRow(tr("Quality"), m_quality);
    }

    void addSize(V2i frame) {
        m_width = pixelBox(frame.x);
        m_height = pixelBox(frame.y);
        m_width->setObjectName(QStringLiteral("outputWidth"));
        const double aspect = static_cast<double>(frame.y) / frame.x;
        QObject::connect(m_width, &QSpinBox::valueChanged, m_height, [this, aspect](int width) {
            m_height->setValue(static_cast<int>(std::lround(width * aspect / 2)) * 2);
        });
        m_form.layout->addRow(tr("Size"), sizeRow(m_width, m_height));
    }

    void addRange(int last) {
        m_first = new QSpinBox;
        m_last = new QSpinBox;
        for (QSpinBox* box : {m_first, m_last})
            box->setRange(0, last);
        m_last->setValue(last);
        m_last->setObjectName(QStringLiteral("outputLast"));
        auto* range = new QWidget;
        auto* row = new QHBoxLayout(range);
        row->setContentsMargins(0, 0, 0, 0);
        row->addWidget(m_first);
        row->addWidget(new QLabel(tr("to")));
        row->addWidget(m_last);
        row->addStretch();
        m_form.layout->addRow(tr("Frames"), range);
    }

    void addFile() {
        m_path = new QLineEdit;
        m_path->setObjectName(QStringLiteral("outputPath"));
        const auto suggest = [this] {
            m_path->setText(m_base + QLatin1String(kinds[m_kind->currentIndex()].suffix));
        };
        QObject::connect(m_kind, &QComboBox::currentIndexChanged, m_path, suggest);
        suggest();
        auto* browse = new QPushButton(tr("Choose…"));
        QObject::connect(browse, &QPushButton::clicked, &m_form.dialog, [this] {
            const QString chosen =
                QFileDialog::getSaveFileName(&m_form.dialog, tr("Write to"), m_path->text());
            if (!chosen.isEmpty()) m_path->setText(chosen);
        });
        auto* where = new QWidget;
        auto* row = new QHBoxLayout(where);
        row->setContentsMargins(0, 0, 0, 0);
        row->addWidget(m_path, 1);
        row->addWidget(browse);
        m_form.layout->addRow(tr("File"), where);
    }

    void addWipe() {
        m_wipe = new QCheckBox(tr("Wipe from the flat picture to the staged one"));
        m_wipe->setObjectName(QStringLiteral("outputWipe"));
        m_wipe->setToolTip(
            tr("A line goes across the frame from right to left: left of it the layers as mark 1 sees them"));
        m_form.layout->addRow(QString(), m_wipe);
    }

    QString complaint() const {
        if (m_path->text().trimmed().isEmpty()) return tr("Say into which file to write.");
        if (m_last->value() < m_first->value()) return tr("The last frame is before the first.");
        return {};
    }

    Form m_form;
    QString m_base; ///< path without suffix
    QComboBox *m_kind, *m_quality;
    QCheckBox* m_wipe;
    QSpinBox *m_width, *m_height, *m_first, *m_last;
    QLineEdit* m_path;
};

}

std::optional<output::Job> askOutput(QWidget* parent, const scene::Scene& scene,
                                     const std::filesystem::path& document) {
    return OutputDialog(parent, scene, document).ask();
}

}
