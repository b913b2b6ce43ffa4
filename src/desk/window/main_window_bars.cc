// The bar above the views.
#include "desk/kit/number_field.h"
#include "desk/look/theme.h"
#include "desk/window/main_window.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QToolButton>
#include <array>
#include <tuple>

namespace stage::desk {

QWidget* MainWindow::makeTopBar() {
    auto* bar = new QWidget;
    bar->setObjectName(QStringLiteral("topBar"));
    bar->setAttribute(Qt::WA_StyledBackground);
    bar->setFixedHeight(42);
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(12, 0, 12, 0);
    row->setSpacing(6);
    const auto button = [row](const QString& icon, const QString& text, const QString& tip) {
        auto* b = new QToolButton;
        b->setText(text);
        b->setIcon(theme::icon(icon));
        b->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
        b->setToolTip(tip);
        b->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
        b->setFocusPolicy(Qt::TabFocus);
        row->addWidget(b);
        return b;
    };
    auto* bring =
        button(QStringLiteral("folder-open"), tr("Bring in"),
               tr("Bring in layered pictures, pictures or footage (Ctrl+I); or drop them on the window"));
    auto* text = button(QStringLiteral("type"), tr("Text"), tr("A new text layer"));
    row->addSpacing(14);
    m_moveTool = button(
        QStringLiteral("move"), tr("Move"),
        tr("Drag slides the selected layers in their plane, Shift along one edge. Brackets at the corners "
           "and edges scale, with Shift freely; the arc rolls; the cross is the pivot, moved with Shift. "
           "Ctrl suspends catching on lines (M)"));
    m_pushTool = button(QStringLiteral("arrow-up-from-line"), tr("Push"),
                        tr("Drag a layer up or down to push it in depth (P)"));
    m_turnTool = button(QStringLiteral("rotate-3d"), tr("Turn"),
                        tr("Drag: turn and lean the selected layers about their pivots. Shift: roll (T)"));
    m_walkTool = button(QStringLiteral("footprints"), tr("Walk"),
                        tr("Drag: pan and tilt. Shift and drag: truck and pedestal. Wheel: dolly (W)"));
    m_cutTool = button(QStringLiteral("scissors"), tr("Cut out"),
                       tr("Cuts the selected layer out: mattes, keys, edges, filling (C)"));
    for (QToolButton* tool : {m_moveTool, m_pushTool, m_turnTool, m_walkTool, m_cutTool})
        tool->setCheckable(true);
    connect(m_cutTool, &QToolButton::toggled, this, &MainWindow::setCutting);
    row->addSpacing(14);
    m_hold = new QToolButton;
    m_hold->setObjectName(QStringLiteral("holdFraming"));
    m_hold->setCheckable(true);
    m_hold->setChecked(true);
    m_hold->setText(tr("●  Hold framing"));
    m_hold->setToolTip(tr("On: a layer pushed in depth is resized so that the first mark sees it unchanged. "
                          "Off: it keeps its size in metres (H)"));
    m_hold->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
    row->addWidget(m_hold);
    m_holdMark = new QToolButton;
    m_holdMark->setObjectName(QStringLiteral("holdMark"));
    m_holdMark->setPopupMode(QToolButton::InstantPopup);
    m_holdMark->setToolTip(tr("The mark for which framing is held"));
    m_holdMark->setAccessibleName(tr("Mark for which framing is held"));
    auto* marks = new QMenu(m_holdMark);
    connect(marks, &QMenu::aboutToShow, this, [this, marks] {
        marks->clear();
        for (std::size_t i = 0; i < m_session.scene()->camera.marks.size(); ++i) {
            const QString name = QString::fromStdString(m_session.scene()->camera.marks[i].name);
            QAction* action =
                marks->addAction(tr("As mark %1 sees it%2")
                                     .arg(i + 1)
                                     .arg(name.isEmpty() ? QString() : QStringLiteral(": ") + name),
                                 this, [this, i] { m_session.setReferenceMark(i); });
            action->setCheckable(true);
            action->setChecked(i == m_session.referenceMark());
        }
    });
    m_holdMark->setMenu(marks);
    row->addWidget(m_holdMark);
    row->addStretch();

    const auto label = [row](const QString& name) {
        auto* l = new QLabel(name);
        l->setObjectName(QStringLiteral("dim"));
        row->addWidget(l);
    };
    label(tr("Lens"));
    m_focal = new NumberField(scene::Measured::Focal, QStringLiteral("mm"), 1, 1);
    m_focal->setStops(primes());
    m_focal->setFixedWidth(72);
    m_focal->setToolTip(tr("Focal length of the whole move, in mm; the wheel goes from prime to prime"));
    m_focal->setAccessibleName(tr("Focal length"));
    row->addWidget(m_focal);
    m_angle = new NumberField(scene::Measured::Angle, QStringLiteral("°"), 1, 1);
    m_angle->setFixedWidth(70);
    m_angle->setToolTip(tr("The same as an angle of view across, in degrees"));
    m_angle->setAccessibleName(tr("Angle of view"));
    row->addWidget(m_angle);
    m_fstop = new NumberField(scene::Measured::Plain, QString(), 1, 0.5);
    m_fstop->setStops(fullStops());
    m_fstop->setProperty("letters", QStringLiteral("fF"));
    m_fstop->setFixedWidth(46);
    m_fstop->setToolTip(tr("f-stop of the whole move, or of the mark under the playhead"));
    m_fstop->setAccessibleName(tr("f-stop"));
    label(tr("f/"));
    row->addWidget(m_fstop);
    m_focus = new NumberField(scene::Measured::Length, QStringLiteral("m"), 2, 0.1);
    m_focus->setFixedWidth(72);
    m_focus->setToolTip(
        tr("Distance that is sharp, of the whole move, or of the mark under the playhead, in m"));
    m_focus->setAccessibleName(tr("Focus distance"));
    label(tr("Focus"));
    row->addWidget(m_focus);
    const auto command = [this](const char* name) {
        return [this, name] { m_commands.find(QLatin1String(name))->trigger(); };
    };
    connect(bring, &QToolButton::clicked, this, command("bring-in"));
    connect(text, &QToolButton::clicked, this, command("add-text"));
    const auto choose = [this](CameraView::Tool tool) { m_camera->setTool(tool); };
    connect(m_moveTool, &QToolButton::clicked, this, [choose] { choose(CameraView::Tool::Move); });
    connect(m_pushTool, &QToolButton::clicked, this, [choose] { choose(CameraView::Tool::Push); });
    connect(m_walkTool, &QToolButton::clicked, this, [choose] { choose(CameraView::Tool::Walk); });
    connect(m_turnTool, &QToolButton::clicked, this, [choose] { choose(CameraView::Tool::Turn); });
    const std::array<std::tuple<QToolButton*, CameraView::Tool, const char*>, 4> tools{
        {{m_moveTool, CameraView::Tool::Move, "move"},
         {m_pushTool, CameraView::Tool::Push, "arrow-up-from-line"},
         {m_turnTool, CameraView::Tool::Turn, "rotate-3d"},
         {m_walkTool, CameraView::Tool::Walk, "footprints"}}};
    const auto refreshTools = [this, tools] {
        for (const auto& [each, tool, name] : tools) {
            each->setChecked(m_camera->tool() == tool);
            each->setIcon(
                theme::icon(QString::fromLatin1(name), each->isChecked() ? theme::desk : theme::text));
        }
    };
    connect(m_camera, &CameraView::toolChanged, this, refreshTools);
    for (const auto& [each, tool, name] : tools)
        connect(each, &QToolButton::clicked, this, refreshTools);
    refreshTools();
    connect(m_hold, &QToolButton::toggled, &m_session, &Session::setHoldFraming);
    const auto lens = [this](const char* what) {
        return [this, what](double v) {
            edit::Edit edit = {{"edit", "lens"}, {what, v}};
            if (const int mark = m_session.camera.markHere();
                mark >= 0 && m_session.scene()->camera.marks.size() > 1)
                edit["mark"] = mark + 1;
            m_session.document.apply(edit);
        };
    };
    connect(m_fstop, &NumberField::entered, this, lens("fstop"));
    connect(m_focus, &NumberField::entered, this, lens("focus"));
    connect(m_focal, &NumberField::entered, this, [this](double v) {
        m_session.document.apply({{"edit", "lens"}, {"focal", v}});
    });
    connect(m_angle, &NumberField::entered, this, [this](double v) {
        m_session.document.apply({{"edit", "lens"}, {"angle", v}});
    });
    for (NumberField* field : {m_focal, m_angle, m_fstop, m_focus})
        connect(field, &NumberField::misread, &m_session, &Session::problem);
    return bar;
}

void MainWindow::refreshHold() {
    const bool on = m_session.holdFraming();
    m_hold->setChecked(on);
    m_hold->setText(on ? tr("●  Hold framing") : tr("○  Hold framing"));
    m_holdMark->setText(tr("%1 ▾").arg(m_session.referenceMark() + 1));
    m_holdMark->setVisible(on && m_session.scene()->camera.marks.size() > 1);
}

}
