// Grades made ready to be applied to pixels.
#pragma once

#include "media/pixel_source.h"
#include "motion/pixels.h"
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

/// What grades do one after the other, and then a view: what it would show, as light that the curve of sRGB
/// brings to just that. Null where they change nothing. The last ones made are kept. Errors: a look or a
/// configuration that cannot be read, or that has no such part.
Result<GradingPtr> gradingOf(const std::vector<scene::GradePtr>& grades,
                             const scene::ViewTransform& view = {});

/// What a configuration offers.
struct Views {
    std::vector<std::string> spaces;
    struct Display {
        std::string name;
        std::vector<std::string> views;
    };
    std::vector<Display> displays;
};
/// Errors: a file that cannot be read.
Result<Views> viewsOf(const std::string& config);

/// Parts of a look's file that can be chosen: the ids of its corrections; none of a file that has one look
/// only. Errors as above.
Result<std::vector<std::string>> partsOf(const std::string& path);

/// By how much the three colours of light change that is made warmer and tinted, as rows of a matrix for
/// scene-linear Rec. 709 columns: the chromaticity of D65 is moved by `warmth` mired along the daylight locus
/// (CIE 15:2004) and by `tint` thousandths off it in v of CIE 1960 UCS, and colours are adapted to it
/// (Bradford). The luminance of white stays.
M33d adaptation(double warmth, double tint);

/// `below` with the grades of the pixels, at any level; itself where they change nothing.
media::PixelSourcePtr graded(const motion::Pixels& pixels, media::PixelSourcePtr below);

}
