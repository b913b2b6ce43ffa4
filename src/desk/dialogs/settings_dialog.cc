#include "desk/dialogs/settings_dialog.h"

#include "desk/dialogs/frame_size.h"
#include "desk/kit/form.h"
#include "grade/grading.h"
#include "optics/placing.h"
#include "scene/grade_json.h"
#include "scene/output_json.h"
#include "scene/quantity.h"
#include "scene/scene_json.h"

#include <QColorDialog>
#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QLineEdit>
#include <QSpinBox>
#include <algorithm>

namespace stage::desk {
namespace {

struct Rate {
    const char *text, *value;
};
constexpr Rate rates[] = {{"23.976", "24000/1001"},
                          {"24", "24"},
                          {"25", "25"},
                          {"29.97", "30000/1001"},
                          {"30", "30"},
                          {"50", "50"},
                          {"60", "60"}};

const scene::Colour backgrounds[] = {{0, 0, 0, 1}, {1, 1, 1, 1}, {0, 0, 0, 0}};

Rational rateFrom(const QString& text) {
    const QString below = text.section(QLatin1Char('/'), 1);
    return {text.section(QLatin1Char('/'), 0, 0).toLongLong(), below.isEmpty() ? 1 : below.toLongLong()};
}

class SettingsDialog {
    Q_DECLARE_TR_FUNCTIONS(stage::desk::SettingsDialog)
public:
    SettingsDialog(QWidget* parent, const scene::Scene& scene)
        : m_scene(scene), m_form(parent, tr("Scene settings"), tr("Apply")) {
        addFrame();
        addTime();
        addDepth();
        addMixing();
        addView();
    }

    std::optional<edit::Edit> ask(const Previewer& previewer) {
        return askEdit(
            m_form, m_scene, [this](QString& complaint) { return build(complaint); }, previewer);
    }

private:
    void addFrame() {
        m_width = pixelBox(m_scene.output.frame.x);
        m_height = pixelBox(m_scene.output.frame.y);
        m_ready = new QComboBox;
        m_ready->setObjectName(QStringLiteral("readySizes"));
        m_ready->addItem(tr("own size"));
        for (const ReadySize& each : readySizes())
            m_ready->addItem(each.text(), each.size);
        m_form.layout->addRow(tr("Ready sizes"), m_ready);
        m_form.layout->addRow(tr("Frame"), sizeRow(m_width, m_height));
        m_keep = new QComboBox;
        m_keep->setObjectName(QStringLiteral("keepSeen"));
        for (const QString& each : keepTexts())
            m_keep->addItem(each);
        m_keep->setToolTip(tr("What a new frame goes on seeing. The gate is cropped or widened for it; focal "
                              "lengths stay, and so does the staging"));
        m_form.layout->addRow(tr("It sees"), m_keep);
        QObject::connect(m_ready, &QComboBox::currentIndexChanged, &m_form.dialog, [this](int i) {
            const QSize size = m_ready->itemData(i).toSize();
            if (!size.isValid() || i == 0) return;
            m_width->setValue(size.width());
            m_height->setValue(size.height());
        });
        for (QSpinBox* box : {m_width, m_height})
            QObject::connect(box, &QSpinBox::valueChanged, &m_form.dialog, [this] { showReady(); });
        showReady();
    }

    void showReady() {
        const int i = m_ready->findData(QSize(m_width->value(), m_height->value()));
        const QSignalBlocker quiet(m_ready);
        m_ready->setCurrentIndex(std::max(0, i));
        const V2i frame = m_scene.output.frame;
        m_keep->setEnabled(m_width->value() != frame.x || m_height->value() != frame.y);
    }

    void addTime() {
        const Rational now = m_scene.output.rate;
        m_rate = new QComboBox;
        for (const Rate& each : rates)
            m_rate->addItem(tr("%1 per second").arg(QLatin1String(each.text)),
                            QString::fromLatin1(each.value));
        int current = 0;
        while (current < m_rate->count() && rateFrom(m_rate->itemData(current).toString()) != now)
            ++current;
        if (current == m_rate->count())
            m_rate->addItem(tr("%1 per second").arg(now.toDouble()), QString::fromStdString(now.text()));
        m_rate->setCurrentIndex(current);
        m_form.layout->addRow(tr("Frames"), m_rate);
        m_duration = new QLineEdit(QString::fromStdString(scene::timecode(m_scene.output.frames, now)));
        m_duration->setObjectName(QStringLiteral("figure"));
        m_duration->setToolTip(tr("minutes:seconds:frames; also 6s, or a number of frames"));
        m_form.layout->addRow(tr("Duration"), m_duration);
    }

