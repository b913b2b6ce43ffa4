#include "cutout/finished.h"

#include "cutout/spread.h"
#include "media/number_key.h"
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

/// A box of a level as floats, RGBA; 0 outside.
Result<cv::Mat> floats(const PixelSourcePtr& source, int level, const Box& box, PixelCache& cache,
                       const Progress& progress) {
    auto raster = cache.read(source, level, box, progress);
    if (!raster) return tl::unexpected(raster.error());
    cv::Mat picture;
    cv::Mat(box.size().y, box.size().x, CV_16FC4, raster->rgba.data()).convertTo(picture, CV_32FC4);
    return picture;
}
Raster halfs(cv::Mat& picture) {
    Raster out = Raster::unfilled({picture.cols, picture.rows});
    cv::Mat to(picture.rows, picture.cols, CV_16FC4, out.rgba.data());
    cv::min(picture, 65000.f, picture);
    picture.convertTo(to, CV_16FC4);
    return out;
}

/// The places of a spread's grid of one level of a picture, so that each of its texels is read once.
class SpreadSource : public media::PixelSource {
public:
    enum class Of { Everything, BrightColours };
    /// threshold: of bright colours.
    SpreadSource(PixelSourcePtr below, int level, const Spread& spread, Of of, double threshold = 0)
        : PixelSource(keyFor(*below, level, spread, of, threshold),
                      sizeFor(media::levelSize(below->size(), level), spread.step()), Granularity::ByBox),
          m_below(std::move(below)), m_level(level), m_spread(spread), m_of(of),
          m_threshold(static_cast<float>(threshold)) {}

    Result<Raster> compute(int, const Box& box, PixelCache& cache, const Progress& progress) const override {
        auto picture = floats(m_below, m_level, m_spread.pixels(box), cache, progress);
        if (!picture) return tl::unexpected(picture.error());
        if (m_of == Of::BrightColours) {
            const auto bright = brightOf(*picture, m_threshold);
            if (!bright) return Raster(box.size());
            cv::mixChannels(*bright, *picture, {0, 0, 1, 1, 2, 2}); // alpha is not looked at
        }
        cv::Mat means = m_spread.means(*picture);
        return halfs(means);
    }
    std::string name() const override { return m_below->name(); }

private:
    static V2i sizeFor(V2i size, int step) {
        return {(size.x + step - 1) / step, (size.y + step - 1) / step};
    }
    static std::string keyFor(const PixelSource& below, int level, const Spread& spread, Of of,
                              double threshold) {
        std::string key = below.key() + "\nspread " + std::to_string(level) + ' ' +
                          std::to_string(spread.step()) + ' ' + std::to_string(static_cast<int>(of));
        media::add(key, threshold);
        return key;
    }
    PixelSourcePtr m_below;
    int m_level;
    Spread m_spread;
    Of m_of;
    float m_threshold;
};

/// A picture made of another one, larger than it by a margin on each side.
class GrownSource : public media::PixelSource {
public:
    Result<Raster> compute(int level, const Box& box, PixelCache& cache,
                           const Progress& progress) const override {
        if (level >= media::levelCount(m_from->size())) return fromFiner(level, box, cache, progress);
        const Reading reading{level, std::ldexp(m_scale, -level), cache, progress};
        auto picture = made(reading, box.shifted(V2i(0) - V2i(m_margin.x >> level, m_margin.y >> level)));
        if (!picture) return tl::unexpected(picture.error());
        return halfs(*picture);
    }
    std::string name() const override { return m_from->name(); }

protected:
    struct Reading {
        int level;
        double scale; ///< texels to a px of the natural size
        PixelCache& cache;
        const Progress& progress;
    };
    /// margin: texels of level 0. scale: of its texels to a px of the natural size.
    GrownSource(const std::string& key, PixelSourcePtr from, V2i margin, double scale)
        : PixelSource(key, from->size() + margin * 2, Granularity::EveryLevel), m_from(std::move(from)),
          m_margin(margin), m_scale(scale) {}
    /// box: of the picture that it is made of, and beyond.
    virtual Result<cv::Mat> made(const Reading& reading, const Box& box) const = 0;

    Result<cv::Mat> read(const Reading& reading, const Box& box) const {
        return floats(m_from, reading.level, box, reading.cache, reading.progress);
    }
    Result<cv::Mat> spread(const Reading& reading, const Box& box, double reach, SpreadSource::Of of,
                           double threshold = 0) const {
        const Spread by(reach * reading.scale);
        const auto grid = std::make_shared<SpreadSource>(m_from, reading.level, by, of, threshold);
        auto places = floats(grid, 0, by.around(box), reading.cache, reading.progress);
        if (!places) return places;
        return by.over(*places, box);
    }

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

