#include "render/rays.h"

#include "render/blend.h"
#include "render/curve.h"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/rays.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <hwy/contrib/math/math-inl.h>

#include "render/fetch-inl.h"
#include "render/lens_aim-inl.h"

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// Rays of one pixel that are traced together.
constexpr int batch = 128;

class PixelTracer {
    using D = hn::CappedTag<float, RayPoints::step>;
    using V = hn::Vec<D>;

public:
    PixelTracer(const RayTile& tile, const std::vector<RayCard>& cards)
        : m_tile(tile), m_cards(cards), m_aim(tile.opening) {}

    void trace(int x, int y, float* out) {
        float sum[4] = {0, 0, 0, 0};
        const int count = m_tile.points->count;
        const BlueNoise& noise = blueNoise();
        const int fx = m_tile.x0 + x, fy = m_tile.y0 + y;
        const float shift[4] = {noise.at(fx, fy), noise.at(fx + 23, fy + 37), noise.at(fx + 47, fy + 11),
                                noise.at(fx + 11, fy + 53)};
        for (int from = 0; from < count; from += batch) {
            m_rays = std::min(batch, count - from);
            m_aim.aim(D(), *m_tile.points, from, m_rays, shift, m_p, m_q, m_t, m_a);
            const float px = static_cast<float>(x), py = static_cast<float>(y);
            const int canvasAt = (y * Canvas::side + x) * 4;
            if (m_tile.plain)
                see(px, py, canvasAt, sum);
            else
                mix(px, py, canvasAt, sum);
        }
        for (int c = 0; c < 4; ++c)
            out[c] = sum[c] / static_cast<float>(count);
    }

