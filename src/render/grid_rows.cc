#include "render/grid_rows.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/grid_rows.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// d: of so many pixels as fit into a step.
template <class D>
HWY_ATTR void addWith(D d, const float* upper, const float* lower, float down, int step, int width,
                      float* row) {
    const int pixels = static_cast<int>(hn::Lanes(d)) / 4;
    const auto share = hn::Set(d, down), one = hn::Set(d, 1.f),
               each = hn::Set(d, 1 / static_cast<float>(step));
    // Of the first pixels of a step, at their middles.
    alignas(64) float middles[16];
    for (int i = 0; i < 4 * pixels; ++i)
        middles[i] = (static_cast<float>(i / 4) + 0.5f) / static_cast<float>(step);
    const auto first = hn::Load(d, middles);
    const auto node = [&](int i) HWY_ATTR {
        const auto a = hn::LoadDup128(d, upper + 4 * i), b = hn::LoadDup128(d, lower + 4 * i);
        return hn::MulAdd(hn::Sub(b, a), share, a);
    };
    auto left = node(0);
    for (int i = 0; i * step < width; ++i) {
        const auto right = node(i + 1), by = hn::Sub(right, left);
        for (int k = 0; k < step; k += pixels, row += 4 * pixels) {
            const auto at = hn::MulAdd(hn::Set(d, static_cast<float>(k)), each, first),
                       seen = hn::MulAdd(by, at, left), over = hn::LoadU(d, row);
            hn::StoreU(hn::MulAdd(hn::Sub(one, hn::Broadcast<3>(over)), seen, over), d, row);
        }
        left = right;
    }
}

void AddEvenly(const float* upper, const float* lower, float down, int step, int width, float* row) {
    if (step >= 4)
        addWith(hn::CappedTag<float, 16>(), upper, lower, down, step, width, row);
    else if (step == 2)
        addWith(hn::CappedTag<float, 8>(), upper, lower, down, step, width, row);
    else
        addWith(hn::CappedTag<float, 4>(), upper, lower, down, step, width, row);
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(AddEvenly);

void addEvenly(const float* upper, const float* lower, float down, int step, int width, float* row) {
    HWY_DYNAMIC_DISPATCH(AddEvenly)(upper, lower, down, step, width, row);
}

}
#endif
