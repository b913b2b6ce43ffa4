#include "media/texels.h"

#include <Imath/half.h>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "media/texels.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::media::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void MeanOfFour(const std::uint16_t* upper, const std::uint16_t* lower, int count, std::uint16_t* out) {
#if HWY_MAX_BYTES >= 32             // where the machine converts halfs itself, rounding to even
    const hn::FixedTag<float, 4> d; // a texel
    const hn::Rebind<hwy::float16_t, decltype(d)> dh;
    const auto load = [&](const std::uint16_t* at) {
        return hn::PromoteTo(d, hn::LoadU(dh, reinterpret_cast<const hwy::float16_t*>(at)));
    };
    const auto quarter = hn::Set(d, 0.25f);
    for (int i = 0; i < count; ++i, upper += 8, lower += 8, out += 4) {
        const auto sum =
            hn::Add(hn::Add(hn::Add(load(upper), load(upper + 4)), load(lower)), load(lower + 4));
        hn::StoreU(hn::DemoteTo(dh, hn::Mul(sum, quarter)), dh, reinterpret_cast<hwy::float16_t*>(out));
    }
#else
    for (int i = 0; i < count; ++i, upper += 8, lower += 8, out += 4)
        for (int c = 0; c < 4; ++c) {
            const auto value = [c](const std::uint16_t* at) {
                Imath::half half;
                half.setBits(at[c]);
                return float(half);
            };
            out[c] = Imath::half(0.25f * (value(upper) + value(upper + 4) + value(lower) + value(lower + 4)))
                         .bits();
        }
#endif
}

CellRange RangeOfCell(const std::uint16_t* first, std::ptrdiff_t stride) {
    const hn::FixedTag<std::uint16_t, 8> d; // two texels
    const auto unsign = hn::Set(d, 0x7fff);
    auto most = hn::Zero(d), least = unsign;
    for (int y = 0; y < 8; ++y, first += stride)
        for (int i = 0; i < 32; i += 8) {
            const auto bits = hn::And(hn::LoadU(d, first + i), unsign);
            most = hn::Max(most, bits);
            least = hn::Min(least, bits);
        }
    alignas(16) std::uint16_t high[8], low[8];
    hn::Store(most, d, high);
    hn::Store(least, d, low);
    CellRange range{high[0], low[3] < low[7] ? low[3] : low[7]};
    for (const std::uint16_t bits : high)
        if (bits > range.most) range.most = bits;
    return range;
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::media {

HWY_EXPORT(MeanOfFour);
HWY_EXPORT(RangeOfCell);

void meanOfFour(const std::uint16_t* upper, const std::uint16_t* lower, int count, std::uint16_t* out) {
    HWY_DYNAMIC_DISPATCH(MeanOfFour)(upper, lower, count, out);
}

CellRange rangeOfCell(const std::uint16_t* first, std::ptrdiff_t stride) {
    return HWY_DYNAMIC_DISPATCH(RangeOfCell)(first, stride);
}

}
#endif