    void add(const Glint& glint, Canvas& canvas) {
        const D d;
        const int lanes = static_cast<int>(hn::Lanes(d));
        const float reach = std::abs(glint.radius) + 1, gx = glint.x - static_cast<float>(m_tile.x0) - 0.5f,
                    gy = glint.y - static_cast<float>(m_tile.y0) - 0.5f;
        const int y0 = std::max(0, static_cast<int>(std::floor(gy - reach))),
                  y1 = std::min(m_tile.height, static_cast<int>(std::ceil(gy + reach)) + 1);
        const int x0 = std::max(0, static_cast<int>(std::floor(gx - reach))) / lanes * lanes,
                  x1 = std::min(m_tile.width, static_cast<int>(std::ceil(gx + reach)) + 1);
        const float each = 1 / glint.radius, size = std::abs(glint.radius);
        m_rays = lanes;
        hn::Store(hn::Set(d, glint.time), d, m_t);
        const auto zero = hn::Zero(d), one = hn::Set(d, 1.f), half = hn::Set(d, 0.5f);
        for (int y = y0; y < y1; ++y) {
            const float dy = static_cast<float>(y) - gy;
            for (int x = x0; x < x1; x += lanes) {
                const auto dx = hn::Sub(hn::Iota(d, static_cast<float>(x)), hn::Set(d, gx));
                auto p = hn::Mul(dx, hn::Set(d, each)), q = hn::Set(d, -dy * each);
                // Half a pixel around its rim is half in it.
                const auto r = hn::Sqrt(hn::MulAdd(p, p, hn::Mul(q, q)));
                auto inside = hn::Sub(hn::Set(d, size), hn::Mul(r, hn::Set(d, size)));
                for (int k = 0; k < m_aim.blades; ++k) {
                    // Distance from the side between two corners.
                    const float nx = (m_aim.cornerX[k] + m_aim.nextX[k]) / 2,
                                ny = (m_aim.cornerY[k] + m_aim.nextY[k]) / 2, apothem = std::hypot(nx, ny);
                    const auto along =
                        hn::MulAdd(p, hn::Set(d, nx / apothem), hn::Mul(q, hn::Set(d, ny / apothem)));
                    inside = hn::Min(inside, hn::Mul(hn::Sub(hn::Set(d, apothem), along), hn::Set(d, size)));
                }
                auto through = hn::Min(hn::Max(hn::Add(inside, half), zero), one);
                if (hn::AllFalse(d, hn::Gt(through, zero))) continue;
                const auto shrink = hn::Div(one, hn::Max(r, one));
                hn::Store(hn::Mul(p, shrink), d, m_p);
                hn::Store(hn::Mul(q, shrink), d, m_q);
                through = hn::Mul(through, past(m_cards, glint, x, y));
                hn::Store(through, d, m_through);
                float* out = canvas.rgba + 4 * (y * Canvas::side + x);
                for (int i = 0; i < std::min(lanes, m_tile.width - x); ++i, out += 4)
                    for (int c = 0; c < 3; ++c)
                        out[c] += m_through[i] * glint.rgb[c];
            }
        }
    }

private:
    /// What the cards in front of a glint let through, for pixels from (x, y) on, whose rays m_p and m_q
    /// have.
    V past(const std::vector<RayCard>& cards, const Glint& glint, int x, int y) {
        const D d;
        auto through = hn::Set(d, 1.f);
        for (const RayCard& card : cards) {
            if (card.of == glint.of) {
                if (m_tile.ordered) return through;
                continue;
            }
            if (card.blend != scene::Blend::Normal) continue;
            if (!m_tile.ordered) {
                // In front of it in the middle of the lens is in front of it.
                const float w = card.level ? 1 : at(card.w, static_cast<float>(x), static_cast<float>(y));
                const double nearness = card.mesh
                                            ? nearnessAt(*card.mesh, m_tile.x0 + x + 0.5, m_tile.y0 + y + 0.5)
                                            : static_cast<double>(card.nearness * w);
                if (nearness <= static_cast<double>(glint.nearness)) continue;
            }
            V alpha;
            if (!card.group.empty())
                alpha = hn::Sub(hn::Set(d, 1.f), pastAll(card.group, x, y));
            else
                alpha = alphaOf(card, x, y);
            through = hn::NegMulAdd(hn::Mul(through, alpha), hn::Set(d, card.opacity), through);
        }
        return through;
    }
    V pastAll(const std::vector<RayCard>& cards, int x, int y) {
        const D d;
        auto through = hn::Set(d, 1.f);
        for (const RayCard& card : cards) {
            const auto alpha = card.group.empty() ? alphaOf(card, x, y)
                                                  : hn::Sub(hn::Set(d, 1.f), pastAll(card.group, x, y));
            through = hn::NegMulAdd(hn::Mul(through, alpha), hn::Set(d, card.opacity), through);
        }
        return through;
    }
    V alphaOf(const RayCard& card, int x0, int y) {
        const D d;
        const int lanes = static_cast<int>(hn::Lanes(d));
        if (card.fixed) {
            for (int i = 0; i < lanes; ++i)
                m_cover[i] = card.fixed[4 * (y * Canvas::side + std::min(x0 + i, Canvas::side - 1)) + 3];
            return hn::Load(d, m_cover);
        }
        if (card.mesh) {
            alignas(64) float xs[16], us[16], vs[16];
            for (int i = 0; i < 16; ++i)
                xs[i] = static_cast<float>(x0 + std::min(i, lanes - 1));
            std::fill(m_p + lanes, m_p + 16, m_p[lanes - 1]);
            std::fill(m_q + lanes, m_q + 16, m_q[lanes - 1]);
            std::fill(m_t + lanes, m_t + 16, m_t[lanes - 1]);
            std::fill_n(m_through, 16, 1.f);
            lookAtMesh(card, xs, static_cast<float>(y), 0, us, vs);
            const auto u = hn::Load(d, us), v = hn::Load(d, vs);
            const auto there = hn::Mul(hn::Load(d, m_cover), coverOf(d, card.edges, u, v));
            placeOn(d, card.fine, u, v, 0, m_fine);
            fetch(card.fine, m_fine);
            V r, g, b, a;
            hn::LoadInterleaved4(d, m_seen, r, g, b, a);
            return hn::Mul(a, there);
        }
        const auto x = hn::Iota(d, static_cast<float>(x0)), p = hn::Load(d, m_p), q = hn::Load(d, m_q),
                   t = hn::Load(d, m_t);
        const auto row = static_cast<float>(y);
        const auto on = [&](const TileLinear& l) {
            return hn::MulAdd(hn::Set(d, l.b), x, hn::Set(d, l.a + l.c * row));
        };
        auto u = hn::MulAdd(p, on(card.ru), hn::MulAdd(q, on(card.uu), on(card.u))),
             v = hn::MulAdd(p, on(card.rv), hn::MulAdd(q, on(card.uv), on(card.v)));
        if (!card.still) {
            u = hn::MulAdd(t, hn::MulAdd(t, on(card.ttu), on(card.tu)), u);
            v = hn::MulAdd(t, hn::MulAdd(t, on(card.ttv), on(card.tv)), v);
        }
        if (!card.level) {
            auto w = hn::MulAdd(p, hn::Set(d, card.rw), hn::MulAdd(q, hn::Set(d, card.uw), on(card.w)));
            if (!card.still) w = hn::MulAdd(t, hn::MulAdd(t, on(card.ttw), on(card.tw)), w);
            const auto each = hn::Div(hn::Set(d, 1.f), hn::Max(w, hn::Set(d, 1e-6f)));
            u = hn::Mul(u, each), v = hn::Mul(v, each);
        }
        const auto onto = [&](V at, int from, int to) {
            return hn::MulAdd(
                at, hn::Set(d, card.sharper),
                hn::Set(d, (static_cast<float>(from) + 0.5f) * card.sharper - 0.5f - static_cast<float>(to)));
        };
        const bool sharp = card.sharp.texels != nullptr;
        if (sharp)
            placeOn(d, card.sharp, onto(u, card.fine.x0, card.sharp.x0), onto(v, card.fine.y0, card.sharp.y0),
                    0, m_fine);
        else
            placeOn(d, card.fine, u, v, 0, m_fine);
        fetch(sharp ? card.sharp : card.fine, m_fine);
        V r, g, b, a;
        hn::LoadInterleaved4(d, m_seen, r, g, b, a);
        return card.edges.any ? hn::Mul(a, coverOf(d, card.edges, u, v)) : a;
    }
    static float at(const TileLinear& l, float x, float y) { return l.a + l.b * x + l.c * y; }

