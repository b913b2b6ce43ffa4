#include "cutout/finished.h"

#include "cutout/glow_rows.h"
#include "cutout/spread.h"
#include "media/number_key.h"
#include "media/pixel_cache.h"
#include "media/texels.h"
#include "scene/finish_json.h"

#include <algorithm>
#include <cmath>
#include <opencv2/core.hpp>

namespace stage::cutout {
namespace {

using media::Box;
using media::PixelCache;
using media::PixelSourcePtr;
using media::Raster;

/// A box of a level as floats, RGBA; 0 outside.
cv::Mat floatsOf(const media::TiledLevel& level, const Box& box) {
    cv::Mat picture(box.size().y, box.size().x, CV_32FC4);
    for (int y = box.y0; y < box.y1; ++y)
        level.runs(y, box.x0, box.x1, [&](int x, int count, const Imath::half* texels) {
            float* const to = picture.ptr<float>(y - box.y0) + 4 * (x - box.x0);
            if (texels)
                media::floatsOfHalfs(texels, 4 * count, to);
            else
                std::fill_n(to, 4 * count, 0.f);
        });
    return picture;
}
Result<cv::Mat> floats(const PixelSourcePtr& source, int level, const Box& box, PixelCache& cache,
                       const Progress& progress) {
    const auto pyramid = cache.pyramid(source, level, box, progress);
    if (!pyramid) return tl::unexpected(pyramid.error());
    return floatsOf((*pyramid)->level(level), box);
}
/// Whether what was asked for is there now.
Result<void> made(const Result<media::PyramidPtr>& asked) {
    if (!asked) return tl::unexpected(asked.error());
    return {};
}
Raster halfs(const cv::Mat& picture) {
    Raster out = Raster::unfilled({picture.cols, picture.rows});
    for (int y = 0; y < picture.rows; ++y)
        media::halfsOfFloats(picture.ptr<float>(y), 4 * picture.cols, out.row(y));
    return out;
}

/// The places of a spread's grid of one level of a picture, so that each of its texels is read once.
class SpreadSource : public media::PixelSource {
public:
    enum class Of { Everything, BrightColours };
    /// threshold: of bright colours.
    SpreadSource(PixelSourcePtr below, int level, const Spread& spread, Of of, double threshold = 0)
        : PixelSource(
              keyFor(*below, level, spread, of, threshold),
              sizeFor(media::levelSize(below->size(), level), spread.step()), Granularity::ByBox,
              below->seriesOf("spread " + std::to_string(level) + ' ' + std::to_string(spread.step()))),
          m_below(std::move(below)), m_level(level), m_spread(spread), m_of(of),
          m_threshold(static_cast<float>(threshold)) {}

    Result<Raster> compute(int, const Box& box, PixelCache& cache, const Progress& progress) const override {
        if (m_of == Of::BrightColours) return brightMeans(box, cache, progress);
        auto picture = floats(m_below, m_level, m_spread.pixels(box), cache, progress);
        if (!picture) return tl::unexpected(picture.error());
        return halfs(m_spread.means(*picture));
    }
    std::string name() const override { return m_below->name(); }

private:
    Result<Raster> brightMeans(const Box& box, PixelCache& cache, const Progress& progress) const {
        const Box pixels = m_spread.pixels(box);
        const auto below = cache.pyramid(m_below, m_level, pixels, progress);
        if (!below) return tl::unexpected(below.error());
        const media::TiledLevel& level = (*below)->level(m_level);
        const int step = m_spread.step();
        Raster means(box.size());
        std::vector<float> sums(static_cast<std::size_t>(box.size().x) * step * 4);
        std::vector<float> row(static_cast<std::size_t>(4 * box.size().x));
        for (int y = box.y0; y < box.y1; ++y) {
            std::fill(sums.begin(), sums.end(), 0.f);
            bool any = false;
            for (int k = 0; k < step; ++k)
                level.runs(y * step + k, pixels.x0, pixels.x1,
                           [&](int x, int count, const Imath::half* texels) {
                               float* const to = sums.data() + 4 * (x - pixels.x0);
                               if (texels && addBright(texels, count, m_threshold, to)) any = true;
                           });
            if (!any) continue;
            meansOf(sums.data(), step, box.size().x, row.data());
            media::halfsOfFloats(row.data(), 4 * box.size().x, means.row(y - box.y0));
        }
        return means;
    }
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

/// Those places spread, and as many around as that reaches: the first is `border` places before theirs. Each
/// is spread once, however many boxes of the picture lie beside it.
class SpreadPlaces : public media::PixelSource {
public:
    SpreadPlaces(std::shared_ptr<const SpreadSource> places, const Spread& by)
        : PixelSource(places->key() + "\nall spread", places->size() + V2i(2 * borderOf(by)),
                      Granularity::ByBox, places->seriesOf("all spread")),
          m_places(std::move(places)), m_by(by) {}
    /// One more, for what lies between the last of them and the next.
    static int borderOf(const Spread& by) { return by.border() + 1; }

