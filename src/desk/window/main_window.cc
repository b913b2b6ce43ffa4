#include "desk/window/main_window.h"
#include "desk/kit/settings.h"

#include "desk/cutting/cut_panel.h"
#include "desk/cutting/cut_view.h"
#include "desk/details/details_panel.h"
#include "desk/kit/elided_label.h"
#include "desk/kit/number_field.h"
#include "desk/kit/panel.h"
#include "desk/look/focus_keeper.h"
#include "desk/look/theme.h"
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/set/layer_list.h"
#include "desk/set/model_view.h"
#include "desk/time/curve_view.h"
#include "desk/time/findings.h"
#include "desk/time/marks_strip.h"
#include "desk/time/pace_view.h"
#include "desk/time/timeline.h"
#include "desk/window/start_page.h"
#include "edit/bring_in.h"
#include "media/content.h"
#include "motion/measure.h"
#include "optics/lens.h"
#include "output/write.h"

#include <QApplication>
#include <QComboBox>
#include <QFileSystemWatcher>
#include <QLabel>
#include <QMenuBar>
#include <QScreen>
#include <QSplitter>
#include <QStackedWidget>
#include <QStatusBar>
#include <QStyle>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

namespace stage::desk {
MainWindow::MainWindow(std::filesystem::path journals)
    : m_journals(std::move(journals)), m_session(m_journals) {
    setAcceptDrops(true);
    setMinimumSize(960, 600);

    m_session.sources().setBudget(
        static_cast<std::size_t>(settings().value(QStringLiteral("pictureMegabytes"), 0).toULongLong())
        << 20);
    m_camera = new CameraView(m_session); // the first: its picture is under way while the others follow
    m_marks = new MarksStrip(m_session);
    m_timeline = new Timeline(m_session);
    m_pace = new PaceView(m_session);
    auto* details = new DetailsPanel(m_session);

    auto* marksPanel = new Panel(tr("Marks"), tr("camera poses the move passes through"), m_marks);
    auto* setMark = new QToolButton;
    setMark->setObjectName(QStringLiteral("flat"));
    setMark->setIcon(theme::icon(QStringLiteral("plus")));
    setMark->setText(tr("Set mark"));
    setMark->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    setMark->setToolTip(tr("A mark at the playhead, with the pose shown (K)"));
    marksPanel->addControl(setMark);

    makeViews(marksPanel);

    auto* detailsPanel = new Panel(QString(), QString(), details);
    connect(details, &DetailsPanel::titleChanged, detailsPanel,
            [detailsPanel](const QString& title, const QString& note) {
                detailsPanel->setTitle(title);
                detailsPanel->setNote(note);
            });
    auto* pacePanel = new Panel(tr("Pace"), tr("draw it, or choose"), m_pace);

    auto* upper = new QSplitter(Qt::Horizontal);
    upper->addWidget(m_panes);
    auto* cutPanel = new CutPanel(m_session, *m_cut);
    auto* cutNumbers = new Panel(tr("Cut out"), QString(), cutPanel);
    connect(cutPanel, &CutPanel::titleChanged, cutNumbers,
            [cutNumbers](const QString& title, const QString& note) {
                cutNumbers->setTitle(title);
                cutNumbers->setNote(note);
            });
    m_numbers = new QStackedWidget;
    m_numbers->addWidget(detailsPanel);
    m_numbers->addWidget(cutNumbers);
    m_upper = upper;
    upper->addWidget(m_numbers);
    upper->setStretchFactor(0, 1);
    upper->setStretchFactor(1, 0);
    auto* lower = new QSplitter(Qt::Horizontal);
    lower->addWidget(m_timeline);
    lower->addWidget(pacePanel);
    lower->setStretchFactor(0, 1);
    lower->setStretchFactor(1, 0);
    auto* all = new QSplitter(Qt::Vertical);
    all->addWidget(upper);
    all->addWidget(lower);
    all->setStretchFactor(0, 1);
    all->setStretchFactor(1, 0);
    m_all = all;
    for (QSplitter* s : {upper, lower, all}) {
        s->setHandleWidth(8);
        s->setChildrenCollapsible(false);
    }
    upper->setSizes({1020, 244});
    lower->setSizes({1012, 244});
    all->setSizes({476, 216});

    auto* centre = new QWidget;
    auto* layout = new QVBoxLayout(centre);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(makeTopBar());
    auto* inset = new QWidget;
    auto* insetLayout = new QVBoxLayout(inset);
    insetLayout->setContentsMargins(8, 8, 8, 2);
    insetLayout->addWidget(all);
    layout->addWidget(inset, 1);
    setCentralWidget(centre);

    m_findings = new Findings(m_session, this);
    m_sheet = new FindingsSheet(m_session, *m_findings, this);
    m_timeline->setFindings(m_findings);
    m_timeline->setCache(&m_camera->cache());
    m_camera->setPlayBudget(
        static_cast<std::size_t>(settings().value(QStringLiteral("playMegabytes"), 512).toULongLong()) << 20);
    m_findingsButton = new QToolButton;
    m_findingsButton->setObjectName(QStringLiteral("findingsButton"));
    m_findingsButton->setFocusPolicy(Qt::TabFocus);
    m_state = new ElidedLabel;
    m_speed = new QLabel;
    m_cache = new QLabel;
    m_speed->setObjectName(QStringLiteral("dim"));
    m_cache->setObjectName(QStringLiteral("dim"));
    m_cache->setContentsMargins(24, 0, 0, 0);
    statusBar()->setSizeGripEnabled(false);
    statusBar()->setContentsMargins(10, 0, 10, 0);
    statusBar()->addWidget(m_state, 1);
    m_recoveryOff = new QLabel(tr("▲ Recovery is off"));
    m_recoveryOff->setObjectName(QStringLiteral("warning"));
    m_recoveryOff->hide();
    statusBar()->addPermanentWidget(m_recoveryOff);
    statusBar()->addPermanentWidget(m_findingsButton);
    statusBar()->addPermanentWidget(m_speed);
    statusBar()->addPermanentWidget(m_cache);

    explain();
    makeMenus();
    m_start = new StartPage(m_camera);
    connect(m_start, &StartPage::pictureAsked, this, &MainWindow::chooseFiles);
    connect(m_start, &StartPage::demoAsked, this, &MainWindow::openDemo);
    connect(m_start, &StartPage::sceneAsked, this, [this](const QString& file) {
        if (leave()) openFile(file.toStdString());
    });
    connect(&m_session.document, &Document::sceneChanged, this,
            [this] { m_start->offer(m_session.scene()->layers.empty()); });
    new FocusKeeper(this, {m_camera, m_plan, m_section, m_model, m_cut, m_curves, m_ladder, m_timeline});
    m_camera->setFocus();

    connect(setMark, &QToolButton::clicked, this, &MainWindow::setMark);
    connect(m_timeline, &Timeline::playingChanged, m_camera, &CameraView::setPlaying);
    connect(m_timeline, &Timeline::playingChanged, &m_session.playhead.beat(), &Beat::setPlaying);
    m_cacheTold.setSingleShot(true);
    m_cacheTold.setInterval(120); // frames come faster than is worth telling
    connect(m_camera, &CameraView::cacheChanged, this, [this] {
        if (!m_cacheTold.isActive()) m_cacheTold.start();
    });
    connect(&m_cacheTold, &QTimer::timeout, this, [this] {
        refreshStatus();
        m_timeline->update();
    });
    connect(m_findings, &Findings::changed, this, &MainWindow::refreshFindings);
    connect(m_findingsButton, &QToolButton::clicked, this,
            [this] { showFindings(m_findingsButton->mapToGlobal(QPoint(0, 0))); });
    connect(m_timeline, &Timeline::findingsAsked, this, &MainWindow::showFindings);
    connect(m_timeline, &Timeline::keyMenuAsked, this, &MainWindow::showKeyMenu);
    connect(m_timeline, &Timeline::layerMenuAsked, this, [this](const QPoint& at) { showLayerMenu(at); });
    connect(m_marks, &MarksStrip::menuAsked, this, &MainWindow::showMarkMenu);
    connect(m_curves, &CurveView::keyMenuAsked, this, &MainWindow::showKeyMenu);
    connect(m_camera, &CameraView::pictureRefined, this, [this] { refreshStatus(); });
    connect(&m_session.swatches(), &Swatches::loaded, this, [this] {
        for (QWidget* view : std::initializer_list<QWidget*>{m_plan, m_section, &m_ladder->rungs()})
            view->update();
    });
    connect(&m_session, &Session::problem, this, [this](const QString& sentence) { say(sentence, true); });
    connect(&m_session.document, &Document::sceneChanged, this, [this] {
        const V2i frame = m_session.scene()->output.frame;
        m_cameraPanel->setNote(tr("%1 × %2").arg(frame.x).arg(frame.y));
        refreshLens();
        refreshHold();
        refreshStatus();
        refreshTitle();
    });
    connect(&m_session.document, &Document::pathChanged, this, &MainWindow::refreshTitle);
    const auto recovery = [this] {
        const std::string& why = m_session.document.recoveryOff();
        m_recoveryOff->setVisible(!why.empty());
        m_recoveryOff->setToolTip(QString::fromStdString(why));
        if (!why.empty()) say(QString::fromStdString(why), true);
    };
    connect(&m_session.document, &Document::recoveryChanged, this, recovery);
    if (!m_session.document.recoveryOff().empty()) recovery();
    connect(&m_session.document, &Document::pathChanged, this, [this] {
        if (!m_session.document.path().empty()) remember(m_session.document.path());
    });
    connect(&m_session, &Session::holdChanged, this, &MainWindow::refreshHold);
    connect(&m_session.selection, &Selection::layersChanged, this, &MainWindow::refreshStatus);
    const auto numbers = [this] {
        refreshLens();
        refreshStatus();
    };
    m_session.playhead.beat().follow(this, Beat::Rank::Numbers, numbers);
    connect(&m_session.camera, &ShownCamera::changed, this, numbers);
    // Asks the disk, so not at every step of a drag.
    m_settled.setSingleShot(true);
    m_settled.setInterval(300);
    connect(&m_settled, &QTimer::timeout, this, &MainWindow::lookForMedia);
    m_watcher = new QFileSystemWatcher(this);
    connect(m_watcher, &QFileSystemWatcher::fileChanged, this, &MainWindow::mediaChanged);
    connect(&m_saveTimer, &QTimer::timeout, this, &MainWindow::autosave);
    m_saveTimer.start(30'000);
    connect(&m_session.document, &Document::sceneChanged, &m_settled, qOverload<>(&QTimer::start));
    m_sayOver.setSingleShot(true);
    connect(&m_sayOver, &QTimer::timeout, this, [this] {
        m_saying = false;
        refreshStatus();
    });
    Q_EMIT m_session.document.sceneChanged();
    refreshTitle();
    refreshHold();
    QSettings kept = settings();
    if (!restoreGeometry(kept.value(QStringLiteral("window/geometry")).toByteArray())) {
        // Within what the screen has room for, with the borders and title bar that a window manager adds.
        constexpr int borders = 16, titleBar = 48;
        const QSize room = screen()->availableSize();
        resize(std::min(1280, room.width() - borders), std::min(800, room.height() - titleBar));
    }
    m_upper->restoreState(kept.value(QStringLiteral("window/upper")).toByteArray());
    m_all->restoreState(kept.value(QStringLiteral("window/all")).toByteArray());
    m_panes->restore();
    m_ladder->setListing(kept.value(QStringLiteral("ladder/list"), false).toBool());
    m_plan->setFolded(kept.value(QStringLiteral("paper/folded"), true).toBool());
    m_section->setFolded(m_plan->folded());
    m_camera->setFocus();
}

/// What each panel is for, asked for by Shift+F1.
void MainWindow::explain() {
    const auto say = [](QWidget* widget, const QString& text) { widget->setWhatsThis(text); };
    say(m_camera,
        tr("<b>Camera</b><p>What the lens sees at the playhead. A click selects a layer, a drag works "
           "with the tool chosen above: <i>Move</i>, <i>Push</i>, <i>Turn</i> for layers, <i>Walk</i> "
           "for the camera. A moment after it stands still, the picture becomes the final one."));
    say(m_plan,
        tr("<b>Plan</b><p>The stage from above, with the camera at its foot and depth going up. Drag a "
           "bar to push its layer in depth. D folds what is far, so that near things have room."));
    say(m_section, tr("<b>Section</b><p>The stage from the side: depth goes to the right. Bars catch on the "
                      "ground."));
    say(m_ladder,
        tr("<b>Ladder</b><p>All layers by their depth. Drag a rung to push, double-click it to type a "
           "distance. L shows a list instead."));
    say(m_model, tr("<b>Model</b><p>The stage from outside. A drag turns it, the wheel zooms; arrows at a "
                    "selected layer push, turn and lean it."));
    say(m_curves, tr("<b>Curves</b><p>Properties over time: keys, with handles for how it goes between them, "
                     "links and noise."));
    say(m_cut, tr("<b>Cut out</b><p>The selected layer's own picture. Mattes say what stays of it; the media "
                  "themselves are never written to."));
    say(m_marks, tr("<b>Marks</b><p>Camera poses that the move passes through. K sets one at the playhead. A "
                    "right click offers more."));
    say(m_timeline, tr("<b>Timeline</b><p>The move and every layer over time. Drag marks and keys to other "
                       "times; Space plays, Home and End go to the ends."));
    say(m_pace, tr("<b>Pace</b><p>How fast the camera goes from one mark to the next. Draw it, or choose one "
                   "above. <i>Whole</i> is one pace over all marks."));
    say(m_hold,
        tr("<b>Hold framing</b><p>A layer pushed in depth is resized so that the mark sees it unchanged. "
           "Only where the camera moves do depths show."));
    say(m_findingsButton, tr("<b>Findings</b><p>What stands in the way of a believable move, each with what "
                             "would mend it."));
    say(m_numbers,
        tr("<b>Details</b><p>Numbers of what is selected. They take sums and units: 4m + 50cm. Enter "
           "gives the keys back to the view."));
}

void MainWindow::keepLayout() {
    setCutting(false);
    QSettings kept = settings();
    kept.setValue(QStringLiteral("window/geometry"), saveGeometry());
    kept.setValue(QStringLiteral("window/upper"), m_upper->saveState());
    kept.setValue(QStringLiteral("window/all"), m_all->saveState());
    kept.setValue(QStringLiteral("ladder/list"), m_ladder->listing());
    kept.setValue(QStringLiteral("paper/folded"), m_plan->folded());
    m_panes->keep();
}

void MainWindow::makeViews(QWidget* marks) {
    m_plan = new DraftView(m_session, DraftView::From::Above);
    m_section = new DraftView(m_session, DraftView::From::Side);
    m_model = new ModelView(m_session);
    m_ladder = new Ladder(m_session, *m_plan);
    m_cut = new CutView(m_session);
    const auto flat = [this](Panel* panel, const QString& text, const QString& tip, bool on, auto set) {
        auto* button = new QToolButton;
        button->setObjectName(QStringLiteral("flat"));
        button->setText(text);
        button->setToolTip(tip);
        button->setCheckable(true);
        button->setChecked(on);
        button->setFocusPolicy(Qt::NoFocus);
        connect(button, &QToolButton::toggled, this, set);
        panel->addControl(button);
        return button;
    };
    m_cameraPanel = new Panel(tr("Camera"), QString(), m_camera);
    flat(m_cameraPanel, tr("Thirds"), tr("Lines at the thirds of the frame"), true,
         [this](bool on) { m_camera->setThirds(on); });
    flat(m_cameraPanel, tr("Safe"), tr("5 and 10 percent inside the frame's edges"), false,
         [this](bool on) { m_camera->setSafe(on); });
    flat(m_cameraPanel, tr("Warn"),
         tr("Hatches what is brighter than white can be (vermilion) and where nothing covers the background "
            "(teal)"),
         false, [this](bool on) {
             m_camera->show({m_camera->exposure().stops, on});
         });
    auto* stops = new NumberField(scene::Measured::Plain, tr("stops"), 1, 0.5);
    stops->setObjectName(QStringLiteral("viewExposure"));
    stops->setFixedWidth(96);
    stops->setToolTip(tr("View exposure, in stops: only how it is shown here; nothing of the scene changes"));
    connect(stops, &NumberField::entered, this, [this, stops](double v) {
        const double kept = std::clamp(v, -12.0, 12.0);
        stops->setValue(kept);
        m_camera->show({kept, m_camera->exposure().warnings});
    });
    m_cameraPanel->addControl(stops);
    auto* both = new QWidget;
    auto* row = new QHBoxLayout(both);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    row->addWidget(m_ladder);
    row->addWidget(m_plan, 1);
    m_planPanel = new Panel(tr("Plan"), QString(), both);
    m_sectionPanel = new Panel(tr("Section"), QString(), m_section);
    const auto scaleNote = [this] {
        const QString scale = m_plan->folded() ? tr("far is folded") : tr("true depth");
        m_planPanel->setNote(tr("from above · %1").arg(scale));
        m_sectionPanel->setNote(tr("from the side · %1").arg(scale));
    };
    connect(m_plan, &DraftView::scaleChanged, this, scaleNote);
    scaleNote();
    auto* modelPanel = new Panel(tr("Model"), tr("drag turns it, wheel zooms"), m_model);
    m_curves = new CurveView(m_session);
    auto* curvesPanel = new Panel(tr("Curves"), QString(), m_curves);
    connect(m_curves, &CurveView::titleChanged, curvesPanel, &Panel::setNote);
    curvesPanel->setNote(tr("the camera"));
    const auto curveButton = [&](const QString& text, const QString& tip, const char* command) {
        auto* button = new QToolButton;
        button->setObjectName(QStringLiteral("flat"));
        button->setText(text);
        button->setToolTip(tip);
        button->setFocusPolicy(Qt::NoFocus);
        connect(button, &QToolButton::clicked, this, [this, command] {
            if (QAction* action = m_commands.find(QLatin1String(command))) action->trigger();
        });
        curvesPanel->addControl(button);
    };
    curveButton(tr("Key"), tr("A key of the property at the playhead"), "key-here");
    curveButton(tr("Link"), tr("Lets the property follow another"), "track-link");
    curveButton(tr("Noise"), tr("Puts sway, jitter or flicker on the property"), "track-noise");
    m_panes = new Panes(marks);
    m_panes->add(Panes::View::Camera, m_cameraPanel, tr("Camera"));
    m_panes->add(Panes::View::Plan, m_planPanel, tr("Plan"));
    m_panes->add(Panes::View::Section, m_sectionPanel, tr("Section"));
    m_panes->add(Panes::View::Model, modelPanel, tr("Model"));
    m_panes->add(Panes::View::Curves, curvesPanel, tr("Curves"));
    m_panes->add(Panes::View::CutOut, makeCutPanel(), tr("Cut out"));
    connect(m_panes, &Panes::changed, this, [this] {
        // The view that is cut in, its numbers and its tool come and go together.
        m_numbers->setCurrentIndex(cutting() ? 1 : 0);
        m_cutTool->setChecked(cutting());
        m_cutTool->setIcon(theme::icon(QStringLiteral("scissors"), cutting() ? theme::desk : theme::text));
    });
    for (DraftView* view : {m_plan, m_section})
        connect(view, &DraftView::menuAsked, this, [this](const QPoint& at) { showLayerMenu(at); });
    connect(m_model, &ModelView::menuAsked, this, [this](const QPoint& at) { showLayerMenu(at); });
    connect(m_ladder, &Ladder::menuAsked, this, [this](const QPoint& at) { showLayerMenu(at); });
    connect(m_camera, &CameraView::menuAsked, this,
            [this](const QPoint& at, const QPointF& place) { showLayerMenu(at, place); });
}

Panel* MainWindow::makeCutPanel() {
    auto* panel = new Panel(tr("Cut out"), QString(), m_cut);
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
    std::vector<std::pair<QToolButton*, const Entry*>> tools;
    for (const Entry& entry : entries) {
        auto* button = new QToolButton;
        button->setObjectName(QStringLiteral("flat"));
        button->setIcon(theme::icon(QString::fromLatin1(entry.icon)));
        button->setToolTip(tr(entry.tip));
        button->setAccessibleName(tr(entry.tip));
        button->setCheckable(true);
        button->setFocusPolicy(Qt::TabFocus);
        connect(button, &QToolButton::clicked, m_cut, [this, &entry] { m_cut->setTool(entry.tool); });
        panel->addControl(button);
        tools.emplace_back(button, &entry);
    }
    const auto refresh = [this, tools] {
        for (const auto& [button, entry] : tools) {
            button->setChecked(m_cut->tool() == entry->tool);
            button->setIcon(theme::icon(QString::fromLatin1(entry->icon),
                                        m_cut->tool() == entry->tool ? theme::brass : theme::text));
            button->setEnabled(!m_cut->splitting());
        }
    };
    connect(m_cut, &CutView::toolChanged, this, refresh);
    refresh();
    auto* show = new QComboBox;
    show->addItems({tr("Veil"), tr("Cut"), tr("Matte"), tr("Before")});
    show->setToolTip(
        tr("Veil: what goes is darkened. Cut: over nothing. Matte: alpha as grey. Before: uncut"));
    show->setAccessibleName(tr("What the cut-out view shows"));
    connect(show, &QComboBox::activated, m_cut,
            [this](int i) { m_cut->setShow(static_cast<CutView::Show>(i)); });
    connect(m_cut, &CutView::toolChanged, show,
            [this, show] { show->setCurrentIndex(static_cast<int>(m_cut->showing())); });
    panel->addControl(show);
    return panel;
}

void MainWindow::setCutting(bool on) {
    if (on == cutting()) return;
    if (on) {
        m_beforeCutting = m_panes->at(m_panes->count() - 1);
        m_panes->reveal(Panes::View::CutOut);
        m_cut->setFocus();
        return;
    }
    for (int pane = 0; pane < m_panes->count(); ++pane)
        if (m_panes->at(pane) == Panes::View::CutOut) m_panes->show(pane, m_beforeCutting);
}

bool MainWindow::cutting() const {
    return m_panes->shows(Panes::View::CutOut);
}

void MainWindow::togglePlay() {
    m_timeline->setPlaying(!m_timeline->playing());
}

MainWindow::~MainWindow() {
    // Before the session goes: an editor that is still open asks it even as it ends.
    qDeleteAll(findChildren<QWidget*>(Qt::FindDirectChildrenOnly));
}

// ---- read-outs

void MainWindow::refreshLens() {
    const scene::Scene& scene = *m_session.scene();
    const double focal = m_session.camera.pose().focal;
    m_focal->setValue(focal);
    m_angle->setValue(optics::angleOfView(focal, scene.camera.gate));
    m_fstop->setValue(m_session.camera.pose().fstop);
    m_focus->setValue(m_session.camera.pose().focus);
}

void MainWindow::refreshStatus() {
    const scene::Scene& scene = *m_session.scene();
    const QString how =
        m_camera->refined() ? tr("final") : tr("draft %1 ms").arg(m_camera->lastMilliseconds(), 0, 'f', 0);
    m_cache->setText(
        tr("%1 of %2 frames cached · %3").arg(m_camera->cache().count()).arg(scene.output.frames).arg(how));
    const scene::Pose pose = m_session.camera.pose();
    const optics::Sharpness sharp = optics::sharpnessOf(pose, scene.camera.gate, scene.output.frame);
    m_speed->setText(tr("Sharp %1 to %2 · hyperfocal %3 m · peak %4 m/s")
                         .arg(figure(sharp.near, 2),
                              std::isinf(sharp.far) ? QStringLiteral("∞") : figure(sharp.far, 2) + tr(" m"),
                              figure(sharp.hyperfocal, 2), figure(m_pace->peak(), 2)));
    m_speed->setToolTip(tr("Between these depths from the camera a point is blurred by at most %1 px")
                            .arg(figure(sharp.disc, 2)));
    if (m_saying) return;
    int layers = 0;
    scene::forEach(scene, [&](const auto&, const auto&) { ++layers; });
    m_state->setStyleSheet(QString());
    const scene::LayerPath& chosen = m_session.selection.layers().size() == 1
                                         ? m_session.now().find(m_session.selection.layers().front())
                                         : scene::LayerPath{};
    if (m_missing > 0)
        m_state->setText(tr("▲  %1 without media").arg(counted(m_missing, tr("layer"), tr("layers"))));
    else if (chosen.layer) {
        const motion::Measure m = motion::measureAt(m_session.now(), chosen);
        QString text =
            tr("●  %1 · %2 m · blur %3 px")
                .arg(QString::fromStdString(chosen.layer->name), figure(m.depth, 2), figure(m.blur, 1));
        if (m.enlargement > 1.005) text += tr(" · ▲ enlarged to %1 %").arg(figure(m.enlargement * 100, 0));
        m_state->setText(text);
    } else
        m_state->setText(
            layers == 0 ? tr("●  No layers yet")
                        : tr("●  %1, all media present").arg(counted(layers, tr("layer"), tr("layers"))));
}

void MainWindow::refreshFindings() {
    static const char* const believable[] = {
        QT_TR_NOOP("● believable by hand"), QT_TR_NOOP("● believable on a dolly"),
        QT_TR_NOOP("● believable on a crane"), QT_TR_NOOP("● believable by drone")};
    const checks::Report& report = m_findings->report();
    const auto count = static_cast<qint64>(report.findings.size());
    m_findingsButton->setText(count > 0    ? tr("▲ %1").arg(counted(count, tr("finding"), tr("findings")))
                              : report.rig ? tr(believable[static_cast<std::size_t>(*report.rig)])
                                           : tr("● nothing found"));
    m_findingsButton->setProperty("warns", count > 0);
    m_findingsButton->style()->unpolish(m_findingsButton);
    m_findingsButton->style()->polish(m_findingsButton);
    m_findingsButton->setToolTip(count > 0 ? QString::fromStdString(report.findings.front().sentence)
                                           : tr("At most %1 m/s, %2 m/s², %3 °/s")
                                                 .arg(figure(report.speed, 2), figure(report.acceleration, 2),
                                                      figure(report.turning, 1)));
}

void MainWindow::showFindings(const QPoint& global) {
    m_sheet->openAt(global);
}

void MainWindow::refreshTitle() {
    const QString name = m_session.document.path().empty()
                             ? tr("untitled")
                             : QString::fromStdString(m_session.document.path().stem().string());
    m_name->setText(m_session.document.modified() ? name + QStringLiteral(" ·") : name);
    m_name->setToolTip(m_session.document.modified() ? tr("Has changes that are not saved") : QString());
    setWindowTitle(tr("%1 — Open Stage").arg(name));
}

void MainWindow::say(const QString& sentence, bool problem) {
    m_saying = true;
    m_state->setText((problem ? QStringLiteral("▲  ") : QStringLiteral("●  ")) + sentence);
    m_state->setToolTip(sentence);
    m_state->setStyleSheet(problem ? QStringLiteral("color:#F0A58F") : QString());
    m_sayOver.start(problem ? 12000 : 4000);
}

}
