#include "motion/shadows.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace stage::motion {
namespace {

constexpr double leastRise = 0.01; ///< of light from a direction over the plane: lower makes no end of shadow
constexpr double leastBelow = 0.02;  ///< of a lamp's height over the plane, below it: higher throws as far
constexpr int mostPixels = 16'384;   ///< of what the ground shows, across and down
constexpr double finestPixel = 1e-4; ///< m

/// A place in the world in what is a card's own: px to the right and down, metres off its plane.
struct Own {
    V3d corner;
    M33d inverse;
    V3d metres;
    explicit Own(const Caster& caster) : corner(caster.card.corner) {
        const V3d x = caster.card.across / caster.layer->pixels.x,
                  y = caster.card.down / caster.layer->pixels.y, n = caster.card.normal();
        metres = {x.length(), y.length(), 1};
        inverse = M33d(x.x, x.y, x.z, y.x, y.y, y.z, n.x, n.y, n.z).inverse();
    }
    V3d direction(const V3d& v) const { return v * inverse; }
    V3d operator()(const V3d& p) const { return direction(p - corner); }
};

bool flat(const optics::Surface& card) {
    return card.across.cross(card.down).length() > 1e-12;
}

V3d towards(const scene::Shadow& shadow) {
    const double bearing = radians(shadow.bearing), height = radians(shadow.height);
    return {std::sin(bearing) * std::cos(height), std::sin(height), -std::cos(bearing) * std::cos(height)};
}

const LampAt* lampOf(const scene::Shadow& shadow, const std::vector<LampAt>& lamps) {
    const auto at =
        std::find_if(lamps.begin(), lamps.end(), [&](const LampAt& lamp) { return lamp.id == shadow.from; });
    return shadow.from == 0 || at == lamps.end() ? nullptr : &*at;
}

/// What a plane has of a shadow: from its corner by steps right and down. normal: out of the plane, of length
/// 1, on either side. Nothing where there is no light and nothing dark at contact.
std::optional<ShadowOnCard> fallen(const Caster& caster, const scene::Shadow& shadow,
                                   const std::vector<LampAt>& lamps, const V3d& corner, const V3d& across,
                                   const V3d& down, V3d normal) {
    const LampAt* lamp = lampOf(shadow, lamps);
    const bool lit = shadow.from == 0 || lamp;
    if (!flat(caster.card)) return {};
    ShadowOnCard on;
    on.darkness = lit ? shadow.darkness * caster.opacity : 0;
    on.contact = shadow.contact * caster.opacity;
    if (!(on.darkness > 0) && !(on.contact > 0)) return {};
    const Own own(caster);
    on.caster = caster.pixels;
    on.corner = own(corner), on.across = own.direction(across), on.down = own.direction(down);
    on.metres = own.metres;
    if (lamp) {
        on.light = own(lamp->place);
        on.size = lamp->radius * shadow.softness;
        on.reach = lamp->reach;
    } else {
        on.light = own.direction(towards(shadow));
        on.size = std::tan(radians(shadow.across) / 2) * shadow.softness;
    }
    on.colour = {shadow.colour.r, shadow.colour.g, shadow.colour.b};
    on.contactReach = shadow.contactReach;
    if ((caster.card.centre() - corner).dot(normal) < 0) normal = -normal;
    const V3d up = own.direction(normal);
    on.upwards = {up.x, up.y};
    return on;
}

/// Part of a convex outline on one side: where value(p) >= 0, which is linear.
template <class Value> std::vector<V3d> clipped(const std::vector<V3d>& outline, const Value& value) {
    std::vector<V3d> part;
    for (std::size_t i = 0; i < outline.size(); ++i) {
        const V3d &a = outline[i], &b = outline[(i + 1) % outline.size()];
        const double va = value(a), vb = value(b);
        if (va >= 0) part.push_back(a);
        if ((va < 0) != (vb < 0)) part.push_back(a + (b - a) * (va / (va - vb)));
    }
    return part;
}

/// Across and along the ground, m.
struct Extent {
    V2d low{std::numeric_limits<double>::infinity()}, high{-std::numeric_limits<double>::infinity()};
    void add(const V3d& place, double around) {
        low = {std::min(low.x, place.x - around), std::min(low.y, place.z - around)};
        high = {std::max(high.x, place.x + around), std::max(high.y, place.z + around)};
    }
    void within(const V3d& middle, double radius) {
        low = {std::max(low.x, middle.x - radius), std::max(low.y, middle.z - radius)};
        high = {std::min(high.x, middle.x + radius), std::min(high.y, middle.z + radius)};
    }
    bool empty() const { return !(low.x < high.x && low.y < high.y); }
};

/// Where on the ground a caster's shadow is, with its soft border.
Extent reached(double height, const Caster& caster, const scene::Shadow& shadow,
               const std::vector<LampAt>& lamps) {
    const optics::Surface& card = caster.card;
    const std::vector<V3d> above =
        clipped(std::vector<V3d>{card.corner, card.corner + card.across,
                                 card.corner + card.across + card.down, card.corner + card.down},
                [&](const V3d& p) { return p.y - height; });
    Extent extent;
    if (const LampAt* lamp = lampOf(shadow, lamps)) {
        const double top = lamp->place.y - leastBelow * (lamp->place.y - height);
        if (lamp->place.y > height && shadow.darkness > 0) {
            for (const V3d& p : clipped(above, [&](const V3d& q) { return top - q.y; })) {
                const double k = (lamp->place.y - height) / (lamp->place.y - p.y);
                const V3d on = lamp->place + (p - lamp->place) * k;
                extent.add(on, lamp->radius * shadow.softness * (k - 1));
            }
            extent.within(lamp->place, lamp->reach);
        }
    } else if (shadow.from == 0 && shadow.darkness > 0) {
        if (const V3d way = towards(shadow); way.y > leastRise)
            for (const V3d& p : above) {
                const V3d on = p - way * ((p.y - height) / way.y);
                extent.add(on, (p - on).length() * std::tan(radians(shadow.across) / 2) * shadow.softness /
                                   way.y);
            }
    }
    if (shadow.contact > 0)
        for (const V3d& p : clipped(above, [&](const V3d& q) { return height + shadow.contactReach - q.y; }))
            extent.add({p.x, height, p.z}, shadow.contactReach);
    return extent;
}

}

