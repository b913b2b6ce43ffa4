#include "render/glints.h"

#include "render/reach.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <numbers>

namespace stage::render {
namespace {

constexpr int aroundLevel = 5; ///< texels of 32

/// Which part of a source.
enum class Part { Rest, Glints };

class PartSource : public media::PixelSource {
public:
    PartSource(media::PixelSourcePtr whole, Part part)
        : PixelSource(whole->key() + (part == Part::Rest ? "|dimmed" : "|glints"), whole->size(),
                      Granularity::ByBox, whole->seriesOf(part == Part::Rest ? "dimmed" : "glints")),
          m_whole(std::move(whole)), m_part(part) {}

    Result<media::Raster> compute(int, const media::Box& box, media::PixelCache& cache,
                                  const Progress& progress) const override {
        auto texels = cache.read(m_whole, 0, box, progress);
        if (!texels) return texels;
        const int level = std::min(aroundLevel, media::levelCount(size()) - 1), cell = 1 << level;
        const media::Box around{box.x0 / cell - 1, box.y0 / cell - 1, (box.x1 - 1) / cell + 2,
                                (box.y1 - 1) / cell + 2};
        const auto means = cache.read(m_whole, level, around, progress);
        if (!means) return means;
        for (int y = box.y0; y < box.y1; ++y) {
            Imath::half* row = texels->row(y - box.y0);
            for (int x = box.x0; x < box.x1; ++x, row += 4) {
                const float most = std::max({float(row[0]), float(row[1]), float(row[2])});
                float keep = 1;
                if (most > glintFloor) {
                    const Imath::half* mean = means->row(y / cell - around.y0) + 4 * (x / cell - around.x0);
                    const float limit =
                        std::max(glintFloor,
                                 glintContrast * std::max({float(mean[0]), float(mean[1]), float(mean[2])}));
                    keep = std::min(1.f, limit / most);
                }
                if (m_part == Part::Rest) {
                    for (int c = 0; c < 3; ++c)
                        row[c] = row[c] * keep;
                } else {
                    for (int c = 0; c < 3; ++c)
                        row[c] = row[c] * (1 - keep);
                    row[3] = 0.f;
                }
            }
        }
        return texels;
    }

private:
    media::PixelSourcePtr m_whole;
    Part m_part;
};

}

media::PixelSourcePtr withoutGlints(const media::PixelSourcePtr& source) {
    return std::make_shared<PartSource>(source, Part::Rest);
}

media::PixelSourcePtr glintsAlone(const media::PixelSourcePtr& source) {
    return std::make_shared<PartSource>(source, Part::Glints);
}

void throwGlints(const Plane& plane, const media::Pyramid& bright, V2i frame, double share, double apart,
                 const void* of, std::vector<Glint>& out) {
    /// Texels close together against the disc are one spot.
    struct Spot {
        double u = 0, v = 0, weight = 0, rgb[3] = {0, 0, 0};
    };
    const double disc = discAt(plane, frame.x / 2.0, frame.y / 2.0);
    const double lod = footprintAt(plane, frame.x / 2.0, frame.y / 2.0).lod;
    const int cell = std::max(1, static_cast<int>(std::floor(disc * std::exp2(lod) / apart)));
    std::map<std::pair<int, int>, Spot> spots;
    const media::TiledLevel& level = bright.levels.front();
    for (std::size_t index = 0; index < level.tiles.size(); ++index) {
        const media::Tile* tile = level.tiles[index].get();
        if (!tile) continue;
        const media::Box box = level.boxOfTile(index);
        constexpr int side = media::Tile::cellSide;
        for (int cy = 0; cy < tile->size.y; cy += side)
            for (int cx = 0; cx < tile->size.x; cx += side) {
                if (tile->clearAt(cx, cy)) continue;
                for (int y = cy; y < std::min(cy + side, tile->size.y); ++y)
                    for (int x = cx; x < std::min(cx + side, tile->size.x); ++x) {
                        const Imath::half* texel = tile->row(y) + 4 * x;
                        const double weight = static_cast<double>(texel[0]) + texel[1] + texel[2];
                        if (!(weight > 0)) continue;
                        Spot& spot = spots[{(box.y0 + y) / cell, (box.x0 + x) / cell}];
                        spot.u += weight * (box.x0 + x + 0.5), spot.v += weight * (box.y0 + y + 0.5);
                        spot.weight += weight;
                        for (int c = 0; c < 3; ++c)
                            spot.rgb[c] += texel[c];
                    }
            }
    }
    for (const auto& [at, spot] : spots) {
        const double u = spot.u / spot.weight, v = spot.v / spot.weight;
        const V3d point = plane.card.at(u / plane.size.x, v / plane.size.y);
        const auto middle = optics::project(plane.view, point);
        if (!middle) continue;
        const double depth = optics::depthOf(plane.view, point);
        const double radius = plane.view.aperture * plane.view.slope * (1 / plane.view.focus - 1 / depth);
        // A base texel in px of the frame: the inverse of the homography's Jacobian, whose determinant is
        // that of its coefficients over w^3.
        const Projective& m = plane.pinhole;
        const double w = m.w.at(middle->x, middle->y);
        const double ux = (m.u.b - u * m.w.b) / w, uy = (m.u.c - u * m.w.c) / w, vx = (m.v.b - v * m.w.b) / w,
                     vy = (m.v.c - v * m.w.c) / w;
        const double texel = 1 / std::max(std::abs(ux * vy - uy * vx), 1e-12);
        const double area = std::numbers::pi * radius * radius * share;
        // Along its way while the shutter is open, in steps small against the disc.
        int steps = 1;
        V2d way(0);
        if (!plane.still) {
            const auto drift = [&](const Linear& l) { return l.at(middle->x, middle->y); };
            const double du = (drift(plane.drift.u) - u * drift(plane.drift.w)) / w,
                         dv = (drift(plane.drift.v) - v * drift(plane.drift.w)) / w;
            const double det = ux * vy - uy * vx;
            way = {-(vy * du - uy * dv) / det,
                   -(ux * dv - vx * du) / det}; // px from the middle of the exposure to its end
            steps = std::clamp(
                static_cast<int>(std::ceil(2 * way.length() / std::max(1.0, std::abs(radius) / 8))), 1, 64);
        }
        for (int i = 0; i < steps; ++i) {
            Glint glint;
            glint.time = static_cast<float>(steps == 1 ? 0 : (2 * i + 1.0) / steps - 1);
            glint.x = static_cast<float>(middle->x + way.x * static_cast<double>(glint.time));
            glint.y = static_cast<float>(middle->y + way.y * static_cast<double>(glint.time));
            glint.radius = static_cast<float>(radius);
            glint.nearness = static_cast<float>(1 / depth);
            for (int c = 0; c < 3; ++c)
                glint.rgb[c] = static_cast<float>(spot.rgb[c] * texel / area / steps);
            glint.of = of;
            const float reach = std::abs(glint.radius) + 1;
            if (glint.x + reach < 0 || glint.y + reach < 0 || glint.x - reach > static_cast<float>(frame.x) ||
                glint.y - reach > static_cast<float>(frame.y))
                continue;
            out.push_back(glint);
        }
    }
}

}
