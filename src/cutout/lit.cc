#include "cutout/lit.h"

#include "cutout/mask.h"
#include "cutout/nodes.h"
#include "cutout/source.h"
#include "media/number_key.h"
#include "media/pixel_cache.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

namespace stage::cutout {
namespace {

using media::add;
using media::Raster;

std::string keyOf(const motion::Light& light) {
    std::string key = "\nlit";
    const scene::Shading& shading = light.shading;
    add(key, V2d(shading.front, shading.translucency));
    add(key, V3d(shading.edge.strength, shading.edge.width, shading.edge.roundness));
    add(key, light.ambient);
    add(key, light.perPixel);
    for (const motion::LampOnCard& lamp : light.lamps) {
        add(key, V3d(lamp.at.x, lamp.at.y, lamp.off));
        add(key, lamp.light);
        add(key, V2d(lamp.radius, lamp.reach));
    }
    return key;
}

/// How an edge turns away at a place of a level.
struct Turn {
    V2d outwards{1, 0};
    double sine = 0;
};

/// How far places are from the nearest edge of the alpha, in texels, and which way it is.
class Edges {
public:
    /// Of a box of a level. width: texels from the edge that turn.
    Edges(const media::TiledLevel& level, const media::Box& box, double width, double roundness)
        : m_width(width), m_roundness(roundness), m_across(box.size().x), m_down(box.size().y) {
        cv::Mat inside(m_down, m_across, CV_8U), distance;
        bool any = false;
        for (int y = 0; y < m_down; ++y) {
            auto* to = inside.ptr<std::uint8_t>(y);
            level.runs(box.y0 + y, box.x0, box.x1, [&](int, int count, const Imath::half* texels) {
                for (int i = 0; i < count; ++i) {
                    const bool in = texels && isInside(texels[4 * i + 3]);
                    *to++ = in;
                    any = any || !in;
                }
            });
        }
        if (!any) return;
        cv::distanceTransform(inside, distance, cv::DIST_L2, cv::DIST_MASK_5);
        m_distance.resize(static_cast<std::size_t>(m_across) * m_down);
        const auto most = static_cast<float>(2 * width + 4);
        for (int y = 0; y < m_down; ++y) {
            const auto* from = distance.ptr<float>(y);
            float* to = m_distance.data() + static_cast<std::size_t>(y) * m_across;
            for (int x = 0; x < m_across; ++x)
                to[x] = std::min(from[x] - 0.5f, most); // half a texel lies before the edge
        }
        soften(m_distance, box.size(), std::max(0.7, width / 6));
    }
    /// Nothing turns.
    bool none() const { return m_distance.empty(); }
    Turn at(int x, int y) const {
        const double distance = value(x, y);
        if (!(distance < m_width)) return {};
        const V2d by(value(x + 1, y) - value(x - 1, y), value(x, y + 1) - value(x, y - 1));
        const double length = by.length();
        if (!(length > 1e-6)) return {};
        return {-by / length, m_roundness * std::clamp(1 - distance / m_width, 0.0, 1.0)};
    }

private:
    /// Half opaque or more, by the bits: those of halfs that are not negative are in their order.
    static bool isInside(Imath::half alpha) {
        const std::uint16_t half = Imath::half(0.5f).bits(), infinite = 0x7c00;
        return alpha.bits() >= half && alpha.bits() <= infinite;
    }
    double value(int x, int y) const {
        return static_cast<double>(
            m_distance[static_cast<std::size_t>(std::clamp(y, 0, m_down - 1)) * m_across +
                       std::clamp(x, 0, m_across - 1)]);
    }
    double m_width, m_roundness;
    int m_across, m_down;
    std::vector<float> m_distance; ///< empty: there is no edge
};

/// How the edges of a picture's alpha turn away at each place: outwards (right, down), then the sine of the
/// angle. Of the picture alone, so that it is made once for all lamps.
class EdgesSource : public media::PixelSource {
public:
    EdgesSource(media::PixelSourcePtr below, const scene::EdgeLight& edge, V2i natural)
        : PixelSource(keyFor(*below, edge, natural), below->size(), Granularity::EveryLevel,
                      below->seriesOf("edges")),
          m_below(std::move(below)), m_width(edge.width), m_roundness(edge.roundness), m_natural(natural) {}

