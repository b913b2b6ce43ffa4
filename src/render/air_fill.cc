#include "render/air_fill.h"

#include "optics/view.h"
#include "render/cloud_density.h"
#include "render/cloud_way.h"
#include "render/curve.h"
#include "render/grid_rows.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <limits>

namespace stage::render {
namespace {

constexpr double infinite = std::numeric_limits<double>::infinity();

/// The place of the frame that is the n-th of those that a box is looked at: every `step` pixels, at its
/// borders too; of every pixel its middle.
struct Grid {
    media::Box box;
    int step, across, down;
    Grid(const media::Box& of, int every)
        : box(of), step(every), across((of.x1 - of.x0 + every - 1) / every + (every > 1)),
          down((of.y1 - of.y0 + every - 1) / every + (every > 1)) {}
    V2d at(int n) const {
        const double half = step == 1 ? 0.5 : 0;
        return {box.x0 + n % across * step + half, box.y0 + n / across * step + half};
    }
};

/// Paints what at(n, place, rgba) gives for the places of a grid, and evenly in between.
template <class At> void paintOnGrid(const Grid& grid, Canvas& canvas, const At& at) {
    const media::Box& box = grid.box;
    const int width = box.x1 - box.x0, height = box.y1 - box.y0, step = grid.step;
    if (step == 1) {
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                float seen[4];
                const int n = y * grid.across + x;
                at(n, grid.at(n), seen);
                addUnder(canvas.row(y) + 4 * x, seen);
            }
        return;
    }
    constexpr int most = Canvas::side / 2 + 1;
    const int across = grid.across;
    std::array<float, 4 * most * most> nodes;
    bool any = false;
    for (int n = 0; n < across * grid.down; ++n) {
        float* node = nodes.data() + 4 * n;
        at(n, grid.at(n), node);
        any = any || node[0] != 0 || node[1] != 0 || node[2] != 0 || node[3] != 0;
    }
    if (!any) return;
    for (int y = 0; y < height; ++y)
        addEvenly(nodes.data() + 4 * (y / step * across), nodes.data() + 4 * ((y / step + 1) * across),
                  (static_cast<float>(y % step) + 0.5f) / static_cast<float>(step), step, width,
                  canvas.row(y));
}

bool isFast(Method method) {
    return method == Method::Draft || method == Method::Pinhole;
}

/// Pixels between places that are looked at: so many in a frame of HD, fewer in a smaller one.
int gridFor(const optics::View& view, const Quality& quality) {
    const int least = quality.hurried ? 2 : 1, wanted = (isFast(quality.method) ? 8 : 4) * least;
    int step = wanted;
    while (step > least && step * 1800 > wanted * view.slope)
        step /= 2;
    return step;
}

/// Along the way through a box: more where few places are looked at.
int stepsFor(Method method, int grid) {
    return isFast(method) ? std::min(64, static_cast<int>(16 * std::sqrt(8.0 / grid))) : 64;
}

/// Of a box from -1 to 1.
V3d cornerOf(int n) {
    return {n & 1 ? 1.0 : -1.0, n & 2 ? 1.0 : -1.0, n & 4 ? 1.0 : -1.0};
}

class CloudFill : public Fill {
    static std::uint64_t nextNumber() {
        static std::atomic<std::uint64_t> last = 0;
        return ++last;
    }

public:
    CloudFill(const motion::Item& item, const motion::Frame& frame, const Quality& quality, const Air& air)
        : m_view(frame.view), m_place(item.box->now), m_moved(item.box->moved),
          m_cloud(std::get<scene::Cloud>(item.layer->content)), m_density(m_cloud, frame.time), m_air(air),
          m_light(item.blend == scene::Blend::Add), m_opacity(static_cast<float>(item.opacity)),
          m_grid(gridFor(frame.view, quality)), m_steps(stepsFor(quality.method, m_grid)),
          m_shading(item.layer->shading), m_lamps(frame.lamps), m_ambient(frame.ambient) {
        // Of the box's corners.
        for (int corner = 0; corner < 8; ++corner) {
            const double depth = optics::depthOf(m_view, m_place(cornerOf(corner) * m_cloud.box / 2));
            m_near = std::min(m_near, depth), m_far = std::max(m_far, depth);
        }
        m_scale = std::cbrt(std::abs(m_place.x.cross(m_place.y).dot(m_place.z)));
    }

