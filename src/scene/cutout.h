// What is cut out of a layer's picture, and what is done to its pixels. All of it is a recipe: the media stay
// as they are, and the result is made anew when it is looked at. Places and lengths are pixels of the layer's
// own picture (its natural size), from its top left; x to the right, y down. The order is: fills, clones,
// key, mattes, edges, match.
#pragma once

#include "scene/colour.h"
#include "scene/geometry.h"
#include "scene/keyed.h"

#include <array>
#include <cstdint>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace stage::scene {

/// A corner of an outline. Handles are relative to the place; both 0: a sharp corner.
struct PathPoint {
    V2d place{0}, in{0}, out{0};
    PathPoint() = default;
    PathPoint(V2d at, V2d handleIn = V2d(0), V2d handleOut = V2d(0))
        : place(at), in(handleIn), out(handleOut) {}
    bool operator==(const PathPoint&) const = default;
};
/// Closed; filled by the non-zero rule.
struct Outline {
    Keyed<std::vector<PathPoint>> points;
};

struct Area {
    V2d centre{0}, size{0};
    double turn = 0; ///< degrees, clockwise as seen
    bool operator==(const Area&) const = default;
};
struct Rectangle {
    Keyed<Area> area;
};
struct Ellipse {
    Keyed<Area> area;
};

/// A stroke of a soft round brush. Along it the brush leaves dabs; each covers `flow` of what is not covered
/// yet (or erases `flow` of what is).
struct Stroke {
    struct Dab {
        V2d place{0};
        double pressure = 1; ///< 0..1, on size and flow
        bool operator==(const Dab&) const = default;
    };
    std::vector<Dab> dabs; ///< corners of the brush's way
    double size = 40;      ///< diameter
    double hardness = 0.5; ///< share of the radius that is covered fully
    double flow = 1;       ///< 0..1
    bool erase = false;
    bool operator==(const Stroke&) const = default;
};
struct Painted {
    std::vector<Stroke> strokes;
};

/// What has about this colour.
struct Alike {
    Colour colour;        ///< picked; alpha is of no account
    V2d at{0};            ///< where it was picked
    bool touching = true; ///< only what hangs together with that place
    double tolerance =
        10;              ///< distance within which all is taken: percent of that from black to white in OKLab
    double softness = 5; ///< from there to where nothing is taken, percent
};

/// The thing inside a rough loop, found by its colours and refined at its edge.
struct Subject {
    std::vector<V2d> loop;     ///< closed; what lies outside is not the thing
    std::vector<Stroke> hints; ///< strokes over what surely is the thing, or (erase) surely is not
    double refine = 8;         ///< width of the band at the edge in which hair and leaves become soft
    std::int64_t frame = 0;    ///< of footage, on which it is looked for
};

/// Alpha or brightness of another layer, as seen from the first mark; where both show the same picture, pixel
/// by pixel.
struct OfLayer {
    std::int64_t layer = 0;
    bool brightness = false;
};

enum class Combine { Add, Subtract, Intersect, Plus };
inline constexpr std::array<std::string_view, 4> combineNames = {"add", "subtract", "intersect", "plus"};

/// With m the mattes before it (0 where the first one adds, else 1) and a its own coverage times its opacity:
/// add m + a - m a, subtract m (1 - a), intersect m a, plus min(1, m + a) (Porter-Duff over, out, in, plus).
/// Plus is for the two sides of one edge: where they meet, each covers what the other leaves.
struct Matte {
    std::string name;
    bool on = true;
    Combine combine = Combine::Add;
    bool invert = false;
    Keyed<double> grow{0.0};    ///< px, negative shrinks
    Keyed<double> feather{0.0}; ///< px, about the width of the soft edge: twice the deviation of a Gaussian
    Keyed<double> opacity{1.0};
    std::variant<Outline, Rectangle, Ellipse, Painted, Alike, Subject, OfLayer> shape;
    nlohmann::ordered_json extra = nlohmann::ordered_json::object();
};
inline constexpr std::array<std::string_view, 7> matteKinds = {"outline", "rectangle", "ellipse", "painted",
                                                               "alike",   "subject",   "layer"};

/// A green or blue screen.
struct ColourKey {
    Colour screen{0, 0.5, 0, 1};
    double tolerance = 8;   ///< percent of the screen's own strength that still counts as all screen
    double softness = 84;   ///< from there to where nothing counts as screen, percent
    double spill = 1;       ///< how much of the screen's colour is taken out of the rest, 0..1
    double keepLight = 0.5; ///< how much of the light that goes with the spill stays, as grey
};
/// Smoke or fire over black.
struct BrightnessKey {
    double low = 0, high = 100; ///< percent of white, encoded; below is clear, above is solid
    bool invert = false;        ///< over white
};
/// What differs from a picture of the empty place.
struct DifferenceKey {
    std::string plate;    ///< a still or a clip of the same frames; absolute in memory
    double tolerance = 4; ///< percent of that from black to white in OKLab
    double softness = 6;
};

struct Edges {
    double low = 0, high = 1; ///< alpha at and below `low` becomes 0, at and above `high` 1
    double choke = 0;         ///< px the edge moves inwards; negative: outwards
    double feather = 0;       ///< px, as for mattes
    double clean = 0;         ///< how far edge pixels take the colour of what lies inside, 0..1
    double reach = 6;         ///< px over which that colour is looked for
    bool operator==(const Edges&) const = default;
};

/// A hole filled from its surroundings.
struct Fill {
    std::vector<Matte> hole;
    std::vector<Matte> from; ///< what it is filled from; empty: all that is around it
    double grow = 6;         ///< px by which the hole is grown first
    int seed = 0;            ///< another one gives another filling
    bool draft = false;
    bool on = true;
};
struct Clone {
    Stroke stroke;
    V2d from{0}; ///< what the brush paints lies this far from it
};

struct Match {
    std::optional<Colour> grey; ///< what shall be neutral
    bool automatic = false;     ///< the picture's mean shall be neutral
    std::int64_t like = 0;      ///< a layer whose mean and spread of colour it takes; 0: none
    bool whole = false;         ///< own mean and spread are those of the picture before anything is cut out
    double strength = 1;
};

struct Cutout {
    std::vector<Fill> fills;
    std::vector<Clone> clones;
    std::optional<std::variant<ColourKey, BrightnessKey, DifferenceKey>> key;
    std::vector<Matte> mattes; ///< first is applied first
    Edges edges;
    std::optional<Match> match;
    nlohmann::ordered_json extra = nlohmann::ordered_json::object();
};
using CutoutPtr = std::shared_ptr<const Cutout>;

}
