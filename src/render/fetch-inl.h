// Bilinear fetching of half-float RGBA and mixing of colours, as many pixels at a time as a register holds.
// Included once for every instruction set.
#if defined(STAGE_RENDER_FETCH_INL_H_) == defined(HWY_TARGET_TOGGLE)
#ifdef STAGE_RENDER_FETCH_INL_H_
#undef STAGE_RENDER_FETCH_INL_H_
#else
#define STAGE_RENDER_FETCH_INL_H_
#endif

#include "render/patch.h"

#include <cstdint>
#include <hwy/highway.h>

#undef STAGE_FETCH_FOUR
#if HWY_MAX_BYTES >= 64 && HWY_TARGET <= HWY_AVX3 && HWY_ARCH_X86
#define STAGE_FETCH_FOUR 1
#else
#define STAGE_FETCH_FOUR 0
#endif

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

#if STAGE_FETCH_FOUR
/// Of four numbers in every block of four lanes, which one each block is filled with.
struct Picks {
    alignas(64) std::uint8_t own[64], even[64], odd[64];
    constexpr Picks() : own{}, even{}, odd{} {
        for (int i = 0; i < 64; ++i) {
            const int block = i / 16, byte = i % 4;
            own[i] = static_cast<std::uint8_t>(4 * block + byte);
            even[i] = static_cast<std::uint8_t>(4 * (block / 2 * 2) + byte);
            odd[i] = static_cast<std::uint8_t>(4 * (block / 2 * 2 + 1) + byte);
        }
    }
};
inline constexpr Picks picks{};
#endif

/// Places on one level, as what is fetched and how it is mixed.
template <int count> struct FetchPlaces {
    alignas(64) std::int32_t at[count];
    alignas(64) float wx[count], wy[count];
};

/// Places of a patch, brought inside it, into the i-th and those after it.
template <class D, class Places, class V = hn::Vec<D>>
HWY_INLINE void placeOn(D d, const Patch& patch, V u, V v, int i, Places& out) {
    const hn::RebindToSigned<D> di;
    const auto zero = hn::Zero(d);
    u = hn::Min(hn::Max(u, zero), hn::Set(d, static_cast<float>(patch.width - 1)));
    v = hn::Min(hn::Max(v, zero), hn::Set(d, static_cast<float>(patch.height - 1)));
    const auto iu = hn::Min(hn::Floor(u), hn::Set(d, static_cast<float>(patch.width - 2))),
               iv = hn::Min(hn::Floor(v), hn::Set(d, static_cast<float>(patch.height - 2)));
    // A whole number below 2^23 is the lower bits of its sum with 2^23, which spares what conversions do for
    // those too large.
    constexpr float whole = 8388608.f;
    const auto at = hn::MulAdd(iv, hn::Set(d, static_cast<float>(patch.stride)),
                               hn::MulAdd(iu, hn::Set(d, 4.f), hn::Set(d, whole)));
    hn::Store(hn::Sub(hn::BitCast(di, at), hn::BitCast(di, hn::Set(d, whole))), di, out.at + i);
    hn::Store(hn::Sub(u, iu), d, out.wx + i);
    hn::Store(hn::Sub(v, iv), d, out.wy + i);
}

/// How much of a pixel at a place is inside a card's edges.
template <class D, class V = hn::Vec<D>> HWY_INLINE V coverOf(D d, const PatchEdges& edges, V u, V v) {
    const auto half = hn::Set(d, 0.5f), one = hn::Set(d, 1.f), zero = hn::Zero(d);
    const auto inside = [&](auto place, float low, float high, float reach) {
        const auto each = hn::Set(d, 1 / reach);
        const auto from = hn::MulAdd(hn::Sub(place, hn::Set(d, low)), each, half),
                   to = hn::MulAdd(hn::Sub(hn::Set(d, high), place), each, half);
        // What both edges leave of the pixel, which may hold them both.
        return hn::Max(
            hn::Sub(hn::Add(hn::Min(hn::Max(from, zero), one), hn::Min(hn::Max(to, zero), one)), one), zero);
    };
    return hn::Mul(inside(u, edges.left, edges.right, edges.reachU),
                   inside(v, edges.top, edges.bottom, edges.reachV));
}

/// Colours of `pixels` pixels side by side in one register.
struct Few {
#if STAGE_FETCH_FOUR
    static constexpr int pixels = 4;
#elif HWY_MAX_BYTES >= 32
    static constexpr int pixels = 2;
#else
    static constexpr int pixels = 1;
#endif
    using D = hn::FixedTag<float, 4 * pixels>;
    using One = hn::FixedTag<float, 4>;
    using V = hn::Vec<D>;

