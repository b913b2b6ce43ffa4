#include "cutout/select.h"

#include "cutout/oklab.h"
#include "cutout/plugins.h"
#include "cutout/shapes.h"
#include "media/plugin.h"
#include "scene/cutout_json.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

namespace stage::cutout {
namespace {

using media::PixelCache;
using media::PixelSource;
using media::PixelSourcePtr;
using media::Raster;

Triple straight(const Imath::half* rgba) {
    const float alpha = rgba[3];
    if (alpha <= 0) return {0, 0, 0};
    return {float(rgba[0]) / alpha, float(rgba[1]) / alpha, float(rgba[2]) / alpha};
}

void put(Imath::half* to, float v) {
    for (int c = 0; c < 4; ++c)
        to[c] = v;
}

std::string shapeKey(const scene::Matte& matte) {
    return scene::toJson(matte).dump();
}

class AlikeSource : public PixelSource {
public:
    AlikeSource(PixelSourcePtr picture, const scene::Alike& alike, double scale)
        : PixelSource(keyOf(*picture, alike), picture->size(),
                      alike.touching ? Granularity::Whole : Granularity::ByBox),
          m_picture(std::move(picture)), m_alike(alike), m_scale(scale) {}

    Result<Raster> compute(int, const Box& box, PixelCache& cache, const Progress& progress) const override {
        const auto pixels = cache.read(m_picture, 0, box, progress);
        if (!pixels) return pixels;
        const scene::Colour& c = m_alike.colour;
        const Triple wanted =
            oklabOf({static_cast<float>(c.r), static_cast<float>(c.g), static_cast<float>(c.b)});
        const auto tolerance = static_cast<float>(m_alike.tolerance),
                   soft = static_cast<float>(m_alike.softness);
        Raster out(pixels->size);
        for (int y = 0; y < out.size.y; ++y) {
            for (int x = 0; x < out.size.x; ++x) {
                const Imath::half* in = pixels->row(y) + 4 * x;
                if (float(in[3]) <= 0) continue;
                const float away = difference(oklabOf(straight(in)), wanted) - tolerance;
                put(out.row(y) + 4 * x, away <= 0 ? 1.f : soft > 0 ? std::max(0.f, 1 - away / soft) : 0.f);
            }
        }
        if (m_alike.touching) keepTouching(out);
        return out;
    }

private:
    static std::string keyOf(const PixelSource& picture, const scene::Alike& alike) {
        scene::Matte matte;
        matte.shape = alike;
        return picture.key() + "\nalike " + shapeKey(matte);
    }

    void keepTouching(Raster& out) const {
        cv::Mat open(out.size.y + 2, out.size.x + 2, CV_8U, cv::Scalar(1)); // 0 where the flood may go
        for (int y = 0; y < out.size.y; ++y)
            for (int x = 0; x < out.size.x; ++x)
                open.at<std::uint8_t>(y + 1, x + 1) = float(out.row(y)[4 * x]) > 0 ? 0 : 1;
        const cv::Point seed(
            std::clamp(static_cast<int>(std::floor(m_alike.at.x * m_scale)), 0, out.size.x - 1),
            std::clamp(static_cast<int>(std::floor(m_alike.at.y * m_scale)), 0, out.size.y - 1));
        if (open.at<std::uint8_t>(seed.y + 1, seed.x + 1) == 0) {
            cv::Mat flat(out.size.y, out.size.x, CV_8U, cv::Scalar(0));
            cv::floodFill(flat, open, seed, cv::Scalar(1), nullptr, 0, 0,
                          4 | cv::FLOODFILL_MASK_ONLY | (255 << 8));
        }
        for (int y = 0; y < out.size.y; ++y)
            for (int x = 0; x < out.size.x; ++x)
                if (open.at<std::uint8_t>(y + 1, x + 1) != 255) put(out.row(y) + 4 * x, 0);
    }

    PixelSourcePtr m_picture;
    scene::Alike m_alike;
    double m_scale;
};

class SubjectSource : public PixelSource {
public:
    SubjectSource(PixelSourcePtr picture, const scene::Subject& subject, double scale)
        : PixelSource(keyOf(*picture, subject), picture->size(), Granularity::Whole),
          m_picture(std::move(picture)), m_subject(subject), m_scale(scale) {}

