#include "output/sample_rows.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "output/sample_rows.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::output::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

template <class Sample>
HWY_INLINE void Split(const Sample* rgba, int count, Sample* red, Sample* green, Sample* blue) {
    const hn::ScalableTag<Sample> d;
    const int lanes = static_cast<int>(hn::Lanes(d));
    int x = 0;
    for (; x + lanes <= count; x += lanes) {
        hn::Vec<decltype(d)> r, g, b, a;
        hn::LoadInterleaved4(d, rgba + 4 * x, r, g, b, a);
        hn::StoreU(r, d, red + x);
        hn::StoreU(g, d, green + x);
        hn::StoreU(b, d, blue + x);
    }
    for (; x < count; ++x)
        red[x] = rgba[4 * x], green[x] = rgba[4 * x + 1], blue[x] = rgba[4 * x + 2];
}
void Split8(const std::uint8_t* rgba, int count, std::uint8_t* red, std::uint8_t* green, std::uint8_t* blue) {
    Split(rgba, count, red, green, blue);
}
void Split16(const std::uint16_t* rgba, int count, std::uint16_t* red, std::uint16_t* green,
             std::uint16_t* blue) {
    Split(rgba, count, red, green, blue);
}

void DifferencesAlong(const std::uint8_t* rgba, int count, int channels, std::uint8_t* out) {
    if (count == 0) return;
    const hn::FixedTag<std::uint8_t, 16> d; // four pixels
    alignas(16) static constexpr std::uint8_t colours[16] = {0,  1,  2,  4,  5,    6,    8,    9,
                                                             10, 12, 13, 14, 0x80, 0x80, 0x80, 0x80};
    const auto pick = hn::Load(d, colours);
    for (int c = 0; c < channels; ++c)
        out[c] = rgba[c];
    int x = 1;
    // What is stored past four pixels' colours is overwritten by the next.
    for (; x + 4 + 2 <= count; x += 4) {
        const auto more = hn::Sub(hn::LoadU(d, rgba + 4 * x), hn::LoadU(d, rgba + 4 * (x - 1)));
        hn::StoreU(channels == 4 ? more : hn::TableLookupBytes(more, pick), d, out + channels * x);
    }
    for (; x < count; ++x)
        for (int c = 0; c < channels; ++c)
            out[channels * x + c] = static_cast<std::uint8_t>(rgba[4 * x + c] - rgba[4 * (x - 1) + c]);
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::output {

HWY_EXPORT(Split8);
HWY_EXPORT(Split16);
HWY_EXPORT(DifferencesAlong);

void splitColours(const std::uint8_t* rgba, int count, std::uint8_t* red, std::uint8_t* green,
                  std::uint8_t* blue) {
    HWY_DYNAMIC_DISPATCH(Split8)(rgba, count, red, green, blue);
}
void splitColours(const std::uint16_t* rgba, int count, std::uint16_t* red, std::uint16_t* green,
                  std::uint16_t* blue) {
    HWY_DYNAMIC_DISPATCH(Split16)(rgba, count, red, green, blue);
}
void differencesAlong(const std::uint8_t* rgba, int count, int channels, std::uint8_t* out) {
    HWY_DYNAMIC_DISPATCH(DifferencesAlong)(rgba, count, channels, out);
}

}
#endif
