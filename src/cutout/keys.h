// Keys, pixel by pixel. Colours are scene-linear and straight. Pure functions, thread-safe.
#pragma once

#include "cutout/oklab.h"
#include "scene/cutout.h"

namespace stage::cutout {

/// What is left of a pixel: premultiplied by its alpha.
struct KeyedPixel {
    Triple colour{};
    float alpha = 1;
};

/// With p the strongest channel of the screen K and d(c) = c_p - max(the other two), the share of screen in a
/// pixel is s = d(c) / d(K); its transparency t runs from 0 at s = 1 - tolerance - softness to 1 at s = 1 -
/// tolerance. What is left is c - t K, in light, so reflections and hair keep theirs. Then spill e = max(0,
/// f_p - max(the other two)) is taken out of its straight colour f, and keepLight of its luminance given back
/// as grey.
KeyedPixel keyedBy(const scene::ColourKey& key, const Triple& colour);

/// alpha runs from 0 at `low` to 1 at `high` of the sRGB-encoded luminance; over black the light stays as it
/// is, so far as alpha allows. Inverted: over white, c - (1 - alpha).
KeyedPixel keyedBy(const scene::BrightnessKey& key, const Triple& colour);

/// alpha runs from 0 at `tolerance` to 1 at `tolerance + softness` of the OKLab difference; what is left is
/// c - (1 - alpha) plate.
KeyedPixel keyedBy(const scene::DifferenceKey& key, const Triple& colour, const Triple& plate);

/// Of linear Rec. 709, 0..1 for colours that a screen shows.
inline float luminance(const Triple& c) {
    return 0.2126f * c[0] + 0.7152f * c[1] + 0.0722f * c[2];
}

}
