#include "edit/move_edits.h"

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

const Rational latest(1'000'000);

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

/// A JSON object that names a layer, with its id instead.
Json withId(const Scene& scene, Json json, const std::string& where) {
    if (json.is_object() && json.contains("layer"))
        json["layer"] = layerNamed(scene, json["layer"], where + ".layer");
    return json;
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

// ---- tracks

/// What each of several layers gets on top of the one before it, so that they do not move in lockstep.
struct Each {
    std::int64_t seed = 1; ///< of noise
    Rational delay{0};     ///< of keys and links
    double offset = 0;     ///< of keys and links
};
Each eachOf(Fields& fields) {
    Each each;
    if (fields.yes("sameSeed", false)) each.seed = 0;
    each.delay = fields.rational("delayEach", Rational(0) - latest, latest, Rational(0));
    each.offset = fields.number("offsetEach", -Limits::metres, Limits::metres, 0);
    return each;
}

/// Runs change(tracks, whose) for each of the layers named, or for the camera where none is.
void eachTracks(Scene& scene, Fields& fields,
                const std::function<void(std::vector<Track>&, scene::Of, std::int64_t)>& change) {
    if (!fields.has("layers")) return change(scene.camera.tracks, scene::Of::Camera, 0);
    for (const std::int64_t id : layersOf(scene, fields))
        scene::changeLayer(scene.layers, id,
                           [&](Layer& layer) { change(layer.tracks, scene::Of::Layer, id); });
}

std::string propertyOf(Fields& fields, scene::Of of) {
    std::string name = fields.text("property", 100);
    const bool known = of == scene::Of::Camera ? scene::cameraProperty(name) != nullptr
                                               : scene::layerProperty(name) != nullptr;
    if (!known) throw Misread{"'" + fields.at("property") + "': there is no property '" + name + "'"};
    return name;
}

Track* trackOf(std::vector<Track>& tracks, std::string_view property) {
    const auto at =
        std::find_if(tracks.begin(), tracks.end(), [&](const Track& t) { return t.property == property; });
    return at == tracks.end() ? nullptr : &*at;
}

Track& needTrack(std::vector<Track>& tracks, const std::string& property) {
    if (Track* track = trackOf(tracks, property)) return *track;
    tracks.emplace_back().property = property;
    return tracks.back();
}

void dropEmpty(std::vector<Track>& tracks) {
    std::erase_if(tracks, [](const Track& t) { return t.keys.empty() && !t.link && t.noises.empty(); });
}

void checkLinks(const Scene& scene) {
    if (const std::string why = motion::whyNotLinked(scene); !why.empty()) throw Misread{why};
}

void checkKeys(const std::vector<scene::Key<double>>& keys) {
    if (keys.size() > Limits::keys) throw Misread{"there are too many keys"};
    for (std::size_t i = 1; i < keys.size(); ++i)
        if (keys[i].time <= keys[i - 1].time) throw Misread{"two keys would stand at one time"};
}

void sortKeys(std::vector<scene::Key<double>>& keys) {
    std::stable_sort(keys.begin(), keys.end(), [](const auto& a, const auto& b) { return a.time < b.time; });
}

/// Those of the keys that an edit of several is about: 'times', or 'from' to 'to', or all.
std::function<bool(Rational)> chosen(Fields& fields) {
    if (fields.has("times")) {
        std::vector<Rational> times;
        const Json& list = fields.array("times", Limits::keys);
        for (std::size_t i = 0; i < list.size(); ++i) {
            const Json one = {{"time", list[i]}};
            Fields each(one, fields.at("times", i));
            times.push_back(each.rational("time", Rational(0) - latest, latest));
        }
        return [times](Rational t) { return std::find(times.begin(), times.end(), t) != times.end(); };
    }
    const Rational from = fields.rational("from", Rational(0) - latest, latest, Rational(0) - latest),
                   to = fields.rational("to", Rational(0) - latest, latest, latest);
    return [from, to](Rational t) { return from <= t && t <= to; };
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
    std::vector<motion::Stop> stops;
    for (const Mark& mark : marks)
        stops.push_back({mark.pose.position, mark.corner, mark.arriving, mark.leaving});
    const std::vector<motion::Path> now = motion::pathsThrough(stops);
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

// ---- tracks

void setTrack(Scene& scene, Fields& fields) {
    const Each each = eachOf(fields);
    std::int64_t number = -1;
    eachTracks(scene, fields, [&](std::vector<Track>& tracks, scene::Of of, std::int64_t) {
        ++number;
        const Rational later = each.delay * Rational(number);
        const double more = each.offset * static_cast<double>(number);
        const std::string property = propertyOf(fields, of);
        Track& track = needTrack(tracks, property);
        if (fields.has("keys")) {
            const Json& keys = fields.value("keys");
            track.keys.clear();
            if (!keys.is_null() && !(keys.is_array() && keys.empty()))
                track.keys = scene::readNumberKeys(keys, fields.at("keys"));
            for (auto& key : track.keys)
                key.time = key.time + later, key.value += more;
        }
        if (fields.has("beside"))
            track.beside = static_cast<scene::Beside>(fields.choice("beside", scene::besideNames));
        if (fields.has("link")) {
            track.link.reset();
            if (!fields.value("link").is_null())
                track.link = scene::readLink(withId(scene, fields.value("link"), fields.at("link")),
                                             fields.at("link"));
            if (track.link) track.link->delay = track.link->delay + later, track.link->offset += more;
        }
        if (fields.has("noise")) {
            track.noises.clear();
            const Json& list = fields.array("noise", Limits::noises);
            for (std::size_t i = 0; i < list.size(); ++i)
                track.noises.push_back(scene::readNoise(list[i], fields.at("noise", i)));
            for (scene::Noise& noise : track.noises)
                noise.seed += each.seed * number;
        }
        dropEmpty(tracks);
    });
    checkLinks(scene);
}

void removeTrack(Scene& scene, Fields& fields) {
    eachTracks(scene, fields, [&](std::vector<Track>& tracks, scene::Of of, std::int64_t) {
        const std::string property = propertyOf(fields, of);
        std::erase_if(tracks, [&](const Track& t) { return t.property == property; });
    });
}

void setKey(Scene& scene, Fields& fields) {
    const Scene before = scene;
    eachTracks(scene, fields, [&](std::vector<Track>& tracks, scene::Of of, std::int64_t id) {
        const std::string property = propertyOf(fields, of);
        const Rational time = fields.rational("time", Rational(0) - latest, latest);
        Track& track = needTrack(tracks, property);
        if (track.link)
            throw Misread{"'" + property + "' follows another; take the link off before it is keyed"};
        const auto at = std::lower_bound(track.keys.begin(), track.keys.end(), time,
                                         [](const auto& key, Rational t) { return key.time < t; });
        const bool there = at != track.keys.end() && at->time == time;
        scene::Key<double> key;
        if (there) key = *at;
        key.time = time;
        if (fields.has("value")) {
            key.value = fields.number("value", -Limits::metres, Limits::metres);
        } else if (!there) { // what it is now, without what chance adds
            Scene calm = before;
            const auto quiet = [&](std::vector<Track>& all) {
                if (Track* mine = trackOf(all, property)) mine->noises.clear();
            };
            if (id == 0)
                quiet(calm.camera.tracks);
            else
                scene::changeLayer(calm.layers, id, [&](Layer& layer) { quiet(layer.tracks); });
            key.value =
                id == 0 ? scene::cameraProperty(property)->get(motion::CameraMove(calm).at(time.toDouble()))
                        : motion::Values(calm).of(id, property, time.toDouble()).value_or(0);
        }
        if (!there && at != track.keys.begin()) key.pace = (at - 1)->pace;
        key.pace = scene::readPace(fields, "pace", key.pace);
        key.hold = fields.yes("hold", key.hold);
        if (there)
            *(track.keys.begin() + (at - track.keys.begin())) = key;
        else
            track.keys.insert(at, key);
        checkKeys(track.keys);
    });
}

void removeKey(Scene& scene, Fields& fields) {
    bool any = false;
    eachTracks(scene, fields, [&](std::vector<Track>& tracks, scene::Of of, std::int64_t) {
        Track* track = trackOf(tracks, propertyOf(fields, of));
        const Rational time = fields.rational("time", Rational(0) - latest, latest);
        if (track)
            any = std::erase_if(track->keys, [&](const auto& key) { return key.time == time; }) > 0 || any;
        dropEmpty(tracks);
    });
    if (!any) throw Misread{"there is no key at that time"};
}

void changeKeys(Scene& scene, Fields& fields) {
    const bool onlyOne = fields.has("property");
    const auto which = chosen(fields);
    const Rational shift = fields.rational("shift", Rational(0) - latest, latest, Rational(0));
    const Rational stretch = fields.rational("stretch", Rational(1, 1000), Rational(1000), Rational(1));
    const double add = fields.number("add", -Limits::metres, Limits::metres, 0),
                 times = fields.number("multiply", -1e6, 1e6, 1);
    const bool reverse = fields.yes("reverse", false), copy = fields.yes("copy", false),
               remove = fields.yes("remove", false), smooth = fields.yes("smooth", false),
               evenOut = fields.yes("even", false), paced = fields.has("pace"), held = fields.has("hold");
    bool any = false;
    eachTracks(scene, fields, [&](std::vector<Track>& tracks, scene::Of of, std::int64_t) {
        const std::string only = onlyOne ? propertyOf(fields, of) : std::string();
        for (Track& track : tracks) {
            if (onlyOne && track.property != only) continue;
            std::vector<scene::Key<double>> taken, rest;
            for (const auto& key : track.keys)
                (which(key.time) ? taken : rest).push_back(key);
            if (taken.empty()) continue;
            any = true;
            const std::vector<scene::Key<double>> before = taken;
            const Rational first = taken.front().time, last = taken.back().time;
            if (evenOut) // even steps of time between the first and the last
                for (std::size_t i = 1; i + 1 < taken.size(); ++i)
                    taken[i].time =
                        first + (last - first) * Rational(static_cast<std::int64_t>(i),
                                                          static_cast<std::int64_t>(taken.size()) - 1);
            if (smooth) // each a third of the way to the mean of its neighbours, weighed 1 2 1
                for (std::size_t i = 1; i + 1 < taken.size(); ++i)
                    taken[i].value = (before[i - 1].value + 2 * before[i].value + before[i + 1].value) / 4;
            if (reverse) {
                std::reverse(taken.begin(), taken.end());
                for (std::size_t i = 0; i < taken.size(); ++i) {
                    auto& key = taken[i];
                    key.time = first + last - key.time;
                    // The way to the next key was the way from it, the other way round.
                    if (i + 1 < taken.size()) {
                        const scene::Pace& was = before[taken.size() - 2 - i].pace;
                        key.pace = {1 - was.x2,
                                    1 - was.y2,
                                    1 - was.x1,
                                    1 - was.y1,
                                    {was.drawn.rbegin(), was.drawn.rend()}};
                        key.hold = before[taken.size() - 2 - i].hold;
                    }
                }
            }
            for (auto& key : taken) {
                key.time = first + (key.time - first) * stretch + shift;
                key.time = key.time.onGrid();
                key.value = key.value * times + add;
                if (paced) key.pace = scene::readPace(fields, "pace", key.pace);
                if (held) key.hold = fields.yes("hold", false);
            }
            std::vector<scene::Key<double>> all = rest;
            if (copy) all.insert(all.end(), before.begin(), before.end());
            if (!remove) {
                // What is moved onto others takes their place.
                std::erase_if(all, [&](const auto& key) {
                    return std::any_of(taken.begin(), taken.end(),
                                       [&](const auto& t) { return t.time == key.time; });
                });
                all.insert(all.end(), taken.begin(), taken.end());
            }
            sortKeys(all);
            checkKeys(all);
            track.keys = std::move(all);
        }
        dropEmpty(tracks);
    });
    if (!any) throw Misread{"there are no such keys"};
}

void handHeld(Scene& scene, Fields& fields) {
    const double amount = fields.number("amount", 0, 100, 1), rate = fields.number("rate", 0.01, 100, 0.8);
    const std::int64_t seed = fields.whole("seed", 0, std::int64_t{1} << 40, 1);
    // As a steady hand sways: more in aim than in place, least in roll.
    constexpr std::pair<std::string_view, double> parts[] = {
        {"pan", 0.45}, {"tilt", 0.35}, {"roll", 0.2}, {"across", 0.012}, {"height", 0.016}, {"along", 0.008}};
    std::int64_t own = seed * 10;
    for (const auto& [property, most] : parts) {
        Track& track = needTrack(scene.camera.tracks, std::string(property));
        std::erase_if(track.noises, [](const scene::Noise& n) { return n.kind == scene::Noise::Kind::Sway; });
        if (track.noises.size() >= Limits::noises) throw Misread{"there is too much noise already"};
        if (amount > 0) track.noises.push_back({scene::Noise::Kind::Sway, most * amount, rate, ++own});
    }
    dropEmpty(scene.camera.tracks);
}

// ---- layers in time

void showing(Scene& scene, Fields& fields) {
    Json mine = Json::object();
    for (const char* key : {"in", "out", "fadeIn", "fadeOut", "near", "far"})
        if (fields.has(key)) mine[key] = fields.value(key);
    for (const std::int64_t id : layersOf(scene, fields))
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            layer.showing = scene::readShowing(mine, fields.where(), layer.showing);
        });
}

