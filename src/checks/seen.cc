#include "checks/seen.h"

#include "motion/camera_move.h"
#include "optics/lens.h"

#include <algorithm>
#include <cmath>

namespace stage::checks {
namespace {

using scene::Json;
using scene::Layer;
using scene::LayerPtr;
using scene::Scene;

/// So many times too large, along one side, is told, where it takes at least so many bytes more than needed.
constexpr double wasteful = 4;
constexpr double leastWaste = 32e6;
/// Bytes of a pixel in memory, with its smaller levels.
constexpr double bytesEach = 8 * 4.0 / 3;

double megabytes(double pixels) {
    return pixels * bytesEach / 1e6;
}

/// How much a picture is enlarged at a place of its card, by where its neighbours land.
double enlargementAt(const Sight& sight, const V2d& share, V2i pixels) {
    constexpr double step = 1e-4;
    const auto place = optics::project(sight.view, sight.card.at(share.x, share.y));
    const auto right = optics::project(sight.view, sight.card.at(share.x + step, share.y)),
               below = optics::project(sight.view, sight.card.at(share.x, share.y + step));
    if (!place || !right || !below) return 0;
    return std::max((*right - *place).length() / (step * pixels.x),
                    (*below - *place).length() / (step * pixels.y));
}

class SightGatherer {
public:
    SightGatherer(const Frames& frames, Coverage& coverage, const std::stop_token& stop);
    Result<void> look(std::int64_t f, const motion::Frame& frame);
    const std::map<std::int64_t, Seen>& seen() const { return m_seen; }

private:
    void look(const std::vector<motion::Item>& items, const motion::Frame& frame, std::int64_t f);
    void one(const motion::Item& item, const motion::Frame& frame, std::int64_t f);

