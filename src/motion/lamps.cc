#include "motion/lamps.h"

#include <algorithm>
#include <cmath>

namespace stage::motion {

std::vector<LampAt> lampsAt(const ResolvedScene& now) {
    std::vector<LampAt> lamps;
    const auto gather = [&](const auto& self, const std::vector<scene::LayerPtr>& layers,
                            double opacity) -> void {
        for (const scene::LayerPtr& layer : layers) {
            const double seen =
                layer->visible ? opacity * layer->opacity * shownAt(layer->showing, now.time) : 0;
            if (seen <= 0) continue;
            if (const scene::Group* group = layer->group()) self(self, group->children, seen);
            const auto* lamp = std::get_if<scene::Lamp>(&layer->content);
            if (!lamp) continue;
            const optics::Affine frame =
                optics::worldOf(now.find(layer->id).carriers) * optics::frameOf(*layer);
            const double scale = frame.x.length();
            const V3d colour(lamp->colour.r, lamp->colour.g, lamp->colour.b);
            lamps.push_back({frame.origin, colour * (seen * std::exp2(lamp->strength)),
                             lamp->radius() * scale, lamp->reach * scale, lamp->halo, layer->id});
        }
    };
    gather(gather, now.scene.layers, 1);
    return lamps;
}

double falloff(double distance, double radius, double reach) {
    if (!(distance < reach)) return 0;
    const double near = std::max(distance, radius), light = radius * radius / (near * near);
    const double t = (distance / reach - scene::Lamp::fades) / (1 - scene::Lamp::fades);
    return t <= 0 ? light : light * (1 - t * t * (3 - 2 * t));
}

LightPtr lightOn(const scene::Layer& layer, const optics::Surface& card, const std::vector<LampAt>& lamps,
                 const scene::Ambient& ambient, const V3d& eye) {
    if (!layer.shading) return nullptr;
    const V3d across = card.across / layer.pixels.x, down = card.down / layer.pixels.y;
    const double wide = across.length(), high = down.length();
    auto light = std::make_shared<Light>();
    light->shading = *layer.shading;
    light->ambient = V3d(ambient.colour.r, ambient.colour.g, ambient.colour.b) * ambient.level;
    light->perPixel = {wide, high};
    if (!(wide > 0) || !(high > 0)) return light;
    V3d normal = card.normal();
    if ((eye - card.corner).dot(normal) < 0) normal = -normal;
    for (const LampAt& lamp : lamps) {
        const V3d from = lamp.place - card.corner;
        const LampOnCard on{{from.dot(across) / (wide * wide), from.dot(down) / (high * high)},
                            from.dot(normal),
                            lamp.light,
                            lamp.radius,
                            lamp.reach,
                            lamp.id};
        // As near as it comes to the picture and what it goes on by.
        const double x = on.at.x -
                         std::clamp(on.at.x, -card.left * layer.pixels.x, (1 + card.right) * layer.pixels.x),
                     y = on.at.y -
                         std::clamp(on.at.y, -card.top * layer.pixels.y, (1 + card.bottom) * layer.pixels.y);
        if (V3d(x * wide, y * high, on.off).length() < lamp.reach) light->lamps.push_back(on);
    }
    return light;
}

namespace {

/// What comes of a lamp at a place: its light there, and the way to it (right, down, out of the card) of
/// length 1; in the very lamp, none.
struct Coming {
    V3d light, way;
};
Coming comingFrom(const Light& light, const LampOnCard& lamp, const V2d& place) {
    const V3d to((lamp.at.x - place.x) * light.perPixel.x, (lamp.at.y - place.y) * light.perPixel.y,
                 lamp.off);
    const double distance = to.length(), left = falloff(distance, lamp.radius, lamp.reach);
    return {lamp.light * left, distance > 0 ? to / distance : V3d(0)};
}

/// A lamp in the very card lights neither side.
double taken(const scene::Shading& shading, double cosine) {
    return cosine > 0 ? shading.front * cosine : -shading.translucency * cosine;
}

}

V3d lightAt(const Light& light, const V2d& place, const V2d& outwards, double sine) {
    V3d sum = light.ambient;
    const double cosine = std::sqrt(std::max(0.0, 1 - sine * sine));
    for (const LampOnCard& lamp : light.lamps) {
        const auto [comes, way] = comingFrom(light, lamp, place);
        double share = taken(light.shading, way.z);
        if (sine > 0)
            share += light.shading.edge.strength * sine *
                     std::max(0.0, sine * (outwards.x * way.x + outwards.y * way.y) + cosine * way.z);
        sum += comes * share;
    }
    return sum;
}

void lightAt(const Light& light, TurnedPlaces& places) {
    TurnedPlaces& p = places;
    for (std::size_t i = 0; i < p.count; ++i) {
        p.red[i] = static_cast<float>(light.ambient.x);
        p.green[i] = static_cast<float>(light.ambient.y);
        p.blue[i] = static_cast<float>(light.ambient.z);
    }
    const Imath::V2f metres(light.perPixel);
    const auto front = static_cast<float>(light.shading.front),
               behind = static_cast<float>(light.shading.translucency),
               edge = static_cast<float>(light.shading.edge.strength);
    constexpr auto fades = static_cast<float>(scene::Lamp::fades);
    for (const LampOnCard& lamp : light.lamps) {
        const Imath::V3f at(static_cast<float>(lamp.at.x * light.perPixel.x),
                            static_cast<float>(lamp.at.y * light.perPixel.y), static_cast<float>(lamp.off)),
            gives(lamp.light);
        const auto radius = static_cast<float>(lamp.radius), perReach = static_cast<float>(1 / lamp.reach);
        for (std::size_t i = 0; i < p.count; ++i) {
            const float x = at.x - p.x[i] * metres.x, y = at.y - p.y[i] * metres.y;
            const float distance = std::sqrt(x * x + y * y + at.z * at.z);
            const float back = 1 / std::max(distance, 1e-20f), near = radius / std::max(distance, radius);
            const float t = std::clamp((distance * perReach - fades) / (1 - fades), 0.f, 1.f);
            const float left = near * near * (1 - t * t * (3 - 2 * t));
            const float out = at.z * back, sine = p.sine[i],
                        cosine = std::sqrt(std::max(0.f, 1 - sine * sine));
            const float turned = sine * (p.right[i] * x + p.down[i] * y) * back + cosine * out;
            const float share =
                left * (std::max(front * out, -behind * out) + edge * sine * std::max(0.f, turned));
            p.red[i] += gives.x * share;
            p.green[i] += gives.y * share;
            p.blue[i] += gives.z * share;
        }
    }
}

V3d lightAt(const Light& light, const LampOnCard& lamp, const V2d& place) {
    const auto [comes, way] = comingFrom(light, lamp, place);
    return comes * taken(light.shading, way.z);
}

V3d lightOnNormal(const Light& light, const V2d& place, const V3d& normal) {
    V3d sum = light.ambient;
    for (const LampOnCard& lamp : light.lamps) {
        const auto [comes, way] = comingFrom(light, lamp, place);
        const double cosine = normal.x * way.x - normal.y * way.y + normal.z * way.z;
        // What comes from behind the card goes through it however it is turned.
        sum +=
            comes * (way.z > 0 ? light.shading.front * std::max(0.0, cosine) : taken(light.shading, way.z));
    }
    return sum;
}

V3d lightThrough(const std::vector<LampAt>& lamps, const scene::Ambient& ambient, double front,
                 const V3d& place) {
    V3d sum = V3d(ambient.colour.r, ambient.colour.g, ambient.colour.b) * ambient.level;
    for (const LampAt& lamp : lamps)
        sum += lamp.light * (front * falloff((lamp.place - place).length(), lamp.radius, lamp.reach));
    return sum;
}

double lightAlong(const LampAt& lamp, const V3d& eye, const V3d& along, double a, double b) {
    const V3d to = lamp.place - eye;
    const double middle = to.dot(along), off = (to - along * middle).length();
    if (!(off < lamp.reach)) return 0;
    const double half = std::sqrt(lamp.reach * lamp.reach - off * off);
    a = std::max(a, middle - half), b = std::min(b, middle + half);
    if (!(a < b)) return 0;
    const double r = lamp.radius;
    // (r / distance)^2 outside of the lamp; within it, as bright as at its radius.
    const auto outside = [&](double from, double until) {
        if (!(from < until)) return 0.0;
        if (off < 1e-9 * lamp.reach)
            return r * r * (1 / std::abs(from) - 1 / std::abs(until)) * (from < 0 ? -1 : 1);
        return r * r / off * (std::atan(until / off) - std::atan(from / off));
    };
    const double inside = off < r ? std::sqrt(r * r - off * off) : 0;
    const double x = a - middle, y = b - middle;
    double sum = inside > 0 ? std::max(0.0, std::min(y, inside) - std::max(x, -inside)) +
                                  outside(x, std::min(y, -inside)) + outside(std::max(x, inside), y)
                            : outside(x, y);
    sum -= r * r / (lamp.reach * lamp.reach) * (b - a);
    return std::max(0.0, sum);
}

}
