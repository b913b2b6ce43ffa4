// What is left to libraries that take long to load (media/plugin.h).
#pragma once

#include "grade/grading.h"
#include "grade/powers.h"

#include <string>
#include <vector>

namespace stage::grade {

/// A grade that changes something.
struct GradeToMake {
    scene::GradePtr grade;
    M33d light; ///< rows of a matrix for columns: its exposure, warmth and tint
};

/// The plugin "colours": OpenColorIO. Thread-safe.
struct Colours {
    /// What grades do one after the other. raise: that of grade/powers.h, which OpenColorIO does one by one.
    /// Empty, or what is wrong, in a sentence.
    std::string (*make)(const std::vector<GradeToMake>& grades, const scene::ViewTransform& view,
                        decltype(&grade::raise) raise, GradingPtr& made);
    /// The ids of the corrections in a file. Empty, or what is wrong, in a sentence.
    std::string (*parts)(const std::string& path, std::vector<std::string>& ids);
    /// What a configuration offers. Empty, or what is wrong, in a sentence.
    std::string (*views)(const std::string& config, Views& views);
};

}
