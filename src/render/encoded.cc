#include "media/parallel.h"
#include "render/curve.h"
#include "render/image.h"
#include "render/lens_points.h"
#include "scene/timing.h"

#include <algorithm>
#include <limits>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/encoded.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// A row of pixels. rounding: what is added before the rest after the point is dropped, of 64 columns again
/// and again.
template <class Int>
void EncodeRow(const float* in, int pixels, bool overBlack, const float* rounding, Int* out) {
    const hn::CappedTag<float, 16> d;
    const hn::RebindToSigned<decltype(d)> di;
    const hn::Rebind<Int, decltype(d)> narrow;
    const int lanes = static_cast<int>(hn::Lanes(d));
    const float* const table = encodeTable();
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.f), top = hn::Set(d, std::numeric_limits<Int>::max());
    const auto encodeSome = [&](const float* from, int column, Int* to) {
        hn::Vec<decltype(d)> r, g, b, a;
        hn::LoadInterleaved4(d, from, r, g, b, a);
        a = hn::Min(hn::Max(a, zero), one);
        const auto straight = overBlack ? one : hn::IfThenElseZero(hn::Gt(a, zero), hn::Div(one, a));
        const auto round = hn::LoadU(d, rounding + column % BlueNoise::side);
        const auto shown = [&](auto linear) {
            // Not a number becomes 0: it is not greater than 0.
            const auto x = hn::Mul(linear, straight);
            const auto inside = hn::Min(hn::IfThenElseZero(hn::Gt(x, zero), x), one);
            const auto place = hn::Mul(hn::Sqrt(inside), hn::Set(d, static_cast<float>(encodeSteps)));
            const auto index = hn::ConvertTo(di, place);
            const auto low = hn::GatherIndex(d, table, index), high = hn::GatherIndex(d, table + 1, index);
            const auto value = hn::MulAdd(hn::Sub(high, low), hn::Sub(place, hn::ConvertTo(d, index)), low);
            return hn::DemoteTo(narrow, hn::ConvertTo(di, hn::Min(hn::MulAdd(value, top, round), top)));
        };
        const auto alpha = overBlack ? top : hn::MulAdd(a, top, hn::Set(d, 0.5f));
        hn::StoreInterleaved4(shown(r), shown(g), shown(b), hn::DemoteTo(narrow, hn::ConvertTo(di, alpha)),
                              narrow, to);
    };
    int x = 0;
    for (; x + lanes <= pixels; x += lanes)
        encodeSome(in + 4 * x, x, out + 4 * x);
    if (x == pixels) return;
    float rest[4 * 16] = {};
    Int last[4 * 16];
    std::copy_n(in + 4 * x, 4 * (pixels - x), rest);
    encodeSome(rest, x, last);
    std::copy_n(last, 4 * (pixels - x), out + 4 * x);
}

void EncodeRow8(const float* in, int pixels, bool overBlack, const float* rounding, std::uint8_t* out) {
    EncodeRow(in, pixels, overBlack, rounding, out);
}
void EncodeRow16(const float* in, int pixels, bool overBlack, const float* rounding, std::uint16_t* out) {
    EncodeRow(in, pixels, overBlack, rounding, out);
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(EncodeRow8);
HWY_EXPORT(EncodeRow16);

namespace {

void encodeRow(const float* in, int pixels, bool overBlack, const float* rounding, std::uint8_t* out) {
    HWY_DYNAMIC_DISPATCH(EncodeRow8)(in, pixels, overBlack, rounding, out);
}
void encodeRow(const float* in, int pixels, bool overBlack, const float* rounding, std::uint16_t* out) {
    HWY_DYNAMIC_DISPATCH(EncodeRow16)(in, pixels, overBlack, rounding, out);
}

}

template <class Int> Samples<Int> encoded(const Image& picture, const Encoding& encoding) {
    const Timed timed(Stage::Round);
    Samples<Int> out(picture.rgba.size());
    std::array<float, BlueNoise::side> nearest;
    nearest.fill(0.5f);
    const float* const noise = encoding.dithered ? blueNoise().value.data() : nullptr;
    media::inParallel(0, picture.size.y, [&](int y) {
        const float* const rounding = noise ? noise + y % BlueNoise::side * BlueNoise::side : nearest.data();
        encodeRow(picture.row(y), picture.size.x, encoding.overBlack, rounding,
                  out.data() + static_cast<std::size_t>(y) * picture.size.x * 4);
    });
    return out;
}

template Samples<std::uint8_t> encoded(const Image&, const Encoding&);
template Samples<std::uint16_t> encoded(const Image&, const Encoding&);

}
#endif