    void addDepth() {
        m_home = number(m_form, tr("Home depth"), scene::Measured::Length, QStringLiteral("m"), 2, 0.5,
                        m_scene.homeDepth, tr("Where newly added layers land"));
        const double slope = optics::firstView(m_scene).slope;
        auto* perPixel =
            number(m_form, tr("Metres a pixel there"), scene::Measured::Length, QStringLiteral("m"), 5, 0.001,
                   m_scene.homeDepth / slope,
                   tr("Metres that a pixel of the frame spans at home depth; another sets the home depth"));
        m_ground = number(m_form, tr("Ground"), scene::Measured::Length, QStringLiteral("m"), 2, 0.1,
                          m_scene.ground, tr("Height of the ground plane, on which feet catch and stand"));
        perPixel->setObjectName(QStringLiteral("figure"));
        QObject::connect(m_home, &NumberField::entered, perPixel,
                         [=](double v) { perPixel->setValue(v / slope); });
        QObject::connect(perPixel, &NumberField::entered, m_home,
                         [this, slope](double v) { m_home->setValue(v * slope); });
    }

    void addMixing() {
        m_colour = m_scene.output.background;
        m_background = new QComboBox;
        m_background->addItems({tr("black"), tr("white"), tr("transparent"), tr("another colour")});
        const auto known = std::find(std::begin(backgrounds), std::end(backgrounds), m_colour);
        m_background->setCurrentIndex(static_cast<int>(known - std::begin(backgrounds)));
        QObject::connect(m_background, &QComboBox::activated, &m_form.dialog, [this](int i) {
            if (i != static_cast<int>(std::size(backgrounds))) return;
            const QColor colour = QColorDialog::getColor(shown(m_colour), &m_form.dialog, tr("Background"),
                                                         QColorDialog::ShowAlphaChannel);
            if (colour.isValid()) m_colour = sceneColour(colour);
        });
        m_form.layout->addRow(tr("Background"), m_background);
        m_blending = new QComboBox;
        m_blending->addItems({tr("as light, like a lens"), tr("as paint, like a flat layered picture")});
        m_blending->setCurrentIndex(static_cast<int>(m_scene.output.blending));
        m_blending->setToolTip(tr("Whether half-transparent layers are mixed in light or in encoded values"));
        m_form.layout->addRow(tr("Mix layers"), m_blending);
    }

    void addView() {
        m_view = new QComboBox;
        m_view->setToolTip(
            tr("How light becomes what is shown and written: by the curve of sRGB, or by a view of an "
               "OpenColorIO configuration"));
        listViews(m_scene.viewTransform.config);
        for (std::size_t i = 0; i < m_views.size(); ++i)
            if (m_views[i] == m_scene.viewTransform) m_view->setCurrentIndex(static_cast<int>(i));
        QObject::connect(m_view, &QComboBox::activated, &m_form.dialog, [this](int i) {
            if (i != static_cast<int>(m_views.size())) return;
            m_view->setCurrentIndex(0);
            const QString path = QFileDialog::getOpenFileName(&m_form.dialog, tr("Colour configuration"), {},
                                                              tr("OpenColorIO configurations (*.ocio)"));
            if (path.isEmpty()) return;
            m_problem = listViews(path.toStdString());
            if (m_views.size() > 1) m_view->setCurrentIndex(1);
        });
        m_form.layout->addRow(tr("Shown by"), m_view);
    }

    /// Gives what is wrong with the configuration; empty where nothing is.
    QString listViews(const std::string& config) {
        m_views = {{}};
        QStringList names = {tr("the curve of sRGB")};
        QString problem;
        if (!config.empty()) {
            if (const auto offered = grade::viewsOf(config)) {
                for (const auto& display : offered->displays)
                    for (const std::string& view : display.views) {
                        m_views.push_back({config, m_scene.viewTransform.space, display.name, view});
                        names << QString::fromStdString(display.name + " · " + view);
                    }
            } else {
                problem = QString::fromStdString(offered.error().sentence);
            }
        }
        // As it is may name no view, or a configuration that is not there now.
        if (const auto& now = m_scene.viewTransform;
            !now.config.empty() && std::find(m_views.begin(), m_views.end(), now) == m_views.end()) {
            m_views.push_back(now);
            names << tr("as it is: %1").arg(QFileInfo(QString::fromStdString(now.config)).fileName());
        }
        names << tr("a colour configuration…");
        m_view->clear();
        m_view->addItems(names);
        return problem;
    }

