#include "desk/camera/layer_drag.h"

#include "desk/kit/number_field.h"
#include "motion/measure.h"
#include "optics/placing.h"
#include "scene/hanging_json.h"
#include "scene/output_json.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

constexpr double catchPixels = 6;
constexpr double degreesEach = 0.4; ///< of turning, for one px
constexpr double turnStep = 15;
constexpr int mostLooked = 60; ///< layers whose edges are caught on

}

std::optional<interaction::HandlePlane> LayerDrag::planeOf(const Session& session,
                                                           const scene::LayerPath& found) {
    const motion::ResolvedScene& now = session.now();
    const motion::Measure m = motion::measureAt(now, found);
    return interaction::handlePlane(found, now.view, m.low, m.high);
}

scene::LayerPath LayerDrag::before() const {
    return scene::find(*m_session.document.history().scene(), m_session.selection.layers().front());
}

bool LayerDrag::begin(const interaction::Handle& handle, const V2d& place) {
    m_plane = planeOf(m_session, m_session.now().find(m_session.selection.layers().front()));
    const auto share = m_plane ? interaction::shareAt(*m_plane, view(), place) : std::nullopt;
    if (!share) return false;
    m_handle = handle;
    m_shareFrom = *share;
    return true;
}

void LayerDrag::begin(std::int64_t layer, const V2d& place) {
    const scene::LayerPath& found = m_session.now().find(layer);
    const optics::Surface card = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers));
    const auto hit =
        found.layer->group() ? std::nullopt : optics::meet(view(), place, card.corner, card.normal());
    m_grip = hit ? *hit : optics::pivotOf(found);
    m_depthFrom = m_session.now().depthOf(found);
    m_layer = layer;
}

void LayerDrag::end() {
    m_handle.reset();
    m_plane.reset();
    m_layer = 0;
    m_upright.clear();
    m_level.clear();
}

// ---- sliding: the point under the hand stays under the hand

QString LayerDrag::slideTo(const V2d& place, Qt::KeyboardModifiers keys, double pixel) {
    m_upright.clear();
    m_level.clear();
    const scene::LayerPath found = m_session.now().find(m_layer);
    if (!found.layer) return {};
    const optics::View lens = view();
    optics::Surface card;
    card.across = lens.right;
    card.down = -lens.up;
    if (!found.layer->group()) card = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers));
    const auto hit = optics::meet(lens, place, m_grip, card.normal());
    if (!hit) return {};
    V3d by = *hit - m_grip;
    const V3d across = card.across.normalized(), down = card.down.normalized();
    if (keys & Qt::ShiftModifier) { // along one edge only
        const double a = by.dot(across), d = by.dot(down);
        by = std::abs(a) > std::abs(d) ? across * a : down * d;
    }
    const auto slide = [&](const V3d& v) {
        m_session.document.preview(m_session.onSelection("slide", {{"by", {v.x, v.y, v.z}}}));
    };
    slide(by);
    QString also;
    if (!(keys & Qt::ControlModifier)) {
        const V3d more = caught(m_session.now().find(m_layer), catchPixels * pixel);
        if (more.length() > 0) slide(by += more);
        for (const auto* lines : {&m_upright, &m_level})
            for (const interaction::SnapLine& line : *lines)
                if (line.name[0]) also += QStringLiteral(" · ") + tr(line.name);
    }
    return tr("across %1 m, up %2 m").arg(figure(by.dot(across), 2), figure(-by.dot(down), 2)) + also;
}

