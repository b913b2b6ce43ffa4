// Selections that are found in a picture: what has about one colour, the thing inside a rough loop. They are
// sources whose four channels are the coverage. Thread-safe.
#pragma once

#include "media/pixel_cache.h"
#include "scene/cutout.h"

namespace stage::cutout {

/// picture: what is looked at; scale: its pixels per pixel of the layer.
media::PixelSourcePtr alikeSource(media::PixelSourcePtr picture, const scene::Alike& alike, double scale);

/// GrabCut (Rother, Kolmogorov, Blake 2004) inside the loop, then a guided filter (He, Sun, Tang 2010) in a
/// band at the edge, so that hair and leaves come out soft. The same picture and loop give the same result.
media::PixelSourcePtr subjectSource(media::PixelSourcePtr picture, const scene::Subject& subject,
                                    double scale);

}
