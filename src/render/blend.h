// Mixing two colours: W3C Compositing and Blending Level 1, section 5 (source over with a blend function)
// and section 9.1.2 ('plus-lighter', here without the clamp of colours, which light does not need).
#pragma once

#include "scene/scene.h"

namespace stage::render {

/// below := source mixed onto below. Both premultiplied RGBA; opacity scales the source.
void blendOnto(float* below, const float* source, float opacity, scene::Blend blend);
/// The same of each pixel of a row. Sources with no alpha and no light leave what is below.
void blendRow(float* below, const float* source, int pixels, float opacity, scene::Blend blend);

}