    void see(float x, float y, int canvasAt, float* sum) {
        const D d;
        const int lanes = static_cast<int>(hn::Lanes(d));
        for (int i = 0; i < m_rays; i += lanes)
            hn::Store(hn::Set(d, 1.f), d, m_through + i);
        auto r = hn::Zero(d), g = hn::Zero(d), b = hn::Zero(d);
        bool left = true;
        for (std::size_t n = 0; n < m_cards.size() && left; ++n) {
            const RayCard& card = m_cards[n];
            if (card.fixed) {
                left = fixedCard(card.fixed + canvasAt, card.opacity, r, g, b);
                continue;
            }
            if (!look(card, x, y)) continue;
            fetch(card.fine, m_fine);
            if (card.between > 0) mixIn(card.coarse, card.between);
            left = gather(card, r, g, b);
        }
        auto through = hn::Zero(d);
        for (int i = 0; i < m_rays; i += lanes)
            through = hn::Add(through, hn::Load(d, m_through + i));
        const float open = hn::GetLane(hn::SumOfLanes(d, through));
        sum[0] += hn::GetLane(hn::SumOfLanes(d, r)) + open * m_tile.ground[0];
        sum[1] += hn::GetLane(hn::SumOfLanes(d, g)) + open * m_tile.ground[1];
        sum[2] += hn::GetLane(hn::SumOfLanes(d, b)) + open * m_tile.ground[2];
        sum[3] += static_cast<float>(m_rays) - open + open * m_tile.ground[3];
    }

    /// As see(), for whatever is to be mixed in whatever order: every ray by itself, farthest first.
    void mix(float x, float y, int canvasAt, float* sum) {
        if (m_level.empty()) m_level.resize(1);
        std::fill_n(m_through, batch, 1.f);
        mixCards(m_cards, x, y, canvasAt, m_tile.ground, 0);
        const float* rgba = m_level[0].mixed.data();
        for (int i = 0; i < m_rays; ++i, rgba += 4) {
            if (m_tile.paint && rgba[3] > 0)
                for (int c = 0; c < 3; ++c)
                    sum[c] += decode(rgba[c] / rgba[3]) * rgba[3];
            else
                for (int c = 0; c < 3; ++c)
                    sum[c] += rgba[c];
            sum[3] += rgba[3];
        }
    }

