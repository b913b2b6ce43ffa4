// How a card moves over the frame during the exposure, for a small box of it.
#pragma once

#include "media/raster.h"
#include "render/plane.h"

#include <array>

namespace stage::render {

/// What a pixel shows at a time t of the exposure (-1..1) is what the frame shows at its middle at another
/// place: the pixel's own plus shift(t) = first t + second t^2, px. Linear between the corners of the box.
class MotionField {
public:
    MotionField(const Plane& plane, const media::Box& box);

    struct Shift {
        V2d first{0}, second{0};
        V2d at(double t) const { return first * t + second * (t * t); }
    };
    /// At a place of the frame, px.
    Shift at(double x, double y) const;
    /// No shift in the box goes farther, at no time: across and down, px.
    V2d reach() const { return m_reach; }
    /// Too little to be seen.
    bool still() const;

private:
    media::Box m_box;
    std::array<Shift, 4> m_corners; ///< upper left, upper right, lower left, lower right
    V2d m_reach{0};
};

}
