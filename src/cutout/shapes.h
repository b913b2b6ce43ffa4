// Coverage of drawn and painted shapes. Pure functions, thread-safe.
#pragma once

#include "cutout/mask.h"
#include "scene/cutout.h"

namespace stage::cutout {

/// Antialiased coverage over a box; scale: pixels of the box per pixel of the shape. The keyed values of the
/// shape must be constants.
Mask coverOf(const scene::Outline& outline, double scale, const Box& box);
Mask coverOf(const scene::Rectangle& rectangle, double scale, const Box& box);
Mask coverOf(const scene::Ellipse& ellipse, double scale, const Box& box);

/// Laid onto a mask. Within a stroke, a pixel at distance d from the brush's way is covered by profile(d /
/// radius) * flow (radius and flow times the pressure there); the profile is 1 up to the hardness, then falls
/// as half a cosine to 0 at the rim. Strokes one after another add a + s - a s, or erase: a (1 - s).
void paint(Mask& mask, const scene::Stroke& stroke, double scale);
/// share: of the radius, 0 in the middle; hardness: 0..1. Coverage, 0..1.
double brushProfile(double share, double hardness);

/// The box that a stroke touches, unscaled px.
Box boxOf(const scene::Stroke& stroke);

}