    /// Into m_level[depth].mixed.
    void mixCards(const std::vector<RayCard>& cards, float x, float y, int canvasAt, const float* ground,
                  std::size_t depth) {
        if (m_level.size() < depth + 2) m_level.resize(depth + 2);
        const auto rays = static_cast<std::size_t>(m_rays);
        m_level[depth].seen.resize(cards.size() * rays * 4);
        m_level[depth].near.resize(cards.size() * rays);
        m_level[depth].mixed.resize(rays * 4);
        std::vector<std::size_t> present;
        for (std::size_t n = 0; n < cards.size(); ++n) {
            const RayCard& card = cards[n];
            if (!card.group.empty()) {
                const float nothing[4] = {0, 0, 0, 0};
                mixCards(card.group, x, y, canvasAt, nothing, depth + 1);
                std::copy_n(m_level[depth + 1].mixed.data(), 4 * rays,
                            m_level[depth].seen.data() + 4 * n * rays);
            } else {
                float* const out = m_level[depth].seen.data() + 4 * n * rays;
                if (card.fixed) {
                    for (std::size_t i = 0; i < rays; ++i)
                        std::copy_n(card.fixed + canvasAt, 4, out + 4 * i);
                } else {
                    if (!look(card, x, y)) continue;
                    fetch(card.fine, m_fine);
                    if (card.between > 0) mixIn(card.coarse, card.between);
                    for (std::size_t i = 0; i < rays; ++i)
                        for (std::size_t c = 0; c < 4; ++c) {
                            float value = m_seen[4 * i + c];
                            if (card.hazy && c < 3)
                                value = value * m_air[i] +
                                        card.air.colour[c] * (1 - m_air[i]) * m_seen[4 * i + 3];
                            out[4 * i + c] = card.edges.any ? value * m_cover[i] : value;
                        }
                }
                if (m_tile.paint)
                    for (std::size_t i = 0; i < 4 * rays; i += 4)
                        if (const float alpha = out[i + 3]; alpha > 0)
                            for (std::size_t c = 0; c < 3; ++c)
                                out[i + c] = encode(out[i + c] / alpha) * alpha;
            }
            present.push_back(n);
            if (m_tile.ordered) continue;
            const float w0 = card.level ? 1 : at(card.w, x, y), tw = card.still ? 0 : at(card.tw, x, y),
                        ttw = card.still ? 0 : at(card.ttw, x, y);
            for (std::size_t i = 0; i < rays; ++i) {
                if (card.mesh) {
                    m_level[depth].near[n * rays + i] = m_depth[i] > 0 ? 1 / m_depth[i] : 0;
                    continue;
                }
                const float w = w0 + m_p[i] * card.rw + m_q[i] * card.uw + m_t[i] * (tw + m_t[i] * ttw);
                m_level[depth].near[n * rays + i] =
                    card.nearness * w / (1 + m_p[i] * card.perRight + m_q[i] * card.perUp);
            }
        }
        Level& own = m_level[depth];
        std::vector<std::size_t> order = present;
        std::reverse(order.begin(), order.end());
        for (std::size_t i = 0; i < rays; ++i) {
            float* below = own.mixed.data() + 4 * i;
            std::copy_n(ground, 4, below);
            if (!m_tile.ordered) {
                // Those in one plane, to rounding, stay in the order that they are given in.
                order.assign(present.rbegin(), present.rend());
                for (std::size_t a = 1; a < order.size(); ++a)
                    for (std::size_t b = a; b > 0; --b) {
                        const float below_ = own.near[order[b - 1] * rays + i],
                                    above = own.near[order[b] * rays + i];
                        if (below_ <= above * (1 + 1e-5f)) break;
                        std::swap(order[b - 1], order[b]);
                    }
            }
            for (const std::size_t n : order) {
                const float* s = own.seen.data() + 4 * (n * rays + i);
                if (s[0] != 0 || s[1] != 0 || s[2] != 0 || s[3] != 0)
                    blendOnto(below, s, cards[n].opacity, cards[n].blend);
            }
        }
    }

    /// The same for all rays. Whether any light still comes from behind.
    HWY_INLINE bool fixedCard(const float* seen, float opacity, V& r, V& g, V& b) {
        const D d;
        if (seen[3] == 0 && seen[0] == 0 && seen[1] == 0 && seen[2] == 0) return true;
        const float rgba[4] = {seen[0] * opacity, seen[1] * opacity, seen[2] * opacity, seen[3] * opacity};
        auto open = hn::Zero(d);
        const auto keep = hn::Set(d, 1 - rgba[3]);
        for (int i = 0; i < m_rays; i += static_cast<int>(hn::Lanes(d))) {
            const auto t = hn::Load(d, m_through + i);
            r = hn::MulAdd(t, hn::Set(d, rgba[0]), r);
            g = hn::MulAdd(t, hn::Set(d, rgba[1]), g);
            b = hn::MulAdd(t, hn::Set(d, rgba[2]), b);
            const auto after = hn::Mul(t, keep);
            open = hn::Max(open, after);
            hn::Store(after, d, m_through + i);
        }
        return !hn::AllFalse(d, hn::Gt(open, hn::Set(d, 5e-4f)));
    }

