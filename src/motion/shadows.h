// Shadows at one time, as they fall on pictures. Pure functions, thread-safe.
#pragma once

#include "motion/lamps.h"
#include "motion/pixels.h"
#include "motion/resolved_scene.h"
#include "optics/placing.h"

#include <memory>
#include <optional>
#include <vector>

namespace stage::motion {

/// A layer that throws shadows, seen while a frame is gathered.
struct Caster {
    scene::LayerPtr layer;
    optics::Surface card; ///< of the picture itself
    PixelsPtr pixels;     ///< as they are cut
    double opacity = 1;
};

/// A shadow as a picture has it. Places of the picture, px of its natural size (right, down), are given in
/// what is the caster's own: px of its natural size (right, down) and metres off its plane.
struct ShadowOnCard {
    PixelsPtr caster;
    V3d corner, across, down; ///< of the picture's top left, and by a px to the right and down
    V3d light;                ///< where the lamp is; of light from a direction the way towards it
    V3d metres{1, 1, 1};      ///< of one px to the right, down, and of a metre: to measure lengths
    /// How large the light is: of a lamp its radius, m; of a direction metres for each of distance.
    double size = 0;
    double reach = 0;    ///< of the lamp, m: it has no shadow beyond; 0: light comes from a direction
    double darkness = 0; ///< with the caster's opacity
    V3d colour{0};
    double contact = 0, contactReach = 1; ///< with the caster's opacity; m
    V2d upwards{0}; ///< in the caster's picture away from what it stands on, px for each metre
    /// The lamp as the picture has it, where the picture is lit by it: the shadow takes its light only.
    std::optional<LampOnCard> takes;
};

/// What falls on a picture.
struct Shadows {
    std::vector<ShadowOnCard> list;
    bool alone = false; ///< there is no picture: the shadows are all that shows
};
using ShadowsPtr = std::shared_ptr<const Shadows>;

/// A place of the picture (px of its natural size) in the caster's own.
V3d fromCaster(const ShadowOnCard& shadow, const V2d& place);

/// Where the way from a place to the light goes through the caster's plane.
struct Crossing {
    V2d place;       ///< px of the caster's natural size
    double soft = 0; ///< m on its plane: radius of the disc from which the place sees the light
};
/// from: the place in the caster's own. Nothing where the light is on the same side.
std::optional<Crossing> crossingOf(const ShadowOnCard& shadow, const V3d& from);

/// Which of the casters throw one on a layer's card. light: of that layer; null where it is not lit.
ShadowsPtr shadowsOn(const scene::Layer& layer, const optics::Surface& card, const LightPtr& light,
                     const std::vector<Caster>& casters, const std::vector<LampAt>& lamps, const V3d& eye);

/// What the ground shows of shadows where no layer takes them: a card as large as they reach.
struct GroundShadow {
    scene::LayerPtr layer;
    optics::Surface card;
    ShadowsPtr shadows;
};
/// Nothing where none falls on it. height: of the ground, m.
std::optional<GroundShadow> shadowsOnGround(double height, const std::vector<Caster>& casters,
                                            const std::vector<LampAt>& lamps);

}