    /// As it is, or with the view that is chosen.
    edit::Edit withView(const edit::Edit& settings) const {
        const auto i = static_cast<std::size_t>(std::max(0, m_view->currentIndex()));
        if (i >= m_views.size() || m_views[i] == m_scene.viewTransform) return settings;
        edit::Edit edit = {{"edit", "view-transform"}};
        if (m_views[i].config.empty())
            edit["remove"] = true;
        else
            edit.update(scene::toJson(m_views[i]));
        return edit::several("Change settings", {settings, edit});
    }

    edit::Edit build(QString& complaint) const {
        const QString rate = m_rate->currentData().toString();
        const auto frames = scene::frameFromText(m_duration->text().toStdString(), rateFrom(rate));
        if (!frames) complaint = QString::fromStdString(frames.error().sentence);
        const auto background = static_cast<std::size_t>(m_background->currentIndex());
        edit::Edit edit = {
            {"edit", "settings"},
            {"frame", {m_width->value(), m_height->value()}},
            {"rate", rate.toStdString()},
            {"frames", frames.value_or(m_scene.output.frames)},
            {"homeDepth", read(m_home, complaint)},
            {"ground", read(m_ground, complaint)},
            {"background",
             scene::toJson(background < std::size(backgrounds) ? backgrounds[background] : m_colour)},
            {"blending", m_blending->currentIndex() == 0 ? "light" : "paint"}};
        if (m_keep->isEnabled())
            edit["keep"] = scene::keepNames[static_cast<std::size_t>(m_keep->currentIndex())];
        if (!m_problem.isEmpty()) complaint = m_problem;
        return withView(edit);
    }

    const scene::Scene& m_scene;
    Form m_form;
    QSpinBox *m_width, *m_height;
    QComboBox *m_ready, *m_keep, *m_rate, *m_background, *m_blending, *m_view;
    std::vector<scene::ViewTransform> m_views; ///< that can be chosen
    QString m_problem;                         ///< with the configuration chosen last
    QLineEdit* m_duration;
    NumberField *m_home, *m_ground;
    scene::Colour m_colour; ///< another one than those named
};

}

std::optional<edit::Edit> askSettings(QWidget* parent, const scene::Scene& scene,
                                      const Previewer& previewer) {
    return SettingsDialog(parent, scene).ask(previewer);
}

std::optional<edit::Edit> askCheckLimits(QWidget* parent, const scene::Scene& scene) {
    using scene::Measured;
    Form form(parent, QObject::tr("Limits of the checks"), QObject::tr("Apply"));
    const scene::CheckLimits& now = scene.limits;
    auto* enlargement = number(form, QObject::tr("Enlargement"), Measured::Percent, QStringLiteral("%"), 0,
                               10, 100 * now.enlargement, QObject::tr("A picture enlarged beyond is told"));
    auto* blur =
        number(form, QObject::tr("Blur"), Measured::Percent, QStringLiteral("%"), 1, 1, 100 * now.blur,
               QObject::tr("A layer whose disc is never smaller is told; percent of the frame's width"));
    auto* slip = number(form, QObject::tr("Slip"), Measured::Plain, QStringLiteral("px"), 1, 1, now.slip,
                        QObject::tr("A foot that drifts farther against its ground is told"));
    auto* reading = number(form, QObject::tr("Reading"), Measured::Plain, QObject::tr("letters/s"), 0, 1,
                           now.reading, QObject::tr("A text that is in the frame for less is told"));
    return askEdit(form, scene, [&](QString& complaint) -> edit::Edit {
        return {{"edit", "check-limits"},
                {"enlargement", read(enlargement, complaint) / 100},
                {"blur", read(blur, complaint) / 100},
                {"slip", read(slip, complaint)},
                {"reading", read(reading, complaint)}};
    });
}

}