    Result<Raster> compute(int, const Box& whole, PixelCache& cache,
                           const Progress& progress) const override {
        Raster out(whole.size());
        const Box box = boxOfLoop().within(whole);
        if (box.empty()) return out;
        // GrabCut looks at it so small that it takes a second or two; the edge is then found at full size.
        int level = 0;
        while (std::max(box.size().x, box.size().y) >> level > 900)
            ++level;
        const Box small{box.x0 >> level, box.y0 >> level, ((box.x1 - 1) >> level) + 1,
                        ((box.y1 - 1) >> level) + 1};
        auto pixels = cache.read(m_picture, level, small, progress);
        if (!pixels) return pixels;
        const cv::Mat bgr = encodedBgr(*pixels);
        progress.done(0.1);
        cv::Mat found;
        try {
            found = cutOut(bgr, small, std::ldexp(1.0, -level), progress);
        } catch (const cv::Exception&) {
            return fail(
                "The loop holds nothing that could be told from what is around it; draw it with some space "
                "around the thing.");
        }
        if (progress.stopped()) return cancelled();
        auto full = cache.read(m_picture, 0, box, progress);
        if (!full) return full;
        const auto refinedMask = refined(encodedBgr(*full), found, level);
        if (!refinedMask) return tl::unexpected(refinedMask.error());
        const cv::Mat& edge = *refinedMask;
        for (int y = box.y0; y < box.y1; ++y)
            for (int x = box.x0; x < box.x1; ++x)
                put(out.row(y) + 4 * x,
                    static_cast<float>(edge.at<std::uint8_t>(y - box.y0, x - box.x0)) / 255.f);
        return out;
    }

private:
    static std::string keyOf(const PixelSource& picture, const scene::Subject& subject) {
        scene::Matte matte;
        matte.shape = subject;
        return picture.key() + "\nsubject " + shapeKey(matte);
    }

    Box boxOfLoop() const {
        V2d low(1e9), high(-1e9);
        for (const V2d& p : m_subject.loop) {
            low = {std::min(low.x, p.x), std::min(low.y, p.y)};
            high = {std::max(high.x, p.x), std::max(high.y, p.y)};
        }
        // Some of what is around tells what the thing is not.
        const double margin = std::clamp(0.15 * std::max(high.x - low.x, high.y - low.y), 40.0, 400.0);
        return {static_cast<int>((low.x - margin) * m_scale), static_cast<int>((low.y - margin) * m_scale),
                static_cast<int>((high.x + margin) * m_scale), static_cast<int>((high.y + margin) * m_scale)};
    }

    static cv::Mat encodedBgr(const Raster& pixels) {
        cv::Mat bgr(pixels.size.y, pixels.size.x, CV_8UC3);
        for (int y = 0; y < pixels.size.y; ++y)
            for (int x = 0; x < pixels.size.x; ++x) {
                const Triple c = straight(pixels.row(y) + 4 * x);
                auto& to = bgr.at<cv::Vec3b>(y, x);
                for (int i = 0; i < 3; ++i)
                    to[i] = static_cast<std::uint8_t>(
                        std::clamp(media::srgbFromLinear(c[static_cast<std::size_t>(2 - i)]), 0.f, 1.f) *
                            255 +
                        0.5f);
            }
        return bgr;
    }

