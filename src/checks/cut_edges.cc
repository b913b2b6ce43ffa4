#include "checks/cut_edges.h"

#include "scene/hanging_json.h"

#include <algorithm>
#include <cmath>

namespace stage::checks {
namespace {

constexpr std::int64_t mostFrames = 60;
/// Shorter ones are not told, in widths of the frame.
constexpr double leastLength = 0.01;
constexpr const char* sideNames[] = {"left", "top", "right", "bottom"};

const motion::Item* itemOf(const std::vector<motion::Item>& items, std::int64_t layer) {
    for (const motion::Item& item : items) {
        if (item.flattened) {
            if (const motion::Item* inside = itemOf(item.items, layer)) return inside;
        } else if (item.layer->id == layer) {
            return &item;
        }
    }
    return nullptr;
}

}

CutEdgeCheck::CutEdgeCheck(const Frames& frames, Coverage& coverage, const std::stop_token& stop)
    : m_frames(frames), m_coverage(coverage), m_stop(stop),
      m_every(std::max<std::int64_t>(1, frames.scene().output.frames / frames.step() / mostFrames) *
              frames.step()) {}

Result<void> CutEdgeCheck::look(std::int64_t f, const motion::Frame& frame) {
    if (f % m_every != 0 && f + m_frames.step() < m_frames.scene().output.frames) return {};
    if (m_frames.scene().output.backgroundSeen) return {}; // then edges are meant to be seen
    const auto edges = m_coverage.cutEdges(frame, m_stop);
    if (!edges) return tl::unexpected(edges.error());
    for (const CutEdge& edge : *edges) {
        if (edge.length < leastLength * frame.size.x) continue;
        const auto [at, fresh] = m_worst.try_emplace(edge.layer);
        Worst& worst = at->second;
        if (fresh) worst.first = f;
        worst.last = f;
        worst.sides[static_cast<std::size_t>(edge.side)] = true;
        worst.length = std::max(worst.length, edge.length);
        if (edge.inside > worst.inside) worst.inside = edge.inside, worst.frame = f;
        if (const motion::Item* item = itemOf(frame.items, edge.layer); item && item->card.bend == 0)
            for (const Sight& sight : Moments(frame).of(*item))
                worst.needed.add(sight.region(optics::wholeOf(frame.size)));
    }
    return {};
}

std::vector<Finding> CutEdgeCheck::tell() const {
    std::vector<Finding> findings;
    const scene::Scene& scene = m_frames.scene();
    for (const auto& [id, worst] : m_worst) {
        const scene::Layer& layer = *scene::find(scene, id).layer;
        Finding finding;
        finding.kind = Kind::Edge;
        finding.layer = id;
        std::string sides;
        for (std::size_t i = 0; i < 4; ++i)
            if (worst.sides[i]) sides += (sides.empty() ? "" : ", ") + std::string(sideNames[i]);
        finding.sentence = layer.name + " ends within the frame (" + sides + "): its cut edge is up to " +
                           figure(worst.inside, 0) + " px inside, " + figure(worst.length, 0) +
                           " px of it are seen.";
        finding.from = m_frames.time(worst.first), finding.to = m_frames.time(worst.last);
        finding.at = m_frames.time(worst.frame);
        finding.excess = 1 + worst.length / scene.output.frame.x;
        const optics::Region& needed = worst.needed;
        const double past[] = {-needed.s0, -needed.t0, needed.s1 - 1, needed.t1 - 1};
        const scene::Extensions& on = layer.hanging.extensions;
        const scene::Extension* now[] = {&on.left, &on.top, &on.right, &on.bottom};
        constexpr double most = 10; // more than that is no picture any more
        for (const char* beyond : {"stretch", "mirror"}) {
            if (layer.hanging.bend != 0 || !needed.bounded() || needed.nothing()) break;
            scene::Json extend = scene::Json::object();
            std::string told;
            for (std::size_t i = 0; i < 4; ++i) {
                if (!worst.sides[i] || past[i] <= now[i]->reach() || past[i] > most) continue;
                const std::string how =
                    now[i]->reach() > 0
                        ? std::string(scene::beyondNames[static_cast<std::size_t>(now[i]->beyond)])
                        : beyond;
                extend[sideNames[i]] = {{"beyond", how}, {"by", past[i] * (1 + 1e-6)}};
                told += (told.empty() ? "" : ", ") + std::string(sideNames[i]) + " " +
                        figure(std::ceil(past[i] * layer.pixels[i % 2]), 0);
            }
            if (extend.empty()) break;
            finding.fixes.push_back(
                {"Extend " + layer.name + " (" + beyond + "): " + told + " px",
                 {{"edit", "hang"}, {"layers", {id}}, {"extend", extend}, {"holdFraming", false}}});
        }
        findings.push_back(std::move(finding));
    }
    return findings;
}

}