V3d fromCaster(const ShadowOnCard& shadow, const V2d& place) {
    return shadow.corner + shadow.across * place.x + shadow.down * place.y;
}

std::optional<Crossing> crossingOf(const ShadowOnCard& shadow, const V3d& from) {
    const V3d way = shadow.reach > 0 ? shadow.light - from : shadow.light;
    if (!(from.z * way.z < 0)) return {};
    const double t = -from.z / way.z; // share of the way to the lamp
    if (shadow.reach > 0 && !(t < 1)) return {};
    const V3d crossing = from + way * t;
    const double length = (way * shadow.metres).length() * t;
    // A disc of the light's size, as large as it is seen from the place at the caster's plane.
    return Crossing{{crossing.x, crossing.y}, shadow.reach > 0 ? shadow.size * t : shadow.size * length};
}

ShadowsPtr shadowsOn(const scene::Layer& layer, const optics::Surface& card, const LightPtr& light,
                     const std::vector<Caster>& casters, const std::vector<LampAt>& lamps, const V3d& eye) {
    std::shared_ptr<Shadows> shadows;
    for (const Caster& caster : casters)
        for (const scene::Shadow& shadow : caster.layer->shadows) {
            if (shadow.on != layer.id || caster.layer->id == layer.id || !flat(card)) continue;
            V3d normal = card.normal();
            if ((eye - card.corner).dot(normal) < 0) normal = -normal;
            auto on = fallen(caster, shadow, lamps, card.corner, card.across / layer.pixels.x,
                             card.down / layer.pixels.y, normal);
            if (!on) continue;
            if (light)
                for (const LampOnCard& lamp : light->lamps)
                    if (lamp.id == shadow.from) on->takes = lamp;
            if (!shadows) shadows = std::make_shared<Shadows>();
            shadows->list.push_back(std::move(*on));
        }
    return shadows;
}

