#include "desk/commands/scene_commands.h"

#include "desk/dialogs/guide_window.h"
#include "desk/dialogs/settings_dialog.h"
#include "desk/files/gltf_files.h"
#include "desk/files/layer_clipboard.h"
#include "desk/files/media_files.h"
#include "desk/files/output_writer.h"
#include "desk/files/scene_files.h"
#include "desk/kit/panes.h"
#include "desk/kit/shipped.h"
#include "desk/set/ladder.h"
#include "desk/time/timeline.h"

#include <QLineEdit>
#include <QListWidget>
#include <QMessageBox>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWhatsThis>

namespace stage::desk {

SceneCommands::SceneCommands(const CommandContext& context, QMenu* menu, SceneFiles& scenes,
                             MediaFiles& media)
    : CommandGroup(context) {
    add(menu, "new", tr("New"), QKeySequence::New, tr("An empty scene"), [&scenes] { scenes.startNew(); });
    add(menu, "open", tr("Open…"), QKeySequence::Open, tr("A scene file"),
        [&scenes] { scenes.chooseAndOpen(); });
    QMenu* recent = menu->addMenu(tr("Recent"));
    recent->setToolTipsVisible(true);
    connect(recent, &QMenu::aboutToShow, this, [&scenes, recent] { scenes.fillRecent(recent); });
    add(menu, "bring-in", tr("Bring in…"), "Ctrl+I",
        tr("Layered pictures, pictures or footage; or drop them on the window"),
        [&media] { media.choose(); });
    add(menu, "take-camera", tr("Take a camera from a file…"), "",
        tr("The move of a camera of a glTF file, such as one solved from footage"),
        [this] { chooseAndTakeCamera(m_window, m_session); });
    add(menu, "save", tr("Save"), QKeySequence::Save, {}, [&scenes] { scenes.save(); });
    add(menu, "save-as", tr("Save as…"), QKeySequence::SaveAs, {}, [&scenes] { scenes.saveAs(); });
    add(menu, "autosave", tr("Autosave…"), "",
        tr("Every edit is kept in a journal at once; this writes the scene's own file too, now and then"),
        [&scenes] { scenes.askAutosave(); });
    add(menu, "recover", tr("Recover work…"), "",
        tr("Scenes without a file that were being worked on when the program ended"),
        [&scenes] { scenes.recoverWork(); });
    menu->addSeparator();
    add(menu, "find-media", tr("Find missing media…"), "",
        tr("Looks in a folder, and those inside it, for files that layers show"),
        [&media] { media.chooseAndFind(); });
    add(menu, "archive", tr("Collect into an archive…"), "",
        tr("The scene and all files that it uses in one zip file"), [&scenes] { scenes.chooseAndArchive(); });
    add(menu, "open-archive", tr("Open an archive…"), "", tr("Unpacked into a folder beside it"),
        [&scenes] { scenes.chooseAndUnpack(); });
    add(menu, "settings", tr("Settings…"), "Ctrl+,", tr("Frame size, rate, duration, background, home depth"),
        [this] {
            if (const auto edit = askSettings(m_window, *m_session.scene(), previewer())) apply(*edit);
        });
    add(menu, "variants", tr("Size variants…"), "", tr("The same move in frames of other shapes"), [this] {
        if (const auto edit = askVariants(m_window, *m_session.scene(), previewer())) apply(*edit);
    });
    menu->addSeparator();
    add(menu, "quit", tr("Quit"), QKeySequence::Quit, {}, [this] { m_window->close(); });
}

OutputCommands::OutputCommands(const CommandContext& context, QMenu* menu, OutputWriter& writer)
    : CommandGroup(context) {
    add(menu, "write", tr("Write movie or pictures…"), "Ctrl+R", {}, [this, &writer] {
        m_views.timeline->setPlaying(false);
        writer.choose();
    });
    add(menu, "write-still", tr("Write this frame…"), "", tr("The frame at the playhead as one picture"),
        [&writer] { writer.chooseStill(); });
    add(menu, "write-gltf", tr("Write as glTF…"), "",
        tr("The set and its camera in space, or the camera alone, for other programs"),
        [this] { chooseAndWriteGltf(m_window, m_session); });
    add(menu, "queue", tr("Queue…"), "Ctrl+Shift+R", tr("What is being written, and what waits for it"),
        [&writer] { writer.showQueue(); });
}

EditCommands::EditCommands(const CommandContext& context, QMenu* menu, LayerClipboard& clipboard)
    : CommandGroup(context) {
    addUndo(menu);
    add(menu, "history", tr("Steps…"), "Ctrl+Alt+Z", tr("All steps of undo, to click in"),
        [this] { showSteps(); });
    add(menu, "cut", tr("Cut layers"), QKeySequence::Cut, {}, whenMovable([this, &clipboard] {
            clipboard.copy();
            apply(edit::onLayers("remove", m_session.movable()));
        }));
    add(menu, "copy", tr("Copy layers"), QKeySequence::Copy, {}, [&clipboard] { clipboard.copy(); });
    add(menu, "paste", tr("Paste"), QKeySequence::Paste, tr("Layers, pictures or files"),
        [&clipboard] { clipboard.paste(); });
    menu->addSeparator();
    add(menu, "select-all", tr("Select all layers"), QKeySequence::SelectAll, {}, [this] { selectAll(); });
    add(menu, "select-none", tr("Select nothing"), "Ctrl+Shift+A", {},
        [this] { m_session.selection.select({}); });
    add(menu, "search", tr("Search layers"), "Ctrl+F", tr("By name or tag; Enter selects what is found"),
        [this] { search(); });
    menu->addSeparator();
    add(menu, "find-command", tr("Find a command…"), "Ctrl+Space", tr("Any command, by a part of its name"),
        [this] { m_commands.ask(); });
    add(menu, "shortcuts", tr("Shortcuts…"), "", tr("Change the keys of any command"),
        [this] { m_commands.editShortcuts(); });
}

void EditCommands::addUndo(QMenu* menu) {
    QAction* undo =
        add(menu, "undo", tr("Undo"), QKeySequence::Undo, {}, [this] { m_session.document.undo(); });
    QAction* redo =
        add(menu, "redo", tr("Redo"), QKeySequence::Redo, {}, [this] { m_session.document.redo(); });
    connect(&m_session.document, &Document::sceneChanged, this, [this, undo, redo] {
        const auto& history = m_session.document.history();
        undo->setEnabled(history.canUndo());
        redo->setEnabled(history.canRedo());
        undo->setText(history.canUndo() ? tr("Undo: %1").arg(QString::fromStdString(history.undoName()))
                                        : tr("Undo"));
        redo->setText(history.canRedo() ? tr("Redo: %1").arg(QString::fromStdString(history.redoName()))
                                        : tr("Redo"));
    });
}

void EditCommands::selectAll() {
    std::vector<std::int64_t> all;
    for (const scene::LayerPtr& layer : m_session.scene()->layers)
        all.push_back(layer->id);
    m_session.selection.select(std::move(all));
}

void EditCommands::search() {
    m_views.panes->reveal(Panes::View::Plan);
    m_views.ladder->search().setFocus();
    m_views.ladder->search().selectAll();
}

void EditCommands::showSteps() {
    QDialog dialog(m_window);
    dialog.setObjectName(QStringLiteral("steps"));
    dialog.setWindowTitle(tr("Steps"));
    dialog.resize(360, 460);
    auto* layout = new QVBoxLayout(&dialog);
    layout->setContentsMargins(14, 14, 14, 14);
    auto* list = new QListWidget;
    list->setAccessibleName(tr("Steps of undo"));
    layout->addWidget(list, 1);
    const auto names = m_session.document.history().names();
    for (std::size_t i = 0; i < names.size(); ++i)
        list->addItem(i == 0 ? tr("As opened") : QString::fromStdString(names[i]));
    list->setCurrentRow(static_cast<int>(m_session.document.history().step()));
    const auto mark = [this, list] {
        for (int i = 0; i < list->count(); ++i) {
            QFont font = list->item(i)->font();
            font.setItalic(i > static_cast<int>(m_session.document.history().step())); // undone
            list->item(i)->setFont(font);
        }
    };
    mark();
    connect(list, &QListWidget::currentRowChanged, &dialog, [this, mark](int row) {
        if (row < 0) return;
        m_session.document.goTo(static_cast<std::size_t>(row));
        mark();
    });
    auto* close = new QPushButton(tr("Close"));
    connect(close, &QPushButton::clicked, &dialog, &QDialog::accept);
    layout->addWidget(close, 0, Qt::AlignRight);
    dialog.exec();
}

HelpCommands::HelpCommands(const CommandContext& context, QMenu* menu, SceneFiles& scenes)
    : CommandGroup(context) {
    add(menu, "guide", tr("Guide"), QKeySequence::HelpContents, tr("How things are done, with pictures"),
        [this] { showGuide(); });
    add(menu, "demo", tr("Open the demo"), "", tr("The lantern quay, as a copy: nothing can be spoilt"),
        [&scenes] { scenes.openDemo(); });
    add(menu, "whats-this", tr("What's this?"), "Shift+F1", tr("Then click on a panel or a field"),
        [] { QWhatsThis::enterWhatsThisMode(); });
    menu->addSeparator();
    add(menu, "about", tr("About Open Stage"), "", {}, [this] { about(); });
}

void HelpCommands::showGuide() {
    if (!m_guide) m_guide = new GuideWindow(shipped("docs/guide.md"), m_window);
    m_guide->show();
    m_guide->raise();
    m_guide->activateWindow();
}

void HelpCommands::about() {
    QMessageBox::about(m_window, tr("About Open Stage"),
                       tr("<b>Open Stage 0.1</b><p>Stages pictures at measured depths and moves a camera "
                          "through them.<p>Licence: GPL-3.0-or-later."));
}

}
