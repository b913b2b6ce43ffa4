#include "cutout/glow_rows.h"

#include <algorithm>
#include <hwy/cache_control.h>
#include <vector>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "cutout/glow_rows.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::cutout::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// body(d, i) for all numbers of some texels, as many at a time as a vector of up to 16 holds, and the last
/// ones texel by texel.
template <class Body> HWY_INLINE void forTexels(int count, const Body& body) {
    const hn::CappedTag<float, 16> wide;
    const hn::FixedTag<float, 4> one;
    const int lanes = static_cast<int>(hn::Lanes(wide));
    int i = 0;
    for (; i + lanes <= 4 * count; i += lanes)
        body(wide, i);
    for (; i < 4 * count; i += 4)
        body(one, i);
}

template <class D> HWY_INLINE hn::Vec<D> floatsOf(D d, const Imath::half* halfs) {
    return hn::PromoteTo(
        d, hn::LoadU(hn::Rebind<hwy::float16_t, D>(), reinterpret_cast<const hwy::float16_t*>(halfs)));
}

template <class D> HWY_INLINE hn::Vec<D> floatsOf(D d, const float* texels) {
    return hn::LoadU(d, texels);
}
template <class D> HWY_INLINE void store(D d, hn::Vec<D> floats, Imath::half* texels) {
    const hn::Rebind<hwy::float16_t, D> dh;
    hn::StoreU(hn::DemoteTo(dh, hn::Min(floats, hn::Set(d, 65000.f))), dh, // what a half float holds
               reinterpret_cast<hwy::float16_t*>(texels));
}
template <class D> HWY_INLINE void store(D d, hn::Vec<D> floats, float* texels) {
    hn::StoreU(floats, d, texels);
}

template <class Texel>
HWY_INLINE bool AddBrightOf(const Texel* texels, int count, float threshold, float* sums) {
    HWY_ALIGN const float colours[16] = {1, 1, 1, 0, 1, 1, 1, 0, 1, 1, 1, 0, 1, 1, 1, 0};
    bool any = false;
    forTexels(count, [&](auto d, int i) HWY_ATTR {
        const auto rgb = hn::Mul(floatsOf(d, texels + i), hn::Load(d, colours));
        const auto pairs = hn::Max(rgb, hn::Shuffle2301(rgb));
        const auto most = hn::Max(pairs, hn::Shuffle1032(pairs)), limit = hn::Set(d, threshold);
        const auto bright = hn::Gt(most, limit);
        if (hn::AllFalse(d, bright)) return;
        any = true;
        // A division would take longer than all else: the reciprocal and a step of Newton's.
        const auto about = hn::ApproximateReciprocal(most),
                   each = hn::Mul(about, hn::NegMulAdd(most, about, hn::Set(d, 2.f)));
        const auto share = hn::IfThenElseZero(bright, hn::NegMulAdd(limit, each, hn::Set(d, 1.f)));
        hn::StoreU(hn::MulAdd(rgb, share, hn::LoadU(d, sums + i)), d, sums + i);
    });
    return any;
}

/// Between places, as many texels at a time as d has, which is no more than a step has.
template <class D> void lightBetween(D d, const float* places, int step, int first, int count, float* light) {
    const hn::FixedTag<float, 4> one;
    const int pixels = static_cast<int>(hn::Lanes(d)) / 4, half = step / 2;
    const float each = 1 / static_cast<float>(step);
    HWY_ALIGN float offs[16];
    for (int i = 0; i < 16; ++i)
        offs[i] = (static_cast<float>(i / 4) + 0.5f) * each - 0.5f;
    const auto own = hn::Load(d, offs);
    // Texels from the middle of one place to that of the next have the same two.
    const int left = (first + step - half) / step - 1;
    const float* at = places + 4 * left;
    for (int x = 0, begin = left * step - first; x < count; begin += step, at += 4) {
        const int end = std::min(count, begin + step + half);
        const auto start = hn::LoadDup128(d, at), more = hn::Sub(hn::LoadDup128(d, at + 4), start);
        for (; x + pixels <= end; x += pixels)
            hn::StoreU(
                hn::MulAdd(more, hn::Add(hn::Set(d, static_cast<float>(x - begin) * each), own), start), d,
                light + 4 * x);
        for (; x < end; ++x) {
            const auto a = hn::LoadU(one, at), b = hn::LoadU(one, at + 4);
            const float off = (static_cast<float>(x - begin) + 0.5f) * each - 0.5f;
            hn::StoreU(hn::MulAdd(hn::Sub(b, a), hn::Set(one, off), a), one, light + 4 * x);
        }
    }
}