    Result<Raster> compute(int level, const media::Box& box, media::PixelCache& cache,
                           const Progress& progress) const override {
        const V2i whole = media::levelSize(size(), level);
        const double width =
            m_width * std::sqrt(static_cast<double>(whole.x) / m_natural.x * whole.y / m_natural.y);
        const int reach = static_cast<int>(std::ceil(2.5 * width)) + 4;
        const media::Box around = box.grown(reach).within(media::boxOf(whole));
        const auto all = cache.pyramid(m_below, level, around, progress);
        if (!all) return tl::unexpected(all.error());
        const media::TiledLevel& below = (*all)->level(level);
        Raster out(box.size());
        if (below.clear(box)) return out;
        const Edges edges(below, around, width, m_roundness);
        if (edges.none()) return out;
        for (int y = box.y0; y < box.y1; ++y)
            below.runs(y, box.x0, box.x1, [&](int x0, int count, const Imath::half* texels) {
                for (int x = x0; texels && x < x0 + count; ++x, texels += 4) {
                    if (isClear(texels)) continue; // whatever light falls on it
                    const Turn turn = edges.at(x - around.x0, y - around.y0);
                    if (!(turn.sine > 0)) continue;
                    Imath::half* to = out.row(y - box.y0) + 4 * (x - box.x0);
                    to[0] = static_cast<float>(turn.outwards.x), to[1] = static_cast<float>(turn.outwards.y);
                    to[2] = static_cast<float>(turn.sine);
                }
            });
        return out;
    }

private:
    static bool isClear(const Imath::half* texel) {
        return (texel[0].bits() | texel[1].bits() | texel[2].bits() | texel[3].bits()) == 0;
    }
    static std::string keyFor(const PixelSource& below, const scene::EdgeLight& edge, V2i natural) {
        std::string key = below.key() + "\nedges";
        add(key, V2d(edge.width, edge.roundness)), add(key, V2d(natural));
        return key;
    }
    media::PixelSourcePtr m_below;
    double m_width, m_roundness;
    V2i m_natural;
};

/// Directions that a picture tells by its colours, laid over another one's level.
class Normals {
public:
    /// box: of the level of that size.
    static Result<Normals> read(const media::PixelSourcePtr& source, const media::Box& box, V2i whole,
                                media::PixelCache& cache, const Progress& progress) {
        int level = 0; // the smallest that is as large
        while (level + 1 < media::levelCount(source->size()) &&
               media::levelSize(source->size(), level + 1).x >= whole.x)
            ++level;
        Normals normals;
        const V2i size = media::levelSize(source->size(), level);
        normals.m_scale = {static_cast<double>(size.x) / whole.x, static_cast<double>(size.y) / whole.y};
        normals.m_box = media::Box{static_cast<int>(box.x0 * normals.m_scale.x),
                                   static_cast<int>(box.y0 * normals.m_scale.y),
                                   static_cast<int>(std::ceil(box.x1 * normals.m_scale.x)),
                                   static_cast<int>(std::ceil(box.y1 * normals.m_scale.y))}
                            .within(media::boxOf(size));
        auto picture = cache.read(source, level, normals.m_box, progress);
        if (!picture) return tl::unexpected(picture.error());
        normals.m_picture = std::move(*picture);
        return normals;
    }
    /// Right, up, out of the picture, of length 1; straight out where it says nothing.
    V3d at(int x, int y) const {
        const int i = std::clamp(static_cast<int>((x + 0.5) * m_scale.x), m_box.x0, m_box.x1 - 1),
                  j = std::clamp(static_cast<int>((y + 0.5) * m_scale.y), m_box.y0, m_box.y1 - 1);
        const Imath::half* p = m_picture.row(j - m_box.y0) + 4 * (i - m_box.x0);
        const double alpha = float(p[3]);
        if (!(alpha > 0)) return {0, 0, 1};
        V3d normal;
        for (int c = 0; c < 3; ++c) {
            const double light = float(p[c]) / alpha; // to what is shown: IEC 61966-2-1
            normal[c] =
                2 * (light <= 0.0031308 ? 12.92 * light : 1.055 * std::pow(light, 1 / 2.4) - 0.055) - 1;
        }
        const double length = normal.length();
        return length > 1e-3 ? normal / length : V3d(0, 0, 1);
    }

private:
    media::Raster m_picture;
    media::Box m_box{0, 0, 0, 0};
    V2d m_scale{1};
};

media::PixelSourcePtr normalsOf(const motion::Pixels& pixels) {
    const auto other = pixels.others.find(pixels.light->shading.normals);
    if (pixels.light->shading.normals == 0 || other == pixels.others.end()) return nullptr;
    return sourceOf(motion::plain(*other->second.pixels));
}

class LitSource : public media::PixelSource {
public:
    LitSource(media::PixelSourcePtr below, const motion::Pixels& pixels, media::PixelSourcePtr normals)
        : PixelSource(below->key() + keyOf(*pixels.light) + (normals ? "\nturned " + normals->key() : ""),
                      below->size(), Granularity::EveryLevel, below->seriesOf("lit")),
          m_below(std::move(below)), m_normals(std::move(normals)), m_light(pixels.light),
          m_natural(pixels.layer->pixels) {
        const scene::EdgeLight& edge = m_light->shading.edge;
        if (edge.strength > 0 && edge.roundness > 0 && !m_light->lamps.empty() && !m_normals)
            m_edges = std::make_shared<EdgesSource>(m_below, edge, m_natural);
    }

