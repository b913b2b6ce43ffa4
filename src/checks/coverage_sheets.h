// What Coverage makes of a frame: its layers as sheets that rays go through, and how rays go. For the .cc
// files of Coverage only.
#pragma once

#include "checks/coverage.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace stage::checks {

/// Light that gets through less is not seen.
inline constexpr double leastOpen = 0.02;
/// Discs and motion below that, px of the frame looked at, are those of one ray.
inline constexpr double leastDisc = 0.05;

/// A layer, or a group that is mixed on its own, as the frame sees it.
struct Coverage::Sheet {
    std::int64_t layer = 0;
    bool hides = false;        ///< what is behind it, where it is opaque
    std::vector<Sight> sights; ///< at all moments of the frame; of a group, of its plane
    motion::PixelsPtr pixels;  ///< null: of a group
    Coverage* coverage = nullptr;
    const std::stop_token* stop = nullptr;
    scene::Extensions extensions;
    double opacity = 1;
    std::vector<Sheet> group;

    double alpha(double s, double t) const;
    bool opaqueIn(const optics::Region& region) const;
    bool clearIn(const optics::Region& region) const;
    template <class Good> bool allCells(const optics::Region& region, const Good& good) const;

    /// The finest level that is read; null: it is opaque all over. Only when first asked for: most are
    /// hidden.
    const media::TiledLevel* texels() const;

private:
    mutable media::PyramidPtr m_read;
    mutable const media::TiledLevel* m_texels = nullptr;
    mutable bool m_asked = false;
};

/// At one frame.
struct Coverage::Looking {
    const motion::Frame& frame;
    int finest;
    const std::stop_token& stop;
    std::vector<Hole> holes;
    std::vector<V2d> lens; ///< points of the opening, in radii: the middle first

    Looking(const motion::Frame& seen, int finest_, const std::stop_token& stop_)
        : frame(seen), finest(finest_), stop(stop_), lens{V2d(0)} {
        const int points = frame.iris.blades >= 3 ? frame.iris.blades : 32;
        for (int i = 0; i < points; ++i) {
            const double a = radians(frame.iris.turn) + 2 * std::numbers::pi * i / points;
            lens.emplace_back(std::cos(a), std::sin(a));
        }
    }

    static bool apart(const optics::Surface& card, const optics::Region& region) {
        return region.bounded() && (region.s1 < -card.left || region.s0 > 1 + card.right ||
                                    region.t1 < -card.top || region.t0 > 1 + card.bottom);
    }

    /// Of a bent card by some places, with a margin for what is between them; unbounded where it is not all
    /// over the part.
    static optics::Region bentRegion(const Sight& sight, const optics::FramePart& part) {
        optics::Region region;
        const V2d disc(std::abs(sight.discAt((part.low + part.high) / 2))), low = part.low - disc,
                                                                            size = part.high + disc - low;
        constexpr int steps = 2;
        for (int j = 0; j <= steps; ++j)
            for (int i = 0; i <= steps; ++i) {
                const auto met =
                    optics::meet(sight.view, low + V2d(size.x * i, size.y * j) / steps, sight.card);
                if (!met) return {-infinite, -infinite, infinite, infinite};
                region.add({met->s, met->t, met->s, met->t});
            }
        const double margin = 0.25 * std::max(region.s1 - region.s0, region.t1 - region.t0);
        // What it does not go on by is not met there either, as the places tell.
        return {std::max(-sight.card.left, region.s0 - margin), std::max(-sight.card.top, region.t0 - margin),
                std::min(1 + sight.card.right, region.s1 + margin),
                std::min(1 + sight.card.bottom, region.t1 + margin)};
    }

    /// What a sheet does to all rays of a part: none meets it, or all meet what is as opaque.
    struct Cover {
        enum class Of { None, Some, All } of = Of::Some;
        double opacity = 1; ///< of All
    };
    Cover coverOf(const Sheet& sheet, const optics::FramePart& part) const {
        using Of = Cover::Of;
        if (!sheet.group.empty()) {
            bool none = true, all = true;
            double through = 1;
            for (const Sheet& each : sheet.group) {
                const Cover of = coverOf(each, part);
                none = none && of.of == Of::None;
                all = all && of.of != Of::Some;
                if (of.of == Of::All) through *= 1 - of.opacity;
            }
            if (none) return {Of::None};
            if (all || through < leastOpen) return {Of::All, sheet.opacity * (1 - through)};
            return {};
        }
        bool all = true, none = true;
        for (const Sight& sight : sheet.sights) {
            const optics::Region region = sight.card.bend == 0 ? sight.region(part) : bentRegion(sight, part);
            const bool clear = apart(sight.card, region) || (region.bounded() && sheet.clearIn(region));
            none = none && clear;
            all = all && !clear && optics::holds(sight.card, region) && sheet.opaqueIn(region);
            if (!none && !all) return {};
        }
        return none ? Cover{Of::None} : Cover{Of::All, sheet.opacity};
    }

    /// What of the light from behind gets past all sheets at a place, through one point of the lens, at one
    /// moment of the exposure.
    double past(const std::vector<const Sheet*>& sheets, const V2d& place, const V2d& point,
                std::size_t moment, double open = 1) const {
        for (const Sheet* sheet : sheets) {
            if (!sheet->group.empty()) {
                std::vector<const Sheet*> inside;
                for (const Sheet& each : sheet->group)
                    inside.push_back(&each);
                open *= 1 - sheet->opacity * (1 - past(inside, place, point, moment));
            } else if (!sheet->sights.empty()) {
                const Sight& sight = sheet->sights[std::min(moment, sheet->sights.size() - 1)];
                // A lens point shears space: the ray meets the card where the middle's does at a place as far
                // off as the point is in the disc.
                const V2d off = point != V2d(0) ? V2d(point.x, -point.y) * sight.discAt(place) : V2d(0);
                const auto met = sight.meet(place + off);
                if (met) open *= 1 - sheet->alpha(met->x, met->y);
            }
            if (open < 1e-4) return 0;
        }
        return open;
    }

