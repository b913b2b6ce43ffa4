#include "scene/grade.h"

#include <algorithm>

namespace stage::scene {

bool neutral(const Grade& grade) {
    if (!grade.on) return true;
    Grade same = grade;
    if (same.contrast == 1) same.pivot = Grade().pivot;
    if (same.look.path.empty() || same.look.strength <= 0) same.look = {};
    for (auto& curve : same.curves)
        if (std::all_of(curve.begin(), curve.end(), [](const Grade::Point& p) { return p.in == p.out; }))
            curve.clear();
    return same == Grade();
}

}
