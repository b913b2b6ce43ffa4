// Dialogs about layers. Each gives the edit that was chosen, or nothing.
#pragma once

#include "desk/kit/dialog_form.h"
#include "edit/edit.h"

#include <optional>

namespace stage::desk {

/// A new text layer.
std::optional<edit::Edit> askText(QWidget* parent);
/// Push layers by metres or by a ratio, or spread them between two depths.
/// whole: the edit of the members that are chosen.
std::optional<edit::Edit> askPush(QWidget* parent, const scene::Scene& scene, std::size_t layers,
                                  double nearest, double farthest, const Previewer& previewer,
                                  const std::function<edit::Edit(const edit::Edit&)>& whole);
/// Recede unseen: members of a `recede`, without the layers.
std::optional<edit::Edit> askRecede(QWidget* parent, const scene::Scene& scene, Rational now, double depth);
/// A `scatter`.
std::optional<edit::Edit> askScatter(QWidget* parent, const scene::Scene& scene, std::int64_t layer,
                                     const scene::Scatter& now, bool again, const Previewer& previewer);

}