    Result<void> prepare(int, const std::vector<Box>& boxes, PixelCache& cache,
                         const Progress& progress) const override {
        media::Need need(m_places->size());
        for (const Box& box : boxes)
            need.add(0, around(box));
        return made(cache.pyramid(m_places, need, progress));
    }
    Result<Raster> compute(int, const Box& box, PixelCache& cache, const Progress& progress) const override {
        const auto pyramid = cache.pyramid(m_places, 0, around(box), progress);
        if (!pyramid) return tl::unexpected(pyramid.error());
        const media::TiledLevel& places = (*pyramid)->level(0);
        if (places.clear(around(box).within(media::boxOf(places.size)))) return Raster(box.size());
        return halfs(m_by.spread(floatsOf(places, around(box))));
    }
    std::string name() const override { return m_places->name(); }

private:
    /// The places that those of a box are spread from.
    Box around(const Box& box) const { return box.shifted(V2i(-borderOf(m_by))).grown(m_by.border()); }
    std::shared_ptr<const SpreadSource> m_places;
    Spread m_by;
};

/// A picture made of another one, larger than it by a margin on each side.
class GrownSource : public media::PixelSource {
public:
    Result<void> prepare(int level, const std::vector<Box>& boxes, PixelCache& cache,
                         const Progress& progress) const override {
        if (level >= media::levelCount(m_from->size())) return {};
        std::vector<Box> all;
        for (const Box& box : boxes)
            all.push_back(below(level, box));
        return prepareFor(readingOf(level, cache, progress), all);
    }
    Result<Raster> compute(int level, const Box& box, PixelCache& cache,
                           const Progress& progress) const override {
        if (level >= media::levelCount(m_from->size())) return fromFiner(level, box, cache, progress);
        return finish(readingOf(level, cache, progress), below(level, box));
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
        : PixelSource(key, from->size() + margin * 2, Granularity::EveryLevel, from->seriesOf("grown")),
          m_from(std::move(from)), m_margin(margin), m_scale(scale) {}
    /// box: of the picture that it is made of, and beyond.
    virtual Result<Raster> finish(const Reading& reading, const Box& box) const = 0;
    /// What boxes share, as prepare().
    virtual Result<void> prepareFor(const Reading& reading, const std::vector<Box>& boxes) const = 0;

    Result<Raster> read(const Reading& reading, const Box& box) const {
        return reading.cache.read(m_from, reading.level, box, reading.progress);
    }
    Result<media::PyramidPtr> readTiles(const Reading& reading, const Box& box) const {
        return reading.cache.pyramid(m_from, reading.level, box, reading.progress);
    }
    Result<cv::Mat> readFloats(const Reading& reading, const Box& box) const {
        return floats(m_from, reading.level, box, reading.cache, reading.progress);
    }
    struct Spreading {
        Spread by;
        SpreadSource::Of of = SpreadSource::Of::Everything;
        double threshold = 0; ///< of bright colours
    };
    /// The places that a box lies between, spread.
    Result<cv::Mat> spread(const Reading& reading, const Box& box, const Spreading& spreading) const {
        return floats(placesOf(reading, spreading), 0, between(box, spreading.by), reading.cache,
                      reading.progress);
    }
    Result<void> prepareSpread(const Reading& reading, const std::vector<Box>& boxes,
                               const Spreading& spreading) const {
        const PixelSourcePtr places = placesOf(reading, spreading);
        media::Need need(places->size());
        for (const Box& box : boxes)
            need.add(0, between(box, spreading.by));
        return made(reading.cache.pyramid(places, need, reading.progress));
    }
    Result<cv::Mat> spreadEvenly(const Reading& reading, const Box& box, const Spreading& spreading) const {
        auto places = spread(reading, box, spreading);
        if (!places) return places;
        return spreading.by.evenly(*places, box);
    }

private:
    Reading readingOf(int level, PixelCache& cache, const Progress& progress) const {
        return {level, std::ldexp(m_scale, -level), cache, progress};
    }
    /// A box of the picture that it is made of.
    Box below(int level, const Box& box) const {
        return box.shifted(V2i(0) - V2i(m_margin.x >> level, m_margin.y >> level));
    }
    PixelSourcePtr placesOf(const Reading& reading, const Spreading& spreading) const {
        return std::make_shared<SpreadPlaces>(std::make_shared<SpreadSource>(m_from, reading.level,
                                                                             spreading.by, spreading.of,
                                                                             spreading.threshold),
                                              spreading.by);
    }
    static Box between(const Box& box, const Spread& by) {
        return by.between(box).shifted(V2i(SpreadPlaces::borderOf(by)));
    }
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
    Spreading spreading(const Reading& reading) const { return {Spread(m_soft.radius * reading.scale)}; }
    Result<void> prepareFor(const Reading& reading, const std::vector<Box>& boxes) const override {
        return prepareSpread(reading, boxes, spreading(reading));
    }
    Result<Raster> finish(const Reading& reading, const Box& box) const override {
        auto blurred = spreadEvenly(reading, box, spreading(reading));
        if (!blurred) return tl::unexpected(blurred.error());
        if (m_soft.share >= 1) return halfs(*blurred);
        const auto sharp = readFloats(reading, box);
        if (!sharp) return tl::unexpected(sharp.error());
        const auto share = static_cast<float>(m_soft.share);
        cv::Mat mixed;
        cv::addWeighted(*blurred, share, *sharp, 1 - share, 0, mixed);
        return halfs(mixed);
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
    bool hasShadow() const { return m_finish.shadow.strength > 0; }
    bool hasGlow() const { return m_finish.glow.strength > 0; }
    Spreading ofShadow(const Reading& reading) const {
        return {Spread(m_finish.shadow.softness * reading.scale)};
    }
    Spreading ofGlow(const Reading& reading) const {
        return {Spread(m_finish.glow.reach * reading.scale), SpreadSource::Of::BrightColours,
                m_finish.glow.threshold};
    }
    /// What throws the shadow on a box.
    Box throwing(const Reading& reading, const Box& box) const {
        const scene::DropShadow& shadow = m_finish.shadow;
        const double angle = radians(shadow.direction), far = shadow.distance * reading.scale;
        return box.shifted({-static_cast<int>(std::lround(far * std::cos(angle))),
                            static_cast<int>(std::lround(far * std::sin(angle)))});
    }
    Result<void> prepareFor(const Reading& reading, const std::vector<Box>& boxes) const override {
        if (hasGlow())
            if (auto ok = prepareSpread(reading, boxes, ofGlow(reading)); !ok) return ok;
        if (!hasShadow()) return {};
        std::vector<Box> all;
        for (const Box& box : boxes)
            all.push_back(throwing(reading, box));
        return prepareSpread(reading, all, ofShadow(reading));
    }
    Result<Raster> finish(const Reading& reading, const Box& box) const override {
        if (!hasGlow()) return hasShadow() ? withShadow(reading, box) : read(reading, box);
        const Spreading glow = ofGlow(reading);
        const auto places = spread(reading, box, glow);
        if (!places) return tl::unexpected(places.error());
        SpreadLight light(glow.by, *places, box, glowTint());
        if (!hasShadow()) return withGlow(reading, box, light);
        auto picture = withShadow(reading, box);
        for (int y = 0; picture && y < box.size().y; ++y)
            light.add(y, 0, box.size().x, picture->row(y), picture->row(y));
        return picture;
    }
    Result<Raster> withGlow(const Reading& reading, const Box& box, SpreadLight& light) const {
        const auto from = readTiles(reading, box);
        if (!from) return tl::unexpected(from.error());
        Raster picture = Raster::unfilled(box.size());
        for (int y = 0; y < box.size().y; ++y)
            (*from)
                ->level(reading.level)
                .runs(box.y0 + y, box.x0, box.x1, [&](int x, int count, const Imath::half* texels) {
                    Imath::half* const to = picture.row(y) + 4 * (x - box.x0);
                    if (!texels) std::fill_n(to, 4 * count, Imath::half(0.f));
                    light.add(y, x - box.x0, count, texels ? texels : to, to);
                });
        return picture;
    }
    std::array<float, 3> glowTint() const {
        const scene::Glow& glow = m_finish.glow;
        const auto tint = [&](double colour) { return static_cast<float>(glow.strength * colour); };
        return {tint(glow.tint.r), tint(glow.tint.g), tint(glow.tint.b)};
    }
    Result<Raster> withShadow(const Reading& reading, const Box& box) const {
        auto picture = readFloats(reading, box);
        if (!picture) return tl::unexpected(picture.error());
        const auto around = spreadEvenly(reading, throwing(reading, box), ofShadow(reading));
        if (!around) return tl::unexpected(around.error());
        layUnder(*around, *picture);
        return halfs(*picture);
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
