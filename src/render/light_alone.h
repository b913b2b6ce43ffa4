// What a picture gives without what it covers.
#pragma once

#include "media/pixel_source.h"

namespace stage::render {

/// Its colours, clear: laid over something they are added to it and hide nothing. Null of null.
media::PixelSourcePtr lightAlone(media::PixelSourcePtr source);

}
