// A frame as parts that are laid over each other, one for each layer, as other programs want it. Thread-safe.
#pragma once

#include "render/render.h"

#include <functional>
#include <string>
#include <vector>

namespace stage::render {

/// What one layer gives, or what is behind all of them.
struct FramePart {
    std::string name; ///< no two alike in a frame
    scene::Blend blend = scene::Blend::Normal;
    bool behindAll = false; ///< the background, and air
    /// Premultiplied. Where it is mixed otherwise than normally it has no alpha, and what it adds may be
    /// below 0.
    Image picture;
    /// Metres along the lens's axis, where the layer has something; infinite elsewhere.
    std::vector<float> depth;
    /// Two for each pixel: by how many px what is there goes to the right and down until the next frame.
    std::vector<float> motion;
};

/// The names of all parts of a frame, in the order in which they are laid over each other, first what is
/// behind all.
std::vector<std::string> partNames(const motion::Frame& frame);

/// Gives one part after the other. Laid over each other they are the frame as render() gives it, without the
/// glare and the grade of the whole picture: premultiplied colours as they are and 1 - alpha of what is
/// below, in scene-linear light (values: Light) or in sRGB-encoded values (Paint). Farthest first; a layer
/// that stands in front of a part before it and behind another has what is seen of it. Each layer takes two
/// renderings, in which all pixels get 64 rays where a noise is asked for. after: the next frame, for motion.
/// Errors: as render(); what take() gives.
Result<void> takeApart(const motion::Frame& frame, const motion::Frame& after, scene::Blending values,
                       const Quality& quality, media::PixelCache& cache, const Progress& progress,
                       const std::function<Result<void>(FramePart&)>& take);

}
