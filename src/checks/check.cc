#include "checks/check.h"

#include "checks/boxes.h"
#include "checks/cut_edges.h"
#include "checks/gaps.h"
#include "checks/light.h"
#include "checks/material.h"
#include "checks/seen.h"
#include "checks/slip.h"
#include "scene/variant.h"

#include <algorithm>
#include <map>
#include <set>

namespace stage::checks {
namespace {

/// What many layers have in common, with how many there are.
std::string together(Kind kind, std::size_t count) {
    const std::string layers = std::to_string(count) + " layers";
    switch (kind) {
    case Kind::Missing:
        return "The files of " + layers + " are not there";
    case Kind::Edge:
        return layers + " end within the frame";
    case Kind::Through:
        return "The camera goes through " + layers;
    case Kind::Slip:
        return "The feet of " + layers + " slip";
    case Kind::Reading:
        return layers + " of text are too short in the frame to be read";
    case Kind::Behind:
        return layers + " are behind the camera all the time";
    case Kind::Unseen:
        return layers + " are never seen";
    case Kind::PastBox:
        return "The frame sees past the boxes of " + layers;
    case Kind::ShadowOnNothing:
        return "The shadows of " + layers + " fall on nothing";
    case Kind::LampOnNothing:
        return layers + " light nothing";
    case Kind::OverLit:
        return layers + " are lit far beyond white";
    case Kind::TooSmall:
        return "The particles of " + layers + " are too small to be seen";
    case Kind::Enlarged:
        return layers + " are enlarged beyond their pixels";
    case Kind::Blurred:
        return layers + " are never sharp";
    case Kind::Rate:
        return layers + " of footage run unevenly";
    case Kind::TooLarge:
        return layers + " are larger than they are ever seen";
    default:
        return layers;
    }
}

/// One finding for many of a kind: what mends all of them by edits of the same name is one fix.
Finding joined(const scene::Scene& scene, std::vector<Finding> members) {
    std::stable_sort(members.begin(), members.end(), worse);
    Finding all;
    all.kind = members.front().kind;
    all.excess = members.front().excess;
    all.at = members.front().at;
    all.from = members.front().from, all.to = members.front().to;
    std::set<std::int64_t> layers;
    std::string names;
    for (const Finding& each : members) {
        all.from = std::min(all.from, each.from), all.to = std::max(all.to, each.to);
        if (!layers.insert(each.layer).second || layers.size() > fewest) continue;
        const auto found = scene::find(scene, each.layer).layer;
        names += (names.empty() ? "" : ", ") + (found ? found->name : std::string());
    }
    all.sentence =
        together(all.kind, layers.size()) + ": " + names +
        (layers.size() > fewest ? " and " + std::to_string(layers.size() - fewest) + " more." : ".");
    for (const Fix& fix : members.front().fixes) {
        scene::Json edits = scene::Json::array();
        for (const Finding& each : members) {
            const auto same = std::find_if(each.fixes.begin(), each.fixes.end(), [&](const Fix& other) {
                return !fix.onAll.empty() && other.onAll == fix.onAll;
            });
            if (same != each.fixes.end()) edits.push_back(same->edit);
        }
        if (edits.size() == members.size())
            all.fixes.push_back(
                {fix.onAll, {{"edit", "several"}, {"name", fix.onAll}, {"edits", std::move(edits)}}});
    }
    all.members = std::move(members);
    return all;
}

/// Where the move runs out of picture in a size variant.
Result<std::vector<Finding>> gapsOf(const scene::Scene& scene, const scene::Variant& variant,
                                    Coverage& coverage, const std::stop_token& stop) {
    const scene::Scene own = scene::inVariant(scene, variant);
    const Frames frames(own);
    GapCheck gaps(frames, coverage, stop);
    const auto looked =
        frames.forEach(stop, [&](std::int64_t f, const motion::Frame& frame) { return gaps.look(f, frame); });
    if (!looked) return tl::unexpected(looked.error());
    auto told = gaps.tell();
    if (!told) return told;
    for (Finding& each : *told) {
        each.sentence = "'" + variant.name + "': " + each.sentence;
        each.map = nullptr; // it is of another frame than the one that is looked at
    }
    return told;
}

}

Result<Report> check(const scene::Scene& scene, media::PixelCache& cache, const std::stop_token& stop,
                     const std::function<void(Finding)>& soon) {
    const Frames frames(scene);
    Coverage coverage(cache);
    if (soon) {
        auto glance = glanceForGap(frames, coverage, stop);
        if (!glance) return tl::unexpected(glance.error());
        if (*glance) soon(std::move(**glance));
    }
    auto report = choreography(scene, stop);
    if (!report) return report;
    std::vector<Finding> found = std::move(report->findings);
    const auto take = [&](std::vector<Finding> more) {
        std::move(more.begin(), more.end(), std::back_inserter(found));
    };
    GapCheck gapCheck(frames, coverage, stop);
    SeenCheck seenCheck(frames, coverage, stop);
    CutEdgeCheck edgeCheck(frames, coverage, stop);
    const auto all = frames.forEach(stop, [&](std::int64_t f, const motion::Frame& frame) {
        auto looked = gapCheck.look(f, frame);
        if (looked) looked = seenCheck.look(f, frame);
        if (looked) looked = edgeCheck.look(f, frame);
        return looked;
    });
    if (!all) return tl::unexpected(all.error());
    auto gaps = gapCheck.tell();
    if (!gaps) return tl::unexpected(gaps.error());
    std::set<std::int64_t> open; // what closes a gap is told with it
    for (const Finding& each : *gaps)
        open.insert(each.layer);
    take(std::move(*gaps));
    for (const scene::Variant& variant : scene.output.variants) {
        auto more = gapsOf(scene, variant, coverage, stop);
        if (!more) return tl::unexpected(more.error());
        take(std::move(*more));
    }
    auto edges = edgeCheck.tell();
    std::erase_if(edges, [&](const Finding& each) { return open.contains(each.layer); });
    take(std::move(edges));
    auto seen = seenCheck.tell();
    std::set<std::int64_t> behind;
    for (const Finding& each : found)
        if (each.kind == Kind::Behind) behind.insert(each.layer);
    std::erase_if(
        seen, [&](const Finding& each) { return each.kind == Kind::Unseen && behind.contains(each.layer); });
    take(std::move(seen));
    auto boxes = boxFindings(frames, stop);
    if (!boxes) return tl::unexpected(boxes.error());
    take(std::move(*boxes));
    auto lights = lightFindings(frames, stop);
    if (!lights) return tl::unexpected(lights.error());
    take(std::move(*lights));
    auto slips = slipFindings(scene, cache, stop);
    if (!slips) return tl::unexpected(slips.error());
    take(std::move(*slips));
    take(materialFindings(scene));
    report->findings.clear();
    std::map<Kind, std::vector<Finding>> kinds;
    for (Finding& each : found) {
        const auto aside =
            std::find_if(scene.setAside.begin(), scene.setAside.end(), [&](const scene::SetAside& s) {
                return s.kind == nameOf(each.kind) && s.layer == each.layer;
            });
        if (aside != scene.setAside.end()) {
            each.reason = aside->reason;
            report->setAside.push_back(std::move(each));
        } else {
            kinds[each.kind].push_back(std::move(each));
        }
    }
    for (auto& [kind, findings] : kinds) {
        std::set<std::int64_t> layers;
        for (const Finding& each : findings)
            layers.insert(each.layer);
        if (layers.size() >= fewest && !layers.contains(0))
            report->findings.push_back(joined(scene, std::move(findings)));
        else
            std::move(findings.begin(), findings.end(), std::back_inserter(report->findings));
    }
    std::stable_sort(report->findings.begin(), report->findings.end(), worse);
    std::stable_sort(report->setAside.begin(), report->setAside.end(), worse);
    return report;
}

}
