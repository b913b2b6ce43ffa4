#include "desk/commands/layer_commands.h"
#include "desk/dialogs/layer_dialogs.h"
#include "desk/dialogs/move_dialogs.h"
#include "motion/resolved_scene.h"
#include "optics/view.h"

#include <algorithm>

namespace stage::desk {

// ---- depth

DepthCommands::DepthCommands(const CommandContext& context, QMenu* menu) : CommandGroup(context) {
    add(menu, "push", tr("Push or spread…"), "Ctrl+P",
        tr("The selected layers by the same distance or ratio, or spread between two depths, evenly or in "
           "equal steps of parallax"),
        whenMovable([this] { push(); }));
    const auto step = [&](const char* name, const QString& text, const char* keys, double by) {
        add(menu, name, text, keys, tr("With framing held, when that is on"), whenMovable([this, by] {
                apply(m_session.push({{"by", by}}));
            }));
    };
    step("push-back", tr("Push back by 0.1 m"), "Alt+PgUp", 0.1);
    step("pull-near", tr("Pull nearer by 0.1 m"), "Alt+PgDown", -0.1);
    step("push-back-far", tr("Push back by 1 m"), "Alt+Shift+PgUp", 1);
    step("pull-near-far", tr("Pull nearer by 1 m"), "Alt+Shift+PgDown", -1);
    add(menu, "home", tr("To home depth"), "", {}, whenMovable([this] {
            apply(m_session.push({{"depth", m_session.scene()->homeDepth}}));
        }));
    menu->addSeparator();
    add(menu, "recede", tr("Recede unseen…"), "",
        tr("Over time to another depth, while the picture of it does not change"),
        whenMovable([this] { recede(); }));
    add(menu, "key-place", tr("Key its place here"), "Shift+K",
        tr("Keeps where the layer is at the playhead; between keys it goes straight"),
        whenMovable([this] { apply(m_session.onSelection("key-place")); }));
    add(menu, "remove-place-key", tr("Remove the key here"), "", {},
        whenMovable([this] { apply(m_session.onSelection("remove-place-key")); }));
    menu->addSeparator();
    add(menu, "focus-here", tr("Focus on it"), "Shift+F",
        tr("The lens stays focused on the layer, from every mark or from the one under the playhead; between "
           "two marks with different ones the focus is pulled"),
        whenMovable([this] { focusHere(); }));
}

std::pair<double, double> DepthCommands::depths() const {
    std::pair<double, double> range{1e300, -1e300};
    for (const std::int64_t id : m_session.movable()) {
        const double depth = m_session.now().depthOf(m_session.now().find(id));
        range = {std::min(range.first, depth), std::max(range.second, depth)};
    }
    return range;
}

void DepthCommands::push() {
    const auto [near, far] = depths();
    if (const auto push = askPush(m_window, *m_session.scene(), m_session.movable().size(), near, far,
                                  previewer(), [this](const edit::Edit& how) { return m_session.push(how); }))
        apply(*push);
}

void DepthCommands::recede() {
    if (const auto how = askRecede(m_window, *m_session.scene(), m_session.playhead.time(), depths().second))
        apply(edit::onLayers("recede", m_session.movable(), *how));
}

void DepthCommands::focusHere() {
    const std::int64_t layer = m_session.movable().front();
    const optics::View lens = optics::viewOf(m_session.camera.pose(), m_session.scene()->camera,
                                             m_session.scene()->output.frame);
    if (!(optics::depthOf(lens, optics::pivotOf(m_session.now().find(layer))) > 0.001)) {
        Q_EMIT m_session.problem(tr("It is behind the camera."));
        return;
    }
    edit::Edit edit = {{"edit", "mark"}, {"focusOn", layer}};
    if (const int mark = m_session.camera.markHere(); mark >= 0) edit["mark"] = mark + 1;
    apply(edit);
}

// ---- place

PlaceCommands::PlaceCommands(const CommandContext& context, QMenu* menu) : CommandGroup(context) {
    addFits(menu);
    menu->addSeparator();
    add(menu, "flip-across", tr("Flip across"), "Shift+H", tr("About its pivot"),
        on("flip", {{"along", "across"}}));
    add(menu, "flip-up", tr("Flip top to bottom"), "Shift+V", tr("About its pivot"),
        on("flip", {{"along", "up"}}));
    addPivots(menu);
    menu->addSeparator();
    addAligns(menu);
    add(menu, "distribute-across", tr("Distribute across"), "", tr("Their centres in equal steps"),
        on("distribute", {{"along", "across"}}));
    add(menu, "distribute-up", tr("Distribute up"), "", tr("Their centres in equal steps"),
        on("distribute", {{"along", "up"}}));
}

std::function<void()> PlaceCommands::on(const char* kind, edit::Edit more) {
    return whenMovable([this, kind, more = std::move(more)] { apply(m_session.onSelection(kind, more)); });
}

void PlaceCommands::addFits(QMenu* menu) {
    add(menu, "fit-cover", tr("Cover the frame"), "Ctrl+Alt+F",
        tr("At its depth, on the lens's axis, as large as covers the frame"), on("fit", {{"to", "cover"}}));
    add(menu, "fit-inside", tr("All inside the frame"), "", {}, on("fit", {{"to", "inside"}}));
    add(menu, "fit-width", tr("As wide as the frame"), "", {}, on("fit", {{"to", "width"}}));
    add(menu, "fit-height", tr("As high as the frame"), "", {}, on("fit", {{"to", "height"}}));
    add(menu, "fit-overscan", tr("Cover with overscan…"), "", tr("Larger than the frame by some percent"),
        whenMovable([this] { fitWithOverscan(); }));
}

void PlaceCommands::fitWithOverscan() {
    const auto fit = [this](double percent) {
        return m_session.onSelection("fit", {{"to", "cover"}, {"overscan", percent}});
    };
    if (const auto over = askPercent(m_window, tr("Fit with overscan"), tr("Overscan"), 10,
                                     tr("How much larger than the frame, so that a small move shows no edge"),
                                     previewer(), fit))
        apply(fit(*over));
}

void PlaceCommands::addPivots(QMenu* menu) {
    const auto pivot = [&](const char* name, const QString& text, double across, double up) {
        add(menu, name, text, "", tr("It turns and scales about there; what is seen does not change"),
            on("pivot", {{"to", {across, up}}}));
    };
    pivot("pivot-centre", tr("Pivot to the centre"), 0, 0);
    pivot("pivot-foot", tr("Pivot to the foot"), 0, -0.5);
    addSwitch(menu, "scale-about-axis", tr("Scale about the lens axis"), "",
              tr("Handles in the Camera view scale about the middle of the frame, not the pivot"), false,
              [this](bool yes) { m_session.setScaleAboutAxis(yes); });
}

void PlaceCommands::addAligns(QMenu* menu) {
    const struct {
        const char *name, *text, *to;
    } aligns[] = {{"align-left", QT_TR_NOOP("Align left"), "left"},
                  {"align-centre", QT_TR_NOOP("Align centre"), "centre"},
                  {"align-right", QT_TR_NOOP("Align right"), "right"},
                  {"align-top", QT_TR_NOOP("Align top"), "top"},
                  {"align-middle", QT_TR_NOOP("Align middle"), "middle"},
                  {"align-bottom", QT_TR_NOOP("Align bottom"), "bottom"}};
    for (const auto& each : aligns)
        add(menu, each.name, tr(each.text), "",
            tr("One layer in the frame, several with each other, by what is seen of them"),
            whenMovable([this, to = each.to] {
                const bool several = m_session.movable().size() > 1;
                apply(m_session.onSelection("align", {{"to", to}, {"in", several ? "selection" : "frame"}}));
            }));
}

}
