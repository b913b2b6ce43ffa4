#include "media/yuv_texels.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <type_traits>
#include <vector>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "media/yuv_texels.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "media/srgb-inl.h"

#ifndef STAGE_MEDIA_YUV_TEXELS_ONCE
#define STAGE_MEDIA_YUV_TEXELS_ONCE
namespace stage::media {

constexpr int chromaReach = 2, chromaTaps = 2 * chromaReach + 1, lanesAtMost = 16;

/// Memory of one row, with room for a whole vector beyond its end.
struct YuvRow {
    std::vector<std::uint16_t> brightness;     ///< of either width
    std::array<std::vector<float>, 2> samples, ///< of colour, as far down as the row is, from 2 to the left
        between;                               ///< at each pixel of the row
    explicit YuvRow(int pairs)
        : brightness(roomFor(2 * pairs)), samples{floats(pairs + 2 * chromaReach),
                                                  floats(pairs + 2 * chromaReach)},
          between{floats(2 * pairs), floats(2 * pairs)} {}

private:
    static std::size_t roomFor(int count) { return static_cast<std::size_t>(count + 2 * lanesAtMost); }
    static std::vector<float> floats(int count) { return std::vector<float>(roomFor(count)); }
};

/// How much the samples from 2 before to 2 after count at a distance (-0.5..0.5) from the middle one.
using Taps = std::array<float, chromaTaps>;

}
#endif

HWY_BEFORE_NAMESPACE();
namespace stage::media::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// At most as many as lanesAtMost.
using YuvFloats = hn::CappedTag<float, 16>;

template <class Value> HWY_INLINE hn::Vec<YuvFloats> FloatsAt(const Value* from) {
    const YuvFloats d;
    if constexpr (std::is_same_v<Value, float>) {
        return hn::LoadU(d, from);
    } else {
        const hn::RebindToSigned<YuvFloats> whole;
        return hn::ConvertTo(d, hn::PromoteTo(whole, hn::LoadU(hn::Rebind<Value, YuvFloats>(), from)));
    }
}

/// The samples of colour of one plane as they are at a row of pixels.
template <class Value>
void SamplesOfRow(const YuvPicture& picture, std::size_t plane, int y, const Taps& down, int first, int pairs,
                  float* out) {
    const YuvFloats d;
    const V2i size = picture.size / 2;
    const Value* rows[chromaTaps];
    for (int k = 0; k < chromaTaps; ++k)
        rows[k] = reinterpret_cast<const Value*>(picture.plane[plane] +
                                                 picture.stride[plane] *
                                                     std::clamp(y / 2 + k - chromaReach, 0, size.y - 1));
    const auto grey = hn::Set(d, -picture.grey * picture.differenceScale),
               scale = hn::Set(d, picture.differenceScale);
    const int lanes = static_cast<int>(hn::Lanes(d)), from = first - chromaReach,
              to = first + pairs + chromaReach;
    const int begin = std::max(from, 0), end = std::min(to, size.x);
    Value rest[chromaTaps][lanesAtMost] = {};
    for (int x = begin; x < end; x += lanes) {
        const bool whole = x + lanes <= end;
        auto sum = hn::Zero(d);
        for (int k = 0; k < chromaTaps; ++k) {
            const float share = down[static_cast<std::size_t>(k)];
            if (share == 0) continue;
            const Value* at = rows[k] + x;
            if (!whole) std::copy_n(at, end - x, rest[k]), at = rest[k];
            sum = hn::MulAdd(FloatsAt(at), hn::Set(d, share), sum);
        }
        hn::StoreU(hn::MulAdd(sum, scale, grey), d, out + x - from);
    }
    std::fill(out, out + begin - from, out[begin - from]);
    std::fill(out + end - from, out + to - from, out[end - 1 - from]);
}

/// Their values at the pixels: of each pair of pixels, the left one and the right one.
HWY_INLINE void BetweenSamples(const float* samples, const Taps (&across)[2], hn::Vec<YuvFloats>& left,
                               hn::Vec<YuvFloats>& right) {
    const YuvFloats d;
    left = right = hn::Zero(d);
    for (std::size_t k = 0; k < chromaTaps; ++k) {
        const auto value = hn::LoadU(d, samples + k);
        left = hn::MulAdd(value, hn::Set(d, across[0][k]), left);
        right = hn::MulAdd(value, hn::Set(d, across[1][k]), right);
    }
}

