#include "edit/move_edits.h"

#include "scene/property.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace stage::edit {
namespace {

using scene::Fields;
using scene::Json;
using scene::Limits;
using scene::Mark;
using scene::Misread;
using scene::Pose;
using scene::Scene;

struct TimedPose {
    Rational time;
    Pose pose;
};

std::vector<TimedPose> readPoses(const Scene& scene, Fields& fields) {
    const Json& list = fields.array("poses", Limits::keys);
    if (list.empty()) throw Misread{"'" + fields.at("poses") + "' is empty"};
    std::vector<TimedPose> poses;
    for (std::size_t i = 0; i < list.size(); ++i) {
        Fields own(list[i], fields.at("poses", i));
        TimedPose next{
            own.rational("time", Rational(0), Rational(1'000'000)),
            scene::readPose(own, poses.empty() ? scene.camera.marks.front().pose : poses.back().pose)};
        own.nothingElse();
        if (!poses.empty() && next.time <= poses.back().time)
            throw Misread{"'" + fields.at("poses", i) + ".time' is not after the one before it"};
        poses.push_back(std::move(next));
    }
    return poses;
}

/// Of places in order the fewest between which straight lines are near enough: first and last, and where
/// apart(a, b, i), in tolerances, is above 1, the place that is farthest off, again and again.
std::vector<std::size_t> fewest(std::size_t count,
                                const std::function<double(std::size_t, std::size_t, std::size_t)>& apart) {
    std::vector<std::size_t> kept{0};
    if (count > 1) kept.push_back(count - 1);
    std::vector<std::pair<std::size_t, std::size_t>> open;
    if (count > 2) open.emplace_back(0, count - 1);
    while (!open.empty()) {
        const auto [a, b] = open.back();
        open.pop_back();
        double most = 1;
        std::size_t at = 0;
        for (std::size_t i = a + 1; i < b; ++i)
            if (const double by = apart(a, b, i); by > most) most = by, at = i;
        if (at == 0) continue;
        kept.push_back(at);
        open.emplace_back(a, at), open.emplace_back(at, b);
    }
    std::sort(kept.begin(), kept.end());
    return kept;
}

/// How far a value is from a straight line between two others.
double off(const std::vector<TimedPose>& poses, double (*get)(const Pose&), std::size_t a, std::size_t b,
           std::size_t i) {
    const double from = poses[a].time.toDouble(), to = poses[b].time.toDouble();
    const double u = (poses[i].time.toDouble() - from) / (to - from);
    return std::abs(get(poses[i].pose) - get(poses[a].pose) * (1 - u) - get(poses[b].pose) * u);
}

struct Told {
    const char* property;
    double track, mark; ///< how far a value may be off, in its unit
};
// A thousandth of a degree is a twentieth of a pixel of full HD, and tracks are to be ten times as exact.
constexpr Told told[] = {{"across", 1e-5, 0.01}, {"up", 1e-5, 0.01},  {"along", 1e-5, 0.01},
                         {"pan", 1e-4, 0.1},     {"tilt", 1e-4, 0.1}, {"roll", 1e-4, 0.1},
                         {"focal", 1e-4, 0.1}};

void asMarks(Scene& scene, const std::vector<TimedPose>& poses) {
    const auto kept = fewest(poses.size(), [&](std::size_t a, std::size_t b, std::size_t i) {
        double most = 0;
        for (const Told& each : told)
            most = std::max(most, off(poses, scene::cameraProperty(each.property)->get, a, b, i) / each.mark);
        return most;
    });
    if (kept.size() > Limits::marks)
        throw Misread{"this move takes more marks than a scene can have; take it as tracks"};
    std::vector<Mark>& marks = scene.camera.marks;
    marks.clear();
    for (const std::size_t i : kept) {
        Mark mark;
        mark.id = static_cast<std::int64_t>(marks.size()) + 1;
        mark.time = poses[i].time;
        mark.pose = poses[i].pose;
        mark.corner = true; // straight from one to the next, as they were chosen
        marks.push_back(std::move(mark));
    }
}

void asTracks(Scene& scene, const std::vector<TimedPose>& poses) {
    Mark first = scene.camera.marks.front();
    first.time = Rational(0);
    first.pose = poses.front().pose;
    first.aim = {};
    first.arriving.reset(), first.leaving.reset();
    scene.camera.marks = {first};
    for (const Told& each : told) {
        const auto get = scene::cameraProperty(each.property)->get;
        const auto kept = fewest(poses.size(), [&](std::size_t a, std::size_t b, std::size_t i) {
            return off(poses, get, a, b, i) / each.track;
        });
        scene::Track track;
        track.property = each.property;
        bool moves = false;
        for (const std::size_t i : kept) {
            track.keys.push_back({poses[i].time, get(poses[i].pose), {}, false});
            moves = moves || std::abs(track.keys.back().value - track.keys.front().value) > each.track;
        }
        if (moves) scene.camera.tracks.push_back(std::move(track));
    }
}

}

void cameraPath(Scene& scene, Fields& fields) {
    constexpr std::array<std::string_view, 2> kinds = {"tracks", "marks"};
    const bool marks = fields.has("as") && fields.choice("as", kinds) == 1;
    const std::vector<TimedPose> poses = readPoses(scene, fields);
    scene.camera.pace.reset();
    std::erase_if(scene.camera.tracks, [](const scene::Track& track) {
        return std::any_of(std::begin(told), std::end(told),
                           [&](const Told& each) { return track.property == each.property; });
    });
    if (marks)
        asMarks(scene, poses);
    else
        asTracks(scene, poses);
    const auto last = frameAt(poses.back().time, scene.output.rate);
    scene.output.frames =
        std::clamp(std::max(scene.output.frames, last + 1), std::int64_t{1}, Limits::frames);
}

}
