#include "desk/window/main_window.h"

#include "desk/camera/camera_view.h"
#include "desk/commands/camera_commands.h"
#include "desk/commands/layer_commands.h"
#include "desk/commands/scene_commands.h"
#include "desk/commands/time_commands.h"
#include "desk/commands/view_commands.h"
#include "desk/cutting/cut_view.h"
#include "desk/files/layer_clipboard.h"
#include "desk/files/media_files.h"
#include "desk/files/media_watch.h"
#include "desk/files/output_writer.h"
#include "desk/files/scene_files.h"
#include "desk/kit/panel.h"
#include "desk/kit/panes.h"
#include "desk/kit/settings.h"
#include "desk/look/focus_keeper.h"
#include "desk/look/theme.h"
#include "desk/session/findings.h"
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/set/model_view.h"
#include "desk/time/curve_view.h"
#include "desk/time/findings_sheet.h"
#include "desk/time/marks_strip.h"
#include "desk/time/timeline.h"
#include "desk/window/start_page.h"
#include "desk/window/status_line.h"
#include "desk/window/top_bar.h"
#include "desk/window/view_panels.h"

#include <QCloseEvent>
#include <QLabel>
#include <QMenuBar>
#include <QMimeData>
#include <QProcess>
#include <QScreen>
#include <QSplitter>
#include <QVBoxLayout>