    Result<Raster> compute(int level, const media::Box& box, media::PixelCache& cache,
                           const Progress& progress) const override {
        const V2i whole = media::levelSize(size(), level), of = box.size();
        // Of this level's texels to a pixel of the natural size.
        const V2d scale(static_cast<double>(whole.x) / m_natural.x,
                        static_cast<double>(whole.y) / m_natural.y);
        const auto all = cache.pyramid(m_below, level, box, progress);
        if (!all) return tl::unexpected(all.error());
        const media::TiledLevel& below = (*all)->level(level);
        const auto placed = [&](double x, double y) { return V2d(x + 0.5, y + 0.5) / scale; };
        // Light without edges changes slowly.
        const int step = stepOver(V2d(box.x0, box.y0) / scale, V2d(box.x1, box.y1) / scale, scale);
        const Nodes<4> flat(box, step, [&](int x, int y) {
            const V3d light = motion::lightAt(*m_light, placed(x, y), V2d(0), 0);
            return std::array{static_cast<float>(light.x), static_cast<float>(light.y),
                              static_cast<float>(light.z), 1.f};
        });
        std::optional<Normals> normals;
        if (m_normals && !m_light->lamps.empty()) {
            auto read = Normals::read(m_normals, box, whole, cache, progress);
            if (!read) return tl::unexpected(read.error());
            normals = std::move(*read);
        }
        media::PyramidPtr edges;
        if (m_edges) {
            auto read = cache.pyramid(m_edges, level, box, progress);
            if (!read) return tl::unexpected(read.error());
            edges = std::move(*read);
        }
        Raster picture = below.piece(box);
        // Rows as floats: halfs one by one would take longer than all else.
        cv::Mat own(of.y, of.x, CV_16FC4, picture.rgba.data()), row;
        std::vector<float> light(static_cast<std::size_t>(of.x) * 4);
        motion::TurnedPlaces turned;
        for (int y = 0; y < of.y; ++y) {
            if (below.clear({box.x0, box.y0 + y, box.x1, box.y0 + y + 1})) continue;
            flat.row(y, of.x, light.data());
            if (normals)
                for (int x = 0; x < of.x; ++x) {
                    const V3d at = motion::lightOnNormal(*m_light, placed(box.x0 + x, box.y0 + y),
                                                         normals->at(box.x0 + x, box.y0 + y));
                    for (int c = 0; c < 3; ++c)
                        light[static_cast<std::size_t>(4 * x + c)] = static_cast<float>(at[c]);
                }
            else if (edges)
                for (int from = 0; from < of.x;)
                    from = lightEdges(edges->level(level), box, y, from, scale, turned, light);
            own.row(y).convertTo(row, CV_32FC4);
            auto* to = row.ptr<float>();
            for (std::size_t i = 0; i < light.size(); ++i)
                to[i] = std::min(to[i] * light[i], 65000.f);
            cv::Mat halfs = own.row(y);
            row.convertTo(halfs, CV_16FC4);
        }
        return picture;
    }
    std::string name() const override { return m_below->name(); }

private:
    /// Light where edges turn, of a row of a box from a texel on; as many as are done at once. Returns where
    /// it goes on. light: RGBA of the whole row.
    int lightEdges(const media::TiledLevel& edges, const media::Box& box, int y, int from, const V2d& scale,
                   motion::TurnedPlaces& turned, std::vector<float>& light) const {
        constexpr int side = media::Tile::cellSide;
        std::array<int, motion::TurnedPlaces::most> places;
        turned.count = 0;
        const auto down = static_cast<float>((box.y0 + y + 0.5) / scale.y);
        const int row = box.y0 + y;
        for (int x = box.x0 + from; x < box.x1;) {
            const int end = std::min(box.x1, x / side * side + side);
            from = end - box.x0;
            const media::Tile* tile = edges.tileAt(x, row);
            if (tile && !tile->clearAt(x % media::tileSide, row % media::tileSide)) {
                const Imath::half* texel = tile->row(row % media::tileSide) + 4 * (x % media::tileSide);
                for (; x < end; ++x, texel += 4) {
                    if (texel[2].bits() == 0) continue;
                    const std::size_t n = turned.count++;
                    places[n] = x - box.x0;
                    turned.x[n] = static_cast<float>((x + 0.5) / scale.x), turned.y[n] = down;
                    turned.right[n] = texel[0], turned.down[n] = texel[1], turned.sine[n] = texel[2];
                }
                if (turned.count + side > turned.most) break;
            }
            x = end;
        }
        motion::lightAt(*m_light, turned);
        for (std::size_t n = 0; n < turned.count; ++n) {
            float* to = light.data() + 4 * places[n];
            to[0] = turned.red[n], to[1] = turned.green[n], to[2] = turned.blue[n];
        }
        return from;
    }
    /// Texels between places that are looked at in a part of the picture (px), so that light is off by less
    /// than half a percent in between: it changes as the square of how far the nearest lamp is.
    int stepOver(const V2d& low, const V2d& high, const V2d& scale) const {
        const V2d metres = m_light->perPixel / scale;
        double nearest = 1e300;
        for (const motion::LampOnCard& lamp : m_light->lamps) {
            const V2d at(std::clamp(lamp.at.x, low.x, high.x), std::clamp(lamp.at.y, low.y, high.y)),
                by = (lamp.at - at) * m_light->perPixel;
            nearest = std::min(nearest, std::max(lamp.radius, V3d(by.x, by.y, lamp.off).length()));
        }
        return static_cast<int>(std::clamp(0.08 * nearest / std::max(metres.x, metres.y), 1.0, 16.0));
    }

    media::PixelSourcePtr m_below, m_normals, m_edges;
    motion::LightPtr m_light;
    V2i m_natural;
};

}

media::PixelSourcePtr lit(const motion::Pixels& pixels, media::PixelSourcePtr below) {
    if (!below || !pixels.light) return below;
    const motion::Light& light = *pixels.light;
    if (light.lamps.empty() && light.ambient == V3d(1)) return below;
    return std::make_shared<LitSource>(std::move(below), pixels, normalsOf(pixels));
}

}
