// What edits make of a scene, for tests. A header of its own, so that tests of modules below edit do not link to it.
#pragma once

#include "edit/edit.h"

#include <gtest/gtest.h>

#include <string>

namespace stage::test {

/// The scene after the edit; where it is refused the test fails and gets the scene as it was.
inline scene::Scene applied(const scene::Scene& scene, const edit::Edit& edit) {
    auto after = edit::apply(scene, edit);
    EXPECT_TRUE(after) << edit.dump() << ": " << (after ? "" : after.error().sentence);
    return after ? std::move(*after) : scene;
}

/// The sentence by which the edit is refused; where it is taken the test fails.
inline std::string refused(const scene::Scene& scene, const edit::Edit& edit) {
    const auto after = edit::apply(scene, edit);
    EXPECT_FALSE(after) << edit.dump();
    return after ? "" : after.error().sentence;
}

}
