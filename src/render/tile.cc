#include "render/tile.h"

#include "render/blend.h"
#include "render/curve.h"
#include "render/sampler.h"
#include "scene/timing.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <numeric>

namespace stage::render {
namespace {

double discOver(const Plane& plane, const media::Box& box) {
    if (plane.bent()) {
        const auto [far, near] = nearnessIn(plane, box.x0, box.y0, box.x1, box.y1);
        const auto disc = [&](double nearness) {
            return nearness > 1e299 ? 0
                                    : 2 * plane.view.aperture * plane.view.slope *
                                          std::abs(1 / plane.view.focus - std::max(nearness, 0.0));
        };
        return std::max(disc(far), disc(near));
    }
    return std::max({discAt(plane, box.x0, box.y0), discAt(plane, box.x1, box.y0),
                     discAt(plane, box.x0, box.y1), discAt(plane, box.x1, box.y1)});
}

bool inside(const media::Box& box, const media::Box& of) {
    return !box.within(of).empty();
}

/// A level at least as fine as all that will be read of a box.
int finestLevel(const Plane& plane, const media::Box& box) {
    const double middle = footprintAt(plane, (box.x0 + box.x1) / 2.0, (box.y0 + box.y1) / 2.0).lod;
    return std::max(0, static_cast<int>(std::floor(levelRead(plane, middle - (plane.level ? 0 : 0.7)))));
}

void underWhole(Canvas& canvas, const float* ground) {
    for (int y = 0; y < canvas.height; ++y)
        for (int x = 0; x < canvas.width; ++x) {
            float* out = canvas.rgba + 4 * (y * Canvas::side + x);
            const float through = 1 - out[3];
            for (int c = 0; c < 4; ++c)
                out[c] += through * ground[c];
        }
}

void under(Canvas& canvas, const Canvas& below, float opacity) {
    for (int y = 0; y < canvas.height; ++y)
        for (int i = 4 * y * Canvas::side; i < 4 * (y * Canvas::side + canvas.width); i += 4) {
            const float through = (1 - canvas.rgba[i + 3]) * opacity;
            for (int c = 0; c < 4; ++c)
                canvas.rgba[i + c] += through * below.rgba[i + c];
            if (canvas.rgba[i + 3] < opaqueAlpha) canvas.full[i / 4 / Canvas::group] = false;
        }
}

void blendAll(Canvas& below, Canvas& above, const Entry& entry) {
    for (int y = 0; y < below.height; ++y)
        blendRow(below.row(y), above.row(y), below.width, entry.opacity, entry.blend);
}

/// From sRGB-encoded values to light, in place.
void toLight(Canvas& canvas) {
    for (int y = 0; y < canvas.height; ++y)
        for (int x = 0; x < canvas.width; ++x)
            if (float* c = canvas.rgba + 4 * (y * Canvas::side + x); c[3] > 0)
                for (int i = 0; i < 3; ++i)
                    c[i] = decode(c[i] / c[3]) * c[3];
}

/// From light to sRGB-encoded values, in place. What only adds light adds it encoded.
void toPaint(Canvas& canvas) {
    for (int y = 0; y < canvas.height; ++y)
        for (int x = 0; x < canvas.width; ++x) {
            float* c = canvas.rgba + 4 * (y * Canvas::side + x);
            const float share = c[3] > 0 ? c[3] : 1;
            for (int i = 0; i < 3; ++i)
                c[i] = encode(c[i] / share) * share;
        }
}

void fill(Canvas& canvas, const float* ground) {
    for (int i = 0; i < Canvas::side * Canvas::side * 4; ++i)
        canvas.rgba[i] = ground[i % 4];
}

/// What is added to a list meanwhile goes again: what was there before is that of groups around.
class Gaps {
public:
    explicit Gaps(std::vector<FilledGap>& gaps) : m_gaps(gaps), m_before(gaps.size()) {}
    ~Gaps() { m_gaps.resize(m_before); }
    Gaps(const Gaps&) = delete;
    Gaps& operator=(const Gaps&) = delete;

private:
    std::vector<FilledGap>& m_gaps;
    std::size_t m_before;
};

/// More than a part may be: it can be divided.
bool isLarge(const media::Box& box) {
    return std::max(box.x1 - box.x0, box.y1 - box.y0) > smallestPart;
}

}

void TilePainter::paint(const Entries& entries, const media::Box& box, const float* ground, Canvas& canvas) {
    const Timed timed(Stage::Mix);
    paint(entries.list, box, ground, canvas);
    if (m_blending == scene::Blending::Paint) toLight(canvas);
}

void TilePainter::paint(const std::vector<Entry>& entries, const media::Box& box, const float* ground,
                        Canvas& canvas) {
    std::vector<Seen> seen;
    if (!find(entries, box, seen)) return byParts(entries, box, ground, canvas);
    std::vector<Ordered> parts = ordered(seen, box);
    if (parts.size() != 1) { // what is clear may have been in the way
        dropClear(seen, box);
        parts = ordered(seen, box);
    }
    if (parts.empty()) {
        canvas.clear(box.x1 - box.x0, box.y1 - box.y0);
        sort(seen, TilePart(box).middle());
        const Gaps gaps(m_gaps);
        fillGaps(entries, box, false, seen);
        return byPixel(seen, box, ground, canvas);
    }
    const auto other = parts.size() > 1 ? std::make_unique<Canvas>() : nullptr; // of all but the first
    for (std::size_t i = 0; i < parts.size(); ++i) {
        Canvas& own = i == 0 ? canvas : *other;
        if (!paintPart(entries, std::move(parts[i].seen), box, parts[i].part, ground, own))
            return byParts(entries, box, ground, canvas);
        if (i > 0) parts[i].part.copy(own, canvas);
    }
}

/// The box in parts in each of which one card is in front of the next all over: it is divided where cards
/// cross. None: they would be too many, or it cannot be told.
std::vector<TilePainter::Ordered> TilePainter::ordered(const std::vector<Seen>& seen, const media::Box& box) {
    constexpr int most = 4; // divisions
    int divided = 0;
    std::vector<Ordered> done;
    std::vector<TilePart> open{TilePart(box)};
    while (!open.empty()) {
        Ordered here{std::move(open.back()), seen};
        open.pop_back();
        sort(here.seen, here.part.middle());
        const auto crossing = outOfOrder(here.seen, box, here.part);
        if (!crossing) {
            done.push_back(std::move(here));
            continue;
        }
        if (anyBent(seen) || divided++ == most) return {};
        auto [front, behind] = here.part.dividedBy(here.seen[*crossing - 1].entry->plane.pinhole.w -
                                                   here.seen[*crossing].entry->plane.pinhole.w);
        for (TilePart* each : {&front, &behind})
            if (!each->empty()) open.push_back(std::move(*each));
    }
    return done;
}

/// Paints what is seen, nearest first, in a part of the box; beside it anything. False where the box is too
/// large for one of them.
bool TilePainter::paintPart(const std::vector<Entry>& entries, std::vector<Seen> seen, const media::Box& box,
                            const TilePart& part, const float* ground, Canvas& canvas) {
    canvas.clear(box.x1 - box.x0, box.y1 - box.y0);
    part.markOutside(canvas);
    dropHidden(seen, box, part);
    const Gaps gaps(m_gaps);
    fillGaps(entries, box, true, seen);
    const std::size_t done = paintByBrush(seen, box, canvas);
    if (done == seen.size() + 1) return true; // full
    if (done < seen.size() && isLarge(box) && !m_draft && m_blending == scene::Blending::Light) {
        const Entry& entry = *seen[done].entry; // too steep?
        if (seen[done].gap < 0 && entry.blend == scene::Blend::Normal && entry.group.empty() &&
            !entry.plane.bent())
            return false;
    }
    return paintFrom(done, seen, box, ground, canvas);
}

/// In the order of the scene. False where the box is too large for one of them.
bool TilePainter::find(const std::vector<Entry>& entries, const media::Box& box,
                       std::vector<Seen>& seen) const {
    for (const Entry& entry : entries) {
        if (entry.fill || !inside(entry.box, box)) continue;
        Seen here{&entry, {}};
        if (entry.group.empty()) {
            const double disc = m_draft ? discOver(entry.plane, box) : 0;
            here.blurred = m_draft && (!entry.plane.still || disc > leastBlur);
            here.soft = here.blurred && entry.plane.still && !entry.plane.bent() && disc <= 2 * mostSoft;
            here.reach = reachOf(entry.plane, box.x0, box.y0, box.x1, box.y1,
                                 m_draft ? Through::Lens : Through::Pinhole);
            if (here.reach.off) continue;
            if (here.reach.behind > 0 && isLarge(box)) return false;
        }
        seen.push_back(here);
    }
    return true;
}

void TilePainter::sort(std::vector<Seen>& seen, const V2d& at) {
    for (Seen& each : seen)
        each.nearness = nearnessAt(each.entry->plane, at.x, at.y);
    std::reverse(seen.begin(), seen.end());
    std::stable_sort(seen.begin(), seen.end(), [](const Seen& a, const Seen& b) {
        return a.nearness > b.nearness + 1e-9 * std::abs(b.nearness);
    });
}

/// Puts what fills space between the cards that it is seen between; where they are not in order, slice by
/// slice behind all of them.
void TilePainter::fillGaps(const std::vector<Entry>& entries, const media::Box& box, bool ordered,
                           std::vector<Seen>& seen) {
    // What is mixed alike goes together, first what is laid over the rest.
    std::vector<std::pair<const Entry*, std::vector<const Fill*>>> kinds{{&m_merged, {}}};
    for (const Entry& entry : entries) {
        if (!entry.fill || !inside(entry.box, box)) continue;
        if (const auto [low, high] = entry.fill->nearnessIn(box); low > high) continue;
        const Entry* kind = isLaidOver(entry.blend) ? &m_merged : &entry;
        auto at = std::find_if(kinds.begin(), kinds.end(), [&](const auto& k) { return k.first == kind; });
        if (at == kinds.end()) at = kinds.insert(at, {kind, {}});
        at->second.push_back(entry.fill.get());
    }
    if (kinds.front().second.empty()) kinds.erase(kinds.begin());
    if (kinds.empty()) return;
    std::vector<const Fill*> all;
    for (const auto& [entry, fills] : kinds)
        all.insert(all.end(), fills.begin(), fills.end());
    const auto put = [&](const Gap& gap, std::vector<Seen>& to) {
        for (const auto& [entry, fills] : kinds) {
            if (std::none_of(fills.begin(), fills.end(), [&](const Fill* fill) { return fill->isIn(gap); }))
                continue;
            Seen here{entry, {}};
            here.gap = static_cast<int>(m_gaps.size());
            m_gaps.push_back({gap, fills});
            to.push_back(here);
        }
    };
    if (!ordered) {
        DepthRange cards(1e300, 0);
        for (const Seen& each : seen) {
            const auto [low, high] = nearnessIn(each.entry->plane, box.x0, box.y0, box.x1, box.y1);
            cards.first = std::min(cards.first, low), cards.second = std::max(cards.second, high);
        }
        for (const Gap& part : slicesOf(all, {box}, cards))
            put(part, seen);
        return;
    }
    std::vector<Seen> filled;
    for (std::size_t i = 0; i <= seen.size(); ++i) {
        const Gap gap{box, i == 0 ? nullptr : &seen[i - 1].entry->plane,
                      i == seen.size() ? nullptr : &seen[i].entry->plane};
        if (kinds.size() > 1) // what is mixed by itself lies among the rest
            for (const Gap& part : slicesOf(all, gap))
                put(part, filled);
        else
            put(gap, filled);
        if (i < seen.size()) filled.push_back(seen[i]);
    }
    seen = std::move(filled);
}

bool TilePainter::anyBent(const std::vector<Seen>& seen) {
    return std::any_of(seen.begin(), seen.end(), [](const Seen& each) {
        return each.entry->group.empty() && each.entry->plane.bent();
    });
}

std::optional<std::size_t> TilePainter::outOfOrder(const std::vector<Seen>& seen, const media::Box& box,
                                                   const TilePart& part) {
    if (!anyBent(seen)) {
        // 1/depth is linear over the frame, so two planes that keep their order at the corners keep it
        // inside.
        for (std::size_t i = 1; i < seen.size(); ++i) {
            bool same = true; // at all corners
            for (const V2d& corner : part.corners()) {
                const double near = nearnessAt(seen[i - 1].entry->plane, corner.x, corner.y),
                             far = nearnessAt(seen[i].entry->plane, corner.x, corner.y),
                             close = 1e-9 * std::abs(near);
                if (far > near + close) return i;
                same = same && far > near - close;
            }
            if (same && seen[i - 1].entry < seen[i].entry) return i;
        }
        return {};
    }
    // Only what lies apart in depth all over the box keeps its order for sure.
    double farthest = 1e300;
    for (std::size_t i = 0; i < seen.size(); ++i) {
        const auto [low, high] = nearnessIn(seen[i].entry->plane, box.x0, box.y0, box.x1, box.y1);
        if (high >= farthest) return i;
        farthest = low;
    }
    return {};
}

/// What shows nothing goes.
void TilePainter::dropClear(std::vector<Seen>& seen, const media::Box& box) const {
    const Blocks all = blocksOf(box.size().x, box.size().y);
    std::erase_if(seen, [&](Seen& each) {
        look(each, box);
        return (each.known.clear & all) == all;
    });
}

/// What shows nothing in a part goes, and, of those that are in order there, what lies behind something
/// opaque: it is not looked at either.
void TilePainter::dropHidden(std::vector<Seen>& seen, const media::Box& box, const TilePart& part) const {
    const Blocks all = blocksOf(box.size().x, box.size().y), outside = part.outside();
    Blocks hidden = outside;
    std::size_t kept = 0;
    for (std::size_t i = 0; i < seen.size() && (hidden & all) != all; ++i) {
        look(seen[i], box);
        seen[i].known.clear |= outside;
        if ((seen[i].known.clear & all) == all) continue;
        hidden |= seen[i].known.opaque;
        if (kept != i) seen[kept] = seen[i];
        ++kept;
    }
    seen.resize(kept);
}

void TilePainter::look(Seen& seen, const media::Box& box) const {
    if (!seen.looked) prepare(seen, box);
    seen.looked = true;
}

/// Whether a brush can paint it.
bool TilePainter::byBrush(const Seen& seen) const {
    return m_blending == scene::Blending::Light && seen.entry->blend == scene::Blend::Normal &&
           seen.entry->group.empty() && seen.look.levels > 0;
}

Brush TilePainter::brushFor(const Seen& seen, const media::Box& box, Blocks without) {
    const Entry& entry = *seen.entry;
    const V2i size = box.size();
    const BlockGrid grid(entry.plane, box.x0, box.y0, size.x, size.y);
    Brush brush = brushOf(seen.look, entry.plane, *entry.pixels, seen.reach, box.x0, box.y0, size.x, size.y,
                          grid, without, m_arena);
    brush.opacity = entry.opacity;
    brush.air = m_air.from(box.x0, box.y0);
    brush.hazy = m_air.density > 0;
    return brush;
}

/// Paints as many as a brush can, from the nearest on. How many; one more than there are when nothing else
/// would be seen.
std::size_t TilePainter::paintByBrush(const std::vector<Seen>& seen, const media::Box& box, Canvas& canvas) {
    const Timed timed(Stage::Sample);
    // Each is readied before the one in front of it is painted: its texels are on the way by the time they
    // are needed.
    m_arena.reset();
    Brush brushes[2];
    Blocks hidden = 0;
    const auto readied = [&](std::size_t n) {
        if (!byBrush(seen[n])) return false;
        brushes[n % 2] = brushFor(seen[n], box, static_cast<Blocks>(hidden | seen[n].known.clear));
        hidden = static_cast<Blocks>(hidden | seen[n].known.opaque);
        return true;
    };
    std::size_t done = 0;
    bool next = !seen.empty() && readied(0);
    while (next) {
        next = done + 1 < seen.size() && readied(done + 1);
        paintUnder(brushes[done % 2], canvas);
        ++done;
        if (canvas.allFull()) return seen.size() + 1;
    }
    return done;
}

/// The rest, and the ground, one picture after the other. False where the box is too large for one of them.
bool TilePainter::paintFrom(std::size_t first, const std::vector<Seen>& seen, const media::Box& box,
                            const float* ground, Canvas& canvas) {
    std::unique_ptr<Canvas> layer;
    const auto own = [&](const Seen& each) -> Canvas& {
        if (!layer) layer = std::make_unique<Canvas>();
        alone(each, box, *layer);
        return *layer;
    };
    for (std::size_t i = first; i < seen.size(); ++i) {
        const Entry& entry = *seen[i].entry;
        if (entry.blend != scene::Blend::Normal) {
            // It looks at what is below, so from here on it goes upwards.
            const auto below = std::make_unique<Canvas>();
            below->clear(canvas.width, canvas.height);
            fill(*below, ground);
            for (std::size_t j = seen.size(); j-- > i;)
                blendAll(*below, own(seen[j]), *seen[j].entry);
            under(canvas, *below, 1);
            return true;
        }
        if (canvas.allFull()) break;
        if (byBrush(seen[i])) {
            const Timed timed(Stage::Sample);
            m_arena.reset();
            paintUnder(brushFor(seen[i], box, seen[i].known.clear), canvas);
            continue;
        }
        if (m_blending == scene::Blending::Light && entry.group.empty() && seen[i].blurred) {
            if (m_blur.paintUnder(entry.plane, *entry.pixels, m_air, entry.opacity, box, canvas)) continue;
            if (isLarge(box)) return false;
        }
        if (seen[i].gap >= 0 && m_blending == scene::Blending::Light) {
            const FilledGap& filled = m_gaps[static_cast<std::size_t>(seen[i].gap)];
            render::paintUnder(filled.fills, filled.gap, canvas);
            continue;
        }
        under(canvas, own(seen[i]), entry.opacity);
    }
    underWhole(canvas, ground);
    return true;
}

void TilePainter::prepare(Seen& seen, const media::Box& box) const {
    const Entry& entry = *seen.entry;
    const Plane& plane = entry.plane;
    const Reach& reach = seen.reach;
    if (!entry.group.empty() || plane.bent() || reach.behind > 0) return;
    const media::Pyramid& pixels = *entry.pixels;
    const bool lone = entry.opacity == 1 && entry.blend == scene::Blend::Normal; // hides what is behind
    if (!m_draft || !seen.blurred || seen.soft) {
        const V2i size = box.size();
        seen.look = lookAt(plane, pixels, reach, box.x0, box.y0, size.x, size.y, seen.soft);
        if (seen.look.levels == 0) return;
        seen.reach.marginU *= seen.look.edge, seen.reach.marginV *= seen.look.edge;
        const BlockGrid grid(plane, box.x0, box.y0, size.x, size.y);
        seen.known = knownOf(plane, pixels, grid, reach, seen.look.fine, seen.look.levels, seen.look.spanU,
                             seen.look.spanV);
        if (!lone) seen.known.opaque = 0;
        if (!plane.extensions.any() || seen.known.clear || seen.known.opaque) return;
    }
    // All or nothing, of what moves meanwhile and of what goes on beyond its edges. Grown by what a pixel
    // covers, which filters may look at.
    Reach grown = reach;
    const double spare = plane.level ? 1 : Footprint::mostTaps / 2.0;
    grown.u0 -= spare * grown.marginU, grown.u1 += spare * grown.marginU;
    grown.v0 -= spare * grown.marginV, grown.v1 += spare * grown.marginV;
    const Presence presence = presenceOf(plane, pixels, grown, finestLevel(plane, box));
    if (presence == Presence::Nothing) seen.known.clear = static_cast<Blocks>(~0);
    if (presence == Presence::Opaque && lone) seen.known.opaque = static_cast<Blocks>(~0);
}

void TilePainter::byParts(const std::vector<Entry>& entries, const media::Box& box, const float* ground,
                          Canvas& canvas) {
    paintByParts(box, canvas,
                 [&](const media::Box& part, Canvas& own) { paint(entries, part, ground, own); });
}

void TilePainter::byPixel(const std::vector<Seen>& seen, const media::Box& box, const float* ground,
                          Canvas& canvas) {
    std::vector<std::unique_ptr<Canvas>> drawn;
    for (const Seen& each : seen) {
        drawn.push_back(std::make_unique<Canvas>());
        alone(each, box, *drawn.back());
    }
    std::vector<double> nearness; // of what fills space, the same all over the box
    bool bent = false;
    for (const Seen& each : seen) {
        nearness.push_back(each.gap < 0 ? 0 : nearnessOf(m_gaps[static_cast<std::size_t>(each.gap)]));
        bent = bent || (each.gap < 0 && each.entry->plane.bent());
    }
    // Of those in one plane the later in the scene is above.
    using Placed = std::pair<double, std::size_t>; // how near, and which
    const auto isBehind = [&](const Placed& a, const Placed& b) {
        if (std::abs(a.first - b.first) > 1e-9 * std::abs(b.first)) return a.first < b.first;
        const Entry *const first = seen[a.second].entry, *const second = seen[b.second].entry;
        return first != second ? first < second : a.second < b.second;
    };
    // Farthest first, of one pixel.
    using Order = std::vector<Placed>;
    const auto sort = [&](Order& order, int x, int y) {
        for (std::size_t n = 0; n < order.size(); ++n) {
            const std::size_t i = order[n].second;
            order[n].first = seen[i].gap < 0
                                 ? nearnessAt(seen[i].entry->plane, box.x0 + x + 0.5, box.y0 + y + 0.5)
                                 : nearness[i];
            for (std::size_t m = n; m > 0 && isBehind(order[m], order[m - 1]); --m)
                std::swap(order[m], order[m - 1]);
        }
    };
    const auto same = [](const Order& a, const Order& b) {
        return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                          [](const Placed& p, const Placed& q) { return p.second == q.second; });
    };
    Order first, last; // at both ends of a run; from pixel to pixel they hardly change
    for (std::size_t i = 0; i < seen.size(); ++i)
        first.emplace_back(0, i);
    last = first;
    for (int y = 0; y < canvas.height; ++y)
        for (int x = 0; x < canvas.width;) {
            // Nearness is linear along a row, so what is in one order at both ends is so in between.
            sort(first, x, y);
            int end = bent ? x + 1 : canvas.width;
            for (; end > x + 1; end = x + (end - x) / 2) {
                sort(last, end - 1, y);
                if (same(first, last)) break;
            }
            float* const out = canvas.row(y) + 4 * x;
            for (int i = 0; i < 4 * (end - x); ++i)
                out[i] = ground[i % 4];
            for (const auto& [near, i] : first)
                blendRow(out, drawn[i]->row(y) + 4 * x, end - x, seen[i].entry->opacity,
                         seen[i].entry->blend);
            x = end;
        }
}

