#include "render/entry.h"

#include "cutout/source.h"
#include "media/parallel.h"
#include "render/air_fill.h"
#include "render/lens_points.h"
#include "render/light_alone.h"
#include "render/particle_fill.h"
#include "scene/timing.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>
#include <set>

namespace stage::render {

Air airOf(const motion::Frame& frame) {
    const scene::Colour& haze = frame.haze.colour;
    return {{static_cast<float>(haze.r), static_cast<float>(haze.g), static_cast<float>(haze.b)},
            static_cast<float>(frame.haze.density),
            static_cast<float>(frame.haze.start),
            static_cast<float>(frame.view.centre.x),
            static_cast<float>(frame.view.centre.y),
            static_cast<float>(1 / frame.view.slope)};
}

media::Box regionOf(const motion::Frame& frame, const Quality& quality) {
    const media::Box all = media::boxOf(frame.size);
    if (quality.region.empty()) return all;
    // Whole pieces, so that every pixel is the same whatever the region.
    const auto down = [](int at) { return at / pieceSide * pieceSide; };
    const media::Box asked = quality.region.within(all);
    return media::Box{down(asked.x0), down(asked.y0), down(asked.x1 + pieceSide - 1),
                      down(asked.y1 + pieceSide - 1)}
        .within(all);
}

int raysRead(const Quality& quality) {
    if (quality.method != Method::Final || !(quality.noise > 0)) return quality.samples;
    // So many leave about that noise in what is out of focus.
    return std::min(static_cast<int>(std::clamp(0.15 / quality.noise, 1.0 * RayPoints::step, 64.0)),
                    quality.samples);
}

namespace {

LensSampling readingOf(const Quality& quality) {
    return {quality.method != Method::Pinhole, quality.method == Method::Draft ? 0 : raysRead(quality)};
}

/// So that a coarser level costs less.
bool isMadeAtEachLevel(const media::PixelSource& source) {
    return source.granularity() == media::PixelSource::Granularity::EveryLevel;
}

constexpr std::size_t mostGlints = 20'000;

media::PyramidPtr hatched(V2i size) {
    // Small: the card is the right size whatever its picture has.
    const int w = std::clamp(size.x, 1, 256), h = std::clamp(size.y, 1, 256);
    media::Raster raster(V2i(w, h));
    for (int y = 0; y < h; ++y) {
        for (int x = 0; x < w; ++x) {
            const bool edge = x < 3 || y < 3 || x >= w - 3 || y >= h - 3;
            const float v = edge ? 0.5f : (x + y) / 12 % 2 ? 0.16f : 0.10f;
            const float rgba[4] = {v, v, v, 1};
            for (int c = 0; c < 4; ++c)
                raster.row(y)[4 * x + c] = rgba[c];
        }
    }
    return media::makePyramid(raster);
}

/// Pixels of the frame that a card may be seen in, through the whole lens and exposure. Looked for coarsely:
/// a box of the frame at a time.
media::Box boxOf(const Plane& plane, const media::Box& frame, Through through) {
    constexpr int steps = 8;
    media::Box box{frame.x1, frame.y1, frame.x0, frame.y0};
    if (!plane.bent() &&
        plane.still) { // that of its corners, each with its disc, if all are in front of the eye
        bool ahead = true;
        for (const V3d& corner : plane.card.outline()) {
            const auto at = optics::project(plane.view, corner);
            const double depth = optics::depthOf(plane.view, corner);
            ahead = ahead && at && depth > 2 * plane.view.aperture;
            if (!ahead) break;
            const double disc = through == Through::Lens ? plane.view.aperture * plane.view.slope *
                                                               std::abs(1 / plane.view.focus - 1 / depth)
                                                         : 0;
            const auto whole = [](double v) {
                return static_cast<int>(std::clamp(std::floor(v), -1e8, 1e8));
            };
            box.x0 = std::min(box.x0, whole(at->x - disc) - 2),
            box.x1 = std::max(box.x1, whole(at->x + disc) + 3);
            box.y0 = std::min(box.y0, whole(at->y - disc) - 2),
            box.y1 = std::max(box.y1, whole(at->y + disc) + 3);
        }
        if (ahead) return box.within(frame);
        box = {};
    }
    const V2i size = frame.size();
    for (int j = 0; j < steps; ++j)
        for (int i = 0; i < steps; ++i) {
            const media::Box part{frame.x0 + size.x * i / steps, frame.y0 + size.y * j / steps,
                                  frame.x0 + size.x * (i + 1) / steps, frame.y0 + size.y * (j + 1) / steps};
            if (part.empty() || reachOf(plane, part.x0, part.y0, part.x1, part.y1, through).off) continue;
            box = box.with(part);
        }
    return box;
}

/// A flat card that is smaller than a pixel, as one of the same middle and area that lies straight in the
/// frame: however it falls between pixels, what it adds to them then sums up to its area.
std::optional<optics::Surface> straightened(const optics::Surface& card, const optics::View& view) {
    V2d low(1e300), high(-1e300), middle(0);
    const std::vector<V3d> outline = card.outline();
    std::vector<V2d> places;
    for (const V3d& corner : outline) {
        const auto at = optics::project(view, corner);
        if (!at) return {};
        places.push_back(*at);
        low = {std::min(low.x, at->x), std::min(low.y, at->y)};
        high = {std::max(high.x, at->x), std::max(high.y, at->y)};
        middle += *at / static_cast<double>(outline.size());
    }
    const V2d size = high - low;
    if (!(size.x < 1 && size.y < 1)) return {};
    double area = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
        const V2d a = places[i] - middle, b = places[(i + 1) % places.size()] - middle;
        area += (a.x * b.y - a.y * b.x) / 2;
    }
    const double k = std::sqrt(std::abs(area) / std::max(size.x * size.y, 1e-30));
    const double depth = optics::depthOf(view, card.at(0.5, 0.5));
    const auto at = [&](double x, double y) {
        return view.eye + optics::rayThrough(view, middle + V2d(x * size.x, y * size.y) * (k / 2)) * depth;
    };
    optics::Surface straight;
    straight.corner = at(-1, -1);
    straight.across = at(1, -1) - straight.corner;
    straight.down = at(-1, 1) - straight.corner;
    straight.front = -view.forward;
    return straight;
}

/// A picture that is gone in a moment.
void hurry(Plane& plane) {
    plane.smaller = 1;
    plane.mixedFrom = 0.35, plane.mixedTo = 0.65;
}
/// And one whose texels have to be made for it: a quarter of them, rather of the coarser level.
void readCoarsely(Plane& plane) {
    plane.coarse = 2, plane.finest = 1;
    plane.mixedFrom = 0.3, plane.mixedTo = 0.5;
}

Plane seen(const motion::Item& item, const motion::Frame& frame, const Quality& quality, V2i size) {
    const scene::Extensions& on = item.layer->hanging.extensions;
    optics::View view = frame.view;
    if (quality.method == Method::Pinhole) view.aperture = 0;
    const bool exposed = frame.exposed && quality.method != Method::Pinhole;
    if (item.card.bend == 0 && size.x > 0)
        if (const auto small = straightened(item.card, view)) {
            Plane plane = planeOf(*small, view, size);
            if (quality.hurried) hurry(plane);
            if (exposed)
                expose(plane, {straightened(item.open, frame.open).value_or(item.open), frame.open},
                       {straightened(item.close, frame.close).value_or(item.close), frame.close});
            return plane;
        }
    Plane plane = planeOf(item.card, view, size, on);
    if (quality.hurried) hurry(plane);
    if (exposed) expose(plane, {item.open, frame.open}, {item.close, frame.close});
    return plane;
}

/// The entries without their pixels, which `wanted` lists: by address, since each is read on its own.
struct Wanted {
    Entry* entry;
    const motion::Item* item;
};
std::vector<Entry> laidOut(const std::vector<motion::Item>& items, const motion::Frame& frame,
                           const Quality& quality, std::vector<Wanted>& wanted) {
    const media::Box region = regionOf(frame, quality);
    std::vector<Entry> entries(items.size()); // they stay where they are
    const Through through = quality.method == Method::Pinhole ? Through::Pinhole : Through::Lens;
    for (std::size_t i = 0; i < items.size(); ++i) {
        const motion::Item& item = items[i];
        Entry& entry = entries[i];
        entry.opacity = static_cast<float>(item.opacity);
        entry.blend = item.blend;
        entry.box = region;
        if (item.flattened) {
            entry.group = laidOut(item.items, frame, quality, wanted);
            entry.plane = seen(item, frame, quality, {0, 0});
        } else if (item.box) {
            entry.opacity = 1; // its own is in what fills it
            wanted.push_back({&entry, &item});
        } else {
            entry.source = cutout::sourceOf(*item.pixels);
            entry.plane = seen(item, frame, quality, entry.source->size());
            entry.box = boxOf(entry.plane, region, through);
            wanted.push_back({&entry, &item});
        }
    }
    return entries;
}

Result<FillPtr> fillOf(const motion::Item& item, const motion::Frame& frame, const Quality& quality,
                       const Air& air, media::PixelCache& cache, const Progress& progress) {
    if (std::holds_alternative<scene::Cloud>(item.layer->content))
        return cloudFill(item, frame, quality, air);
    auto fill = particleFill(item, frame, quality, air, cache, progress);
    if (!fill && !fill.error().cancelled)
        return fail("Layer '" + item.layer->name + "': " + fill.error().sentence);
    return fill;
}

/// Lays the frame out and reads its pictures, several at a time.
Result<std::vector<Entry>> gather(const motion::Frame& frame, const Quality& quality,
                                  media::PixelCache& cache, const Progress& progress) {
    std::vector<Wanted> wanted;
    std::vector<Entry> entries = laidOut(frame.items, frame, quality, wanted);
    const Air air = airOf(frame);
    // Over what is opaque all over, to be added is to be laid over it without hiding anything, which is read
    // and traced as fast as any other; haze would be added with what it veils.
    if (frame.background.a == 1 && frame.blending == scene::Blending::Light && air.density == 0)
        for (Entry& entry : entries)
            if (entry.source && entry.blend == scene::Blend::Add) {
                entry.source = lightAlone(std::move(entry.source));
                entry.blend = scene::Blend::Normal;
            }
    for (const Wanted& each : wanted)
        if (each.item->box) {
            auto fill = fillOf(*each.item, frame, quality, air, cache, progress);
            if (!fill) return tl::unexpected(fill.error());
            each.entry->fill = std::move(*fill);
        }
    std::erase_if(wanted, [](const Wanted& each) { return each.item->box.has_value(); });
    std::vector<Result<media::PyramidPtr>> pixels(wanted.size());
    media::inParallel(std::size_t{0}, wanted.size(), [&](std::size_t i) {
        Entry& entry = *wanted[i].entry;
        if (progress.stopped()) {
            pixels[i] = cancelled();
            return;
        }
        media::Need need = needOf(entry.plane, entry.box, readingOf(quality));
        if (quality.hurried && !entry.plane.bent() && isMadeAtEachLevel(*entry.source) &&
            cache.missing(entry.source, need) > 0.5) {
            readCoarsely(entry.plane);
            need = needOf(entry.plane, entry.box, readingOf(quality));
        }
        pixels[i] = cache.pyramid(entry.source, need, {{}, progress.stop});
    });
    const Through through = quality.method == Method::Pinhole ? Through::Pinhole : Through::Lens;
    for (std::size_t i = 0; i < wanted.size(); ++i) {
        const auto& [at, item] = wanted[i];
        Entry& entry = *at;
        if (pixels[i]) {
            entry.pixels = std::move(*pixels[i]);
            continue;
        }
        if (pixels[i].error().cancelled) return tl::unexpected(pixels[i].error());
        if (!quality.placeholders)
            return fail("Layer '" + item->layer->name + "': " + pixels[i].error().sentence);
        entry.source = nullptr;
        entry.pixels = hatched(item->layer->pixels);
        entry.plane = seen(*item, frame, quality, entry.pixels->levels.front().size);
        entry.box = boxOf(entry.plane, regionOf(frame, quality), through);
    }
    const auto addAir = [&](FillPtr fill, scene::Blend blend) {
        if (!fill) return;
        Entry entry;
        entry.box = regionOf(frame, quality);
        entry.fill = std::move(fill);
        entry.blend = blend;
        entries.push_back(std::move(entry));
    };
    addAir(mistFill(frame, quality), scene::Blend::Normal);
    addAir(haloFill(frame), scene::Blend::Add);
    return entries;
}

/// Takes the glints out of what is blurred enough for them to be grainy. Where something is mixed other than
/// as light over light, they cannot be told from what is mixed, and stay.
Result<void> takeGlints(Entries& entries, const motion::Frame& frame, const Quality& quality,
                        media::PixelCache& cache, const Progress& progress) {
    constexpr double leastDisc = 5; // px
    const std::function<bool(const std::vector<Entry>&)> plain = [&](const std::vector<Entry>& list) {
        return std::all_of(list.begin(), list.end(), [&](const Entry& entry) {
            return (entry.blend == scene::Blend::Normal || entry.blend == scene::Blend::Add) &&
                   plain(entry.group);
        });
    };
    if (frame.blending == scene::Blending::Paint || !plain(entries.list)) return {};
    const double share = openingShare({frame.iris.blades, 0});
    const media::Box region = regionOf(frame, quality);
    const Air air = airOf(frame);
    const Progress stopped{{}, progress.stop};
    for (Entry& entry : entries.list) {
        if (!entry.source || entry.box.empty() || entry.plane.bent() || entry.blend != scene::Blend::Normal)
            continue;
        const double disc = std::max({discAt(entry.plane, entry.box.x0, entry.box.y0),
                                      discAt(entry.plane, entry.box.x1, entry.box.y1),
                                      discAt(entry.plane, entry.box.x0, entry.box.y1),
                                      discAt(entry.plane, entry.box.x1, entry.box.y0)});
        if (disc < leastDisc) continue;
        const Reach reach = reachOf(entry.plane, region.x0, region.y0, region.x1, region.y1, Through::Lens);
        if (reach.behind > 0) continue;
        media::Need finest(entry.plane.size);
        finest.add(0, media::Box{static_cast<int>(std::max(0.0, reach.u0)),
                                 static_cast<int>(std::max(0.0, reach.v0)),
                                 static_cast<int>(std::min<double>(entry.plane.size.x, reach.u1)) + 1,
                                 static_cast<int>(std::min<double>(entry.plane.size.y, reach.v1)) + 1});
        const auto all = cache.pyramid(entry.source, finest, stopped);
        if (!all) return tl::unexpected(all.error());
        const auto& tiles = (*all)->levels.front().tiles;
        const bool any = std::any_of(tiles.begin(), tiles.end(), [](const media::TilePtr& tile) {
            return tile && float(tile->most) > glintFloor;
        });
        if (!any) continue;
        const auto bright = cache.pyramid(glintsAlone(entry.source), finest, stopped);
        if (!bright) return tl::unexpected(bright.error());
        const std::size_t before = entries.glints.size();
        throwGlints(entry.plane, **bright, frame.size, share, quality.method == Method::Draft ? 12 : 32,
                    &entry, entries.glints);
        if (entries.glints.size() > mostGlints) { // a field of stars is sampled like anything else
            entries.glints.resize(before);
            continue;
        }
        entry.dimmed = true;
        for (std::size_t i = before; i < entries.glints.size(); ++i) {
            Glint& glint = entries.glints[i];
            float through[4] = {1, 1, 1, 0};
            if (air.density > 0)
                throughAir(air, glint.x, glint.y, static_cast<double>(glint.nearness), through);
            for (int c = 0; c < 3; ++c)
                glint.rgb[c] *= entry.opacity * through[0];
        }
    }
    if (entries.glints.empty()) return {};
    // What they are seen past is read finely there.
    constexpr int side = 64;
    std::set<std::pair<int, int>> cells;
    for (const Glint& glint : entries.glints) {
        const float reach = std::abs(glint.radius) + 1;
        const auto cell = [&](float at, int size) {
            return std::clamp(static_cast<int>(at), 0, size - 1) / side;
        };
        for (int y = cell(glint.y - reach, frame.size.y); y <= cell(glint.y + reach, frame.size.y); ++y)
            for (int x = cell(glint.x - reach, frame.size.x); x <= cell(glint.x + reach, frame.size.x); ++x)
                cells.insert({y, x});
    }
    std::vector<media::Box> boxes;
    for (const auto& [y, x] : cells)
        boxes.push_back(
            media::Box{x * side, y * side, (x + 1) * side, (y + 1) * side}.within(media::boxOf(frame.size)));
    const std::function<Result<void>(std::vector<Entry>&)> refine =
        [&](std::vector<Entry>& list) -> Result<void> {
        for (Entry& entry : list) {
            if (auto done = refine(entry.group); !done) return done;
            if (!entry.source || entry.plane.bent()) continue;
            media::Need need = needOf(entry.plane, entry.box, readingOf(quality));
            needFinely(entry.plane, boxes, need);
            auto pixels =
                cache.pyramid(entry.dimmed ? withoutGlints(entry.source) : entry.source, need, stopped);
            if (!pixels) return tl::unexpected(pixels.error());
            entry.pixels = std::move(*pixels);
        }
        return {};
    };
    return refine(entries.list);
}

}

Result<Entries> entriesOf(const motion::Frame& frame, const Quality& quality, media::PixelCache& cache,
                          const Progress& progress) {
    const Timed timed(Stage::Lay);
    auto list = gather(frame, quality, cache, progress);
    if (!list) return tl::unexpected(list.error());
    Entries entries{std::move(*list), {}};
    if (quality.method == Method::Final || (quality.method == Method::Draft && !quality.hurried))
        if (auto taken = takeGlints(entries, frame, quality, cache, progress); !taken)
            return tl::unexpected(taken.error());
    return entries;
}

}
