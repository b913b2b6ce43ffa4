#include "edit/move_edits.h"

#include "edit/track_edits.h"
#include "motion/camera_move.h"
#include "motion/ready_moves.h"
#include "motion/values.h"
#include "scene/property.h"
#include "scene/scene_json.h"
#include "scene/track_json.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>
#include <utility>

namespace stage::edit {
namespace {

using scene::Fields;
using scene::Json;
using scene::Layer;
using scene::Limits;
using scene::Mark;
using scene::Misread;
using scene::Scene;
using scene::Track;

void sortMarks(std::vector<Mark>& marks) {
    std::stable_sort(marks.begin(), marks.end(),
                     [](const Mark& a, const Mark& b) { return a.time < b.time; });
    for (std::size_t i = 1; i < marks.size(); ++i)
        if (marks[i].time == marks[i - 1].time) throw Misread{"another mark stands at that time already"};
}

std::int64_t freeId(const std::vector<Mark>& marks) {
    std::int64_t id = 0;
    for (const Mark& mark : marks)
        id = std::max(id, mark.id);
    return id + 1;
}

void roomFor(const std::vector<Mark>& marks, std::size_t more) {
    if (marks.size() + more > Limits::marks) throw Misread{"there are too many marks"};
}

/// What of a mark is not its pose.
void readMore(const Scene& scene, Fields& fields, Mark& mark) {
    mark.corner = fields.yes("corner", mark.corner);
    const auto handle = [&](const char* key, std::optional<V3d>& of) {
        if (!fields.has(key)) return;
        if (fields.value(key).is_null())
            of.reset();
        else
            of = fields.vector(key, Limits::metres);
    };
    handle("arriving", mark.arriving);
    handle("leaving", mark.leaving);
    if (fields.has("aim"))
        mark.aim = scene::readAim(withId(scene, fields.value("aim"), fields.at("aim")), fields.at("aim"));
    if (fields.has("focusOn")) {
        const Json& who = fields.value("focusOn");
        mark.focusOn = who.is_null() ? 0 : layerNamed(scene, who, fields.at("focusOn"));
    }
    mark.name = fields.text("name", 1000, mark.name);
}

/// A mark that is given another direction, or focus, than its aim has it look at no longer aims.
void honour(Scene& scene, Fields& fields, std::size_t index) {
    const Mark& mark = scene.camera.marks[index];
    const bool turned = !fields.has("aim") && (fields.has("pan") || fields.has("tilt")),
               focused = !fields.has("focusOn") && fields.has("focus");
    if (!(turned && mark.aim.at != scene::Aim::At::Pose) && !(focused && mark.focusOn != 0)) return;
    const scene::Pose seen = motion::CameraMove(scene).at(mark.time.toDouble()), named = mark.pose;
    Mark& now = scene.camera.marks[index];
    const double pan = std::remainder(seen.pan - named.pan, 360);
    if (turned && std::abs(pan) + std::abs(seen.tilt - named.tilt) > 1e-6) now.aim = {};
    if (focused && std::abs(seen.focus - named.focus) > 1e-9 * named.focus) now.focusOn = 0;
}

/// The mark named, those named, or all of them.
std::vector<std::size_t> marksOf(const Scene& scene, Fields& fields) {
    std::vector<std::size_t> which;
    const auto count = static_cast<std::int64_t>(scene.camera.marks.size());
    if (fields.has("mark")) {
        which.push_back(markOf(scene, fields));
    } else if (fields.has("marks")) {
        const Json& list = fields.array("marks", Limits::marks);
        for (std::size_t i = 0; i < list.size(); ++i) {
            if (!list[i].is_number_integer() || list[i] < 1 || list[i] > count)
                throw Misread{"'" + fields.at("marks", i) + "' should be the number of a mark"};
            which.push_back(list[i].get<std::size_t>() - 1);
        }
        if (which.empty()) throw Misread{"'" + fields.at("marks") + "' is empty"};
    } else {
        for (std::size_t i = 0; i < scene.camera.marks.size(); ++i)
            which.push_back(i);
    }
    return which;
}

bool between(const motion::CameraMove& move, const Scene& scene, std::size_t mark) {
    return scene.camera.pace && mark > 0 && mark + 1 < scene.camera.marks.size() &&
           move.length(mark - 1) > 0 && move.length(mark) > 0;
}

}

std::size_t markOf(const Scene& scene, Fields& fields) {
    return static_cast<std::size_t>(
               fields.whole("mark", 1, static_cast<std::int64_t>(scene.camera.marks.size()))) -
           1;
}

// ---- marks

namespace {

/// Gives marks the handles that they need for the paths between them to be these; paths[i] goes from marks[i]
/// to the next, none: whatever it is.
void keepPaths(std::vector<Mark>& marks, const std::vector<std::optional<motion::Path>>& paths) {
    std::vector<motion::PathPoint> points;
    for (const Mark& mark : marks)
        points.push_back({mark.pose.position, mark.corner, mark.arriving, mark.leaving});
    const std::vector<motion::Path> now = motion::pathsThrough(points);
    for (std::size_t i = 0; i < paths.size(); ++i) {
        if (!paths[i] || !(paths[i]->length() > 0)) continue;
        const auto& wanted = paths[i]->points();
        const double close = 1e-9 * (1 + paths[i]->length());
        if ((now[i].points()[1] - wanted[1]).length() > close)
            marks[i].leaving = wanted[1] - marks[i].pose.position;
        if ((now[i].points()[2] - wanted[2]).length() > close)
            marks[i + 1].arriving = wanted[2] - marks[i + 1].pose.position;
    }
}

/// The paths of a move, with a mark put into one of them.
std::vector<std::optional<motion::Path>> pathsWith(const motion::CameraMove& move, std::size_t marks,
                                                   const motion::CameraMove::Place& place) {
    std::vector<std::optional<motion::Path>> paths;
    for (std::size_t i = 0; i + 1 < marks; ++i) {
        if (i != place.move) {
            paths.emplace_back(move.path(i));
            continue;
        }
        auto [before, after] = move.path(i).split(place.share);
        paths.emplace_back(std::move(before));
        paths.emplace_back(std::move(after));
    }
    return paths;
}

/// The pace over the whole move as paces from mark to mark: the same speeds at the same times.
void dividePace(Scene& scene) {
    if (!scene.camera.pace) return;
    const scene::Pace whole = *scene.camera.pace;
    auto& marks = scene.camera.marks;
    const motion::CameraMove move(scene);
    for (std::size_t first = 0; first + 1 < marks.size();) {
        std::size_t last = first; // of a run in which the camera does not stand
        while (last + 1 < marks.size() && move.length(last) > 0)
            ++last;
        const double begin = marks[first].time.toDouble(), span = marks[last].time.toDouble() - begin;
        for (std::size_t i = first; i < last; ++i)
            marks[i].pace = motion::partOf(whole, (marks[i].time.toDouble() - begin) / span,
                                           (marks[i + 1].time.toDouble() - begin) / span);
        first = std::max(last, first + 1);
    }
    scene.camera.pace.reset();
}

}

void setMarkAt(Scene& scene, Fields& fields) {
    const Rational time = fields.rational("time", Rational(0), latest);
    auto& marks = scene.camera.marks;
    std::vector<std::optional<motion::Path>> paths;
    V3d onPath(0);
    auto place = std::lower_bound(marks.begin(), marks.end(), time,
                                  [](const Mark& m, Rational t) { return m.time < t; });
    if (place == marks.end() || place->time != time) {
        roomFor(marks, 1);
        Scene calm = scene; // what tracks say comes on top of marks
        calm.camera.tracks.clear();
        const motion::CameraMove move(calm);
        const auto inMove = move.placeIn(time.toDouble());
        if (inMove) paths = pathsWith(move, marks.size(), *inMove);
        Mark mark;
        mark.time = time;
        mark.pose = move.at(time.toDouble());
        onPath = mark.pose.position;
        mark.id = freeId(marks);
        if (place != marks.begin()) {
            Mark& before = *(place - 1);
            mark.pace = before.pace;
            mark.aim = before.aim;
            mark.focusOn = before.focusOn;
            if (place != marks.end()) { // the speed goes on as it was, with the mark as without it
                const double share = ((time - before.time) / (place->time - before.time)).toDouble();
                mark.pace = motion::partOf(before.pace, share, 1);
                before.pace = motion::partOf(before.pace, 0, share);
            }
        }
        place = marks.insert(place, mark);
        // Where two marks pull at the aim or the focus, neither of theirs says what is seen between them.
        calm.camera.marks = marks;
        const scene::Pose seen = motion::CameraMove(calm).at(time.toDouble());
        if (std::abs(std::remainder(seen.pan - mark.pose.pan, 360)) + std::abs(seen.tilt - mark.pose.tilt) >
            1e-6)
            place->aim = {};
        if (std::abs(seen.focus - mark.pose.focus) > 1e-9 * mark.pose.focus) place->focusOn = 0;
    }
    place->pose = scene::readPose(fields, place->pose);
    readMore(scene, fields, *place);
    // A mark on the path changes nothing of it; one beside it bends it smoothly.
    if (!paths.empty() && (place->pose.position - onPath).length() < 1e-9) keepPaths(marks, paths);
    honour(scene, fields, static_cast<std::size_t>(place - marks.begin()));
}

void changeMarks(Scene& scene, Fields& fields) {
    for (const std::size_t i : marksOf(scene, fields)) {
        Mark& mark = scene.camera.marks[i];
        mark.pose = scene::readPose(fields, mark.pose);
        readMore(scene, fields, mark);
        honour(scene, fields, i);
    }
}

void moveMark(Scene& scene, Fields& fields) {
    const std::size_t index = markOf(scene, fields);
    if (between(motion::CameraMove(scene), scene, index))
        throw Misread{"the pace runs over the whole move, so the time of this mark follows from the path"};
    scene.camera.marks[index].time = fields.rational("time", Rational(0), latest);
    sortMarks(scene.camera.marks);
}

void copyMark(Scene& scene, Fields& fields) {
    auto& marks = scene.camera.marks;
    Mark copy = marks[markOf(scene, fields)];
    copy.time = fields.rational("time", Rational(0), latest);
    copy.id = freeId(marks);
    copy.name = fields.text("name", 1000, copy.name);
    roomFor(marks, 1);
    marks.push_back(std::move(copy));
    sortMarks(marks);
}

void holdMark(Scene& scene, Fields& fields) {
    auto& marks = scene.camera.marks;
    const std::size_t index = markOf(scene, fields);
    const Rational seconds = fields.rational("seconds", Rational(1, 1000), latest);
    roomFor(marks, 1);
    Mark copy = marks[index];
    copy.id = freeId(marks);
    copy.time = copy.time + seconds;
    copy.arriving.reset();
    marks[index].leaving.reset();
    for (std::size_t i = index + 1; i < marks.size(); ++i)
        marks[i].time = marks[i].time + seconds;
    if (marks.back().time > latest || copy.time > latest) throw Misread{"the move would be too long"};
    marks.insert(marks.begin() + static_cast<std::ptrdiff_t>(index) + 1, std::move(copy));
}

void reorderMark(Scene& scene, Fields& fields) {
    auto& marks = scene.camera.marks;
    const std::size_t from = markOf(scene, fields);
    const auto to =
        static_cast<std::size_t>(fields.whole("to", 1, static_cast<std::int64_t>(marks.size()))) - 1;
    // Poses change places; the times and paces of the move stay.
    std::vector<std::pair<Rational, scene::Pace>> beats;
    for (const Mark& mark : marks)
        beats.emplace_back(mark.time, mark.pace);
    Mark moved = marks[from];
    marks.erase(marks.begin() + static_cast<std::ptrdiff_t>(from));
    marks.insert(marks.begin() + static_cast<std::ptrdiff_t>(to), std::move(moved));
    for (std::size_t i = 0; i < marks.size(); ++i)
        std::tie(marks[i].time, marks[i].pace) = beats[i];
}

void removeMark(Scene& scene, Fields& fields) {
    if (scene.camera.marks.size() == 1) throw Misread{"the only mark cannot be removed"};
    scene.camera.marks.erase(scene.camera.marks.begin() + static_cast<std::ptrdiff_t>(markOf(scene, fields)));
}

void retime(Scene& scene, Fields& fields) {
    auto& marks = scene.camera.marks;
    const Rational first = marks.front().time, span = marks.back().time - first;
    if (!(span > Rational(0))) throw Misread{"a single mark has no duration"};
    if (fields.has("seconds") == fields.has("factor")) throw Misread{"retime takes 'seconds' or 'factor'"};
    const Rational factor = fields.has("seconds")
                                ? fields.rational("seconds", Rational(1, 1000), latest) / span
                                : fields.rational("factor", Rational(1, 1000), Rational(1000));
    const auto stretched = [&](Rational time) {
        const Rational kept = (first + (time - first) * factor).onGrid();
        if (kept > latest) throw Misread{"the move would be too long"};
        return kept;
    };
    for (Mark& mark : marks)
        mark.time = stretched(mark.time);
    sortMarks(marks);
    for (Track& track : scene.camera.tracks) {
        for (auto& key : track.keys)
            key.time = stretched(key.time);
        checkKeys(track.keys);
    }
}

void pace(Scene& scene, Fields& fields) {
    if (fields.yes("whole", false)) {
        if (fields.value("pace").is_null())
            scene.camera.pace.reset();
        else
            scene.camera.pace = scene::readPace(fields, "pace", scene::Pace{});
        return;
    }
    for (const std::size_t i : marksOf(scene, fields))
        scene.camera.marks[i].pace = scene::readPace(fields, "pace", scene.camera.marks[i].pace);
}

void readyMove(Scene& scene, Fields& fields) {
    motion::ReadyMove move;
    move.kind = static_cast<motion::Ready>(fields.choice("move", motion::readyNames));
    move.amount = fields.number("amount", -Limits::metres, Limits::metres, 0);
    if (move.kind == motion::Ready::Arc && std::abs(move.amount) > 3600)
        throw Misread{"'" + fields.at("amount") + "' is more than ten rounds"};
    move.start = fields.rational("time", Rational(0), latest, scene.camera.marks.back().time);
    move.duration = fields.rational("seconds", Rational(1, 1000), latest, Rational(5));
    move.pace = scene::readPace(
        fields, "pace", move.kind == motion::Ready::OrbitLoop ? scene::Pace{} : scene::namedPaces[3].pace);
    if (fields.has("subject"))
        move.subject = layerNamed(scene, fields.value("subject"), fields.at("subject"));
    const Rational end = move.start + move.duration;
    if (end > latest) throw Misread{"the move would be too long"};
    // It has a pace of its own, and what comes before it goes on as it did.
    dividePace(scene);
    auto& marks = scene.camera.marks;
    const bool stood =
        std::any_of(marks.begin(), marks.end(), [&](const Mark& mark) { return mark.time == move.start; });
    {
        const Json begin = {{"edit", "set-mark"}, {"time", move.start.text()}};
        Fields mark(begin, fields.where());
        setMarkAt(scene, mark);
    }
    const motion::CameraMove before(scene);
    std::vector<Mark> made = value(motion::marksOf(scene, move));
    // It takes the place of what was there; what comes later comes as it did, from where the move ends.
    std::vector<Mark> kept;
    for (const Mark& mark : marks)
        if (mark.time < move.start || mark.time > end) kept.push_back(mark);
    if (kept.size() + made.size() > Limits::marks) throw Misread{"there are too many marks"};
    std::int64_t id = freeId(marks);
    for (const Mark& mark : marks) // the way on from its end keeps the pace that it had
        if (mark.time <= end) made.back().pace = mark.pace;
    for (Mark& mark : made) {
        // One that stood at that very time keeps its id and its name.
        const auto same =
            std::find_if(marks.begin(), marks.end(), [&](const Mark& m) { return m.time == mark.time; });
        mark.id = same != marks.end() ? same->id : id++;
        mark.name = same != marks.end() && (stood || mark.time != move.start)
                        ? same->name
                        : std::string(motion::readyNames[static_cast<std::size_t>(move.kind)]);
        kept.push_back(std::move(mark));
    }
    const std::vector<Mark> was = std::exchange(marks, std::move(kept));
    sortMarks(marks);
    std::vector<std::optional<motion::Path>> paths;
    for (std::size_t i = 0; i + 1 < marks.size() && marks[i + 1].time <= move.start; ++i)
        paths.emplace_back(before.path(i));
    keepPaths(marks, paths);
    // The scene grows with its move.
    const Rational frames = end * scene.output.rate;
    scene.output.frames =
        std::clamp<std::int64_t>(std::max(scene.output.frames, frames.ceil() + 1), 1, Limits::frames);
}

void settleMarks(Scene& scene) {
    if (!scene.camera.pace || scene.camera.marks.size() < 3) return;
    const motion::CameraMove move(scene);
    std::vector<Mark> marks = scene.camera.marks;
    for (std::size_t i = 1; i + 1 < marks.size(); ++i)
        if (between(move, scene, i)) marks[i].time = Rational::nearest(move.arrival(i));
    for (std::size_t i = 1; i < marks.size(); ++i)
        if (marks[i].time <= marks[i - 1].time) return; // too close together to be told apart
    scene.camera.marks = std::move(marks);
}

}
