#include "render/match_place.h"

#include "motion/frame.h"
#include "render/render.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

namespace stage::render {
namespace {

constexpr int width = 480;          ///< of the picture that is measured, px
constexpr double around = 0.35;     ///< of the layer's size in the frame, how far is "around"
constexpr double leastSeen = 0.002; ///< of the frame that has to be seen for a mean
constexpr double mostStops = 3;

/// Keeps some of the items, also in groups that are mixed on their own.
template <class Keep> std::vector<motion::Item> kept(std::vector<motion::Item> items, const Keep& keep) {
    std::vector<motion::Item> some;
    for (motion::Item& item : items) {
        if (item.flattened) {
            item.items = kept(std::move(item.items), keep);
            if (!item.items.empty()) some.push_back(std::move(item));
        } else if (keep(item)) {
            some.push_back(std::move(item));
        }
    }
    return some;
}

double luminance(const V3d& light) {
    return 0.2126 * light.x + 0.7152 * light.y + 0.0722 * light.z;
}

/// Mean light of places, each of which counts as much as its alpha and a weight. Its level is the mean in
/// stops, as eyes see it, and of two colours that which there is more of counts more: a bright lamp is one
/// place among others.
struct Mean {
    V3d light{0};
    double count = 0;
};
Mean meanOf(const Image& picture, const cv::Mat* weights) {
    constexpr double black = 1e-3; // in which stops are not told apart any more
    const auto forPlaces = [&](const auto& body) {
        for (int y = 0; y < picture.size.y; ++y)
            for (int x = 0; x < picture.size.x; ++x) {
                const float* p = picture.row(y) + 4 * x;
                const double weight = weights ? static_cast<double>(weights->at<float>(y, x)) : 1;
                if (!(p[3] > 0) || !(weight > 0)) continue;
                const V3d light(std::max(0.f, p[0]), std::max(0.f, p[1]), std::max(0.f, p[2]));
                body(light / static_cast<double>(p[3]), weight * static_cast<double>(p[3]));
            }
    };
    Mean mean;
    double stops = 0;
    forPlaces([&](const V3d& light, double weight) {
        stops += weight * std::log2(luminance(light) + black);
        mean.count += weight;
    });
    if (!(mean.count > 0)) return mean;
    const double level = std::exp2(stops / mean.count) - black;
    V3d colour(0);
    forPlaces([&](const V3d& light, double weight) {
        colour += light * (weight / (luminance(light) + level + black));
    });
    if (level > 0 && luminance(colour) > 0) mean.light = colour * (level / luminance(colour));
    return mean;
}

/// How much places count: next to the layer's silhouette wholly, farther off less.
cv::Mat weightsAround(const Image& alone) {
    cv::Mat outside(alone.size.y, alone.size.x, CV_8U), distance;
    V2i low(alone.size), high(0);
    for (int y = 0; y < alone.size.y; ++y)
        for (int x = 0; x < alone.size.x; ++x) {
            const bool in = alone.row(y)[4 * x + 3] >= 0.5f;
            outside.at<std::uint8_t>(y, x) = !in;
            if (!in) continue;
            low = {std::min(low.x, x), std::min(low.y, y)};
            high = {std::max(high.x, x), std::max(high.y, y)};
        }
    cv::distanceTransform(outside, distance, cv::DIST_L2, cv::DIST_MASK_5);
    const auto reach = static_cast<float>(std::max(12.0, around * std::max(high.x - low.x, high.y - low.y)));
    cv::Mat weights(distance.size(), CV_32F);
    for (int y = 0; y < distance.rows; ++y)
        for (int x = 0; x < distance.cols; ++x)
            weights.at<float>(y, x) = std::max(0.f, 1 - distance.at<float>(y, x) / reach);
    return weights;
}

/// As it was before it was graded.
std::shared_ptr<const motion::Pixels> ungraded(const motion::Pixels& pixels, const scene::GradePtr& own) {
    auto plain = std::make_shared<motion::Pixels>(pixels);
    std::erase_if(plain->grades, [&](const motion::PixelGrade& each) { return own && each.grade == own; });
    return plain;
}

}

Result<PlaceMatch> matchToPlace(const scene::Scene& scene, std::int64_t id, Rational time, double strength,
                                media::PixelCache& cache, const Progress& progress) {
    const scene::LayerPtr layer = scene::find(scene, id).layer;
    if (!layer) return fail("There is no such layer.");
    if (layer->group() || layer->box())
        return fail("'" + layer->name + "' has no picture that could be matched.");
    const V2i of = scene.output.frame;
    const V2i size(width,
                   std::max(1, static_cast<int>(std::lround(static_cast<double>(width) * of.y / of.x))));
    motion::Frame frame = motion::evaluate(scene, time, size);
    frame.grade = {}, frame.glare = {}, frame.viewTransform = {};
    frame.background = {0, 0, 0, 0};
    Quality quality;
    quality.placeholders = false;
    const auto rendered = [&](const auto& keep) {
        motion::Frame some = frame;
        some.items = kept(frame.items, keep);
        return render(some, quality, cache, progress);
    };
    double depth = 0;
    const auto isLayer = [&](const motion::Item& item) { return item.layer->id == id && item.pixels; };
    const auto undress = [&](const auto& self, std::vector<motion::Item>& items) -> void {
        for (motion::Item& item : items) {
            self(self, item.items);
            if (!isLayer(item)) continue;
            item.pixels = ungraded(*item.pixels, layer->grade);
            depth = optics::depthOf(frame.view, item.card.centre());
        }
    };
    undress(undress, frame.items);
    const auto alone = rendered(isLayer);
    if (!alone) return tl::unexpected(alone.error());
    const double least = leastSeen * size.x * size.y;
    const Mean own = meanOf(*alone, nullptr);
    if (!(own.count > least / 10) || !(luminance(own.light) > 1e-6))
        return fail("'" + layer->name + "' is not seen at that time, or is black; choose another time.");
    const cv::Mat weights = weightsAround(*alone);
    Mean place;
    for (const double range : {2.0, 1e9}) {
        const auto others = rendered([&](const motion::Item& item) {
            if (item.layer->id == id || item.box || item.shadow) return false;
            // Of one that leans, the nearest and the farthest corner count.
            double near = 1e300, far = -1e300;
            for (const V3d& corner : item.card.outline()) {
                const double d = optics::depthOf(frame.view, corner);
                near = std::min(near, d), far = std::max(far, d);
            }
            return far >= depth / range && near <= depth * range;
        });
        if (!others) return tl::unexpected(others.error());
        place = meanOf(*others, &weights);
        if (place.count > least) break;
    }
    if (!(place.count > least) || !(luminance(place.light) > 1e-6))
        return fail("Nothing is seen around '" + layer->name + "' that it could be matched to.");
    PlaceMatch match;
    const double from = luminance(own.light), to = luminance(place.light);
    match.stops = std::clamp(std::log2(to / from), -mostStops, mostStops) * strength;
    for (int c = 0; c < 3; ++c) {
        const double ratio = std::max(place.light[c] / to, 1e-3) / std::max(own.light[c] / from, 1e-3);
        match.colours[c] = std::pow(std::clamp(ratio, 0.25, 4.0), strength);
    }
    // What the colours do to the layer's own light is not to change its level.
    const V3d tinted = own.light * match.colours;
    match.colours *= from / luminance(tinted);
    match.edit = {{"edit", "grade"},
                  {"layers", {id}},
                  {"exposure", match.stops},
                  {"slope", scene::toJson(match.colours)}};
    return match;
}

}