void TilePainter::alone(const Seen& seen, const media::Box& box, Canvas& canvas) {
    const Timed timed(Stage::Sample);
    const Entry& entry = *seen.entry;
    if (!entry.group.empty()) {
        const float nothing[4] = {0, 0, 0, 0};
        paint(entry.group, box, nothing, canvas);
        return;
    }
    canvas.clear(box.x1 - box.x0, box.y1 - box.y0);
    if (seen.gap >= 0) {
        const FilledGap& filled = m_gaps[static_cast<std::size_t>(seen.gap)];
        render::paintUnder(filled.fills, filled.gap, canvas);
        if (m_blending == scene::Blending::Paint) toPaint(canvas);
        return;
    }
    const Plane& plane = entry.plane;
    const Reach reach =
        m_draft ? reachOf(plane, box.x0, box.y0, box.x1, box.y1, Through::Pinhole) : seen.reach;
    std::optional<Brush> brush;
    m_arena.reset();
    if (seen.blurred && m_blur.paintUnder(plane, *entry.pixels, m_air, 1, box, canvas)) {
        // done
    } else if (reach.off) {
        return;
    } else if ((brush = brushOf(plane, *entry.pixels, reach, box.x0, box.y0, canvas.width, canvas.height,
                                m_arena))) {
        brush->air = m_air.from(box.x0, box.y0);
        brush->hazy = m_air.density > 0;
        paintUnder(*brush, canvas);
    } else {
        sampleBox(plane, *entry.pixels, m_air, box, canvas);
    }
    if (m_blending == scene::Blending::Paint) toPaint(canvas);
}

}
