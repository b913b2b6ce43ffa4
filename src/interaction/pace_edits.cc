#include "interaction/pace_edits.h"

#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>

namespace stage::interaction {

std::optional<PaceScope> paceAtTime(const scene::Scene& scene, double seconds) {
    const auto& marks = scene.camera.marks;
    if (marks.size() < 2) return {};
    if (scene.camera.pace)
        return PaceScope{true, 0, marks.front().time.toDouble(), marks.back().time.toDouble()};
    std::size_t move = 0;
    while (move + 2 < marks.size() && marks[move + 1].time.toDouble() <= seconds + 1e-9)
        ++move;
    return PaceScope{false, move, marks[move].time.toDouble(), marks[move + 1].time.toDouble()};
}

const scene::Pace& paceOf(const scene::Camera& camera, const PaceScope& scope) {
    return scope.whole ? *camera.pace : camera.marks[scope.move].pace;
}

edit::Edit paceEdit(const PaceScope& scope, edit::Edit pace) {
    edit::Edit edit = {{"edit", "pace"}, {"pace", std::move(pace)}};
    if (scope.whole)
        edit["whole"] = true;
    else
        edit["mark"] = scope.move + 1;
    return edit;
}

edit::Edit wholePaceEdit(const scene::Scene& scene, double seconds, bool whole) {
    edit::Edit pace = nullptr;
    if (whole) {
        const auto scope = paceAtTime(scene, seconds);
        pace = scope ? scene::toJson(paceOf(scene.camera, *scope)) : edit::Edit("even");
    }
    return {{"edit", "pace"}, {"whole", true}, {"pace", std::move(pace)}};
}

DrawnPace::DrawnPace(const motion::CameraMove& move, const PaceScope& scope) : m_scope(scope) {
    for (std::size_t i = 0; i < steps; ++i) {
        const double share = static_cast<double>(i) / static_cast<double>(steps - 1);
        m_speeds.push_back(
            move.speed(scope.begin + (scope.end - scope.begin) * std::clamp(share, 1e-6, 1 - 1e-6)));
    }
}

void DrawnPace::draw(double fromSeconds, double fromSpeed, double toSeconds, double toSpeed) {
    const auto stepAt = [&](double seconds) {
        return (seconds - m_scope.begin) / std::max(1e-9, m_scope.end - m_scope.begin) *
               static_cast<double>(steps - 1);
    };
    const double from = stepAt(fromSeconds), to = stepAt(toSeconds);
    for (std::size_t i = 0; i < steps; ++i) {
        const auto step = static_cast<double>(i);
        if (step < std::min(from, to) - 0.5 || step > std::max(from, to) + 0.5) continue;
        const double k = std::abs(to - from) < 1e-9 ? 1 : std::clamp((step - from) / (to - from), 0.0, 1.0);
        m_speeds[i] = std::max(0.0, fromSpeed + (toSpeed - fromSpeed) * k);
    }
}

std::optional<edit::Edit> DrawnPace::edit() const {
    std::vector<double> smooth = m_speeds;
    for (std::size_t i = 1; i + 1 < steps; ++i)
        smooth[i] = (m_speeds[i - 1] + 2 * m_speeds[i] + m_speeds[i + 1]) / 4;
    if (!(*std::max_element(smooth.begin(), smooth.end()) > 1e-6)) return {};
    edit::Edit speeds = edit::Edit::array();
    for (const double v : smooth)
        speeds.push_back(std::round(v * 1e4) / 1e4);
    return paceEdit(m_scope, {{"drawn", std::move(speeds)}});
}

}
