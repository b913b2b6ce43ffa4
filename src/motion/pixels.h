// What a layer shows at one time, before the lens sees it. Pure functions, thread-safe.
#pragma once

#include "scene/scene.h"

#include <map>
#include <memory>
#include <optional>

namespace stage::motion {

/// Which frames of footage show.
struct FootageFrame {
    std::int64_t frame = 0;
    std::int64_t next = 0; ///< mixed in by `share`, where the footage asks for it
    double share = 0;      ///< 0..1
};
/// Nothing where the footage has vanished.
std::optional<FootageFrame> footageAt(const scene::Footage& footage, Rational time);

struct Light;
struct Shadows;
struct Pixels;
using PixelsPtr = std::shared_ptr<const Pixels>;

/// A layer that a cut-out looks at.
struct OtherLayer {
    PixelsPtr pixels;
    M33d
        place; ///< (u, v, w) = (x, y, 1) * place: pixels of the layer to those of the one beside, u/w and v/w
    bool same = false; ///< both show the same picture: place is the identity
};

/// How much of a grade by depth a place of a layer's picture gets: all between two depths, none outside of
/// them by more than what is soft.
struct DepthShare {
    double from, to, soft;       ///< m
    double corner, across, down; ///< depth of the picture's top left, and by a px of its natural size, m
    /// place: px of the natural size.
    double at(const V2d& place) const;
};
struct PixelGrade {
    scene::GradePtr grade;
    std::optional<DepthShare> share; ///< none: all of it everywhere
};

struct Pixels {
    scene::LayerPtr layer; ///< what it hangs and mixes like is of no account here
    Rational time;         ///< at which its pixels are displaced
    FootageFrame footage;
    scene::CutoutPtr cutout;                        ///< without keys; null: nothing is cut
    std::vector<scene::Displacement> displacements; ///< those that do something, without keys
    std::shared_ptr<const Light> light;             ///< null: it takes none (motion/lamps.h)
    std::shared_ptr<const Shadows> shadows;         ///< that fall on it; null: none (motion/shadows.h)
    std::vector<PixelGrade> grades; ///< that change something, its own first, then of what holds it
    scene::FinishPtr finish;        ///< null: none
    int margin = 0;                 ///< px of the natural size that the picture is larger on each side for it
    std::map<std::int64_t, OtherLayer>
        others; ///< layers that the cut-out names; those that do not exist are left out
};

/// Nothing for groups and boxes, and for footage that has vanished. above: grades of the groups that hold it,
/// innermost first.
PixelsPtr pixelsAt(const scene::Scene& scene, const scene::LayerPtr& layer, Rational time,
                   const std::vector<scene::GradePtr>& above = {});

/// Its pixels as they are cut: not lit, shadowed, graded, displaced or finished, and without a margin.
Pixels plain(const Pixels& pixels);
/// Whether they are so.
bool isPlain(const Pixels& pixels);

}
