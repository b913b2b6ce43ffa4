#include "checks/choreography.h"

#include "checks/frames.h"
#include "motion/camera_move.h"
#include "motion/resolved_scene.h"
#include "motion/values.h"
#include "optics/placing.h"
#include "scene/property.h"
#include "scene/scene_json.h"
#include "scene/track_json.h"

#include <algorithm>
#include <cmath>

namespace stage::checks {
namespace {

using scene::Json;
using scene::Rig;
using scene::Scene;

/// What changes less at once is not told of.
constexpr double leastJerk = 0.05, leastTurn = 2; ///< m/s, degrees/s

std::string rigName(Rig rig) {
    return std::string(scene::rigNames[static_cast<std::size_t>(rig)]);
}

/// The camera's way, sampled at every frame: in the middle of short intervals that neither a mark nor a jump
/// cuts.
struct Sample {
    double speed = 0, acceleration = 0, turning = 0;
};

class MoveReporter {
public:
    MoveReporter(const Scene& scene, const std::stop_token& stop)
        : m_scene(scene), m_stop(stop), m_move(scene), m_step(stepOf(scene)) {}
    Result<Report> report();

private:
    V3d place(double t) const { return m_move.place(t); }
    V3d axis(double t) const {
        const scene::Pose pose = m_move.at(t);
        return optics::forwardOf(pose.pan, pose.tilt);
    }
    Rational timeOfSample(std::size_t i) const {
        return timeOfFrame(static_cast<std::int64_t>(i) * m_step, m_scene.output.rate);
    }
    static double angle(const V3d& u, const V3d& v) {
        return degrees(std::atan2(u.cross(v).length(), u.dot(v)));
    }
    Sample sampleAt(double t) const;
    void limits();
    void jerks();
    void jumps();
    void layers();
    void ends();
    void over(Kind kind, double limit, double (*value)(const Sample&), const char* what, const char* unit);
    void atMark(std::size_t mark);
    Json slower(double factor) const;
    void add(Finding finding) { m_report.findings.push_back(std::move(finding)); }

