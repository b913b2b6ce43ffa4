#include "render/blur.h"

#include "render/sampler.h"
#include "scene/timing.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/blur.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "render/fetch-inl.h"

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// `count` discs, `advance` numbers of the sums apart.
void BlurRow(const float* sums, const DiscEnds* ends, int rows, float each, int count, std::ptrdiff_t advance,
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

/// The mean of what `count` places of a row show over their motion. stride: of the rows read, numbers.
void SmearRow(const float* from, std::ptrdiff_t stride, const SmearTap* taps, std::size_t moments, int count,
              float* out) {
    const auto over = [&](auto d, int i) {
        auto sum = hn::Zero(d);
        for (std::size_t k = 0; k < moments; ++k) {
            const float* at = from + taps[k].offset + i;
            sum = hn::MulAdd(hn::LoadU(d, at), hn::Set(d, taps[k].here), sum);
            sum = hn::MulAdd(hn::LoadU(d, at + 4), hn::Set(d, taps[k].right), sum);
            sum = hn::MulAdd(hn::LoadU(d, at + stride), hn::Set(d, taps[k].below), sum);
            sum = hn::MulAdd(hn::LoadU(d, at + stride + 4), hn::Set(d, taps[k].belowRight), sum);
        }
        hn::StoreU(sum, d, out + i);
    };
    const hn::CappedTag<float, 16> wide;
    const hn::FixedTag<float, 4> one;
    const auto lanes = static_cast<int>(hn::Lanes(wide));
    int i = 0;
    for (; i + lanes <= 4 * count; i += lanes)
        over(wide, i);
    for (; i < 4 * count; i += 4)
        over(one, i);
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
HWY_EXPORT(SmearRow);
HWY_EXPORT(SpreadRow);

namespace {

/// How far apart places are that are blurred, px of the frame.
int stepOf(int shrink) {
    return shrink > 1 ? 1 << (shrink - 1) : 1 << shrink;
}

/// The plane in a frame of pixels `size` times as large.
Plane inPixelsOf(Plane plane, double size) {
    const auto scaled = [&](Linear& l) { l.b *= size, l.c *= size; };
    for (Linear* l : {&plane.pinhole.u, &plane.pinhole.v, &plane.pinhole.w})
        scaled(*l);
    plane.coarse = std::max(1.0, plane.coarse / size);
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

void DiscBlur::startBlock(const media::Box& block) {
    m_block = block;
    m_used = 0;
}

void DiscBlur::raster(const Plane& plane, const media::Pyramid& pixels, const Air& air, Sums& sums) {
    const media::Box& all = sums.small.box;
    const int width = all.x1 - all.x0, height = all.y1 - all.y0;
    const auto stride = static_cast<std::size_t>(sums.stride());
    sums.numbers.resize(stride * static_cast<std::size_t>(height));
    for (int y = 0; y < height; ++y)
        std::fill_n(sums.numbers.data() + static_cast<std::size_t>(y) * stride, 4, 0.f);
    for (int by = 0; by < height; by += Canvas::side) {
        for (int bx = 0; bx < width; bx += Canvas::side) {
            const int w = std::min(Canvas::side, width - bx), h = std::min(Canvas::side, height - by);
            m_part.clear(w, h);
            const int px = all.x0 + bx, py = all.y0 + by;
            const Reach reach = reachOf(plane, px, py, px + w, py + h, Through::Pinhole);
            if (!reach.off) {
                m_arena.reset();
                std::optional<Brush> brush;
                if (!plane.bent())
                    brush = brushOf(plane, pixels, reach, px, py, w, h, m_arena, sums.small.oneLevel);
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
                float* out = sums.numbers.data() + static_cast<std::size_t>(by + y) * stride +
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

/// The discs of a card over a box of the frame, px; radii are signed: behind the focus positive.
class DiscBlur::Discs {
public:
    Discs(const Plane& plane, const media::Box& box) : m_plane(plane) {
        for (const int x : {box.x0, box.x1})
            for (const int y : {box.y0, box.y1}) {
                const double radius = std::abs(radiusAt(x, y));
                m_most = std::max(m_most, radius), m_least = std::min(m_least, radius);
            }
        if (!plane.bent()) return;
        // Anywhere in it and around it, with its sign.
        const auto [far, near] = nearnessIn(plane, box.x0, box.y0, box.x1, box.y1);
        for (const double nearness : {far, near})
            if (nearness > 0 && nearness < 1e299)
                if (const double r = radiusOf(nearness); std::abs(r) >= std::abs(m_fallback)) m_fallback = r;
        m_most = std::max(m_most, std::abs(m_fallback));
        if (m_most < 1e-6) m_most = m_fallback = 1e-6;
    }
    double radiusAt(double x, double y) const {
        const double nearness = nearnessAt(m_plane, x, y);
        // Off a mesh the rays are as good as sharp; what its edge throws there is as blurred as the box's
        // nearest.
        return m_plane.bent() && !(nearness > 0) ? m_fallback : radiusOf(nearness);
    }
    bool bent() const { return m_plane.bent(); }
    double most() const { return m_most; }
    double least() const { return m_least; } ///< at the corners
    /// As good as one for all of the box. A flat card's are linear over the frame.
    bool same() const { return m_plane.level || (!m_plane.bent() && m_most - m_least <= alike * m_most); }
    /// How many places on, each so far from the one before, have a disc like the one at the first: their
    /// radii are given.
    static int alikeFrom(double first, double second, int most) {
        const double change = std::abs(second - first);
        const double many = change > 0 ? alike * std::abs(first) / change : most;
        return many < most ? static_cast<int>(many) : most;
    }

private:
    static constexpr double alike = 0.004;
    double radiusOf(double nearness) const {
        return m_plane.view.aperture * m_plane.view.slope * (1 / m_plane.view.focus - nearness);
    }
    const Plane& m_plane;
    double m_most = 0, m_least = 1e300, m_fallback = 0;
};

/// The places at which the picture is blurred: `step` pixels of the frame apart, at multiples of it whatever
/// the box, from half a step before the box on.
struct DiscBlur::Grid {
    int firstX, firstY, step, across, high;

    Grid(const media::Box& box, int apart) : step(apart) {
        const auto onStep = [apart](int at) {
            return static_cast<int>(std::floor(at / static_cast<double>(apart))) * apart;
        };
        firstX = onStep(box.x0), firstY = onStep(box.y0);
        across = (box.x1 - firstX + step - 1) / step + 2;
        high = (box.y1 - firstY + step - 1) / step + 2;
    }
    double x(int n) const { return firstX + (n - 0.5) * step; }
    double y(int n) const { return firstY + (n - 0.5) * step; }
};

DiscBlur::Small DiscBlur::smallFor(const Plane& plane, const Discs& discs, const media::Box& wide) {
    Small small;
    small.shrink = shrinkOf(plane, discs.most());
    const double size = 1 << small.shrink;
    // Pixels of the small picture that the discs of the box reach, and one around them for spreading.
    const int reach = static_cast<int>(std::ceil(discs.most() / size)) + 3;
    const auto down = [&](int at) { return static_cast<int>(std::floor(at / size)); };
    small.box = {down(wide.x0) - reach, down(wide.y0) - reach, down(wide.x1 - 1) + reach + 1,
                 down(wide.y1 - 1) + reach + 1};
    constexpr double hidesLevels = 0.75; // pixels of the small picture
    small.oneLevel = discs.most() > hidesLevels * size;
    return small;
}

bool DiscBlur::tooUnlike(const Plane& plane, const Discs& discs) {
    constexpr double unlike = 4, seen = 8; // px
    return !plane.bent() && discs.most() > unlike * std::max(discs.least(), seen);
}

/// What a box shows at any time of the exposure.
media::Box DiscBlur::movedOver(const media::Box& box, const MotionField& motion, int step) {
    if (motion.still()) return box;
    const V2i spare(static_cast<int>(std::ceil(motion.reach().x)) + step,
                    static_cast<int>(std::ceil(motion.reach().y)) + step);
    return {box.x0 - spare.x, box.y0 - spare.y, box.x1 + spare.x, box.y1 + spare.y};
}

/// Those of the block, where they hold what is wanted.
const DiscBlur::Sums& DiscBlur::sumsOf(const Plane& plane, const media::Pyramid& pixels, const Air& air,
                                       const Small& small, const media::Box& box) {
    const auto make = [&](Sums& sums, const Small& what) {
        sums.of = &plane;
        sums.small = what;
        const double size = 1 << what.shrink;
        raster(what.shrink ? inPixelsOf(plane, size) : plane, pixels, air.from(-0.5, -0.5, size), sums);
    };
    const auto holds = [&](const Sums& sums) {
        return sums.small.shrink == small.shrink && small.box.within(sums.small.box) == small.box;
    };
    if (box.within(m_block) == box && box != m_block) {
        const auto end = m_ofBlock.begin() + static_cast<std::ptrdiff_t>(m_used);
        auto at = std::find_if(m_ofBlock.begin(), end, [&](const Sums& sums) { return sums.of == &plane; });
        if (at == end) {
            if (m_used == m_ofBlock.size()) m_ofBlock.emplace_back();
            at = m_ofBlock.begin() + static_cast<std::ptrdiff_t>(m_used++);
            at->of = &plane;
            at->small = {};
            const Discs discs(plane, m_block);
            const Small all =
                smallFor(plane, discs, movedOver(m_block, MotionField(plane, m_block), stepOf(small.shrink)));
            if (!tooUnlike(plane, discs) && all.shrink == small.shrink) make(*at, all);
        }
        if (holds(*at)) return *at;
    }
    make(m_ofBox, small);
    return m_ofBox;
}

bool DiscBlur::paintUnder(const Plane& plane, const media::Pyramid& pixels, const Air& air, float opacity,
                          const media::Box& box, Canvas& canvas) {
    const Timed timed(Stage::Lens);
    const Discs discs(plane, box);
    // Very unlike discs are not blurred in one small picture.
    if (tooUnlike(plane, discs) && std::max(box.x1 - box.x0, box.y1 - box.y0) > smallestPart) return false;
    const MotionField motion(plane, box);
    const int step = stepOf(shrinkOf(plane, discs.most()));
    const media::Box wide = movedOver(box, motion, step);
    const Small small = smallFor(plane, discs, wide);
    const Sums& sums = sumsOf(plane, pixels, air, small, box);
    if (sums.nothingIn(small.box)) return true;
    const Grid grid(box, step), wideGrid(wide, step);
    if (2 * discs.most() > leastBlur)
        blur(sums, discs, wideGrid);
    else
        leaveSharp(sums, wideGrid);
    if (!motion.still()) smear(motion, wideGrid, grid);
    spread(grid, box, opacity, canvas);
    return true;
}

/// The picture as it is, where it has the frame's pixels.
void DiscBlur::leaveSharp(const Sums& sums, const Grid& grid) {
    const auto rowSize = static_cast<std::size_t>(grid.across) * 4;
    m_blurred.resize(rowSize * static_cast<std::size_t>(grid.high) + 16);
    for (int j = 0; j < grid.high; ++j) {
        const float* from = sums.at(grid.firstX - 1, grid.firstY + j - 1);
        float* out = m_blurred.data() + static_cast<std::size_t>(j) * rowSize;
        for (std::size_t i = 0; i < rowSize; ++i)
            out[i] = from[i + 4] - from[i];
    }
}

/// The moments of a motion, at even times.
void DiscBlur::setTaps(const MotionField::Shift& shift, int count, double step, std::ptrdiff_t stride) {
    m_taps.resize(static_cast<std::size_t>(count));
    for (int k = 0; k < count; ++k) {
        const V2d by = shift.at((2 * k + 1.0) / count - 1) / step;
        const double x = std::floor(by.x), y = std::floor(by.y);
        const auto u = static_cast<float>(by.x - x), v = static_cast<float>(by.y - y),
                   each = 1 / static_cast<float>(count);
        m_taps[static_cast<std::size_t>(k)] = {
            static_cast<std::ptrdiff_t>(y) * stride + 4 * static_cast<std::ptrdiff_t>(x),
            (1 - u) * (1 - v) * each, u * (1 - v) * each, (1 - u) * v * each, u * v * each};
    }
}

/// From what was blurred around the box to the mean over the exposure in it.
void DiscBlur::smear(const MotionField& motion, const Grid& wide, const Grid& grid) {
    constexpr double apart = 1.25, alike = 0.25; // places of the grid
    constexpr int most = 128;
    const double step = grid.step;
    const int moments =
        std::clamp(static_cast<int>(std::ceil(2 * motion.reach().length() / step / apart)) + 1, 2, most);
    const auto stride = static_cast<std::ptrdiff_t>(wide.across) * 4;
    const int left = (grid.firstX - wide.firstX) / grid.step, top = (grid.firstY - wide.firstY) / grid.step;
    m_smeared.resize(static_cast<std::size_t>(grid.across) * static_cast<std::size_t>(grid.high) * 4 + 16);
    for (int j = 0; j < grid.high; ++j) {
        // As many at a time as move alike.
        const MotionField::Shift first = motion.at(grid.x(0), grid.y(j)),
                                 last = motion.at(grid.x(grid.across - 1), grid.y(j));
        const double differ =
            std::max((last.at(1) - first.at(1)).length(), (last.at(-1) - first.at(-1)).length());
        const int parts = std::clamp(static_cast<int>(std::ceil(differ / step / alike)), 1, grid.across);
        for (int part = 0; part < parts; ++part) {
            const int begin = grid.across * part / parts, end = grid.across * (part + 1) / parts;
            setTaps(motion.at((grid.x(begin) + grid.x(end - 1)) / 2, grid.y(j)), moments, step, stride);
            HWY_DYNAMIC_DISPATCH(SmearRow)
            (m_blurred.data() + (top + j) * stride + 4 * (left + begin), stride, m_taps.data(), m_taps.size(),
             end - begin, m_smeared.data() + 4 * (std::ptrdiff_t{j} * grid.across + begin));
        }
    }
    std::swap(m_blurred, m_smeared);
}

bool DiscBlur::Sums::nothingIn(const media::Box& box) const {
    for (int y = box.y0; y < box.y1; ++y) {
        const float *first = at(box.x0, y), *last = at(box.x1, y);
        for (int c = 0; c < 4; ++c)
            if (first[c] != last[c]) return false;
    }
    return true;
}

/// Where the rows of a disc begin and end in the sums, from those of its middle's row. part: of a pixel, of
/// its middle.
void DiscBlur::setEnds(const Rows& rows, double part, std::ptrdiff_t stride) {
    const auto count = static_cast<int>(rows.left.size());
    m_ends.resize(rows.left.size());
    for (int k = 0; k < count; ++k) {
        const auto n = static_cast<std::size_t>(k);
        const double right = part + static_cast<double>(rows.right[n]),
                     left = part + static_cast<double>(rows.left[n]);
        const double r = std::floor(right), l = std::floor(left);
        const auto line = static_cast<std::ptrdiff_t>(rows.first + k) * stride;
        m_ends[n] = {line + 4 * static_cast<std::ptrdiff_t>(r), line + 4 * static_cast<std::ptrdiff_t>(l),
                     static_cast<float>(right - r), static_cast<float>(left - l), rows.weight[n]};
    }
}

/// Blurs the small picture at the places of the grid.
void DiscBlur::blur(const Sums& sums, const Discs& discs, const Grid& grid) {
    const int shrink = sums.small.shrink, x0 = sums.small.box.x0, y0 = sums.small.box.y0;
    const double size = 1 << shrink;
    // The small picture's pixels and the spreading blur a little by themselves: by a variance of 0.78 of its
    // pixels, as measured on a point, and of a sixth of the square of what lies between places. The disc is
    // so much smaller that all together are as wide as it should be.
    const double apart = grid.step / size, variance = 0.783 + apart * apart / 6;
    const auto discOf = [&](double radius) {
        const double own = radius / size;
        return shrink == 0 ? own : std::copysign(std::sqrt(std::max(own * own - 2 * variance, 0.04)), own);
    };
    // Places come in phases of a pixel of the small picture.
    const int phases = (1 << shrink) / grid.step, across = grid.across;
    const std::ptrdiff_t stride = sums.stride();
    m_blurred.resize(static_cast<std::size_t>(across) * static_cast<std::size_t>(grid.high) * 4 +
                     16); // read in steps
    // Rows of a phase as well; with one disc for all, those of a phase read alike.
    for (int turn = 0; turn < phases; ++turn)
        for (int phase = 0; phase < phases; ++phase) {
            const Rows* last = nullptr;
            for (int j = turn; j < grid.high; j += phases) {
                const double y =
                    grid.y(j) / size - y0 - 0.5; // in the small picture, from its first row's middle
                const int row = static_cast<int>(std::floor(y + 1e-9));
                const int part = static_cast<int>(std::lround((y - row) * 4)) & 3;
                float* out =
                    m_blurred.data() + static_cast<std::size_t>(j) * static_cast<std::size_t>(across) * 4;
                // Around the box, where it is only mixed in, no disc is larger than in it.
                const auto radiusOf = [&](int n) {
                    return std::clamp(discs.radiusAt(grid.x(n), grid.y(j)), -discs.most(), discs.most()) /
                           size;
                };
                // As many at a time as have the same disc.
                for (int i = phase; i < across;) {
                    const bool known = discs.same() && last;
                    const double radius = known ? 0 : radiusOf(i);
                    int end = across;
                    if (!discs.same() && discs.bent()) {
                        for (end = i + phases; end < across; end += phases)
                            if (Discs::alikeFrom(radius, radiusOf(end), 1) == 0) break;
                    } else if (!discs.same()) {
                        end = i + phases * (1 + Discs::alikeFrom(radius, radiusOf(i + phases), across));
                    }
                    end = std::min(end, across);
                    const double x = grid.x(i) / size - x0, whole = std::floor(x + 1e-9);
                    if (!known) {
                        last = &rowsOf(discOf(radius * size), part);
                        setEnds(*last, x - whole, stride);
                    }
                    const int many = (end - i + phases - 1) / phases;
                    HWY_DYNAMIC_DISPATCH(BlurRow)
                    (sums.numbers.data() + row * stride + 4 * static_cast<std::ptrdiff_t>(whole),
                     m_ends.data(), static_cast<int>(m_ends.size()), last->each, many, 4, out + 4 * i,
                     4 * phases);
                    i += many * phases;
                }
            }
        }
}

/// Spreads what was blurred over the pixels of the box, under what is there.
void DiscBlur::spread(const Grid& grid, const media::Box& box, float opacity, Canvas& canvas) {
    const std::size_t rowSize = static_cast<std::size_t>(grid.across) * 4;
    const auto step = static_cast<float>(grid.step);
    m_row.resize(rowSize + 16);
    int at[Canvas::side];
    alignas(64) float parts[Canvas::side];
    for (int x = 0; x < Canvas::side; ++x) {
        const float u = (static_cast<float>(box.x0 - grid.firstX + x) + 0.5f) / step + 0.5f;
        at[x] = std::min(static_cast<int>(u), grid.across - 2);
        parts[x] = u - static_cast<float>(at[x]);
    }
    for (int y = 0; y < canvas.height; ++y) {
        const float v = (static_cast<float>(box.y0 - grid.firstY + y) + 0.5f) / step + 0.5f;
        const int j = std::min(static_cast<int>(v), grid.high - 2);
        const float fv = v - static_cast<float>(j);
        const float* upper = m_blurred.data() + static_cast<std::size_t>(j) * rowSize;
        const float* lower = upper + rowSize;
        HWY_DYNAMIC_DISPATCH(BetweenRows)(upper, lower, fv, opacity, grid.across, m_row.data());
        HWY_DYNAMIC_DISPATCH(SpreadRow)(m_row.data(), at, parts, canvas, y);
    }
}

}
#endif