    std::pair<double, double> nearnessIn(const media::Box& box) const override {
        if (m_far <= 0 || !(m_scale > 0) || (m_near > 0 && outside(box))) return {1, 0};
        return {1 / m_far, m_near > 1e-6 ? 1 / m_near : 1e6};
    }

    bool isIn(const Gap& gap) const override {
        const auto [low, high] = nearnessIn(gap.box);
        return low <= high && low < gap.nears().second && high > gap.fars().first;
    }
    void paintUnder(const Gap& gap, Canvas& canvas) const override {
        const Grid grid(gap.box, stepFor(gap.box));
        const std::vector<Way>& ways = waysOf(grid);
        paintOnGrid(grid, canvas, [&](int n, const V2d& place, float* rgba) {
            march(gap, place, ways[static_cast<std::size_t>(n)], rgba);
        });
    }

    bool variesByRay() const override { return false; }
    void see(const Gap& gap, const FillRay& ray, float* rgba) const override {
        float seen[4];
        march(gap, {ray.x, ray.y}, wayOf({ray.x, ray.y}, 128, 1), seen);
        addUnder(rgba, seen);
    }

private:
    /// Whether the box of space is all beyond one side of a box of the frame.
    bool outside(const media::Box& box) const {
        V2d low(infinite, infinite), high(-infinite, -infinite);
        for (int corner = 0; corner < 8; ++corner) {
            const auto at = optics::project(m_view, m_place(cornerOf(corner) * m_cloud.box / 2));
            if (!at) return false;
            low = {std::min(low.x, at->x), std::min(low.y, at->y)};
            high = {std::max(high.x, at->x), std::max(high.y, at->y)};
        }
        const double spare = Canvas::side;
        return high.x < box.x0 - spare || low.x > box.x1 + spare || high.y < box.y0 - spare ||
               low.y > box.y1 + spare;
    }
    /// Depths between which a ray is in the box.
    std::pair<double, double> inside(const V3d& from, const V3d& along) const {
        double in = 0, out = infinite;
        for (int i = 0; i < 3; ++i) {
            const double half = m_cloud.box[i] / 2;
            if (std::abs(along[i]) < 1e-300) {
                if (std::abs(from[i]) > half) return {1, 0};
                continue;
            }
            const double a = (-half - from[i]) / along[i], b = (half - from[i]) / along[i];
            in = std::max(in, std::min(a, b)), out = std::min(out, std::max(a, b));
        }
        return {in, out};
    }
    /// Sides without a soft border are as sharp as the frame.
    int stepFor(const media::Box& box) const {
        if (!m_density.sharp()) return m_grid;
        int met = 0, looked = 0;
        for (int y = box.y0; y <= box.y1; y += 8)
            for (int x = box.x0; x <= box.x1; x += 8, ++looked) {
                const Line line = lineOf({static_cast<double>(x), static_cast<double>(y)});
                met += line.in < line.out;
            }
        return met == 0 || met == looked ? m_grid : 1;
    }
    /// A ray of the frame, metres along the box for each of depth, and where it is in it.
    struct Line {
        V3d from, along;
        double in, out;
    };
    Line lineOf(const V2d& place) const {
        const V3d from = m_place.inverse(m_view.eye),
                  along = m_place.inverse(m_view.eye + optics::rayThrough(m_view, place)) - from;
        const auto [in, out] = inside(from, along);
        return {from, along, in, out};
    }

