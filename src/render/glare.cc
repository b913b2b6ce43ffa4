#include "render/glare.h"

#include "cutout/spread.h"
#include "media/parallel.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numbers>
#include <opencv2/imgproc.hpp>
#include <optional>

namespace stage::render {
namespace {

using media::Box;

/// A picture in a coarser grid, for streaks.
struct CoarseGrid {
    static constexpr double mostSteps = 64; ///< along a streak
    int step = 1;
    Box box; ///< px; its borders are on the grid

    CoarseGrid(const Box& part, double length) {
        while (length / step > mostSteps)
            step *= 2;
        const Box all = part.grown(step);
        const auto down = [&](int v) { return static_cast<int>(std::floor(1.0 * v / step)) * step; };
        box = {down(all.x0), down(all.y0), down(all.x1 + step - 1), down(all.y1 + step - 1)};
    }
};

/// Its part of a larger picture, dark around.
cv::Mat placed(const cv::Mat& picture, const Box& own, const Box& in) {
    if (own == in) return picture;
    cv::Mat larger(in.size().y, in.size().x, picture.type(), cv::Scalar(0));
    picture.copyTo(larger(cv::Rect(own.x0 - in.x0, own.y0 - in.y0, own.size().x, own.size().y)));
    return larger;
}

/// Adds `from`, moved by a part of a place as well, to `to`.
void addMoved(const cv::Mat& from, const V2d& by, float weight, cv::Mat& to) {
    const double left = std::floor(by.x), top = std::floor(by.y), fx = by.x - left, fy = by.y - top;
    for (const int i : {0, 1})
        for (const int j : {0, 1}) {
            const double share = (i ? fx : 1 - fx) * (j ? fy : 1 - fy);
            const int dx = static_cast<int>(left) + i, dy = static_cast<int>(top) + j;
            const int wide = from.cols - std::abs(dx), high = from.rows - std::abs(dy);
            if (!(share > 0) || wide <= 0 || high <= 0) continue;
            const cv::Mat source = from(cv::Rect(std::max(0, -dx), std::max(0, -dy), wide, high));
            cv::Mat target = to(cv::Rect(std::max(0, dx), std::max(0, dy), wide, high));
            cv::scaleAdd(source, weight * share, target, target);
        }
}

/// Each place drawn out in a direction, less and less over `steps` places down to a hundredth; all light
/// stays.
cv::Mat drawnOut(const cv::Mat& picture, const V2d& direction, double steps) {
    const double fade = std::pow(0.01, 1 / std::max(steps, 1.0)); // from place to place
    cv::Mat sum = picture.clone();
    double count = 1, whole = 1;
    for (; count < steps; count *= 2) { // sum of twice as many places: those, and the same farther on
        const double weight = std::pow(fade, count);
        cv::Mat more = sum.clone();
        addMoved(sum, direction * count, static_cast<float>(weight), more);
        sum = more;
        whole *= 1 + weight;
    }
    return sum * (1 / whole);
}

cv::Mat streaksOf(const cv::Mat& bright, const motion::Frame& frame, double steps) {
    const int blades = frame.iris.blades, count = blades % 2 == 0 ? blades : 2 * blades;
    std::vector<cv::Mat> each(static_cast<std::size_t>(count));
    media::inParallel(0, count, [&](int n) {
        const double angle = radians(frame.iris.turn) + (2 * n + 1) * std::numbers::pi / count;
        // Of an odd number the edges' normals and what is opposite to them take turns.
        const double turned =
            blades % 2 == 0 ? angle : radians(frame.iris.turn) + n * std::numbers::pi / blades;
        each[static_cast<std::size_t>(n)] = drawnOut(bright, {std::cos(turned), -std::sin(turned)}, steps);
    });
    cv::Mat sum = cv::Mat::zeros(bright.size(), bright.type());
    for (const cv::Mat& one : each)
        sum += one;
    return sum * (1.0 / count);
}

/// What of a picture (RGBA) is brighter than a threshold by the largest of its colours, RGB: its colours, as
/// much as they are above. None where nothing is.
std::optional<cv::Mat> brightOf(const cv::Mat& picture, float threshold) {
    cv::Mat bright(picture.size(), CV_32FC3);
    std::atomic<bool> any = false;
    media::inParallel(0, picture.rows, [&](int y) {
        const float* p = picture.ptr<float>(y);
        auto* to = bright.ptr<float>(y);
        bool some = false;
        for (int x = 0; x < picture.cols; ++x, p += 4, to += 3) {
            const float most = std::max({p[0], p[1], p[2]});
            const float share = most > threshold ? (most - threshold) / most : 0;
            some = some || share > 0;
            for (int c = 0; c < 3; ++c)
                to[c] = p[c] * share;
        }
        if (some) any = true;
    });
    if (!any) return {};
    return bright;
}

/// Adds light (RGB) to a picture (RGBA) of the same size.
void addLight(const cv::Mat& light, float strength, const scene::Colour& tint, cv::Mat& picture) {
    const float by[3] = {strength * static_cast<float>(tint.r), strength * static_cast<float>(tint.g),
                         strength * static_cast<float>(tint.b)};
    media::inParallel(0, picture.rows, [&](int y) {
        const auto* from = light.ptr<float>(y);
        auto* p = picture.ptr<float>(y);
        for (int x = 0; x < picture.cols; ++x, from += light.channels(), p += 4)
            for (int c = 0; c < 3; ++c)
                p[c] += from[c] * by[c];
    });
}

/// Light spread evenly to all sides, times a share of the glare's strength. by: how far.
void addHalo(const scene::Glare& glare, const Box& part, const cutout::Spread& by, double share,
             Image& picture) {
    const Box around = by.between(part).grown(by.border());
    const V2i size = around.size();
    const int step = by.step();
    cv::Mat places = cv::Mat::zeros(size.y, size.x, CV_32FC4);
    std::atomic<bool> any = false;
    media::inParallel(0, size.y, [&](int n) {
        const int top = (around.y0 + n) * step, y0 = std::max(top, part.y0),
                  y1 = std::min(top + step, part.y1);
        if (y0 >= y1) return;
        std::vector<float> sums(static_cast<std::size_t>(size.x) * step * 4);
        float* const first = sums.data() + 4 * static_cast<std::ptrdiff_t>(part.x0 - around.x0 * step);
        bool some = false;
        for (int y = y0; y < y1; ++y)
            if (cutout::addBright(picture.row(y) + 4 * part.x0, part.size().x,
                                  static_cast<float>(glare.threshold), first))
                some = true;
        if (!some) return;
        any = true;
        cutout::meansOf(sums.data(), step, size.x, places.ptr<float>(n));
    });
    if (!any) return;
    const cv::Mat light = by.spread(places);
    const auto tint = [&](double colour) { return static_cast<float>(glare.strength * share * colour); };
    const std::array<float, 3> tints = {tint(glare.tint.r), tint(glare.tint.g), tint(glare.tint.b)};
    constexpr int together = 32; // rows: those that lie between the same places
    media::inParallel(0, (part.size().y + together - 1) / together, [&](int n) {
        cutout::SpreadLight rows(by, light, part, tints);
        for (int y = n * together; y < std::min((n + 1) * together, part.size().y); ++y) {
            float* const row = picture.row(part.y0 + y) + 4 * part.x0;
            rows.add(y, 0, part.size().x, row, row);
        }
    });
}

bool hasStreaks(const motion::Frame& frame) {
    return frame.iris.blades >= 3 && frame.glare.streaks > 0;
}

}

int reachOfGlare(const motion::Frame& frame) {
    const scene::Glare& glare = frame.glare;
    if (!(glare.strength > 0)) return 0;
    const double length = hasStreaks(frame) ? 2 * glare.length : 0; // places are doubled to the end
    const double reach = std::max(glare.radius * 1.25, length * 1.05) * frame.size.x;
    return static_cast<int>(std::ceil(reach)) + 32;
}

void addGlare(const motion::Frame& frame, const Box& part, bool fast, Image& picture) {
    const scene::Glare& glare = frame.glare;
    if (!(glare.strength > 0) || part.empty()) return;
    const double streaks = hasStreaks(frame) ? glare.streaks : 0;
    std::optional<cv::Mat> bright;
    cv::Mat all(picture.size.y, picture.size.x, CV_32FC4, picture.rgba.data());
    cv::Mat own = all(cv::Rect(part.x0, part.y0, part.size().x, part.size().y));
    if (streaks > 0) {
        bright = brightOf(own, static_cast<float>(glare.threshold));
        if (!bright) return;
    }
    if (streaks < 1)
        addHalo(glare, part, cutout::Spread(glare.radius * frame.size.x, fast ? 8 : 16), 1 - streaks,
                picture);
    if (streaks > 0) {
        const double length = glare.length * frame.size.x;
        const CoarseGrid grid(part, length);
        cv::Mat coarse = placed(*bright, part, grid.box);
        const V2i size = grid.box.size();
        if (grid.step > 1)
            cv::resize(coarse, coarse, {size.x / grid.step, size.y / grid.step}, 0, 0, cv::INTER_AREA);
        cv::Mat light = streaksOf(coarse, frame, length / grid.step);
        if (grid.step > 1) cv::resize(light, light, {size.x, size.y}, 0, 0, cv::INTER_LINEAR);
        light = light(cv::Rect(part.x0 - grid.box.x0, part.y0 - grid.box.y0, part.size().x, part.size().y));
        addLight(light, static_cast<float>(glare.strength * streaks), glare.tint, own);
    }
}

}
