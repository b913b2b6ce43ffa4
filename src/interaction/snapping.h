// Catching on lines while something is dragged. Pure functions.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace stage::interaction {

struct SnapLine {
    double at = 0;
    const char* name = ""; ///< what it is, untranslated
};

struct Snap {
    double by = 0; ///< to be added
    SnapLine line; ///< that which was caught
};

/// The least shift, at most `reach` either way, that brings one of the places onto one of the lines.
std::optional<Snap> snap(std::span<const double> places, std::span<const SnapLine> lines, double reach);

}
