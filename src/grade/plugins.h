// What is left to libraries that take long to load (media/plugin.h).
#pragma once

#include "grade/grading.h"

#include <memory>
#include <string>
#include <vector>

namespace stage::grade {

/// A change of straight colours. Immutable, thread-safe.
class Change {
public:
    virtual ~Change() = default;
    /// Four numbers a pixel; alpha is 1 before and after. What comes out may be no number.
    virtual void apply(float* straight, std::size_t pixels) const = 0;
};
using ChangePtr = std::shared_ptr<const Change>;

/// The plugin "colours": OpenColorIO. Each returns nothing, or what is wrong, in a sentence. Thread-safe.
struct Colours {
    /// What the curves of a grade do, of which there are some.
    std::string (*curves)(const scene::Grade& grade, ChangePtr& made);
    /// What a look's file does, at its full strength.
    std::string (*look)(const scene::Look& look, ChangePtr& made);
    /// From scene-linear Rec. 709 to what a view shows, as light.
    std::string (*view)(const scene::ViewTransform& view, ChangePtr& made);
    /// The ids of the corrections in a file.
    std::string (*parts)(const std::string& path, std::vector<std::string>& ids);
    /// What a configuration offers.
    std::string (*views)(const std::string& config, Views& views);
};

}
