// Text as a picture, set by Pango, sharp at every level. Thread-safe.
#pragma once

#include "media/pixel_source.h"
#include "scene/error.h"
#include "scene/scene.h"

namespace stage::media {

/// Height of one em in the natural size of a text's picture, px.
inline constexpr int emPixels = 320;

/// Natural size of the picture: the ink of the text with its outline, glow and shadow, and a pixel to spare
/// on every side.
Result<V2i> textPixels(const scene::Text& text);

/// A font that is not installed is replaced as fontconfig thinks fit. natural: as textPixels gives it.
PixelSourcePtr textSource(const scene::Text& text, V2i natural);

}
