#include "render/lens_tile.h"

#include "render/sampler.h"
#include "scene/timing.h"

#include <algorithm>
#include <cmath>

namespace stage::render {
namespace {

/// Discs below this are not seen, px.
constexpr double noDisc = 0.35;
/// Below this a card is filtered as the pinhole filters it, so that what is all but sharp is as crisp in
/// both.
constexpr double smallDisc = 3;
/// More is not laid out for one tile.
constexpr double mostTexels = 1024.0 * 1024.0;

TileLinear over(const Linear& l, double x, double y, double by) {
    return {static_cast<float>(l.at(x, y) * by), static_cast<float>(l.b * by), static_cast<float>(l.c * by)};
}

/// What w is counted in: its value at the box's first pixel, or for a level card, whose w is the same
/// everywhere, that.
double eachOf(const Plane& plane, const media::Box& box) {
    const Linear& w = plane.pinhole.w;
    return plane.level ? 1 / w.a : 1 / w.at(box.x0 + 0.5, box.y0 + 0.5);
}

/// Whether the first is in front of the second for every ray of the box.
bool infront(const Plane& a, const Plane& b, bool above, const media::Box& box) {
    if (a.bent() || b.bent()) {
        return nearnessIn(a, box.x0, box.y0, box.x1, box.y1).first >
               nearnessIn(b, box.x0, box.y0, box.x1, box.y1).second;
    }
    for (const int x : {box.x0, box.x1})
        for (const int y : {box.y0, box.y1})
            for (const double t : {-1.0, 0.0, 1.0}) {
                const auto w = [&](const Plane& plane) {
                    return plane.pinhole.w.at(x, y) + t * plane.drift.w.at(x, y) +
                           t * t * plane.curve.w.at(x, y);
                };
                const double wa = w(a), wb = w(b);
                for (const double p : {-1.0, 1.0})
                    for (const double q : {-1.0, 1.0}) {
                        const auto nearness = [&](const Plane& plane, double at) {
                            return (at + p * plane.right.w.a + q * plane.up.w.a) /
                                   (1 + p * plane.perRight + q * plane.perUp);
                        };
                        const double na = nearness(a, wa), nb = nearness(b, wb), close = 1e-9 * std::abs(na);
                        if (nb > na + close || (nb > na - close && !above)) return false;
                    }
            }
    return true;
}

}

LensPainter::LensPainter(const RayPoints& points, const Effort& effort, const Opening& opening,
                         const Air& air, scene::Blending blending)
    : m_points(points), m_effort(effort), m_opening(opening), m_air(air), m_blending(blending) {}

Canvas& LensPainter::spare() {
    if (m_spared == m_spare.size()) m_spare.push_back(std::make_unique<Canvas>());
    return *m_spare[m_spared++];
}

/// A card of the tile, with what orders it among the others.
struct LensPainter::Seen {
    const Entry* entry;
    RayCard card;
    double nearness; ///< of its middle
    bool opaque;
};

bool LensPainter::prepare(const std::vector<Entry>& entries, const media::Box& box, RayTile& tile,
                          std::vector<RayCard>& cards, bool whole) {
    std::vector<Seen> seen;
    for (const Entry& entry : entries)
        if (!entry.fill && !entry.box.within(box).empty() && !add(entry, box, tile, whole, seen))
            return false;
    for (const Entry& entry : entries)
        tile.simple = tile.simple && (!entry.fill || isLaidOver(entry.blend));
    order(seen, box, tile);
    fillGaps(entries, box, tile, seen, cards);
    return true;
}

/// The cards, with what fills space between those that it is seen between; where they are not in order, slice
/// by slice after all of them.
void LensPainter::fillGaps(const std::vector<Entry>& entries, const media::Box& box, const RayTile& tile,
                           std::vector<Seen>& seen, std::vector<RayCard>& cards) {
    std::vector<std::pair<scene::Blend, std::vector<const Fill*>>> kinds(1); // what is mixed together first
    std::vector<const Fill*> all;
    for (const Entry& entry : entries) {
        if (!entry.fill || entry.box.within(box).empty()) continue;
        if (const auto [low, high] = entry.fill->nearnessIn(box); low > high) continue;
        all.push_back(entry.fill.get());
        if (isLaidOver(entry.blend))
            kinds.front().second.push_back(entry.fill.get());
        else
            kinds.push_back({entry.blend, {entry.fill.get()}});
    }
    const auto put = [&](const Gap& gap, const std::optional<DepthRange>& among) {
        std::vector<Gap> parts{gap};
        if (among || kinds.size() > 1) parts = slicesOf(all, gap, among);
        for (const Gap& part : parts)
            for (const auto& [blend, fills] : kinds)
                if (!fills.empty()) addGap({part, fills}, blend, cards);
    };
    if (!tile.ordered && !all.empty()) {
        DepthRange among(1e300, 0);
        for (Seen& each : seen) {
            const auto [low, high] = nearnessIn(each.entry->plane, box.x0, box.y0, box.x1, box.y1);
            among.first = std::min(among.first, low), among.second = std::max(among.second, high);
            cards.push_back(std::move(each.card));
        }
        // The lens's rim and the exposure see them somewhat nearer or farther.
        return put({box}, DepthRange(among.first / 1.5, among.second * 1.5));
    }
    for (std::size_t i = 0; i <= seen.size(); ++i) {
        const bool last = i == seen.size();
        if (!all.empty() && !(last && i > 0 && seen[i - 1].opaque))
            put({box, i == 0 ? nullptr : &seen[i - 1].entry->plane, last ? nullptr : &seen[i].entry->plane},
                {});
        if (!last) cards.push_back(std::move(seen[i].card));
    }
}

/// As the whole lens sees it, the same for every ray.
void LensPainter::addGap(const FilledGap& filled, scene::Blend blend, std::vector<RayCard>& cards) {
    RayCard card;
    const Gap& gap = filled.gap;
    if (std::none_of(filled.fills.begin(), filled.fills.end(),
                     [&](const Fill* fill) { return fill->isIn(gap); }))
        return;
    card.nearness = static_cast<float>(nearnessOf(filled));
    card.w = {1, 0, 0};
    card.blend = blend;
    if (m_effort.truth) {
        card.filled = std::make_shared<FilledGap>(filled);
    } else {
        Canvas& canvas = spare();
        canvas.clear(gap.box.x1 - gap.box.x0, gap.box.y1 - gap.box.y0);
        paintUnder(filled.fills, gap, canvas);
        card.fixed = canvas.rgba;
    }
    cards.push_back(std::move(card));
}

/// Nearest first; what lies behind an opaque one goes.
void LensPainter::order(std::vector<Seen>& seen, const media::Box& box, RayTile& tile) {
    std::reverse(seen.begin(), seen.end());
    std::stable_sort(seen.begin(), seen.end(), [](const Seen& a, const Seen& b) {
        return a.nearness > b.nearness + 1e-9 * std::abs(b.nearness);
    });
    bool ordered = true;
    for (std::size_t i = 1; i < seen.size() && ordered; ++i)
        ordered =
            seen[i - 1].entry == seen[i].entry || // a mesh, and what of it is met behind that
            infront(seen[i - 1].entry->plane, seen[i].entry->plane, seen[i - 1].entry > seen[i].entry, box);
    if (!ordered) {
        tile.ordered = false;
        return;
    }
    const auto hides = std::find_if(seen.begin(), seen.end(), [](const Seen& each) { return each.opaque; });
    if (hides != seen.end()) seen.erase(hides + 1, seen.end());
}

/// What all cards have of their plane.
RayCard LensPainter::cardOf(const Entry& entry, const media::Box& box) {
    const Plane& plane = entry.plane;
    const double cx = box.x0 + 0.5, cy = box.y0 + 0.5;
    RayCard card;
    card.opacity = entry.opacity;
    card.blend = entry.blend;
    card.of = &entry;
    card.level = plane.level;
    const Projective& m = plane.pinhole;
    const double w = m.w.at(cx, cy);
    card.nearness = static_cast<float>(w);
    const double each = eachOf(plane, box);
    card.w = over(m.w, cx, cy, each);
    card.rw = static_cast<float>(plane.right.w.a * each);
    card.uw = static_cast<float>(plane.up.w.a * each);
    card.perRight = static_cast<float>(plane.perRight);
    card.perUp = static_cast<float>(plane.perUp);
    return card;
}

/// False: too steep for a box of this size.
bool LensPainter::add(const Entry& entry, const media::Box& box, RayTile& tile, bool whole,
                      std::vector<Seen>& seen) {
    const Plane& plane = entry.plane;
    Seen here{&entry, cardOf(entry, box), nearnessAt(plane, (box.x0 + box.x1) / 2.0, (box.y0 + box.y1) / 2.0),
              false};
    if (!entry.group.empty()) {
        if (!prepare(entry.group, box, tile, here.card.group, whole)) return false;
        if (here.card.group.empty()) return true;
        tile.simple = false;
        seen.push_back(std::move(here));
        return true;
    }
    const Reach reach = reachOf(plane, box.x0, box.y0, box.x1, box.y1, Through::Lens);
    if (reach.off) return true;
    tile.simple = tile.simple && entry.blend == scene::Blend::Normal;
    if (reach.behind > 0 && !whole) return false;
    if (!plane.bent()) return addFlat(std::move(here), reach, box, tile, whole, seen);
    const bool twice = mesh(entry, reach, box, here.card);
    if (twice) { // behind what is met first of it, as another card
        Seen second{&entry, here.card, here.nearness, false};
        second.card.behind = true;
        seen.push_back(std::move(second));
    }
    seen.push_back(std::move(here));
    return true;
}

/// How a flat card is read in a box: by its disc in the middle, and as the pinhole would at its finest
/// corner.
struct LensPainter::Reading {
    double lod = 1e9, disc = 0; ///< the finest level, and the largest disc, at the corners
    Footprint widest;
    bool small = false; ///< its discs
    int level = 0;
};

LensPainter::Reading LensPainter::readingOf(const Plane& plane, const media::Box& box) const {
    Reading reading;
    for (const double x : {static_cast<double>(box.x0), static_cast<double>(box.x1)})
        for (const double y : {static_cast<double>(box.y0), static_cast<double>(box.y1)}) {
            const Footprint print = footprintAt(plane, x, y);
            reading.lod = std::min(reading.lod, print.lod);
            if (print.taps > reading.widest.taps) reading.widest = print;
            reading.disc = std::max(reading.disc, discAt(plane, x, y));
        }
    reading.small = reading.disc < smallDisc;
    const double middle = discAt(plane, (box.x0 + box.x1) / 2.0, (box.y0 + box.y1) / 2.0);
    const double fine =
        reading.small ? reading.lod
                      : std::floor(std::min<double>(lodOfDisc(middle, std::exp2(reading.lod), m_effort.rays),
                                                    plane.top) +
                                   0.5);
    reading.level = std::clamp(static_cast<int>(std::floor(fine)), 0, plane.top);
    return reading;
}

bool LensPainter::addFlat(Seen here, const Reach& reach, const media::Box& box, RayTile& tile, bool whole,
                          std::vector<Seen>& seen) {
    const Entry& entry = *here.entry;
    const Plane& plane = entry.plane;
    // Where it meets the horizon, or spans too much to be laid out: as a pinhole sees it.
    const auto plainly = [&] {
        Canvas& canvas = spare();
        sampleBox(plane, *entry.pixels, m_air, box, canvas);
        here.card.fixed = canvas.rgba;
        if (reach.behind > 0) tile.ordered = false;
        seen.push_back(std::move(here));
        return true;
    };
    if (reach.behind > 0) return plainly();
    const Reading reading = readingOf(plane, box);
    const Footprint& widest = reading.widest;
    Reach grown = reach;
    grown.u0 -= widest.taps * grown.marginU, grown.u1 += widest.taps * grown.marginU;
    grown.v0 -= widest.taps * grown.marginV, grown.v1 += widest.taps * grown.marginV;
    const Presence presence = presenceOf(plane, *entry.pixels, grown, reading.level);
    if (presence == Presence::Nothing) return true;
    here.opaque = presence == Presence::Opaque && entry.opacity == 1 && entry.blend == scene::Blend::Normal;
    if (reading.disc <= noDisc && plane.still) {
        const Reach sharp = reachOf(plane, box.x0, box.y0, box.x1, box.y1, Through::Pinhole);
        if (sharp.off) return true;
        if (!paintFixed(entry, sharp, box, here.card)) return whole && plainly();
    } else {
        const double shrink = std::ldexp(1.0, -reading.level);
        if ((reach.u1 - reach.u0) * shrink * (reach.v1 - reach.v0) * shrink > mostTexels)
            return whole && plainly();
        layOut(entry, reach, reading, box, presence == Presence::Opaque, here.card);
    }
    seen.push_back(std::move(here));
    return true;
}

/// A card that is the same for every ray is painted once. False where its texels cannot be laid out.
bool LensPainter::paintFixed(const Entry& entry, const Reach& sharp, const media::Box& box, RayCard& card) {
    const Timed timed(Stage::Sample);
    const int width = box.x1 - box.x0, height = box.y1 - box.y0;
    std::optional<Brush> brush =
        brushOf(entry.plane, *entry.pixels, sharp, box.x0, box.y0, width, height, m_arena);
    if (!brush) return false;
    brush->air = m_air.from(box.x0, box.y0);
    brush->hazy = m_air.density > 0;
    Canvas& canvas = spare();
    canvas.clear(width, height);
    paintUnder(*brush, canvas);
    card.fixed = canvas.rgba;
    return true;
}

/// Lays out the texels that rays of the box may read, with where each ray reads them. opaque: all of them
/// are.
void LensPainter::layOut(const Entry& entry, const Reach& reach, const Reading& reading,
                         const media::Box& box, bool opaque, RayCard& card) {
    const Plane& plane = entry.plane;
    const Footprint& widest = reading.widest;
    const int level = reading.level;
    const double shrink = std::ldexp(1.0, -level), cx = box.x0 + 0.5, cy = box.y0 + 0.5,
                 each = eachOf(plane, box);
    const double spanU = std::abs(widest.du) * widest.taps / 2, spanV = std::abs(widest.dv) * widest.taps / 2;
    const auto take = [&](int n) {
        return m_arena.take(plane, *entry.pixels, n, texelsAround(reach, spanU, spanV, n));
    };
    card.fine = take(level);
    if (const int sharp = std::clamp(static_cast<int>(std::floor(reading.lod)) + 1, 0, plane.top);
        m_glints && sharp < level) {
        card.sharp = take(sharp);
        card.sharper = static_cast<float>(std::ldexp(1.0, level - sharp));
    }
    if (m_tracing && reading.small && level < plane.top && reading.lod - level > 0.01) {
        card.between = static_cast<float>(reading.lod - level);
        card.coarse = take(level + 1);
    }
    const auto local = [&](const Projective& of, double origin, Linear Projective::*which) {
        return over((of.*which) * shrink - of.w * (origin + 0.5), cx, cy, each);
    };
    const auto x0 = static_cast<double>(card.fine.x0), y0 = static_cast<double>(card.fine.y0);
    card.u = local(plane.pinhole, x0, &Projective::u), card.v = local(plane.pinhole, y0, &Projective::v);
    card.ru = local(plane.right, x0, &Projective::u), card.rv = local(plane.right, y0, &Projective::v);
    card.uu = local(plane.up, x0, &Projective::u), card.uv = local(plane.up, y0, &Projective::v);
    card.still = plane.still;
    if (!plane.still) {
        card.tu = local(plane.drift, x0, &Projective::u), card.tv = local(plane.drift, y0, &Projective::v);
        card.ttu = local(plane.curve, x0, &Projective::u), card.ttv = local(plane.curve, y0, &Projective::v);
        card.tw = over(plane.drift.w, cx, cy, each), card.ttw = over(plane.curve.w, cx, cy, each);
        card.level = false; // w changes over time
    }
    if (widest.taps > 1) {
        card.du = static_cast<float>(widest.du * widest.taps * shrink);
        card.dv = static_cast<float>(widest.dv * widest.taps * shrink);
    }
    card.edges = edgesOf(plane, reach, card.fine, level,
                         coversAt(plane, (box.x0 + box.x1) / 2.0, (box.y0 + box.y1) / 2.0));
    card.air = m_air.from(box.x0, box.y0);
    card.hazy = m_air.density > 0;
    if (m_tracing) {
        if (!opaque) m_occupancy.survey(card.fine);
        findPresent(opaque ? nullptr : &m_occupancy, box.x1 - box.x0, box.y1 - box.y0, card);
    }
}

bool LensPainter::mesh(const Entry& entry, const Reach& reach, const media::Box& box, RayCard& card) {
    const Plane& plane = entry.plane;
    card.mesh = &plane;
    // Looked at in a few places: how finely, and whether a ray meets it again behind.
    double lod = 1e9, disc = 0, reachU = 1, reachV = 1;
    bool twice = false;
    constexpr int steps = 4;
    for (int j = 0; j <= steps; ++j)
        for (int i = 0; i <= steps; ++i) {
            const V2d at(box.x0 + (box.x1 - box.x0) * i / static_cast<double>(steps),
                         box.y0 + (box.y1 - box.y0) * j / static_cast<double>(steps));
            const auto here = plane.mesh->meet(plane.view, at),
                       right = plane.mesh->meet(plane.view, at + V2d(0.25, 0)),
                       below = plane.mesh->meet(plane.view, at + V2d(0, 0.25));
            if (!here) continue;
            twice = twice || plane.mesh->meet(plane.view, at, here->depth * 1.0001);
            disc = std::max(disc, discAt(plane, at.x, at.y));
            if (!right || !below) continue;
            const auto change = [&](const optics::Meeting& there, double& du, double& dv) {
                du = (there.s - here->s) * plane.size.x * 4, dv = (there.t - here->t) * plane.size.y * 4;
            };
            double ux = 0, vx = 0, uy = 0, vy = 0;
            change(*right, ux, vx);
            change(*below, uy, vy);
            lod = std::min(lod, footprintOf(plane, ux, uy, vx, vy).lod);
            reachU = std::hypot(ux, uy), reachV = std::hypot(vx, vy);
        }
    if (lod > 1e8) lod = 0;
    const double wanted =
        std::min<double>(std::max(lod, lodOfDisc(disc, std::exp2(lod), m_effort.rays)), plane.top);
    int level = static_cast<int>(std::floor(wanted + (disc < smallDisc ? 0.3 : 0.5)));
    const double texels = (reach.u1 - reach.u0) * (reach.v1 - reach.v0);
    while (level < plane.top && texels * std::ldexp(1.0, -2 * level) > mostTexels)
        ++level;
    card.fine = m_arena.take(plane, *entry.pixels, level, texelsAround(reach, 0, 0, level));
    card.scaleU = static_cast<float>(std::ldexp(plane.size.x, -level));
    card.scaleV = static_cast<float>(std::ldexp(plane.size.y, -level));
    card.edges = edgesOf(plane, reach, card.fine, level, {reachU, reachV});
    card.edges.any = true; // some rays may miss it
    card.air = m_air.from(box.x0, box.y0);
    card.hazy = m_air.density > 0;
    return twice;
}

void LensPainter::paint(const Entries& entries, const media::Box& box, const float* ground, Canvas& canvas,
                        const std::stop_token& stop) {
    const Timed timed(Stage::Lens);
    RayTile tile = tileOf(box);
    std::copy_n(ground, 4, tile.ground);
    const auto glints = glintsOn(entries, box);
    m_glints = !glints.empty();
    m_arena.reset();
    m_spared = 0;
    m_tracing = true;
    std::vector<RayCard> cards;
    const bool small = std::max(tile.width, tile.height) <= smallestPart;
    if (!prepare(entries.list, box, tile, cards, small))
        return paintByParts(box, canvas, [&](const media::Box& part, Canvas& own) {
            paint(entries, part, ground, own, stop);
        });
    canvas.clear(tile.width, tile.height);
    traceRays(tile, cards, canvas, stop);
    addSeen(glints, tile, cards, canvas);
}

void LensPainter::addSeen(std::vector<const Glint*> glints, const RayTile& tile,
                          const std::vector<RayCard>& cards, Canvas& canvas) {
    // Where its own card is not among what is seen, something opaque is in front of it.
    std::erase_if(glints, [&](const Glint* glint) {
        return std::none_of(cards.begin(), cards.end(),
                            [&](const RayCard& card) { return card.of == glint->of; });
    });
    if (!glints.empty()) render::addGlints(tile, cards, glints, canvas);
}

void LensPainter::addGlints(const Entries& entries, const media::Box& box, Canvas& canvas) {
    const Timed timed(Stage::Lens);
    const auto glints = glintsOn(entries, box);
    if (glints.empty()) return;
    m_glints = true;
    m_arena.reset();
    m_spared = 0;
    m_tracing = false;
    RayTile tile = tileOf(box);
    std::vector<RayCard> cards;
    prepare(entries.list, box, tile, cards, true);
    addSeen(glints, tile, cards, canvas);
}

RayTile LensPainter::tileOf(const media::Box& box) const {
    RayTile tile;
    tile.points = &m_points;
    tile.opening = m_opening;
    tile.x0 = box.x0, tile.y0 = box.y0;
    tile.width = box.x1 - box.x0, tile.height = box.y1 - box.y0;
    tile.paint = m_blending == scene::Blending::Paint;
    tile.simple = !tile.paint;
    tile.noise = static_cast<float>(m_effort.noise);
    if (m_effort.counts) tile.counts = m_effort.counts + box.y0 * m_effort.width + box.x0;
    tile.countsStride = m_effort.width;
    return tile;
}

std::vector<const Glint*> LensPainter::glintsOn(const Entries& entries, const media::Box& box) {
    std::vector<const Glint*> glints;
    for (const Glint& glint : entries.glints) {
        const float reach = std::abs(glint.radius) + 1;
        if (glint.x + reach > static_cast<float>(box.x0) && glint.x - reach < static_cast<float>(box.x1) &&
            glint.y + reach > static_cast<float>(box.y0) && glint.y - reach < static_cast<float>(box.y1))
            glints.push_back(&glint);
    }
    return glints;
}

}
