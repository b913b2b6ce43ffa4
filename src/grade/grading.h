// Grades made ready to be applied to pixels.
#pragma once

#include "media/pixel_source.h"
#include "scene/grade.h"

#include <cstddef>
#include <memory>

namespace stage::grade {

/// Immutable, thread-safe.
class Grading {
public:
    virtual ~Grading() = default;
    /// Changes pixels in place: scene-linear Rec. 709, RGBA, premultiplied. Colours of pixels without alpha
    /// are light that is added: black stays black. What comes out is finite.
    virtual void apply(float* rgba, std::size_t pixels) const = 0;
};
using GradingPtr = std::shared_ptr<const Grading>;

/// What grades do one after the other; null where they change nothing. The last ones made are kept. Errors:
/// a look that cannot be read, or that has no such part.
Result<GradingPtr> gradingOf(const std::vector<scene::GradePtr>& grades);

/// Parts of a look's file that can be chosen: the ids of its corrections; none of a file that has one look
/// only. Errors as above.
Result<std::vector<std::string>> partsOf(const std::string& path);

/// By how much the three colours of light change that is made warmer and tinted, as rows of a matrix for
/// scene-linear Rec. 709 columns: the chromaticity of D65 is moved by `warmth` mired along the daylight locus
/// (CIE 15:2004) and by `tint` thousandths off it in v of CIE 1960 UCS, and colours are adapted to it
/// (Bradford). The luminance of white stays.
M33d adaptation(double warmth, double tint);

/// `below` graded, at any level; itself where the grades change nothing.
media::PixelSourcePtr graded(const std::vector<scene::GradePtr>& grades, media::PixelSourcePtr below);

}
