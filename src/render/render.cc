#include "render/render.h"

#include "cutout/source.h"
#include "render/blend.h"
#include "render/curve.h"
#include "render/sampler.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numeric>
#include <oneapi/tbb/parallel_for.h>

namespace stage::render {
namespace {

constexpr int tileSide = glanceSide;

/// An item of the frame with what is needed to draw it.
struct Entry {
    Plane plane;
    media::PyramidPtr pixels; ///< keeps what plane points to
    float opacity = 1;
    scene::Blend blend = scene::Blend::Normal;
    std::vector<Entry> group; ///< of a flattened group
};

struct Tile {
    int x0, y0, x1, y1;
    int width() const { return x1 - x0; }
    int pixels() const { return (x1 - x0) * (y1 - y0); }
};

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

Result<std::vector<Entry>> prepare(const std::vector<motion::Item>& items, const motion::Frame& frame,
                                   const Quality& quality, media::PixelCache& cache,
                                   const Progress& progress) {
    std::vector<Entry> entries;
    for (const motion::Item& item : items) {
        if (progress.stopped()) return cancelled();
        Entry entry;
        entry.opacity = static_cast<float>(item.opacity);
        entry.blend = item.blend;
        if (item.flattened) {
            auto group = prepare(item.items, frame, quality, cache, progress);
            if (!group) return group;
            entry.group = std::move(*group);
            entry.plane = planeOf(item.card, frame.view, {0, 0});
        } else {
            const media::PixelSourcePtr source = cutout::sourceOf(*item.pixels);
            const scene::Extensions& on = item.layer->hanging.extensions;
            entry.plane = planeOf(item.card, frame.view, source->size(), on);
            auto pixels = cache.pyramid(source, needOf(entry.plane, frame.size), {{}, progress.stop});
            if (!pixels && pixels.error().cancelled) return tl::unexpected(pixels.error());
            if (!pixels && !quality.placeholders)
                return fail("Layer '" + item.layer->name + "': " + pixels.error().sentence);
            if (pixels) {
                entry.pixels = *pixels;
            } else {
                entry.pixels = hatched(item.layer->pixels);
                entry.plane = planeOf(item.card, frame.view, entry.pixels->levels.front().size, on);
            }
            entry.plane.pixels = entry.pixels.get();
        }
        entries.push_back(std::move(entry));
    }
    return entries;
}

/// Order of two entries at a place: farther first. In one plane (to rounding) they keep the scene's order.
bool farther(const Entry& a, const Entry& b, double x, double y) {
    const double na = nearnessAt(a.plane, x, y), nb = nearnessAt(b.plane, x, y);
    return na < nb - 1e-9 * std::abs(nb);
}

class TilePainter {
public:
    TilePainter(const Tile& tile, scene::Blending blending) : m_tile(tile), m_blending(blending) {}

    /// Mixes entries onto `below` (premultiplied RGBA of the tile, in the blending's values).
    void paint(const std::vector<Entry>& all, std::vector<float>& below) {
        std::vector<const Entry*> seen;
        std::vector<Presence> presence;
        for (const Entry& entry : all) {
            const Presence p = entry.group.empty()
                                   ? presenceIn(entry.plane, m_tile.x0, m_tile.y0, m_tile.x1, m_tile.y1)
                                   : Presence::Something;
            if (p == Presence::Nothing) continue;
            seen.push_back(&entry);
            presence.push_back(p);
        }
        std::vector<std::size_t> order(seen.size());
        std::iota(order.begin(), order.end(), std::size_t{0});
        const double cx = (m_tile.x0 + m_tile.x1) / 2.0, cy = (m_tile.y0 + m_tile.y1) / 2.0;
        std::stable_sort(order.begin(), order.end(),
                         [&](auto a, auto b) { return farther(*seen[a], *seen[b], cx, cy); });
        if (!sameOrderEverywhere(seen, order)) {
            paintByPixel(seen, below);
            return;
        }
        // What lies behind something opaque is never seen.
        std::size_t first = 0;
        for (std::size_t i = 0; i < order.size(); ++i) {
            const Entry& entry = *seen[order[i]];
            if (presence[order[i]] == Presence::Opaque && entry.opacity == 1 &&
                entry.blend == scene::Blend::Normal)
                first = i;
        }
        std::vector<float> layer;
        for (std::size_t i = first; i < order.size(); ++i) {
            const Entry& entry = *seen[order[i]];
            draw(entry, layer);
            for (int p = 0; p < m_tile.pixels(); ++p)
                mixOne(below.data() + 4 * p, layer.data() + 4 * p, entry);
        }
    }

private:
    static void mixOne(float* below, const float* source, const Entry& entry) {
        if (source[3] != 0 || source[0] != 0 || source[1] != 0 || source[2] != 0)
            blendOnto(below, source, entry.opacity, entry.blend);
    }