    using Fetched = FetchPlaces<batch>;

    /// Sixteen rays, through places of the frame (px from the tile's first pixel's middle) and m_p, m_q from
    /// `first` on: places on the card into u and v, how much of it is there into m_cover, depths into
    /// m_depth.
    void lookAtMesh(const RayCard& card, const float* xs, float y, int first, float* us, float* vs) {
        Rays16 rays = raysThrough(*card.mesh, m_tile.x0 + 0.5, m_tile.y0 + 0.5 + static_cast<double>(y), xs,
                                  m_p + first, m_q + first, m_t + first);
        for (int i = 0; i < 16; ++i)
            rays.valid[i] = m_through[first + i] > 0 ? -1 : 0;
        card.mesh->mesh->meet(rays);
        if (card.behind) {
            for (int i = 0; i < 16; ++i) {
                rays.valid[i] = rays.depth[i] > 0 ? -1 : 0;
                rays.from[i] = rays.depth[i] * 1.0001f;
            }
            card.mesh->mesh->meet(rays);
        }
        for (int i = 0; i < 16; ++i) {
            const bool met = rays.depth[i] > 0;
            us[i] = met ? rays.s[i] * card.scaleU - 0.5f - static_cast<float>(card.fine.x0) : 0;
            vs[i] = met ? rays.t[i] * card.scaleV - 0.5f - static_cast<float>(card.fine.y0) : 0;
            m_depth[first + i] = rays.depth[i];
            m_cover[first + i] = met ? 1 : 0;
        }
    }
    bool lookMesh(const RayCard& card, float x, float y) {
        const D d;
        const int lanes = static_cast<int>(hn::Lanes(d));
        alignas(64) float xs[16], us[16], vs[16];
        std::fill_n(xs, 16, x);
        const auto stretch = hn::Set(d, card.air.stretchAt(x, y));
        bool any = false;
        for (int i = 0; i < m_rays; i += 16) {
            lookAtMesh(card, xs, y, i, us, vs);
            for (int k = 0; k < 16; k += lanes) {
                auto u = hn::Load(d, us + k), v = hn::Load(d, vs + k);
                const auto cover = hn::Mul(hn::Load(d, m_cover + i + k), coverOf(d, card.edges, u, v));
                hn::Store(cover, d, m_cover + i + k);
                any = any || !hn::AllFalse(d, hn::Gt(cover, hn::Zero(d)));
                if (card.hazy) {
                    const auto distance = hn::Mul(hn::Load(d, m_depth + i + k), stretch);
                    const auto through = hn::Max(hn::Sub(distance, hn::Set(d, card.air.start)), hn::Zero(d));
                    hn::Store(hn::Exp(d, hn::Mul(through, hn::Set(d, -card.air.density))), d, m_air + i + k);
                }
                placeOn(d, card.fine, u, v, i + k, m_fine);
            }
        }
        return any;
    }