    const Scene& m_scene;
    const std::stop_token& m_stop;
    motion::CameraMove m_move;
    std::vector<double> m_arrivals; ///< of marks
    std::vector<double> m_cuts;     ///< of marks, and where a key of the camera holds up to the next
    std::vector<Sample> m_samples;  ///< of every m_step-th frame
    std::int64_t m_step = 1;
    Report m_report;
};

Sample MoveReporter::sampleAt(double t) const {
    // Differences about t that stay on one side of every mark, for there the pace may change at once.
    double h = 0.25 / m_scene.output.rate.toDouble(), middle = t;
    for (const double cut : m_cuts)
        if (std::abs(middle - cut) < 1.001 * h)
            middle = cut + (middle >= cut && cut != m_arrivals.back() ? 1.001 : -1.001) * h;
    for (const double cut : m_cuts) // closer together than that
        if (std::abs(middle - cut) < h) h = std::max(1e-5, std::abs(middle - cut) * 0.99);
    const V3d a = place(middle - h), b = place(middle), c = place(middle + h);
    Sample sample{(c - a).length() / (2 * h), (c - b * 2 + a).length() / (h * h), 0};
    sample.turning = angle(axis(middle - h), axis(middle + h)) / (2 * h);
    return sample;
}

/// An edit that takes the whole move so much longer, the scene with it.
Json MoveReporter::slower(double factor) const {
    // A little more, so that what is rounded is within the limit too.
    factor = std::min(1000.0, std::ceil(factor * 1.01 * 1000) / 1000);
    Json edits = Json::array({{{"edit", "retime"}, {"factor", Rational::nearest(factor).text()}}});
    const auto& marks = m_scene.camera.marks;
    const double end = marks.front().time.toDouble() +
                       (marks.back().time - marks.front().time).toDouble() * factor,
                 rate = m_scene.output.rate.toDouble();
    const auto frames = static_cast<std::int64_t>(std::ceil(end * rate - 1e-6)) + 1;
    // What stood still after the move goes on doing so as long.
    const auto after = m_scene.output.frames - 1 - frameAt(marks.back().time, m_scene.output.rate);
    edits.push_back(
        {{"edit", "settings"},
         {"frames", std::min(scene::Limits::frames,
                             std::max(m_scene.output.frames, frames + std::max<std::int64_t>(0, after)))}});
    return {{"edit", "several"}, {"name", "Take " + figure(factor) + " times as long"}, {"edits", edits}};
}

/// Stretches of the samples that are over a limit, each as one finding.
void MoveReporter::over(Kind kind, double limit, double (*value)(const Sample&), const char* what,
                        const char* unit) {
    for (std::size_t i = 0; i < m_samples.size(); ++i) {
        if (!(value(m_samples[i]) > limit)) continue;
        std::size_t last = i, worst = i;
        for (; last + 1 < m_samples.size() && value(m_samples[last + 1]) > limit; ++last)
            if (value(m_samples[last + 1]) > value(m_samples[worst])) worst = last + 1;
        const double most = value(m_samples[worst]);
        Finding finding;
        finding.kind = kind;
        const std::string rig = rigName(m_scene.camera.rig);
        finding.sentence = std::string(what) + " " + figure(most) + " " + unit + "; a " + rig + " does " +
                           figure(limit, limit < 10 ? 1 : 0) + ".";
        finding.from = timeOfSample(i);
        finding.to = timeOfSample(last);
        finding.at = timeOfSample(worst);
        finding.excess = most / limit;
        const double factor = kind == Kind::Acceleration ? std::sqrt(most / limit) : most / limit;
        if (m_scene.camera.marks.size() > 1) {
            Json edit = slower(factor);
            finding.fixes.push_back({edit["name"], edit});
        }
        if (m_report.rig)
            finding.fixes.push_back({"Take a " + rigName(*m_report.rig) + " for it",
                                     {{"edit", "lens"}, {"rig", rigName(*m_report.rig)}}});
        add(std::move(finding));
        i = last;
    }
}

void MoveReporter::limits() {
    for (const Sample& sample : m_samples) {
        m_report.speed = std::max(m_report.speed, sample.speed);
        m_report.acceleration = std::max(m_report.acceleration, sample.acceleration);
        m_report.turning = std::max(m_report.turning, sample.turning);
    }
    for (std::size_t k = 0; k < scene::rigNames.size() && !m_report.rig; ++k) {
        const Believable can = believable(static_cast<Rig>(k));
        if (m_report.speed <= can.speed && m_report.acceleration <= can.acceleration &&
            m_report.turning <= can.turning)
            m_report.rig = static_cast<Rig>(k);
    }
    const Believable can = believable(m_scene.camera.rig);
    over(
        Kind::Speed, can.speed, [](const Sample& s) { return s.speed; }, "The camera goes at", "m/s");
    over(
        Kind::Acceleration, can.acceleration, [](const Sample& s) { return s.acceleration; },
        "The camera speeds up or down by", "m/s²");
    over(
        Kind::Turning, can.turning, [](const Sample& s) { return s.turning; }, "The camera turns by",
        "degrees/s");
}

/// What the speed and the turning do at once at a mark.
void MoveReporter::atMark(std::size_t mark) {
    const double t = m_arrivals[mark], last = scene::lastTime(m_scene).toDouble();
    // A shot may begin and end on a moving camera.
    if (!(t > 1e-6) || !(t < last - 1e-6)) return;
    double h = 1e-3;
    for (const double other : m_cuts)
        if (other != t) h = std::min(h, std::abs(other - t) * 0.3);
    const V3d at = place(t), before = at - place(t - h), after = place(t + h) - at;
    const auto& marks = m_scene.camera.marks;
    const std::string name = "mark " + std::to_string(mark + 1);
    Finding finding;
    finding.from = finding.to = finding.at =
        timeOfFrame(std::llround(t * m_scene.output.rate.toDouble()), m_scene.output.rate);
    // How speeds change over a thousandth of a second by themselves is taken off.
    const V3d slope = (before - (place(t - h) - place(t - 2 * h))) * 0.5 +
                      ((place(t + 2 * h) - place(t + h)) - after) * 0.5;
    const V3d change = after - before - slope;
    const double metres = change.length() / h;
    const auto turnOf = [&](double a, double b) {
        const V3d u = axis(a), v = axis(b);
        return u.cross(v) * (degrees(1) / (b - a));
    };
    const double turn = (turnOf(t + 1e-6, t + h) - turnOf(t - h, t - 1e-6)).length();
    const double speed = std::max(before.length(), after.length()) / h;
    const bool jerks = metres > std::max(leastJerk, 0.1 * speed), twists = turn > leastTurn;
    if (!jerks && !twists) return;
    finding.kind = Kind::Jerk;
    if (jerks && std::abs(before.length() - after.length()) / h > 0.5 * metres)
        finding.sentence = "A jerk at " + name + ": from " + figure(before.length() / h) + " to " +
                           figure(after.length() / h) + " m/s at once.";
    else if (jerks)
        finding.sentence = "A jerk at " + name + ": the way turns off at " + figure(speed) + " m/s.";
    else
        finding.sentence =
            "A jerk at " + name + ": the turning changes by " + figure(turn, 0) + " degrees/s at once.";
    if (marks[mark].corner && before.length() > 0 && after.length() > 0)
        finding.fixes.push_back(
            {"Round the corner", {{"edit", "mark"}, {"mark", mark + 1}, {"corner", false}}});
    const bool inside = mark > 0 && mark + 1 < marks.size();
    if (inside && !m_scene.camera.pace && before.length() > 1e-9 && after.length() > 1e-9)
        finding.fixes.push_back(
            {"One even pace over the whole move", {{"edit", "pace"}, {"whole", true}, {"pace", "even"}}});
    if (m_scene.camera.pace) {
        finding.fixes.push_back(
            {"Start and stop the move softly", {{"edit", "pace"}, {"whole", true}, {"pace", "soft both"}}});
    } else {
        // Slow where the mark is: the move before it stops softly, the one after starts softly.
        Json edits = Json::array();
        const auto soften = [&](std::size_t move, bool stop) {
            const auto named = [&](std::string_view what) {
                return std::any_of(scene::namedPaces.begin(), scene::namedPaces.end(), [&](const auto& each) {
                    return each.name == what && each.pace == marks[move].pace;
                });
            };
            const bool other =
                stop ? named("soft start") || named("soft both") : named("soft stop") || named("soft both");
            edits.push_back({{"edit", "pace"},
                             {"mark", move + 1},
                             {"pace", other  ? "soft both"
                                      : stop ? "soft stop"
                                             : "soft start"}});
        };
        if (mark > 0) soften(mark - 1, true);
        if (mark + 1 < marks.size()) soften(mark, false);
        finding.fixes.push_back(
            {"Stop softly at " + name,
             {{"edit", "several"}, {"name", "Stop softly at " + name}, {"edits", edits}}});
    }
    add(std::move(finding));
}

void MoveReporter::jerks() {
    for (std::size_t i = 0; i < m_arrivals.size(); ++i)
        atMark(i);
}

/// Paths go on at marks; what jumps is a property whose key holds up to the next.
void MoveReporter::jumps() {
    for (const scene::Track& track : m_scene.camera.tracks) {
        const auto* property = scene::cameraProperty(track.property);
        if (!property || track.link || track.property == "focus" || track.property == "fstop") continue;
        for (std::size_t i = 0; i + 1 < track.keys.size(); ++i) {
            const auto &from = track.keys[i], &to = track.keys[i + 1];
            if (!from.hold || std::abs(to.value - from.value) < 1e-3) continue;
            Finding finding;
            finding.kind = Kind::Jump;
            finding.from = finding.to = finding.at = to.time;
            finding.sentence = "The camera jumps: its " + track.property + " changes by " +
                               figure(std::abs(to.value - from.value)) + " " + std::string(property->unit) +
                               " at once.";
            finding.fixes.push_back({"Let it run from key to key",
                                     {{"edit", "keys"},
                                      {"property", track.property},
                                      {"times", {from.time.text()}},
                                      {"hold", false}}});
            add(std::move(finding));
        }
    }
}

void MoveReporter::layers() {
    struct Seen {
        bool shown = false, ahead = false;
        std::optional<V3d> eye; ///< in the card's own shares, at the frame before
        double distance = 0;    ///< of its pivot from the lens, there
    };
    std::unordered_map<std::int64_t, Seen> seen;
    const std::int64_t frames = m_scene.output.frames;
    for (std::int64_t f = 0; f < frames && !m_stop.stop_requested(); f += m_step) {
        const Rational time = timeOfFrame(f, m_scene.output.rate);
        const motion::ResolvedScene now(m_scene, time, m_move.at(time.toDouble()));
        for (const scene::LayerPath& found : now.all) {
            const scene::Layer& layer = *found.layer;
            if (layer.group() || layer.box()) continue;
            Seen& was = seen[layer.id];
            const bool hidden =
                !layer.visible || std::any_of(found.holders.begin(), found.holders.end(),
                                              [](const scene::LayerPtr& h) { return !h->visible; });
            const optics::Surface card = optics::surfaceOf(layer, optics::worldOf(found.carriers));
            const double distance = (optics::pivotOf(found) - now.view.eye).length();
            const double shows = layer.opacity * motion::shownAt(layer.showing, time);
            if (hidden || shows < 0.004) {
                was.eye.reset();
                continue;
            }
            was.shown = true;
            for (const V3d& corner : card.outline())
                was.ahead = was.ahead || optics::depthOf(now.view, corner) > 0;
            // Where the eye is as seen by the card: shares across and down it, metres in front of it.
            const V3d front = card.across.cross(card.down);
            if (!(front.length() > 0)) continue;
            const V3d off = now.view.eye - card.corner;
            const V3d eye(off.dot(card.across) / card.across.length2(),
                          off.dot(card.down) / card.down.length2(), off.dot(front.normalized()));
            if (was.eye && (was.eye->z > 0) != (eye.z > 0) && was.eye->z != eye.z) {
                const V3d through = *was.eye + (eye - *was.eye) * (was.eye->z / (was.eye->z - eye.z));
                const bool inside = through.x > -card.left && through.x < 1 + card.right &&
                                    through.y > -card.top && through.y < 1 + card.bottom;
                const double nearest = std::min(distance, was.distance);
                if (inside && shows * motion::shownFrom(layer.showing, nearest) > 0.02) {
                    Finding finding;
                    finding.kind = Kind::Through;
                    finding.sentence = "The camera goes through " + layer.name + ".";
                    finding.from = finding.to = finding.at = time;
                    finding.layer = layer.id;
                    // Gone when it is met, over the way of the second before.
                    const double way = (now.view.eye - place(time.toDouble() - 1)).length();
                    const double gone = std::ceil((std::max(distance, was.distance) + 0.05) * 20) / 20;
                    finding.fixes.push_back(
                        {"Fade it as the camera comes near",
                         {{"edit", "showing"},
                          {"layers", {layer.id}},
                          {"near", {gone, gone + std::ceil(std::max(0.5, way) * 20) / 20}}},
                         "Fade them as the camera comes near"});
                    add(std::move(finding));
                }
            }
            was.eye = eye;
            was.distance = distance;
        }
    }
    scene::forEach(m_scene, [&](const scene::LayerPtr& layer, const auto&) {
        const auto at = seen.find(layer->id);
        if (at == seen.end() || !at->second.shown || at->second.ahead) return;
        Finding finding;
        finding.kind = Kind::Behind;
        finding.sentence = layer->name + " is behind the camera all the time.";
        finding.to = scene::lastTime(m_scene);
        finding.layer = layer->id;
        finding.fixes.push_back({"Hang it at home depth",
                                 {{"edit", "push"},
                                  {"layers", {layer->id}},
                                  {"depth", m_scene.homeDepth},
                                  {"holdFraming", false}},
                                 "Hang them at home depth"});
        add(std::move(finding));
    });
}

void MoveReporter::ends() {
    if (!m_scene.output.loop) return;
    const Rational last = scene::lastTime(m_scene);
    const scene::Pose first = m_move.at(0), end = m_move.at(last.toDouble());
    const motion::ResolvedScene a(m_scene, Rational(0), first), b(m_scene, last, end);
    const double metres = (end.position - first.position).length();
    const double turned =
        angle(optics::forwardOf(first.pan, first.tilt), optics::forwardOf(end.pan, end.tilt)) +
        std::abs(std::remainder(end.roll - first.roll, 360));
    Finding finding;
    finding.kind = Kind::Ends;
    finding.from = finding.to = finding.at = last;
    if (metres > 1e-3 || turned > 0.01 || std::abs(end.focal / first.focal - 1) > 1e-4) {
        finding.sentence = "The end does not meet the beginning: the camera is off by " + figure(metres) +
                           " m and " + figure(turned, 1) + " degrees.";
        // The last mark becomes as the first, at the end.
        const auto& marks = m_scene.camera.marks;
        Json as = {{"edit", "set-mark"}, {"time", last.text()}};
        as.update(scene::toJson(marks.front().pose));
        as["aim"] =
            marks.front().aim.at == scene::Aim::At::Pose ? Json("pose") : scene::toJson(marks.front().aim);
        finding.fixes.push_back({"End as it begins", std::move(as)});
        return add(std::move(finding));
    }
    for (const scene::LayerPath& found : a.all) {
        const scene::LayerPath& other = b.find(found.layer->id);
        if (!other.layer || found.layer->group() || found.layer->box()) continue;
        const double off = (optics::pivotOf(found) - optics::pivotOf(other)).length();
        if (off < 1e-3 && std::abs(found.layer->opacity - other.layer->opacity) < 1e-3) continue;
        finding.layer = found.layer->id;
        finding.fixes.clear();
        Json edits = Json::array();
        for (const scene::Track& track : scene::find(m_scene, finding.layer).layer->tracks)
            // Only what is not where it began; one that goes on after its keys would lose its period.
            if (!track.link && !track.keys.empty() && track.extrapolation == scene::Extrapolation::Hold &&
                motion::keysAt(track, 0) != motion::keysAt(track, last.toDouble()))
                edits.push_back({{"edit", "key"},
                                 {"layers", {finding.layer}},
                                 {"property", track.property},
                                 {"time", last.text()},
                                 {"value", motion::keysAt(track, 0)}});
        if (!edits.empty()) {
            const std::string name = "End as it begins";
            finding.fixes.push_back({name, {{"edit", "several"}, {"name", name}, {"edits", edits}}});
        }
        finding.sentence = "The end does not meet the beginning: " + found.layer->name +
                           (off < 1e-3 ? " is not as opaque." : " is off by " + figure(off) + " m.");
        add(finding);
    }
}

Result<Report> MoveReporter::report() {
    for (std::size_t i = 0; i < m_scene.camera.marks.size(); ++i)
        m_arrivals.push_back(m_move.arrival(i));
    m_cuts = m_arrivals;
    for (const scene::Track& track : m_scene.camera.tracks)
        for (std::size_t i = 0; i + 1 < track.keys.size(); ++i)
            if (track.keys[i].hold) m_cuts.push_back(track.keys[i + 1].time.toDouble());
    for (std::int64_t f = 0; f < m_scene.output.frames; f += m_step) {
        if (m_stop.stop_requested()) return fail("Stopped.");
        m_samples.push_back(sampleAt(timeOfFrame(f, m_scene.output.rate).toDouble()));
    }
    limits();
    jerks();
    jumps();
    layers();
    ends();
    if (m_stop.stop_requested()) return fail("Stopped.");
    std::stable_sort(m_report.findings.begin(), m_report.findings.end(),
                     [](const Finding& a, const Finding& b) { return a.at < b.at; });
    return std::move(m_report);
}

}

Believable believable(Rig rig) {
    constexpr Believable table[] = {{1.5, 1.5, 90}, {2, 2, 45}, {3, 3, 30}, {15, 15, 60}};
    return table[static_cast<std::size_t>(rig)];
}

Result<Report> choreography(const Scene& scene, const std::stop_token& stop) {
    return MoveReporter(scene, stop).report();
}

}
