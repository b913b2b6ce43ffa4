#include "checks/gaps.h"

#include "motion/frame.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

namespace stage::checks {
namespace {

using scene::Json;
using scene::Scene;

/// Boxes of holes are at least the frame's longer side over that, px.
constexpr int boxesAcross = 96;
/// What is solved is taken a little further, so that rounding leaves nothing open.
constexpr double over = 1e-6;

/// Corners of the convex hull (Andrew's monotone chain).
std::vector<V2d> hullOf(std::vector<V2d> points) {
    std::sort(points.begin(), points.end(),
              [](const V2d& a, const V2d& b) { return a.x < b.x || (a.x == b.x && a.y < b.y); });
    points.erase(std::unique(points.begin(), points.end()), points.end());
    if (points.size() < 3) return points;
    std::vector<V2d> hull;
    for (int half = 0; half < 2; ++half) {
        const std::size_t begun = hull.size();
        for (const V2d& point : points) {
            while (hull.size() >= begun + 2) {
                const V2d &a = hull[hull.size() - 2], &b = hull.back();
                if ((b - a).x * (point - b).y - (b - a).y * (point - b).x > 0) break;
                hull.pop_back();
            }
            hull.push_back(point);
        }
        hull.pop_back();
        std::reverse(points.begin(), points.end());
    }
    return hull;
}

/// A frame that is not all filled.
struct OpenFrame {
    std::int64_t frame = 0;
    double share = 0, narrower = 1;
    std::array<double, 4> sides{}; ///< how much of the left, top, right and bottom is open, 0..1
    std::vector<V2d> hull;         ///< places around all holes, px
    std::vector<Sight> sights;     ///< of the layer that closes it
};

/// A layer that may close the gaps.
struct Candidate {
    std::size_t frames = 0;
    std::array<bool, 4> edges{true, true, true, true}; ///< opaque along the left, top, right, bottom
    optics::Region needed;
    double growth = 1, depth = 0;
};

V2d pivotShare(const scene::Layer& layer) {
    const double each = layer.metresPerPixel;
    return {0.5 + layer.hanging.pivot.x / (layer.pixels.x * each),
            0.5 - layer.hanging.pivot.y / (layer.pixels.y * each)};
}

class Closing {
public:
    Closing(const Frames& frames, Coverage& coverage, const std::stop_token& stop)
        : m_frames(frames), m_scene(frames.scene()), m_stop(stop), m_coverage(coverage),
          m_finest(std::max(1, std::max(m_scene.output.frame.x, m_scene.output.frame.y) / boxesAcross)) {}

    Result<void> look(std::int64_t f, const motion::Frame& seen);
    Result<Gap> find();

private:
    void candidates(const motion::Frame& seen, const std::vector<V2d>& hull);
    void choose();
    void addToMap(const std::vector<Hole>& holes);
    void measureWorst();
    void grow();
    void growAndShift();
    void extend();
    void push();
    void narrow();
    void shorten();
    std::string name() const { return m_layer->name; }

