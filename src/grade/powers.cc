#include "grade/powers.h"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "grade/powers.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <hwy/contrib/math/math-inl.h>

HWY_BEFORE_NAMESPACE();
namespace stage::grade::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void Raise(const Powers& powers, float* rgba, std::size_t pixels) {
    const hn::CappedTag<float, 16> d;
    using V = hn::Vec<decltype(d)>;
    const std::size_t lanes = hn::Lanes(d);
    // Every fourth is alpha, which is taken back.
    HWY_ALIGN float power[16], logarithm[16], colour[16];
    for (std::size_t i = 0; i < 16; ++i) {
        const std::size_t c = i % 4;
        power[i] = c < 3 ? powers.power[c] : 1;
        logarithm[i] = c < 3 ? std::log(powers.factor[c]) : 0;
        colour[i] = c < 3 ? 1 : 0;
    }
    const auto raised = [&](V v, std::size_t of) HWY_ATTR {
        const auto least = hn::Set(d, 1e-38f);
        const auto above = hn::And(hn::Gt(v, least), hn::Gt(hn::Load(d, colour + of), hn::Zero(d)));
        const auto exponent =
            hn::MulAdd(hn::Log(d, hn::Max(v, least)), hn::Load(d, power + of), hn::Load(d, logarithm + of));
        return hn::IfThenElse(above, hn::Exp(d, hn::Min(exponent, hn::Set(d, 88.f))), v);
    };
    const std::size_t count = 4 * pixels;
    std::size_t i = 0;
    for (; i + lanes <= count; i += lanes)
        hn::StoreU(raised(hn::LoadU(d, rgba + i), i % 16), d, rgba + i);
    if (i == count) return;
    HWY_ALIGN float last[16] = {};
    std::copy(rgba + i, rgba + count, last);
    hn::Store(raised(hn::Load(d, last), i % 16), d, last);
    std::copy(last, last + (count - i), rgba + i);
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::grade {

HWY_EXPORT(Raise);

void raise(const Powers& powers, float* rgba, std::size_t pixels) {
    HWY_DYNAMIC_DISPATCH(Raise)(powers, rgba, pixels);
}

}
#endif
