#include "cutout/finished.h"

#include "cutout/spread.h"
#include "media/pixel_cache.h"
#include "scene/finish_json.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

namespace stage::cutout {
namespace {

using media::Box;
using media::PixelCache;
using media::PixelSourcePtr;
using media::Raster;

/// Reads boxes of a picture as floats, RGBA.
class Reading {
public:
    Reading(const PixelSourcePtr& source, int level, PixelCache& cache, const Progress& progress)
        : m_source(source), m_level(level), m_cache(cache), m_progress(progress) {}
    Result<cv::Mat> operator()(const Box& box) const {
        auto raster = m_cache.read(m_source, m_level, box, m_progress);
        if (!raster) return tl::unexpected(raster.error());
        cv::Mat picture;
        cv::Mat(box.size().y, box.size().x, CV_16FC4, raster->rgba.data()).convertTo(picture, CV_32FC4);
        return picture;
    }

private:
    const PixelSourcePtr& m_source;
    int m_level;
    PixelCache& m_cache;
    const Progress& m_progress;
};

class FinishedSource : public media::PixelSource {
public:
    FinishedSource(PixelSourcePtr below, const motion::Pixels& pixels)
        : PixelSource(below->key() + "\nfinished " + scene::toJson(*pixels.finish).dump() + ' ' +
                          std::to_string(pixels.margin),
                      sizeWith(*below, pixels), Granularity::EveryLevel),
          m_below(std::move(below)), m_finish(*pixels.finish), m_natural(pixels.layer->pixels),
          m_margin(marginOf(*m_below, pixels)) {}

    Result<Raster> compute(int level, const Box& box, PixelCache& cache,
                           const Progress& progress) const override {
        if (level >= media::levelCount(m_below->size())) return fromFiner(level, box, cache, progress);
        const V2i whole = media::levelSize(m_below->size(), level);
        const double scale = std::sqrt(static_cast<double>(whole.x) / m_natural.x * whole.y / m_natural.y);
        const V2i by(m_margin.x >> level, m_margin.y >> level);
        const Box own = box.shifted(V2i(0) - by);
        const Reading below(m_below, level, cache, progress);
        const auto softly = [&](const Box& of) { return soft(below, of, m_finish.soft.radius * scale); };
        auto picture = softly(own);
        if (!picture) return tl::unexpected(picture.error());
        const scene::DropShadow& shadow = m_finish.shadow;
        if (shadow.strength > 0) {
            const double angle = radians(shadow.direction);
            const Spread spread(shadow.softness * scale);
            const double far = shadow.distance * scale;
            const Box from = own.shifted({-static_cast<int>(std::lround(far * std::cos(angle))),
                                          static_cast<int>(std::lround(far * std::sin(angle)))});
            const auto around = softly(spread.around(from));
            if (!around) return tl::unexpected(around.error());
            cv::Mat alpha;
            cv::extractChannel(*around, alpha, 3);
            layUnder(spread.over(alpha, from), *picture);
        }
        if (const scene::Glow& glow = m_finish.glow; glow.strength > 0) {
            const Spread spread(glow.reach * scale);
            const auto around = softly(spread.around(own));
            if (!around) return tl::unexpected(around.error());
            if (const auto bright = brightOf(*around, static_cast<float>(glow.threshold)))
                addLight(spread.over(*bright, own), static_cast<float>(glow.strength), glow.tint, *picture);
        }
        Raster out = Raster::unfilled(box.size());
        cv::Mat halfs(box.size().y, box.size().x, CV_16FC4, out.rgba.data());
        cv::min(*picture, 65000.f, *picture);
        picture->convertTo(halfs, CV_16FC4);
        return out;
    }
    std::string name() const override { return m_below->name(); }

private:
    /// It has more levels than what is below.
    Result<Raster> fromFiner(int level, const Box& box, PixelCache& cache, const Progress& progress) const {
        const Box finer = Box{2 * box.x0, 2 * box.y0, 2 * box.x1, 2 * box.y1}.within(
            media::boxOf(media::levelSize(size(), level - 1)));
        auto picture = compute(level - 1, finer, cache, progress);
        if (!picture) return picture;
        Raster out(box.size());
        for (int y = 0; y < box.size().y; ++y)
            for (int x = 0; x < box.size().x; ++x)
                for (int c = 0; c < 4; ++c) {
                    float sum = 0;
                    int count = 0;
                    for (int j = 2 * y; j < std::min(2 * y + 2, finer.size().y); ++j)
                        for (int i = 2 * x; i < std::min(2 * x + 2, finer.size().x); ++i, ++count)
                            sum += float(picture->row(j)[4 * i + c]);
                    out.row(y)[4 * x + c] = sum / static_cast<float>(std::max(1, count));
                }
        return out;
    }
    /// Texels of level 0.
    static V2i marginOf(const PixelSource& below, const motion::Pixels& pixels) {
        const V2i natural = pixels.layer->pixels;
        const auto of = [&](int texels, int px) {
            return static_cast<int>(std::lround(static_cast<double>(pixels.margin) * texels / px));
        };
        return {of(below.size().x, natural.x), of(below.size().y, natural.y)};
    }
    static V2i sizeWith(const PixelSource& below, const motion::Pixels& pixels) {
        return below.size() + marginOf(below, pixels) * 2;
    }
    Result<cv::Mat> soft(const Reading& below, const Box& box, double radius) const {
        const auto share = static_cast<float>(m_finish.soft.share);
        if (!(radius > 0) || !(share > 0)) return below(box);
        const Spread spread(radius);
        const auto around = below(spread.around(box));
        if (!around) return around;
        cv::Mat blurred = spread.over(*around, box);
        if (share >= 1) return blurred;
        const Box from = spread.around(box);
        const cv::Mat sharp =
            (*around)(cv::Rect(box.x0 - from.x0, box.y0 - from.y0, box.size().x, box.size().y));
        cv::Mat mixed;
        cv::addWeighted(blurred, share, sharp, 1 - share, 0, mixed);
        return mixed;
    }
    void layUnder(const cv::Mat& alpha, cv::Mat& picture) const {
        const auto strength = static_cast<float>(m_finish.shadow.strength);
        const scene::Colour& c = m_finish.shadow.colour;
        const cv::Vec4f colour(static_cast<float>(c.r), static_cast<float>(c.g), static_cast<float>(c.b), 1);
        for (int y = 0; y < picture.rows; ++y) {
            const float* a = alpha.ptr<float>(y);
            auto* p = picture.ptr<cv::Vec4f>(y);
            for (int x = 0; x < picture.cols; ++x)
                p[x] += colour * (a[x] * strength * (1 - p[x][3]));
        }
    }

    PixelSourcePtr m_below;
    scene::Finish m_finish;
    V2i m_natural, m_margin;
};

}

media::PixelSourcePtr finished(const motion::Pixels& pixels, media::PixelSourcePtr below) {
    if (!below || !pixels.finish) return below;
    return std::make_shared<FinishedSource>(std::move(below), pixels);
}

}
