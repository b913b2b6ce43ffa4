#include "render/blur.h"

#include "render/sampler.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/blur.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "render/fetch-inl.h"

#ifndef STAGE_RENDER_BLUR_TAPS
#define STAGE_RENDER_BLUR_TAPS
namespace stage::render {

/// The ends of a disc's rows, for places of one phase within a pixel: from the sums' number under the place,
/// which number to read, and how much of the next.
struct Ends {
    std::ptrdiff_t right, left;
    float rightPart, leftPart, weight;
};

}
#endif

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// `count` discs, `advance` numbers of the sums apart.
void BlurRow(const float* sums, const Ends* ends, int rows, float each, int count, std::ptrdiff_t advance,
             float* out, std::ptrdiff_t outAdvance) {
#if HWY_MAX_BYTES >= 32
    const hn::FixedTag<float, 8> d;
    const hn::FixedTag<float, 4> one;
    // A number and the next are one load: weighed with 1 - part and part.
    alignas(32) static constexpr float slopes[8] = {-1, -1, -1, -1, 1, 1, 1, 1},
                                       bases[8] = {1, 1, 1, 1, 0, 0, 0, 0};
    const auto slope = hn::Load(d, slopes), base = hn::Load(d, bases);
    int i = 0;
    for (; i + 4 <= count; i += 4) {
        auto s0 = hn::Zero(d), s1 = hn::Zero(d), s2 = hn::Zero(d), s3 = hn::Zero(d);
        const float* at = sums + i * advance;
        for (int k = 0; k < rows; ++k) {
            const auto weight = hn::Set(d, ends[k].weight);
            const auto wr = hn::Mul(weight, hn::MulAdd(hn::Set(d, ends[k].rightPart), slope, base)),
                       wl = hn::Mul(weight, hn::MulAdd(hn::Set(d, ends[k].leftPart), slope, base));
            const float *r = at + ends[k].right, *l = at + ends[k].left;
            const auto sum = [&](auto s, std::ptrdiff_t by) {
                return hn::NegMulAdd(hn::LoadU(d, l + by), wl, hn::MulAdd(hn::LoadU(d, r + by), wr, s));
            };
            s0 = sum(s0, 0), s1 = sum(s1, advance), s2 = sum(s2, 2 * advance), s3 = sum(s3, 3 * advance);
        }
        float* o = out + i * outAdvance;
        const auto put = [&](auto s, std::ptrdiff_t by) {
            const auto sum = hn::Mul(hn::Add(hn::LowerHalf(s), hn::UpperHalf(one, s)), hn::Set(one, each));
            hn::StoreU(hn::Max(sum, hn::Zero(one)), one, o + by);
        };
        put(s0, 0), put(s1, outAdvance), put(s2, 2 * outAdvance), put(s3, 3 * outAdvance);
    }
    for (; i < count; ++i) {
        auto s = hn::Zero(d);
        const float* at = sums + i * advance;
        for (int k = 0; k < rows; ++k) {
            const auto weight = hn::Set(d, ends[k].weight);
            const auto wr = hn::Mul(weight, hn::MulAdd(hn::Set(d, ends[k].rightPart), slope, base)),
                       wl = hn::Mul(weight, hn::MulAdd(hn::Set(d, ends[k].leftPart), slope, base));
            s = hn::NegMulAdd(hn::LoadU(d, at + ends[k].left), wl,
                              hn::MulAdd(hn::LoadU(d, at + ends[k].right), wr, s));
        }
        const auto sum = hn::Mul(hn::Add(hn::LowerHalf(s), hn::UpperHalf(one, s)), hn::Set(one, each));
        hn::StoreU(hn::Max(sum, hn::Zero(one)), one, out + i * outAdvance);
    }
#else
    for (int i = 0; i < count; ++i) {
        float sum[4] = {0, 0, 0, 0};
        const float* at = sums + i * advance;
        for (int k = 0; k < rows; ++k) {
            const float *r = at + ends[k].right, *l = at + ends[k].left;
            for (int c = 0; c < 4; ++c)
                sum[c] += ends[k].weight * (r[c] + (r[4 + c] - r[c]) * ends[k].rightPart - l[c] -
                                            (l[4 + c] - l[c]) * ends[k].leftPart);
        }
        for (int c = 0; c < 4; ++c)
            out[i * outAdvance + c] = std::max(0.f, sum[c] * each);
    }
#endif
}

