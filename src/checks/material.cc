#include "checks/material.h"

#include "media/content.h"

#include <algorithm>
#include <cmath>

namespace stage::checks {
namespace {

/// Whether so many frames of footage to each of the scene run evenly: each is shown as often as any other, or
/// as many are passed over each time.
bool even(double ratio) {
    const double whole = std::max(ratio, 1 / ratio);
    return std::abs(whole - std::round(whole)) < 1e-6 * whole;
}

}

std::vector<Finding> materialFindings(const scene::Scene& scene) {
    std::vector<Finding> findings;
    const Rational last = scene::lastTime(scene);
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const std::vector<scene::LayerPtr>& holders) {
        Finding finding;
        finding.layer = layer->id;
        finding.to = last;
        if (const scene::Media* media = scene::mediaOf(*layer); media && !media::isThere(*layer)) {
            finding.kind = Kind::Missing;
            finding.sentence = "The file of " + layer->name + " is not there: " + media->path;
            findings.push_back(std::move(finding));
            return;
        }
        const auto off = [](const scene::LayerPtr& each) { return !each->visible; };
        const auto* footage = std::get_if<scene::Footage>(&layer->content);
        if (!footage || footage->frames < 2 || footage->freeze || footage->mix || !footage->speeds.empty() ||
            footage->speed == Rational(0) || off(layer) || std::any_of(holders.begin(), holders.end(), off))
            return;
        const double ratio =
            footage->rate.toDouble() * std::abs(footage->speed.toDouble()) / scene.output.rate.toDouble();
        if (even(ratio)) return;
        finding.kind = Kind::Rate;
        finding.sentence = layer->name + " runs at " + figure(ratio * scene.output.rate.toDouble()) +
                           " frames a second in a scene of " + figure(scene.output.rate.toDouble()) +
                           ": its motion is uneven.";
        // The nearest speed at which it is even.
        const std::int64_t whole = std::llround(std::max(ratio, 1 / ratio));
        const Rational fits = ratio > 1 ? Rational(whole) : Rational(1, whole);
        const Rational speed =
            fits * scene.output.rate / footage->rate * (footage->speed < Rational(0) ? -1 : 1);
        const double by = fits.toDouble() / ratio - 1;
        finding.fixes.push_back(
            {"Run it " + figure(std::abs(100 * by), 1) + (by > 0 ? " % faster" : " % slower"),
             {{"edit", "footage"}, {"layers", {layer->id}}, {"speed", speed.text()}},
             "Run them at speeds that fit"});
        finding.fixes.push_back({"Mix its frames",
                                 {{"edit", "footage"}, {"layers", {layer->id}}, {"mix", true}},
                                 "Mix their frames"});
        findings.push_back(std::move(finding));
    });
    return findings;
}

}
