#include "desk/window/view_panels.h"

#include "desk/camera/camera_view.h"
#include "desk/camera/scopes_view.h"
#include "desk/cutting/cut_panel.h"
#include "desk/cutting/cut_view.h"
#include "desk/details/details_panel.h"
#include "desk/kit/commands.h"
#include "desk/kit/number_field.h"
#include "desk/kit/panel.h"
#include "desk/kit/panes.h"
#include "desk/look/theme.h"
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/set/model_view.h"
#include "desk/time/curve_view.h"
#include "desk/time/marks_strip.h"
#include "desk/time/pace_view.h"
#include "desk/time/timeline.h"

#include <QAction>
#include <QComboBox>
#include <QHBoxLayout>
#include <QStackedWidget>
#include <QToolButton>
#include <algorithm>

namespace stage::desk {

ViewPanels::ViewPanels(Session& session, const Commands& commands, QObject* parent)
    : QObject(parent), m_session(session), m_commands(commands) {
    m_views.camera = new CameraView(session); // the first: its picture is under way while the others follow
    m_views.marks = new MarksStrip(session);
    m_views.timeline = new Timeline(session);
    m_views.pace = new PaceView(session);
    m_views.plan = new DraftView(session, DraftView::From::Above);
    m_views.section = new DraftView(session, DraftView::From::Side);
    m_views.model = new ModelView(session);
    m_views.ladder = new Ladder(session, *m_views.plan);
    m_views.cut = new CutView(session);
    m_views.curves = new CurveView(session);
    m_views.scopes = new ScopesView(m_views.camera->picture());
    m_views.panes = new Panes(marksPanel());
    m_views.panes->add(Panes::View::Camera, cameraPanel(), tr("Camera"));
    m_views.panes->add(Panes::View::Plan, planPanel(), tr("Plan"));
    m_views.panes->add(Panes::View::Section, sectionPanel(), tr("Section"));
    m_views.panes->add(Panes::View::Model, modelPanel(), tr("Model"));
    m_views.panes->add(Panes::View::Curves, curvesPanel(), tr("Curves"));
    m_views.panes->add(Panes::View::CutOut, cutPanel(), tr("Cut out"));
    m_views.panes->add(Panes::View::Scopes, scopesPanel(), tr("Scopes"));
    m_views.timeline->setWhatsThis(
        tr("<b>Timeline</b><p>The move and every layer over time. Drag marks and keys to other "
           "times; Space plays, Home and End go to the ends."));
    m_views.timeline->setCache(&m_views.camera->picture().cache());
    connect(&m_views.camera->picture(), &CameraPicture::cacheChanged, m_views.timeline,
            qOverload<>(&QWidget::update));
    connect(m_views.timeline, &Timeline::playingChanged, &m_views.camera->picture(),
            &CameraPicture::setPlaying);
    connect(m_views.timeline, &Timeline::playingChanged, &m_session.playhead.beat(), &Beat::setPlaying);
    connect(&m_session.swatches(), &Swatches::loaded, this, [this] {
        for (QWidget* view :
             std::initializer_list<QWidget*>{m_views.plan, m_views.section, &m_views.ladder->rungs()})
            view->update();
    });
}

void ViewPanels::addSwitch(Panel* panel, const QString& text, const QString& tip, bool on,
                           const std::function<void(bool)>& set) {
    auto* button = new QToolButton;
    button->setObjectName(QStringLiteral("flat"));
    button->setText(text);
    button->setToolTip(tip);
    button->setCheckable(true);
    button->setChecked(on);
    button->setFocusPolicy(Qt::NoFocus);
    connect(button, &QToolButton::toggled, this, set);
    panel->addControl(button);
}

void ViewPanels::addCommand(Panel* panel, const QString& text, const QString& tip, const char* command) {
    auto* button = new QToolButton;
    button->setObjectName(QStringLiteral("flat"));
    button->setText(text);
    button->setToolTip(tip);
    button->setFocusPolicy(Qt::NoFocus);
    connect(button, &QToolButton::clicked, this, [this, command] {
        if (QAction* action = m_commands.find(QLatin1String(command))) action->trigger();
    });
    panel->addControl(button);
}

// ---- camera

Panel* ViewPanels::cameraPanel() {
    CameraView* camera = m_views.camera;
    camera->setWhatsThis(
        tr("<b>Camera</b><p>What the lens sees at the playhead. A click selects a layer, a drag works "
           "with the tool chosen above: <i>Move</i>, <i>Push</i>, <i>Turn</i> for layers, <i>Walk</i> "
           "for the camera. A moment after it stands still, the picture becomes the final one."));
    auto* panel = new Panel(tr("Camera"), QString(), camera);
    addSwitch(panel, tr("Variants"), tr("Frames of the size variants"), true,
              [camera](bool on) { camera->setVariants(on); });
    addSwitch(panel, tr("Thirds"), tr("Lines at the thirds of the frame"), true,
              [camera](bool on) { camera->setThirds(on); });
    addSwitch(panel, tr("Safe"), tr("5 and 10 percent inside the frame's edges"), false,
              [camera](bool on) { camera->setSafe(on); });
    addSwitch(panel, tr("Warn"),
              tr("Hatches what is brighter than white can be (vermilion) and where nothing covers the "
                 "background (teal)"),
              false, [camera](bool on) {
                  camera->picture().setExposure({camera->picture().exposure().stops, on});
              });
    addSwitch(panel, tr("Gaps"),
              tr("Where the frame runs empty over the whole move, the longer the stronger (teal)"), false,
              [camera](bool on) { camera->setGapMap(on); });
    addExposure(panel);
    const auto noteFrame = [this, panel] {
        const V2i frame = m_session.scene()->output.frame;
        panel->setNote(tr("%1 × %2").arg(frame.x).arg(frame.y));
    };
    connect(&m_session.document, &Document::sceneChanged, panel, noteFrame);
    noteFrame();
    return panel;
}

void ViewPanels::addExposure(Panel* panel) {
    CameraView* camera = m_views.camera;
    auto* stops = new NumberField(scene::Measured::Plain, tr("stops"), 1, 0.5);
    stops->setObjectName(QStringLiteral("viewExposure"));
    stops->setFixedWidth(96);
    stops->setToolTip(tr("View exposure, in stops: only how it is shown here; nothing of the scene changes"));
    connect(stops, &NumberField::entered, camera, [camera, stops](double v) {
        const double kept = std::clamp(v, -12.0, 12.0);
        stops->setValue(kept);
        camera->picture().setExposure({kept, camera->picture().exposure().warnings});
    });
    panel->addControl(stops);
}

// ---- the set

void ViewPanels::noteScale(Panel* panel, const QString& from) {
    const auto note = [this, panel, from] {
        panel->setNote(from.arg(m_views.plan->folded() ? tr("far is folded") : tr("true depth")));
    };
    connect(m_views.plan, &DraftView::scaleChanged, panel, note);
    note();
}

Panel* ViewPanels::planPanel() {
    m_views.plan->setWhatsThis(
        tr("<b>Plan</b><p>The stage from above, with the camera at its foot and depth going up. Drag a "
           "bar to push its layer in depth. D folds what is far, so that near things have room."));
    m_views.ladder->setWhatsThis(
        tr("<b>Ladder</b><p>All layers by their depth. Drag a rung to push, double-click it to type a "
           "distance. L shows a list instead."));
    auto* both = new QWidget;
    auto* row = new QHBoxLayout(both);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    row->addWidget(m_views.ladder);
    row->addWidget(m_views.plan, 1);
    auto* panel = new Panel(tr("Plan"), QString(), both);
    noteScale(panel, tr("from above · %1"));
    return panel;
}

Panel* ViewPanels::sectionPanel() {
    m_views.section->setWhatsThis(
        tr("<b>Section</b><p>The stage from the side: depth goes to the right. Bars catch on the ground."));
    auto* panel = new Panel(tr("Section"), QString(), m_views.section);
    noteScale(panel, tr("from the side · %1"));
    return panel;
}

Panel* ViewPanels::modelPanel() {
    m_views.model->setWhatsThis(
        tr("<b>Model</b><p>The stage from outside. A drag turns it, the wheel zooms; arrows at a "
           "selected layer push, turn and lean it."));
    return new Panel(tr("Model"), tr("drag turns it, wheel zooms"), m_views.model);
}

// ---- time

Panel* ViewPanels::marksPanel() {
    m_views.marks->setWhatsThis(
        tr("<b>Marks</b><p>Camera poses that the move passes through. K sets one at the playhead. A "
           "right click offers more."));
    auto* panel = new Panel(tr("Marks"), tr("camera poses the move passes through"), m_views.marks);
    auto* set = new QToolButton;
    set->setObjectName(QStringLiteral("flat"));
    set->setIcon(theme::icon(QStringLiteral("plus")));
    set->setText(tr("Set mark"));
    set->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    set->setToolTip(tr("A mark at the playhead, with the pose shown (K)"));
    connect(set, &QToolButton::clicked, this,
            [this] { m_commands.find(QStringLiteral("set-mark"))->trigger(); });
    panel->addControl(set);
    return panel;
}

Panel* ViewPanels::scopesPanel() {
    m_views.scopes->setWhatsThis(
        tr("<b>Scopes</b><p>How bright and how coloured the Camera view's picture is, as it is shown: "
           "luminance and "
           "the three colours over its width, how often each level is there, and how far colours are from "
           "grey."));
    return new Panel(tr("Scopes"), tr("of the picture as it is shown"), m_views.scopes);
}

Panel* ViewPanels::curvesPanel() {
    CurveView* curves = m_views.curves;
    curves->setWhatsThis(
        tr("<b>Curves</b><p>Properties over time: keys, with handles for how it goes between them, "
           "links and noise."));
    auto* panel = new Panel(tr("Curves"), QString(), curves);
    connect(curves, &CurveView::titleChanged, panel, &Panel::setNote);
    panel->setNote(tr("the camera"));
    addCommand(panel, tr("Key"), tr("A key of the property at the playhead"), "key-here");
    addCommand(panel, tr("Link"), tr("Lets the property follow another"), "track-link");
    addCommand(panel, tr("Noise"), tr("Puts sway, jitter or flicker on the property"), "track-noise");
    return panel;
}

Panel* ViewPanels::pacePanel() {
    m_views.pace->setWhatsThis(
        tr("<b>Pace</b><p>How fast the camera goes from one mark to the next. Draw it, or choose one "
           "above. <i>Whole</i> is one pace over all marks."));
    return new Panel(tr("Pace"), tr("draw it, or choose"), m_views.pace);
}

// ---- cutting out

Panel* ViewPanels::cutPanel() {
    m_views.cut->setWhatsThis(
        tr("<b>Cut out</b><p>The selected layer's own picture. Mattes say what stays of it; the media "
           "themselves are never written to."));
    auto* panel = new Panel(tr("Cut out"), QString(), m_views.cut);
    addCutTools(panel);
    auto* show = new QComboBox;
    show->addItems({tr("Veil"), tr("Cut"), tr("Matte"), tr("Before")});
    show->setToolTip(
        tr("Veil: what goes is darkened. Cut: over nothing. Matte: alpha as grey. Before: uncut"));
    show->setAccessibleName(tr("What the cut-out view shows"));
    CutView* cut = m_views.cut;
    connect(show, &QComboBox::activated, cut, [cut](int i) { cut->setShow(static_cast<CutView::Show>(i)); });
    connect(cut, &CutView::toolChanged, show,
            [cut, show] { show->setCurrentIndex(static_cast<int>(cut->showing())); });
    panel->addControl(show);
    return panel;
}

void ViewPanels::addCutTools(Panel* panel) {
    struct Entry {
        CutView::Tool tool;
        const char *icon, *tip;
    };
    static const Entry entries[] = {
        {CutView::Tool::Loop, "lasso", QT_TR_NOOP("Draw a rough loop: the thing inside is found")},
        {CutView::Tool::Outline, "spline",
         QT_TR_NOOP("Outline: click for corners, drag for curves, click the first point to close")},
        {CutView::Tool::Rectangle, "square", QT_TR_NOOP("Rectangle; Shift keeps it square")},
        {CutView::Tool::Ellipse, "circle", QT_TR_NOOP("Ellipse; Shift keeps it round")},
        {CutView::Tool::Brush, "brush", QT_TR_NOOP("Paint what stays; with Alt, what goes")},
        {CutView::Tool::Alike, "pipette", QT_TR_NOOP("Click: what has about this colour")},
        {CutView::Tool::Fill, "paint-bucket",
         QT_TR_NOOP("Draw around a hole: it is filled from its surroundings")},
        {CutView::Tool::Clone, "stamp", QT_TR_NOOP("Clone: Alt and click where from, then paint")}};
    CutView* cut = m_views.cut;
    for (const Entry& entry : entries) {
        auto* button = new QToolButton;
        button->setObjectName(QStringLiteral("flat"));
        button->setToolTip(tr(entry.tip));
        button->setAccessibleName(tr(entry.tip));
        button->setCheckable(true);
        button->setFocusPolicy(Qt::TabFocus);
        const auto refresh = [cut, button, &entry] {
            const bool on = cut->tool() == entry.tool;
            button->setChecked(on);
            button->setIcon(theme::icon(QString::fromLatin1(entry.icon), on ? theme::brass : theme::text));
            button->setEnabled(!cut->splitting());
        };
        connect(button, &QToolButton::clicked, cut, [cut, refresh, &entry] {
            cut->setTool(entry.tool);
            refresh(); // also where it had that tool already
        });
        connect(cut, &CutView::toolChanged, button, refresh);
        refresh();
        panel->addControl(button);
    }
}

QWidget* ViewPanels::numbers() {
    auto* stack = new QStackedWidget;
    const auto add = [stack](const QString& title, auto* content) {
        auto* panel = new Panel(title, QString(), content);
        connect(content, &std::remove_pointer_t<decltype(content)>::titleChanged, panel,
                [panel](const QString& now, const QString& note) {
                    panel->setTitle(now);
                    panel->setNote(note);
                });
        stack->addWidget(panel);
    };
    add(QString(), new DetailsPanel(m_session));
    add(tr("Cut out"), new CutPanel(m_session, *m_views.cut));
    connect(m_views.panes, &Panes::changed, stack,
            [this, stack] { stack->setCurrentIndex(m_views.cutting() ? 1 : 0); });
    stack->setWhatsThis(
        tr("<b>Details</b><p>Numbers of what is selected. They take sums and units: 4m + 50cm. Enter "
           "gives the keys back to the view."));
    return stack;
}

}
