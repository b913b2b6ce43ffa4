// The desk's menus. Every command has a name for the settings, so that its keys can be changed.
#include "desk/cutting/cut_view.h"
#include "desk/dialogs/dialogs.h"
#include "desk/dialogs/guide_window.h"
#include "desk/dialogs/move_dialogs.h"
#include "desk/kit/dialog_form.h"
#include "desk/kit/settings.h"
#include "desk/kit/shipped.h"
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/set/layer_list.h"
#include "desk/set/model_view.h"
#include "desk/time/curve_view.h"
#include "desk/time/timeline.h"
#include "desk/window/main_window.h"
#include "motion/resolved_scene.h"
#include "scene/hanging_json.h"

#include <QComboBox>
#include <QFileDialog>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenuBar>
#include <QMessageBox>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWhatsThis>
#include <algorithm>

namespace stage::desk {
namespace {

QKeySequence keys(const char* text) {
    return QKeySequence(QString::fromLatin1(text));
}

}

std::function<void()> MainWindow::withSelection(std::function<void()> run) {
    return [this, run = std::move(run)] {
        if (m_session.selection.layers().empty())
            say(tr("Select a layer first."));
        else if (m_session.movable().empty())
            say(tr("What is selected is locked."));
        else
            run();
    };
}

Previewer MainWindow::previewer() {
    return [this](const edit::Edit* edit) {
        if (edit)
            m_session.document.tryOut(*edit);
        else
            m_session.document.dropPreview();
    };
}

void MainWindow::makeSceneMenu(QMenu* menu) {
    auto& c = m_commands;
    c.add(menu, "new", tr("New"), QKeySequence::New, tr("An empty scene"), [this] {
        if (leave()) m_session.document.newScene();
    });
    c.add(menu, "open", tr("Open…"), QKeySequence::Open, tr("A scene file"), [this] {
        if (!leave()) return;
        const QString file = QFileDialog::getOpenFileName(this, tr("Open a scene"), {}, tr(sceneFilter));
        if (!file.isEmpty()) openFile(file.toStdString());
    });
    QMenu* recent = menu->addMenu(tr("Recent"));
    recent->setToolTipsVisible(true);
    connect(recent, &QMenu::aboutToShow, this, [this, recent] { fillRecent(recent); });
    c.add(menu, "bring-in", tr("Bring in…"), keys("Ctrl+I"),
          tr("Layered pictures, pictures or footage; or drop them on the window"), [this] { chooseFiles(); });
    c.add(menu, "save", tr("Save"), QKeySequence::Save, {}, [this] { save(); });
    c.add(menu, "save-as", tr("Save as…"), QKeySequence::SaveAs, {}, [this] { saveAs(); });
    c.add(menu, "autosave", tr("Autosave…"), {},
          tr("Every edit is kept in a journal at once; this writes the scene's own file too, now and then"),
          [this] {
              QSettings kept = settings();
              bool ok = false;
              const int minutes = QInputDialog::getInt(
                  this, tr("Autosave"),
                  tr("Minutes after which the scene's file is written again.\n0: never."),
                  kept.value(QStringLiteral("autosave"), 0).toInt(), 0, 240, 1, &ok);
              if (ok) kept.setValue(QStringLiteral("autosave"), minutes);
          });
    c.add(menu, "recover", tr("Recover work…"), {},
          tr("Scenes without a file that were being worked on when the program ended"), [this] {
              if (leftBehind().empty()) return say(tr("There is no work to recover."));
              if (leave()) offerRecovery();
          });
    menu->addSeparator();
    c.add(menu, "find-media", tr("Find missing media…"), {},
          tr("Looks in a folder, and those inside it, for files that layers show"), [this] {
              const QString folder = QFileDialog::getExistingDirectory(this, tr("Look for media in"));
              if (!folder.isEmpty()) findMedia(folder.toStdString());
          });
    c.add(menu, "settings", tr("Settings…"), keys("Ctrl+,"),
          tr("Frame size, rate, duration, background, home depth"), [this] {
              if (const auto edit = askSettings(this, *m_session.scene(), previewer()))
                  m_session.document.apply(*edit);
          });
    menu->addSeparator();
    c.add(menu, "quit", tr("Quit"), QKeySequence::Quit, {}, [this] { close(); });
}

void MainWindow::makeEditMenu(QMenu* menu) {
    auto& c = m_commands;
    QAction* undo =
        c.add(menu, "undo", tr("Undo"), QKeySequence::Undo, {}, [this] { m_session.document.undo(); });
    QAction* redo =
        c.add(menu, "redo", tr("Redo"), QKeySequence::Redo, {}, [this] { m_session.document.redo(); });
    const auto refresh = [this, undo, redo] {
        const auto& history = m_session.document.history();
        undo->setEnabled(history.canUndo());
        redo->setEnabled(history.canRedo());
        undo->setText(history.canUndo() ? tr("Undo: %1").arg(QString::fromStdString(history.undoName()))
                                        : tr("Undo"));
        redo->setText(history.canRedo() ? tr("Redo: %1").arg(QString::fromStdString(history.redoName()))
                                        : tr("Redo"));
    };
    connect(&m_session.document, &Document::sceneChanged, this, refresh);
    c.add(menu, "history", tr("Steps…"), keys("Ctrl+Alt+Z"), tr("All steps of undo, to click in"),
          [this] { showHistory(); });
    c.add(menu, "cut", tr("Cut layers"), QKeySequence::Cut, {}, withSelection([this] {
              copyLayers();
              m_session.document.apply(edit::onLayers("remove", m_session.movable()));
          }));
    c.add(menu, "copy", tr("Copy layers"), QKeySequence::Copy, {}, [this] { copyLayers(); });
    c.add(menu, "paste", tr("Paste"), QKeySequence::Paste, tr("Layers, pictures or files"),
          [this] { paste(); });
    menu->addSeparator();
    c.add(menu, "select-all", tr("Select all layers"), QKeySequence::SelectAll, {}, [this] {
        std::vector<std::int64_t> all;
        for (const scene::LayerPtr& layer : m_session.scene()->layers)
            all.push_back(layer->id);
        m_session.selection.select(std::move(all));
    });
    c.add(menu, "select-none", tr("Select nothing"), keys("Ctrl+Shift+A"), {},
          [this] { m_session.selection.select({}); });
    c.add(menu, "search", tr("Search layers"), keys("Ctrl+F"),
          tr("By name or tag; Enter selects what is found"), [this] {
              m_panes->reveal(Panes::View::Plan);
              m_ladder->search().setFocus();
              m_ladder->search().selectAll();
          });
    menu->addSeparator();
    c.add(menu, "find-command", tr("Find a command…"), keys("Ctrl+Space"),
          tr("Any command, by a part of its name"), [this] { m_commands.ask(); });
    c.add(menu, "shortcuts", tr("Shortcuts…"), {}, tr("Change the keys of any command"),
          [this] { m_commands.editShortcuts(); });
}

void MainWindow::makeDepthMenu(QMenu* menu) {
    auto& c = m_commands;
    const auto selectionDepths = [this] {
        std::pair<double, double> range{1e300, -1e300};
        for (const std::int64_t id : m_session.movable()) {
            const double depth = m_session.now().depthOf(m_session.now().find(id));
            range = {std::min(range.first, depth), std::max(range.second, depth)};
        }
        return range;
    };
    c.add(menu, "push", tr("Push or spread…"), keys("Ctrl+P"),
          tr("The selected layers by the same distance or ratio, or spread between two depths, evenly or in "
             "equal "
             "steps of parallax"),
          withSelection([this, selectionDepths] {
              const auto [near, far] = selectionDepths();
              if (const auto push =
                      askPush(this, *m_session.scene(), m_session.movable().size(), near, far, previewer(),
                              [this](const edit::Edit& how) { return m_session.push(how); }))
                  m_session.document.apply(*push);
          }));
    const auto step = [&](const char* name, const QString& text, const char* shortcut, double by) {
        c.add(menu, name, text, keys(shortcut), tr("With framing held, when that is on"),
              withSelection([this, by] {
                  m_session.document.apply(m_session.push({{"by", by}}));
              }));
    };
    step("push-back", tr("Push back by 0.1 m"), "Alt+PgUp", 0.1);
    step("pull-near", tr("Pull nearer by 0.1 m"), "Alt+PgDown", -0.1);
    step("push-back-far", tr("Push back by 1 m"), "Alt+Shift+PgUp", 1);
    step("pull-near-far", tr("Pull nearer by 1 m"), "Alt+Shift+PgDown", -1);
    c.add(menu, "home", tr("To home depth"), {}, {}, withSelection([this] {
              m_session.document.apply(m_session.push({{"depth", m_session.scene()->homeDepth}}));
          }));
    menu->addSeparator();
    c.add(menu, "recede", tr("Recede unseen…"), {},
          tr("Over time to another depth, while the picture of it does not change"),
          withSelection([this, selectionDepths] {
              const auto how =
                  askRecede(this, *m_session.scene(), m_session.playhead.time(), selectionDepths().second);
              if (!how) return;
              edit::Edit edit = edit::onLayers("recede", m_session.movable(), *how);
              m_session.document.apply(edit);
          }));
    c.add(menu, "key-place", tr("Key its place here"), keys("Shift+K"),
          tr("Keeps where the layer is at the playhead; between keys it goes straight"),
          withSelection([this] { m_session.document.apply(m_session.onSelection("key-place")); }));
    c.add(menu, "remove-place-key", tr("Remove the key here"), {}, {},
          withSelection([this] { m_session.document.apply(m_session.onSelection("remove-place-key")); }));
    menu->addSeparator();
    c.add(
        menu, "focus-here", tr("Focus on it"), keys("Shift+F"),
        tr("The lens stays focused on the layer, from every mark or from the one under the playhead; between "
           "two marks with different ones the focus is pulled"),
        withSelection([this] {
            const std::int64_t layer = m_session.movable().front();
            const optics::View lens = optics::viewOf(m_session.camera.pose(), m_session.scene()->camera.gate,
                                                     m_session.scene()->output.frame);
            if (!(optics::depthOf(lens, optics::pivotOf(m_session.now().find(layer))) > 0.001))
                return say(tr("It is behind the camera."), true);
            edit::Edit edit = {{"edit", "mark"}, {"focusOn", layer}};
            if (const int mark = m_session.camera.markHere(); mark >= 0) edit["mark"] = mark + 1;
            m_session.document.apply(edit);
        }));
}

void MainWindow::makePlaceMenu(QMenu* menu) {
    auto& c = m_commands;
    const auto on = [this](const char* kind, edit::Edit more) {
        return withSelection([this, kind, more = std::move(more)] {
            m_session.document.apply(m_session.onSelection(kind, more));
        });
    };
    const struct {
        const char *name, *text, *to, *tip;
        const char* shortcut;
    } fits[] = {{"fit-cover", QT_TR_NOOP("Cover the frame"), "cover",
                 QT_TR_NOOP("At its depth, on the lens's axis, as large as covers the frame"), "Ctrl+Alt+F"},
                {"fit-inside", QT_TR_NOOP("All inside the frame"), "inside", "", ""},
                {"fit-width", QT_TR_NOOP("As wide as the frame"), "width", "", ""},
                {"fit-height", QT_TR_NOOP("As high as the frame"), "height", "", ""}};
    for (const auto& each : fits)
        c.add(menu, each.name, tr(each.text), keys(each.shortcut), tr(each.tip),
              on("fit", {{"to", each.to}}));
    c.add(menu, "fit-overscan", tr("Cover with overscan…"), {}, tr("Larger than the frame by some percent"),
          withSelection([this] {
              const auto fit = [this](double percent) {
                  return m_session.onSelection("fit", {{"to", "cover"}, {"overscan", percent}});
              };
              if (const auto over =
                      askPercent(this, tr("Fit with overscan"), tr("Overscan"), 10,
                                 tr("How much larger than the frame, so that a small move shows no edge"),
                                 previewer(), fit))
                  m_session.document.apply(fit(*over));
          }));
    menu->addSeparator();
    c.add(menu, "flip-across", tr("Flip across"), keys("Shift+H"), tr("About its pivot"),
          on("flip", {{"along", "across"}}));
    c.add(menu, "flip-up", tr("Flip top to bottom"), keys("Shift+V"), tr("About its pivot"),
          on("flip", {{"along", "up"}}));
    const auto pivot = [&](const char* name, const QString& text, double across, double up) {
        c.add(menu, name, text, {}, tr("It turns and scales about there; what is seen does not change"),
              on("pivot", {{"to", {across, up}}}));
    };
    pivot("pivot-centre", tr("Pivot to the centre"), 0, 0);
    pivot("pivot-foot", tr("Pivot to the foot"), 0, -0.5);
    QAction* axis =
        c.add(menu, "scale-about-axis", tr("Scale about the lens axis"), {},
              tr("Handles in the Camera view scale about the middle of the frame, not the pivot"), [] {});
    axis->setCheckable(true);
    connect(axis, &QAction::toggled, this, [this](bool yes) { m_session.setScaleAboutAxis(yes); });
    menu->addSeparator();
    const struct {
        const char *name, *text, *to;
    } aligns[] = {
        {"align-left", QT_TR_NOOP("left"), "left"},       {"align-centre", QT_TR_NOOP("centre"), "centre"},
        {"align-right", QT_TR_NOOP("right"), "right"},    {"align-top", QT_TR_NOOP("top"), "top"},
        {"align-middle", QT_TR_NOOP("middle"), "middle"}, {"align-bottom", QT_TR_NOOP("bottom"), "bottom"}};
    for (const auto& each : aligns)
        c.add(menu, each.name, tr("Align %1").arg(tr(each.text)), {},
              tr("One layer in the frame, several with each other, by what is seen of them"),
              withSelection([this, to = each.to] {
                  const bool several = m_session.movable().size() > 1;
                  m_session.document.apply(
                      m_session.onSelection("align", {{"to", to}, {"in", several ? "selection" : "frame"}}));
              }));
    c.add(menu, "distribute-across", tr("Distribute across"), {}, tr("Their centres in equal steps"),
          on("distribute", {{"along", "across"}}));
    c.add(menu, "distribute-up", tr("Distribute up"), {}, tr("Their centres in equal steps"),
          on("distribute", {{"along", "up"}}));
}

void MainWindow::makeLayerMenu(QMenu* menu) {
    auto& c = m_commands;
    const auto selected = [this](std::function<void()> run) {
        return [this, run = std::move(run)] {
            if (m_session.selection.layers().empty())
                say(tr("Select a layer first."));
            else
                run();
        };
    };
    c.add(menu, "rename", tr("Rename…"), keys("F2"), {}, selected([this] {
              const auto found = m_session.selection.only();
              if (!found.layer) return say(tr("Select one layer to rename it."));
              bool ok = false;
              const QString name = QInputDialog::getText(this, tr("Rename"), tr("Name"), QLineEdit::Normal,
                                                         QString::fromStdString(found.layer->name), &ok);
              if (ok)
                  m_session.document.apply(
                      {{"edit", "rename"}, {"layer", found.layer->id}, {"name", name.toStdString()}});
          }));
    c.add(menu, "tags", tr("Tags…"), {}, tr("Words to search layers by, with commas between"),
          selected([this] {
              // What all of them have is shown, and taken off where it is deleted.
              std::vector<std::string> common;
              bool first = true;
              for (const std::int64_t id : m_session.selection.layers()) {
                  const auto tags = scene::find(*m_session.scene(), id).layer->tags;
                  if (first)
                      common = tags;
                  else
                      std::erase_if(common, [&](const std::string& tag) {
                          return std::find(tags.begin(), tags.end(), tag) == tags.end();
                      });
                  first = false;
              }
              QStringList names;
              for (const std::string& tag : common)
                  names << QString::fromStdString(tag);
              bool ok = false;
              const QString text =
                  QInputDialog::getText(this, tr("Tags"), tr("Tags, with commas between"), QLineEdit::Normal,
                                        names.join(QStringLiteral(", ")), &ok);
              if (!ok) return;
              std::vector<std::string> wanted;
              for (const QString& each : text.split(QLatin1Char(','), Qt::SkipEmptyParts))
                  if (!each.trimmed().isEmpty()) wanted.push_back(each.trimmed().toStdString());
              std::vector<std::string> gone;
              for (const std::string& tag : common)
                  if (std::find(wanted.begin(), wanted.end(), tag) == wanted.end()) gone.push_back(tag);
              edit::Edit edit = edit::onLayers("tag", m_session.selection.layers());
              if (!wanted.empty()) edit["add"] = wanted;
              if (!gone.empty()) edit["remove"] = gone;
              m_session.document.apply(edit);
          }));
    c.add(menu, "show", tr("Show or hide"), keys("V"), {}, selected([this] {
              bool any = false;
              for (const std::int64_t id : m_session.selection.layers())
                  any = any || scene::find(*m_session.scene(), id).layer->visible;
              m_session.document.apply(
                  edit::onLayers("look", m_session.selection.layers(), {{"visible", !any}}));
          }));
    c.add(menu, "hide-others", tr("Hide others, or show all"), keys("Ctrl+H"),
          tr("All but the selected layers are hidden; once more shows all"), [this] {
              std::vector<std::int64_t> others, hidden;
              const auto& chosen = m_session.selection.layers();
              const auto among = [&](std::int64_t id) {
                  return std::find(chosen.begin(), chosen.end(), id) != chosen.end();
              };
              const auto all = scene::all(*m_session.scene());
              for (const scene::LayerPath& found : all) {
                  if (!found.layer->visible) hidden.push_back(found.layer->id);
                  const bool inside = std::any_of(found.holders.begin(), found.holders.end(),
                                                  [&](const auto& h) { return among(h->id); });
                  const bool holds = std::any_of(all.begin(), all.end(), [&](const scene::LayerPath& each) {
                      return among(each.layer->id) &&
                             std::any_of(each.holders.begin(), each.holders.end(),
                                         [&](const auto& h) { return h->id == found.layer->id; });
                  });
                  if (!among(found.layer->id) && !inside && !holds && found.layer->visible)
                      others.push_back(found.layer->id);
              }
              if (!chosen.empty() && !others.empty())
                  m_session.document.apply(
                      edit::several("Hide others", {edit::onLayers("look", others, {{"visible", false}})}));
              else if (!hidden.empty())
                  m_session.document.apply(
                      edit::several("Show all", {edit::onLayers("look", hidden, {{"visible", true}})}));
          });
    c.add(menu, "lock", tr("Lock or unlock"), keys("Ctrl+L"),
          tr("A locked layer can neither be picked nor moved"), selected([this] {
              bool all = true;
              for (const std::int64_t id : m_session.selection.layers())
                  all = all && scene::find(*m_session.scene(), id).layer->locked;
              m_session.document.apply(
                  edit::onLayers("lock", m_session.selection.layers(), {{"locked", !all}}));
          }));
    menu->addSeparator();
    makeDepthMenu(menu->addMenu(tr("Depth")));
    makePlaceMenu(menu->addMenu(tr("Place")));
    menu->addSeparator();
    c.add(menu, "group", tr("Group"), keys("Ctrl+G"), {}, selected([this] {
              if (m_session.document.apply(edit::onLayers("group", m_session.selection.layers())))
                  m_session.selection.select({scene::highestId(*m_session.scene())});
          }));
    c.add(menu, "ungroup", tr("Take out of the group"), keys("Ctrl+Shift+G"),
          tr("Dissolves the selected groups"), selected([this] {
              m_session.document.apply(edit::onLayers("ungroup", m_session.selection.layers()));
          }));
    c.add(menu, "follow", tr("Follow a layer…"), {},
          tr("The selected layers are carried by another one, and stay where they are"),
          withSelection([this] {
              Form form(this, tr("Follow"), tr("Follow"));
              const auto chosen = m_session.movable();
              auto* leader = layerRow(form, *m_session.scene(), tr("Carried by"), tr("nothing"), 0, chosen);
              leader->setObjectName(QStringLiteral("leader"));
              const auto edit = askEdit(form, *m_session.scene(), [&](QString&) {
                  const auto id = leader->currentData().toLongLong();
                  return edit::onLayers("follow", chosen,
                                        {{"leader", id ? edit::Edit(id) : edit::Edit(nullptr)}});
              });
              if (edit) m_session.document.apply(*edit);
          }));
    c.add(menu, "duplicate", tr("Duplicate"), keys("Ctrl+D"), {}, selected([this] {
              const std::int64_t before = scene::highestId(*m_session.scene());
              if (!m_session.document.apply(edit::onLayers("duplicate", m_session.selection.layers())))
                  return;
              std::vector<std::int64_t> added;
              for (const scene::LayerPath& found : scene::all(*m_session.scene()))
                  if (found.layer->id > before &&
                      (found.holders.empty() || found.holders.back()->id <= before))
                      added.push_back(found.layer->id);
              m_session.selection.select(std::move(added));
          }));
    c.add(menu, "scatter", tr("Scatter…"), {},
          tr("Copies at random places, turns and sizes in a box; on a scattered group, scatters again"),
          withSelection([this] {
              const auto found = m_session.selection.only();
              if (!found.layer) return say(tr("Select one layer to scatter it."));
              const auto* group = found.layer->group();
              const bool again = group && group->scatter;
              scene::Scatter now = again ? *group->scatter : scene::Scatter{};
              if (!again && !group) {
                  const double wide = std::abs(found.layer->size().x);
                  now.box = {wide * 6, wide * 2, wide * 6};
                  now.sizes = 0.3;
              }
              if (const auto edit =
                      askScatter(this, *m_session.scene(), found.layer->id, now, again, previewer()))
                  m_session.document.apply(*edit);
          }));
    menu->addSeparator();
    c.add(menu, "cut-out", tr("Cut out"), keys("C"), {}, [this] { setCutting(!cutting()); });
    c.add(menu, "split", tr("Split a photograph…"), keys("Ctrl+T"), {}, selected([this] {
              setCutting(true);
              m_cut->startSplit();
          }));
    c.add(menu, "replace", tr("Replace media…"), {},
          tr("Another file in its place; its place and width stay"), selected([this] { replaceMedia(); }));
    c.add(menu, "add-text", tr("Add text…"), keys("Shift+T"), {}, [this] {
        if (const auto edit = askText(this)) m_session.document.apply(*edit);
    });
    c.add(menu, "add-card", tr("Add a colour card"), {}, {}, [this] {
        m_session.document.apply({{"edit", "add-card"}});
    });
    menu->addSeparator();
    c.add(menu, "remove", tr("Remove"), QKeySequence::Delete, {},
          withSelection([this] { m_session.document.apply(edit::onLayers("remove", m_session.movable())); }));
}

void MainWindow::makeViewMenu(QMenu* menu) {
    auto& c = m_commands;
    const struct {
        const char *name, *text, *shortcut;
    } layouts[] = {{"panes-1", QT_TR_NOOP("One pane"), "Ctrl+1"},
                   {"panes-2", QT_TR_NOOP("Two panes"), "Ctrl+2"},
                   {"panes-3", QT_TR_NOOP("Three panes"), "Ctrl+3"},
                   {"panes-4", QT_TR_NOOP("Four panes"), "Ctrl+4"}};
    for (int i = 0; i < 4; ++i)
        c.add(menu, layouts[i].name, tr(layouts[i].text), keys(layouts[i].shortcut),
              tr("Each layout remembers its views and sizes"), [this, i] { m_panes->setCount(i + 1); });
    const struct {
        const char *name, *text, *shortcut;
        Panes::View view;
    } views[] = {{"show-camera", QT_TR_NOOP("Show Camera"), "F5", Panes::View::Camera},
                 {"show-plan", QT_TR_NOOP("Show Plan"), "F6", Panes::View::Plan},
                 {"show-section", QT_TR_NOOP("Show Section"), "F7", Panes::View::Section},
                 {"show-model", QT_TR_NOOP("Show Model"), "F8", Panes::View::Model},
                 {"show-curves", QT_TR_NOOP("Show Curves"), "F9", Panes::View::Curves}};
    for (const auto& each : views)
        c.add(menu, each.name, tr(each.text), keys(each.shortcut),
              tr("In the last pane, unless it is there already"),
              [this, view = each.view] { m_panes->reveal(view); });
    menu->addSeparator();
    const auto fit = [this](bool selection) {
        if (selection) {
            m_camera->fitSelection();
            m_plan->fitSelection();
            m_section->fitSelection();
            m_model->fitSelection();
        } else {
            m_camera->fitAll();
            m_plan->fitAll();
            m_section->fitAll();
            m_model->fitAll();
            m_curves->fitAll();
            m_timeline->fitAll();
        }
    };
    c.add(menu, "fit-all", tr("Fit all"), keys("F"), tr("Every view shows all of it"), [fit] { fit(false); });
    c.add(menu, "fit-selection", tr("Fit the selection"), keys("Ctrl+Shift+F"), {}, [fit] { fit(true); });
    QAction* folded = c.add(menu, "fold-far", tr("Fold what is far"), keys("D"),
                            tr("In Plan and Section; sight lines stay straight. Off: depth to scale"), [] {});
    folded->setCheckable(true);
    folded->setChecked(m_plan->folded());
    connect(folded, &QAction::toggled, this, [this](bool yes) {
        if (yes == m_plan->folded()) return;
        m_plan->setFolded(yes);
        m_section->setFolded(yes);
    });
    connect(m_plan, &DraftView::scaleChanged, folded,
            [this, folded] { folded->setChecked(m_plan->folded()); });
    QAction* refine = c.add(
        menu, "refine", tr("Refine what stands still"), keys("Shift+R"),
        tr("The Camera view goes on to the final picture, piece by piece, with the shutter open"), [] {});
    refine->setCheckable(true);
    refine->setChecked(m_camera->refining());
    connect(refine, &QAction::toggled, m_camera, &CameraView::setRefining);
    QAction* list = c.add(menu, "list", tr("Compact list of layers"), keys("L"),
                          tr("In place of the ladder, for many"), [] {});
    list->setCheckable(true);
    connect(list, &QAction::toggled, m_ladder, &Ladder::setListing);
    connect(m_ladder, &Ladder::listingChanged, list, &QAction::setChecked);
    QMenu* model = menu->addMenu(tr("Look at the model"));
    const auto look = [&](const char* name, const QString& text, ModelView::Look from) {
        c.add(model, name, text, {}, {}, [this, from] {
            m_panes->reveal(Panes::View::Model);
            m_model->lookFrom(from);
        });
    };
    look("model-free", tr("From aside and above"), ModelView::Look::Free);
    look("model-front", tr("From the front"), ModelView::Look::Front);
    look("model-side", tr("From the side"), ModelView::Look::Side);
    look("model-above", tr("From above"), ModelView::Look::Above);
    QMenu* guides = menu->addMenu(tr("Guides"));
    c.add(guides, "guide-upright", tr("Add an upright guide"), {},
          tr("Drag it; dragged out of the frame it is gone"),
          [this] { m_camera->addGuide(true, m_camera->frameRect().center()); });
    c.add(guides, "guide-level", tr("Add a level guide"), {},
          tr("Drag it; dragged out of the frame it is gone"),
          [this] { m_camera->addGuide(false, m_camera->frameRect().center()); });
    c.add(guides, "guides-none", tr("Remove all guides"), {}, {}, [this] {
        m_session.document.apply({{"edit", "guides"}, {"guides", edit::Edit::array()}});
    });
    menu->addSeparator();
    c.add(menu, "memory", tr("Memory for pictures…"), {}, {}, [this] {
        bool ok = false;
        const int now = static_cast<int>(m_session.sources().budget() >> 20);
        const int megabytes = QInputDialog::getInt(this, tr("Memory for pictures"),
                                                   tr("MB kept for pictures, clips and what is made of "
                                                      "them.\n0: a quarter of this machine's memory."),
                                                   now, 0, 1 << 24, 256, &ok);
        if (!ok) return;
        settings().setValue(QStringLiteral("pictureMegabytes"), megabytes);
        m_session.sources().setBudget(static_cast<std::size_t>(megabytes) << 20);
    });
}

void MainWindow::showGuide() {
    if (!m_guide) m_guide = new GuideWindow(shipped("docs/guide.md"), this);
    m_guide->show();
    m_guide->raise();
    m_guide->activateWindow();
}

void MainWindow::makeHelpMenu(QMenu* menu) {
    auto& c = m_commands;
    c.add(menu, "guide", tr("Guide"), QKeySequence::HelpContents, tr("How things are done, with pictures"),
          [this] { showGuide(); });
    c.add(menu, "demo", tr("Open the demo"), {}, tr("The lantern quay, as a copy: nothing can be spoilt"),
          [this] { openDemo(); });
    c.add(menu, "whats-this", tr("What's this?"), keys("Shift+F1"), tr("Then click on a panel or a field"),
          [] { QWhatsThis::enterWhatsThisMode(); });
    menu->addSeparator();
    c.add(menu, "about", tr("About Open Stage"), {}, {}, [this] {
        QMessageBox::about(this, tr("About Open Stage"),
                           tr("<b>Open Stage 0.1</b><p>Stages pictures at measured depths and moves a camera "
                              "through them.<p>Licence: GPL-3.0-or-later."));
    });
}

void MainWindow::makeMenus() {
    makeSceneMenu(menuBar()->addMenu(tr("Scene")));
    makeEditMenu(menuBar()->addMenu(tr("Edit")));
    makeLayerMenu(menuBar()->addMenu(tr("Layer")));
    makeCameraMenu(menuBar()->addMenu(tr("Camera")));
    makeTimeMenu(menuBar()->addMenu(tr("Time")));
    makeViewMenu(menuBar()->addMenu(tr("View")));
    makeCheckMenu(menuBar()->addMenu(tr("Check")));
    QMenu* output = menuBar()->addMenu(tr("Output"));
    m_commands.add(output, "write", tr("Write movie or pictures…"), keys("Ctrl+R"), {}, [this] {
        m_timeline->setPlaying(false);
        if (const auto job = askOutput(this, *m_session.scene(), m_session.document.path())) write(*job);
    });
    makeHelpMenu(menuBar()->addMenu(tr("Help")));

    m_name = new QLabel;
    m_name->setObjectName(QStringLiteral("dim"));
    m_name->setContentsMargins(0, 7, 14, 0);
    m_name->setMinimumWidth(220);
    m_name->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    menuBar()->setCornerWidget(m_name);
}

void MainWindow::showLayerMenu(const QPoint& global, std::optional<QPointF> inCamera) {
    QMenu menu(this);
    menu.setToolTipsVisible(true);
    const auto add = [&](std::initializer_list<const char*> names) {
        for (const char* name : names)
            if (QAction* action = m_commands.find(QString::fromLatin1(name))) menu.addAction(action);
        menu.addSeparator();
    };
    if (m_session.selection.layers().empty()) {
        add({"select-all", "hide-others", "fit-all"});
        if (inCamera) {
            menu.addAction(tr("Upright guide here"), this,
                           [this, at = *inCamera] { m_camera->addGuide(true, at); });
            menu.addAction(tr("Level guide here"), this,
                           [this, at = *inCamera] { m_camera->addGuide(false, at); });
            menu.addSeparator();
        } else {
            add({"fold-far", "list"});
        }
        add({"paste", "add-card", "find-command"});
    } else {
        add({"rename", "tags", "show", "hide-others", "lock"});
        add({"cut", "copy", "paste"});
        add({"push", "home", "focus-here", "recede"});
        add({"fit-cover", "flip-across", "pivot-foot"});
        add({"group", "ungroup", "follow", "duplicate", "scatter"});
        add({"cut-out", "replace", "fit-selection", "remove"});
    }
    menu.exec(global);
}

void MainWindow::showHistory() {
    QDialog dialog(this);
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
    const auto mark = [=, this] {
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

}
