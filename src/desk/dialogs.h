// The desk's dialogs. Each gives what was chosen, or nothing.
#pragma once

#include "edit/edit.h"
#include "output/write.h"

#include <optional>

class QString;
class QWidget;

namespace stage::desk {

/// A new text layer.
std::optional<edit::Edit> askText(QWidget* parent);
/// Push layers by metres or by a ratio, or spread them between two depths.
std::optional<edit::Edit> askPush(QWidget* parent, std::size_t layers, double nearest, double farthest);
/// Recede unseen: members of a `recede`, without the layers.
std::optional<edit::Edit> askRecede(QWidget* parent, const scene::Scene& scene, Rational now, double depth);
/// Members of a `scatter`, without the layer.
std::optional<edit::Edit> askScatter(QWidget* parent, const scene::Scatter& now, bool again);
/// Frame, rate, duration, background, blending, home depth.
std::optional<edit::Edit> askSettings(QWidget* parent, const scene::Scene& scene);
/// What to write where.
std::optional<output::Job> askOutput(QWidget* parent, const scene::Scene& scene,
                                     const std::filesystem::path& document);

}
