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
    const auto down = [this](const cv::Mat& from) {
        const int rows = from.rows - 2 * border();
        // Rows are not a power of two apart: what lies below each other would share a few places of the
        // processor's cache.
        cv::Mat padded(from.cols, rows + 4, from.type());
        cv::Mat to = padded.colRange(0, rows);
        const auto apart = [](const cv::Mat& of) { return static_cast<std::ptrdiff_t>(of.step1()); };
        constexpr int together = 16; // rows
        media::inParallel(0, (rows + together - 1) / together, [&](int n) {
            const int y = n * together;
            turnedSums({from.ptr<float>(y), apart(from)}, m_kernel.ptr<float>(), m_kernel.cols,
                       std::min(together, rows - y), from.cols, to.ptr<float>() + 4 * y, apart(to));
        });
        return to;
    };
    return down(down(places)); // turned twice
}

cv::Mat Spread::evenly(const cv::Mat& places, const media::Box& box) const {
    cv::Mat all = places;
    if (m_step > 1) cv::resize(places, all, {}, m_step, m_step, cv::INTER_LINEAR);
    const media::Box from = pixels(between(box));
    return all(cv::Rect(box.x0 - from.x0, box.y0 - from.y0, box.size().x, box.size().y));
}

SpreadLight::SpreadLight(const Spread& by, const cv::Mat& places, const media::Box& box,
                         const std::array<float, 3>& tint)
    : m_places(places), m_tint(tint), m_step(by.step()), m_width(box.size().x) {
    const media::Box from = by.pixels(by.between(box));
    m_left = box.x0 - from.x0, m_top = box.y0 - from.y0;
}

void SpreadLight::make(Row& row, int place) {
    if (row.place == place) return;
    row.place = place;
    row.light.resize(static_cast<std::size_t>(4 * m_width));
    row.any = lightOfRow(m_places.ptr<float>(place), m_step, m_left, m_tint, m_width, row.light.data());
}

void SpreadLight::go(int y) {
    m_y = y;
    const int at = m_top + y, above = (at + m_step - m_step / 2) / m_step - 1;
    m_share = (static_cast<float>(at - above * m_step) + 0.5f) / static_cast<float>(m_step) - 0.5f;
    if (m_rows[1].place == above) std::swap(m_rows[0], m_rows[1]);
    make(m_rows[0], above);
    make(m_rows[1], std::min(above + 1, m_places.rows - 1));
}

}
