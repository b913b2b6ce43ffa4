// The sRGB transfer curve by vectors. Included once for every instruction set.
#if defined(STAGE_MEDIA_SRGB_INL_H_) == defined(HWY_TARGET_TOGGLE)
#ifdef STAGE_MEDIA_SRGB_INL_H_
#undef STAGE_MEDIA_SRGB_INL_H_
#else
#define STAGE_MEDIA_SRGB_INL_H_
#endif

#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::media::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// media::linearFromSrgb() of values within 0..1, to 2e-6 of each. d: of at most 16 floats.
// x^2.4 = x^2 x^0.4, and for x = 2^e m with m from 1 to 2: x^0.4 = 2^0.4e m^0.4. The polynomial of m is
// that of least error at Chebyshev nodes, off by less than 2e-6. e is -4 to -1: the last bit of x is
// taken down, so that 1 is below 1.
template <class D> HWY_INLINE hn::Vec<D> LinearOfSrgb(D d, hn::Vec<D> v) {
    const hn::RebindToSigned<D> whole;
    alignas(64) static constexpr float powers[16] = {0.32987698f, 0.43527528f, 0.57434918f, 0.75785828f,
                                                     0.32987698f, 0.43527528f, 0.57434918f, 0.75785828f,
                                                     0.32987698f, 0.43527528f, 0.57434918f, 0.75785828f,
                                                     0.32987698f, 0.43527528f, 0.57434918f, 0.75785828f};
    const auto x = hn::MulAdd(v, hn::Set(d, 1 / 1.055f), hn::Set(d, 0.055f / 1.055f));
    const auto bits = hn::Sub(hn::BitCast(whole, hn::Max(x, hn::Set(d, 0.07f))), hn::Set(whole, 1));
    const auto exponent = hn::And(hn::Sub(hn::ShiftRight<23>(bits), hn::Set(whole, 123)), hn::Set(whole, 3));
    const auto m =
        hn::BitCast(d, hn::Or(hn::And(bits, hn::Set(whole, 0x7fffff)), hn::Set(whole, 0x3f800000)));
    auto power = hn::MulAdd(m, hn::Set(d, 0.00515812f), hn::Set(d, -0.04931913f));
    for (const float coefficient : {0.20210902f, -0.48040017f, 0.92582964f, 0.39662430f})
        power = hn::MulAdd(m, power, hn::Set(d, coefficient));
    power = hn::Mul(power, hn::TableLookupLanes(hn::Load(d, powers), hn::IndicesFromVec(d, exponent)));
    const auto high = hn::Mul(hn::Mul(x, x), power), low = hn::Mul(v, hn::Set(d, 1 / 12.92f));
    return hn::IfThenElse(hn::Le(v, hn::Set(d, 0.04045f)), low, high);
}

}
HWY_AFTER_NAMESPACE();
#endif