    /// Where all rays of the pixel meet the card; false where nothing is there.
    bool look(const RayCard& card, float x, float y) {
        if (card.mesh) return lookMesh(card, x, y);
        const D d;
        const float u0 = at(card.u, x, y), v0 = at(card.v, x, y), w0 = card.level ? 1 : at(card.w, x, y);
        const float ru = at(card.ru, x, y), rv = at(card.rv, x, y), uu = at(card.uu, x, y),
                    uv = at(card.uv, x, y);
        float tu = 0, tv = 0, tw = 0, ttu = 0, ttv = 0, ttw = 0;
        if (!card.still) {
            tu = at(card.tu, x, y), tv = at(card.tv, x, y), tw = at(card.tw, x, y);
            ttu = at(card.ttu, x, y), ttv = at(card.ttv, x, y), ttw = at(card.ttw, x, y);
        }
        // All that the pixel may see of it.
        {
            const float spanU = std::abs(ru) + std::abs(uu) + std::abs(tu) + std::abs(ttu),
                        spanV = std::abs(rv) + std::abs(uv) + std::abs(tv) + std::abs(ttv);
            float low = 1, high = 1;
            if (!card.level) {
                const float spanW = std::abs(card.rw) + std::abs(card.uw) + std::abs(tw) + std::abs(ttw);
                low = 1 / std::max(w0 + spanW, 1e-6f), high = 1 / std::max(w0 - spanW, 1e-6f);
            }
            const auto least = [&](float a) { return a < 0 ? a * high : a * low; };
            const auto most = [&](float a) { return a < 0 ? a * low : a * high; };
            const float eu = std::abs(card.du) / 2 + 0.01f, ev = std::abs(card.dv) / 2 + 0.01f;
            const float x0 = least(u0 - spanU) - eu, x1 = most(u0 + spanU) + eu, y0 = least(v0 - spanV) - ev,
                        y1 = most(v0 + spanV) + ev;
            if (card.edges.any &&
                (x1 < card.edges.left - card.edges.reachU || x0 > card.edges.right + card.edges.reachU ||
                 y1 < card.edges.top - card.edges.reachV || y0 > card.edges.bottom + card.edges.reachV))
                return false;
            const auto whole = [](float a) {
                return static_cast<int>(std::clamp(a, -1e6f, 1e6f) + 1e6f) - 1000000;
            };
            if (card.occupancy.clear(whole(x0), whole(y0), whole(x1) + 1, whole(y1) + 1)) return false;
        }
        const auto stretch = hn::Set(d, card.hazy ? card.air.stretchAt(x, y) : 1.f);
        for (int i = 0; i < m_rays; i += static_cast<int>(hn::Lanes(d))) {
            const auto p = hn::Load(d, m_p + i), q = hn::Load(d, m_q + i);
            auto u = hn::MulAdd(p, hn::Set(d, ru), hn::MulAdd(q, hn::Set(d, uu), hn::Set(d, u0))),
                 v = hn::MulAdd(p, hn::Set(d, rv), hn::MulAdd(q, hn::Set(d, uv), hn::Set(d, v0)));
            auto w = hn::Set(d, 1.f);
            if (!card.level)
                w = hn::MulAdd(p, hn::Set(d, card.rw), hn::MulAdd(q, hn::Set(d, card.uw), hn::Set(d, w0)));
            if (!card.still) {
                const auto t = hn::Load(d, m_t + i);
                u = hn::MulAdd(t, hn::MulAdd(t, hn::Set(d, ttu), hn::Set(d, tu)), u);
                v = hn::MulAdd(t, hn::MulAdd(t, hn::Set(d, ttv), hn::Set(d, tv)), v);
                if (!card.level) w = hn::MulAdd(t, hn::MulAdd(t, hn::Set(d, ttw), hn::Set(d, tw)), w);
            }
            if (!card.level) {
                const auto each = hn::Div(hn::Set(d, 1.f), hn::Max(w, hn::Set(d, 1e-6f)));
                u = hn::Mul(u, each), v = hn::Mul(v, each);
            }
            if (card.du != 0 || card.dv != 0) {
                const auto a = hn::Load(d, m_a + i);
                u = hn::MulAdd(a, hn::Set(d, card.du), u);
                v = hn::MulAdd(a, hn::Set(d, card.dv), v);
            }
            if (card.edges.any) hn::Store(coverOf(d, card.edges, u, v), d, m_cover + i);
            if (card.hazy) {
                const auto slant = hn::MulAdd(p, hn::Set(d, card.perRight),
                                              hn::MulAdd(q, hn::Set(d, card.perUp), hn::Set(d, 1.f)));
                const auto depth =
                    hn::Div(slant, hn::Max(hn::Mul(w, hn::Set(d, card.nearness)), hn::Set(d, 1e-7f)));
                const auto through =
                    hn::Max(hn::MulSub(depth, stretch, hn::Set(d, card.air.start)), hn::Zero(d));
                hn::Store(hn::Exp(d, hn::Mul(through, hn::Set(d, -card.air.density))), d, m_air + i);
            }
            placeOn(d, card.fine, u, v, i, m_fine);
            if (card.between > 0) {
                const auto half = hn::Set(d, 0.5f);
                placeOn(d, card.coarse,
                        hn::MulAdd(u, half,
                                   hn::Set(d, (static_cast<float>(card.fine.x0) + 0.5f) * 0.5f - 0.5f -
                                                  static_cast<float>(card.coarse.x0))),
                        hn::MulAdd(v, half,
                                   hn::Set(d, (static_cast<float>(card.fine.y0) + 0.5f) * 0.5f - 0.5f -
                                                  static_cast<float>(card.coarse.y0))),
                        i, m_coarse);
            }
        }
        return true;
    }

