#include "interaction/snapping.h"

#include <cmath>

namespace stage::interaction {

std::optional<Snap> snap(std::span<const double> places, std::span<const SnapLine> lines, double reach) {
    std::optional<Snap> best;
    for (const SnapLine& line : lines)
        for (const double place : places) {
            const double by = line.at - place;
            if (std::abs(by) <= reach && (!best || std::abs(by) < std::abs(best->by))) best = Snap{by, line};
        }
    return best;
}

}