    cv::Mat cutOut(const cv::Mat& bgr, const Box& box, double shrink, const Progress& progress) const {
        const double scale = m_scale * shrink;
        scene::Outline loop;
        for (const V2d& place : m_subject.loop)
            loop.points.value.emplace_back(place);
        const Mask inside = coverOf(loop, scale, box);
        Mask keep(box), drop(box);
        for (const scene::Stroke& hint : m_subject.hints) {
            scene::Stroke stroke = hint;
            stroke.erase = false;
            paint(hint.erase ? drop : keep, stroke, scale);
        }
        cv::Mat mask(bgr.rows, bgr.cols, CV_8U);
        int sureBack = 0, maybeFront = 0;
        for (int y = box.y0; y < box.y1; ++y)
            for (int x = box.x0; x < box.x1; ++x) {
                std::uint8_t kind = inside.at(x, y) > 0.5f ? cv::GC_PR_FGD : cv::GC_BGD;
                if (keep.at(x, y) > 0.3f) kind = cv::GC_FGD;
                if (drop.at(x, y) > 0.3f) kind = cv::GC_BGD;
                mask.at<std::uint8_t>(y - box.y0, x - box.x0) = kind;
                (kind == cv::GC_BGD ? sureBack : maybeFront)++;
            }
        cv::Mat found(mask.size(), CV_8U, cv::Scalar(0));
        if (maybeFront == 0) return found;
        if (sureBack == 0) return cv::Mat(mask.size(), CV_8U, cv::Scalar(255)); // the loop holds everything
        cv::setRNGSeed(1);
        cv::Mat back, front;
        for (int turn = 0; turn < 4 && !progress.stopped(); ++turn) {
            cv::grabCut(bgr, mask, cv::Rect(), back, front, 1,
                        turn == 0 ? cv::GC_INIT_WITH_MASK : cv::GC_EVAL);
            progress.done(0.1 + 0.2 * (turn + 1));
        }
        for (int y = 0; y < mask.rows; ++y)
            for (int x = 0; x < mask.cols; ++x)
                found.at<std::uint8_t>(y, x) = (mask.at<std::uint8_t>(y, x) & 1) != 0 ? 255 : 0;
        dropCrumbs(found);
        cv::bitwise_not(found, found);
        dropCrumbs(found);
        cv::bitwise_not(found, found);
        return found;
    }

    /// Islands much smaller than the largest one go, so that neither specks nor pinholes remain.
    static void dropCrumbs(cv::Mat& mask) {
        cv::Mat labels, stats, centres;
        const int count = cv::connectedComponentsWithStats(mask, labels, stats, centres, 4);
        int largest = 0;
        for (int i = 1; i < count; ++i)
            largest = std::max(largest, stats.at<int>(i, cv::CC_STAT_AREA));
        for (int y = 0; y < mask.rows; ++y)
            for (int x = 0; x < mask.cols; ++x)
                if (const int label = labels.at<int>(y, x);
                    label > 0 && stats.at<int>(label, cv::CC_STAT_AREA) * 400 < largest)
                    mask.at<std::uint8_t>(y, x) = 0;
    }

    Result<cv::Mat> refined(const cv::Mat& bgr, const cv::Mat& found, int level) const {
        cv::Mat mask;
        cv::resize(found, mask, bgr.size(), 0, 0, cv::INTER_LINEAR);
        const int radius = static_cast<int>(
            std::lround(std::max(m_subject.refine * m_scale, level > 0 ? 2.0 * (1 << level) : 0.0)));
        if (radius < 1) return mask;
        cv::Mat soft;
        const auto plugin = media::pluginOf<GuidedFilter>("guided_filter");
        if (!plugin) return tl::unexpected(plugin.error());
        (*plugin)->filter(bgr, mask, soft, radius, 6.5);
        // Only in a band at the edge.
        cv::Mat hard, wide, narrow;
        cv::threshold(mask, hard, 127, 255, cv::THRESH_BINARY);
        const cv::Mat disc =
            cv::getStructuringElement(cv::MORPH_ELLIPSE, cv::Size(2 * radius + 1, 2 * radius + 1));
        cv::dilate(hard, wide, disc);
        cv::erode(hard, narrow, disc);
        cv::Mat out(mask.size(), CV_8U);
        for (int y = 0; y < out.rows; ++y)
            for (int x = 0; x < out.cols; ++x) {
                const bool in = narrow.at<std::uint8_t>(y, x) != 0, near = wide.at<std::uint8_t>(y, x) != 0;
                // The filter never quite reaches 0 and 1.
                const float v =
                    std::clamp((static_cast<float>(soft.at<std::uint8_t>(y, x)) - 20) / 215.f, 0.f, 1.f);
                out.at<std::uint8_t>(y, x) = in ? 255 : near ? static_cast<std::uint8_t>(v * 255 + 0.5f) : 0;
            }
        return out;
    }

    PixelSourcePtr m_picture;
    scene::Subject m_subject;
    double m_scale;
};

}

PixelSourcePtr alikeSource(PixelSourcePtr picture, const scene::Alike& alike, double scale) {
    return std::make_shared<AlikeSource>(std::move(picture), alike, scale);
}

PixelSourcePtr subjectSource(PixelSourcePtr picture, const scene::Subject& subject, double scale) {
    return std::make_shared<SubjectSource>(std::move(picture), subject, scale);
}

}
