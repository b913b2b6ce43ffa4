// Rays of pixels of a tile, and where they meet a card. Included once for every instruction set.
#if defined(STAGE_RENDER_CARD_RAYS_INL_H_) == defined(HWY_TARGET_TOGGLE)
#ifdef STAGE_RENDER_CARD_RAYS_INL_H_
#undef STAGE_RENDER_CARD_RAYS_INL_H_
#else
#define STAGE_RENDER_CARD_RAYS_INL_H_
#endif

#include "render/rays.h"

#include <algorithm>
#include <hwy/contrib/math/math-inl.h>
#include <hwy/highway.h>

#include "render/fetch-inl.h"
#include "render/lens_aim-inl.h"

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// Rays that are traced together, of one pixel or of several.
constexpr int batch = 64, mostSpots = batch / RayPoints::step;

/// Some rays, and what they see of one card after the other.
class CardRays {
protected:
    using D = hn::CappedTag<float, RayPoints::step>;
    using V = hn::Vec<D>;

    CardRays(const RayTile& tile, const std::vector<RayCard>& cards) : m_tile(tile), m_aim(tile.opening) {
        noteWanted(cards);
    }

public:
    /// A pixel of the tile, and where what its rays see is added to: all of it, and if wanted that of one
    /// half of the rays less that of the other: of every sixteen the first eight, and the rest.
    struct Spot {
        int x, y;
        float *sum, *halves;
    };

protected:
    void aim(const Spot& spot, int at, int from) {
        const D d;
        const RayPoints& points = *m_tile.points;
        const int x = m_tile.x0 + spot.x, y = m_tile.y0 + spot.y;
        if (from == 0 && m_rays == RayPoints::step && !points.first.empty()) {
            const float* first = points.firstOf(x, y);
            std::copy_n(first, RayPoints::step, m_p + at);
            std::copy_n(first + RayPoints::step, RayPoints::step, m_q + at);
        } else {
            m_aim.throughLens(d, points, from, m_rays, x, y, m_p + at, m_q + at);
        }
        if (m_moves) m_aim.times(d, points, from, m_rays, x, y, m_t + at);
        if (m_long) m_aim.along(d, points, from, m_rays, x, y, m_a + at);
    }

    static float at(const TileLinear& l, float x, float y) { return l.a + l.b * x + l.c * y; }

    static int canvasAt(const Spot& spot) { return (spot.y * Canvas::side + spot.x) * 4; }

    /// What all rays of a pixel see of what fills a gap, into m_seen.
    void lookAtFilled(const RayCard& card, const Spot& spot) {
        FillRay rays[batch];
        for (int i = 0; i < m_rays; ++i)
            rays[i] = {m_tile.x0 + spot.x + 0.5, m_tile.y0 + spot.y + 0.5, m_p[m_first + i], m_q[m_first + i],
                       m_t[m_first + i]};
        std::fill_n(m_seen + 4 * m_first, 4 * m_rays, 0.f);
        render::see(card.filled->fills, card.filled->gap, rays, m_rays, m_seen + 4 * m_first);
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
        for (int i = m_first; i < m_first + m_rays; i += 16) {
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
    HWY_INLINE bool look(const RayCard& card, int column, int row) {
        if (!(card.present[static_cast<std::size_t>(row)] >> column & 1)) return false;
        const float x = static_cast<float>(column), y = static_cast<float>(row);
        if (card.mesh) return lookMesh(card, x, y);
        const D d;
        for (int i = 0; i < RayCard::lines; i += static_cast<int>(hn::Lanes(d)))
            hn::Store(hn::MulAdd(hn::Set(d, x), hn::Load(d, card.perColumn + i),
                                 hn::MulAdd(hn::Set(d, y), hn::Load(d, card.perRow + i),
                                            hn::Load(d, card.first + i))),
                      d, m_line + i);
        const float u0 = m_line[0], v0 = m_line[1], w0 = m_line[2], ru = m_line[3], rv = m_line[4],
                    uu = m_line[5], uv = m_line[6], tu = m_line[7], tv = m_line[8], tw = m_line[9],
                    ttu = m_line[10], ttv = m_line[11], ttw = m_line[12];
        const auto stretch = hn::Set(d, card.hazy ? card.air.stretchAt(x, y) : 1.f);
        for (int i = m_first; i < m_first + m_rays; i += static_cast<int>(hn::Lanes(d))) {
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
                // By Newton's step, which takes less time than dividing.
                const auto safe = hn::Max(w, hn::Set(d, 1e-6f)), near = hn::ApproximateReciprocal(safe),
                           each = hn::Mul(near, hn::NegMulAdd(safe, near, hn::Set(d, 2.f)));
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
        // Read once: the compiler takes stores of vectors to change anything.
        const std::uint16_t* const texels = patch.texels;
        const std::ptrdiff_t stride = patch.stride;
        for (int i = m_first, end = m_first + m_rays; i < end; i += Few::pixels)
            hn::Store(few.fetch(texels, stride, where.at + i, where.wx + i, where.wy + i), Few::D(),
                      m_seen + 4 * i);
    }
    HWY_INLINE void mixIn(const Patch& patch, float share) {
        const Few few;
        const std::uint16_t* const texels = patch.texels;
        const std::ptrdiff_t stride = patch.stride;
        for (int i = m_first, end = m_first + m_rays; i < end; i += Few::pixels) {
            const auto coarse = few.fetch(texels, stride, m_coarse.at + i, m_coarse.wx + i, m_coarse.wy + i);
            const auto fine = hn::Load(Few::D(), m_seen + 4 * i);
            hn::Store(hn::MulAdd(hn::Sub(coarse, fine), few.same(share), fine), Few::D(), m_seen + 4 * i);
        }
    }

    /// What of rays is wanted by cards.
    void noteWanted(const std::vector<RayCard>& cards) {
        for (const RayCard& card : cards) {
            m_moves = m_moves || !card.still || card.mesh || card.filled;
            m_long = m_long || card.du != 0 || card.dv != 0;
            noteWanted(card.group);
        }
    }

    const RayTile& m_tile;
    bool m_moves = false, m_long = false; ///< times are looked at, and places along footprints
    int m_rays = 0, m_first = 0;          ///< those of the pixel that is looked at
    const LensAim m_aim;
    alignas(64) float m_t[batch] = {}; ///< 0 where they are not looked at: sums take them in, times 0
    alignas(64) float m_p[batch], m_q[batch], m_a[batch], m_through[batch], m_cover[batch], m_air[batch],
        m_depth[batch];
    alignas(64) float m_line[RayCard::lines]; ///< of a card, at a pixel
    alignas(64) float m_seen[4 * batch];
    Fetched m_fine, m_coarse;
};

}
HWY_AFTER_NAMESPACE();
#endif
