#include "render/particle_fill.h"

#include "cutout/source.h"
#include "media/parallel.h"
#include "motion/particles.h"
#include "optics/view.h"
#include "render/brush.h"
#include "render/lens_points.h"
#include "render/spots.h"
#include "render/sprite.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numbers>

namespace stage::render {
namespace {

constexpr float pi = std::numbers::pi_v<float>;
constexpr int tileSide = Canvas::side;
/// What adds less than this to a pixel, in all channels, is not drawn.
constexpr float leastLight = 1.f / 8192;
/// Pictures of particles are read no finer than this.
constexpr int longestSide = 1024;
/// Particles that reach more tiles are kept in one list for all of them.
constexpr int mostTiles = 512;

/// Of a disc with an edge that falls evenly from `radius - edge` to `radius + edge`, so that all of it
/// together is as if it were sharp.
float rampArea(float radius, float edge) {
    return pi * (radius * radius + edge * edge / 3);
}

class ParticleFill : public Fill {
public:
    ParticleFill(const motion::Frame& frame, std::vector<Spot> spots, std::vector<Sprite> sprites,
                 const Opening& opening)
        : m_grid((frame.size.x + tileSide - 1) / tileSide, (frame.size.y + tileSide - 1) / tileSide),
          m_spots(std::move(spots)), m_sprites(std::move(sprites)), m_opening(opening) {
        std::stable_sort(m_spots.begin(), m_spots.end(),
                         [](const Spot& a, const Spot& b) { return a.nearness > b.nearness; });
        m_first.assign(static_cast<std::size_t>(m_grid.x) * m_grid.y + 1, 0);
        const auto each = [&](const auto& visit) {
            for (std::size_t n = 0; n < m_spots.size(); ++n) {
                const Spot& spot = m_spots[n];
                const auto tile = [](float at, int most) {
                    return static_cast<int>(std::clamp(at / tileSide, -1.f, static_cast<float>(most)));
                };
                const float rx = spot.reach + std::abs(spot.dx), ry = spot.reach + std::abs(spot.dy);
                const int x0 = std::max(0, tile(spot.x - rx, m_grid.x)),
                          y0 = std::max(0, tile(spot.y - ry, m_grid.y)),
                          x1 = std::min(m_grid.x - 1, tile(spot.x + rx, m_grid.x)),
                          y1 = std::min(m_grid.y - 1, tile(spot.y + ry, m_grid.y));
                if (x1 < x0 || y1 < y0 || spot.x + rx < 0 || spot.y + ry < 0) continue;
                visit(static_cast<std::uint32_t>(n), x0, y0, x1, y1);
            }
        };
        each([&](std::uint32_t n, int x0, int y0, int x1, int y1) {
            if ((x1 - x0 + 1) * (y1 - y0 + 1) > mostTiles) {
                m_large.push_back(n);
                return;
            }
            for (int y = y0; y <= y1; ++y)
                for (int x = x0; x <= x1; ++x)
                    ++m_first[static_cast<std::size_t>(y) * m_grid.x + x + 1];
        });
        for (std::size_t i = 1; i < m_first.size(); ++i)
            m_first[i] += m_first[i - 1];
        m_in.resize(m_first.back());
        std::vector<std::uint32_t> next(m_first.begin(), m_first.end() - 1);
        each([&](std::uint32_t n, int x0, int y0, int x1, int y1) {
            if ((x1 - x0 + 1) * (y1 - y0 + 1) > mostTiles) return;
            for (int y = y0; y <= y1; ++y)
                for (int x = x0; x <= x1; ++x)
                    m_in[next[static_cast<std::size_t>(y) * m_grid.x + x]++] = n;
        });
    }

    std::pair<double, double> nearnessIn(const media::Box& box) const override {
        double low = 1, high = 0;
        forSpots(box, [&](const Spot& spot) {
            const auto here = static_cast<double>(spot.nearness);
            low = high == 0 ? here : std::min(low, here);
            high = std::max(high, here);
            return true;
        });
        return {low, high};
    }

    bool isIn(const Gap& gap) const override {
        bool any = false;
        forSpotsIn(gap, [&](const Spot&) {
            any = true;
            return false;
        });
        return any;
    }

    void paintUnder(const Gap& gap, Canvas& canvas) const override {
        forSpotsIn(gap, [&](const Spot& spot) {
            paint(spot, gap.box, canvas);
            return true;
        });
    }

