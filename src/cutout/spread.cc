#include "cutout/spread.h"

#include "media/parallel.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

namespace stage::cutout {
namespace {

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

Spread::Spread(double reach, double mostSteps) {
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

media::Box Spread::between(const media::Box& box) const {
    return placesOf(box, m_step).grown(m_step > 1 ? 1 : 0); // pixels are even between the places
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

cv::Mat Spread::spread(const cv::Mat& places) const {
    const int most = border(), channels = places.channels();
    const cv::Size size(places.cols - 2 * most, places.rows - 2 * most);
    const auto along = [&](const cv::Mat& from, std::size_t apart, cv::Mat& to) {
        media::inParallel(0, to.rows, [&](int y) {
            weightedSums(from.ptr<float>(y), static_cast<std::ptrdiff_t>(apart), m_kernel.ptr<float>(),
                         m_kernel.cols, to.cols * channels, to.ptr<float>(y));
        });
    };
    cv::Mat across(places.rows, size.width, places.type()), all(size, places.type());
    along(places, static_cast<std::size_t>(channels), across);
    along(across, across.step1(), all);
    return all;
}

GridRow Spread::rowBetween(const cv::Mat& places, const media::Box& box, int y) const {
    const media::Box from = pixels(between(box));
    const int at = box.y0 + y - from.y0, above = (at + m_step - m_step / 2) / m_step - 1;
    const float share = (static_cast<float>(at - above * m_step) + 0.5f) / static_cast<float>(m_step) - 0.5f;
    return {places.ptr<float>(above), places.ptr<float>(std::min(above + 1, places.rows - 1)), share, m_step,
            box.x0 - from.x0};
}

cv::Mat Spread::evenly(const cv::Mat& places, const media::Box& box) const {
    cv::Mat all = places;
    if (m_step > 1) cv::resize(places, all, {}, m_step, m_step, cv::INTER_LINEAR);
    const media::Box from = pixels(between(box));
    return all(cv::Rect(box.x0 - from.x0, box.y0 - from.y0, box.size().x, box.size().y));
}

}
