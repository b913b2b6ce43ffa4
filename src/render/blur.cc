#include "render/blur.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace stage::render {
namespace {

/// Discs are kept at most this large in the small picture, px of radius.
constexpr double mostRadius = 5;
constexpr int mostShrink = 6;

/// The plane in a frame of pixels `size` times as large.
Plane inPixelsOf(Plane plane, double size) {
    const auto scaled = [&](Linear& l) { l.b *= size, l.c *= size; };
    for (Linear* l : {&plane.pinhole.u, &plane.pinhole.v, &plane.pinhole.w})
        scaled(*l);
    return plane;
}

}

Plane atTime(const Plane& plane, double time) {
    if (plane.still) return plane;
    Plane then = plane;
    then.pinhole = plane.pinhole + plane.drift * time + plane.curve * (time * time);
    then.still = true;
    const Linear& w = then.pinhole.w;
    then.level = plane.level && w.b == 0 && w.c == 0;
    return then;
}

const DiscBlur::Rows& DiscBlur::rowsOf(double radius, int part) {
    // Sizes in steps that are not seen.
    constexpr double least = 0.05, step = 0.006;
    constexpr int sizes = 1200;
    const int index = std::clamp(static_cast<int>(std::lround(std::log(std::max(std::abs(radius), least) / least) / step)), 0, sizes - 1);
    if (m_rows.empty()) m_rows.resize(sizes * 2 * 4);
    Rows& rows = m_rows[static_cast<std::size_t>((index * 2 + (radius < 0 ? 1 : 0)) * 4 + part)];
    if (rows.each > 0) return rows;
    const double size = least * std::exp(index * step), turned = radius < 0 ? -size : size, middle = 0.25 * part;
    rows.first = static_cast<int>(std::floor(middle - size + 0.5));
    const int last = static_cast<int>(std::floor(middle + size + 0.5));
    // The mean chord of each row, from so many lines across it.
    constexpr int lines = 16;
    double area = 0;
    for (int row = rows.first; row <= last; ++row) {
        double left = 0, right = 0;
        for (int k = 0; k < lines; ++k) {
            const double y = row + (k + 0.5) / lines - 0.5 - middle;
            double low = 0, high = 0;
            if (m_opening.blades < 3) {
                high = std::sqrt(std::max(0.0, size * size - y * y));
                low = -high;
            } else {
                // A polygon cut by a line. The picture's rows go down; a disc in front of the focus plane is the other
                // way round.
                const double each = 2 * std::numbers::pi / m_opening.blades, q = -y / turned;
                low = 1e9, high = -1e9;
                for (int n = 0; n < m_opening.blades; ++n) {
                    const double a = static_cast<double>(m_opening.turn) + n * each, b = a + each;
                    const double ya = std::sin(a), yb = std::sin(b);
                    if ((ya - q) * (yb - q) > 0 || ya == yb) continue;
                    const double p = (std::cos(a) + (std::cos(b) - std::cos(a)) * (q - ya) / (yb - ya)) * turned;
                    low = std::min(low, p), high = std::max(high, p);
                }
                if (low > high) low = high = 0;
            }
            left += low / lines, right += high / lines;
        }
        rows.left.push_back(static_cast<float>(left));
        rows.right.push_back(static_cast<float>(right));
        area += right - left;
    }
    rows.each = static_cast<float>(1 / std::max(area, 1e-9));
    return rows;
}

bool DiscBlur::raster(const Plane& plane, const media::Pyramid& pixels, const Air& air, int x0, int y0, int width,
                      int height) {
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
                Brush brush;
                m_arena.reset();
                if (!readyBrush(brush, plane, pixels, reach, px, py, w, h, m_arena)) return false;
                brush.air = air;
                brush.hazy = air.density > 0;
                render::paintUnder(brush, m_part);
            }
            for (int y = 0; y < h; ++y) {
                const float* in = m_part.rgba + 4 * y * Canvas::side;
                float* out = m_sums.data() + static_cast<std::size_t>(by + y) * stride + 4 * static_cast<std::size_t>(bx);
                float sum[4] = {out[0], out[1], out[2], out[3]};
                for (int x = 0; x < w; ++x, in += 4) {
                    out += 4;
                    for (int c = 0; c < 4; ++c)
                        out[c] = sum[c] += in[c];
                }
            }
        }
    }
    return true;
}

