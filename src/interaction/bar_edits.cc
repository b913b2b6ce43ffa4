#include "interaction/bar_edits.h"

#include "interaction/key_edits.h"

#include <algorithm>
#include <cmath>

namespace stage::interaction {
namespace {

/// Nothing of it would be elsewhere if it were moved in time.
bool stillInTime(const scene::Layer& layer) {
    return !layer.showing.in && !layer.showing.out && layer.tracks.empty() && layer.places.empty() &&
           !std::holds_alternative<scene::Footage>(layer.content);
}

std::optional<BarChange> changeOf(const scene::Layer& layer, BarPart part, Rational by, Rational end,
                                  Rational frame) {
    const scene::Showing& was = layer.showing;
    const Rational zero(0), in = was.in.value_or(zero), out = was.out.value_or(end);
    const std::vector<std::int64_t> one{layer.id};
    switch (part) {
    case BarPart::Whole:
        if (stillInTime(layer)) return {};
        return BarChange{edit::onLayers("move-in-time", one, {{"by", by.text()}}), by};
    case BarPart::Footage: {
        const auto* footage = std::get_if<scene::Footage>(&layer.content);
        if (!footage) return {};
        return BarChange{edit::onLayers("footage", one, {{"start", (footage->start + by).text()}}), by};
    }
    case BarPart::In: {
        const Rational now = std::min(in + by, out - frame);
        return BarChange{edit::onLayers("showing", one,
                                        {{"in", now > zero ? edit::Edit(now.text()) : edit::Edit(nullptr)}}),
                         std::max(zero, now)};
    }
    case BarPart::Out: {
        const Rational now = std::max(out + by, in + frame);
        return BarChange{edit::onLayers("showing", one,
                                        {{"out", now < end ? edit::Edit(now.text()) : edit::Edit(nullptr)}}),
                         std::min(end, now)};
    }
    case BarPart::FadeIn:
    case BarPart::FadeOut: {
        const bool comes = part == BarPart::FadeIn;
        const Rational now = std::clamp(comes ? was.fadeIn + by : was.fadeOut - by, zero, out - in);
        edit::Edit edit = edit::onLayers("showing", one, {{comes ? "fadeIn" : "fadeOut", now.text()}});
        // A fade has an end to fade from.
        if (comes && !was.in && now > zero) edit["in"] = zero.text();
        if (!comes && !was.out && now > zero) edit["out"] = end.text();
        return BarChange{std::move(edit), now};
    }
    }
    return {};
}

}

std::optional<BarPart> barPartAt(const DrawnBar& bar, const V2d& place, bool fades) {
    const double width = bar.high.x - bar.low.x;
    if (width <= 0 || place.y < bar.low.y - 4 || place.y > bar.high.y + 4) return {};
    if (fades && width > 24 && place.y < (bar.low.y + bar.high.y) / 2) {
        if (std::abs(place.x - bar.low.x - (bar.fadeIn > 0.5 ? bar.fadeIn : 6)) < 5) return BarPart::FadeIn;
        if (std::abs(place.x - bar.high.x + (bar.fadeOut > 0.5 ? bar.fadeOut : 6)) < 5)
            return BarPart::FadeOut;
    }
    if (std::abs(place.x - bar.low.x) < 6) return BarPart::In;
    if (std::abs(place.x - bar.high.x) < 6) return BarPart::Out;
    if (place.x < bar.low.x || place.x > bar.high.x) return {};
    return BarPart::Whole;
}

std::optional<BarChange> barDragged(const scene::Scene& before, const std::vector<std::int64_t>& layers,
                                    std::int64_t taken, BarPart part, Rational by) {
    const Rational end = scene::lastTime(before), frame = timeOfFrame(1, before.output.rate);
    std::vector<edit::Edit> edits;
    Rational now = by;
    for (const std::int64_t id : layers) {
        const scene::LayerPath found = scene::find(before, id);
        if (!found.layer) continue;
        auto change = changeOf(*found.layer, part, by, end, frame);
        if (!change) continue;
        if (id == taken) now = change->now;
        edits.push_back(std::move(change->edit));
    }
    if (edits.empty()) return {};
    return BarChange{combined("Move in time", edits), now};
}

}