namespace stage::desk {
namespace {

std::size_t megabytes(const char* name, int otherwise) {
    return static_cast<std::size_t>(settings().value(QLatin1String(name), otherwise).toULongLong()) << 20;
}

}

MainWindow::MainWindow(std::filesystem::path journals)
    : m_session(journals), m_scenes(new SceneFiles(this, m_session, journals)),
      m_media(new MediaFiles(this, m_session)),
      m_clipboard(new LayerClipboard(m_session, *m_media, journals / "pasted")),
      m_writer(new OutputWriter(this, m_session)) {
    const theme::WithoutStyleSheet made;
    setAcceptDrops(true);
    setMinimumSize(960, 600);
    m_session.sources().setBudget(megabytes("pictureMegabytes", 0));
    m_panels = new ViewPanels(m_session, m_commands, this);
    views().camera->picture().setPlayBudget(megabytes("playMegabytes", 512));
    m_findings = new Findings(m_session, this);
    m_sheet = new FindingsSheet(m_session, *m_findings, this);
    views().timeline->setFindings(m_findings);
    views().camera->setFindings(m_findings);
    views().plan->setFindings(m_findings);
    views().section->setFindings(m_findings);
    const auto* watch = new MediaWatch(this, m_session, *m_media);
    connect(watch, &MediaWatch::looked, this,
            [this, watch] { views().camera->setMissing(watch->missing()); });
    m_status = new StatusLine(statusBar(), m_session, views(), *m_findings, *watch);
    statusBar()->insertPermanentWidget(1, m_writer->button());
    connect(m_status, &StatusLine::findingsAsked, m_sheet, &FindingsSheet::openAt);
    connect(views().timeline, &Timeline::findingsAsked, m_sheet, &FindingsSheet::openAt);

    makeMenus();
    makeSceneName();
    layOut();
    makeStartPage();
    Q_EMIT m_session.document.sceneChanged();
    restoreLayout();
    new FocusKeeper(this, {views().camera, views().plan, views().section, views().model, views().cut,
                           views().curves, views().ladder, views().timeline});
    views().camera->setFocus();
}

MainWindow::~MainWindow() {
    // Before the session goes: an editor that is still open asks it even as it ends.
    qDeleteAll(findChildren<QWidget*>(Qt::FindDirectChildrenOnly));
}

const Views& MainWindow::views() const {
    return m_panels->views();
}

void MainWindow::makeMenus() {
    const CommandContext context{this, m_session, m_commands, views()};
    const auto menu = [this](const QString& title) { return menuBar()->addMenu(title); };
    new SceneCommands(context, menu(tr("Scene")), *m_scenes, *m_media);
    new EditCommands(context, menu(tr("Edit")), *m_clipboard);
    m_layerCommands = new LayerCommands(context, menu(tr("Layer")), *m_media);
    m_cameraCommands = new CameraCommands(context, menu(tr("Camera")));
    m_timeCommands = new TimeCommands(context, menu(tr("Time")));
    new ViewCommands(context, menu(tr("View")), [this](bool on) { m_status->showTimes(on); });
    new CheckCommands(context, menu(tr("Check")), *m_findings, [this] { m_status->askForFindings(); });
    new OutputCommands(context, menu(tr("Output")), *m_writer);
    new HelpCommands(context, menu(tr("Help")), *m_scenes);

    const auto showLayerMenu = [this](const QPoint& at) { m_layerCommands->showMenu(at); };
    for (DraftView* view : {views().plan, views().section})
        connect(view, &DraftView::menuAsked, this, showLayerMenu);
    connect(views().model, &ModelView::menuAsked, this, showLayerMenu);
    connect(views().ladder, &Ladder::menuAsked, this, showLayerMenu);
    connect(views().timeline, &Timeline::layerMenuAsked, this, showLayerMenu);
    connect(views().camera, &CameraView::menuAsked, m_layerCommands,
            [this](const QPoint& at, const QPointF& place) { m_layerCommands->showMenu(at, place); });
    connect(views().timeline, &Timeline::keyMenuAsked, m_timeCommands, &TimeCommands::showKeyMenu);
    connect(views().curves, &CurveView::keyMenuAsked, m_timeCommands, &TimeCommands::showKeyMenu);
    connect(views().marks, &MarksStrip::menuAsked, m_cameraCommands, &CameraCommands::showMarkMenu);
}

// ---- title

void MainWindow::makeSceneName() {
    m_name = new QLabel;
    m_name->setObjectName(QStringLiteral("dim"));
    m_name->setContentsMargins(0, 7, 14, 0);
    m_name->setMinimumWidth(220);
    m_name->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    menuBar()->setCornerWidget(m_name);
    connect(&m_session.document, &Document::sceneChanged, this, &MainWindow::refreshTitle);
    connect(&m_session.document, &Document::pathChanged, this, &MainWindow::refreshTitle);
    refreshTitle();
}

void MainWindow::refreshTitle() {
    const QString name = m_session.document.path().empty()
                             ? tr("untitled")
                             : QString::fromStdString(m_session.document.path().stem().string());
    m_name->setText(m_session.document.modified() ? name + QStringLiteral(" ·") : name);
    m_name->setToolTip(m_session.document.modified() ? tr("Has changes that are not saved") : QString());
    setWindowTitle(tr("%1 — Open Stage").arg(name));
}

// ---- layout

void MainWindow::layOut() {
    const auto splitter = [](Qt::Orientation direction, QWidget* first, QWidget* second,
                             const QList<int>& sizes) {
        auto* both = new QSplitter(direction);
        both->addWidget(first);
        both->addWidget(second);
        both->setStretchFactor(0, 1);
        both->setStretchFactor(1, 0);
        both->setHandleWidth(8);
        both->setChildrenCollapsible(false);
        both->setSizes(sizes);
        return both;
    };
    m_upper = splitter(Qt::Horizontal, views().panes, m_panels->numbers(), {1020, 244});
    auto* lower = splitter(Qt::Horizontal, views().timeline, m_panels->pacePanel(), {1012, 244});
    m_all = splitter(Qt::Vertical, m_upper, lower, {476, 216});
    auto* inset = new QWidget;
    auto* insetLayout = new QVBoxLayout(inset);
    insetLayout->setContentsMargins(8, 8, 8, 2);
    insetLayout->addWidget(m_all);
    auto* centre = new QWidget;
    auto* layout = new QVBoxLayout(centre);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(new TopBar(m_session, views(), m_commands));
    layout->addWidget(inset, 1);
    setCentralWidget(centre);
}

void MainWindow::makeStartPage() {
    auto* start = new StartPage(views().camera);
    connect(start, &StartPage::pictureAsked, m_media, &MediaFiles::choose);
    connect(start, &StartPage::demoAsked, m_scenes, &SceneFiles::openDemo);
    connect(start, &StartPage::sceneAsked, m_scenes, &SceneFiles::openAfterLeaving);
    const auto offer = [this, start] {
        start->offer(m_session.scene()->layers.empty() && !m_scenes->opening());
    };
    connect(&m_session.document, &Document::sceneChanged, start, offer);
    connect(m_scenes, &SceneFiles::openingChanged, start, offer);
}

void MainWindow::restoreLayout() {
    QSettings kept = settings();
    if (!restoreGeometry(kept.value(QStringLiteral("window/geometry")).toByteArray())) {
        // Within what the screen has room for, with the borders and title bar that a window manager adds.
        constexpr int borders = 16, titleBar = 48;
        const QSize room = screen()->availableSize();
        resize(std::min(1280, room.width() - borders), std::min(800, room.height() - titleBar));
    }
    m_upper->restoreState(kept.value(QStringLiteral("window/upper")).toByteArray());
    m_all->restoreState(kept.value(QStringLiteral("window/all")).toByteArray());
    views().panes->restore();
    views().ladder->setListing(kept.value(QStringLiteral("ladder/list"), false).toBool());
    views().setFolded(kept.value(QStringLiteral("paper/folded"), true).toBool());
}

void MainWindow::keepLayout() {
    views().setCutting(false);
    QSettings kept = settings();
    kept.setValue(QStringLiteral("window/geometry"), saveGeometry());
    kept.setValue(QStringLiteral("window/upper"), m_upper->saveState());
    kept.setValue(QStringLiteral("window/all"), m_all->saveState());
    kept.setValue(QStringLiteral("ladder/list"), views().ladder->listing());
    kept.setValue(QStringLiteral("paper/folded"), views().plan->folded());
    views().panes->keep();
}

// ---- events

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!m_scenes->leave()) return event->ignore();
    keepLayout();
    m_session.document.close();
    event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    std::vector<std::filesystem::path> files;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) files.emplace_back(url.toLocalFile().toStdString());
    event->acceptProposedAction();
    take(files);
}

void MainWindow::take(const std::vector<std::filesystem::path>& files) {
    std::vector<std::filesystem::path> media;
    QStringList scenes;
    for (const auto& file : files)
        if (file.extension() == ".ostage")
            scenes << QString::fromStdString(file.string());
        else
            media.push_back(file);
    if (!scenes.isEmpty()) m_scenes->openAfterLeaving(scenes.takeFirst());
    for (const QString& scene : std::as_const(scenes)) // a window shows one
        QProcess::startDetached(QCoreApplication::applicationFilePath(),
                                {QStringLiteral("--separate"), scene});
    if (!media.empty()) m_media->offer(media);
}

}