bool DiscBlur::paintUnder(const Plane& plane, const media::Pyramid& pixels, const Air& air, float opacity,
                          const media::Box& box, Canvas& canvas) {
    const auto radiusAt = [&](double x, double y) {
        const double nearness = plane.pinhole.w.at(x, y);
        return plane.view.aperture * plane.view.slope * (1 / plane.view.focus - nearness);
    };
    double most = 0;
    for (const int x : {box.x0, box.x1})
        for (const int y : {box.y0, box.y1})
            most = std::max(most, std::abs(radiusAt(x, y)));
    const int shrink = std::clamp(static_cast<int>(std::ceil(std::log2(std::max(most, 1e-6) / mostRadius))), 0, mostShrink);
    const double size = 1 << shrink;
    const Plane small = shrink ? inPixelsOf(plane, size) : plane;
    // Pixels of the small picture that the discs of the box reach, and one around them for spreading.
    const int reach = static_cast<int>(std::ceil(most / size)) + 2;
    const auto down = [&](int at) { return static_cast<int>(std::floor(at / size)); };
    const int x0 = down(box.x0) - reach, y0 = down(box.y0) - reach;
    const int width = down(box.x1 - 1) + reach + 1 - x0, height = down(box.y1 - 1) + reach + 1 - y0;
    if (!raster(small, pixels, air, x0, y0, width, height)) return false;

    // Blurred at places `step` pixels of the frame apart, from half a step before the box on.
    const int step = shrink > 0 ? 1 << (shrink - 1) : 1;
    const int across = (box.x1 - box.x0 + step - 1) / step + 2, high = (box.y1 - box.y0 + step - 1) / step + 2;
    m_blurred.resize(static_cast<std::size_t>(across) * static_cast<std::size_t>(high) * 4);
    const auto stride = static_cast<std::size_t>(m_width + 1) * 4;
    const bool same = plane.level;
    for (int j = 0; j < high; ++j) {
        const double fy = box.y0 + (j - 0.5) * step; // in the frame
        const double y = fy / size - y0 - 0.5;       // in the small picture, from its first row's middle
        const int row = static_cast<int>(std::floor(y));
        const int part = static_cast<int>(std::lround((y - row) * 4)) & 3;
        const Rows* rows = same ? &rowsOf(radiusAt(box.x0, box.y0) / size, part) : nullptr;
        for (int i = 0; i < across; ++i) {
            const double fx = box.x0 + (i - 0.5) * step;
            if (!same) rows = &rowsOf(radiusAt(fx, fy) / size, part);
            const auto x = static_cast<float>(fx / size - x0);
            alignas(16) float sum[4] = {0, 0, 0, 0};
            const int count = static_cast<int>(rows->left.size()), first = row + rows->first;
            for (int k = std::max(0, -first); k < std::min(count, m_height - first); ++k) {
                const float* sums = m_sums.data() + static_cast<std::size_t>(first + k) * stride;
                const float right = std::min(x + rows->right[static_cast<std::size_t>(k)], static_cast<float>(m_width)),
                            left = std::max(x + rows->left[static_cast<std::size_t>(k)], 0.f);
                const int r = std::min(static_cast<int>(right), m_width - 1), l = std::min(static_cast<int>(left), m_width - 1);
                const float fr = right - static_cast<float>(r), fl = left - static_cast<float>(l);
                const float *p = sums + 4 * r, *q = sums + 4 * l;
                for (int c = 0; c < 4; ++c)
                    sum[c] += p[c] + (p[4 + c] - p[c]) * fr - q[c] - (q[4 + c] - q[c]) * fl;
            }
            float* out = m_blurred.data() + (static_cast<std::size_t>(j) * static_cast<std::size_t>(across) + static_cast<std::size_t>(i)) * 4;
            for (int c = 0; c < 4; ++c)
                out[c] = std::max(0.f, sum[c] * rows->each);
        }
    }

    // Spread over the pixels, under what is there.
    m_row.resize(static_cast<std::size_t>(across) * 4);
    for (int y = 0; y < canvas.height; ++y) {
        const float v = (static_cast<float>(y) + 0.5f) / static_cast<float>(step) + 0.5f;
        const int j = std::min(static_cast<int>(v), high - 2);
        const float fv = v - static_cast<float>(j);
        const float* upper = m_blurred.data() + static_cast<std::size_t>(j) * static_cast<std::size_t>(across) * 4;
        const float* lower = upper + static_cast<std::size_t>(across) * 4;
        for (std::size_t i = 0; i < m_row.size(); ++i)
            m_row[i] = (upper[i] + (lower[i] - upper[i]) * fv) * opacity;
        float* out = canvas.rgba + 4 * y * Canvas::side;
        for (int x = 0; x < canvas.width; ++x, out += 4) {
            const float through = 1 - out[3];
            if (through <= 0) continue;
            const float u = (static_cast<float>(x) + 0.5f) / static_cast<float>(step) + 0.5f;
            const int i = std::min(static_cast<int>(u), across - 2);
            const float fu = u - static_cast<float>(i);
            const float* a = m_row.data() + 4 * i;
            for (int c = 0; c < 4; ++c)
                out[c] += through * (a[c] + (a[4 + c] - a[c]) * fu);
        }
        for (int g = 0; g < canvas.width; g += Canvas::group) {
            bool full = true;
            for (int x = g; x < g + Canvas::group; ++x)
                full = full && canvas.rgba[4 * (y * Canvas::side + x) + 3] >= opaqueAlpha;
            canvas.full[(y * Canvas::side + g) / Canvas::group] = full;
        }
    }
    return true;
}

}