/// Linear red, green and blue.
struct YuvLight {
    hn::Vec<YuvFloats> red, green, blue;
};

struct YuvColours {
    const YuvFloats d{};
    hn::Vec<YuvFloats> black, scale, redOfV, greenOfU, greenOfV, blueOfU;
    explicit HWY_INLINE YuvColours(const YuvPicture& of) {
        const float green = 1 - of.red - of.blue;
        black = hn::Set(d, -of.black * of.scale), scale = hn::Set(d, of.scale);
        redOfV = hn::Set(d, 2 * (1 - of.red)), blueOfU = hn::Set(d, 2 * (1 - of.blue));
        greenOfU = hn::Set(d, -2 * (1 - of.blue) * of.blue / green);
        greenOfV = hn::Set(d, -2 * (1 - of.red) * of.red / green);
    }
    HWY_INLINE YuvLight of(hn::Vec<YuvFloats> brightness, hn::Vec<YuvFloats> u, hn::Vec<YuvFloats> v) const {
        const auto y = hn::MulAdd(brightness, scale, black);
        const auto linear = [&](hn::Vec<YuvFloats> encoded) HWY_ATTR {
            return LinearOfSrgb(d, hn::Min(hn::Max(encoded, hn::Zero(d)), hn::Set(d, 1.f)));
        };
        return {linear(hn::MulAdd(v, redOfV, y)), linear(hn::MulAdd(u, greenOfU, hn::MulAdd(v, greenOfV, y))),
                linear(hn::MulAdd(u, blueOfU, y))};
    }
};

/// Opaque texels. count: of them.
HWY_INLINE void StoreTexels(const YuvLight& light, int count, std::uint16_t* out) {
    const YuvFloats d;
    const hn::Rebind<std::uint16_t, YuvFloats> d16;
    const hn::Rebind<hwy::float16_t, YuvFloats> half;
    const auto bits = [&](hn::Vec<YuvFloats> v) HWY_ATTR { return hn::BitCast(d16, hn::DemoteTo(half, v)); };
    const auto red = bits(light.red), green = bits(light.green), blue = bits(light.blue),
               one = hn::Set(d16, 0x3c00);
    if (count >= static_cast<int>(hn::Lanes(d)))
        return hn::StoreInterleaved4(red, green, blue, one, d16, out);
    alignas(64) std::uint16_t texels[4 * lanesAtMost];
    hn::StoreInterleaved4(red, green, blue, one, d16, texels);
    std::copy_n(texels, 4 * count, out);
}