/// Colours between two rows of `count`.
void BetweenRows(const float* upper, const float* lower, float part, float opacity, int count, float* out) {
    const hn::ScalableTag<float> d;
    const auto share = hn::Set(d, part), faint = hn::Set(d, opacity);
    for (int i = 0; i < 4 * count; i += static_cast<int>(hn::Lanes(d))) {
        const auto above = hn::LoadU(d, upper + i);
        hn::StoreU(hn::Mul(hn::MulAdd(hn::Sub(hn::LoadU(d, lower + i), above), share, above), faint), d,
                   out + i);
    }
}

/// A row of colours spread over a row of a canvas, under what is there: pixel x lies between colours at[x]
/// and the next.
void SpreadRow(const float* colours, const int* at, const float* part, Canvas& canvas, int y) {
    const Few few;
    const Few::D d;
    for (int x0 = 0; x0 < canvas.width; x0 += Canvas::group) {
        bool& full = canvas.full[(y * Canvas::side + x0) / Canvas::group];
        if (full) continue;
        float* const out = canvas.row(y);
        auto least = few.same(1);
        for (int x = x0; x < x0 + Canvas::group; x += Few::pixels) {
#if STAGE_FETCH_FOUR
            const hn::FixedTag<float, 8> pair;
            const auto both = [&](int i) {
                return hn::Combine(d, hn::LoadU(pair, colours + 4 * at[x + i + 2]),
                                   hn::LoadU(pair, colours + 4 * at[x + i]));
            };
            const auto m02 = both(0), m13 = both(1);
            const auto left = hn::OddEvenBlocks(hn::SwapAdjacentBlocks(m13), m02),
                       right = hn::OddEvenBlocks(m13, hn::SwapAdjacentBlocks(m02));
#elif HWY_MAX_BYTES >= 32
            const auto m0 = hn::LoadU(d, colours + 4 * at[x]), m1 = hn::LoadU(d, colours + 4 * at[x + 1]);
            const auto left = hn::ConcatLowerLower(d, m1, m0), right = hn::ConcatUpperUpper(d, m1, m0);
#else
            const auto left = hn::LoadU(d, colours + 4 * at[x]),
                       right = hn::LoadU(d, colours + 4 * at[x] + 4);
#endif
            few.under(out + 4 * x, hn::MulAdd(hn::Sub(right, left), few.each(part + x), left));
            if (x < canvas.width) least = hn::Min(least, few.alpha(hn::LoadU(d, out + 4 * x)));
        }
        full = hn::AllTrue(d, hn::Ge(least, few.same(opaqueAlpha)));
    }
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(BlurRow);
HWY_EXPORT(BetweenRows);
HWY_EXPORT(SpreadRow);

namespace {

/// The plane in a frame of pixels `size` times as large.
Plane inPixelsOf(Plane plane, double size) {
    const auto scaled = [&](Linear& l) { l.b *= size, l.c *= size; };
    for (Linear* l : {&plane.pinhole.u, &plane.pinhole.v, &plane.pinhole.w})
        scaled(*l);
    plane.view.slope /= size;
    plane.view.centre /= size;
    for (double* edge : {&plane.x0, &plane.y0, &plane.x1, &plane.y1})
        *edge /= size;
    return plane;
}

}

const DiscBlur::Rows& DiscBlur::rowsOf(double radius, int part) {
    // Sizes in steps that are not seen.
    constexpr double least = 0.05, step = 0.006;
    constexpr int sizes = 1200;
    const int index =
        std::clamp(static_cast<int>(std::lround(std::log(std::max(std::abs(radius), least) / least) / step)),
                   0, sizes - 1);
    if (m_rows.empty()) m_rows.resize(sizes * 2 * 4);
    Rows& rows = m_rows[static_cast<std::size_t>((index * 2 + (radius < 0 ? 1 : 0)) * 4 + part)];
    if (rows.each > 0) return rows;
    const double size = least * std::exp(index * step), turned = radius < 0 ? -size : size,
                 middle = 0.25 * part;
    rows.first = static_cast<int>(std::floor(middle - size + 0.5));
    const int last = static_cast<int>(std::floor(middle + size + 0.5));
    // The mean chord of each row, from so many lines across it.
    constexpr int lines = 16;
    double area = 0;
    for (int row = rows.first; row <= last; ++row) {
        double left = 0, right = 0;
        int met = 0;
        for (int k = 0; k < lines; ++k) {
            const double y = row + (k + 0.5) / lines - 0.5 - middle;
            double low = 0, high = 0;
            if (m_opening.blades < 3) {
                high = std::sqrt(std::max(0.0, size * size - y * y));
                low = -high;
            } else {
                // A polygon cut by a line. The picture's rows go down; a disc in front of the focus plane is
                // the other way round.
                const double each = 2 * std::numbers::pi / m_opening.blades, q = -y / turned;
                low = 1e9, high = -1e9;
                for (int n = 0; n < m_opening.blades; ++n) {
                    const double a = static_cast<double>(m_opening.turn) + n * each, b = a + each;
                    const double ya = std::sin(a), yb = std::sin(b);
                    if ((ya - q) * (yb - q) > 0 || ya == yb) continue;
                    const double p =
                        (std::cos(a) + (std::cos(b) - std::cos(a)) * (q - ya) / (yb - ya)) * turned;
                    low = std::min(low, p), high = std::max(high, p);
                }
                if (low > high) low = high = 0;
            }
            if (!(high > low)) continue;
            left += low, right += high;
            ++met;
        }
        const double share = static_cast<double>(met) / lines;
        rows.left.push_back(static_cast<float>(met ? left / met : 0));
        rows.right.push_back(static_cast<float>(met ? right / met : 0));
        rows.weight.push_back(static_cast<float>(share));
        area += met ? (right - left) / lines : 0;
    }
    rows.each = static_cast<float>(1 / std::max(area, 1e-9));
    return rows;
}

void DiscBlur::raster(const Plane& plane, const media::Pyramid& pixels, const Air& air, int x0, int y0,
                      int width, int height) {
    // Sums along each row; number n is that of the first n pixels.
    m_width = width, m_height = height;
    const auto stride = static_cast<std::size_t>(width + 1) * 4;
    m_sums.resize(stride * static_cast<std::size_t>(height));
    for (int y = 0; y < height; ++y)
        std::fill_n(m_sums.data() + static_cast<std::size_t>(y) * stride, 4, 0.f);
    for (int by = 0; by < height; by += Canvas::side) {
        for (int bx = 0; bx < width; bx += Canvas::side) {
            const int w = std::min(Canvas::side, width - bx), h = std::min(Canvas::side, height - by);
            m_part.clear(w, h);
            const int px = x0 + bx, py = y0 + by;
            const Reach reach = reachOf(plane, px, py, px + w, py + h, Through::Pinhole);
            if (!reach.off) {
                m_arena.reset();
                std::optional<Brush> brush;
                if (!plane.bent()) brush = brushOf(plane, pixels, reach, px, py, w, h, m_arena);
                if (brush) {
                    brush->air = air.from(px, py);
                    brush->hazy = air.density > 0;
                    render::paintUnder(*brush, m_part);
                } else {
                    sampleBox(plane, pixels, air, {px, py, px + w, py + h}, m_part);
                }
            }
            for (int y = 0; y < h; ++y) {
                const float* in = m_part.rgba + 4 * y * Canvas::side;
                float* out = m_sums.data() + static_cast<std::size_t>(by + y) * stride +
                             4 * static_cast<std::size_t>(bx);
                float sum[4] = {out[0], out[1], out[2], out[3]};
                for (int x = 0; x < w; ++x, in += 4) {
                    out += 4;
                    for (int c = 0; c < 4; ++c)
                        out[c] = sum[c] += in[c];
                }
            }
        }
    }
}

bool DiscBlur::paintUnder(const Plane& plane, const media::Pyramid& pixels, const Air& air, float opacity,
                          const media::Box& box, Canvas& canvas) {
    double fallback = 0;
    const auto radiusAt = [&](double x, double y) {
        const double nearness = nearnessAt(plane, x, y);
        // Off a mesh the rays are as good as sharp; what its edge throws there is as blurred as the box's
        // nearest.
        if (plane.bent() && !(nearness > 0)) return fallback;
        return plane.view.aperture * plane.view.slope * (1 / plane.view.focus - nearness);
    };
    double most = 0, least = 1e300;
    for (const int x : {box.x0, box.x1})
        for (const int y : {box.y0, box.y1}) {
            const double radius = std::abs(radiusAt(x, y));
            most = std::max(most, radius), least = std::min(least, radius);
        }
    // Very unlike discs are not blurred in one small picture.
    constexpr double unlike = 4, seen = 8; // px
    if (!plane.bent() && most > unlike * std::max(least, seen) &&
        std::max(box.x1 - box.x0, box.y1 - box.y0) > smallestPart)
        return false;
    if (plane.bent()) {
        // Anywhere in it and around it, with its sign.
        const auto [far, near] = nearnessIn(plane, box.x0, box.y0, box.x1, box.y1);
        for (const double nearness : {far, near})
            if (nearness > 0 && nearness < 1e299)
                if (const double r =
                        plane.view.aperture * plane.view.slope * (1 / plane.view.focus - nearness);
                    std::abs(r) >= std::abs(fallback))
                    fallback = r;
        most = std::max(most, std::abs(fallback));
        if (most < 1e-6) most = fallback = 1e-6;
    }
    const int shrink = shrinkOf(most);
    const double size = 1 << shrink;
    const Plane small = shrink ? inPixelsOf(plane, size) : plane;
    // Pixels of the small picture that the discs of the box reach, and one around them for spreading.
    const int reach = static_cast<int>(std::ceil(most / size)) + 3;
    const auto down = [&](int at) { return static_cast<int>(std::floor(at / size)); };
    const int x0 = down(box.x0) - reach, y0 = down(box.y0) - reach;
    const int width = down(box.x1 - 1) + reach + 1 - x0, height = down(box.y1 - 1) + reach + 1 - y0;
    raster(small, pixels, air.from(-0.5, -0.5, size), x0, y0, width, height);

    // Nothing there?
    const auto stride = static_cast<std::size_t>(m_width + 1) * 4;
    // The small picture's pixels and the spreading blur a little by themselves (a variance of 0.95 of its
    // pixels, both ways together, as measured on a point): the disc is so much smaller that all together are
    // as wide as it should be.
    const auto discOf = [&](double radius) {
        const double own = radius / size;
        return shrink == 0 ? own : std::copysign(std::sqrt(std::max(own * own - 2 * 0.95, 0.04)), own);
    };
    bool any = false;
    for (int y = 0; y < m_height && !any; ++y) {
        const float* total = m_sums.data() + static_cast<std::size_t>(y + 1) * stride - 4;
        any = total[0] != 0 || total[1] != 0 || total[2] != 0 || total[3] != 0;
    }
    if (!any) return true;

    // Blurred at places `step` pixels of the frame apart, from half a step before the box on. Places come in
    // phases of a pixel of the small picture.
    const int step = shrink > 1 ? 1 << (shrink - 1) : 1 << shrink, phases = (1 << shrink) / step;
    // Places stand at multiples of the step, whatever the box.
    const auto onStep = [&](int at) {
        return static_cast<int>(std::floor(at / static_cast<double>(step))) * step;
    };
    const int firstX = onStep(box.x0), firstY = onStep(box.y0);
    const int across = (box.x1 - firstX + step - 1) / step + 2,
              high = (box.y1 - firstY + step - 1) / step + 2;
    m_blurred.resize(static_cast<std::size_t>(across) * static_cast<std::size_t>(high) * 4 +
                     16); // read in steps
    std::vector<Ends> ends;
    const auto endsOf = [&](const Rows& rows, int row, double part) {
        const auto count = static_cast<int>(rows.left.size());
        ends.resize(rows.left.size());
        for (int k = 0; k < count; ++k) {
            const double right = part + static_cast<double>(rows.right[static_cast<std::size_t>(k)]),
                         left = part + static_cast<double>(rows.left[static_cast<std::size_t>(k)]);
            const double r = std::floor(right), l = std::floor(left);
            const auto line =
                static_cast<std::ptrdiff_t>(row + rows.first + k) * static_cast<std::ptrdiff_t>(stride);
            ends[static_cast<std::size_t>(k)] = {line + 4 * static_cast<std::ptrdiff_t>(r),
                                                 line + 4 * static_cast<std::ptrdiff_t>(l),
                                                 static_cast<float>(right - r), static_cast<float>(left - l),
                                                 rows.weight[static_cast<std::size_t>(k)]};
        }
        return count;
    };
    for (int j = 0; j < high; ++j) {
        const double fy = firstY + (j - 0.5) * step; // in the frame
        const double y = fy / size - y0 - 0.5;       // in the small picture, from its first row's middle
        const int row = static_cast<int>(std::floor(y + 1e-9));
        const int part = static_cast<int>(std::lround((y - row) * 4)) & 3;
        float* out = m_blurred.data() + static_cast<std::size_t>(j) * static_cast<std::size_t>(across) * 4;
        for (int phase = 0; phase < phases; ++phase) {
            // As many at a time as have the same disc.
            for (int i = phase; i < across;) {
                const auto placeOf = [&](int n) { return (firstX + (n - 0.5) * step) / size - x0; };
                // Around the box, where it is only mixed in, no disc is larger than in it.
                const auto radiusOf = [&](int n) {
                    return std::clamp(radiusAt(firstX + (n - 0.5) * step, fy), -most, most) / size;
                };
                const double radius = radiusOf(i);
                int end = across;
                if (!plane.level)
                    for (end = i + phases; end < across; end += phases)
                        if (std::abs(radiusOf(end) - radius) > 0.004 * std::abs(radius)) break;
                end = std::min(end, across);
                const double x = placeOf(i), whole = std::floor(x + 1e-9);
                const Rows& rows = rowsOf(discOf(radius * size), part);
                const int count = endsOf(rows, row, x - whole);
                const int many = (end - i + phases - 1) / phases;
                HWY_DYNAMIC_DISPATCH(BlurRow)
                (m_sums.data() + 4 * static_cast<std::ptrdiff_t>(whole), ends.data(), count, rows.each, many,
                 4, out + 4 * i, 4 * phases);
                i += many * phases;
            }
        }
    }

    // Spread over the pixels, under what is there.
    const std::size_t rowSize = static_cast<std::size_t>(across) * 4;
    m_row.resize(rowSize + 16);
    int at[Canvas::side];
    alignas(64) float parts[Canvas::side];
    for (int x = 0; x < Canvas::side; ++x) {
        const float u = (static_cast<float>(box.x0 - firstX + x) + 0.5f) / static_cast<float>(step) + 0.5f;
        at[x] = std::min(static_cast<int>(u), across - 2);
        parts[x] = u - static_cast<float>(at[x]);
    }
    for (int y = 0; y < canvas.height; ++y) {
        const float v = (static_cast<float>(box.y0 - firstY + y) + 0.5f) / static_cast<float>(step) + 0.5f;
        const int j = std::min(static_cast<int>(v), high - 2);
        const float fv = v - static_cast<float>(j);
        const float* upper = m_blurred.data() + static_cast<std::size_t>(j) * rowSize;
        const float* lower = upper + rowSize;
        HWY_DYNAMIC_DISPATCH(BetweenRows)(upper, lower, fv, opacity, across, m_row.data());
        HWY_DYNAMIC_DISPATCH(SpreadRow)(m_row.data(), at, parts, canvas, y);
    }
    return true;
}

}
#endif