    PixelSourcePtr m_from;
    V2i m_margin;
    double m_scale;
};

class SoftSource : public GrownSource {
public:
    SoftSource(const PixelSourcePtr& from, const scene::SoftFocus& soft, V2i margin, double scale)
        : GrownSource(keyFor(*from, soft, margin, scale), from, margin, scale), m_soft(soft) {}

private:
    static std::string keyFor(const PixelSource& from, const scene::SoftFocus& soft, V2i margin,
                              double scale) {
        std::string key = from.key() + "\nsoft";
        media::add(key, V3d(soft.radius, soft.share, scale)), media::add(key, V2d(margin));
        return key;
    }
    Result<cv::Mat> made(const Reading& reading, const Box& box) const override {
        auto blurred = spread(reading, box, m_soft.radius, SpreadSource::Of::Everything);
        if (!blurred || m_soft.share >= 1) return blurred;
        const auto sharp = read(reading, box);
        if (!sharp) return sharp;
        const auto share = static_cast<float>(m_soft.share);
        cv::Mat mixed;
        cv::addWeighted(*blurred, share, *sharp, 1 - share, 0, mixed);
        return mixed;
    }
    scene::SoftFocus m_soft;
};

/// Drop shadow and glow.
class FinishedSource : public GrownSource {
public:
    FinishedSource(const PixelSourcePtr& from, const scene::Finish& finish, V2i margin, double scale)
        : GrownSource(keyFor(*from, finish, margin, scale), from, margin, scale), m_finish(finish) {}

private:
    static std::string keyFor(const PixelSource& from, const scene::Finish& finish, V2i margin,
                              double scale) {
        std::string key = from.key() + "\nfinished " + scene::toJson(finish).dump();
        media::add(key, V3d(margin.x, margin.y, scale));
        return key;
    }
    Result<cv::Mat> made(const Reading& reading, const Box& box) const override {
        auto picture = read(reading, box);
        if (!picture) return picture;
        if (const scene::DropShadow& shadow = m_finish.shadow; shadow.strength > 0) {
            const double angle = radians(shadow.direction), far = shadow.distance * reading.scale;
            const Box from = box.shifted({-static_cast<int>(std::lround(far * std::cos(angle))),
                                          static_cast<int>(std::lround(far * std::sin(angle)))});
            const auto around = spread(reading, from, shadow.softness, SpreadSource::Of::Everything);
            if (!around) return around;
            layUnder(*around, *picture);
        }
        if (const scene::Glow& glow = m_finish.glow; glow.strength > 0) {
            const auto light =
                spread(reading, box, glow.reach, SpreadSource::Of::BrightColours, glow.threshold);
            if (!light) return light;
            addLight(*light, static_cast<float>(glow.strength), glow.tint, *picture);
        }
        return picture;
    }
    /// around: RGBA.
    void layUnder(const cv::Mat& around, cv::Mat& picture) const {
        const auto strength = static_cast<float>(m_finish.shadow.strength);
        const scene::Colour& c = m_finish.shadow.colour;
        const cv::Vec4f colour(static_cast<float>(c.r), static_cast<float>(c.g), static_cast<float>(c.b), 1);
        for (int y = 0; y < picture.rows; ++y) {
            const auto* a = around.ptr<cv::Vec4f>(y);
            auto* p = picture.ptr<cv::Vec4f>(y);
            for (int x = 0; x < picture.cols; ++x)
                p[x] += colour * (a[x][3] * strength * (1 - p[x][3]));
        }
    }

    scene::Finish m_finish;
};

}

media::PixelSourcePtr finished(const motion::Pixels& pixels, media::PixelSourcePtr below) {
    if (!below || !pixels.finish) return below;
    const V2i natural = pixels.layer->pixels, size = below->size();
    const auto texels = [&](int across, int px) {
        return static_cast<int>(std::lround(static_cast<double>(pixels.margin) * across / px));
    };
    V2i margin(texels(size.x, natural.x), texels(size.y, natural.y));
    const double scale = std::sqrt(static_cast<double>(size.x) / natural.x * size.y / natural.y);
    const scene::Finish& finish = *pixels.finish;
    if (finish.soft.radius > 0 && finish.soft.share > 0) {
        below = std::make_shared<SoftSource>(below, finish.soft, margin, scale);
        margin = V2i(0);
    }
    if (!(finish.shadow.strength > 0) && !(finish.glow.strength > 0) && margin == V2i(0)) return below;
    return std::make_shared<FinishedSource>(below, finish, margin, scale);
}

}