LayerDrag::Lines LayerDrag::linesToCatch() const {
    const motion::ResolvedScene& now = m_session.now();
    const V2d frame(m_session.scene()->output.frame);
    Lines lines;
    const auto both = [&](double share, const char* name) {
        lines.upright.push_back({frame.x * share, name});
        lines.level.push_back({frame.y * share, name});
    };
    both(0.5, QT_TR_NOOP("centre"));
    both(1 / 3.0, QT_TR_NOOP("third"));
    both(2 / 3.0, QT_TR_NOOP("third"));
    both(0, QT_TR_NOOP("edge"));
    both(1, QT_TR_NOOP("edge"));
    for (const scene::Guide& guide : m_session.scene()->output.guides)
        (guide.upright ? lines.upright : lines.level)
            .push_back({(guide.upright ? frame.x : frame.y) * guide.at, QT_TR_NOOP("guide")});
    int looked = 0;
    for (const scene::LayerPath& other : now.all) {
        if (other.layer->group() || !other.layer->visible || m_session.selection.contains(other.layer->id) ||
            ++looked > mostLooked)
            continue;
        const motion::Measure o = motion::measureAt(now, other);
        if (!o.corners) continue;
        const char* name = QT_TR_NOOP("another layer's edge");
        for (const double x : {o.low.x, o.high.x})
            if (x > 0 && x < frame.x) lines.upright.push_back({x, name});
        for (const double y : {o.low.y, o.high.y})
            if (y > 0 && y < frame.y) lines.level.push_back({y, name});
    }
    return lines;
}

V3d LayerDrag::caught(const scene::LayerPath& moved, double reach) {
    const motion::ResolvedScene& now = m_session.now();
    const motion::Measure m = motion::measureAt(now, moved);
    const double depth = optics::depthOf(now.view, optics::pivotOf(moved));
    if (!m.corners || !(depth > 1e-6)) return V3d(0);
    const Lines lines = linesToCatch();
    const double xs[] = {m.low.x, (m.low.x + m.high.x) / 2, m.high.x},
                 ys[] = {m.low.y, (m.low.y + m.high.y) / 2, m.high.y};
    V3d by(0);
    if (const auto caughtX = interaction::snap(xs, lines.upright, reach)) {
        by += now.view.right * (caughtX->by * depth / now.view.slope);
        m_upright.push_back(caughtX->line);
    }
    // The ground comes before lines of the frame: a foot that stands is worth more.
    const double ground = now.scene.ground;
    double lowest = 1e300; // above the ground
    for (const V3d& point : motion::outlineOf(now, moved))
        lowest = std::min(lowest, point.y - ground);
    if (std::abs(lowest) * now.view.slope / depth < reach && std::abs(now.view.up.y) > 0.5) {
        by.y -= lowest + by.y;
        const V3d foot = optics::pivotOf(moved);
        if (const auto place = optics::project(now.view, {foot.x, ground, foot.z}))
            m_level.push_back({place->y, QT_TR_NOOP("on the ground")});
    } else if (const auto caughtY = interaction::snap(ys, lines.level, reach)) {
        by -= now.view.up * (caughtY->by * depth / now.view.slope);
        m_level.push_back(caughtY->line);
    }
    return by;
}

// ---- handles

QString LayerDrag::handleTo(const V2d& place, Qt::KeyboardModifiers keys) {
    const auto share = interaction::shareAt(*m_plane, view(), place);
    if (!share) return {};
    switch (m_handle->kind) {
    case interaction::Handle::Kind::Pivot:
        return movePivot(*share, keys);
    case interaction::Handle::Kind::Turn:
        return turnTo(*share, keys);
    case interaction::Handle::Kind::Foot:
        return moveFoot(*share);
    default:
        return scaleTo(*share, keys);
    }
}

QString LayerDrag::movePivot(V2d share, Qt::KeyboardModifiers keys) {
    if (!(keys & Qt::ControlModifier)) // catches on corners, edges and the middle
        for (double* each : {&share.x, &share.y})
            for (const double at : {0.0, 0.5, 1.0})
                if (std::abs(*each - at) < 0.03) *each = at;
    edit::Edit edit = m_session.onSelection("pivot", {{"to", {share.x - 0.5, 0.5 - share.y}}});
    if (m_plane->group) {
        // In the group's own metres.
        const scene::LayerPath found = before();
        const optics::Affine own = optics::worldOf(found.carriers) * optics::frameOf(found.layer->placement);
        const V3d at = own.inverse(m_plane->card.at(share.x, share.y));
        const V2d pivot = found.layer->hanging.pivot + V2d(at.x, at.y);
        edit["to"] = {pivot.x, pivot.y};
    }
    m_session.document.preview(edit);
    return tr("pivot at %1 % across, %2 % up").arg(figure(share.x * 100, 0), figure(100 - share.y * 100, 0));
}

