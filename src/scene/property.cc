#include "scene/property.h"

#include <algorithm>
#include <array>

namespace stage::scene {
namespace {

constexpr double far = Limits::metres, turns = 36'000;

/// A number of layers whose content is of one kind.
template <class Content, class Number>
constexpr Property<Layer> of(std::string_view name, std::string_view unit, double low, double high, Number) {
    return {name,
            unit,
            low,
            high,
            [](const Layer& l) {
                const auto* content = std::get_if<Content>(&l.content);
                return content ? static_cast<double>(Number()(*content)) : 0;
            },
            [](Layer& l, double v) {
                if (auto* content = std::get_if<Content>(&l.content)) {
                    auto& number = Number()(*content);
                    number = static_cast<std::remove_reference_t<decltype(number)>>(v);
                }
            },
            [](const Layer& l) { return std::holds_alternative<Content>(l.content); }};
}

/// Puts a copy of what is shared in its place, changed; nothing where there is none.
template <class Part, class Change>
void changeCopy(std::shared_ptr<const Part>& shared, const Change& change) {
    if (!shared) return;
    auto copy = std::make_shared<Part>(*shared);
    change(*copy);
    shared = std::move(copy);
}

/// A number of a part of a layer's finish.
template <auto part, auto number>
constexpr Property<Layer> ofFinish(std::string_view name, std::string_view unit, double low, double high) {
    return {name,
            unit,
            low,
            high,
            [](const Layer& l) { return l.finish ? (*l.finish).*part.*number : 0; },
            [](Layer& l, double v) { changeCopy(l.finish, [v](Finish& f) { f.*part.*number = v; }); },
            [](const Layer& l) { return l.finish != nullptr; }};
}

/// A number of the grade of the whole picture.
template <double Grade::*number>
constexpr Property<Scene> ofPicture(std::string_view name, double low, double high) {
    return {name,
            "",
            low,
            high,
            [](const Scene& s) { return s.grade.*number; },
            [](Scene& s, double v) { s.grade.*number = v; }};
}

/// A number of a layer's grade.
template <double Grade::*number>
constexpr Property<Layer> ofGrade(std::string_view name, double low, double high) {
    return {name,
            "",
            low,
            high,
            [](const Layer& l) { return l.grade ? (*l.grade).*number : Grade().*number; },
            [](Layer& l, double v) { changeCopy(l.grade, [v](Grade& grade) { grade.*number = v; }); },
            [](const Layer& l) { return l.grade != nullptr; }};
}

constexpr auto ofLayers = std::to_array<Property<Layer>>({
    {"across", "m", -far, far, [](const Layer& l) { return l.placement.position.x; },
     [](Layer& l, double v) { l.placement.position.x = v; }},
    {"up", "m", -far, far, [](const Layer& l) { return l.placement.position.y; },
     [](Layer& l, double v) { l.placement.position.y = v; }},
    {"along", "m", -far, far, [](const Layer& l) { return -l.placement.position.z; },
     [](Layer& l, double v) { l.placement.position.z = -v; }},
    {"turn", "°", -turns, turns, [](const Layer& l) { return l.placement.turn.y; },
     [](Layer& l, double v) { l.placement.turn.y = v; }},
    {"lean", "°", -turns, turns, [](const Layer& l) { return l.placement.turn.x; },
     [](Layer& l, double v) { l.placement.turn.x = v; }},
    {"roll", "°", -turns, turns, [](const Layer& l) { return l.placement.turn.z; },
     [](Layer& l, double v) { l.placement.turn.z = v; }},
    {"scale across", "", 1e-6, 1e6, [](const Layer& l) { return l.placement.scale.x; },
     [](Layer& l, double v) { l.placement.scale.x = v; }},
    {"scale up", "", 1e-6, 1e6, [](const Layer& l) { return l.placement.scale.y; },
     [](Layer& l, double v) { l.placement.scale.y = v; }},
    {"bend", "°", -360, 360, [](const Layer& l) { return l.hanging.bend; },
     [](Layer& l, double v) { l.hanging.bend = v; }},
    {"opacity", "", 0, 1, [](const Layer& l) { return l.opacity; },
     [](Layer& l, double v) { l.opacity = v; }},
    of<Particles>(
        "count", "", 1, Particles::most, [](auto& p) -> auto& { return p.count; }),
    of<Particles>(
        "size", "m", 1e-6, far, [](auto& p) -> auto& { return p.size; }),
    of<Particles>(
        "light", "", 0, 1e4, [](auto& p) -> auto& { return p.light; }),
    of<Particles>(
        "turbulence", "m", 0, far, [](auto& p) -> auto& { return p.turbulence.amount; }),
    of<Cloud>(
        "density", "", 0, 1e6, [](auto& c) -> auto& { return c.density; }),
    of<Cloud>(
        "coverage", "", 0, 1, [](auto& c) -> auto& { return c.coverage; }),
    of<Lamp>(
        "strength", "", -20, 40, [](auto& l) -> auto& { return l.strength; }),
    of<Lamp>(
        "reach", "m", 1e-3, far, [](auto& l) -> auto& { return l.reach; }),
    of<Lamp>(
        "halo", "", 0, 1000, [](auto& l) -> auto& { return l.halo; }),
    // What shows of a lamp itself, or the glow of a layer's picture.
    {"glow", "", 0, 1000,
     [](const Layer& l) {
         if (const auto* lamp = std::get_if<Lamp>(&l.content)) return lamp->glow;
         return l.finish ? l.finish->glow.strength : 0;
     },
     [](Layer& l, double v) {
         if (auto* lamp = std::get_if<Lamp>(&l.content))
             lamp->glow = v;
         else
             changeCopy(l.finish, [v](Finish& finish) { finish.glow.strength = v; });
     },
     [](const Layer& l) { return std::holds_alternative<Lamp>(l.content) || l.finish; }},
    ofFinish<&Finish::shadow, &DropShadow::strength>("drop shadow", "", 0, 1),
    ofFinish<&Finish::soft, &SoftFocus::radius>("soft focus", "px", 0, 2000),
    {"edge light", "", 0, 1000, [](const Layer& l) { return l.shading ? l.shading->edge.strength : 0; },
     [](Layer& l, double v) { changeCopy(l.shading, [v](Shading& s) { s.edge.strength = v; }); },
     [](const Layer& l) { return l.shading != nullptr; }},
    {"shadow", "", 0, 1, [](const Layer& l) { return l.shadows.empty() ? 0 : l.shadows.front().darkness; },
     [](Layer& l, double v) {
         for (Shadow& shadow : l.shadows)
             shadow.darkness = v;
     },
     [](const Layer& l) { return !l.shadows.empty(); }},
    {"displacement", "px", 0, 10'000,
     [](const Layer& l) { return l.displacements.empty() ? 0 : l.displacements.front().amount; },
     [](Layer& l, double v) {
         if (!l.displacements.empty()) l.displacements.front().amount = v;
     },
     [](const Layer& l) { return !l.displacements.empty(); }},
    ofGrade<&Grade::exposure>("exposure", -20, 20),
    ofGrade<&Grade::warmth>("warmth", -80, 300),
    ofGrade<&Grade::tint>("tint", -50, 50),
    ofGrade<&Grade::contrast>("contrast", 0.01, 10),
    ofGrade<&Grade::saturation>("saturation", 0, 10),
});

constexpr auto ofPoses = std::to_array<Property<Pose>>({
    {"across", "m", -far, far, [](const Pose& p) { return p.position.x; },
     [](Pose& p, double v) { p.position.x = v; }},
    {"up", "m", -far, far, [](const Pose& p) { return p.position.y; },
     [](Pose& p, double v) { p.position.y = v; }},
    {"along", "m", -far, far, [](const Pose& p) { return -p.position.z; },
     [](Pose& p, double v) { p.position.z = -v; }},
    {"pan", "°", -turns, turns, [](const Pose& p) { return p.pan; }, [](Pose& p, double v) { p.pan = v; }},
    {"tilt", "°", -turns, turns, [](const Pose& p) { return p.tilt; }, [](Pose& p, double v) { p.tilt = v; }},
    {"roll", "°", -turns, turns, [](const Pose& p) { return p.roll; }, [](Pose& p, double v) { p.roll = v; }},
    {"focal", "mm", 0.1, 10'000, [](const Pose& p) { return p.focal; },
     [](Pose& p, double v) { p.focal = v; }},
    {"focus", "m", 1e-3, far, [](const Pose& p) { return p.focus; }, [](Pose& p, double v) { p.focus = v; }},
    {"fstop", "", 0.1, 1000, [](const Pose& p) { return p.fstop; }, [](Pose& p, double v) { p.fstop = v; }},
});

constexpr auto ofPictures = std::to_array<Property<Scene>>({
    ofPicture<&Grade::exposure>("exposure", -20, 20),
    ofPicture<&Grade::warmth>("warmth", -80, 300),
    ofPicture<&Grade::tint>("tint", -50, 50),
    ofPicture<&Grade::contrast>("contrast", 0.01, 10),
    ofPicture<&Grade::saturation>("saturation", 0, 10),
    {"glare", "", 0, 1000, [](const Scene& s) { return s.glare.strength; },
     [](Scene& s, double v) { s.glare.strength = v; }},
    {"ambient", "", 0, 1000, [](const Scene& s) { return s.ambient.level; },
     [](Scene& s, double v) { s.ambient.level = v; }},
    {"haze", "", 0, 1000, [](const Scene& s) { return s.haze.density; },
     [](Scene& s, double v) { s.haze.density = v; }},
    {"mist", "", 0, 1000, [](const Scene& s) { return s.mist.density; },
     [](Scene& s, double v) { s.mist.density = v; }},
});

template <class List> auto named(const List& list, std::string_view name) {
    const auto at = std::find_if(list.begin(), list.end(), [&](const auto& p) { return p.name == name; });
    return at == list.end() ? nullptr : &*at;
}

}

std::span<const Property<Layer>> layerProperties() {
    return ofLayers;
}
std::span<const Property<Pose>> cameraProperties() {
    return ofPoses;
}
std::span<const Property<Scene>> pictureProperties() {
    return ofPictures;
}
const Property<Layer>* layerProperty(std::string_view name) {
    return named(ofLayers, name);
}
const Property<Pose>* cameraProperty(std::string_view name) {
    return named(ofPoses, name);
}

const Property<Scene>* pictureProperty(std::string_view name) {
    return named(ofPictures, name);
}

bool ofCamera(std::string_view name) {
    return cameraProperty(name) || pictureProperty(name);
}

}
