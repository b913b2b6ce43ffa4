#include "desk/window/top_bar.h"

#include "desk/camera/camera_view.h"
#include "desk/kit/commands.h"
#include "desk/kit/number_field.h"
#include "desk/kit/panes.h"
#include "desk/look/theme.h"
#include "optics/lens.h"

#include <QAction>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QToolButton>

namespace stage::desk {

TopBar::TopBar(Session& session, const Views& views, const Commands& commands)
    : m_session(session), m_views(views), m_commands(commands), m_row(new QHBoxLayout(this)) {
    setObjectName(QStringLiteral("topBar"));
    setAttribute(Qt::WA_StyledBackground);
    setFixedHeight(42);
    m_row->setContentsMargins(12, 0, 12, 0);
    m_row->setSpacing(6);
    const auto runs = [this](QToolButton* button, const char* command) {
        connect(button, &QToolButton::clicked, m_commands.find(QLatin1String(command)), &QAction::trigger);
    };
    runs(addButton("folder-open", tr("Bring in"),
                   tr("Bring in layered pictures, pictures or footage (Ctrl+I); or drop them on the window")),
         "bring-in");
    runs(addButton("type", tr("Text"), tr("A new text layer")), "add-text");
    m_row->addSpacing(14);
    addTools();
    m_row->addSpacing(14);
    addHoldFraming();
    m_row->addStretch();
    addLens();
}

QToolButton* TopBar::addButton(const char* icon, const QString& text, const QString& tip) {
    auto* button = new QToolButton;
    button->setText(text);
    button->setIcon(theme::icon(QString::fromLatin1(icon)));
    button->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    button->setToolTip(tip);
    button->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
    button->setFocusPolicy(Qt::TabFocus);
    m_row->addWidget(button);
    return button;
}

// ---- tools

void TopBar::addTools() {
    const auto add = [this](CameraView::Tool tool, const char* icon, const QString& text,
                            const QString& tip) {
        QToolButton* button = addButton(icon, text, tip);
        button->setCheckable(true);
        connect(button, &QToolButton::clicked, this, [this, tool] {
            m_views.camera->setTool(tool);
            refreshTools(); // also where it had that tool already
        });
        m_tools.push_back({button, static_cast<int>(tool), icon});
    };
    add(CameraView::Tool::Move, "move", tr("Move"),
        tr("Drag slides the selected layers in their plane, Shift along one edge. Brackets at the corners "
           "and edges scale, with Shift freely; the arc rolls; the cross is the pivot, moved with Shift. "
           "Ctrl suspends catching on lines (M)"));
    add(CameraView::Tool::Push, "arrow-up-from-line", tr("Push"),
        tr("Drag a layer up or down to push it in depth (P)"));
    add(CameraView::Tool::Turn, "rotate-3d", tr("Turn"),
        tr("Drag: turn and lean the selected layers about their pivots. Shift: roll (T)"));
    add(CameraView::Tool::Walk, "footprints", tr("Walk"),
        tr("Drag: pan and tilt. Shift and drag: truck and pedestal. Wheel: dolly (W)"));
    m_cutTool = addButton("scissors", tr("Cut out"),
                          tr("Cuts the selected layer out: mattes, keys, edges, filling (C)"));
    m_cutTool->setCheckable(true);
    connect(m_cutTool, &QToolButton::toggled, this, [this](bool on) { m_views.setCutting(on); });
    connect(m_views.panes, &Panes::changed, this, &TopBar::refreshTools);
    connect(m_views.camera, &CameraView::toolChanged, this, &TopBar::refreshTools);
    refreshTools();
}

void TopBar::refreshTools() {
    const auto show = [](QToolButton* button, const char* icon, bool on) {
        button->setChecked(on);
        button->setIcon(theme::icon(QString::fromLatin1(icon), on ? theme::desk : theme::text));
    };
    for (const Tool& each : m_tools)
        show(each.button, each.icon, static_cast<int>(m_views.camera->tool()) == each.tool);
    show(m_cutTool, "scissors", m_views.cutting());
}

// ---- hold framing

void TopBar::addHoldFraming() {
    m_hold = new QToolButton;
    m_hold->setObjectName(QStringLiteral("holdFraming"));
    m_hold->setCheckable(true);
    m_hold->setToolTip(tr("On: a layer pushed in depth is resized so that the first mark sees it unchanged. "
                          "Off: it keeps its size in metres (H)"));
    m_hold->setWhatsThis(
        tr("<b>Hold framing</b><p>A layer pushed in depth is resized so that the mark sees it unchanged. "
           "Only where the camera moves do depths show."));
    m_hold->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
    m_row->addWidget(m_hold);
    m_holdMark = new QToolButton;
    m_holdMark->setObjectName(QStringLiteral("holdMark"));
    m_holdMark->setPopupMode(QToolButton::InstantPopup);
    m_holdMark->setToolTip(tr("The mark for which framing is held"));
    m_holdMark->setAccessibleName(tr("Mark for which framing is held"));
    auto* marks = new QMenu(m_holdMark);
    connect(marks, &QMenu::aboutToShow, this, &TopBar::fillMarks);
    m_holdMark->setMenu(marks);
    m_row->addWidget(m_holdMark);
    refreshHold();
    connect(m_hold, &QToolButton::toggled, &m_session, &Session::setHoldFraming);
    connect(&m_session, &Session::holdChanged, this, &TopBar::refreshHold);
    connect(&m_session.document, &Document::sceneChanged, this, &TopBar::refreshHold);
}

void TopBar::fillMarks() {
    QMenu* menu = m_holdMark->menu();
    menu->clear();
    const auto& marks = m_session.scene()->camera.marks;
    for (std::size_t i = 0; i < marks.size(); ++i) {
        const QString name = QString::fromStdString(marks[i].name);
        QAction* action = menu->addAction(name.isEmpty() ? tr("As mark %1 sees it").arg(i + 1)
                                                         : tr("As mark %1 sees it: %2").arg(i + 1).arg(name),
                                          this, [this, i] { m_session.setReferenceMark(i); });
        action->setCheckable(true);
        action->setChecked(i == m_session.referenceMark());
    }
}

void TopBar::refreshHold() {
    const bool on = m_session.holdFraming();
    m_hold->setChecked(on);
    m_hold->setText(on ? tr("●  Hold framing") : tr("○  Hold framing"));
    m_holdMark->setText(tr("%1 ▾").arg(m_session.referenceMark() + 1));
    m_holdMark->setVisible(on && m_session.scene()->camera.marks.size() > 1);
}

// ---- lens

void TopBar::addLabel(const QString& text) {
    auto* label = new QLabel(text);
    label->setObjectName(QStringLiteral("dim"));
    m_row->addWidget(label);
}

NumberField* TopBar::addField(NumberField* field, int width, const QString& name, const QString& tip) {
    field->setFixedWidth(width);
    field->setAccessibleName(name);
    field->setToolTip(tip);
    connect(field, &NumberField::misread, &m_session, &Session::problem);
    m_row->addWidget(field);
    return field;
}

void TopBar::addLens() {
    addLabel(tr("Lens"));
    m_focal =
        addField(new NumberField(scene::Measured::Focal, QStringLiteral("mm"), 1, 1), 72, tr("Focal length"),
                 tr("Focal length of the whole move, in mm; the wheel goes from prime to prime"));
    m_focal->setStops(primes());
    m_angle = addField(new NumberField(scene::Measured::Angle, QStringLiteral("°"), 1, 1), 70,
                       tr("Angle of view"), tr("The same as an angle of view across, in degrees"));
    addLabel(tr("f/"));
    m_fstop = addField(new NumberField(scene::Measured::Plain, QString(), 1, 0.5), 46, tr("f-stop"),
                       tr("f-stop of the whole move, or of the mark under the playhead"));
    m_fstop->setStops(fullStops());
    m_fstop->setProperty("letters", QStringLiteral("fF"));
    addLabel(tr("Focus"));
    m_focus = addField(
        new NumberField(scene::Measured::Length, QStringLiteral("m"), 2, 0.1), 72, tr("Focus distance"),
        tr("Distance that is sharp, of the whole move, or of the mark under the playhead, in m"));
    connect(m_fstop, &NumberField::entered, this, [this](double v) { setLens("fstop", v); });
    connect(m_focus, &NumberField::entered, this, [this](double v) { setLens("focus", v); });
    connect(m_focal, &NumberField::entered, this, [this](double v) {
        m_session.document.apply({{"edit", "lens"}, {"focal", v}});
    });
    connect(m_angle, &NumberField::entered, this, [this](double v) {
        m_session.document.apply({{"edit", "lens"}, {"angle", v}});
    });
    connect(&m_session.document, &Document::sceneChanged, this, &TopBar::refreshLens);
    connect(&m_session.camera, &ShownCamera::changed, this, &TopBar::refreshLens);
    m_session.playhead.beat().follow(this, Beat::Rank::Numbers, [this] { refreshLens(); });
    refreshLens();
}

void TopBar::setLens(const char* member, double value) {
    edit::Edit edit = {{"edit", "lens"}, {member, value}};
    if (const int mark = m_session.camera.markHere(); mark >= 0 && m_session.scene()->camera.marks.size() > 1)
        edit["mark"] = mark + 1;
    m_session.document.apply(edit);
}

void TopBar::refreshLens() {
    const scene::Pose pose = m_session.camera.pose();
    m_focal->setValue(pose.focal);
    m_angle->setValue(optics::angleOfView(pose.focal, m_session.scene()->camera.gate));
    m_fstop->setValue(pose.fstop);
    m_focus->setValue(pose.focus);
}

}
