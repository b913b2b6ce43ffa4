// Bringing a layer's level and colour to those of what stands around its place.
#pragma once

#include "media/pixel_cache.h"
#include "scene/error.h"
#include "scene/progress.h"
#include "scene/scene.h"

namespace stage::render {

struct PlaceMatch {
    scene::Json edit;     ///< a grade of the layer: its exposure and slope; the rest of its grade stays
    double stops = 0;     ///< by which it becomes brighter
    V3d colours{1, 1, 1}; ///< times which its colours are multiplied, of luminance 1
};

/// Measured as the camera sees it at a time, by a pinhole, without the grade and the glare of the whole
/// picture and without the layer's own grade: the layer in the light of the scene's lamps, against the layers
/// around it in the frame and in depth (half to twice its own; all where there are too few). Its level goes
/// to theirs, within three stops, its mean colour to theirs, each by `strength` (0..1); levels are means in
/// stops, so that a lamp beside it does not outweigh all else. Errors: no such layer, or one without a
/// picture; it is not seen then; nothing stands around it; media; stopped. Thread-safe.
Result<PlaceMatch> matchToPlace(const scene::Scene& scene, std::int64_t layer, Rational time, double strength,
                                media::PixelCache& cache, const Progress& progress = {});

}