    /// What a ray meets of the cloud, all the way through its box.
    struct Way {
        double in = 1, out = 0, perDepth = 1; ///< depths; metres of the world for each of depth
        int steps = 0;
        std::array<float, CloudDensity::mostPlaces> densities; ///< per metre, of each step
        /// As each step begins, and after the last: what is behind, through how much it is seen, and the sum
        /// of the depths of what hides it by how much it does.
        std::array<float, CloudDensity::mostPlaces + 1> thickness, through, depths;
        /// Of a lit one: light at each step, and as `depths` its sums.
        std::vector<Imath::V3f> light, lights;
        double step() const { return (out - in) / steps; }
    };
    Way wayOf(const V2d& place, int steps, int pixels) const {
        Way way;
        const Line line = lineOf(place);
        way.in = line.in, way.out = line.out;
        way.perDepth = optics::rayThrough(m_view, place).length();
        if (!(way.in < way.out) || (m_density.even() && m_density.sharp() && !m_shading)) return way;
        way.steps = steps;
        const double step = (way.out - way.in) / steps;
        m_density.along({line.from, line.along, m_moved, way.in + 0.5 * step, step,
                         step * line.along.length(), pixels / (m_view.slope * m_scale)},
                        steps, way.densities.data());
        const auto count = static_cast<std::size_t>(steps);
        way.thickness[0] = way.depths[0] = 0;
        for (std::size_t i = 0; i < count; ++i)
            way.thickness[i + 1] =
                way.thickness[i] + way.densities[i] * static_cast<float>(step * way.perDepth);
        exponentials(way.thickness.data(), steps + 1, way.through.data());
        for (std::size_t i = 0; i < count; ++i)
            way.depths[i + 1] =
                way.depths[i] + (way.through[i] - way.through[i + 1]) *
                                    static_cast<float>(way.in + (static_cast<double>(i) + 0.5) * step);
        way.light.clear(), way.lights.clear();
        if (!m_shading) return way;
        const V3d ray = optics::rayThrough(m_view, place);
        way.lights.emplace_back(0.f);
        for (std::size_t i = 0; i < count; ++i) {
            const V3d at = m_view.eye + ray * (way.in + (static_cast<double>(i) + 0.5) * step);
            way.light.emplace_back(motion::lightThrough(m_lamps, m_ambient, m_shading->front, at));
            way.lights.push_back(way.lights.back() +
                                 way.light.back() * (way.through[i] - way.through[i + 1]));
        }
        return way;
    }
    /// Those of a grid, which one gap after the other asks for.
    const std::vector<Way>& waysOf(const Grid& grid) const {
        struct Kept {
            std::uint64_t number = 0;
            media::Box box;
            int step = 0;
            std::vector<Way> ways;
        };
        thread_local Kept kept;
        if (kept.number == m_number && kept.box == grid.box && kept.step == grid.step) return kept.ways;
        kept.number = m_number, kept.box = grid.box, kept.step = grid.step;
        kept.ways.resize(static_cast<std::size_t>(grid.across) * grid.down);
        for (std::size_t n = 0; n < kept.ways.size(); ++n)
            kept.ways[n] = wayOf(grid.at(static_cast<int>(n)), m_steps, grid.step);
        return kept.ways;
    }

    /// What a way has up to a depth.
    struct Part {
        double thickness, through, depths;
        Imath::V3f lights{0};
    };
    static Part partAt(const Way& way, double depth) {
        const double at = (depth - way.in) / way.step();
        const int step = std::clamp(static_cast<int>(at), 0, way.steps - 1);
        const auto i = static_cast<std::size_t>(step);
        const double from = way.thickness[i],
                     more = static_cast<double>(way.densities[i]) * (at - step) * way.step() * way.perDepth,
                     through = std::exp(-from - more);
        Part part{from + more, through,
                  static_cast<double>(way.depths[i]) +
                      (static_cast<double>(way.through[i]) - through) * (way.in + (step + 0.5) * way.step())};
        if (!way.light.empty())
            part.lights = way.lights[i] + way.light[i] * (way.through[i] - static_cast<float>(through));
        return part;
    }

    void march(const Gap& gap, const V2d& place, const Way& way, float* rgba) const {
        std::fill_n(rgba, 4, 0.f);
        if (!(way.in < way.out)) return;
        const double nearest = std::max(way.in, 1 / gap.nearAt(place.x, place.y)),
                     farthest = std::min(way.out, 1 / std::max(gap.farAt(place.x, place.y), 1e-30));
        if (!(nearest < farthest)) return;
        double through = 1, depth = 0, weight = 0; // mean depth of the light that it gives
        Imath::V3f lit(1);
        if (way.steps == 0) {
            through = std::exp(-m_cloud.density * (farthest - nearest) * way.perDepth);
            depth = nearest, weight = 1;
        } else {
            const Part a = partAt(way, nearest), b = partAt(way, farthest);
            through = std::exp(a.thickness - b.thickness);
            // Of what it hides, in shares of what is seen at all.
            weight = a.through - b.through, depth = b.depths - a.depths;
            if (m_shading)
                lit = weight > 1e-6 ? (b.lights - a.lights) / static_cast<float>(weight) : way.light.front();
            if (!(weight > 1e-12)) weight = 1, depth = nearest;
        }
        const auto taken = static_cast<float>(1 - through) * m_opacity;
        const scene::Colour& own = m_cloud.colour;
        const double of[4] = {own.r, own.g, own.b, own.a};
        for (int c = 0; c < 4; ++c)
            rgba[c] = static_cast<float>(of[c]) * taken * (c < 3 ? lit[c] : 1);
        if (m_air.density > 0 && weight > 0)
            throughAir(m_air, static_cast<float>(place.x), static_cast<float>(place.y), weight / depth, rgba);
        if (m_light) rgba[3] = 0;
    }

