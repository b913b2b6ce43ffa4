#include "desk/commands/layer_commands.h"

#include "desk/camera/camera_view.h"
#include "desk/commands/air_commands.h"
#include "desk/cutting/cut_view.h"
#include "desk/dialogs/layer_dialogs.h"
#include "desk/files/media_files.h"
#include "desk/kit/question.h"

#include <QComboBox>
#include <algorithm>

namespace stage::desk {
namespace {

bool isIn(const std::vector<std::int64_t>& ids, std::int64_t id) {
    return std::find(ids.begin(), ids.end(), id) != ids.end();
}

bool holdsOneOf(const std::vector<std::int64_t>& ids, const scene::Layer& layer,
                const std::vector<scene::LayerPath>& all) {
    return std::any_of(all.begin(), all.end(), [&](const scene::LayerPath& each) {
        return isIn(ids, each.layer->id) &&
               std::any_of(each.holders.begin(), each.holders.end(),
                           [&](const auto& holder) { return holder->id == layer.id; });
    });
}

/// The tags that all of the layers have.
std::vector<std::string> commonTags(const scene::Scene& scene, const std::vector<std::int64_t>& layers) {
    std::vector<std::string> common = scene::find(scene, layers.front()).layer->tags;
    for (const std::int64_t id : layers) {
        const auto& tags = scene::find(scene, id).layer->tags;
        std::erase_if(common, [&](const std::string& tag) {
            return std::find(tags.begin(), tags.end(), tag) == tags.end();
        });
    }
    return common;
}

}

LayerCommands::LayerCommands(const CommandContext& context, QMenu* menu, MediaFiles& media)
    : CommandGroup(context) {
    addNames(menu);
    addVisibility(menu);
    menu->addSeparator();
    new DepthCommands(context, menu->addMenu(tr("Depth")));
    new PlaceCommands(context, menu->addMenu(tr("Place")));
    menu->addSeparator();
    addGroups(menu);
    menu->addSeparator();
    addContent(context, menu, media);
}

void LayerCommands::addNames(QMenu* menu) {
    add(menu, "rename", tr("Rename…"), "F2", {}, whenSelected([this] { rename(); }));
    add(menu, "tags", tr("Tags…"), "", tr("Words to search layers by, with commas between"),
        whenSelected([this] { editTags(); }));
}

void LayerCommands::addVisibility(QMenu* menu) {
    add(menu, "show", tr("Show or hide"), "V", {}, whenSelected([this] { showOrHide(); }));
    add(menu, "hide-others", tr("Hide others, or show all"), "Ctrl+H",
        tr("All but the selected layers are hidden; once more shows all"), [this] { hideOthers(); });
    add(menu, "lock", tr("Lock or unlock"), "Ctrl+L", tr("A locked layer can neither be picked nor moved"),
        whenSelected([this] { lockOrUnlock(); }));
}

void LayerCommands::addGroups(QMenu* menu) {
    add(menu, "group", tr("Group"), "Ctrl+G", {},
        whenSelected([this] { m_session.addLayers(edit::onLayers("group", m_session.selection.layers())); }));
    add(menu, "ungroup", tr("Take out of the group"), "Ctrl+Shift+G", tr("Dissolves the selected groups"),
        whenSelected([this] { apply(edit::onLayers("ungroup", m_session.selection.layers())); }));
    add(menu, "follow", tr("Follow a layer…"), "",
        tr("The selected layers are carried by another one, and stay where they are"),
        whenMovable([this] { follow(); }));
    add(menu, "duplicate", tr("Duplicate"), "Ctrl+D", {}, whenSelected([this] {
            m_session.addLayers(edit::onLayers("duplicate", m_session.selection.layers()));
        }));
    add(menu, "scatter", tr("Scatter…"), "",
        tr("Copies at random places, turns and sizes in a box; on a scattered group, scatters again"),
        whenMovable([this] { scatter(); }));
}

void LayerCommands::addContent(const CommandContext& context, QMenu* menu, MediaFiles& media) {
    add(menu, "cut-out", tr("Cut out"), "C", {}, [this] { m_views.setCutting(!m_views.cutting()); });
    add(menu, "split", tr("Split a photograph…"), "Ctrl+T", {}, whenSelected([this] {
            m_views.setCutting(true);
            m_views.cut->startSplit();
        }));
    add(menu, "replace", tr("Replace media…"), "", tr("Another file in its place; its place and width stay"),
        whenSelected([&media] { media.replaceSelected(); }));
    add(menu, "add-text", tr("Add text…"), "Shift+T", {}, [this] {
        if (const auto edit = askText(m_window)) apply(*edit);
    });
    add(menu, "add-card", tr("Add a colour card"), "", {}, [this] { apply({{"edit", "add-card"}}); });
    new AirCommands(context, menu->addMenu(tr("Air and light")));
    menu->addSeparator();
    add(menu, "remove", tr("Remove"), QKeySequence::Delete, {},
        whenMovable([this] { apply(edit::onLayers("remove", m_session.movable())); }));
}

void LayerCommands::rename() {
    const auto found = m_session.selection.only();
    if (!found.layer) return say(tr("Select one layer to rename it."));
    const auto name =
        askForText(m_window, tr("Rename"), tr("Name"), QString::fromStdString(found.layer->name));
    if (name) apply({{"edit", "rename"}, {"layer", found.layer->id}, {"name", name->toStdString()}});
}

void LayerCommands::editTags() {
    // What all of them have is shown, and taken off where it is deleted.
    const auto common = commonTags(*m_session.scene(), m_session.selection.layers());
    QStringList names;
    for (const std::string& tag : common)
        names << QString::fromStdString(tag);
    const auto text =
        askForText(m_window, tr("Tags"), tr("Tags, with commas between"), names.join(QStringLiteral(", ")));
    if (!text) return;
    std::vector<std::string> wanted, gone;
    for (const QString& each : text->split(QLatin1Char(','), Qt::SkipEmptyParts))
        if (!each.trimmed().isEmpty()) wanted.push_back(each.trimmed().toStdString());
    for (const std::string& tag : common)
        if (std::find(wanted.begin(), wanted.end(), tag) == wanted.end()) gone.push_back(tag);
    edit::Edit edit = edit::onLayers("tag", m_session.selection.layers());
    if (!wanted.empty()) edit["add"] = wanted;
    if (!gone.empty()) edit["remove"] = gone;
    apply(edit);
}

void LayerCommands::showOrHide() {
    const auto& chosen = m_session.selection.layers();
    const bool any = std::any_of(chosen.begin(), chosen.end(), [this](std::int64_t id) {
        return scene::find(*m_session.scene(), id).layer->visible;
    });
    apply(edit::onLayers("look", chosen, {{"visible", !any}}));
}

void LayerCommands::hideOthers() {
    const auto& chosen = m_session.selection.layers();
    const auto all = scene::all(*m_session.scene());
    std::vector<std::int64_t> others, hidden;
    for (const scene::LayerPath& found : all) {
        if (!found.layer->visible) {
            hidden.push_back(found.layer->id);
            continue;
        }
        const bool inside = std::any_of(found.holders.begin(), found.holders.end(),
                                        [&](const auto& holder) { return isIn(chosen, holder->id); });
        if (!inside && !isIn(chosen, found.layer->id) && !holdsOneOf(chosen, *found.layer, all))
            others.push_back(found.layer->id);
    }
    if (!chosen.empty() && !others.empty())
        apply(edit::several("Hide others", {edit::onLayers("look", others, {{"visible", false}})}));
    else if (!hidden.empty())
        apply(edit::several("Show all", {edit::onLayers("look", hidden, {{"visible", true}})}));
}

void LayerCommands::lockOrUnlock() {
    const auto& chosen = m_session.selection.layers();
    const bool all = std::all_of(chosen.begin(), chosen.end(), [this](std::int64_t id) {
        return scene::find(*m_session.scene(), id).layer->locked;
    });
    apply(edit::onLayers("lock", chosen, {{"locked", !all}}));
}

void LayerCommands::follow() {
    Form form(m_window, tr("Follow"), tr("Follow"));
    const auto chosen = m_session.movable();
    auto* leader = layerRow(form, *m_session.scene(), tr("Carried by"), tr("nothing"), 0, chosen);
    leader->setObjectName(QStringLiteral("leader"));
    const auto edit = askEdit(form, *m_session.scene(), [&](QString&) {
        const auto id = leader->currentData().toLongLong();
        return edit::onLayers("follow", chosen, {{"leader", id ? edit::Edit(id) : edit::Edit(nullptr)}});
    });
    if (edit) apply(*edit);
}

void LayerCommands::scatter() {
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
    if (const auto edit = askScatter(m_window, *m_session.scene(), found.layer->id, now, again, previewer()))
        apply(*edit);
}

void LayerCommands::showMenu(const QPoint& global, std::optional<QPointF> inCamera) {
    QMenu menu(m_window);
    menu.setToolTipsVisible(true);
    if (m_session.selection.layers().empty()) {
        offer(menu, {"select-all", "hide-others", "fit-all"});
        if (inCamera) {
            CameraView* camera = m_views.camera;
            menu.addAction(tr("Upright guide here"), camera,
                           [camera, at = *inCamera] { camera->addGuide(true, at); });
            menu.addAction(tr("Level guide here"), camera,
                           [camera, at = *inCamera] { camera->addGuide(false, at); });
            menu.addSeparator();
        } else {
            offer(menu, {"fold-far", "list"});
        }
        offer(menu, {"paste", "add-card", "find-command"});
    } else {
        offer(menu, {"rename", "tags", "show", "hide-others", "lock"});
        offer(menu, {"cut", "copy", "paste"});
        offer(menu, {"push", "home", "focus-here", "recede"});
        offer(menu, {"fit-cover", "flip-across", "pivot-foot"});
        offer(menu, {"group", "ungroup", "follow", "duplicate", "scatter"});
        offer(menu, {"cut-out", "replace", "fit-selection", "remove"});
    }
    menu.exec(global);
}

}
