// Bringing a picture's colours to those of another. Pure functions, thread-safe.
#pragma once

#include "cutout/oklab.h"
#include "media/raster.h"
#include "scene/cutout.h"

namespace stage::cutout {

/// Of a picture's pixels, weighted by alpha.
struct Colours {
    Triple light{};          ///< mean in linear light
    Triple mean{}, spread{}; ///< in OKLab; spread: standard deviation
    double weight = 0;       ///< sum of alpha
};
/// Of scene-linear premultiplied pixels. Weight 0 where all are clear.
Colours coloursOf(const media::Raster& picture);

/// What a match does to a straight colour. First the cast goes: each channel is multiplied by luminance /
/// value of what shall be grey. Then, in OKLab, (c - mean) * spread' / spread + mean' (Reinhard et al. 2001;
/// ratios within 1/3 .. 3). Each is done by the strength.
class Matching {
public:
    /// like: of the picture to be matched; null: only the cast goes.
    Matching(const scene::Match& match, const Colours& own, const Colours* like);
    /// Linear Rec. 709, straight.
    Triple operator()(const Triple& straight) const;

private:
    Triple m_gain{1, 1, 1};
    bool m_likes = false;
    Triple m_mean{}, m_ratio{1, 1, 1}, m_target{};
    float m_strength = 1;
};

}