template <class Value>
void TexelsOfKind(const YuvPicture& picture, int level, const Box& box, const Taps (&across)[2],
                  const Taps (&down)[2], Raster& out) {
    const YuvFloats d;
    const int lanes = static_cast<int>(hn::Lanes(d)), width = box.size().x;
    const YuvColours colours(picture);
    // Pairs of pixels that lie over a sample of colour.
    const int first = level == 0 ? box.x0 / 2 : box.x0, pairs = level == 0 ? (box.x1 + 1) / 2 - first : width;
    YuvRow row(pairs), lower(level == 0 ? 0 : pairs);
    const auto read = [&](int y, YuvRow& to) {
        std::memcpy(to.brightness.data(),
                    picture.plane[0] + picture.stride[0] * y + std::ptrdiff_t{2} * first * sizeof(Value),
                    static_cast<std::size_t>(2 * pairs) * sizeof(Value));
        for (std::size_t c = 0; c < 2; ++c)
            SamplesOfRow<Value>(picture, c + 1, y, down[y % 2], first, pairs, to.samples[c].data());
    };
    const auto* brightness = reinterpret_cast<const Value*>(row.brightness.data());
    for (int y = box.y0; y < box.y1; ++y) {
        auto* texels = reinterpret_cast<std::uint16_t*>(out.row(y - box.y0));
        if (level == 0) {
            read(y, row);
            for (std::size_t c = 0; c < 2; ++c)
                for (int i = 0; i < pairs; i += lanes) {
                    hn::Vec<YuvFloats> left, right;
                    BetweenSamples(row.samples[c].data() + i, across, left, right);
                    hn::StoreInterleaved2(left, right, d, row.between[c].data() + 2 * i);
                }
            const int skip = box.x0 % 2;
            for (int i = 0; i < width; i += lanes)
                StoreTexels(colours.of(FloatsAt(brightness + skip + i),
                                       hn::LoadU(d, row.between[0].data() + skip + i),
                                       hn::LoadU(d, row.between[1].data() + skip + i)),
                            width - i, texels + std::ptrdiff_t{4} * i);
            continue;
        }
        read(2 * y, row);
        read(2 * y + 1, lower);
        for (int i = 0; i < width; i += lanes) {
            YuvLight sum{hn::Zero(d), hn::Zero(d), hn::Zero(d)};
            for (const YuvRow* each : {&row, &lower}) {
                hn::Vec<YuvFloats> u[2], v[2];
                BetweenSamples(each->samples[0].data() + i, across, u[0], u[1]);
                BetweenSamples(each->samples[1].data() + i, across, v[0], v[1]);
                // Both of a pair in one number twice as wide, the left one in its lower half.
                using Pair = std::conditional_t<sizeof(Value) == 1, std::uint16_t, std::int32_t>;
                const hn::RebindToSigned<YuvFloats> whole;
                const hn::Rebind<Pair, YuvFloats> dp;
                const auto packed = hn::LoadU(dp, reinterpret_cast<const Pair*>(each->brightness.data()) + i);
                hn::Vec<decltype(whole)> both;
                if constexpr (sizeof(Value) == 1)
                    both = hn::PromoteTo(whole, packed);
                else
                    both = packed;
                constexpr int bits = 8 * sizeof(Value);
                const auto mask = hn::Set(whole, (1 << bits) - 1);
                const hn::Vec<YuvFloats> pixels[2] = {
                    hn::ConvertTo(d, hn::And(both, mask)),
                    hn::ConvertTo(d, hn::And(hn::ShiftRight<bits>(both), mask))};
                for (int k = 0; k < 2; ++k) {
                    const YuvLight light = colours.of(pixels[k], u[k], v[k]);
                    sum.red = hn::Add(sum.red, light.red), sum.green = hn::Add(sum.green, light.green),
                    sum.blue = hn::Add(sum.blue, light.blue);
                }
            }
            const auto quarter = hn::Set(d, 0.25f);
            StoreTexels({hn::Mul(sum.red, quarter), hn::Mul(sum.green, quarter), hn::Mul(sum.blue, quarter)},
                        width - i, texels + std::ptrdiff_t{4} * i);
        }
    }
}

void TexelsOf(const YuvPicture& picture, int level, const Box& box, const Taps (&across)[2],
              const Taps (&down)[2], Raster& out) {
    if (picture.words)
        TexelsOfKind<std::uint16_t>(picture, level, box, across, down, out);
    else
        TexelsOfKind<std::uint8_t>(picture, level, box, across, down, out);
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::media {

HWY_EXPORT(TexelsOf);

namespace {

Taps tapsAt(float distance) {
    const auto share = [](float t) {
        t = std::abs(t);
        return t < 1 ? (1.5f * t - 2.5f) * t * t + 1 : t < 2 ? ((-0.5f * t + 2.5f) * t - 4) * t + 2 : 0.f;
    };
    Taps taps;
    for (int k = 0; k < chromaTaps; ++k)
        taps[static_cast<std::size_t>(k)] = share(static_cast<float>(k - chromaReach) - distance);
    return taps;
}

}

Raster texelsOf(const YuvPicture& picture, int level, const Box& box) {
    Raster out = Raster::unfilled(box.size());
    // A pixel is a quarter of a sample's width from the middle of its four.
    const auto taps = [&](std::size_t axis, float side) { return tapsAt((side - picture.chroma[axis]) / 2); };
    const Taps across[2] = {taps(0, -0.5f), taps(0, 0.5f)}, down[2] = {taps(1, -0.5f), taps(1, 0.5f)};
    HWY_DYNAMIC_DISPATCH(TexelsOf)(picture, level, box, across, down, out);
    return out;
}

}
#endif
