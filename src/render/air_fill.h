// Clouds, mist and haze around lamps as the lens sees them: air that takes light on its way and gives its own
// instead.
#pragma once

#include "motion/frame.h"
#include "render/brush.h"
#include "render/fill.h"
#include "render/render.h"

namespace stage::render {

/// The cloud of an item that has one. Drafts look at fewer places of the frame and of each way than final
/// pictures; structure that is finer than their steps is left out. Seen through the lens's middle, in the
/// middle of the exposure. air: in front of it.
FillPtr cloudFill(const motion::Item& item, const motion::Frame& frame, const Quality& quality,
                  const Air& air);

/// The frame's mist, in closed form, looked at in more places of final pictures; null where there is none.
FillPtr mistFill(const motion::Frame& frame, const Quality& quality);

/// What the frame's haze shows of lamps around them, in closed form; null where there is none.
FillPtr haloFill(const motion::Frame& frame);

}