    optics::View m_view;
    optics::Affine m_place;
    V3d m_moved;
    scene::Cloud m_cloud;
    CloudDensity m_density;
    Air m_air;
    bool m_light;
    float m_opacity;
    int m_grid, m_steps;
    scene::ShadingPtr m_shading; ///< null: it takes no light
    std::vector<motion::LampAt> m_lamps;
    scene::Ambient m_ambient;
    const std::uint64_t m_number = nextNumber(); ///< tells it from all others there have been
    double m_near = infinite, m_far = -infinite, m_scale = 1;
};

/// Air that is known in closed form along a ray through the lens's middle.
class AirFill : public Fill {
public:
    void paintUnder(const Gap& gap, Canvas& canvas) const override {
        paintOnGrid(Grid(gap.box, m_grid), canvas,
                    [&](int, const V2d& place, float* rgba) { along(gap, place, rgba); });
    }
    bool variesByRay() const override { return false; }
    void see(const Gap& gap, const FillRay& ray, float* rgba) const override {
        float seen[4];
        along(gap, {ray.x, ray.y}, seen);
        addUnder(rgba, seen);
    }

protected:
    AirFill(const motion::Frame& frame, const Quality& quality)
        : m_view(frame.view), m_grid(gridFor(frame.view, quality)) {}
    optics::View m_view;

private:
    /// What is seen of it in a gap at a place of the frame: four values.
    virtual void along(const Gap& gap, const V2d& place, float* rgba) const = 0;
    int m_grid;
};

/// Haze that shows the light of lamps.
class HaloFill : public AirFill {
public:
    explicit HaloFill(const motion::Frame& frame)
        : AirFill(frame, {.method = Method::Final}), m_haze(frame.haze),
          m_paint(frame.blending == scene::Blending::Paint) {
        for (const motion::LampAt& lamp : frame.lamps)
            if (lamp.halo > 0) m_lamps.push_back(lamp);
    }
    bool empty() const { return m_lamps.empty(); }

    std::pair<double, double> nearnessIn(const media::Box&) const override {
        double near = infinite, far = 0;
        for (const motion::LampAt& lamp : m_lamps) {
            const double depth = optics::depthOf(m_view, lamp.place);
            near = std::min(near, depth - lamp.reach), far = std::max(far, depth + lamp.reach);
        }
        if (!(far > 0)) return {1, 0};
        return {1 / far, near > 1e-6 ? 1 / near : 1e6};
    }
    bool isIn(const Gap& gap) const override {
        const auto [low, high] = nearnessIn(gap.box);
        return low <= high && low < gap.nears().second && high > gap.fars().first;
    }

private:
    void along(const Gap& gap, const V2d& place, float* rgba) const override {
        V3d ray = optics::rayThrough(m_view, place);
        const double perDepth = ray.length(), far = gap.farAt(place.x, place.y);
        ray /= perDepth;
        const double a = std::max(m_haze.start, perDepth / gap.nearAt(place.x, place.y)),
                     b = far > 0 ? perDepth / far : infinite;
        rgba[3] = 0;
        const V3d light = b > a ? between(ray, a, b) : V3d(0);
        for (int c = 0; c < 3; ++c)
            rgba[c] = static_cast<float>(light[c]);
        if (!m_paint || !(b > a)) return;
        // Paint adds encoded values, whose sum over all gaps is to be that of the whole way.
        const V3d before = between(ray, m_haze.start, a), whole = between(ray, m_haze.start, b);
        for (int c = 0; c < 3; ++c)
            rgba[c] = decode(encode(static_cast<float>(whole[c])) - encode(static_cast<float>(before[c])));
    }
    V3d between(const V3d& ray, double a, double b) const {
        V3d sum(0);
        for (const motion::LampAt& lamp : m_lamps) {
            const double light = motion::lightAlong(lamp, m_view.eye, ray, a, b);
            if (!(light > 0)) continue;
            // Most of it comes from where the ray is nearest to the lamp.
            const double from = std::max(m_haze.start, (lamp.place - m_view.eye).dot(ray));
            sum += lamp.light *
                   (light * lamp.halo * m_haze.density * std::exp(-m_haze.density * (from - m_haze.start)));
        }
        return sum * V3d(m_haze.colour.r, m_haze.colour.g, m_haze.colour.b);
    }

