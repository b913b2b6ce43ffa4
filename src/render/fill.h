// What fills space between the cards: particles, clouds, mist.
#pragma once

#include "render/canvas.h"
#include "render/plane.h"

#include <memory>
#include <optional>
#include <utility>
#include <vector>

namespace stage::render {

/// Space that is seen in a box of the frame (at most Canvas::side across and down) between two cards, or
/// between two depths, whichever is narrower.
struct Gap {
    media::Box box;
    const Plane* front = nullptr;        ///< null: nothing is in front
    const Plane* behind = nullptr;       ///< null: nothing is behind
    double nearest = 1e30, farthest = 0; ///< 1 / depth

    /// 1 / depth of its near and its far end at a place of the frame, px.
    double nearAt(double x, double y) const;
    double farAt(double x, double y) const;
    /// The least and the greatest of both all over the box, as the lens's middle sees them.
    std::pair<double, double> nears() const;
    std::pair<double, double> fars() const;
};

/// A ray through a place of the frame (px) and a point of the lens, in radii, at a time of the exposure.
struct FillRay {
    double x, y;
    float p = 0, q = 0, t = 0;
};

/// Immutable, thread-safe. All light is scene-linear and premultiplied; what only adds light has no alpha.
class Fill {
public:
    virtual ~Fill() = default;
    /// The least and the greatest 1 / depth at which it may be seen in a box; the first is greater where it
    /// is not.
    virtual std::pair<double, double> nearnessIn(const media::Box& box) const = 0;
    /// Whether it may be seen in a gap.
    virtual bool isIn(const Gap& gap) const = 0;
    /// What the whole lens sees of it in a gap during the exposure, under what the canvas shows. The canvas
    /// has the gap's box; groups of its pixels are not marked as full.
    virtual void paintUnder(const Gap& gap, Canvas& canvas) const = 0;
    /// Whether rays of one pixel see it differently.
    virtual bool variesByRay() const = 0;
    /// The same for a single ray, under four values, without a short cut.
    virtual void see(const Gap& gap, const FillRay& ray, float* rgba) const = 0;
};
using FillPtr = std::shared_ptr<const Fill>;

/// Whether what fills space is laid over what is behind, or adds its light; all such is mixed together.
inline bool isLaidOver(scene::Blend blend) {
    return blend == scene::Blend::Normal || blend == scene::Blend::Add;
}

/// Several fills of a gap.
struct FilledGap {
    Gap gap;
    std::vector<const Fill*> fills;
};

/// 1 / depth of where a gap without cards has something, which orders it among cards: its middle, but the
/// first and the last slice go on to the ends of space.
double nearnessOf(const FilledGap& filled);

/// The least and the greatest 1 / depth of something in a box.
using DepthRange = std::pair<double, double>;

/// Space of a box in slices, nearest first, that lie at the same depths all over the frame: divided only
/// where several have something, or, among cards that have no order in the box, where one has something and
/// they are.
std::vector<Gap> slicesOf(const std::vector<const Fill*>& fills, const Gap& gap,
                          const std::optional<DepthRange>& cards = {});

/// Paints several, mixed by their depths. As Fill::paintUnder.
void paintUnder(const std::vector<const Fill*>& fills, const Gap& gap, Canvas& canvas);
/// As Fill::see, for rays through one place of the frame: four values of each. What they see alike is looked
/// at once.
void see(const std::vector<const Fill*>& fills, const Gap& gap, const FillRay* rays, int count, float* rgba);

/// under := under what is above.
inline void addUnder(float* above, const float* under) {
    const float through = 1 - above[3];
    for (int c = 0; c < 4; ++c)
        above[c] += through * under[c];
}

}
