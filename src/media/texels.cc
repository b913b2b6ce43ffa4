#include "media/texels.h"

#include <algorithm>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "media/texels.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "media/srgb-inl.h"

HWY_BEFORE_NAMESPACE();
namespace stage::media::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void MeanOfFour(const std::uint16_t* upper, const std::uint16_t* lower, int count, std::uint16_t* out) {
#if HWY_MAX_BYTES >= 32             // where the machine converts halfs itself, rounding to even
    const hn::FixedTag<float, 8> d; // two texels
    const hn::Rebind<hwy::float16_t, decltype(d)> dh;
    const auto load = [&](const std::uint16_t* at) {
        return hn::PromoteTo(d, hn::LoadU(dh, reinterpret_cast<const hwy::float16_t*>(at)));
    };
    const auto quarter = hn::Set(d, 0.25f);
    const auto mean = [&](const std::uint16_t* above, const std::uint16_t* below, std::uint16_t* to) {
        const auto a0 = load(above), a1 = load(above + 8), b0 = load(below), b1 = load(below + 8);
        const auto sum =
            hn::Add(hn::Add(hn::Add(hn::ConcatLowerLower(d, a1, a0), hn::ConcatUpperUpper(d, a1, a0)),
                            hn::ConcatLowerLower(d, b1, b0)),
                    hn::ConcatUpperUpper(d, b1, b0));
        hn::StoreU(hn::DemoteTo(dh, hn::Mul(sum, quarter)), dh, reinterpret_cast<hwy::float16_t*>(to));
    };
    for (; count >= 2; count -= 2, upper += 16, lower += 16, out += 8)
        mean(upper, lower, out);
    if (count == 0) return;
    std::uint16_t four[2][16] = {}, two[8];
    std::copy_n(upper, 8, four[0]);
    std::copy_n(lower, 8, four[1]);
    mean(four[0], four[1], two);
    std::copy_n(two, 4, out);
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

void LinearTexels(const std::uint16_t* red, const std::uint16_t* green, const std::uint16_t* blue, int count,
                  std::uint16_t* out) {
    const hn::CappedTag<float, 16> d;
    const hn::Rebind<std::uint16_t, decltype(d)> d16;
    const hn::Rebind<hwy::float16_t, decltype(d)> half;
    const hn::RebindToSigned<decltype(d)> whole;
    const auto linear = [&](const std::uint16_t* from) HWY_ATTR {
        const auto v =
            hn::Mul(hn::ConvertTo(d, hn::PromoteTo(whole, hn::LoadU(d16, from))), hn::Set(d, 1.f / 65535.f));
        return hn::BitCast(d16, hn::DemoteTo(half, LinearOfSrgb(d, v)));
    };
    const auto one = hn::Set(d16, Imath::half(1.f).bits());
    const int lanes = static_cast<int>(hn::Lanes(d));
    int i = 0;
    for (; i + lanes <= count; i += lanes)
        hn::StoreInterleaved4(linear(red + i), linear(green + i), linear(blue + i), one, d16, out + 4 * i);
    if (i == count) return;
    // The rest by way of as many as fill a register.
    alignas(64) std::uint16_t colours[3][16] = {}, texels[64];
    const std::uint16_t* const rows[] = {red, green, blue};
    for (int c = 0; c < 3; ++c)
        std::copy_n(rows[c] + i, count - i, colours[c]);
    hn::StoreInterleaved4(linear(colours[0]), linear(colours[1]), linear(colours[2]), one, d16, texels);
    std::copy_n(texels, 4 * (count - i), out + 4 * i);
}

void SampledTexels(const std::uint16_t* texels, int width, int height, const float* x, const float* y,
                   int count, std::uint16_t* out) {
    const hn::FixedTag<float, 4> d; // one texel
#if HWY_MAX_BYTES >= 32             // where the machine converts halfs itself
    // Two texels of a row at once: both rows are mixed first, then the two.
    const hn::FixedTag<float, 8> d2;
    const hn::Rebind<hwy::float16_t, decltype(d2)> dh2;
    const hn::Rebind<hwy::float16_t, decltype(d)> dh;
    if (width > 1) {
        const hn::CappedTag<float, 16> many;
        const hn::RebindToSigned<decltype(many)> whole;
        const int lanes = static_cast<int>(hn::Lanes(many));
        const std::ptrdiff_t below = height > 1 ? std::ptrdiff_t{4} * width : 0;
        // The upper left one of each four, so that all are inside, and the shares of the others.
        alignas(64) std::int32_t first[16];
        alignas(64) float right[16], down[16];
        const auto* from = reinterpret_cast<const hwy::float16_t*>(texels);
        for (int i = 0; i < count; i += lanes) {
            const int some = std::min(lanes, count - i);
            const auto place = [&](const float* at, int size, auto& share) HWY_ATTR {
                alignas(64) float rest[16] = {};
                if (some < lanes) at = std::copy_n(at + i, some, rest) - some - i;
                const auto v = hn::Min(hn::Max(hn::LoadU(many, at + i), hn::Zero(many)),
                                       hn::Set(many, static_cast<float>(size - 1)));
                const auto low = hn::Min(hn::ConvertTo(whole, v), hn::Set(whole, std::max(0, size - 2)));
                share = hn::Sub(v, hn::ConvertTo(many, low));
                return low;
            };
            hn::Vec<decltype(many)> fx, fy;
            const auto x0 = place(x, width, fx), y0 = place(y, height, fy);
            hn::Store(hn::Add(hn::Mul(y0, hn::Set(whole, width)), x0), whole, first);
            hn::Store(fx, many, right);
            hn::Store(fy, many, down);
            for (int k = 0; k < some; ++k, out += 4) {
                const auto* at = from + std::ptrdiff_t{4} * first[k];
                const auto upper = hn::PromoteTo(d2, hn::LoadU(dh2, at)),
                           lower = hn::PromoteTo(d2, hn::LoadU(dh2, at + below));
                const auto both = hn::MulAdd(hn::Sub(lower, upper), hn::Set(d2, down[k]), upper);
                const auto one = hn::LowerHalf(d, both), other = hn::UpperHalf(d, both);
                const auto mixed = hn::MulAdd(hn::Sub(other, one), hn::Set(d, right[k]), one);
                hn::StoreU(hn::DemoteTo(dh, mixed), dh, reinterpret_cast<hwy::float16_t*>(out));
            }
        }
        return;
    }
#endif
    const auto load = [d](const std::uint16_t* from) {
        float four[4];
        for (int k = 0; k < 4; ++k) {
            Imath::half half;
            half.setBits(from[k]);
            four[k] = float(half);
        }
        return hn::LoadU(d, four);
    };
    const auto most = [](float v, int size) {
        return v < 0 ? 0 : v > static_cast<float>(size - 1) ? static_cast<float>(size - 1) : v;
    };
    for (int i = 0; i < count; ++i, out += 4) {
        const float u = most(x[i], width), v = most(y[i], height);
        const int x0 = static_cast<int>(u), y0 = static_cast<int>(v), right = x0 + 1 < width ? 4 : 0;
        const std::ptrdiff_t below = y0 + 1 < height ? 4 * static_cast<std::ptrdiff_t>(width) : 0;
        const std::uint16_t* at = texels + 4 * (static_cast<std::ptrdiff_t>(y0) * width + x0);
        const auto fx = hn::Set(d, u - static_cast<float>(x0)), fy = hn::Set(d, v - static_cast<float>(y0));
        const auto a = load(at), b = load(at + right), c = load(at + below), e = load(at + below + right);
        const auto top = hn::MulAdd(hn::Sub(b, a), fx, a), low = hn::MulAdd(hn::Sub(e, c), fx, c);
        float four[4];
        hn::StoreU(hn::MulAdd(hn::Sub(low, top), fy, top), d, four);
        for (int k = 0; k < 4; ++k)
            out[k] = Imath::half(four[k]).bits();
    }
}

/// body(d, i) for all numbers, as many at a time as a vector of up to 16 holds, and the last ones one by one.
template <class Body> HWY_INLINE void forNumbers(int count, const Body& body) {
    const hn::CappedTag<float, 16> wide;
    const hn::FixedTag<float, 1> one;
    const int lanes = static_cast<int>(hn::Lanes(wide));
    int i = 0;
    for (; i + lanes <= count; i += lanes)
        body(wide, i);
    for (; i < count; ++i)
        body(one, i);
}

void FloatsOfHalfs(const Imath::half* halfs, int count, float* floats) {
    forNumbers(count, [&](auto d, int i) HWY_ATTR {
        const hn::Rebind<hwy::float16_t, decltype(d)> half;
        hn::StoreU(hn::PromoteTo(d, hn::LoadU(half, reinterpret_cast<const hwy::float16_t*>(halfs + i))), d,
                   floats + i);
    });
}

void AlphaOfTexels(const Imath::half* texels, int count, float* alpha) {
    const auto of = [&](auto d, int i) HWY_ATTR { // d: texels as wholes
        const hn::Rebind<std::uint16_t, decltype(d)> bits;
        const hn::Rebind<hwy::float16_t, decltype(d)> half;
        const hn::Rebind<float, decltype(d)> number;
        const auto all = hn::LoadU(d, reinterpret_cast<const std::uint64_t*>(texels + 4 * std::ptrdiff_t{i}));
        const auto last = hn::TruncateTo(bits, hn::ShiftRight<48>(all));
        hn::StoreU(hn::PromoteTo(number, hn::BitCast(half, last)), number, alpha + i);
    };
    const hn::CappedTag<std::uint64_t, 8> wide;
    const hn::FixedTag<std::uint64_t, 1> one;
    const auto lanes = static_cast<int>(hn::Lanes(wide));
    int i = 0;
    for (; i + lanes <= count; i += lanes)
        of(wide, i);
    for (; i < count; ++i)
        of(one, i);
}

void HalfsOfFloats(const float* floats, int count, Imath::half* halfs) {
    forNumbers(count, [&](auto d, int i) HWY_ATTR {
        const hn::Rebind<hwy::float16_t, decltype(d)> half;
        hn::StoreU(hn::DemoteTo(half, hn::Min(hn::LoadU(d, floats + i), hn::Set(d, 65000.f))), half,
                   reinterpret_cast<hwy::float16_t*>(halfs + i));
    });
}

/// A vector's parts of 8 numbers, put together by an operation.
template <class D, class Put> HWY_INLINE auto eightOf([[maybe_unused]] D d, hn::Vec<D> all, const Put& put) {
    if constexpr (hn::MaxLanes(D()) > 8) {
        const hn::Half<D> half;
        return eightOf(half, put(hn::LowerHalf(half, all), hn::UpperHalf(half, all)), put);
    } else {
        return all;
    }
}

CellRange RangeOfCell(const std::uint16_t* first, std::ptrdiff_t stride) {
    const hn::CappedTag<std::uint16_t, 32> d; // as much of a cell's row as a vector holds
    const auto unsign = hn::Set(d, 0x7fff);
    auto most = hn::Zero(d), least = unsign;
    for (int y = 0; y < 8; ++y, first += stride)
        for (int i = 0; i < 32; i += static_cast<int>(hn::Lanes(d))) {
            const auto bits = hn::And(hn::LoadU(d, first + i), unsign);
            most = hn::Max(most, bits);
            least = hn::Min(least, bits);
        }
    const hn::FixedTag<std::uint16_t, 8> two; // texels
    const auto high = eightOf(d, most, [](auto a, auto b) HWY_ATTR { return hn::Max(a, b); }),
               low = eightOf(d, least, [](auto a, auto b) HWY_ATTR { return hn::Min(a, b); });
    const hn::RepartitionToWide<hn::RepartitionToWide<decltype(two)>> texel;
    // Both texels' in the lower one.
    const auto swapped = [&](auto eight) HWY_ATTR {
        const hn::RepartitionToWide<decltype(two)> pairs;
        return hn::BitCast(two, hn::Shuffle1032(hn::BitCast(pairs, eight)));
    };
    const std::uint64_t high4 = hn::GetLane(hn::BitCast(texel, hn::Max(high, swapped(high)))),
                        low4 = hn::GetLane(hn::BitCast(texel, hn::Min(low, swapped(low))));
    CellRange range{0, static_cast<std::uint16_t>(low4 >> 48)};
    for (int c = 0; c < 4; ++c)
        range.most = std::max(range.most, static_cast<std::uint16_t>(high4 >> (16 * c)));
    return range;
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::media {

HWY_EXPORT(AlphaOfTexels);
HWY_EXPORT(FloatsOfHalfs);
HWY_EXPORT(HalfsOfFloats);
HWY_EXPORT(MeanOfFour);
HWY_EXPORT(LinearTexels);
HWY_EXPORT(RangeOfCell);
HWY_EXPORT(SampledTexels);

void meanOfFour(const std::uint16_t* upper, const std::uint16_t* lower, int count, std::uint16_t* out) {
    HWY_DYNAMIC_DISPATCH(MeanOfFour)(upper, lower, count, out);
}

void linearTexels(const std::uint16_t* red, const std::uint16_t* green, const std::uint16_t* blue, int count,
                  std::uint16_t* out) {
    HWY_DYNAMIC_DISPATCH(LinearTexels)(red, green, blue, count, out);
}

void sampledTexels(const std::uint16_t* texels, int width, int height, const float* x, const float* y,
                   int count, std::uint16_t* out) {
    HWY_DYNAMIC_DISPATCH(SampledTexels)(texels, width, height, x, y, count, out);
}

void alphaOfTexels(const Imath::half* texels, int count, float* alpha) {
    HWY_DYNAMIC_DISPATCH(AlphaOfTexels)(texels, count, alpha);
}

void floatsOfHalfs(const Imath::half* halfs, int count, float* floats) {
    HWY_DYNAMIC_DISPATCH(FloatsOfHalfs)(halfs, count, floats);
}

void halfsOfFloats(const float* floats, int count, Imath::half* halfs) {
    HWY_DYNAMIC_DISPATCH(HalfsOfFloats)(floats, count, halfs);
}

CellRange rangeOfCell(const std::uint16_t* first, std::ptrdiff_t stride) {
    return HWY_DYNAMIC_DISPATCH(RangeOfCell)(first, stride);
}

}
#endif
