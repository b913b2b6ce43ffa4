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

template <class D, class Texel> HWY_INLINE void addLight(D d, hn::Vec<D> light, Texel* texels) {
    store(d, hn::Add(floatsOf(d, texels), light), texels);
}

/// Between places, as many texels at a time as d has, which is no more than a step has.
template <class D, class Texel>
void addBetween(D d, const float* places, int step, int first, int count, Texel* texels) {
    const hn::FixedTag<float, 4> one;
    const int pixels = static_cast<int>(hn::Lanes(d)) / 4, half = step / 2;
    const float each = 1 / static_cast<float>(step);
    HWY_ALIGN float offs[16];
    for (int i = 0; i < 16; ++i)
        offs[i] = (static_cast<float>(i / 4) + 0.5f) * each - 0.5f;
    const auto own = hn::Load(d, offs);
    // Texels from the middle of one place to that of the next have the same two.
    for (int x = 0; x < count;) {
        const int left = (first + x + step - half) / step - 1, begin = left * step - first,
                  end = std::min(count, begin + step + half);
        const float* const at = places + 4 * left;
        const auto from = hn::LoadDup128(d, at), more = hn::Sub(hn::LoadDup128(d, at + 4), from);
        for (; x + pixels <= end; x += pixels)
            addLight(d,
                     hn::MulAdd(more, hn::Add(hn::Set(d, static_cast<float>(x - begin) * each), own), from),
                     texels + 4 * x);
        for (; x < end; ++x) {
            const auto a = hn::LoadU(one, at), b = hn::LoadU(one, at + 4);
            const float off = (static_cast<float>(x - begin) + 0.5f) * each - 0.5f;
            addLight(one, hn::MulAdd(hn::Sub(b, a), hn::Set(one, off), a), texels + 4 * x);
        }
    }
}

template <class Texel>
HWY_INLINE void AddGridTo(const GridRow& row, const std::array<float, 3>& tint, int count, Texel* texels) {
    const hn::FixedTag<float, 4> d;
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
    if (hn::AllTrue(d, hn::Eq(any, hn::Zero(d)))) return;
    if (row.step >= 4)
        addBetween(hn::CappedTag<float, 16>(), places.data(), row.step, row.first, count, texels);
    else if (row.step == 2)
        addBetween(hn::CappedTag<float, 8>(), places.data(), row.step, row.first, count, texels);
    else
        addBetween(d, places.data(), row.step, row.first, count, texels);
}

bool AddBright(const Imath::half* texels, int count, float threshold, float* sums) {
    return AddBrightOf(texels, count, threshold, sums);
}
bool AddBrightFloats(const float* texels, int count, float threshold, float* sums) {
    return AddBrightOf(texels, count, threshold, sums);
}
void AddGrid(const GridRow& row, const std::array<float, 3>& tint, int count, Imath::half* texels) {
    AddGridTo(row, tint, count, texels);
}
void AddGridFloats(const GridRow& row, const std::array<float, 3>& tint, int count, float* texels) {
    AddGridTo(row, tint, count, texels);
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

bool addBright(const Imath::half* texels, int count, float threshold, float* sums) {
    return HWY_DYNAMIC_DISPATCH(AddBright)(texels, count, threshold, sums);
}
bool addBright(const float* texels, int count, float threshold, float* sums) {
    return HWY_DYNAMIC_DISPATCH(AddBrightFloats)(texels, count, threshold, sums);
}
void addGrid(const GridRow& row, const std::array<float, 3>& tint, int count, Imath::half* texels) {
    HWY_DYNAMIC_DISPATCH(AddGrid)(row, tint, count, texels);
}
void addGrid(const GridRow& row, const std::array<float, 3>& tint, int count, float* texels) {
    HWY_DYNAMIC_DISPATCH(AddGridFloats)(row, tint, count, texels);
}
void meansOf(const float* sums, int step, int count, float* means) {
    HWY_DYNAMIC_DISPATCH(MeansOf)(sums, step, count, means);
}

}
#endif
