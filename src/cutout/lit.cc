#include "cutout/lit.h"

#include "cutout/mask.h"
#include "media/pixel_cache.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

namespace stage::cutout {
namespace {

using media::Raster;

std::string keyOf(const motion::Light& light) {
    std::string key = "\nlit";
    const auto add = [&](double v) { // to the bit
        key.push_back(' ');
        key.append(reinterpret_cast<const char*>(&v), sizeof v);
    };
    const auto three = [&](const V3d& v) { add(v.x), add(v.y), add(v.z); };
    const scene::Shading& shading = light.shading;
    add(shading.front), add(shading.translucency);
    add(shading.edge.strength), add(shading.edge.width), add(shading.edge.roundness);
    three(light.ambient);
    add(light.perPixel.x), add(light.perPixel.y);
    for (const motion::LampOnCard& lamp : light.lamps) {
        add(lamp.at.x), add(lamp.at.y), add(lamp.off);
        three(lamp.light);
        add(lamp.radius), add(lamp.reach);
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
    /// width: texels from the edge that turn.
    Edges(const Raster& picture, double width, double roundness)
        : m_width(width), m_roundness(roundness), m_across(picture.size.x), m_down(picture.size.y) {
        cv::Mat inside(m_down, m_across, CV_8U), distance;
        bool any = false;
        for (int y = 0; y < m_down; ++y)
            for (int x = 0; x < m_across; ++x) {
                const bool in = float(picture.row(y)[4 * x + 3]) >= 0.5f;
                inside.at<std::uint8_t>(y, x) = in;
                any = any || !in;
            }
        if (!any) return;
        cv::distanceTransform(inside, distance, cv::DIST_L2, cv::DIST_MASK_5);
        m_distance.resize(static_cast<std::size_t>(m_across) * m_down);
        for (int y = 0; y < m_down; ++y)
            for (int x = 0; x < m_across; ++x) // half a texel lies before the edge
                m_distance[static_cast<std::size_t>(y) * m_across + x] =
                    std::min(distance.at<float>(y, x) - 0.5f, static_cast<float>(2 * width + 4));
        soften(m_distance, picture.size, std::max(0.7, width / 6));
    }
    Turn at(int x, int y) const {
        if (m_distance.empty()) return {};
        const double distance = value(x, y);
        if (!(distance < m_width)) return {};
        const V2d by(value(x + 1, y) - value(x - 1, y), value(x, y + 1) - value(x, y - 1));
        const double length = by.length();
        if (!(length > 1e-6)) return {};
        return {-by / length, m_roundness * std::clamp(1 - distance / m_width, 0.0, 1.0)};
    }

private:
    double value(int x, int y) const {
        return static_cast<double>(
            m_distance[static_cast<std::size_t>(std::clamp(y, 0, m_down - 1)) * m_across +
                       std::clamp(x, 0, m_across - 1)]);
    }
    double m_width, m_roundness;
    int m_across, m_down;
    std::vector<float> m_distance; ///< empty: there is no edge
};

class LitSource : public media::PixelSource {
public:
    LitSource(media::PixelSourcePtr below, const motion::Pixels& pixels)
        : PixelSource(below->key() + keyOf(*pixels.light), below->size(), Granularity::EveryLevel),
          m_below(std::move(below)), m_light(pixels.light), m_natural(pixels.layer->pixels) {}

    Result<Raster> compute(int level, const media::Box& box, media::PixelCache& cache,
                           const Progress& progress) const override {
        const V2i whole = media::levelSize(size(), level), of = box.size();
        // Of this level's texels to a pixel of the natural size.
        const V2d scale(static_cast<double>(whole.x) / m_natural.x,
                        static_cast<double>(whole.y) / m_natural.y);
        const scene::EdgeLight& edge = m_light->shading.edge;
        const bool rounded = edge.strength > 0 && edge.roundness > 0 && !m_light->lamps.empty();
        const double width = edge.width * std::sqrt(scale.x * scale.y);
        const int reach = rounded ? static_cast<int>(std::ceil(2.5 * width)) + 4 : 0;
        const media::Box around = box.grown(reach).within(media::boxOf(whole));
        auto picture = cache.read(m_below, level, around, progress);
        if (!picture) return picture;
        const auto placed = [&](double x, double y) { return V2d(x + 0.5, y + 0.5) / scale; };
        // Light without edges changes slowly: it is looked at in steps, and is even in between.
        const int step = stepOver(V2d(box.x0, box.y0) / scale, V2d(box.x1, box.y1) / scale, scale);
        const int across = of.x / step + 2, down = of.y / step + 2;
        std::vector<Imath::V3f> nodes(static_cast<std::size_t>(across) * down);
        for (int j = 0; j < down; ++j)
            for (int i = 0; i < across; ++i)
                nodes[static_cast<std::size_t>(j) * across + i] = Imath::V3f(
                    motion::lightAt(*m_light, placed(box.x0 + i * step, box.y0 + j * step), V2d(0), 0));
        std::optional<Edges> edges;
        if (rounded) edges.emplace(*picture, width, edge.roundness);
        Raster out = Raster::unfilled(of);
        for (int y = 0; y < of.y; ++y) {
            const Imath::V3f* above = nodes.data() + static_cast<std::size_t>(y / step) * across;
            const float fy = static_cast<float>(y % step) / static_cast<float>(step);
            const Imath::half* in = picture->row(y + box.y0 - around.y0) + 4 * (box.x0 - around.x0);
            Imath::half* to = out.row(y);
            for (int x = 0; x < of.x; ++x, in += 4, to += 4) {
                to[3] = in[3];
                const int i = x / step;
                const float fx = static_cast<float>(x % step) / static_cast<float>(step);
                const Imath::V3f top = above[i] + (above[i + 1] - above[i]) * fx,
                                 low = above[across + i] + (above[across + i + 1] - above[across + i]) * fx;
                Imath::V3f light = top + (low - top) * fy;
                if (edges)
                    if (const Turn turn = edges->at(x + box.x0 - around.x0, y + box.y0 - around.y0);
                        turn.sine > 0)
                        light = Imath::V3f(motion::lightAt(*m_light, placed(box.x0 + x, box.y0 + y),
                                                           turn.outwards, turn.sine));
                for (int c = 0; c < 3; ++c)
                    to[c] = std::min(float(in[c]) * light[c], 65000.f);
            }
        }
        return out;
    }
    std::string name() const override { return m_below->name(); }

private:
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

    media::PixelSourcePtr m_below;
    motion::LightPtr m_light;
    V2i m_natural;
};

}

media::PixelSourcePtr lit(const motion::Pixels& pixels, media::PixelSourcePtr below) {
    if (!below || !pixels.light) return below;
    const motion::Light& light = *pixels.light;
    if (light.lamps.empty() && light.ambient == V3d(1)) return below;
    return std::make_shared<LitSource>(std::move(below), pixels);
}

}
