// Pictures like photographs, drawn here, whose layers are known: what is behind each thing is known exactly.
#pragma once

#include "media/raster.h"

#include <string>
#include <vector>

namespace stage::test {

struct Photograph {
    std::string name;
    media::Raster picture;           ///< all of it
    media::Raster behind;            ///< without the near thing
    media::Raster far;               ///< without the near and the middle thing
    std::vector<float> near, middle; ///< true coverage of each; middle as if nothing hid it; may be empty
    std::vector<V2d> nearLoop, middleLoop; ///< rough outlines, as a hand would draw them
};

/// A meadow with a shed and a tree before it; a stone wall with a barrel; gravel at the water with a boat.
std::vector<Photograph> photographs(V2i size);

}
