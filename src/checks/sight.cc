#include "checks/sight.h"

namespace stage::checks {

Sight::Sight(const optics::Surface& surface, const optics::View& seen, const scene::Iris& iris)
    : card(surface), view(seen), m_region(seen, surface, iris) {
    const V3d normal = card.across.cross(card.down), to = card.corner - view.eye;
    const double area = normal.dot(normal);
    if (!(area > 0)) return;
    const V3d toS = card.down.cross(normal) / area, toT = normal.cross(card.across) / area;
    // Rays are linear in the place.
    const V3d first = optics::rayThrough(view, V2d(0)), right = optics::rayThrough(view, {1, 0}) - first,
              down = optics::rayThrough(view, {0, 1}) - first;
    const auto along = [&](const V3d& v) { return V3d(first.dot(v), right.dot(v), down.dot(v)); };
    m_along = along(normal), m_s = along(toS), m_t = along(toT);
    m_to = to.dot(normal), m_fromS = -to.dot(toS), m_fromT = -to.dot(toT);
}

double Sight::depthAt(const V2d& place) const {
    if (card.bend != 0) {
        const auto met = optics::meet(view, place, card);
        return met ? met->depth : optics::depthOf(view, card.centre());
    }
    const double along = at(m_along, place);
    return along != 0 ? m_to / along : 0;
}

double Sight::discAt(const V2d& place) const {
    if (view.aperture == 0) return 0;
    const double depth = depthAt(place);
    return depth > 0 ? view.aperture * view.slope * (1 / depth - 1 / view.focus) : 0;
}

std::optional<V2d> Sight::meet(const V2d& place) const {
    if (card.bend != 0) {
        const auto met = optics::meet(view, place, card);
        return met ? std::optional(V2d(met->s, met->t)) : std::nullopt;
    }
    const double along = at(m_along, place);
    if (along == 0) return {};
    const double depth = m_to / along;
    if (!(depth > 1e-9)) return {};
    const V2d met(m_fromS + depth * at(m_s, place), m_fromT + depth * at(m_t, place));
    const bool on =
        met.x >= -card.left && met.x < 1 + card.right && met.y >= -card.top && met.y < 1 + card.bottom;
    return on ? std::optional(met) : std::nullopt;
}

std::vector<Sight> sightsOf(const motion::Item& item, const motion::Frame& frame) {
    const auto sight = [&](const optics::Surface& card, const optics::View& view) {
        return Sight(card, view, frame.iris);
    };
    if (!frame.exposed) return {sight(item.card, frame.view)};
    return {sight(item.open, frame.open), sight(item.card, frame.view), sight(item.close, frame.close)};
}

}