    /// 1/depth is linear over the frame, so two planes that keep their order at a tile's corners keep it
    /// inside.
    bool sameOrderEverywhere(const std::vector<const Entry*>& seen,
                             const std::vector<std::size_t>& order) const {
        if (std::any_of(seen.begin(), seen.end(), [](const Entry* e) { return e->plane.bent(); }))
            return apartEverywhere(seen, order);
        for (std::size_t i = 1; i < order.size(); ++i) {
            const std::size_t a = order[i - 1], b = order[i];
            for (const int x : {m_tile.x0, m_tile.x1})
                for (const int y : {m_tile.y0, m_tile.y1}) {
                    if (farther(*seen[b], *seen[a], x, y)) return false;
                    if (b < a && !farther(*seen[a], *seen[b], x, y)) return false;
                }
        }
        return true;
    }

    /// With bent ones among them only what lies apart in depth all over the tile keeps its order for sure.
    bool apartEverywhere(const std::vector<const Entry*>& seen, const std::vector<std::size_t>& order) const {
        double nearest = -1e300;
        for (const std::size_t i : order) {
            const auto [low, high] = nearnessIn(seen[i]->plane, m_tile.x0, m_tile.y0, m_tile.x1, m_tile.y1);
            if (!(low > nearest)) return false;
            nearest = std::max(nearest, high);
        }
        return true;
    }

    /// The entry's own pixels over the tile, in the blending's values.
    void draw(const Entry& entry, std::vector<float>& out) {
        out.resize(static_cast<std::size_t>(m_tile.pixels()) * 4);
        if (!entry.group.empty()) {
            std::fill(out.begin(), out.end(), 0.f);
            paint(entry.group, out);
            return;
        }
        for (int y = m_tile.y0; y < m_tile.y1; ++y)
            sampleRow(entry.plane, y, m_tile.x0, m_tile.x1,
                      out.data() + static_cast<std::size_t>(y - m_tile.y0) * m_tile.width() * 4);
        if (m_blending == scene::Blending::Paint) {
            for (int p = 0; p < m_tile.pixels(); ++p) {
                float* c = out.data() + 4 * p;
                if (c[3] <= 0) continue;
                for (int i = 0; i < 3; ++i)
                    c[i] = encode(c[i] / c[3]) * c[3];
            }
        }
    }

    void paintByPixel(const std::vector<const Entry*>& seen, std::vector<float>& below) {
        std::vector<std::vector<float>> drawn(seen.size());
        for (std::size_t i = 0; i < seen.size(); ++i)
            draw(*seen[i], drawn[i]);
        std::vector<std::size_t> order(seen.size());
        for (int p = 0; p < m_tile.pixels(); ++p) {
            const double x = m_tile.x0 + p % m_tile.width() + 0.5, y = m_tile.y0 + p / m_tile.width() + 0.5;
            std::iota(order.begin(), order.end(), std::size_t{0});
            std::stable_sort(order.begin(), order.end(),
                             [&](auto a, auto b) { return farther(*seen[a], *seen[b], x, y); });
            for (const std::size_t i : order)
                mixOne(below.data() + 4 * p, drawn[i].data() + 4 * p, *seen[i]);
        }
    }

    Tile m_tile;
    scene::Blending m_blending;
};

}

Result<Picture> render(const motion::Frame& frame, const Quality& quality, media::PixelCache& cache,
                       const Progress& progress) {
    const auto entries = prepare(frame.items, frame, quality, cache, progress);
    if (!entries) return tl::unexpected(entries.error());

    Picture picture(frame.size);
    const bool paint = frame.blending == scene::Blending::Paint;
    const scene::Colour& bg = frame.background;
    float ground[4] = {static_cast<float>(bg.r), static_cast<float>(bg.g), static_cast<float>(bg.b),
                       static_cast<float>(bg.a)};
    if (paint && ground[3] > 0)
        for (int c = 0; c < 3; ++c)
            ground[c] = encode(ground[c] / ground[3]) * ground[3];

    const int across = (frame.size.x + tileSide - 1) / tileSide,
              down = (frame.size.y + tileSide - 1) / tileSide;
    std::atomic<int> done = 0;
    oneapi::tbb::parallel_for(0, across * down, [&](int index) {
        if (progress.stopped()) return;
        Tile tile;
        tile.x0 = index % across * tileSide;
        tile.y0 = index / across * tileSide;
        tile.x1 = std::min(tile.x0 + tileSide, frame.size.x);
        tile.y1 = std::min(tile.y0 + tileSide, frame.size.y);
        std::vector<float> pixels(static_cast<std::size_t>(tile.pixels()) * 4);
        for (std::size_t i = 0; i < pixels.size(); ++i)
            pixels[i] = ground[i % 4];
        TilePainter(tile, frame.blending).paint(*entries, pixels);
        for (int y = tile.y0; y < tile.y1; ++y) {
            const float* in = pixels.data() + static_cast<std::size_t>(y - tile.y0) * tile.width() * 4;
            float* out = picture.row(y) + 4 * tile.x0;
            std::copy_n(in, tile.width() * 4, out);
            if (paint)
                for (int x = 0; x < tile.width(); ++x)
                    if (const float alpha = out[4 * x + 3]; alpha > 0)
                        for (int c = 0; c < 3; ++c)
                            out[4 * x + c] = decode(out[4 * x + c] / alpha) * alpha;
        }
        progress.done(static_cast<double>(++done) / (across * down));
    });
    if (progress.stopped()) return cancelled();
    return picture;
}

}
