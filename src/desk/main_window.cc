#include "desk/main_window.h"

#include "desk/background.h"
#include "desk/details_panel.h"
#include "desk/dialogs.h"
#include "desk/marks_strip.h"
#include "desk/number_field.h"
#include "desk/pace_view.h"
#include "desk/panel.h"
#include "desk/plan_view.h"
#include "desk/theme.h"
#include "desk/timeline.h"
#include "edit/bring_in.h"
#include "optics/lens.h"
#include "output/write.h"

#include <QActionGroup>
#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QInputDialog>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QShortcut>
#include <QSplitter>
#include <QStatusBar>
#include <QToolButton>
#include <QVBoxLayout>

namespace stage::desk {
namespace {

struct Gate {
    const char* name;
    double width;
};
// Widths of what common cameras expose, by format.
constexpr Gate gates[] = {{"36.0 mm  full frame", 36},
                          {"24.9 mm  35 mm film", 24.89},
                          {"23.5 mm  half frame", 23.5},
                          {"12.5 mm  16 mm film", 12.52},
                          {"54.1 mm  65 mm film", 54.12}};

enum class Recovery { Recover, GiveUp, Later };

Recovery askRecovery(QWidget* parent, const QString& what) {
    QMessageBox box(QMessageBox::NoIcon, QObject::tr("Recover work"), what, QMessageBox::NoButton, parent);
    const auto* recover = box.addButton(QObject::tr("Recover"), QMessageBox::AcceptRole);
    const auto* giveUp = box.addButton(QObject::tr("Give it up"), QMessageBox::DestructiveRole);
    box.addButton(QObject::tr("Ask me later"), QMessageBox::RejectRole);
    box.exec();
    return box.clickedButton() == recover  ? Recovery::Recover
           : box.clickedButton() == giveUp ? Recovery::GiveUp
                                           : Recovery::Later;
}

QString sceneFilter() {
    return QObject::tr("Scenes (*.ostage)");
}

}

MainWindow::MainWindow(std::filesystem::path journals)
    : m_journals(std::move(journals)), m_session(m_journals) {
    setAcceptDrops(true);
    setMinimumSize(960, 600);
    resize(1280, 800);

    m_camera = new CameraView(m_session);
    m_plan = new PlanView(m_session);
    m_marks = new MarksStrip(m_session);
    m_timeline = new Timeline(m_session);
    m_pace = new PaceView(m_session);
    auto* details = new DetailsPanel(m_session);

    auto* cameraPanel = new Panel(tr("Camera"), QString(), m_camera);
    auto* flag = [&](const QString& text, bool on, auto set) {
        auto* b = new QToolButton;
        b->setObjectName(QStringLiteral("flat"));
        b->setText(text);
        b->setCheckable(true);
        b->setChecked(on);
        b->setFocusPolicy(Qt::NoFocus);
        connect(b, &QToolButton::toggled, m_camera, set);
        return b;
    }(tr("Thirds"), true, &CameraView::setThirds);
    cameraPanel->addControl(flag);
    auto* safe = new QToolButton;
    safe->setObjectName(QStringLiteral("flat"));
    safe->setText(tr("Safe"));
    safe->setCheckable(true);
    safe->setFocusPolicy(Qt::NoFocus);
    connect(safe, &QToolButton::toggled, m_camera, &CameraView::setSafe);
    cameraPanel->addControl(safe);

    auto* marksPanel = new Panel(tr("Marks"), tr("camera poses the move passes through"), m_marks);
    auto* setMark = new QToolButton;
    setMark->setObjectName(QStringLiteral("flat"));
    setMark->setIcon(theme::icon(QStringLiteral("plus")));
    setMark->setText(tr("Set mark"));
    setMark->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    setMark->setToolTip(tr("A mark at the playhead, with the pose shown (K)"));
    marksPanel->addControl(setMark);

    auto* planPanel = new Panel(tr("Plan"), tr("from above · far is folded"), m_plan);
    auto* detailsPanel = new Panel(QString(), QString(), details);
    connect(details, &DetailsPanel::titleChanged, detailsPanel,
            [detailsPanel](const QString& title, const QString& note) {
                detailsPanel->setTitle(title);
                detailsPanel->setNote(note);
            });
    auto* pacePanel = new Panel(tr("Pace"), tr("speed along the move"), m_pace);

    auto* left = new QSplitter(Qt::Vertical);
    left->addWidget(cameraPanel);
    left->addWidget(marksPanel);
    left->setStretchFactor(0, 1);
    left->setStretchFactor(1, 0);
    auto* upper = new QSplitter(Qt::Horizontal);
    upper->addWidget(left);
    upper->addWidget(planPanel);
    upper->addWidget(detailsPanel);
    upper->setStretchFactor(0, 3);
    upper->setStretchFactor(1, 2);
    upper->setStretchFactor(2, 0);
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
    for (QSplitter* s : {left, upper, lower, all}) {
        s->setHandleWidth(8);
        s->setChildrenCollapsible(false);
    }
    upper->setSizes({600, 412, 244});
    lower->setSizes({1012, 244});
    all->setSizes({476, 216});
    left->setSizes({366, 104});

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

    m_state = new QLabel;
    m_speed = new QLabel;
    m_cache = new QLabel;
    m_speed->setObjectName(QStringLiteral("dim"));
    m_cache->setObjectName(QStringLiteral("dim"));
    m_cache->setContentsMargins(24, 0, 0, 0);
    statusBar()->setSizeGripEnabled(false);
    statusBar()->setContentsMargins(10, 0, 10, 0);
    statusBar()->addWidget(m_state, 1);
    statusBar()->addPermanentWidget(m_speed);
    statusBar()->addPermanentWidget(m_cache);

    makeMenus();

    const auto mark = [this] {
        if (m_session.offMove() && m_session.offMove()->time == m_session.time())
            m_session.setMarkOffMove();
        else
            m_session.apply(edit::setMark(m_session.time(), m_session.pose()));
    };
    connect(setMark, &QToolButton::clicked, this, mark);
    connect(m_timeline, &Timeline::playingChanged, m_camera, &CameraView::setPlaying);
    connect(m_camera, &CameraView::cacheChanged, this, [this] {
        refreshStatus();
        if (!m_timeline->playing())
            m_plan->update(), m_timeline->update(); // swatches that have just been loaded
    });
    connect(&m_session, &Session::problem, this, [this](const QString& sentence) { say(sentence, true); });
    connect(&m_session, &Session::sceneChanged, this, [this, cameraPanel] {
        const V2i frame = m_session.scene()->output.frame;
        cameraPanel->setNote(tr("%1 × %2 · what the audience sees").arg(frame.x).arg(frame.y));
        refreshLens();
        refreshStatus();
        refreshTitle();
    });
    connect(&m_session, &Session::documentChanged, this, &MainWindow::refreshTitle);
    connect(&m_session, &Session::frameChanged, this, &MainWindow::refreshLens);
    connect(&m_session, &Session::cameraChanged, this, &MainWindow::refreshLens);
    m_sayOver.setSingleShot(true);
    connect(&m_sayOver, &QTimer::timeout, this, [this] {
        m_saying = false;
        refreshStatus();
    });
    Q_EMIT m_session.sceneChanged();
    refreshTitle();
    m_camera->setFocus();
}

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
        b->setFocusPolicy(Qt::TabFocus);
        row->addWidget(b);
        return b;
    };
    auto* bring =
        button(QStringLiteral("folder-open"), tr("Bring in"),
               tr("Bring in layered pictures, pictures or footage (Ctrl+I); or drop them on the window"));
    auto* text = button(QStringLiteral("type"), tr("Text"), tr("A new text layer"));
    row->addSpacing(14);
    m_moveTool =
        button(QStringLiteral("move"), tr("Move"), tr("Select layers and slide them in their plane (M)"));
    m_pushTool = button(QStringLiteral("arrow-up-from-line"), tr("Push"),
                        tr("Drag a layer up or down to push it in depth (P)"));
    m_walkTool = button(QStringLiteral("footprints"), tr("Walk camera"),
                        tr("Drag: pan and tilt. Shift and drag: truck and pedestal. Wheel: dolly (W)"));
    for (QToolButton* tool : {m_moveTool, m_pushTool, m_walkTool})
        tool->setCheckable(true);
    row->addSpacing(14);
    m_hold = new QToolButton;
    m_hold->setObjectName(QStringLiteral("holdFraming"));
    m_hold->setCheckable(true);
    m_hold->setChecked(true);
    m_hold->setText(tr("●  Hold framing"));
    m_hold->setToolTip(tr("On: a layer pushed in depth is resized so that the first mark sees it unchanged. "
                          "Off: it keeps its size in metres (H)"));
    row->addWidget(m_hold);
    row->addStretch();

    const auto label = [row](const QString& name) {
        auto* l = new QLabel(name);
        l->setObjectName(QStringLiteral("dim"));
        row->addWidget(l);
    };
    label(tr("Lens"));
    m_focal = new NumberField(scene::Measured::Focal, QStringLiteral("mm"), 1, 1);
    m_focal->setFixedWidth(84);
    m_focal->setToolTip(tr("Focal length of the whole move, in mm"));
    m_focal->setAccessibleName(tr("Focal length"));
    row->addWidget(m_focal);
    m_angle = new NumberField(scene::Measured::Angle, QStringLiteral("°"), 1, 1);
    m_angle->setFixedWidth(70);
    m_angle->setToolTip(tr("The same as an angle of view across, in degrees"));
    m_angle->setAccessibleName(tr("Angle of view"));
    row->addWidget(m_angle);
    label(tr("Gate"));
    m_gate = new QComboBox;
    m_gate->setEditable(true);
    m_gate->setInsertPolicy(QComboBox::NoInsert);
    for (const Gate& gate : gates)
        m_gate->addItem(tr(gate.name), gate.width);
    m_gate->setFixedWidth(158);
    m_gate->setToolTip(tr("Width of what the lens exposes, in mm; choose or type"));
    m_gate->setAccessibleName(tr("Gate"));
    row->addWidget(m_gate);

    connect(bring, &QToolButton::clicked, this, [this] {
        const QStringList files = QFileDialog::getOpenFileNames(
            this, tr("Bring in"), {},
            tr("Pictures, layered files and footage (*.ora *.png *.jpg *.jpeg *.tif *.tiff *.webp *.exr "
               "*.mp4 *.mov *.mkv *.webm *.avi);;All files (*)"));
        std::vector<std::filesystem::path> paths;
        for (const QString& file : files)
            paths.emplace_back(file.toStdString());
        if (!paths.empty()) bringIn(paths);
    });
    bring->setShortcut(QKeySequence(QStringLiteral("Ctrl+I")));
    connect(text, &QToolButton::clicked, this, [this] {
        if (const auto edit = askText(this)) m_session.apply(*edit);
    });
    const auto choose = [this](CameraView::Tool tool) { m_camera->setTool(tool); };
    connect(m_moveTool, &QToolButton::clicked, this, [choose] { choose(CameraView::Tool::Move); });
    connect(m_pushTool, &QToolButton::clicked, this, [choose] { choose(CameraView::Tool::Push); });
    connect(m_walkTool, &QToolButton::clicked, this, [choose] { choose(CameraView::Tool::Walk); });
    const auto refreshTools = [this] {
        m_moveTool->setChecked(m_camera->tool() == CameraView::Tool::Move);
        m_pushTool->setChecked(m_camera->tool() == CameraView::Tool::Push);
        m_walkTool->setChecked(m_camera->tool() == CameraView::Tool::Walk);
        for (QToolButton* tool : {m_moveTool, m_pushTool, m_walkTool}) {
            const QString name = tool == m_moveTool   ? QStringLiteral("move")
                                 : tool == m_pushTool ? QStringLiteral("arrow-up-from-line")
                                                      : QStringLiteral("footprints");
            tool->setIcon(theme::icon(name, tool->isChecked() ? theme::desk : theme::text));
        }
    };
    connect(m_camera, &CameraView::toolChanged, this, refreshTools);
    for (QToolButton* tool : {m_moveTool, m_pushTool, m_walkTool})
        connect(tool, &QToolButton::clicked, this, refreshTools);
    refreshTools();
    connect(m_hold, &QToolButton::toggled, this, [this](bool on) {
        m_session.setHoldFraming(on);
        m_hold->setText(on ? tr("●  Hold framing") : tr("○  Hold framing"));
    });
    connect(m_focal, &NumberField::entered, this, [this](double v) {
        m_session.apply({{"edit", "lens"}, {"focal", v}});
    });
    connect(m_angle, &NumberField::entered, this, [this](double v) {
        m_session.apply({{"edit", "lens"}, {"angle", v}});
    });
    for (NumberField* field : {m_focal, m_angle})
        connect(field, &NumberField::misread, &m_session, &Session::problem);
    connect(m_gate, &QComboBox::activated, this, [this](int i) {
        m_session.apply({{"edit", "lens"}, {"gate", m_gate->itemData(i).toDouble()}});
    });
    connect(m_gate->lineEdit(), &QLineEdit::returnPressed, this, [this] {
        const auto width = scene::quantity(
            m_gate->currentText().section(QStringLiteral("  "), 0, 0).toStdString(), scene::Measured::Focal);
        if (width)
            m_session.apply({{"edit", "lens"}, {"gate", *width}});
        else
            say(QString::fromStdString(width.error().sentence), true);
        refreshLens();
    });
    return bar;
}

