// Reading a card's picture through the lens.
#pragma once

#include "media/pyramid.h"
#include "optics/placing.h"

#include <array>
#include <utility>

namespace stage::render {

/// a + b x + c y at the pixel centre (x + 0.5, y + 0.5).
struct Linear {
    double a = 0, b = 0, c = 0;
    double at(double x, double y) const { return a + b * x + c * y; }
};

/// A card seen through a view.
///
/// Flat: along the ray of a frame place, 1/depth and the texel coordinates divided by depth are linear in the
/// place (a plane's homography).
/// Bent: the ray meets a cylinder, in the frame's own terms; nearness is then that of the flat card, and of
/// use for nothing but groups.
struct Plane {
    Linear nearness;    ///< 1 / depth; above 0 where the card's plane is ahead
    Linear u, v;        ///< base texels from the picture's top left, divided by depth
    bool level = false; ///< parallel to the frame, so that its scale is the same everywhere
    const media::Pyramid* pixels = nullptr;
    V2i size{0, 0};
    scene::Extensions extensions;
    optics::Card card;
    optics::View view;

    bool bent() const { return card.bend != 0; }
    double left() const { return -extensions.left.reach() * size.x; }
    double right() const { return (1 + extensions.right.reach()) * size.x; }
    double top() const { return -extensions.top.reach() * size.y; }
    double bottom() const { return (1 + extensions.bottom.reach()) * size.y; }
};

/// size: base texels of the card's picture; 0 x 0 where there are none (a flattened group): only nearness is
/// set then. The pixels are to be filled in.
Plane planeOf(const optics::Card& card, const optics::View& view, V2i size,
              const scene::Extensions& extensions = {});

/// Side of the boxes of the frame that are looked at as one, from its top left.
inline constexpr int glanceSide = 64;

/// The tiles of a picture that sampling it over a frame of that size, and presenceIn for its boxes, will
/// read.
media::Need needOf(const Plane& plane, V2i frame);

/// Premultiplied RGBA of pixels x0..x1-1 of row y into out. Trilinear; antialiased at the card's edges by
/// coverage. Pixels off the card get 0. Where a bent card lies twice along a ray, the nearer part counts.
void sampleRow(const Plane& plane, int y, int x0, int x1, float* out);

/// 1 / depth at a place of the frame; at most 0 where the card is not there.
double nearnessAt(const Plane& plane, double x, double y);

/// The least and the greatest 1 / depth that a card may have in a box of the frame.
std::pair<double, double> nearnessIn(const Plane& plane, int x0, int y0, int x1, int y1);

/// What is known of a box of the frame (pixels x0..x1-1, y0..y1-1) without sampling it.
enum class Presence { Nothing, Something, Opaque };
Presence presenceIn(const Plane& plane, int x0, int y0, int x1, int y1);

}