bool LightOfRow(const float* from, int step, int first, const std::array<float, 3>& tint, int count,
                float* light) {
    const hn::FixedTag<float, 4> d;
    const int before = std::max(0, first / step - 1); // places that are not looked at
    from += 4 * before, first -= before * step;
    const int last = (first + count - 1) / step + (step > 1);
    thread_local std::vector<float> places;
    HWY_ALIGN const float by[4] = {tint[0], tint[1], tint[2], 0};
    const auto tinted = hn::Load(d, by);
    places.assign(static_cast<std::size_t>(4 * (last + 2)), 0.f);
    auto any = hn::Zero(d);
    for (int i = 0; i <= last; ++i) {
        const auto place = hn::Mul(hn::LoadU(d, from + 4 * i), tinted);
        any = hn::Max(any, place);
        hn::StoreU(place, d, places.data() + 4 * i);
    }
    if (hn::AllTrue(d, hn::Eq(any, hn::Zero(d)))) {
        std::fill_n(light, 4 * count, 0.f);
        return false;
    }
    if (step >= 4)
        lightBetween(hn::CappedTag<float, 16>(), places.data(), step, first, count, light);
    else if (step == 2)
        lightBetween(hn::CappedTag<float, 8>(), places.data(), step, first, count, light);
    else
        lightBetween(d, places.data(), step, first, count, light);
    return true;
}

template <class Texel>
HWY_INLINE void AddLightTo(const float* above, const float* below, float share, int count, const Texel* from,
                           Texel* to) {
    forTexels(count, [&](auto d, int i) HWY_ATTR {
        const auto a = hn::LoadU(d, above + i), b = hn::LoadU(d, below + i);
        const auto light = hn::MulAdd(hn::Sub(b, a), hn::Set(d, share), a);
        store(d, hn::Add(floatsOf(d, from + i), light), to + i);
    });
}

bool AddBright(const Imath::half* texels, int count, float threshold, float* sums) {
    return AddBrightOf(texels, count, threshold, sums);
}
bool AddBrightFloats(const float* texels, int count, float threshold, float* sums) {
    return AddBrightOf(texels, count, threshold, sums);
}
void AddLight(const float* above, const float* below, float share, int count, const Imath::half* from,
              Imath::half* to) {
    AddLightTo(above, below, share, count, from, to);
}
void AddLightFloats(const float* above, const float* below, float share, int count, const float* from,
                    float* to) {
    AddLightTo(above, below, share, count, from, to);
}

/// Some vectors of D of some rows: of each row that is read all that it goes to.
template <int rows, int vectors, class D>
HWY_INLINE void SumsAt(D d, const float* from, std::ptrdiff_t apart, const float* weights, int weightCount,
                       float* out, std::ptrdiff_t outApart) {
    constexpr int lanes = static_cast<int>(hn::MaxLanes(D()));
    hn::Vec<D> sums[rows][vectors], by[rows]; // of this row, in the sums of each
    for (int y = 0; y < rows; ++y) {
        by[y] = hn::Zero(d);
        for (auto& sum : sums[y])
            sum = hn::Zero(d);
    }
    for (int k = 0; k < weightCount + rows - 1; ++k, from += apart) {
        for (int y = rows - 1; y > 0; --y)
            by[y] = by[y - 1];
        by[0] = hn::Set(d, k < weightCount ? weights[k] : 0.f);
        // What comes next beside it: rows lie too far apart to be foreseen.
        for (int n = 0; n < vectors; ++n)
            hwy::Prefetch(from + (vectors + n) * lanes);
        for (int n = 0; n < vectors; ++n) {
            const auto value = hn::LoadU(d, from + n * lanes);
            for (int y = 0; y < rows; ++y)
                sums[y][n] = hn::MulAdd(by[y], value, sums[y][n]);
        }
    }
    HWY_ALIGN float all[rows][vectors * lanes];
    for (int y = 0; y < rows; ++y)
        for (int n = 0; n < vectors; ++n)
            hn::Store(sums[y][n], d, all[y] + n * lanes);
    const hn::FixedTag<float, 4> place;
    for (int x = 0; 4 * x < vectors * lanes; ++x)
        for (int y = 0; y < rows; ++y)
            hn::StoreU(hn::Load(place, all[y] + 4 * x), place, out + x * outApart + 4 * y);
}

