// Where rays go through the lens, and when during the exposure.
#pragma once

#include "media/buffer_pool.h"
#include "motion/frame.h"

#include <array>
#include <cstdint>
#include <vector>

namespace stage::render {

/// Blue noise within 0..1, `side` x `side`, by Ulichney's void-and-cluster; made when first asked for (some
/// tens of milliseconds). Thread-safe.
struct BlueNoise {
    static constexpr int side = 64;
    std::array<float, side * side> value;
    /// Of the pixel's number, in a square that is repeated all over.
    static std::size_t indexOf(int x, int y) {
        return static_cast<std::size_t>((y & (side - 1)) * side + (x & (side - 1)));
    }
    float at(int x, int y) const { return value[indexOf(x, y)]; }
};
/// The one table; valid for good.
const BlueNoise& blueNoise();

/// Points of the unit cube, in four dimensions: lens (2), time, and one to spread a pixel's footprint with.
/// The same for every pixel but for a shift around the cube's edges, which blue noise gives, so that what
/// error remains is fine grain and differs from pixel to pixel. Sobol's sequence with Owen's scrambling by
/// hashing: Burley, Practical Hash-based Owen Scrambling, JCGT 2020. Deterministic.
struct RayPoints {
    static constexpr int step = 16; ///< counts are multiples of this
    int count = 0;
    std::vector<float> u, v, t, a;
    /// Of the first `step`, where they go through one opening: for each pixel of blue noise's square, p of
    /// all, then q of all. Empty: worked out anew for every pixel. Set by aimFirst() (render/rays.h).
    std::vector<float, media::BufferAllocator<float>> first;
    const float* firstOf(int x, int y) const { return first.data() + 2 * step * BlueNoise::indexOf(x, y); }
};
/// count: rounded up to a multiple of the step.
RayPoints rayPoints(int count);

/// The opening of the lens, inside the unit circle. Round, or n blades: a regular polygon with its corners on
/// the circle, one of them turned by `turn` from the right, counterclockwise as the picture shows it.
struct Opening {
    int blades = 0; ///< below 3: round
    float turn = 0; ///< radians
};
/// A point of the unit square onto the opening, areas kept in proportion (Shirley and Chiu's concentric map
/// for a round one). The plain twin of what the kernel does.
std::array<float, 2> onOpening(const Opening& opening, float u, float v);
/// Its area over that of the circle.
double openingShare(const Opening& opening);

}