    scene::Haze m_haze;
    bool m_paint;
    std::vector<motion::LampAt> m_lamps;
};

class MistFill : public AirFill {
public:
    MistFill(const motion::Frame& frame, const Quality& quality)
        : AirFill(frame, quality), m_mist(frame.mist) {
        const V3d right = m_view.right / m_view.slope, down = m_view.up / -m_view.slope;
        m_rise = {m_view.forward.y - right.y * m_view.centre.x - down.y * m_view.centre.y, right.y, down.y};
    }

    std::pair<double, double> nearnessIn(const media::Box& box) const override {
        // Where all rays of it stay above the top there is none.
        if (m_view.eye.y >= m_mist.top) {
            bool down = false;
            for (const int x : {box.x0, box.x1})
                for (const int y : {box.y0, box.y1})
                    down = down || m_rise.at(x, y) < 0;
            if (!down) return {1, 0};
        }
        return {0, 1e6};
    }
    bool isIn(const Gap& gap) const override {
        const auto [low, high] = nearnessIn(gap.box);
        return low <= high && gap.nears().second > gap.fars().first;
    }

private:
    /// Of how much there is up to a height.
    double upTo(double height) const {
        const double soft = m_mist.soft, low = m_mist.top - soft;
        if (height <= low) return height;
        if (height >= m_mist.top) return low + soft / 2;
        const double left = m_mist.top - height;
        return low + soft / 2 - left * left / (2 * soft);
    }
    void along(const Gap& gap, const V2d& place, float* rgba) const override {
        const double perDepth =
                         std::sqrt(1 + (place - m_view.centre).length2() / (m_view.slope * m_view.slope)),
                     rise = m_rise.at(place.x, place.y) / perDepth, far = gap.farAt(place.x, place.y);
        const double a = std::max(m_mist.start, perDepth / gap.nearAt(place.x, place.y)),
                     b = far > 0 ? perDepth / far : infinite;
        double path = 0;
        if (b > a) {
            if (std::abs(rise) > 1e-9)
                path = (upTo(m_view.eye.y + rise * b) - upTo(m_view.eye.y + rise * a)) / rise;
            else if (m_view.eye.y < m_mist.top)
                path = std::clamp((m_mist.top - m_view.eye.y) / m_mist.soft, 0.0, 1.0) * (b - a);
        }
        std::fill_n(rgba, 4, 0.f);
        if (!(path > 0)) return;
        const auto taken = static_cast<float>(1 - std::exp(-m_mist.density * path));
        const scene::Colour& own = m_mist.colour;
        const double of[4] = {own.r, own.g, own.b, own.a};
        for (int c = 0; c < 4; ++c)
            rgba[c] = static_cast<float>(of[c]) * taken;
    }

    scene::Mist m_mist;
    Linear m_rise; ///< m upwards for each of depth
};

}

FillPtr cloudFill(const motion::Item& item, const motion::Frame& frame, const Quality& quality,
                  const Air& air) {
    return std::make_shared<CloudFill>(item, frame, quality, air);
}

FillPtr haloFill(const motion::Frame& frame) {
    if (!(frame.haze.density > 0)) return nullptr;
    auto halo = std::make_shared<HaloFill>(frame);
    return halo->empty() ? nullptr : halo;
}

FillPtr mistFill(const motion::Frame& frame, const Quality& quality) {
    return frame.mist.density > 0 ? std::make_shared<MistFill>(frame, quality) : nullptr;
}

}
