// Light at one time: what lamps give, and how it falls on a layer. Pure functions, thread-safe.
#pragma once

#include "motion/resolved_scene.h"
#include "optics/placing.h"

#include <array>
#include <memory>
#include <vector>

namespace stage::motion {

/// A lamp that gives light. Metres of the world.
struct LampAt {
    V3d place;
    V3d light; ///< of the three colours, at its radius
    double radius = 0.1, reach = 1;
    double halo = 1;     ///< times the light that haze shows of it
    std::int64_t id = 0; ///< of its layer
};
/// Of the layers that are visible, with their opacity and how much of them shows; a lamp in a group that is
/// scaled has its radius and reach scaled as the group is across.
std::vector<LampAt> lampsAt(const ResolvedScene& now);

/// What is left of a lamp's light at a distance, of that at its radius: (radius / distance)^2 beyond the
/// radius, smoothly down to 0 over the last quarter of its reach. Metres.
double falloff(double distance, double radius, double reach);

/// A lamp as a layer has it.
struct LampOnCard {
    V2d at;     ///< above which pixel of the layer's natural size it is, px
    double off; ///< metres from the card; above 0 on the side that is seen
    V3d light;  ///< of the three colours, at its radius
    double radius, reach;
    std::int64_t id; ///< of its layer
};
/// How a layer is lit.
struct Light {
    scene::Shading shading;
    V3d ambient;
    V2d perPixel; ///< metres across and down
    std::vector<LampOnCard> lamps;
};
using LightPtr = std::shared_ptr<const Light>;
/// Lamps that reach a layer which takes light; null where it takes none. A bent layer is lit as its flat
/// card, and one whose sides are not at right angles as if they were. eye: tells which side is seen.
LightPtr lightOn(const scene::Layer& layer, const optics::Surface& card, const std::vector<LampAt>& lamps,
                 const scene::Ambient& ambient, const V3d& eye);

/// Light on a place of it, px, where the card turns by the sine of an angle towards a direction of the
/// picture (right, down; of length 1): on its front by the cosine, behind by the cosine as far as it is
/// translucent, and on an edge that turns away.
V3d lightAt(const Light& light, const V2d& place, const V2d& outwards, double sine);
/// Places of one picture that turn, as lightAt() has them, and the light that it gives there: many at once, in
/// single precision.
struct TurnedPlaces {
    static constexpr std::size_t most = 256;
    std::size_t count = 0;
    std::array<float, most> x, y, right, down, sine; ///< place, px; outwards; of the angle
    std::array<float, most> red, green, blue;        ///< set by lightAt()
};
void lightAt(const Light& light, TurnedPlaces& places);
/// The part of one lamp in that on a place that does not turn away.
V3d lightAt(const Light& light, const LampOnCard& lamp, const V2d& place);
/// Light on a place where the card is turned as a unit vector out of it says: right, up, towards the side
/// that is seen.
V3d lightOnNormal(const Light& light, const V2d& place, const V3d& normal);

/// Light at a place in the world, whichever side it comes from. front: times that of lamps.
V3d lightThrough(const std::vector<LampAt>& lamps, const scene::Ambient& ambient, double front,
                 const V3d& place);

/// What air shows of a lamp along a ray, for each of what a metre of it scatters: the integral of the lamp's
/// light from a to b metres along it, less what is left at the lamp's reach, in closed form. along: of
/// length 1.
double lightAlong(const LampAt& lamp, const V3d& eye, const V3d& along, double a, double b);

}
