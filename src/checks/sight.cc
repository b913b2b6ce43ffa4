#include "checks/sight.h"

#include <algorithm>
#include <cmath>

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

namespace {

/// Evenly accelerated through what is there at -1, 0 and 1.
template <class T> T between(const T& open, const T& middle, const T& close, double t) {
    return middle + (close - open) * (t / 2) + (open + close - middle * 2.0) * (t * t / 2);
}

optics::Surface between(const optics::Surface& open, const optics::Surface& middle,
                        const optics::Surface& close, double t) {
    optics::Surface card = middle;
    for (const auto part : {&optics::Surface::corner, &optics::Surface::across, &optics::Surface::down})
        card.*part = between(open.*part, middle.*part, close.*part, t);
    card.front = between(open.front, middle.front, close.front, t).normalized();
    card.bend = between(open.bend, middle.bend, close.bend, t);
    return card;
}

optics::View between(const optics::View& open, const optics::View& middle, const optics::View& close,
                     double t) {
    optics::View view = middle;
    view.eye = between(open.eye, middle.eye, close.eye, t);
    view.forward = between(open.forward, middle.forward, close.forward, t).normalized();
    const V3d up = between(open.up, middle.up, close.up, t);
    view.right = view.forward.cross(up).normalized();
    view.up = view.right.cross(view.forward);
    view.centre = between(open.centre, middle.centre, close.centre, t);
    for (const auto part : {&optics::View::slope, &optics::View::aperture, &optics::View::focus})
        view.*part = between(open.*part, middle.*part, close.*part, t);
    return view;
}

/// Less is not looked for, px.
constexpr double leastTurn = 0.02;

}

Moments::Moments(const motion::Frame& frame) : m_frame(frame) {
    if (!frame.exposed) {
        m_views = {frame.view};
        return;
    }
    m_times = {-1, 0, 1};
    m_views = {frame.open, frame.view, frame.close};
    addTurns(frame.items);
}

void Moments::addTurns(const std::vector<motion::Item>& items) {
    constexpr std::size_t most = 8;
    constexpr double apart = 0.05; ///< of the exposure's half
    const auto look = [&](double a, double b, double c) {
        const double curve = (a + c) / 2 - b, drift = (c - a) / 2;
        if (std::abs(curve) < leastTurn || std::abs(drift) >= 2 * std::abs(curve)) return;
        const double t = -drift / (2 * curve), reached = b + t * (drift + t * curve);
        const double beyond = curve < 0 ? reached - std::max({a, b, c}) : std::min({a, b, c}) - reached;
        if (beyond < leastTurn || m_times.size() >= most ||
            std::any_of(m_times.begin(), m_times.end(),
                        [&](double other) { return std::abs(other - t) < apart; }))
            return;
        m_times.push_back(t);
        m_views.push_back(between(m_frame.open, m_frame.view, m_frame.close, t));
    };
    for (const motion::Item& item : items) {
        addTurns(item.items);
        if (item.flattened) continue;
        for (const double s : {0.0, 1.0})
            for (const double t : {0.0, 1.0}) {
                const auto seen = [&](const optics::Surface& card, const optics::View& view) {
                    return optics::project(view, card.at(s, t));
                };
                const auto a = seen(item.open, m_frame.open), b = seen(item.card, m_frame.view),
                           c = seen(item.close, m_frame.close);
                if (!a || !b || !c) continue;
                look(a->x, b->x, c->x);
                look(a->y, b->y, c->y);
            }
    }
}

std::vector<Sight> Moments::of(const motion::Item& item) const {
    if (m_times.size() == 1) return {Sight(item.card, m_views[0], m_frame.iris)};
    std::vector<Sight> sights;
    sights.reserve(m_times.size());
    for (std::size_t i = 0; i < m_times.size(); ++i) {
        const optics::Surface card = i == 0   ? item.open
                                     : i == 1 ? item.card
                                     : i == 2 ? item.close
                                              : between(item.open, item.card, item.close, m_times[i]);
        sights.emplace_back(card, m_views[i], m_frame.iris);
    }
    return sights;
}

}
