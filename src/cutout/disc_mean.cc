#include "cutout/disc_mean.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "cutout/disc_mean.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::cutout::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

using D = hn::CappedTag<float, DiscPlaces::texels>;
using V = hn::Vec<D>;

/// What the places weigh texels: all four of them, and the outer two.
struct Weights {
    V all, outer;
};
HWY_INLINE HWY_ATTR Weights weightsOf(const DiscPlaces& places, int first) {
    const D d;
    const V texel = hn::Iota(d, static_cast<float>(first)), one = hn::Set(d, 1.f);
    const auto of = [&](float n) HWY_ATTR {
        const V off = hn::Abs(hn::Sub(texel, hn::Set(d, places.first + n * places.step)));
        return hn::Max(hn::Zero(d), hn::Sub(one, off));
    };
    const V outer = hn::Add(of(0), of(3));
    return {hn::Add(outer, hn::Add(of(1), of(2))), outer};
}

float DiscMean(const float* from, std::ptrdiff_t stride, DiscPlaces x, DiscPlaces y) {
    const D d;
    const int lanes = static_cast<int>(hn::Lanes(d));
    HWY_ALIGN float all[DiscPlaces::texels], outer[DiscPlaces::texels];
    for (int n = 0; n < DiscPlaces::texels; n += lanes) {
        const Weights weights = weightsOf(y, n);
        hn::Store(weights.all, d, all + n);
        hn::Store(weights.outer, d, outer + n);
    }
    const int rows = static_cast<int>(y.first + 3 * y.step) + 2;
    V sum = hn::Zero(d);
    for (int n = 0; n < DiscPlaces::texels; n += lanes) {
        V ofAll = hn::Zero(d), ofOuter = hn::Zero(d);
        const float* row = from + n;
        for (int j = 0; j < rows && j < DiscPlaces::texels; ++j, row += stride) {
            const V texels = hn::LoadU(d, row);
            ofAll = hn::MulAdd(hn::Set(d, all[j]), texels, ofAll);
            ofOuter = hn::MulAdd(hn::Set(d, outer[j]), texels, ofOuter);
        }
        const Weights weights = weightsOf(x, n);
        sum = hn::Add(sum, hn::Sub(hn::Mul(weights.all, ofAll), hn::Mul(weights.outer, ofOuter)));
    }
    return hn::GetLane(hn::SumOfLanes(d, sum)) / 12;
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::cutout {

HWY_EXPORT(DiscMean);

float discMean(const float* from, std::ptrdiff_t stride, DiscPlaces x, DiscPlaces y) {
    return HWY_DYNAMIC_DISPATCH(DiscMean)(from, stride, x, y);
}

}
#endif
