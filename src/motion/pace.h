// How far something has come at a share of its time. Pure functions, thread-safe.
#pragma once

#include "scene/keyed.h"

namespace stage::motion {

/// The share that is done at a share x of the time, within 0..1: y of the CSS cubic-bezier curve, or the way
/// under the drawn speeds over the whole of it. 0 at 0, 1 at 1.
double paceAt(const scene::Pace& pace, double x);
/// dy/dx of it: the speed over the mean speed.
double paceSlope(const scene::Pace& pace, double x);
/// A part of it, from one share of the time to another, as a pace of its own.
scene::Pace partOf(const scene::Pace& pace, double from, double to);
/// The share of the time at which a share y is done first; 1 where it is not.
double paceTime(const scene::Pace& pace, double y);

}