namespace {

/// All of a layer later: when it shows, its footage and what is keyed on it.
void putOff(Layer& layer, Rational by) {
    const auto later = [by](Rational time) { return (time + by).onGrid(); };
    if (layer.showing.in) layer.showing.in = later(*layer.showing.in);
    if (layer.showing.out) layer.showing.out = later(*layer.showing.out);
    if (auto* footage = std::get_if<scene::Footage>(&layer.content)) footage->start = later(footage->start);
    for (Track& track : layer.tracks)
        for (auto& key : track.keys)
            key.time = later(key.time);
    for (auto& key : layer.places)
        key.time = later(key.time);
}

}

void moveInTime(Scene& scene, Fields& fields) {
    const Rational by = fields.rational("by", Rational(0) - latest, latest);
    for (const std::int64_t id : layersOf(scene, fields))
        scene::changeLayer(scene.layers, id, [&](Layer& layer) { putOff(layer, by); });
}

void stagger(Scene& scene, Fields& fields) {
    // Each begins so much after the one before it, in the order named.
    const Rational by = fields.rational("by", Rational(0) - latest, latest);
    const auto ids = layersOf(scene, fields);
    const Rational first = scene::find(scene, ids.front()).layer->showing.in.value_or(Rational(0));
    const Rational start = fields.rational("from", Rational(0) - latest, latest, first);
    for (std::size_t i = 0; i < ids.size(); ++i)
        scene::changeLayer(scene.layers, ids[i], [&](Layer& layer) {
            const Rational in = layer.showing.in.value_or(Rational(0));
            layer.showing.in = in;
            putOff(layer, start + by * Rational(static_cast<std::int64_t>(i)) - in);
        });
}

}
