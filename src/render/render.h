// The one door to pictures. Thread-safe; uses all cores; deterministic: the same frame gives the same
// bits whatever the number of threads.
#pragma once

#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "render/image.h"
#include "scene/error.h"
#include "scene/progress.h"

#include <array>
#include <functional>
#include <string_view>

namespace stage::render {

/// How the picture is made.
enum class Method {
    Pinhole, ///< everything sharp, nothing moves
    Draft,   ///< each layer blurred by its disc, then laid over each other: fast
    Final,   ///< rays through the lens and the exposure
    Traced   ///< the same and nothing else, with no short cut: the truth that the others are held against
};

inline constexpr std::array<std::string_view, 4> methodNames = {"pinhole", "draft", "final", "traced"};

/// Pieces of a picture are at most so many pixels across and down.
inline constexpr int pieceSide = 32;

struct Quality {
    Method method = Method::Pinhole;
    /// Rays per pixel, of final and traced; rounded up to a multiple of 16. Where a noise is given, at most
    /// so many.
    int samples = 64;
    /// Final alone: above 0, rays are added to a pixel only until the noise expected there, as a mean over it
    /// and those beside it, is smaller: root mean square, in values as shown, 0..1. Pixels begin with 16
    /// rays; those that have n may be left with (n / 16)^(1/4) of it.
    double noise = 0;
    /// Of a picture that is gone in a moment: cards whose pictures are mostly still to be made are read at
    /// half the resolution, discs are laid over pictures of half the resolution, highlights are blurred like
    /// all else, what fills space is looked at at half as many places across. Bits then depend on what the
    /// cache has.
    bool hurried = false;
    /// A layer whose media cannot be read is drawn as a hatched card instead of failing the picture.
    bool placeholders = false;
    /// Pixels that are wanted; pieces without any are black and clear. Empty: all.
    media::Box region;
    /// Told of each piece as it is done, from the middle of the region outwards, by the threads that render.
    std::function<void(const Image&, const media::Box&)> piece;
    /// If given, filled with the rays of each pixel of the frame, rows from the top; must stay until render()
    /// returns.
    std::vector<std::uint16_t>* counts = nullptr;
};

/// Below a step of 8 bits: noise that is not seen in a movie.
inline constexpr double usualNoise = 0.003;
inline constexpr int usualSamples = 256; ///< at most, beside a noise

/// What the lens sees, layers mixed far to near by their true distance at every pixel; where two lie in one
/// plane, the one later in the scene is above. Errors: media that cannot be read; stopped.
Result<Image> render(const motion::Frame& frame, const Quality& quality, media::PixelCache& cache,
                     const Progress& progress = {});

}