namespace {

/// The size of the ground's pixels with which nothing of a shadow is lost, m: those of what throws it, or
/// larger ones where it is soft, a tenth of what the light's disc grows to a metre away.
double fineEnough(const Caster& caster, const scene::Shadow& shadow, const std::vector<LampAt>& lamps) {
    const double own = std::max(caster.card.across.length() / caster.layer->pixels.x,
                                caster.card.down.length() / caster.layer->pixels.y);
    const LampAt* lamp = lampOf(shadow, lamps);
    const double across =
        lamp ? 2 * lamp->radius / std::max((lamp->place - caster.card.centre()).length(), 1e-3)
             : 2 * std::tan(radians(shadow.across) / 2);
    double soft = across * shadow.softness / 10;
    if (shadow.contact > 0) soft = std::min(soft, shadow.contactReach / 50);
    if (!(soft > own)) return own;
    return own * std::exp2(std::floor(std::log2(soft / own))); // does not change with every step of a lamp
}

}

std::optional<GroundShadow> shadowsOnGround(double height, const std::vector<Caster>& casters,
                                            const std::vector<LampAt>& lamps) {
    Extent extent;
    double finest = std::numeric_limits<double>::infinity();
    std::vector<std::pair<const Caster*, const scene::Shadow*>> falling;
    for (const Caster& caster : casters)
        for (const scene::Shadow& shadow : caster.layer->shadows) {
            if (shadow.on != 0) continue;
            const Extent own = reached(height, caster, shadow, lamps);
            if (own.empty()) continue;
            extent.add({own.low.x, 0, own.low.y}, 0), extent.add({own.high.x, 0, own.high.y}, 0);
            finest = std::min(finest, fineEnough(caster, shadow, lamps));
            falling.emplace_back(&caster, &shadow);
        }
    if (falling.empty() || extent.empty()) return {};
    const V2d reach = extent.high - extent.low;
    const double pixel =
        std::max({finest, finestPixel, 1.01 * reach.x / mostPixels, 1.01 * reach.y / mostPixels});
    // Its pixels stay where they are while what throws the shadow moves.
    constexpr int step = 16; // px
    const auto floored = [&](double v) { return std::floor(v / (step * pixel)) * (step * pixel); };
    extent.low = {floored(extent.low.x), floored(extent.low.y)};
    const V2d size = extent.high - extent.low;
    auto layer = std::make_shared<scene::Layer>();
    layer->name = "Shadows on the ground";
    layer->pixels = {std::max(1, static_cast<int>(std::ceil(size.x / pixel))),
                     std::max(1, static_cast<int>(std::ceil(size.y / pixel)))};
    layer->metresPerPixel = pixel;
    layer->content = scene::Card{{{0, {0, 0, 0, 0}}}};
    GroundShadow ground;
    ground.card.corner = {extent.low.x, height, extent.low.y};
    ground.card.across = {layer->pixels.x * pixel, 0, 0};
    ground.card.down = {0, 0, layer->pixels.y * pixel};
    ground.card.front = {0, 1, 0};
    auto shadows = std::make_shared<Shadows>();
    shadows->alone = true;
    for (const auto& [caster, shadow] : falling)
        if (auto on =
                fallen(*caster, *shadow, lamps, ground.card.corner, {pixel, 0, 0}, {0, 0, pixel}, {0, 1, 0}))
            shadows->list.push_back(std::move(*on));
    ground.layer = std::move(layer);
    ground.shadows = std::move(shadows);
    if (ground.shadows->list.empty()) return {};
    return ground;
}

}
