// Text as a picture, set by Pango. Thread-safe.
#pragma once

#include "media/pyramid.h"
#include "scene/error.h"
#include "scene/scene.h"

namespace stage::media {

/// Height of one em in the natural size of a text's picture, px.
inline constexpr int emPixels = 320;

/// Natural size of the picture: the ink of the text, with a pixel to spare on every side.
Result<V2i> textPixels(const scene::Text& text);

/// The picture itself. A font that is not installed is replaced as fontconfig thinks fit.
Result<Level> setText(const scene::Text& text);

}
