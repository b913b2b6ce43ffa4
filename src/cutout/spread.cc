#include "cutout/spread.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

namespace stage::cutout {
namespace {

constexpr double mostSteps = 16; ///< of the grid, within the reach: more would show no difference

/// Integral from 0 to x of the cubic B-spline, which ends at 2 and whose whole is 1.
double integral(double x) {
    const double t = std::min(std::abs(x), 2.0);
    const double part = t < 1 ? t * (2.0 / 3) - t * t * t / 3 + t * t * t * t / 8
                              : 0.5 - (2 - t) * (2 - t) * (2 - t) * (2 - t) / 24;
    return x < 0 ? -part : part;
}

/// The place of a grid that holds a pixel.
int placeOf(int pixel, int step) {
    return pixel >= 0 ? pixel / step : -((-pixel + step - 1) / step);
}
media::Box placesOf(const media::Box& box, int step) {
    return {placeOf(box.x0, step), placeOf(box.y0, step), placeOf(box.x1 - 1, step) + 1,
            placeOf(box.y1 - 1, step) + 1};
}

}

Spread::Spread(double reach) {
    while (reach / m_step > mostSteps)
        m_step *= 2;
    const double steps = reach / m_step;
    const int half = static_cast<int>(std::ceil(steps));
    m_kernel = cv::Mat(1, 2 * half + 1, CV_32F);
    double sum = 0;
    for (int i = -half; i <= half; ++i) {
        // Of a place, what goes to all of the one that is i from it.
        const double k = 2 / std::max(steps, 1e-3), v = integral(k * (i + 0.5)) - integral(k * (i - 0.5));
        m_kernel.at<float>(i + half) = static_cast<float>(v);
        sum += v;
    }
    m_kernel /= sum;
}

media::Box Spread::around(const media::Box& box) const {
    // One more, as pixels are even between the grid's places.
    return placesOf(box, m_step).grown(m_kernel.cols / 2 + (m_step > 1 ? 1 : 0));
}

media::Box Spread::pixels(const media::Box& places) const {
    return {places.x0 * m_step, places.y0 * m_step, places.x1 * m_step, places.y1 * m_step};
}

cv::Mat Spread::means(const cv::Mat& pixels) const {
    if (m_step == 1) return pixels;
    cv::Mat places;
    cv::resize(pixels, places, {pixels.cols / m_step, pixels.rows / m_step}, 0, 0, cv::INTER_AREA);
    return places;
}

cv::Mat Spread::over(const cv::Mat& places, const media::Box& box) const {
    cv::Mat spread;
    cv::sepFilter2D(places, spread, -1, m_kernel, m_kernel, {-1, -1}, 0, cv::BORDER_CONSTANT);
    const int border = m_kernel.cols / 2;
    media::Box from = placesOf(box, m_step).grown(m_step > 1 ? 1 : 0);
    spread = spread(cv::Rect(border, border, from.size().x, from.size().y));
    if (m_step > 1) cv::resize(spread, spread, {}, m_step, m_step, cv::INTER_LINEAR);
    from = pixels(from);
    return spread(cv::Rect(box.x0 - from.x0, box.y0 - from.y0, box.size().x, box.size().y));
}

std::optional<cv::Mat> brightOf(const cv::Mat& picture, float threshold) {
    cv::Mat bright(picture.size(), CV_32FC3);
    bool any = false;
    for (int y = 0; y < picture.rows; ++y) {
        const float* p = picture.ptr<float>(y);
        auto* to = bright.ptr<float>(y);
        for (int x = 0; x < picture.cols; ++x, p += 4, to += 3) {
            const float most = std::max({p[0], p[1], p[2]});
            const float share = most > threshold ? (most - threshold) / most : 0;
            any = any || share > 0;
            for (int c = 0; c < 3; ++c)
                to[c] = p[c] * share;
        }
    }
    if (!any) return {};
    return bright;
}

void addLight(const cv::Mat& light, float strength, const scene::Colour& tint, cv::Mat& picture) {
    const float by[3] = {strength * static_cast<float>(tint.r), strength * static_cast<float>(tint.g),
                         strength * static_cast<float>(tint.b)};
    for (int y = 0; y < picture.rows; ++y) {
        const auto* from = light.ptr<float>(y);
        auto* p = picture.ptr<float>(y);
        for (int x = 0; x < picture.cols; ++x, from += light.channels(), p += 4)
            for (int c = 0; c < 3; ++c)
                p[c] += from[c] * by[c];
    }
}

}
