// The desk's dialogs. Each gives what was chosen, or nothing.
#pragma once

#include "edit/edit.h"
#include "output/write.h"

#include <optional>

class QWidget;

namespace stage::desk {

/// A new text layer.
std::optional<edit::Edit> askText(QWidget* parent);
/// Frame, rate, duration, background, blending, home depth.
std::optional<edit::Edit> askSettings(QWidget* parent, const scene::Scene& scene);
/// What to write where.
std::optional<output::Job> askOutput(QWidget* parent, const scene::Scene& scene,
                                     const std::filesystem::path& document);

}
