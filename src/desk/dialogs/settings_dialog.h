// The settings of the whole scene: frame, rate, duration, background, blending, home depth.
#pragma once

#include "desk/kit/dialog_form.h"

namespace stage::desk {

/// The edit that was chosen, or nothing.
std::optional<edit::Edit> askSettings(QWidget* parent, const scene::Scene& scene, const Previewer& previewer);

/// The frames of other shapes that the scene is written in as well: a `variants`.
std::optional<edit::Edit> askVariants(QWidget* parent, const scene::Scene& scene, const Previewer& previewer);

/// Above what the checks tell it: a `check-limits`.
std::optional<edit::Edit> askCheckLimits(QWidget* parent, const scene::Scene& scene);

}
