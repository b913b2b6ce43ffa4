// A picture whose pixels are displaced over time.
#pragma once

#include "media/pixel_source.h"
#include "motion/pixels.h"

namespace stage::cutout {

/// By how much a displacement moves what is at a place, in pixels of the layer's natural size, right and
/// down, without its matte. Made for one time. Immutable, thread-safe.
class DisplacementField {
public:
    /// size: of the layer's picture, px.
    DisplacementField(const scene::Displacement& displacement, V2i size, Rational time);
    V2d at(const V2d& place) const;

private:
    V2d shimmer(const V2d& place) const;

    scene::Displacement m_values;
    V2d m_size, m_along;
    double m_turns = 0;             ///< crests that have passed
    static constexpr int side = 32; ///< of a lattice of noise, which repeats
    struct Layer {
        std::vector<V2d> values;
        V2d shift; ///< cells
    };
    std::vector<Layer> m_layers;
};

/// What `below` shows, displaced as the pixels say, one displacement after the other; itself where there are
/// none. Made at the level that is asked for.
media::PixelSourcePtr displaced(const motion::Pixels& pixels, media::PixelSourcePtr below);

}
