// Sampling a card's picture at any place: one ray at a time, for cards of every kind. The plain twin of
// the kernels, and what they leave to it: boxes in which a card meets the horizon, and bent cards.
#pragma once

#include "render/brush.h"

namespace stage::render {

/// Premultiplied RGBA of pixels x0..x1-1 of row y into out, as a pinhole sees them. Trilinear and
/// anisotropic; antialiased at the card's edges by coverage. Pixels off the card get 0. Where a bent card
/// lies twice along a ray, the nearer part counts.
void sampleRow(const Plane& plane, const media::Pyramid& pixels, int y, int x0, int x1, float* out);

/// A box of the frame, at most a canvas, as a pinhole sees it through the air, with sampleRow. The canvas is
/// cleared first.
void sampleBox(const Plane& plane, const media::Pyramid& pixels, const Air& air, const media::Box& box,
               Canvas& canvas);

/// RGBA at a place of the picture in base texels, at a level (fractions mix two); beyond its edges as its
/// extensions say.
std::array<float, 4> texelAt(const Plane& plane, const media::Pyramid& pixels, double u, double v,
                             double lod);

}