    HWY_INLINE void fetch(const Patch& patch, const Fetched& where) {
        const Few few;
        for (int i = 0; i < m_rays; i += Few::pixels)
            hn::Store(few.fetch(patch.texels, patch.stride, where.at + i, where.wx + i, where.wy + i),
                      Few::D(), m_seen + 4 * i);
    }
    HWY_INLINE void mixIn(const Patch& patch, float share) {
        const Few few;
        for (int i = 0; i < m_rays; i += Few::pixels) {
            const auto coarse =
                few.fetch(patch.texels, patch.stride, m_coarse.at + i, m_coarse.wx + i, m_coarse.wy + i);
            const auto fine = hn::Load(Few::D(), m_seen + 4 * i);
            hn::Store(hn::MulAdd(hn::Sub(coarse, fine), few.same(share), fine), Few::D(), m_seen + 4 * i);
        }
    }

    /// Adds what has been fetched. Whether any light still comes from behind.
    HWY_INLINE bool gather(const RayCard& card, V& red, V& green, V& blue) {
        const D d;
        auto open = hn::Zero(d);
        for (int i = 0; i < m_rays; i += static_cast<int>(hn::Lanes(d))) {
            V r, g, b, a;
            hn::LoadInterleaved4(d, m_seen + 4 * i, r, g, b, a);
            if (card.hazy) {
                const auto t = hn::Load(d, m_air + i), veil = hn::Mul(hn::Sub(hn::Set(d, 1.f), t), a);
                r = hn::MulAdd(veil, hn::Set(d, card.air.colour[0]), hn::Mul(r, t));
                g = hn::MulAdd(veil, hn::Set(d, card.air.colour[1]), hn::Mul(g, t));
                b = hn::MulAdd(veil, hn::Set(d, card.air.colour[2]), hn::Mul(b, t));
            }
            const auto through = hn::Load(d, m_through + i);
            auto weight = through;
            if (card.edges.any) weight = hn::Mul(weight, hn::Load(d, m_cover + i));
            if (card.opacity != 1) weight = hn::Mul(weight, hn::Set(d, card.opacity));
            red = hn::MulAdd(weight, r, red);
            green = hn::MulAdd(weight, g, green);
            blue = hn::MulAdd(weight, b, blue);
            const auto after = hn::Sub(through, hn::Mul(weight, a));
            open = hn::Max(open, after);
            hn::Store(after, d, m_through + i);
        }
        return !hn::AllFalse(d, hn::Gt(open, hn::Set(d, 5e-4f)));
    }

    const RayTile& m_tile;
    const std::vector<RayCard>& m_cards;
    int m_rays = 0;
    const LensAim m_aim;
    alignas(64) float m_p[batch], m_q[batch], m_t[batch], m_a[batch], m_through[batch], m_cover[batch],
        m_air[batch], m_depth[batch];
    alignas(64) float m_seen[4 * batch];
    Fetched m_fine, m_coarse;
    struct Level {
        std::vector<float> seen, near, mixed; ///< of each card and ray; of each ray
    };
    std::vector<Level> m_level;
};

void TraceRays(const RayTile& tile, const std::vector<RayCard>& cards, Canvas& canvas,
               const std::stop_token& stop) {
    PixelTracer tracer(tile, cards);
    for (int y = 0; y < tile.height && !stop.stop_requested(); ++y)
        for (int x = 0; x < tile.width; ++x)
            tracer.trace(x, y, canvas.rgba + 4 * (y * Canvas::side + x));
}

void AddGlints(const RayTile& tile, const std::vector<RayCard>& cards,
               const std::vector<const Glint*>& glints, Canvas& canvas) {
    PixelTracer tracer(tile, cards);
    for (const Glint* glint : glints)
        tracer.add(*glint, canvas);
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(TraceRays);
HWY_EXPORT(AddGlints);

void addGlints(const RayTile& tile, const std::vector<RayCard>& cards,
               const std::vector<const Glint*>& glints, Canvas& canvas) {
    HWY_DYNAMIC_DISPATCH(AddGlints)(tile, cards, glints, canvas);
}

void traceRays(const RayTile& tile, const std::vector<RayCard>& cards, Canvas& canvas,
               const std::stop_token& stop) {
    HWY_DYNAMIC_DISPATCH(TraceRays)(tile, cards, canvas, stop);
}

}
#endif
