// A tile of the frame being painted.
#pragma once

#include "media/raster.h"
#include "render/render.h"

#include <functional>

namespace stage::render {

/// Premultiplied RGBA, nearest first. For one thread.
struct Canvas {
    static constexpr int side =
        pieceSide;                  ///< at most so many pixels across and down, and pixels from row to row
    static constexpr int group = 8; ///< pixels that are looked at together
    int width = 0, height = 0;
    alignas(64) float rgba[side * side * 4];
    bool full[side * side / group]; ///< groups in which nothing more can be seen

    /// Of that size, with nothing on it.
    void clear(int w, int h);
    /// Whether nothing more can be seen under it.
    bool allFull() const;
    /// RGBA of a row from the top.
    float* row(int y) { return rgba + 4 * y * side; }
};

/// What of a pixel counts as opaque.
inline constexpr float opaqueAlpha = 0.9995f;
/// A box that is not smaller can be painted in parts, where something is too steep to be painted in one go.
inline constexpr int smallestPart = 8;

/// Paints a box in parts of about half its side, each into a canvas of its own first.
void paintByParts(const media::Box& box, Canvas& canvas,
                  const std::function<void(const media::Box&, Canvas&)>& paint);

}