    /// Two neighbouring texels are one load; `at` counts numbers from the first texel.
    HWY_INLINE V fetch(const std::uint16_t* texels, std::ptrdiff_t stride, const std::int32_t* at,
                       const float* wx, const float* wy) const {
        const auto* from = reinterpret_cast<const hwy::float16_t*>(texels);
#if STAGE_FETCH_FOUR
        const hn::FixedTag<hwy::float16_t, 8> halfs;
        const hn::FixedTag<hwy::float16_t, 16> both;
        const D d;
        const auto wys = hn::LoadDup128(d, wy);
        // Pixels i and i + 2 in one register, so that those between fall into place.
        const auto columns = [&](int i) {
            const hwy::float16_t *p = from + at[i], *q = from + at[i + 2];
            const auto upper = hn::PromoteTo(d, hn::Combine(both, hn::LoadU(halfs, q), hn::LoadU(halfs, p)));
            const auto lower = hn::PromoteTo(
                d, hn::Combine(both, hn::LoadU(halfs, q + stride), hn::LoadU(halfs, p + stride)));
            return hn::MulAdd(hn::Sub(lower, upper), pick(wys, i == 0 ? picks.even : picks.odd), upper);
        };
        const auto m02 = columns(0), m13 = columns(1);
        const auto left = hn::OddEvenBlocks(hn::SwapAdjacentBlocks(m13), m02),
                   right = hn::OddEvenBlocks(m13, hn::SwapAdjacentBlocks(m02));
        return hn::MulAdd(hn::Sub(right, left), each(wx), left);
#elif HWY_MAX_BYTES >= 32
        const hn::FixedTag<hwy::float16_t, 8> halfs;
        const D d;
        const auto column = [&](int i) {
            const hwy::float16_t* p = from + at[i];
            const auto upper = hn::PromoteTo(d, hn::LoadU(halfs, p)),
                       lower = hn::PromoteTo(d, hn::LoadU(halfs, p + stride));
            return hn::MulAdd(hn::Sub(lower, upper), hn::Set(d, wy[i]), upper);
        };
        const auto m0 = column(0), m1 = column(1);
        const auto left = hn::ConcatLowerLower(d, m1, m0), right = hn::ConcatUpperUpper(d, m1, m0);
        return hn::MulAdd(hn::Sub(right, left), each(wx), left);
#else
        const hn::FixedTag<hwy::float16_t, 4> halfs;
        const D d;
        const hwy::float16_t* p = from + at[0];
        const auto texel = [&](const hwy::float16_t* q) { return hn::PromoteTo(d, hn::LoadU(halfs, q)); };
        const auto x = hn::Set(d, wx[0]), y = hn::Set(d, wy[0]);
        const auto upperLeft = texel(p), upperRight = texel(p + 4), lowerLeft = texel(p + stride),
                   lowerRight = texel(p + stride + 4);
        const auto left = hn::MulAdd(hn::Sub(lowerLeft, upperLeft), y, upperLeft);
        const auto right = hn::MulAdd(hn::Sub(lowerRight, upperRight), y, upperRight);
        return hn::MulAdd(hn::Sub(right, left), x, left);
#endif
    }
    /// One number for each pixel, over its four channels.
    HWY_INLINE V each(const float* numbers) const {
#if STAGE_FETCH_FOUR
        return pick(hn::LoadDup128(D(), numbers), picks.own);
#elif HWY_MAX_BYTES >= 32
        const One one;
        return hn::Combine(D(), hn::Set(one, numbers[1]), hn::Set(one, numbers[0]));
#else
        return hn::Set(D(), numbers[0]);
#endif
    }
    HWY_INLINE V same(float number) const {
        return hn::Set(D(), number);
    }
    HWY_INLINE V alpha(V c) const {
        return hn::Broadcast<3>(c);
    }
    HWY_INLINE V colour(const float* rgba) const {
#if STAGE_FETCH_FOUR
        return hn::LoadDup128(D(), rgba);
#elif HWY_MAX_BYTES >= 32
        const auto c = hn::LoadU(One(), rgba);
        return hn::Combine(D(), c, c);
#else
        return hn::LoadU(D(), rgba);
#endif
    }
#if STAGE_FETCH_FOUR
    static HWY_INLINE V pick(V numbers, const std::uint8_t* which) {
        const hn::FixedTag<std::uint8_t, 64> bytes;
        return hn::BitCast(D(), hn::TableLookupBytes(hn::BitCast(bytes, numbers), hn::Load(bytes, which)));
    }
#endif
    /// Light of the card as it comes through the air: transmittances of the pixels, the air's colour with 1
    /// as alpha.
    HWY_INLINE V haze(V c, const float* through, V air) const {
        const auto t = each(through);
        return hn::MulAdd(hn::Mul(air, hn::Sub(same(1), t)), alpha(c), hn::Mul(c, t));
    }
    HWY_INLINE void under(float* out, V c) const {
        const auto over = hn::LoadU(D(), out);
        hn::StoreU(hn::MulAdd(hn::Sub(same(1), alpha(over)), c, over), D(), out);
    }
};

}
HWY_AFTER_NAMESPACE();
#endif