    bool variesByRay() const override { return true; }
    void see(const Gap& gap, const FillRay& ray, float* rgba) const override {
        const auto x = static_cast<float>(ray.x), y = static_cast<float>(ray.y);
        forSpots(gap.box, [&](const Spot& spot) {
            const float dx = x - (spot.x + spot.dx * ray.t + spot.disc * ray.p),
                        dy = y - (spot.y + spot.dy * ray.t - spot.disc * ray.q);
            if (std::abs(dx) > spot.size * 1.5f + 2 || std::abs(dy) > spot.size * 1.5f + 2 ||
                !within(gap, spot))
                return true;
            float seen[4];
            if (spot.sprite) {
                picture(spot, dx, dy, std::log2(texelsPerPixel(spot)), seen);
            } else {
                // Never smaller than a pixel, which a ray might miss.
                const float radius = spot.soft ? spot.size / 2 : spot.size, edge = spot.soft ? radius : 0.5f,
                            wide = std::max(radius, 0.75f), soft = std::max(edge, 0.5f),
                            area = rampArea(radius, spot.soft ? edge : 0);
                const float share = area / std::max(area, rampArea(wide, soft)) *
                                    std::clamp((wide + soft - std::hypot(dx, dy)) / (2 * soft), 0.f, 1.f);
                for (int c = 0; c < 4; ++c)
                    seen[c] = spot.rgba[c] * share;
            }
            addUnder(rgba, seen);
            return true;
        });
    }

private:
    /// Those that may reach a box, nearest first, until visit gives false.
    template <class Visit> void forSpots(const media::Box& box, const Visit& visit) const {
        // A box lies in one tile.
        const std::size_t tile = static_cast<std::size_t>(box.y0 / tileSide) * m_grid.x + box.x0 / tileSide;
        std::size_t own = m_first[tile], large = 0;
        const std::size_t end = m_first[tile + 1];
        while (own < end || large < m_large.size()) { // both nearest first
            const bool fromOwn = large == m_large.size() || (own < end && m_in[own] < m_large[large]);
            if (!visit(m_spots[fromOwn ? m_in[own++] : m_large[large++]])) return;
        }
    }

    /// Those that lie in a gap, nearest first, until visit gives false.
    template <class Visit> void forSpotsIn(const Gap& gap, const Visit& visit) const {
        const auto nears = gap.nears(), fars = gap.fars();
        forSpots(gap.box, [&](const Spot& spot) {
            const auto here = static_cast<double>(spot.nearness);
            if (here < fars.first) return false; // as all that follow
            if (here >= nears.second) return true;
            const bool sure = here < nears.first && here >= fars.second;
            return !(sure || within(gap, spot)) || visit(spot);
        });
    }
    /// All of one is in front of a card or behind it, by its middle.
    static bool within(const Gap& gap, const Spot& spot) {
        const double x = std::clamp<double>(spot.x, gap.box.x0, gap.box.x1),
                     y = std::clamp<double>(spot.y, gap.box.y0, gap.box.y1);
        const auto here = static_cast<double>(spot.nearness);
        return here < gap.nearAt(x, y) && here >= gap.farAt(x, y);
    }

    static float texelsPerPixel(const Spot& spot) {
        return std::max(1.f, static_cast<float>(std::max(spot.sprite->size().x, spot.sprite->size().y)) /
                                 std::max(2 * spot.size, 1e-3f));
    }
    /// At a place from its middle, px.
    static void picture(const Spot& spot, float dx, float dy, float level, float* rgba) {
        const float det = spot.across[0] * spot.up[1] - spot.across[1] * spot.up[0];
        if (!(std::abs(det) > 1e-12f)) {
            std::fill_n(rgba, 4, 0.f);
            return;
        }
        const float u = (dx * spot.up[1] - dy * spot.up[0]) / det,
                    v = (spot.across[0] * dy - spot.across[1] * dx) / det;
        spot.sprite->sample((u + 1) / 2, (1 - v) / 2, level, rgba);
        for (int c = 0; c < 4; ++c)
            rgba[c] *= spot.rgba[c];
    }

