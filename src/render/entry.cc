#include "render/entry.h"

#include "cutout/source.h"

#include <algorithm>
#include <cmath>

namespace stage::render {
namespace {

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

/// Pixels of the frame that a card may be seen in, through the whole lens and exposure. Looked for coarsely: a
/// box of the frame at a time.
media::Box boxOf(const Plane& plane, V2i frame, Through through) {
    constexpr int steps = 8;
    media::Box box{frame.x, frame.y, 0, 0};
    for (int j = 0; j < steps; ++j)
        for (int i = 0; i < steps; ++i) {
            const media::Box part{frame.x * i / steps, frame.y * j / steps, frame.x * (i + 1) / steps,
                                  frame.y * (j + 1) / steps};
            if (part.empty() || reachOf(plane, part.x0, part.y0, part.x1, part.y1, through).off) continue;
            box.x0 = std::min(box.x0, part.x0), box.x1 = std::max(box.x1, part.x1);
            box.y0 = std::min(box.y0, part.y0), box.y1 = std::max(box.y1, part.y1);
        }
    return box;
}

Plane seen(const motion::Item& item, const motion::Frame& frame, const Quality& quality, V2i size) {
    const scene::Extensions& on = item.layer->hanging.extensions;
    const auto through = [&](const optics::Card& card, optics::View view) {
        if (quality.way == Way::Pinhole) view.aperture = 0;
        return planeOf(card, view, size, on);
    };
    Plane plane = through(item.card, frame.view);
    if (frame.exposed && quality.way != Way::Pinhole)
        expose(plane, through(item.open, frame.open), through(item.close, frame.close));
    return plane;
}

Result<std::vector<Entry>> gather(const std::vector<motion::Item>& items, const motion::Frame& frame,
                                         const Quality& quality, media::PixelCache& cache,
                                         const Progress& progress) {
    std::vector<Entry> entries;
    const int samples = quality.way == Way::Pinhole ? 0 : quality.way == Way::Draft ? 128 : quality.samples;
    const Through through = quality.way == Way::Pinhole ? Through::Pinhole : Through::Lens;
    for (const motion::Item& item : items) {
        if (progress.stopped()) return cancelled();
        Entry entry;
        entry.opacity = static_cast<float>(item.opacity);
        entry.blend = item.blend;
        entry.box = media::boxOf(frame.size);
        if (item.flattened) {
            auto group = gather(item.items, frame, quality, cache, progress);
            if (!group) return group;
            entry.group = std::move(*group);
            entry.plane = seen(item, frame, quality, {0, 0});
        } else {
            const media::PixelSourcePtr source = cutout::sourceOf(*item.pixels);
            entry.plane = seen(item, frame, quality, source->size());
            auto pixels = cache.pyramid(source, needOf(entry.plane, frame.size, samples), {{}, progress.stop});
            if (!pixels && pixels.error().cancelled) return tl::unexpected(pixels.error());
            if (!pixels && !quality.placeholders)
                return fail("Layer '" + item.layer->name + "': " + pixels.error().sentence);
            if (pixels) {
                entry.pixels = *pixels;
            } else {
                entry.pixels = hatched(item.layer->pixels);
                entry.plane = seen(item, frame, quality, entry.pixels->levels.front().size);
            }
            entry.box = boxOf(entry.plane, frame.size, through);
        }
        entries.push_back(std::move(entry));
    }
    return entries;
}

}

Result<std::vector<Entry>> entriesOf(const motion::Frame& frame, const Quality& quality, media::PixelCache& cache,
                                     const Progress& progress) {
    return gather(frame.items, frame, quality, cache, progress);
}

}
