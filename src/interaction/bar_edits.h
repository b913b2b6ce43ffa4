// Bars of the timeline: when layers show, and what a drag of a bar, its ends or its fades changes. Seconds.
// Pure functions.
#pragma once

#include "edit/edit.h"
#include "scene/scene.h"

#include <optional>
#include <vector>

namespace stage::interaction {

enum class BarPart {
    Whole, ///< moves the layer in time, with its keys and footage
    In,    ///< from when on it shows
    Out,   ///< until when
    FadeIn,
    FadeOut,
    Footage ///< slides what is inside, while the bar stays
};

/// A bar as it is drawn, px; fades from its ends.
struct DrawnBar {
    V2d low{0}, high{0}; ///< its upper left and lower right
    double fadeIn = 0, fadeOut = 0;
};
/// The part under a place; nothing beside the bar, or where it has no width. Ends are taken within 6 px, a
/// little above and below too; fades, where they are shown and the bar is wider than 24 px, within 5 px in
/// its upper half; where there is no fade yet, 6 px from the end.
std::optional<BarPart> barPartAt(const DrawnBar& bar, const V2d& place, bool fades);

struct BarChange {
    edit::Edit edit;
    /// Of the layer taken: when it comes in or goes out now, or how long its fade is; what it was moved by.
    Rational now{0};
};
/// Drags a part of the bars of layers by seconds; taken: the one under the pointer. before: the scene as the
/// drag began. An end that is dragged to the scene's start, or end, has the layer show from, or to, there
/// always. Nothing where none of the layers has what could be moved.
std::optional<BarChange> barDragged(const scene::Scene& before, const std::vector<std::int64_t>& layers,
                                    std::int64_t taken, BarPart part, Rational by);

}