template <int vectors, class D>
HWY_INLINE void SumsDown(D d, const PlaceRows& from, const float* weights, int weightCount, int rows, int i,
                         float* out, std::ptrdiff_t outApart) {
    int y = 0;
    for (; y + 4 <= rows; y += 4)
        SumsAt<4, vectors>(d, from.first + y * from.apart + i, from.apart, weights, weightCount,
                           out + i / 4 * outApart + 4 * y, outApart);
    for (; y < rows; ++y)
        SumsAt<1, vectors>(d, from.first + y * from.apart + i, from.apart, weights, weightCount,
                           out + i / 4 * outApart + 4 * y, outApart);
}

void TurnedSums(const PlaceRows& from, const float* weights, int weightCount, int rows, int places,
                float* out, std::ptrdiff_t outApart) {
    const hn::CappedTag<float, 16> wide;
    const hn::FixedTag<float, 4> one;
    const int lanes = static_cast<int>(hn::Lanes(wide));
    int i = 0;
    for (; i + 2 * lanes <= 4 * places; i += 2 * lanes)
        SumsDown<2>(wide, from, weights, weightCount, rows, i, out, outApart);
    for (; i < 4 * places; i += 4)
        SumsDown<1>(one, from, weights, weightCount, rows, i, out, outApart);
}

void MeansOf(const float* sums, int step, int count, float* means) {
    const hn::FixedTag<float, 4> d;
    const auto each = hn::Set(d, 1 / static_cast<float>(step * step));
    for (int x = 0; x < count; ++x, means += 4) {
        auto sum = hn::Zero(d);
        for (int k = 0; k < step; ++k, sums += 4)
            sum = hn::Add(sum, hn::LoadU(d, sums));
        hn::StoreU(hn::Mul(sum, each), d, means);
    }
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::cutout {

HWY_EXPORT(AddBright);
HWY_EXPORT(AddBrightFloats);
HWY_EXPORT(AddLight);
HWY_EXPORT(AddLightFloats);
HWY_EXPORT(LightOfRow);
HWY_EXPORT(MeansOf);
HWY_EXPORT(TurnedSums);

bool addBright(const Imath::half* texels, int count, float threshold, float* sums) {
    return HWY_DYNAMIC_DISPATCH(AddBright)(texels, count, threshold, sums);
}
bool addBright(const float* texels, int count, float threshold, float* sums) {
    return HWY_DYNAMIC_DISPATCH(AddBrightFloats)(texels, count, threshold, sums);
}
bool lightOfRow(const float* places, int step, int first, const std::array<float, 3>& tint, int count,
                float* light) {
    return HWY_DYNAMIC_DISPATCH(LightOfRow)(places, step, first, tint, count, light);
}
void addLight(const float* above, const float* below, float share, int count, const Imath::half* from,
              Imath::half* to) {
    HWY_DYNAMIC_DISPATCH(AddLight)(above, below, share, count, from, to);
}
void addLight(const float* above, const float* below, float share, int count, const float* from, float* to) {
    HWY_DYNAMIC_DISPATCH(AddLightFloats)(above, below, share, count, from, to);
}
void turnedSums(const PlaceRows& from, const float* weights, int weightCount, int rows, int places,
                float* out, std::ptrdiff_t outApart) {
    HWY_DYNAMIC_DISPATCH(TurnedSums)(from, weights, weightCount, rows, places, out, outApart);
}
void meansOf(const float* sums, int step, int count, float* means) {
    HWY_DYNAMIC_DISPATCH(MeansOf)(sums, step, count, means);
}

}
#endif