    static constexpr double hair = 1e-6; ///< of a box, so that its corners are its own
    /// Of a round opening so few points that a chord between two of them is nowhere farther than that from
    /// the rim, px.
    std::size_t rimStep(double disc) const {
        constexpr double sagitta = 0.5;
        if (frame.iris.blades >= 3) return 1;
        std::size_t step = 1;
        while (step < 8 && disc * (1 - std::cos(std::numbers::pi * 2 * static_cast<double>(step) /
                                                static_cast<double>(lens.size() - 1))) <
                               sagitta)
            step *= 2;
        return step;
    }

    /// Corners, a hair inside so that they belong to this box alone, and middle. What the middle of the lens
    /// sees past all sheets tells how much is open; where that is nothing, the lens's rim tells whether any
    /// is.
    void leaf(const std::vector<const Sheet*>& sheets, const optics::FramePart& part, double before) {
        double disc = 0;
        std::size_t moments = 1;
        for (const Sheet* sheet : sheets)
            for (const Sight& sight : sheet->sights) {
                disc = std::max(disc, std::abs(sight.discAt(part.low)));
                moments = std::max(moments, sheet->sights.size());
            }
        const V2d size = part.high - part.low;
        const std::array<V2d, 5> places{V2d(hair, hair), V2d(1 - hair, hair), V2d(hair, 1 - hair),
                                        V2d(1 - hair, 1 - hair), V2d(0.5, 0.5)};
        const auto opened = [&](const V2d& at, double& sum) {
            double most = 0;
            for (std::size_t moment = 0; moment < moments; ++moment) {
                const double open =
                    past(sheets, part.low + V2d(at.x * size.x, at.y * size.y), V2d(0), moment, before);
                sum += open, most = std::max(most, open);
            }
            return most > leastOpen;
        };
        double sum = 0;
        bool any = false;
        for (const V2d& at : places)
            any = opened(at, sum) || any;
        const double each = 1 / static_cast<double>(moments);
        if (any) {
            holes.push_back({part, sum * each / static_cast<double>(places.size())});
            return;
        }
        if (disc <= leastDisc) return;
        const std::size_t step = rimStep(disc);
        if (!rim(sheets, part, before, moments, 1, step) && step > 1)
            closed.push_back({sheets, part, before, moments, step});
    }

    /// A box that was found closed by some points of the rim.
    struct Closed {
        std::vector<const Sheet*> sheets;
        optics::FramePart part;
        double before;
        std::size_t moments, step;
    };
    std::vector<Closed> closed;

    /// Where nothing is open in the whole frame, what all points of the rim see counts: it may be a sliver.
    void lookCloser() {
        for (std::size_t i = 0; holes.empty() && i < closed.size() && !stop.stop_requested(); ++i)
            for (std::size_t first = 2; holes.empty() && first <= closed[i].step; ++first)
                rim(closed[i].sheets, closed[i].part, closed[i].before, closed[i].moments, first,
                    closed[i].step);
    }

    /// Of every step-th point of the rim from the first: each where it looks farthest out of the box, on
    /// either side of what is sharp. Keeps a hole where light comes through, and says so.
    bool rim(const std::vector<const Sheet*>& sheets, const optics::FramePart& part, double before,
             std::size_t moments, std::size_t first, std::size_t step) {
        const V2d size = part.high - part.low;
        for (std::size_t i = first; i < lens.size(); i += step)
            for (const bool near : {true, false}) {
                const V2d at((lens[i].x > 0) == near ? 1 - hair : hair,
                             (lens[i].y > 0) == near ? hair : 1 - hair);
                double sum = 0, most = 0;
                for (std::size_t moment = 0; moment < moments; ++moment) {
                    const double open =
                        past(sheets, part.low + V2d(at.x * size.x, at.y * size.y), lens[i], moment, before);
                    sum += open, most = std::max(most, open);
                }
                if (most <= leastOpen) continue;
                holes.push_back(
                    {part, sum / static_cast<double>(moments) / static_cast<double>(lens.size())});
                return true;
            }
        return false;
    }

    /// through: what gets past the sheets that are left out, since they are as opaque all over.
    void look(const std::vector<const Sheet*>& sheets, int x0, int y0, int x1, int y1, double through = 1) {
        if (stop.stop_requested()) return;
        const optics::FramePart part{V2d(x0, y0), V2d(x1, y1)};
        std::vector<const Sheet*> some;
        for (const Sheet* sheet : sheets) {
            const Cover cover = coverOf(*sheet, part);
            if (cover.of == Cover::Of::Some) some.push_back(sheet);
            if (cover.of == Cover::Of::All) through *= 1 - cover.opacity;
            if (through < leastOpen) return;
        }
        if (some.empty()) {
            holes.push_back({part, through});
            return;
        }
        if (x1 - x0 <= finest && y1 - y0 <= finest) {
            leaf(some, part, through);
            return;
        }
        const int xm = x1 - x0 > finest ? (x0 + x1 + 1) / 2 : x1,
                  ym = y1 - y0 > finest ? (y0 + y1 + 1) / 2 : y1;
        look(some, x0, y0, xm, ym, through);
        if (xm < x1) look(some, xm, y0, x1, ym, through);
        if (ym < y1) look(some, x0, ym, xm, y1, through);
        if (xm < x1 && ym < y1) look(some, xm, ym, x1, y1, through);
    }
};

}