QString LayerDrag::moveFoot(const V2d& share) {
    const scene::LayerPath found = before();
    if (!found.layer->standing) return {};
    const std::int64_t on = found.layer->standing->on;
    m_session.document.preview({{"edit", "stand"},
                                {"layers", {found.layer->id}},
                                {"on", on != 0 ? edit::Edit(on) : edit::Edit("ground")},
                                {"foot", {std::clamp(share.x, 0.0, 1.0), std::clamp(share.y, 0.0, 1.0)}}});
    return tr("foot at %1 % across, %2 % up").arg(figure(share.x * 100, 0), figure(100 - share.y * 100, 0));
}

QString LayerDrag::turnTo(const V2d& share, Qt::KeyboardModifiers keys) {
    double by = interaction::turnBetween(*m_plane, m_shareFrom, share);
    const scene::LayerPath found = before();
    V3d turn = m_session.placementNow(found.layer->id).turn;
    if (keys & Qt::ShiftModifier) by = std::round((turn.z + by) / turnStep) * turnStep - turn.z;
    turn.z += by;
    m_session.document.preview({{"edit", "place"},
                                {"layer", found.layer->id},
                                {"turn", scene::toJson(turn)},
                                {"time", m_session.playhead.time().text()}});
    return tr("roll %1°, by %2°").arg(figure(turn.z, 1), figure(by, 1));
}

QString LayerDrag::scaleTo(const V2d& share, Qt::KeyboardModifiers keys) {
    const V2d k = interaction::growth(*m_plane, *m_handle, m_shareFrom, share, !(keys & Qt::ShiftModifier));
    edit::Edit edit = m_session.onSelection("scale", {{"by", {k.x, k.y}}});
    if (m_session.scaleAboutAxis()) edit["about"] = "axis";
    m_session.document.preview(edit);
    const motion::Measure m =
        motion::measureAt(m_session.now(), m_session.now().find(m_session.selection.layers().front()));
    return tr("%1 × %2 m · %3 × %4 %")
        .arg(figure(m.metres.x, 2), figure(m.metres.y, 2), figure(k.x * 100, 0), figure(k.y * 100, 0));
}

// ---- pushing and turning

QString LayerDrag::pushBy(double ratio) {
    m_session.document.preview(m_session.push({{"ratio", ratio}}));
    const auto measured = motion::measureAt(m_session.now(), m_session.now().find(m_layer));
    return tr("depth %1 m, from %2 m · blur %3 px")
        .arg(figure(measured.depth, 2), figure(m_depthFrom, 2), figure(measured.blur, 1));
}

QString LayerDrag::turnBy(const V2d& by, Qt::KeyboardModifiers keys) {
    const auto degrees = [&](double pixels) {
        const double all = pixels * degreesEach;
        return keys & Qt::ControlModifier ? std::round(all / turnStep) * turnStep : all;
    };
    const bool roll = keys & Qt::ShiftModifier;
    const double aside = roll ? 0 : degrees(by.x), lean = roll ? 0 : degrees(by.y),
                 turned = roll ? degrees(-by.x) : 0;
    const auto layers = m_session.movable();
    std::vector<edit::Edit> edits;
    for (const std::int64_t id : layers)
        edits.push_back({{"edit", "place"},
                         {"layer", id},
                         {"turn", scene::toJson(m_session.placementNow(id).turn + V3d(lean, aside, turned))},
                         {"time", m_session.playhead.time().text()}});
    m_session.document.preview(
        edits.size() == 1 ? edits.front()
                          : edit::several("Turn " + std::to_string(layers.size()) + " layers", edits));
    return roll ? tr("roll by %1°").arg(figure(turned, 1))
                : tr("turn by %1°, lean by %2°").arg(figure(aside, 1), figure(-lean, 1));
}

}