    const Frames& m_frames;
    const Scene& m_scene;
    std::stop_token m_stop;
    Coverage& m_coverage;
    int m_finest;
    std::map<std::int64_t, Candidate> m_candidates;
    std::vector<OpenFrame> m_open; ///< in order of time
    std::shared_ptr<OpenMap> m_map = std::make_shared<OpenMap>();
    scene::LayerPtr m_layer; ///< that closes it
    Gap m_gap;
};

void Closing::candidates(const motion::Frame& seen, const std::vector<V2d>& hull) {
    const Moments moments(seen);
    for (const motion::Item& item : seen.items) {
        const auto edges = m_coverage.opaqueEdges(item, m_stop);
        if (std::none_of(edges.begin(), edges.end(), [](bool b) { return b; })) continue;
        Candidate here;
        const V2d pivot = pivotShare(*item.layer);
        for (const Sight& sight : moments.of(item)) {
            const optics::Surface& card = sight.card;
            const optics::View& view = sight.view;
            const V3d about = card.corner + card.across * pivot.x + card.down * pivot.y;
            for (const V2d& place : hull) {
                if (here.growth == infinite) break;
                const optics::FramePart part{place, place};
                if (card.bend == 0) here.needed.add(sight.region(part));
                here.growth = optics::leastGrowth(view, part, card, about, m_scene.camera.iris, here.growth);
            }
        }
        Candidate& to = m_candidates[item.layer->id];
        ++to.frames;
        to.depth = optics::depthOf(seen.view, item.card.centre());
        to.needed.add(here.needed);
        to.growth = std::max(to.growth, here.growth);
        for (std::size_t i = 0; i < 4; ++i)
            to.edges[i] = to.edges[i] && edges[i];
    }
}

void Closing::addToMap(const std::vector<Hole>& holes) {
    const V2d frame(m_scene.output.frame);
    OpenMap& map = *m_map;
    if (map.seconds.empty()) {
        const double across = boxesAcross / std::max(frame.x, frame.y);
        map.cells = {std::max(1, static_cast<int>(std::lround(frame.x * across))),
                     std::max(1, static_cast<int>(std::lround(frame.y * across)))};
        map.seconds.resize(static_cast<std::size_t>(map.cells.x) * static_cast<std::size_t>(map.cells.y));
    }
    std::vector<bool> open(map.seconds.size());
    const V2d cells(map.cells);
    for (const Hole& hole : holes) {
        const auto first = [](double at, double size, double count) {
            return static_cast<int>(std::floor(at / size * count + 1e-9));
        };
        const auto past = [](double at, double size, int count) {
            return std::min(count, static_cast<int>(std::ceil(at / size * count - 1e-9)));
        };
        for (int y = first(hole.part.low.y, frame.y, cells.y);
             y < past(hole.part.high.y, frame.y, map.cells.y); ++y)
            for (int x = first(hole.part.low.x, frame.x, cells.x);
                 x < past(hole.part.high.x, frame.x, map.cells.x); ++x)
                open[static_cast<std::size_t>(y) * static_cast<std::size_t>(map.cells.x) +
                     static_cast<std::size_t>(x)] = true;
    }
    const auto each =
        static_cast<float>(static_cast<double>(m_frames.step()) / m_scene.output.rate.toDouble());
    for (std::size_t i = 0; i < open.size(); ++i)
        if (open[i]) map.seconds[i] += each;
}

/// Keeps what holes of a frame tell.
Result<void> Closing::look(std::int64_t f, const motion::Frame& seen) {
    OpenFrame at;
    at.frame = f;
    const auto holes = m_coverage.holes(seen, m_finest, m_stop);
    if (!holes) return tl::unexpected(holes.error());
    if (holes->empty()) return {};
    const V2d size(seen.size), middle = size / 2;
    std::vector<V2d> corners;
    for (const Hole& hole : *holes) {
        const auto& [low, high] = hole.part;
        at.share += hole.open * (high.x - low.x) * (high.y - low.y) / (size.x * size.y);
        const V2d along((high.x - low.x) / size.x, (high.y - low.y) / size.y);
        if (low.x <= 0) at.sides[0] += along.y;
        if (low.y <= 0) at.sides[1] += along.x;
        if (high.x >= size.x) at.sides[2] += along.y;
        if (high.y >= size.y) at.sides[3] += along.x;
        for (const V2d& corner : {low, high, V2d(low.x, high.y), V2d(high.x, low.y)})
            corners.push_back(corner);
        // Seen by a longer lens, the frame is its own middle; it must end before this.
        const auto off = [](double a, double b, double m) { return a > m ? a - m : b < m ? m - b : 0; };
        const double apart =
            std::max(off(low.x, high.x, middle.x) / middle.x, off(low.y, high.y, middle.y) / middle.y);
        at.narrower = std::max(at.narrower, apart > 0 ? 1 / apart : infinite);
    }
    addToMap(*holes);
    at.hull = hullOf(std::move(corners));
    candidates(seen, at.hull);
    m_open.push_back(std::move(at));
    return {};
}

/// The layer that closes all of it by the least growth; the farther one of two.
void Closing::choose() {
    double best = infinite, depth = 0;
    for (const auto& [id, candidate] : m_candidates) {
        if (candidate.frames < m_open.size() || !(candidate.growth < infinite)) continue;
        const scene::LayerPtr layer = scene::find(m_scene, id).layer;
        const scene::Extensions& on = layer->hanging.extensions;
        const optics::Region& needed = candidate.needed;
        const double past[] = {-on.left.reach() - needed.s0, -on.top.reach() - needed.t0,
                               needed.s1 - 1 - on.right.reach(), needed.t1 - 1 - on.bottom.reach()};
        bool closes = true;
        for (std::size_t i = 0; i < 4; ++i)
            closes = closes && (candidate.edges[i] || past[i] <= 0);
        if (!closes || candidate.growth > best * (1 + 1e-9)) continue;
        if (candidate.growth > best * (1 - 1e-9) && candidate.depth < depth) continue;
        best = candidate.growth, depth = candidate.depth;
        m_layer = layer;
        m_gap.layer = id;
        m_gap.growth = candidate.growth;
        m_gap.needed = candidate.needed;
    }
}

/// How far from the frame's nearest side the gap reaches where most is open, to 2 px.
void Closing::measureWorst() {
    const auto worst =
        std::max_element(m_open.begin(), m_open.end(),
                         [](const OpenFrame& a, const OpenFrame& b) { return a.share < b.share; });
    m_gap.worst = worst->frame;
    const auto holes = m_coverage.holes(m_frames.at(worst->frame), std::min(2, m_finest), m_stop);
    if (!holes) return;
    const V2d size(m_scene.output.frame);
    double share = 0;
    for (const Hole& hole : *holes) {
        const auto& [low, high] = hole.part;
        share += hole.open * (high.x - low.x) * (high.y - low.y) / (size.x * size.y);
        m_gap.pixels = std::max(m_gap.pixels, std::min({high.x, high.y, size.x - low.x, size.y - low.y}));
    }
    m_gap.share = share;
}

void Closing::grow() {
    const double by = m_gap.growth * (1 + over);
    m_gap.fixes.push_back({"Grow " + name() + " by " + figure(100 * (by - 1), by < 1.01 ? 2 : 1) + " %",
                           {{"edit", "scale"}, {"layers", {m_gap.layer}}, {"by", by}, {"about", "pivot"}}});
}

/// The least growth at all, of a flat layer that does not turn: moved in its own plane so that what it has to
/// spare on one side serves the other. What it fills now it still fills.
void Closing::growAndShift() {
    if (m_layer->hanging.bend != 0) return;
    const scene::Extensions& on = m_layer->hanging.extensions;
    const double left = -on.left.reach(), top = -on.top.reach(), right = 1 + on.right.reach(),
                 bottom = 1 + on.bottom.reach();
    optics::Region seen; // by all frames
    std::optional<optics::Surface> card;
    const auto looked =
        m_frames.forEach(m_stop, [&](std::int64_t, const motion::Frame& frame) -> Result<void> {
            const Moments moments(frame);
            for (const motion::Item& item : frame.items) {
                if (item.layer->id != m_gap.layer) continue;
                if (card && ((item.card.across - card->across).length() > 1e-9 ||
                             (item.card.down - card->down).length() > 1e-9))
                    return fail("It turns.");
                card = item.card;
                for (const Sight& sight : moments.of(item))
                    seen.add(sight.region(optics::wholeOf(frame.size)));
            }
            return {};
        });
    if (!looked || !card || !seen.bounded() || seen.nothing()) return;
    const optics::Region needed{std::min(m_gap.needed.s0, std::max(seen.s0, left)),
                                std::min(m_gap.needed.t0, std::max(seen.t0, top)),
                                std::max(m_gap.needed.s1, std::min(seen.s1, right)),
                                std::max(m_gap.needed.t1, std::min(seen.t1, bottom))};
    const double by =
        std::max({1.0, (needed.s1 - needed.s0) / (right - left), (needed.t1 - needed.t0) / (bottom - top)}) *
        (1 + over);
    if (!(by < m_gap.growth * (1 - 1e-4))) return;
    const V2d pivot = pivotShare(*m_layer);
    // The least shift by which the sides come to lie outside of what is needed, and a little farther.
    const auto shift = [&](double p, double low, double high, double from, double to) {
        const double least = to - (p + by * (high - p)), most = from - (p + by * (low - p)),
                     spare = std::min((most - least) / 2, over * (high - low));
        return std::clamp(0.0, least + spare, most - spare);
    };
    const V3d move = card->across * shift(pivot.x, left, right, needed.s0, needed.s1) +
                     card->down * shift(pivot.y, top, bottom, needed.t0, needed.t1);
    const std::string told = "shift it by " + figure(move.length()) + " m";
    Json edits = Json::array();
    if (by > 1 + 2 * over)
        edits.push_back({{"edit", "scale"}, {"layers", {m_gap.layer}}, {"by", by}, {"about", "pivot"}});
    edits.push_back({{"edit", "slide"}, {"layers", {m_gap.layer}}, {"by", {move.x, move.y, move.z}}});
    const std::string text =
        edits.size() > 1
            ? "Grow " + name() + " by " + figure(100 * (by - 1), by < 1.01 ? 2 : 1) + " % and " + told
            : "Shift " + name() + " by " + figure(move.length()) + " m";
    m_gap.fixes.push_back({text, {{"edit", "several"}, {"name", text}, {"edits", edits}}});
}

/// Only the sides that are needed, only as far as needed.
void Closing::extend() {
    if (m_layer->hanging.bend != 0) return;
    const optics::Region& needed = m_gap.needed;
    const scene::Extensions& on = m_layer->hanging.extensions;
    struct Side {
        const char* name;
        double by;
        const scene::Extension& now;
        int pixels;
    };
    const Side sides[] = {{"left", -needed.s0, on.left, m_layer->pixels.x},
                          {"top", -needed.t0, on.top, m_layer->pixels.y},
                          {"right", needed.s1 - 1, on.right, m_layer->pixels.x},
                          {"bottom", needed.t1 - 1, on.bottom, m_layer->pixels.y}};
    for (const char* beyond : {"mirror", "repeat", "stretch"}) {
        Json extend = Json::object();
        std::string told;
        for (const Side& side : sides) {
            if (side.by <= side.now.reach()) continue;
            const auto now = scene::beyondNames[static_cast<std::size_t>(side.now.beyond)];
            const std::string how = side.now.reach() > 0 ? std::string(now) : beyond;
            extend[side.name] = {{"beyond", how}, {"by", side.by + over}};
            told += (told.empty() ? "" : ", ") + std::string(side.name) + " " +
                    figure(std::ceil(side.by * side.pixels), 0);
        }
        if (extend.empty()) return;
        m_gap.fixes.push_back(
            {"Extend " + name() + " (" + beyond + "): " + told + " px",
             {{"edit", "hang"}, {"layers", {m_gap.layer}}, {"extend", extend}, {"holdFraming", false}}});
    }
}

/// Along the first mark's axis, with its size held.
void Closing::push() {
    const optics::View first = optics::firstView(m_scene);
    double nearest = infinite; // what all frames leave
    for (OpenFrame& at : m_open) {
        const motion::Frame seen = m_frames.at(at.frame);
        const Moments moments(seen);
        for (const motion::Item& item : seen.items)
            if (item.layer->id == m_gap.layer) at.sights = moments.of(item);
        for (const Sight& sight : at.sights)
            nearest = std::min(nearest, optics::depthOf(sight.view, sight.card.centre()));
        if (m_stop.stop_requested()) return;
    }
    const auto closed = [&](double by) {
        for (const OpenFrame& at : m_open)
            for (const Sight& sight : at.sights) {
                optics::Surface nearer = sight.card;
                nearer.corner -= first.forward * by;
                for (const V2d& place : at.hull)
                    if (!optics::holds(nearer, optics::regionSeen(sight.view, {place, place}, nearer,
                                                                  m_scene.camera.iris)))
                        return false;
            }
        return true;
    };
    double low = 0, high = nearest * 0.9;
    if (!(nearest > 0) || !closed(high)) return;
    while (high - low > 1e-7 * nearest && !m_stop.stop_requested())
        (closed((low + high) / 2) ? high : low) = (low + high) / 2;
    const double by = high * (1 + over);
    m_gap.fixes.push_back(
        {"Push " + name() + " " + figure(by) + " m nearer",
         {{"edit", "push"}, {"layers", {m_gap.layer}}, {"by", -by}, {"holdFraming", false}}});
}

/// A longer lens shows the middle of what a shorter one does.
void Closing::narrow() {
    double factor = 1;
    for (const OpenFrame& at : m_open)
        factor = std::max(factor, at.narrower);
    const auto& tracks = m_scene.camera.tracks;
    if (!(factor < 3) || std::any_of(tracks.begin(), tracks.end(),
                                     [](const scene::Track& track) { return track.property == "focal"; }))
        return;
    factor *= 1 + over;
    Json edits = Json::array();
    const auto& marks = m_scene.camera.marks;
    for (std::size_t i = 0; i < marks.size(); ++i)
        edits.push_back({{"edit", "lens"}, {"mark", i + 1}, {"focal", marks[i].pose.focal * factor}});
    const std::string told = "Take a longer lens: " + figure(marks.front().pose.focal * factor, 1) + " mm" +
                             (marks.size() > 1 ? " at mark 1" : "");
    m_gap.fixes.push_back({told, {{"edit", "several"}, {"name", told}, {"edits", edits}}});
}

/// What comes before the first gap.
void Closing::shorten() {
    if (m_gap.first < 2) return;
    m_gap.fixes.push_back({"End the scene before it: " + std::to_string(m_gap.first) + " of " +
                               std::to_string(m_scene.output.frames) + " frames",
                           {{"edit", "settings"}, {"frames", m_gap.first}}});
}

Result<Gap> Closing::find() {
    if (m_open.empty()) return Gap{};
    m_gap.map = m_map;
    m_gap.frames = static_cast<std::int64_t>(m_open.size());
    m_gap.first = m_open.front().frame, m_gap.last = m_open.back().frame;
    // A strip along one side touches two others at their ends.
    std::array<double, 4> sides{};
    for (const OpenFrame& at : m_open)
        for (std::size_t i = 0; i < 4; ++i)
            sides[i] = std::max(sides[i], at.sides[i]);
    for (std::size_t i = 0; i < 4; ++i)
        m_gap.sides[i] = sides[i] > 0 && sides[i] >= 0.4 * *std::max_element(sides.begin(), sides.end());
    measureWorst();
    choose();
    if (m_layer) {
        grow();
        growAndShift();
        extend();
        push();
    }
    narrow();
    shorten();
    m_gap.fixes.push_back({"Let the background show", {{"edit", "settings"}, {"backgroundSeen", true}}});
    if (m_stop.stop_requested()) return cancelled();
    return std::move(m_gap);
}

}

namespace {

bool meantToBeFilled(const Scene& scene) {
    return !scene.output.backgroundSeen && !scene.layers.empty();
}

}

class GapCheck::Work : public Closing {
    using Closing::Closing;
};

GapCheck::GapCheck(const Frames& frames, Coverage& coverage, const std::stop_token& stop)
    : m_frames(frames), m_work(std::make_unique<Work>(frames, coverage, stop)) {}
GapCheck::~GapCheck() = default;

Result<void> GapCheck::look(std::int64_t f, const motion::Frame& frame) {
    if (!meantToBeFilled(m_frames.scene())) return {};
    return m_work->look(f, frame);
}

Result<Gap> GapCheck::gap() {
    return m_work->find();
}

Result<std::optional<Finding>> glanceForGap(const Frames& frames, Coverage& coverage,
                                            const std::stop_token& stop) {
    const Scene& scene = frames.scene();
    if (!meantToBeFilled(scene)) return std::optional<Finding>();
    constexpr std::int64_t most = 9;
    const int finest = std::max(1, std::max(scene.output.frame.x, scene.output.frame.y) / 24);
    for (std::int64_t i = 0; i < std::min(most, scene.output.frames); ++i) {
        // The last one first: most moves begin well.
        const std::int64_t f = scene.output.frames - 1 - i * (scene.output.frames - 1) / (most - 1);
        motion::Frame frame =
            stilled(motion::evaluate(scene, frames.time(f), scene.output.frame, frames.move(), false));
        for (optics::View* view : {&frame.view, &frame.open, &frame.close})
            view->aperture = 0;
        const auto holes = coverage.holes(frame, finest, stop);
        if (!holes) return tl::unexpected(holes.error());
        if (holes->empty()) continue;
        Finding finding;
        finding.kind = Kind::Gap;
        finding.sentence = "The frame is not filled; where and how far is being looked for.";
        finding.from = finding.to = finding.at = frames.time(f);
        return std::optional(std::move(finding));
    }
    return std::optional<Finding>();
}

Result<Gap> gap(const Scene& scene, media::PixelCache& cache, const std::stop_token& stop) {
    const Frames frames(scene);
    Coverage coverage(cache);
    GapCheck check(frames, coverage, stop);
    const auto looked =
        frames.forEach(stop, [&](auto f, const motion::Frame& seen) { return check.look(f, seen); });
    if (!looked) return tl::unexpected(looked.error());
    return check.gap();
}

Result<std::vector<Finding>> GapCheck::tell() {
    auto found = gap();
    if (!found) return tl::unexpected(found.error());
    if (found->frames == 0) return std::vector<Finding>{};
    const Scene& scene = m_frames.scene();
    constexpr const char* names[] = {"left", "top", "right", "bottom"};
    std::string where;
    for (std::size_t i = 0; i < 4; ++i)
        if (found->sides[i]) where += (where.empty() ? "" : ", ") + std::string(names[i]);
    if (where.empty()) where = "middle";
    Finding finding;
    finding.kind = Kind::Gap;
    finding.sentence = "The frame is not filled (" + where + "): up to " + figure(found->pixels, 0) +
                       " px, " + figure(100 * found->share, found->share < 0.001 ? 3 : 1) + " % of it, in " +
                       std::to_string(found->frames) + (found->frames == 1 ? " frame." : " frames.");
    finding.from = timeOfFrame(found->first, scene.output.rate);
    finding.to = timeOfFrame(found->last, scene.output.rate);
    finding.at = timeOfFrame(found->worst, scene.output.rate);
    finding.layer = found->layer;
    finding.excess = 1 + found->share;
    finding.needed = found->needed;
    finding.map = found->map;
    finding.fixes = std::move(found->fixes);
    return std::vector{std::move(finding)};
}

}