    const Scene& m_scene;
    std::stop_token m_stop;
    Coverage& m_coverage;
    std::int64_t m_step;
    int m_finest;
    std::set<std::int64_t> m_waiting; ///< of which nothing has been seen yet
    std::map<std::int64_t, Seen> m_seen;
    std::map<std::int64_t, std::pair<std::int64_t, std::int64_t>> m_reading; ///< since when, up to when
};

/// Places of the frame in rows and columns.
std::array<V2d, 9> gridOf(V2i size) {
    std::array<V2d, 9> places;
    for (std::size_t i = 0; i < places.size(); ++i)
        places[i] = {size.x * (0.5 * static_cast<double>(i % 3)),
                     size.y * (0.5 * static_cast<double>(i / 3))};
    return places;
}

/// Calls visit(share, place) where a layer is seen: at places all over the frame, at its corners and its
/// middle.
template <class Visit> void atPlaces(const Sight& sight, V2i size, const Visit& visit) {
    for (const V2d& place : gridOf(size))
        if (const auto met = sight.meet(place)) visit(*met, place);
    const auto& card = sight.card;
    for (const V2d& share :
         {V2d(-card.left, -card.top), V2d(1 + card.right, -card.top), V2d(-card.left, 1 + card.bottom),
          V2d(1 + card.right, 1 + card.bottom), V2d(0.5, 0.5)})
        if (const auto place = optics::project(sight.view, card.at(share.x, share.y));
            place && isInside(*place, size))
            visit(share, *place);
}

void SightGatherer::one(const motion::Item& item, const motion::Frame& frame, std::int64_t f) {
    const auto at = m_seen.find(item.layer->id);
    if (at == m_seen.end()) return;
    Seen& seen = at->second;
    const Sight sight(item.card, frame.view, frame.iris);
    const optics::Surface& card = sight.card;
    if (card.bend == 0) {
        const optics::Region region = sight.region(optics::wholeOf(frame.size));
        if (region.bounded() && (region.s1 < -card.left || region.s0 > 1 + card.right ||
                                 region.t1 < -card.top || region.t0 > 1 + card.bottom))
            return;
    }
    bool any = false, whole = item.opacity >= 0.5;
    atPlaces(sight, frame.size, [&](const V2d& share, const V2d& place) {
        any = true;
        seen.sharpest = std::min(seen.sharpest, 2 * std::abs(sight.discAt(place)));
        const double enlargement = enlargementAt(sight, share, item.layer->pixels);
        if (enlargement > seen.enlargement) seen.enlargement = enlargement, seen.enlarged = f;
    });
    if (!any && card.bend != 0) return; // nothing tells that it is there
    if (seen.frames++ == 0) seen.first = f;
    for (const V3d& corner : card.outline()) {
        const auto place = optics::project(frame.view, corner);
        whole = whole && place && isInside(*place, frame.size);
    }
    auto& [since, until] = m_reading.try_emplace(item.layer->id, f, f - m_step).first->second;
    if (!whole) return;
    if (until != f - m_step) since = f;
    until = f;
    const double seconds = static_cast<double>(f - since + m_step) / m_scene.output.rate.toDouble();
    if (seconds > seen.readable) seen.readable = seconds, seen.read = since;
}

void SightGatherer::look(const std::vector<motion::Item>& items, const motion::Frame& frame, std::int64_t f) {
    for (const motion::Item& item : items) {
        if (item.flattened)
            look(item.items, frame, f);
        else
            one(item, frame, f);
    }
}

SightGatherer::SightGatherer(const Frames& frames, Coverage& coverage, const std::stop_token& stop)
    : m_scene(frames.scene()), m_stop(stop), m_coverage(coverage), m_step(frames.step()),
      m_finest(std::max(1, std::max(m_scene.output.frame.x, m_scene.output.frame.y) / 96)) {
    scene::forEach(m_scene, [&](const LayerPtr& layer, const std::vector<LayerPtr>& holders) {
        const auto off = [](const LayerPtr& each) { return !each->visible; };
        if (layer->group() || layer->box() || off(layer) || std::any_of(holders.begin(), holders.end(), off))
            return;
        m_seen[layer->id].sharpest = infinite;
        m_waiting.insert(layer->id);
    });
}

Result<void> SightGatherer::look(std::int64_t f, const motion::Frame& frame) {
    std::map<std::int64_t, std::int64_t> before;
    for (const std::int64_t id : m_waiting)
        before[id] = m_seen[id].frames;
    look(frame.items, frame, f);
    std::set<std::int64_t> here;
    for (const std::int64_t id : m_waiting)
        if (m_seen[id].frames > before[id]) here.insert(id);
    if (here.empty()) return {};
    const auto hidden = m_coverage.hidden(frame, here, m_finest, m_stop);
    if (!hidden) return tl::unexpected(hidden.error());
    for (const std::int64_t id : *hidden)
        here.erase(id);
    for (const std::int64_t id : here)
        m_seen[id].reaches = true, m_waiting.erase(id);
    return {};
}

/// What is in the frame at a time, nearest and farthest.
struct Depths {
    double nearest = infinite, farthest = 0;
    std::string nearestName, farthestName;
};
void addDepths(const std::vector<motion::Item>& items, const motion::Frame& frame, Depths& depths) {
    for (const motion::Item& item : items) {
        if (item.flattened) {
            addDepths(item.items, frame, depths);
            continue;
        }
        const Sight sight(item.card, frame.view, frame.iris);
        atPlaces(sight, frame.size, [&](const V2d&, const V2d& place) {
            const double depth = sight.depthAt(place);
            if (depth > 0 && depth < depths.nearest)
                depths.nearest = depth, depths.nearestName = item.layer->name;
            if (depth > depths.farthest) depths.farthest = depth, depths.farthestName = item.layer->name;
        });
    }
}

Finding findingOf(Kind kind, const Layer& layer, std::string sentence, double excess) {
    Finding finding;
    finding.kind = kind;
    finding.layer = layer.id;
    finding.sentence = std::move(sentence);
    finding.excess = excess;
    return finding;
}

class Telling {
public:
    Telling(const Scene& scene, const std::map<std::int64_t, Seen>& seen) : m_scene(scene), m_seen(seen) {}
    std::vector<Finding> all();

private:
    void layer(const Layer& layer, const Seen& seen);
    void unseen(const Layer& layer, const Seen& seen);
    void blurred(const Layer& layer, const Seen& seen);
    void enlarged(const Layer& layer, const Seen& seen);
    void text(const Layer& layer, const scene::Text& text, const Seen& seen);
    void focus();
    Rational time(std::int64_t frame) const { return timeOfFrame(frame, m_scene.output.rate); }
    void add(Finding finding, std::int64_t worst, bool always) {
        finding.at = time(worst);
        finding.from = always ? Rational(0) : finding.at;
        finding.to = always ? scene::lastTime(m_scene) : finding.at;
        m_findings.push_back(std::move(finding));
    }
    bool keyed(const char* property) const {
        const auto& tracks = m_scene.camera.tracks;
        return std::any_of(tracks.begin(), tracks.end(),
                           [&](const scene::Track& track) { return track.property == property; });
    }

