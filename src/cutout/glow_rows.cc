#include "cutout/glow_rows.h"

#include <algorithm>
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
        const auto share = hn::IfThenElseZero(bright, hn::Div(hn::Sub(most, limit), most));
        hn::StoreU(hn::MulAdd(rgb, share, hn::LoadU(d, sums + i)), d, sums + i);
    });
    return any;
}

template <class D, class Texel>
HWY_INLINE void addLight(D d, hn::Vec<D> light, const Texel* from, Texel* to) {
    store(d, hn::Add(floatsOf(d, from), light), to);
}

/// Between places, as many texels at a time as d has, which is no more than a step has.
template <class D, class Texel>
void addBetween(D d, const float* places, int step, int first, int count, const Texel* from, Texel* to) {
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
            addLight(d,
                     hn::MulAdd(more, hn::Add(hn::Set(d, static_cast<float>(x - begin) * each), own), start),
                     from + 4 * x, to + 4 * x);
        for (; x < end; ++x) {
            const auto a = hn::LoadU(one, at), b = hn::LoadU(one, at + 4);
            const float off = (static_cast<float>(x - begin) + 0.5f) * each - 0.5f;
            addLight(one, hn::MulAdd(hn::Sub(b, a), hn::Set(one, off), a), from + 4 * x, to + 4 * x);
        }
    }
}

template <class Texel>
HWY_INLINE void AddGridTo(GridRow row, const std::array<float, 3>& tint, int count, const Texel* from,
                          Texel* to) {
    const hn::FixedTag<float, 4> d;
    const int before = std::max(0, row.first / row.step - 1); // places that are not looked at
    row.above += 4 * before, row.below += 4 * before, row.first -= before * row.step;
    // The row of places itself.
    const int last = (row.first + count - 1) / row.step + (row.step > 1);
    thread_local std::vector<float> places;
    HWY_ALIGN const float by[4] = {tint[0], tint[1], tint[2], 0};
    const auto tinted = hn::Load(d, by), share = hn::Set(d, row.share);
    places.assign(static_cast<std::size_t>(4 * (last + 2)), 0.f);
    auto any = hn::Zero(d);
    for (int i = 0; i <= last; ++i) {
        const auto a = hn::LoadU(d, row.above + 4 * i), b = hn::LoadU(d, row.below + 4 * i);
        const auto light = hn::Mul(hn::MulAdd(hn::Sub(b, a), share, a), tinted);
        any = hn::Max(any, light);
        hn::StoreU(light, d, places.data() + 4 * i);
    }
    if (hn::AllTrue(d, hn::Eq(any, hn::Zero(d)))) {
        if (from != to) std::copy_n(from, 4 * count, to);
        return;
    }
    if (row.step >= 4)
        addBetween(hn::CappedTag<float, 16>(), places.data(), row.step, row.first, count, from, to);
    else if (row.step == 2)
        addBetween(hn::CappedTag<float, 8>(), places.data(), row.step, row.first, count, from, to);
    else
        addBetween(d, places.data(), row.step, row.first, count, from, to);
}

bool AddBright(const Imath::half* texels, int count, float threshold, float* sums) {
    return AddBrightOf(texels, count, threshold, sums);
}
bool AddBrightFloats(const float* texels, int count, float threshold, float* sums) {
    return AddBrightOf(texels, count, threshold, sums);
}
void AddGrid(const GridRow& row, const std::array<float, 3>& tint, int count, const Imath::half* from,
             Imath::half* to) {
    AddGridTo(row, tint, count, from, to);
}
void AddGridFloats(const GridRow& row, const std::array<float, 3>& tint, int count, const float* from,
                   float* to) {
    AddGridTo(row, tint, count, from, to);
}

/// As many vectors of D as `together`, so that their sums need not wait for each other.
template <int together, class D>
HWY_INLINE void SumsAt(D d, const float* from, std::ptrdiff_t apart, const float* weights, int weightCount,
                       float* out) {
    const auto lanes = static_cast<std::ptrdiff_t>(hn::Lanes(d));
    hn::Vec<D> sums[together];
    for (auto& sum : sums)
        sum = hn::Zero(d);
    for (int k = 0; k < weightCount; ++k, from += apart) {
        const auto weight = hn::Set(d, weights[k]);
        for (int n = 0; n < together; ++n)
            sums[n] = hn::MulAdd(weight, hn::LoadU(d, from + n * lanes), sums[n]);
    }
    for (int n = 0; n < together; ++n)
        hn::StoreU(sums[n], d, out + n * lanes);
}

void WeightedSums(const float* from, std::ptrdiff_t apart, const float* weights, int weightCount, int count,
                  float* out) {
    const hn::CappedTag<float, 16> wide;
    const hn::FixedTag<float, 1> one;
    constexpr int together = 4;
    const int lanes = static_cast<int>(hn::Lanes(wide));
    int i = 0;
    for (; i + together * lanes <= count; i += together * lanes)
        SumsAt<together>(wide, from + i, apart, weights, weightCount, out + i);
    for (; i + lanes <= count; i += lanes)
        SumsAt<1>(wide, from + i, apart, weights, weightCount, out + i);
    for (; i < count; ++i)
        SumsAt<1>(one, from + i, apart, weights, weightCount, out + i);
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
HWY_EXPORT(AddGrid);
HWY_EXPORT(AddGridFloats);
HWY_EXPORT(MeansOf);
HWY_EXPORT(WeightedSums);

bool addBright(const Imath::half* texels, int count, float threshold, float* sums) {
    return HWY_DYNAMIC_DISPATCH(AddBright)(texels, count, threshold, sums);
}
bool addBright(const float* texels, int count, float threshold, float* sums) {
    return HWY_DYNAMIC_DISPATCH(AddBrightFloats)(texels, count, threshold, sums);
}
void addGrid(const GridRow& row, const std::array<float, 3>& tint, int count, const Imath::half* from,
             Imath::half* to) {
    HWY_DYNAMIC_DISPATCH(AddGrid)(row, tint, count, from, to);
}
void addGrid(const GridRow& row, const std::array<float, 3>& tint, int count, const float* from, float* to) {
    HWY_DYNAMIC_DISPATCH(AddGridFloats)(row, tint, count, from, to);
}
void weightedSums(const float* from, std::ptrdiff_t apart, const float* weights, int weightCount, int count,
                  float* out) {
    HWY_DYNAMIC_DISPATCH(WeightedSums)(from, apart, weights, weightCount, count, out);
}
void meansOf(const float* sums, int step, int count, float* means) {
    HWY_DYNAMIC_DISPATCH(MeansOf)(sums, step, count, means);
}

}
#endif