    void paint(const Spot& spot, const media::Box& box, Canvas& canvas) const {
        if (spot.kind != Spot::Kind::Picture) return paintSpot(spot, m_opening, box, canvas);
        const media::Box seen = spot.boxIn(box);
        for (int y = seen.y0; y < seen.y1; ++y)
            for (int x = seen.x0; x < seen.x1; ++x) {
                float rgba[4];
                drawnOut(spot, static_cast<float>(x) + 0.5f - spot.x, static_cast<float>(y) + 0.5f - spot.y,
                         rgba);
                addUnder(canvas.row(y - box.y0) + 4 * (x - box.x0), rgba);
            }
    }
    /// Its picture as a mean over its way.
    static void drawnOut(const Spot& spot, float dx, float dy, float* rgba) {
        const int steps =
            std::clamp(static_cast<int>(std::ceil(spot.length / std::max(1.f, spot.size / 3))), 1, 12);
        if (steps == 1) return picture(spot, dx, dy, spot.level, rgba);
        std::fill_n(rgba, 4, 0.f);
        for (int i = 0; i < steps; ++i) {
            const float t = (2 * static_cast<float>(i) + 1) / static_cast<float>(steps) - 1;
            float seen[4];
            picture(spot, dx - t * spot.dx, dy - t * spot.dy, spot.level, seen);
            for (int c = 0; c < 4; ++c)
                rgba[c] += seen[c] / static_cast<float>(steps);
        }
    }

