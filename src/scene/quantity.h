// Numbers as people type them: arithmetic and units, "1.2m+30cm", "2*(3 ft)", "1/3 st", "00:02:10".
// Thread-safe.
#pragma once

#include "scene/error.h"
#include "scene/rational.h"

#include <string_view>

namespace stage::scene {

/// What is measured decides which units are known and what a bare number means.
enum class Measured {
    Length,  ///< metres; m, cm, mm, km, in, ft
    Angle,   ///< degrees; deg, °, rad
    Focal,   ///< millimetres; mm, cm
    Percent, ///< percent; %
    Pixels,  ///< px
    Plain
};

/// The value in the unit of `Measured`. Operators + - * / and parentheses; a unit binds to the number before
/// it. Errors say what was not understood.
Result<double> quantity(std::string_view text, Measured measured);

/// A time: "mm:ss:ff", "ss:ff", "3.5s" or "12" (frames). At a rate of frames per second.
Result<std::int64_t> frameFromText(std::string_view text, Rational rate);
/// "00:03:10": minutes, seconds, frames.
std::string timecode(std::int64_t frame, Rational rate);

}
