// The desk's menus and the bar above the views.
#include "desk/cut_view.h"
#include "desk/dialogs.h"
#include "desk/gates.h"
#include "desk/main_window.h"
#include "desk/number_field.h"
#include "desk/theme.h"
#include "desk/timeline.h"

#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QSettings>
#include <QToolButton>

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
    m_cutTool = button(QStringLiteral("scissors"), tr("Cut out"),
                       tr("Cuts the selected layer out: mattes, keys, edges, filling (C)"));
    for (QToolButton* tool : {m_moveTool, m_pushTool, m_walkTool, m_cutTool})
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
        const QStringList files =
            QFileDialog::getOpenFileNames(this, tr("Bring in"), {},
                                          tr("Pictures, layered files and footage (*.ora *.svg *.png *.jpg "
                                             "*.jpeg *.tif *.tiff *.webp *.exr "
                                             "*.mp4 *.mov *.mkv *.webm *.avi);;All files (*)"));
        std::vector<std::filesystem::path> paths;
        for (const QString& file : files)
            paths.emplace_back(file.toStdString());
        if (!paths.empty()) offerIn(paths);
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
        const QString file = QFileDialog::getOpenFileName(this, tr("Open a scene"), {}, tr(sceneFilter));
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
    add(edit, tr("Paste pictures"), QKeySequence::Paste, [this] { paste(); });
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
    layer->addSeparator();
    add(layer, tr("Cut out"), QKeySequence(QStringLiteral("C")), [this] { setCutting(!cutting()); });
    add(layer, tr("Split a photograph…"), QKeySequence(QStringLiteral("Ctrl+T")), withSelection([this] {
            setCutting(true);
            m_cut->startSplit();
        }));
    add(layer, tr("Add a colour card"), {}, [this] { m_session.apply({{"edit", "add-card"}}); });
    layer->addSeparator();
    add(layer, tr("Remove"), QKeySequence::Delete, withSelection([this] {
            m_session.apply({{"edit", "remove"}, {"layers", m_session.selection()}});
        }));

    QMenu* camera = menuBar()->addMenu(tr("Camera"));
    add(camera, tr("Set mark"), QKeySequence(QStringLiteral("K")), [this] { m_session.setMarkHere(); });
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

    view->addSeparator();
    add(view, tr("Memory for pictures…"), {}, [this] {
        bool ok = false;
        const int now = static_cast<int>(m_session.sources().budget() >> 20);
        const int megabytes = QInputDialog::getInt(this, tr("Memory for pictures"),
                                                   tr("MB kept for pictures, clips and what is made of "
                                                      "them.\n0: a quarter of this machine's memory."),
                                                   now, 0, 1 << 24, 256, &ok);
        if (!ok) return;
        QSettings(QStringLiteral("open-stage"), QStringLiteral("open-stage"))
            .setValue(QStringLiteral("pictureMegabytes"), megabytes);
        m_session.sources().setBudget(static_cast<std::size_t>(megabytes) << 20);
    });

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

}
