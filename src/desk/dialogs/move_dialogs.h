// The dialogs of the camera's move, of tracks and of layers in time. Each gives what was chosen, or nothing.
#pragma once

#include "desk/kit/dialog_form.h"
#include "edit/edit.h"
#include "interaction/key_edits.h"
#include "motion/walking.h"

#include <optional>

namespace stage::desk {

/// A `ready-move` that begins at a time, about a subject (0: what is in focus).
std::optional<edit::Edit> askReadyMove(QWidget* parent, const scene::Scene& scene, Rational now,
                                       std::int64_t subject, const Previewer& previewer);
/// Seconds, above 0.
std::optional<double> askSeconds(QWidget* parent, const QString& title, const QString& name, double now,
                                 const QString& tip);
/// Percent, above 0; whole: the edit that they make.
std::optional<double> askPercent(QWidget* parent, const QString& title, const QString& name, double now,
                                 const QString& tip, const Previewer& previewer,
                                 const std::function<edit::Edit(double)>& whole);
/// A `hand-held`.
std::optional<edit::Edit> askHandHeld(QWidget* parent, const scene::Scene& scene, const Previewer& previewer);
/// A `lens` that keeps what is seen; layer: what keeps its size where the camera gives way, 0: what is in
/// focus.
std::optional<edit::Edit> askLens(QWidget* parent, const scene::Scene& scene, double focal,
                                  std::int64_t layer, const Previewer& previewer);
/// How far to walk the camera.
std::optional<motion::Step> askStep(QWidget* parent);
/// A `track` with a link, or with noise, for a property of a layer (0: of the camera).
std::optional<edit::Edit> askLink(QWidget* parent, const scene::Scene& scene, std::int64_t layer,
                                  const std::string& property);
std::optional<edit::Edit> askNoise(QWidget* parent, const scene::Scene& scene, std::int64_t layer,
                                   const std::string& property);

}
