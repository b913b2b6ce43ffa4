// What is left to libraries that take long to load (media/plugin.h).
#pragma once

#include "grade/grading.h"

#include <string>
#include <vector>

namespace stage::grade {

/// The plugin "colours": OpenColorIO. Thread-safe.
struct Colours {
    /// Grades that change something, one after the other. Empty, or what is wrong, in a sentence.
    std::string (*make)(const std::vector<scene::GradePtr>& grades, GradingPtr& made);
    /// The ids of the corrections in a file. Empty, or what is wrong, in a sentence.
    std::string (*parts)(const std::string& path, std::vector<std::string>& ids);
};

}