    V2i m_grid;
    std::vector<Spot> m_spots; ///< nearest first
    std::vector<Sprite> m_sprites;
    Opening m_opening;
    std::vector<std::uint32_t> m_first, m_in; ///< spots of each tile: from m_in[m_first[tile]] on
    std::vector<std::uint32_t> m_large;
};

/// Of points over a life; 1 where there are none.
float valueAt(const std::vector<scene::Particles::Point>& points, double share) {
    if (points.empty()) return 1;
    if (share <= points.front().at) return static_cast<float>(points.front().value);
    for (std::size_t i = 1; i < points.size(); ++i)
        if (share < points[i].at) {
            const auto &a = points[i - 1], &b = points[i];
            return static_cast<float>(a.value + (b.value - a.value) * (share - a.at) / (b.at - a.at));
        }
    return static_cast<float>(points.back().value);
}

void colourAt(const std::vector<scene::ColourStop>& stops, double share, float* rgba) {
    const auto set = [&](const scene::Colour& c) {
        const double of[4] = {c.r, c.g, c.b, c.a};
        for (int i = 0; i < 4; ++i)
            rgba[i] = static_cast<float>(of[i]);
    };
    if (stops.empty()) return set({1, 1, 1, 1});
    if (share <= stops.front().at) return set(stops.front().colour);
    for (std::size_t i = 1; i < stops.size(); ++i)
        if (share < stops[i].at) {
            const scene::Colour &a = stops[i - 1].colour, &b = stops[i].colour;
            const double f = (share - stops[i - 1].at) / (stops[i].at - stops[i - 1].at);
            return set(
                {a.r + (b.r - a.r) * f, a.g + (b.g - a.g) * f, a.b + (b.b - a.b) * f, a.a + (b.a - a.a) * f});
        }
    set(stops.back().colour);
}

/// What is thrown for a particle: how large a disc, or along how long a way.
void prepare(Spot& spot, double openingShare, Method method) {
    if (method == Method::Pinhole) spot.disc = 0;
    const float blur = std::abs(spot.disc);
    spot.length = 2 * std::hypot(spot.dx, spot.dy);
    if (spot.length > 1e-6f) spot.alongX = 2 * spot.dx / spot.length, spot.alongY = 2 * spot.dy / spot.length;
    // How much of the square about it is filled.
    float area = spot.soft ? pi * spot.size * spot.size / 3 : pi * spot.size * spot.size;
    if (spot.sprite) {
        const float det = std::abs(spot.across[0] * spot.up[1] - spot.across[1] * spot.up[0]);
        const bool looked = blur < 0.7f * spot.size && spot.length < 4 * spot.size;
        if (spot.size > 1 && (looked || method == Method::Traced)) {
            spot.kind = Spot::Kind::Picture;
            const float texels = static_cast<float>(std::max(spot.sprite->size().x, spot.sprite->size().y));
            spot.level = std::log2(std::max(1.f, texels / (2 * spot.size) * std::max(1.f, 1.2f * blur)));
            spot.reach = std::hypot(spot.across[0], spot.across[1]) + std::hypot(spot.up[0], spot.up[1]) +
                         2 * std::exp2(spot.level) * spot.size / texels + 1 + blur;
            return;
        }
        // As a disc of its mean colour, as large as the square that it fills.
        const float* mean = spot.sprite->mean();
        for (int c = 0; c < 4; ++c)
            spot.rgba[c] *= mean[c];
        spot.sprite = nullptr;
        spot.size = std::max(std::sqrt(4 * det / pi), 1e-6f);
        area = pi * spot.size * spot.size;
    }
    const float own = spot.soft && blur < spot.size ? spot.size / 2 : spot.size;
    spot.radius = std::max(own, blur);
    spot.edge = std::max(0.5f, blur > spot.size ? spot.size : spot.soft ? std::max(own, blur) : blur);
    const bool moves = spot.length > std::max(0.5f * spot.edge, 0.5f);
    if (!moves && area <= 1 && blur < 0.5f) {
        spot.kind = Spot::Kind::Point;
        spot.peak = area;
        spot.reach = 1.5f;
        return;
    }
    spot.radius = std::max(spot.radius, spot.edge);
    float filled = rampArea(spot.radius, spot.edge);
    if (moves) {
        spot.kind = Spot::Kind::Streak;
        if (blur > spot.size) { // a round opening of the same area
            spot.radius *= static_cast<float>(std::sqrt(openingShare));
            filled = rampArea(spot.radius, spot.edge);
        }
        spot.peak = area / filled;
    } else {
        spot.peak = area / (blur > spot.size ? filled * static_cast<float>(openingShare) : filled);
    }
    spot.reach = spot.radius + spot.edge + 1;
}

/// One layer as particles may show it, no finer than they need.
Result<Sprite> read(const motion::Pixels& pixels, float widest, media::PixelCache& cache,
                    const Progress& progress) {
    const media::PixelSourcePtr source = cutout::sourceOf(pixels);
    const V2i size = source->size();
    int level = 0;
    while (level + 1 < media::levelCount(size)) {
        const V2i here = media::levelSize(size, level);
        const auto side = static_cast<float>(std::max(here.x, here.y));
        if (side <= longestSide && side / 2 < widest) break;
        ++level;
    }
    const V2i at = media::levelSize(size, level);
    auto raster = cache.read(source, level, media::boxOf(at), {{}, progress.stop});
    if (!raster) return tl::unexpected(raster.error());
    Image image(at);
    for (int y = 0; y < at.y; ++y)
        for (int i = 0; i < 4 * at.x; ++i)
            image.row(y)[i] = float(raster->row(y)[i]);
    return Sprite(std::move(image));
}

}

Result<FillPtr> particleFill(const motion::Item& item, const motion::Frame& frame, const Quality& quality,
                             const Air& air, media::PixelCache& cache, const Progress& progress) {
    const auto& particles = std::get<scene::Particles>(item.layer->content);
    const motion::ParticleSystem system(particles);
    const motion::BoxPlace& place = *item.box;
    const bool sharp = quality.method == Method::Pinhole;
    const double half = sharp ? 0 : frame.halfExposure;
    const optics::View &view = frame.view, &open = frame.open, &close = frame.close;
    const double scale = std::sqrt(place.now.x.length() * place.now.y.length());
    const Opening opening{frame.iris.blades, static_cast<float>(radians(frame.iris.turn))};
    const double share = openingShare(opening);

    std::vector<Spot> spots(static_cast<std::size_t>(particles.count));
    const auto spotOf = [&](int index, float& pick) -> Spot {
        Spot spot;
        const motion::Particle particle = system.at(index, frame.time, half, place.moved);
        pick = static_cast<float>(particle.pick);
        const V3d world = place.now(particle.place);
        const double depth = optics::depthOf(view, world);
        const auto at = optics::project(view, world);
        const double size =
            particle.size * scale * static_cast<double>(valueAt(particles.sizes, particle.share)) / 2;
        if (!at || !(depth > std::max({2 * view.aperture, size, 1e-6})) || !(size > 0)) return spot;
        spot.x = static_cast<float>(at->x), spot.y = static_cast<float>(at->y);
        spot.nearness = static_cast<float>(1 / depth);
        spot.size = static_cast<float>(size * view.slope / depth);
        spot.disc = static_cast<float>(view.aperture * view.slope * (1 / view.focus - 1 / depth));
        V3d way = place.now.direction(particle.close - particle.open);
        if (half > 0) {
            const auto from = optics::project(open, place.open(particle.open)),
                       to = optics::project(close, place.close(particle.close));
            if (from && to)
                spot.dx = static_cast<float>((to->x - from->x) / 2),
                spot.dy = static_cast<float>((to->y - from->y) / 2);
        }
        // What it shows.
        const float opacity = static_cast<float>(item.opacity) * valueAt(particles.opacities, particle.share);
        float over[4];
        colourAt(particles.colours, particle.share, over);
        const double own[4] = {particles.colour.r, particles.colour.g, particles.colour.b,
                               particles.colour.a};
        const bool light = item.blend == scene::Blend::Add;
        for (int c = 0; c < 3; ++c)
            spot.rgba[c] = static_cast<float>(own[c] * particles.light) * over[c] * opacity;
        spot.rgba[3] = static_cast<float>(own[3]) * over[3] * opacity;
        if (const auto& shading = item.layer->shading) {
            const V3d lit = motion::lightThrough(frame.lamps, frame.ambient, shading->front, world);
            for (int c = 0; c < 3; ++c)
                spot.rgba[c] *= static_cast<float>(lit[c]);
        }
        if (light) spot.rgba[3] = 0;
        if (air.density > 0) {
            float through[4] = {1, 1, 1, 0};
            throughAir(air, spot.x, spot.y, static_cast<double>(spot.nearness), through);
            for (int c = 0; c < 3; ++c)
                spot.rgba[c] = spot.rgba[c] * through[0] + air.colour[c] * (1 - through[0]) * spot.rgba[3];
        }
        if (!item.pictures.empty() || particles.shape > scene::ParticleShape::Soft ||
            particles.facing == scene::ParticleFacing::Tumbling) {
            spot.sprite = &spriteOf(particles.shape); // of several pictures one is chosen below
            double angle = particle.angle, squash = 1;
            if (particles.facing == scene::ParticleFacing::Way && half <= 0)
                way = place.now.direction(particle.way);
            if (particles.facing == scene::ParticleFacing::Way && way.length() > 1e-12) {
                const double right = way.dot(view.right), up = way.dot(view.up);
                if (std::hypot(right, up) > 1e-12) angle += std::atan2(-right, up);
            } else if (particles.facing == scene::ParticleFacing::Tumbling) {
                squash = std::cos(particle.tumble);
            }
            const auto s = static_cast<float>(std::sin(angle)) * spot.size,
                       c = static_cast<float>(std::cos(angle)) * spot.size;
            const auto narrow = static_cast<float>(std::abs(squash) < 0.04 ? 0.04 : squash);
            spot.across[0] = c * narrow, spot.across[1] = -s * narrow;
            spot.up[0] = -s, spot.up[1] = -c;
        } else {
            spot.soft = particles.shape == scene::ParticleShape::Soft;
        }
        return spot;
    };
    constexpr int chunk = 256;
    std::vector<float> picks(spots.size());
    media::inParallel(0, (particles.count + chunk - 1) / chunk, [&](int n) {
        for (int i = n * chunk; i < std::min(particles.count, (n + 1) * chunk) && !progress.stopped(); ++i) {
            const auto at = static_cast<std::size_t>(i);
            spots[at] = spotOf(i, picks[at]);
        }
    });
    if (progress.stopped()) return cancelled();
    std::vector<Sprite> sprites;
    if (!item.pictures.empty()) {
        float widest = 0;
        for (const Spot& spot : spots)
            if (spot.x > -spot.size && spot.x < static_cast<float>(frame.size.x) + spot.size)
                widest = std::max(widest, spot.size);
        for (const motion::PixelsPtr& pixels : item.pictures) {
            auto sprite = read(*pixels, 2 * widest, cache, progress);
            if (!sprite) return tl::unexpected(sprite.error());
            sprites.push_back(std::move(*sprite));
        }
        for (std::size_t i = 0; i < spots.size(); ++i) {
            const auto which = std::min(
                static_cast<std::size_t>(picks[i] * static_cast<float>(sprites.size())), sprites.size() - 1);
            Spot& spot = spots[i];
            spot.sprite = &sprites[which]; // they stay where they are
            const V2i size = spot.sprite->size();
            const float wide = static_cast<float>(size.x) / static_cast<float>(size.y);
            spot.across[0] *= wide, spot.across[1] *= wide;
        }
    }
    media::inParallel(0, (particles.count + chunk - 1) / chunk, [&](int n) {
        for (int i = n * chunk; i < std::min(particles.count, (n + 1) * chunk); ++i)
            if (Spot& spot = spots[static_cast<std::size_t>(i)]; spot.nearness > 0)
                prepare(spot, share, quality.method);
    });
    std::erase_if(spots, [](const Spot& spot) {
        const float most = std::max({spot.rgba[0], spot.rgba[1], spot.rgba[2], spot.rgba[3]}) *
                           (spot.kind == Spot::Kind::Picture ? 1 : spot.peak);
        return !(spot.nearness > 0) || !(most > leastLight) ||
               !std::isfinite(spot.x + spot.y + spot.reach + spot.dx + spot.dy);
    });
    return std::make_shared<ParticleFill>(frame, std::move(spots), std::move(sprites), opening);
}

}