    const Scene& m_scene;
    const std::map<std::int64_t, Seen>& m_seen;
    std::vector<Finding> m_findings;
};

void Telling::unseen(const Layer& layer, const Seen& seen) {
    Finding finding =
        findingOf(Kind::Unseen, layer,
                  layer.name + (seen.frames == 0 ? " is never in the frame."
                                                 : " is always hidden by what is in front of it."),
                  1);
    finding.fixes.push_back(
        {"Hide " + layer.name, {{"edit", "look"}, {"layers", {layer.id}}, {"visible", false}}, "Hide them"});
    add(std::move(finding), seen.first, true);
}

void Telling::blurred(const Layer& layer, const Seen& seen) {
    const double limit = m_scene.limits.blur * m_scene.output.frame.x;
    if (!(seen.sharpest > limit) || !(limit > 0)) return;
    Finding finding = findingOf(Kind::Blurred, layer,
                                layer.name + " is never sharper than a disc of " + figure(seen.sharpest, 0) +
                                    " px (limit " + figure(limit, 0) + ").",
                                seen.sharpest / limit);
    // The disc is as wide as the opening.
    const double by = seen.sharpest / limit;
    Json edits = Json::array();
    const auto& marks = m_scene.camera.marks;
    double most = 0;
    for (std::size_t i = 0; i < marks.size(); ++i) {
        const double stop = std::ceil(marks[i].pose.fstop * by * 10) / 10;
        most = std::max(most, stop);
        edits.push_back({{"edit", "lens"}, {"mark", i + 1}, {"fstop", stop}});
    }
    if (!keyed("fstop") && most <= 64) {
        const std::string name = "Stop down to f/" + figure(most, 1);
        finding.fixes.push_back({name, {{"edit", "several"}, {"name", name}, {"edits", edits}}, ""});
    }
    add(std::move(finding), seen.first, true);
}

void Telling::enlarged(const Layer& layer, const Seen& seen) {
    const auto* picture = std::get_if<scene::Picture>(&layer.content);
    const auto* footage = std::get_if<scene::Footage>(&layer.content);
    if (!picture && !footage) return; // drawn as large as needed
    const V2d pixels(layer.pixels);
    const auto sizeFor = [&](double factor) {
        const V2d size = pixels * factor;
        const auto whole = [](double side) { return figure(std::ceil(side - 1e-3), 0); };
        return whole(size.x) + " x " + whole(size.y);
    };
    if (seen.enlargement > m_scene.limits.enlargement * 1.005)
        return add(findingOf(Kind::Enlarged, layer,
                             layer.name + " is enlarged to " + figure(100 * seen.enlargement, 0) +
                                 " % of its pixels; a picture of " +
                                 sizeFor(seen.enlargement / m_scene.limits.enlargement) + " would do.",
                             seen.enlargement / m_scene.limits.enlargement),
                   seen.enlarged, false);
    const double share = seen.enlargement / m_scene.limits.enlargement,
                 wasted = megabytes(pixels.x * pixels.y * (1 - share * share));
    if (share > 0 && share < 1 / wasteful && wasted > leastWaste / 1e6)
        add(findingOf(Kind::TooLarge, layer,
                      layer.name + " is never seen larger than " + sizeFor(share) + " of its " + sizeFor(1) +
                          " pixels; " + figure(wasted, 0) + " MB of it are never seen.",
                      1 / share / wasteful),
            seen.enlarged, false);
}

void Telling::text(const Layer& layer, const scene::Text& text, const Seen& seen) {
    // As many code points as there are, without spaces and line ends.
    const auto letters = std::count_if(text.text.begin(), text.text.end(), [](char c) {
        return (static_cast<unsigned char>(c) & 0xC0) != 0x80 && c != ' ' && c != '\n' && c != '\t';
    });
    const double needed = static_cast<double>(letters) / m_scene.limits.reading;
    if (!(needed > seen.readable + 1e-9)) return;
    Finding finding = findingOf(Kind::Reading, layer,
                                layer.name + " can be read for " + figure(seen.readable, 1) + " s; its " +
                                    std::to_string(letters) + " letters take " + figure(needed, 1) + " s.",
                                needed / std::max(seen.readable, 0.1));
    if (const auto& out = layer.showing.out; out && seen.readable > 0) {
        const Rational until = *out + Rational::nearest(std::ceil((needed - seen.readable) * 100) / 100);
        if (until <= scene::lastTime(m_scene))
            finding.fixes.push_back({"Show it until " + figure(until.toDouble()) + " s",
                                     {{"edit", "showing"}, {"layers", {layer.id}}, {"out", until.text()}},
                                     ""});
    }
    add(std::move(finding), seen.read, false);
}

void Telling::layer(const Layer& layer, const Seen& seen) {
    if (seen.frames == 0 || !seen.reaches) return unseen(layer, seen);
    blurred(layer, seen);
    enlarged(layer, seen);
    if (const auto* words = std::get_if<scene::Text>(&layer.content)) text(layer, *words, seen);
}

/// Where a pull ends, or where it is at the beginning.
void Telling::focus() {
    struct End {
        double time, focus;
        Json edit; ///< without the distance
        const char* member;
    };
    std::vector<End> ends;
    const motion::CameraMove move(m_scene);
    const auto track = std::find_if(m_scene.camera.tracks.begin(), m_scene.camera.tracks.end(),
                                    [](const scene::Track& each) { return each.property == "focus"; });
    if (track != m_scene.camera.tracks.end()) {
        for (std::size_t i = 1; !track->link && i < track->keys.size(); ++i)
            if (track->keys[i].value != track->keys[i - 1].value)
                ends.push_back(
                    {track->keys[i].time.toDouble(),
                     0,
                     {{"edit", "key"}, {"property", "focus"}, {"time", track->keys[i].time.text()}},
                     "value"});
    } else {
        for (std::size_t i = 1; i < m_scene.camera.marks.size(); ++i) {
            const double t = move.arrival(i);
            if (std::abs(move.at(t).focus / move.at(move.arrival(i - 1)).focus - 1) > 1e-3)
                ends.push_back({t, 0, {{"edit", "lens"}, {"mark", i + 1}}, "focus"});
        }
    }
    for (End& end : ends) {
        const Rational at = time(frameAt(Rational::nearest(end.time), m_scene.output.rate));
        if (at > scene::lastTime(m_scene)) continue;
        const scene::Pose pose = move.at(end.time);
        const motion::Frame frame = stilled(motion::evaluate(m_scene, at, m_scene.output.frame));
        Depths depths;
        addDepths(frame.items, frame, depths);
        if (!(depths.farthest > 0)) continue;
        const optics::Sharpness sharp = optics::sharpnessOf(pose, m_scene.camera.gate, m_scene.output.frame);
        const bool before = sharp.far<depths.nearest, behind = sharp.near> depths.farthest;
        if (!before && !behind) continue;
        const double depth = before ? depths.nearest : depths.farthest;
        const std::string& name = before ? depths.nearestName : depths.farthestName;
        Finding finding;
        finding.kind = Kind::Focus;
        finding.sentence = "The focus ends at " + figure(pose.focus) + " m, " +
                           (before ? "in front of" : "behind") + " everything; " +
                           (before ? "nearest" : "farthest") + " is " + name + " at " + figure(depth) + " m.";
        finding.excess = before ? depth / pose.focus : pose.focus / depth;
        finding.from = finding.to = finding.at = at;
        end.edit[end.member] = depth;
        finding.fixes.push_back({"Focus on " + name + " at " + figure(depth) + " m", end.edit, ""});
        m_findings.push_back(std::move(finding));
    }
}

std::vector<Finding> Telling::all() {
    scene::forEach(m_scene, [&](const LayerPtr& each, const auto&) {
        if (const auto at = m_seen.find(each->id); at != m_seen.end()) layer(*each, at->second);
    });
    focus();
    return std::move(m_findings);
}

}

class SeenCheck::Work : public SightGatherer {
    using SightGatherer::SightGatherer;
};

SeenCheck::SeenCheck(const Frames& frames, Coverage& coverage, const std::stop_token& stop)
    : m_frames(frames), m_work(std::make_unique<Work>(frames, coverage, stop)) {}
SeenCheck::~SeenCheck() = default;

Result<void> SeenCheck::look(std::int64_t f, const motion::Frame& frame) {
    return m_work->look(f, frame);
}

const std::map<std::int64_t, Seen>& SeenCheck::seen() const {
    return m_work->seen();
}

std::vector<Finding> SeenCheck::tell() const {
    return Telling(m_frames.scene(), m_work->seen()).all();
}

}