void MainWindow::makeMenus() {
    const auto add = [this](QMenu* menu, const QString& text, const QKeySequence& keys, auto run) {
        QAction* action = menu->addAction(text, this, run);
        action->setShortcut(keys);
        return action;
    };
    QMenu* scene = menuBar()->addMenu(tr("Scene"));
    add(scene, tr("New"), QKeySequence::New, [this] {
        if (leave()) m_session.newScene();
    });
    add(scene, tr("Open…"), QKeySequence::Open, [this] {
        if (!leave()) return;
        const QString file = QFileDialog::getOpenFileName(this, tr("Open a scene"), {}, sceneFilter());
        if (!file.isEmpty()) openFile(file.toStdString());
    });
    add(scene, tr("Save"), QKeySequence::Save, [this] { save(); });
    add(scene, tr("Save as…"), QKeySequence::SaveAs, [this] { saveAs(); });
    scene->addSeparator();
    add(scene, tr("Settings…"), QKeySequence(QStringLiteral("Ctrl+,")), [this] {
        if (const auto edit = askSettings(this, *m_session.scene())) m_session.apply(*edit);
    });
    scene->addSeparator();
    add(scene, tr("Quit"), QKeySequence::Quit, [this] { close(); });

    QMenu* edit = menuBar()->addMenu(tr("Edit"));
    QAction* undo = add(edit, tr("Undo"), QKeySequence::Undo, [this] { m_session.undo(); });
    QAction* redo = add(edit, tr("Redo"), QKeySequence::Redo, [this] { m_session.redo(); });
    const auto refreshUndo = [this, undo, redo] {
        const auto& history = m_session.history();
        undo->setEnabled(history.canUndo());
        redo->setEnabled(history.canRedo());
        undo->setText(history.canUndo() ? tr("Undo: %1").arg(QString::fromStdString(history.undoName()))
                                        : tr("Undo"));
        redo->setText(history.canRedo() ? tr("Redo: %1").arg(QString::fromStdString(history.redoName()))
                                        : tr("Redo"));
    };
    connect(&m_session, &Session::sceneChanged, this, refreshUndo);
    edit->addSeparator();
    add(edit, tr("Select all layers"), QKeySequence::SelectAll, [this] {
        std::vector<std::int64_t> all;
        for (const scene::LayerPtr& layer : m_session.scene()->layers)
            all.push_back(layer->id);
        m_session.select(std::move(all));
    });
    add(edit, tr("Select nothing"), QKeySequence(QStringLiteral("Ctrl+Shift+A")),
        [this] { m_session.select({}); });

    QMenu* layer = menuBar()->addMenu(tr("Layer"));
    const auto withSelection = [this](auto run) {
        return [this, run] {
            if (m_session.selection().empty())
                say(tr("Select a layer first."));
            else
                run();
        };
    };
    add(layer, tr("Rename…"), QKeySequence(QStringLiteral("F2")), withSelection([this] {
            const auto found = m_session.selected();
            if (!found.layer) return;
            bool ok = false;
            const QString name = QInputDialog::getText(this, tr("Rename"), tr("Name"), QLineEdit::Normal,
                                                       QString::fromStdString(found.layer->name), &ok);
            if (ok)
                m_session.apply(
                    {{"edit", "rename"}, {"layer", found.layer->id}, {"name", name.toStdString()}});
        }));
    add(layer, tr("Show or hide"), QKeySequence(QStringLiteral("V")), withSelection([this] {
            bool anyVisible = false;
            for (const std::int64_t id : m_session.selection())
                anyVisible = anyVisible || scene::find(*m_session.scene(), id).layer->visible;
            m_session.apply({{"edit", "look"}, {"layers", m_session.selection()}, {"visible", !anyVisible}});
        }));
    add(layer, tr("Remove"), QKeySequence::Delete, withSelection([this] {
            m_session.apply({{"edit", "remove"}, {"layers", m_session.selection()}});
        }));

    QMenu* camera = menuBar()->addMenu(tr("Camera"));
    add(camera, tr("Set mark"), QKeySequence(QStringLiteral("K")), [this] {
        if (m_session.offMove() && m_session.offMove()->time == m_session.time())
            m_session.setMarkOffMove();
        else
            m_session.apply(edit::setMark(m_session.time(), m_session.pose()));
    });
    add(camera, tr("Remove this mark"), QKeySequence(QStringLiteral("Shift+Del")), [this] {
        if (const int mark = m_session.markHere(); mark >= 0)
            m_session.apply({{"edit", "remove-mark"}, {"mark", mark + 1}});
        else
            say(tr("The playhead stands on no mark."));
    });
    add(camera, tr("Go back to the move"), QKeySequence(QStringLiteral("Ctrl+B")),
        [this] { m_session.backToMove(); });
    camera->addSeparator();
    add(camera, tr("Move tool"), QKeySequence(QStringLiteral("M")),
        [this] { m_camera->setTool(CameraView::Tool::Move); });
    add(camera, tr("Push tool"), QKeySequence(QStringLiteral("P")),
        [this] { m_camera->setTool(CameraView::Tool::Push); });
    add(camera, tr("Walk camera"), QKeySequence(QStringLiteral("W")), [this] {
        m_camera->setTool(CameraView::Tool::Walk);
        m_camera->setFocus();
    });
    add(camera, tr("Hold framing"), QKeySequence(QStringLiteral("H")), [this] { m_hold->toggle(); });

    QMenu* view = menuBar()->addMenu(tr("View"));
    add(view, tr("Play or stop"), QKeySequence(QStringLiteral("Space")), [this] { togglePlay(); });
    const auto step = [this](std::int64_t by) {
        return [this, by] {
            m_timeline->setPlaying(false);
            m_session.setFrame(m_session.frame() + by);
        };
    };
    add(view, tr("Next frame"), QKeySequence(QStringLiteral(".")), step(1));
    add(view, tr("Previous frame"), QKeySequence(QStringLiteral(",")), step(-1));
    add(view, tr("First frame"), QKeySequence(QStringLiteral("Home")), step(-Rational(1'000'000'000).num()));
    add(view, tr("Last frame"), QKeySequence(QStringLiteral("End")), step(1'000'000'000));

    QMenu* output = menuBar()->addMenu(tr("Output"));
    add(output, tr("Write movie or pictures…"), QKeySequence(QStringLiteral("Ctrl+R")), [this] {
        m_timeline->setPlaying(false);
        if (const auto job = askOutput(this, *m_session.scene(), m_session.document())) write(*job);
    });

    QMenu* help = menuBar()->addMenu(tr("Help"));
    help->addAction(tr("About Open Stage"), this, [this] {
        QMessageBox::about(this, tr("About Open Stage"),
                           tr("<b>Open Stage 0.1</b><p>Stages pictures at measured depths and moves a camera "
                              "through them.<p>Licence: GPL-3.0-or-later."));
    });

    m_name = new QLabel;
    m_name->setObjectName(QStringLiteral("dim"));
    m_name->setContentsMargins(0, 7, 14, 0);
    m_name->setMinimumWidth(220);
    m_name->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    menuBar()->setCornerWidget(m_name);
}

void MainWindow::togglePlay() {
    m_timeline->setPlaying(!m_timeline->playing());
}

// ---- files

bool MainWindow::openFile(const std::filesystem::path& path) {
    if (auto recovered = edit::recover(edit::journalOf(path))) {
        const QString count = counted(static_cast<qint64>(recovered->steps), tr("edit"), tr("edits"));
        const Recovery answer =
            askRecovery(this, tr("%1 was not saved when the program ended: %2 can be recovered.")
                                  .arg(QString::fromStdString(path.filename().string()), count));
        if (answer == Recovery::Later) return false;
        if (answer == Recovery::Recover) {
            if (!recovered->problem.empty())
                say(QString::fromStdString("Recovered up to a damaged edit: " + recovered->problem), true);
            m_session.adopt(std::move(*recovered));
            return true;
        }
    }
    const auto opened = m_session.open(path);
    if (!opened) {
        say(QString::fromStdString(opened.error().sentence), true);
        return false;
    }
    return true;
}

void MainWindow::offerRecovery() {
    std::error_code code;
    for (const auto& entry : std::filesystem::directory_iterator(m_journals, code)) {
        if (!entry.path().filename().string().starts_with("untitled-")) continue;
        auto recovered = edit::recover(entry.path());
        if (!recovered) continue;
        const QString count = counted(static_cast<qint64>(recovered->steps), tr("edit"), tr("edits"));
        const Recovery answer = askRecovery(
            this,
            tr("A scene without a file was being worked on when the program ended: %1 can be recovered.")
                .arg(count));
        if (answer == Recovery::Recover) m_session.adopt(std::move(*recovered));
        if (answer != Recovery::Later) std::filesystem::remove(entry.path(), code);
        if (answer == Recovery::Recover) return;
    }
}

bool MainWindow::saveAs() {
    QString file = QFileDialog::getSaveFileName(
        this, tr("Save the scene"), QString::fromStdString(m_session.document().string()), sceneFilter());
    if (file.isEmpty()) return false;
    if (!file.endsWith(QStringLiteral(".ostage"))) file += QStringLiteral(".ostage");
    const auto saved = m_session.save(file.toStdString());
    if (!saved) QMessageBox::warning(this, tr("Not saved"), QString::fromStdString(saved.error().sentence));
    return saved.has_value();
}

bool MainWindow::save() {
    if (m_session.document().empty()) return saveAs();
    const auto saved = m_session.save(m_session.document());
    if (!saved)
        QMessageBox::warning(this, tr("Not saved"), QString::fromStdString(saved.error().sentence));
    else
        say(tr("Saved."));
    return saved.has_value();
}

bool MainWindow::leave() {
    if (!m_session.modified()) return true;
    const auto answer =
        QMessageBox::question(this, tr("Unsaved changes"), tr("The scene has changes that are not saved."),
                              QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel);
    if (answer == QMessageBox::Save) return save();
    return answer == QMessageBox::Discard;
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!leave()) return event->ignore();
    m_session.close();
    event->accept();
}

void MainWindow::bringIn(const std::vector<std::filesystem::path>& files) {
    inBackground<edit::Edit>(
        this, tr("Bringing in"),
        [scene = m_session.scene(), files](const Progress& progress) {
            return edit::bringIn(*scene, files, {}, progress);
        },
        [this](Result<edit::Edit> edit) {
            bool ok = edit.has_value();
            if (ok) {
                const std::int64_t before = scene::highestId(*m_session.scene());
                ok = m_session.apply(*edit);
                std::vector<std::int64_t> added;
                for (const scene::LayerPtr& layer : m_session.scene()->layers)
                    if (layer->id > before) added.push_back(layer->id);
                m_session.select(std::move(added));
            } else if (!edit.error().cancelled) {
                say(QString::fromStdString(edit.error().sentence), true);
            }
            Q_EMIT broughtIn(ok);
        });
}

void MainWindow::write(const output::Job& job) {
    inBackground<void>(
        this, tr("Writing %1").arg(QString::fromStdString(job.path.filename().string())),
        [scene = m_session.scene(), sources = m_session.sharedSources(), job](const Progress& progress) {
            return output::write(*scene, job, *sources, progress);
        },
        [this, job](Result<void> result) {
            if (result)
                say(tr("Wrote %1.").arg(QString::fromStdString(job.path.string())));
            else
                say(result.error().cancelled ? tr("Cancelled; nothing half remains.")
                                             : QString::fromStdString(result.error().sentence),
                    !result.error().cancelled);
            Q_EMIT written(result.has_value());
        });
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    std::vector<std::filesystem::path> files;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) files.emplace_back(url.toLocalFile().toStdString());
    event->acceptProposedAction();
    if (files.size() == 1 && files.front().extension() == ".ostage") {
        if (leave()) openFile(files.front());
    } else if (!files.empty()) {
        bringIn(files);
    }
}

// ---- read-outs

void MainWindow::refreshLens() {
    const scene::Scene& scene = *m_session.scene();
    const double focal = m_session.pose().focal;
    m_focal->setValue(focal);
    m_angle->setValue(optics::angleOfView(focal, scene.camera.gate));
    for (std::size_t i = 0; i < std::size(gates); ++i)
        if (gates[i].width == scene.camera.gate) {
            m_gate->setCurrentIndex(static_cast<int>(i));
            m_gate->lineEdit()->setCursorPosition(0);
            return;
        }
    m_gate->setCurrentIndex(-1);
    m_gate->setEditText(tr("%1 mm").arg(scene.camera.gate));
}

void MainWindow::refreshStatus() {
    const scene::Scene& scene = *m_session.scene();
    m_cache->setText(tr("%1 of %2 frames cached · draft %3 ms")
                         .arg(m_camera->cachedFrames())
                         .arg(scene.output.frames)
                         .arg(m_camera->lastMilliseconds(), 0, 'f', 0));
    m_speed->setText(tr("Peak %1 m/s").arg(figure(m_pace->peak(), 2)));
    if (m_saying) return;
    int missing = 0, layers = 0;
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
        ++layers;
        const scene::Media* media = scene::mediaOf(*layer);
        std::error_code code;
        if (media && !m_timeline->playing() && !std::filesystem::exists(media->path, code)) ++missing;
    });
    m_state->setStyleSheet(QString());
    if (missing > 0)
        m_state->setText(tr("▲  %1 without media").arg(counted(missing, tr("layer"), tr("layers"))));
    else
        m_state->setText(
            layers == 0 ? tr("●  No layers yet")
                        : tr("●  %1, all media present").arg(counted(layers, tr("layer"), tr("layers"))));
}

void MainWindow::refreshTitle() {
    const QString name = m_session.document().empty()
                             ? tr("untitled")
                             : QString::fromStdString(m_session.document().stem().string());
    m_name->setText(m_session.modified() ? name + QStringLiteral(" ·") : name);
    m_name->setToolTip(m_session.modified() ? tr("Has changes that are not saved") : QString());
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
