#include "cutout/mask.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

namespace stage::cutout {
namespace {

/// For rows of `out`: the largest of in(x + dx) over |dx| <= half, by van Herk and Gil-Werman: two passes
/// over blocks whatever the width.
void slidingMax(const float* in, int count, int half, std::vector<float>& ahead, std::vector<float>& behind,
                float* out) {
    const int width = 2 * half + 1;
    for (int x = 0; x < count; ++x)
        ahead[static_cast<std::size_t>(x)] =
            x % width == 0 ? in[x] : std::max(ahead[static_cast<std::size_t>(x) - 1], in[x]);
    for (int x = count - 1; x >= 0; --x)
        behind[static_cast<std::size_t>(x)] = x == count - 1 || (x + 1) % width == 0
                                                  ? in[x]
                                                  : std::max(behind[static_cast<std::size_t>(x) + 1], in[x]);
    for (int x = half; x < count - half; ++x)
        out[x] =
            std::max(behind[static_cast<std::size_t>(x - half)], ahead[static_cast<std::size_t>(x + half)]);
}

Mask dilated(const Mask& in, double by, const Box& wanted) {
    const int reach = reachOfGrow(by);
    Mask out(wanted);
    const auto width = static_cast<std::size_t>(in.box.size().x);
    std::vector<float> ahead(width), behind(width), run(width);
    for (int y = wanted.y0; y < wanted.y1; ++y) {
        float* to = out.row(y);
        for (int dy = -reach; dy <= reach; ++dy) {
            const double square = (by + 1) * (by + 1) - dy * dy;
            if (square <= 0) continue;
            const float* from = in.row(y + dy);
            bool any = false;
            for (int x = wanted.x0 - reach; x < wanted.x1 + reach && !any; ++x)
                any = from[x] > 0;
            if (!any) continue;
            // Up to `whole` the weight is 1, from there to `rim` it falls.
            const double full = by * by - dy * dy;
            const int whole = full >= 0 ? static_cast<int>(std::floor(std::sqrt(full))) : -1;
            const int rim = std::min(reach, static_cast<int>(std::floor(std::sqrt(square))));
            if (whole >= 0) {
                slidingMax(from + in.box.x0, static_cast<int>(width), whole, ahead, behind, run.data());
                for (int x = wanted.x0; x < wanted.x1; ++x)
                    to[x] = std::max(to[x], run[static_cast<std::size_t>(x - in.box.x0)]);
            }
            for (int dx = whole + 1; dx <= rim; ++dx) {
                const auto weight = static_cast<float>(std::clamp(
                    by + 1 - std::sqrt(static_cast<double>(dx) * dx + static_cast<double>(dy) * dy), 0.0,
                    1.0));
                if (weight <= 0) continue;
                for (int x = wanted.x0; x < wanted.x1; ++x)
                    to[x] = std::max(to[x], weight * std::max(from[x - dx], from[x + dx]));
            }
        }
    }
    return out;
}

cv::Mat asMat(std::vector<float>& values, V2i size) {
    return cv::Mat(size.y, size.x, CV_32F, values.data());
}

}

int reachOfGrow(double by) {
    return by == 0 ? 0 : static_cast<int>(std::ceil(std::abs(by))) + 1;
}

int reachOfFeather(double feather) {
    return feather <= 0 ? 0 : static_cast<int>(std::ceil(1.5 * feather));
}

Mask cropped(const Mask& in, const Box& wanted) {
    if (in.box == wanted) return in;
    Mask out(wanted);
    for (int y = wanted.y0; y < wanted.y1; ++y)
        std::copy(in.row(y) + wanted.x0, in.row(y) + wanted.x1, out.row(y) + wanted.x0);
    return out;
}

Mask grown(const Mask& in, double by, const Box& wanted) {
    if (by == 0) return cropped(in, wanted);
    if (by > 0) return dilated(in, by, wanted);
    Mask complement = in;
    for (float& v : complement.values)
        v = 1 - v;
    Mask out = dilated(complement, -by, wanted);
    for (float& v : out.values)
        v = 1 - v;
    return out;
}

namespace {

/// A wide Gaussian, of means of squares of `step` pixels that lie the same whatever the box. What the means
/// and the mixing between them blur by themselves is taken off its deviation.
Mask widelyFeathered(const Mask& in, double deviation, int step, const Box& wanted) {
    const auto down = [step](int at) { return static_cast<int>(std::floor(at / static_cast<double>(step))); };
    const Box few{down(in.box.x0), down(in.box.y0), down(in.box.x1 - 1) + 1, down(in.box.y1 - 1) + 1};
    Mask small(few);
    for (int y = few.y0; y < few.y1; ++y)
        for (int x = few.x0; x < few.x1; ++x) {
            const Box cell = Box{x * step, y * step, (x + 1) * step, (y + 1) * step}.within(in.box);
            double sum = 0;
            for (int cy = cell.y0; cy < cell.y1; ++cy)
                for (int cx = cell.x0; cx < cell.x1; ++cx)
                    sum += static_cast<double>(in.row(cy)[cx]);
            small.row(y)[x] = static_cast<float>(sum / (static_cast<double>(cell.size().x) * cell.size().y));
        }
    const double square = static_cast<double>(step) * step,
                 left = std::sqrt(deviation * deviation - (square - 1) / 12 - square / 6) / step;
    soften(small.values, few.size(), left);
    Mask out(wanted);
    for (int y = wanted.y0; y < wanted.y1; ++y) {
        const double v = (y + 0.5) / step - 0.5;
        const int y0 = std::clamp(static_cast<int>(std::floor(v)), few.y0, few.y1 - 1),
                  y1 = std::min(y0 + 1, few.y1 - 1);
        const auto fy = static_cast<float>(std::clamp(v - y0, 0.0, 1.0));
        for (int x = wanted.x0; x < wanted.x1; ++x) {
            const double u = (x + 0.5) / step - 0.5;
            const int x0 = std::clamp(static_cast<int>(std::floor(u)), few.x0, few.x1 - 1),
                      x1 = std::min(x0 + 1, few.x1 - 1);
            const auto fx = static_cast<float>(std::clamp(u - x0, 0.0, 1.0));
            const float a = small.row(y0)[x0] + (small.row(y0)[x1] - small.row(y0)[x0]) * fx,
                        b = small.row(y1)[x0] + (small.row(y1)[x1] - small.row(y1)[x0]) * fx;
            out.row(y)[x] = a + (b - a) * fy;
        }
    }
    return out;
}

}

Mask feathered(const Mask& in, double feather, const Box& wanted) {
    const int reach = reachOfFeather(feather);
    if (reach == 0) return cropped(in, wanted);
    constexpr double fine = 12; // deviation, in pixels of what is blurred, that is smooth enough
    if (const int step = static_cast<int>(feather / 2 / fine); step > 1)
        return widelyFeathered(in, feather / 2, step, wanted);
    Mask soft = in;
    const cv::Mat mat = asMat(soft.values, soft.box.size());
    cv::GaussianBlur(mat, mat, cv::Size(2 * reach + 1, 2 * reach + 1), feather / 2, feather / 2,
                     cv::BORDER_REPLICATE);
    return cropped(soft, wanted);
}

void soften(std::vector<float>& plane, V2i size, double deviation) {
    const int reach = static_cast<int>(std::ceil(3 * deviation));
    if (reach < 1) return;
    const cv::Mat mat = asMat(plane, size);
    cv::GaussianBlur(mat, mat, cv::Size(2 * reach + 1, 2 * reach + 1), deviation, deviation,
                     cv::BORDER_REPLICATE);
}

}
