// Rays of pixels through a tile's cards. Included once for every instruction set.
#if defined(STAGE_RENDER_PIXEL_TRACER_INL_H_) == defined(HWY_TARGET_TOGGLE)
#ifdef STAGE_RENDER_PIXEL_TRACER_INL_H_
#undef STAGE_RENDER_PIXEL_TRACER_INL_H_
#else
#define STAGE_RENDER_PIXEL_TRACER_INL_H_
#endif

#include "render/blend.h"
#include "render/curve.h"
#include "render/rays.h"

#include <algorithm>
#include <cmath>
#include <hwy/contrib/math/math-inl.h>
#include <hwy/highway.h>

#include "render/card_rays-inl.h"

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

class PixelTracer : public CardRays {
public:
    PixelTracer(const RayTile& tile, const std::vector<RayCard>& cards)
        : CardRays(tile, cards), m_cards(cards) {}

    /// Rays `from` to `to` of some pixels. As many as the batch has room for are traced together, so that the
    /// machine need not wait for one's texels before it looks at the next.
    void trace(const Spot* spots, int count, int from, int to) {
        for (; from < to; from += batch) {
            m_rays = std::min(batch, to - from);
            const bool plain = m_tile.ordered && m_tile.simple;
            const int together = plain ? batch / m_rays : 1;
            for (int k = 0; k < count; k += together) {
                const int some = std::min(together, count - k);
                for (int i = 0; i < some; ++i)
                    aim(spots[k + i], i * m_rays, from);
                if (!m_tile.simple)
                    mix(spots[k]);
                else if (!plain && spots[k].halves)
                    seeUnordered<true>(spots[k]);
                else if (!plain)
                    seeUnordered<false>(spots[k]);
                else if (spots[k].halves)
                    see<true>(spots + k, some);
                else
                    see<false>(spots + k, some);
            }
        }
        m_first = 0;
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
                    const auto along =
                        hn::MulAdd(p, hn::Set(d, m_aim.awayX[k]), hn::Mul(q, hn::Set(d, m_aim.awayY[k])));
                    inside =
                        hn::Min(inside, hn::Mul(hn::Sub(hn::Set(d, m_aim.sides), along), hn::Set(d, size)));
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
            if (hn::AllFalse(d, hn::Gt(through, hn::Zero(d)))) break;
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
        if ((card.present[y] >> x0 & ((1u << lanes) - 1)) == 0) return hn::Zero(d);
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
    /// Sums of what rays see, a few rays' colours side by side: of all of them, or of the two halves.
    template <bool halved> struct Light {
        static constexpr int sums = halved ? 2 : 1;
        Few::V of[sums];
        HWY_INLINE Light() {
            for (auto& sum : of)
                sum = hn::Zero(Few::D());
        }
        /// j: of the first of the rays among sixteen.
        HWY_INLINE void add(int j, Few::V weight, Few::V seen) {
            Few::V& sum = of[sumOf(j)];
            sum = hn::MulAdd(weight, seen, sum);
        }
        static constexpr int sumOf(int j) { return halved ? j / (RayPoints::step / 2) : 0; }
    };

    template <bool halved> void see(const Spot* spots, int count) {
        for (int i = 0; i < 4 * count * m_rays; i += 4 * Few::pixels)
            hn::Store(Few().same(1), Few::D(), m_open + i);
        Light<halved> light[mostSpots];
        int open[mostSpots], opened = count; // the pixels to which light still comes from behind
        for (int k = 0; k < count; ++k)
            open[k] = k;
        for (std::size_t n = 0; n < m_cards.size() && opened > 0; ++n) {
            const RayCard& card = m_cards[n];
            int left = 0, met[mostSpots], some = 0;
            if (card.filled) {
                for (int j = 0; j < opened; ++j) {
                    const int k = open[j];
                    m_first = k * m_rays;
                    lookAtFilled(card, spots[k]);
                    if (gather(card, light[k])) open[left++] = k;
                }
                opened = left;
                continue;
            }
            if (card.fixed) {
                for (int j = 0; j < opened; ++j) {
                    const int k = open[j];
                    m_first = k * m_rays;
                    if (fixedCard(card.fixed + canvasAt(spots[k]), card.opacity, light[k])) open[left++] = k;
                }
                opened = left;
                continue;
            }
            for (int j = 0; j < opened; ++j) {
                const int k = open[j];
                m_first = k * m_rays;
                if (card.mesh) // which only rays meet that are open
                    for (int i = m_first; i < m_first + m_rays; ++i)
                        m_through[i] = m_open[4 * i];
                if (look(card, spots[k].x, spots[k].y))
                    met[some++] = k;
                else
                    open[left++] = k;
            }
            for (int j = 0; j < some; ++j) {
                m_first = met[j] * m_rays;
                fetch(card.fine, m_fine);
                if (card.between > 0) mixIn(card.coarse, card.between);
            }
            for (int j = 0; j < some; ++j) {
                m_first = met[j] * m_rays;
                if (gather(card, light[met[j]])) open[left++] = met[j];
            }
            opened = left;
        }
        for (int k = 0; k < count; ++k) {
            m_first = k * m_rays;
            sumUp(spots[k], light[k]);
        }
    }

    /// body(i, j) for the rays of the pixel that is looked at, a vector of them at a time from the i-th of
    /// all on; it is the j-th of its sixteen.
    template <class Body> HWY_INLINE void forRays(const Body& body) {
        for (int i = m_first, end = m_first + m_rays; i < end; i += RayPoints::step)
            for (int j = 0; j < RayPoints::step; j += static_cast<int>(hn::MaxLanes(D())))
                body(i + j, j);
    }

    /// The same, as many at a time as have their colours side by side.
    template <class Body> HWY_INLINE void forFew(const Body& body) {
        for (int i = m_first, end = m_first + m_rays; i < end; i += RayPoints::step)
            for (int j = 0; j < RayPoints::step; j += Few::pixels)
                body(i + j, j);
    }

    /// Of a few rays' colours side by side.
    template <class Side> static HWY_INLINE hn::Vec<Few::One> sumOfSides(Side, hn::Vec<Side> of) {
        if constexpr (hn::MaxLanes(Side()) > 4) {
            const hn::Half<Side> half;
            return sumOfSides(half, hn::Add(hn::LowerHalf(half, of), hn::UpperHalf(half, of)));
        } else {
            return of;
        }
    }
    static HWY_INLINE hn::Vec<Few::One> sumOfSides(Few::V of) { return sumOfSides(Few::D(), of); }
    template <bool halved> HWY_INLINE void sumUp(const Spot& spot, const Light<halved>& light) {
        const Few::One d;
        Few::V through[Light<halved>::sums];
        for (auto& sum : through)
            sum = hn::Zero(Few::D());
        forFew([&](int i, int j) HWY_ATTR {
            auto& sum = through[light.sumOf(j)];
            sum = hn::Add(sum, hn::Load(Few::D(), m_open + 4 * i));
        });
        alignas(16) static constexpr float colours[4] = {1, 1, 1, 0};
        const auto colour = hn::Gt(hn::Load(d, colours), hn::Zero(d));
        const auto ground = hn::LoadU(d, m_tile.ground);
        const auto put = [&](hn::Vec<Few::One> seen, hn::Vec<Few::One> open, float rays, float* to) HWY_ATTR {
            const auto all =
                hn::MulAdd(open, ground, hn::IfThenElse(colour, seen, hn::Sub(hn::Set(d, rays), open)));
            hn::StoreU(hn::Add(hn::LoadU(d, to), all), d, to);
        };
        const auto rays = static_cast<float>(m_rays);
        const auto seen = sumOfSides(light.of[0]), open = sumOfSides(through[0]);
        if constexpr (halved) {
            const auto other = sumOfSides(light.of[1]), otherOpen = sumOfSides(through[1]);
            put(hn::Add(seen, other), hn::Add(open, otherOpen), rays, spot.sum);
            put(hn::Sub(seen, other), hn::Sub(open, otherOpen), 0, spot.halves);
        } else {
            put(seen, open, rays, spot.sum);
        }
    }
    template <bool halved> static constexpr bool halvesApart = halved&& hn::MaxLanes(D()) < RayPoints::step;
    template <bool halved, class Of> static HWY_INLINE void halvesOf(const Of& of, float* sums) {
        const D d;
        sums[1] = 0;
        if constexpr (!halved) {
            sums[0] = hn::GetLane(hn::SumOfLanes(d, of(0)));
        } else if constexpr (halvesApart<halved>) {
            for (int h = 0; h < 2; ++h)
                sums[h] = hn::GetLane(hn::SumOfLanes(d, of(h)));
        } else {
            const hn::Half<D> half;
            sums[0] = hn::GetLane(hn::SumOfLanes(half, hn::LowerHalf(half, of(0))));
            sums[1] = hn::GetLane(hn::SumOfLanes(half, hn::UpperHalf(half, of(0))));
        }
    }

    /// As see(), for cards that each ray meets in an order of its own. Sums are lane by lane: of all rays, or
    /// of the two halves where a vector does not hold both.
    template <bool halved> void seeUnordered(const Spot& spot) {
        const D d;
        constexpr int sumCount = halvesApart<halved> ? 2 : 1;
        m_first = 0;
        std::fill_n(m_through, batch, 1.f);
        // Of those in one plane the later lies below: they stay in that order.
        m_met.resize(5 * batch * m_cards.size());
        std::size_t count = 0;
        for (std::size_t n = m_cards.size(); n-- > 0;)
            if (meet(m_cards[n], spot, m_met.data() + 5 * batch * count)) ++count;
        V sums[4][sumCount];
        for (auto& sum : sums)
            std::fill(std::begin(sum), std::end(sum), hn::Zero(d));
        forRays([&](int i, int j) HWY_ATTR {
            sortMet(m_met.data() + i, count);
            V below[4];
            for (int c = 0; c < 4; ++c)
                below[c] = hn::Set(d, m_tile.ground[c]);
            const float* met = m_met.data() + i;
            for (std::size_t n = 0; n < count; ++n, met += 5 * batch) {
                const auto keep = hn::Sub(hn::Set(d, 1.f), hn::LoadU(d, met + 3 * batch));
                for (int c = 0; c < 4; ++c)
                    below[c] = hn::MulAdd(below[c], keep, hn::LoadU(d, met + c * batch));
            }
            for (int c = 0; c < 4; ++c) {
                V& sum = sums[c][sumCount == 2 ? j / (RayPoints::step / 2) : 0];
                sum = hn::Add(sum, below[c]);
            }
        });
        for (int c = 0; c < 4; ++c) {
            float seen[2]; // of both halves, or in the first of all
            halvesOf<halved>([&](int sum) HWY_ATTR { return sums[c][sum]; }, seen);
            spot.sum[c] += seen[0] + seen[1];
            if constexpr (halved) spot.halves[c] += seen[0] - seen[1];
        }
    }

    /// What rays see of a card, as much as they see of it: four colours, `batch` numbers each, and how near.
    /// False where that is nothing.
    bool meet(const RayCard& card, const Spot& spot, float* to) {
        const D d;
        if (card.filled) {
            lookAtFilled(card, spot);
        } else if (!card.fixed) {
            if (!look(card, spot.x, spot.y)) return false;
            fetch(card.fine, m_fine);
            if (card.between > 0) mixIn(card.coarse, card.between);
        }
        const float* const fixed = card.fixed ? card.fixed + canvasAt(spot) : nullptr;
        const bool own = !card.filled && !fixed;
        const float x = static_cast<float>(spot.x), y = static_cast<float>(spot.y);
        const float w0 = card.level ? 1 : at(card.w, x, y), tw = card.still ? 0 : at(card.tw, x, y),
                    ttw = card.still ? 0 : at(card.ttw, x, y);
        const auto one = hn::Set(d, 1.f);
        auto any = hn::Zero(d);
        forRays([&](int i, int) HWY_ATTR {
            V seen[4];
            if (fixed)
                for (int c = 0; c < 4; ++c)
                    seen[c] = hn::Set(d, fixed[c]);
            else
                hn::LoadInterleaved4(d, m_seen + 4 * i, seen[0], seen[1], seen[2], seen[3]);
            if (own && card.hazy) {
                const auto t = hn::Load(d, m_air + i), veil = hn::Mul(hn::Sub(one, t), seen[3]);
                for (int c = 0; c < 3; ++c)
                    seen[c] = hn::MulAdd(veil, hn::Set(d, card.air.colour[c]), hn::Mul(seen[c], t));
            }
            auto share = hn::Set(d, card.opacity);
            if (own && card.edges.any) share = hn::Mul(share, hn::Load(d, m_cover + i));
            for (int c = 0; c < 4; ++c) {
                seen[c] = hn::Mul(seen[c], share);
                any = hn::Max(any, hn::Abs(seen[c]));
                hn::StoreU(seen[c], d, to + c * batch + i);
            }
            V near;
            if (card.mesh) {
                const auto depth = hn::Load(d, m_depth + i);
                near = hn::IfThenElseZero(hn::Gt(depth, hn::Zero(d)), hn::Div(one, depth));
            } else {
                const auto p = hn::Load(d, m_p + i), q = hn::Load(d, m_q + i), t = hn::Load(d, m_t + i);
                const auto w =
                    hn::MulAdd(p, hn::Set(d, card.rw),
                               hn::MulAdd(q, hn::Set(d, card.uw),
                                          hn::MulAdd(t, hn::MulAdd(t, hn::Set(d, ttw), hn::Set(d, tw)),
                                                     hn::Set(d, w0))));
                const auto slant =
                    hn::MulAdd(p, hn::Set(d, card.perRight), hn::MulAdd(q, hn::Set(d, card.perUp), one));
                near = hn::Div(hn::Mul(w, hn::Set(d, card.nearness)), slant);
            }
            hn::StoreU(near, d, to + 4 * batch + i);
        });
        return !hn::AllFalse(d, hn::Gt(any, hn::Zero(d)));
    }

    /// Farthest first, for a vector of rays; those in one plane, to rounding, stay as they are.
    static void sortMet(float* met, std::size_t count) {
        const D d;
        const auto margin = hn::Set(d, 1 + 1e-5f);
        for (std::size_t a = 1; a < count; ++a)
            for (std::size_t b = a; b > 0; --b) {
                float *const below = met + 5 * batch * (b - 1), *const above = met + 5 * batch * b;
                const auto swapped =
                    hn::Gt(hn::LoadU(d, below + 4 * batch), hn::Mul(hn::LoadU(d, above + 4 * batch), margin));
                if (hn::AllFalse(d, swapped)) break;
                for (int c = 0; c < 5; ++c) {
                    const auto low = hn::LoadU(d, below + c * batch), high = hn::LoadU(d, above + c * batch);
                    hn::StoreU(hn::IfThenElse(swapped, high, low), d, below + c * batch);
                    hn::StoreU(hn::IfThenElse(swapped, low, high), d, above + c * batch);
                }
            }
    }

    /// As see(), for whatever is to be mixed in whatever order: every ray by itself, farthest first.
    void mix(const Spot& spot) {
        if (m_level.empty()) m_level.resize(1);
        std::fill_n(m_through, batch, 1.f);
        m_first = 0;
        mixCards(m_cards, spot, m_tile.ground, 0);
        const float* rgba = m_level[0].mixed.data();
        for (int i = 0; i < m_rays; ++i, rgba += 4)
            for (int c = 0; c < 4; ++c) {
                const float seen =
                    m_tile.paint && c < 3 && rgba[3] > 0 ? decode(rgba[c] / rgba[3]) * rgba[3] : rgba[c];
                spot.sum[c] += seen;
                if (spot.halves) spot.halves[c] += i / (RayPoints::step / 2) % 2 == 0 ? seen : -seen;
            }
    }

    /// Into m_level[depth].mixed.
    void mixCards(const std::vector<RayCard>& cards, const Spot& spot, const float* ground,
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
                mixCards(card.group, spot, nothing, depth + 1);
                std::copy_n(m_level[depth + 1].mixed.data(), 4 * rays,
                            m_level[depth].seen.data() + 4 * n * rays);
            } else {
                float* const out = m_level[depth].seen.data() + 4 * n * rays;
                if (card.filled) {
                    lookAtFilled(card, spot);
                    std::copy_n(m_seen + 4 * m_first, 4 * rays, out);
                } else if (card.fixed) {
                    for (std::size_t i = 0; i < rays; ++i)
                        std::copy_n(card.fixed + canvasAt(spot), 4, out + 4 * i);
                } else {
                    if (!look(card, spot.x, spot.y)) continue;
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
                        if (const float alpha = out[i + 3]; alpha > 0 || card.filled || card.fixed)
                            for (std::size_t c = 0; c < 3; ++c) // what only adds light adds it encoded
                                out[i + c] =
                                    alpha > 0 ? encode(out[i + c] / alpha) * alpha : encode(out[i + c]);
            }
            const float* const out = m_level[depth].seen.data() + 4 * n * rays;
            if (std::all_of(out, out + 4 * rays, [](float value) { return value == 0; })) continue;
            present.push_back(n);
            if (m_tile.ordered) continue;
            const float x = static_cast<float>(spot.x), y = static_cast<float>(spot.y);
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
                // Those in one plane, to rounding, stay in the order that they are given in. The ray before
                // met nearly all in the same order.
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
    template <class Light> HWY_INLINE bool fixedCard(const float* seen, float opacity, Light& light) {
        if (seen[3] == 0 && seen[0] == 0 && seen[1] == 0 && seen[2] == 0) return true;
        const Few few;
        const Few::D d;
        alignas(16) const float rgba[4] = {seen[0] * opacity, seen[1] * opacity, seen[2] * opacity,
                                           seen[3] * opacity};
        const auto colour = few.colour(rgba), keep = few.same(1 - rgba[3]);
        auto open = hn::Zero(d);
        Light sums = light; // in registers
        forFew([&](int i, int j) HWY_ATTR {
            const auto through = hn::Load(d, m_open + 4 * i);
            sums.add(j, through, colour);
            const auto after = hn::Mul(through, keep);
            open = hn::Max(open, after);
            hn::Store(after, d, m_open + 4 * i);
        });
        light = sums;
        return !hn::AllFalse(d, hn::Gt(open, few.same(5e-4f)));
    }

    /// Adds what has been fetched. Whether any light still comes from behind.
    template <class Light> HWY_INLINE bool gather(const RayCard& card, Light& light) {
        const Few few;
        const Few::D d;
        const bool hazy = card.hazy, edges = card.edges.any, faint = card.opacity != 1;
        alignas(16) const float air[4] = {card.air.colour[0], card.air.colour[1], card.air.colour[2], 1};
        const auto opacity = few.same(card.opacity), airColour = few.colour(air);
        auto open = hn::Zero(d);
        Light sums = light; // in registers
        forFew([&](int i, int j) HWY_ATTR {
            auto c = hn::Load(d, m_seen + 4 * i);
            if (hazy) c = few.haze(c, m_air + i, airColour);
            const auto through = hn::Load(d, m_open + 4 * i);
            auto weight = through;
            if (edges) weight = hn::Mul(weight, few.each(m_cover + i));
            if (faint) weight = hn::Mul(weight, opacity);
            sums.add(j, weight, c);
            const auto after = hn::NegMulAdd(weight, few.alpha(c), through);
            open = hn::Max(open, after);
            hn::Store(after, d, m_open + 4 * i);
        });
        light = sums;
        return !hn::AllFalse(d, hn::Gt(open, few.same(5e-4f)));
    }

    const std::vector<RayCard>& m_cards;
    alignas(64) float m_open[4 * batch]; ///< by see(): what of each ray's light comes from behind, four times
    struct Level {
        std::vector<float> seen, near, mixed; ///< of each card and ray; of each ray
    };
    std::vector<Level> m_level;
    std::vector<float> m_met; ///< by seeUnordered(): of each card
};

}
HWY_AFTER_NAMESPACE();
#endif
