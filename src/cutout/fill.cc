#include "cutout/fill.h"

#include "cutout/plugins.h"
#include "media/plugin.h"

#include <atomic>
#include <cmath>
#include <mutex>
#include <opencv2/imgproc.hpp>
#include <opencv2/photo.hpp>
#include <thread>

namespace stage::cutout {
namespace {

/// How much around the hole is looked at. Less, or the whole picture, was worse on photographs.
constexpr int margin = 250;
/// A hole whose box is larger is filled smaller, then enlarged.
constexpr double mostPixels = 400'000;

Box boxOfInside(const Mask& hole) {
    Box box{hole.box.x1, hole.box.y1, hole.box.x0, hole.box.y0};
    for (int y = hole.box.y0; y < hole.box.y1; ++y)
        for (int x = hole.box.x0; x < hole.box.x1; ++x)
            if (hole.at(x, y) >= 0.5f)
                box = {std::min(box.x0, x), std::min(box.y0, y), std::max(box.x1, x + 1),
                       std::max(box.y1, y + 1)};
    return box;
}

/// The library draws random numbers from one place for all, so only one of us may use it at a time.
Result<cv::Mat> matchPatches(const cv::Mat& bgr, const cv::Mat& mask, const FillOptions& options,
                             const Progress& progress) {
    const auto plugin = media::pluginOf<PatchMatch>("patch_match");
    if (!plugin) return tl::unexpected(plugin.error());
    static std::mutex one;
    std::lock_guard guard(one);
    const auto width = static_cast<unsigned>(bgr.cols), height = static_cast<unsigned>(bgr.rows);
    const std::size_t plane = static_cast<std::size_t>(width) * height;
    std::vector<float> planes(4 * plane);
    for (int y = 0; y < bgr.rows; ++y)
        for (int x = 0; x < bgr.cols; ++x) {
            const std::size_t at = static_cast<std::size_t>(y) * width + static_cast<std::size_t>(x);
            for (std::size_t c = 0; c < 3; ++c)
                planes[c * plane + at] = bgr.at<cv::Vec3b>(y, x)[static_cast<int>(2 - c)];
            planes[3 * plane + at] = mask.at<std::uint8_t>(y, x) ? 1.f : 0.f;
        }
    // The library takes plain ones and looks at them as it runs; from our threads they are only touched
    // whole.
    alignas(std::atomic_ref<float>::required_alignment) float share = 0;
    alignas(std::atomic_ref<bool>::required_alignment) bool abort = false;
    const std::string command = "v - srand " + std::to_string(options.seed) + " inpaint_matchpatch[0] [1]," +
                                (options.draft ? "0,9,4,5,1,1" : "0,15,10,9,1,1");
    std::string problem;
    {
        std::jthread watch([&](const std::stop_token& over) {
            while (!over.stop_requested()) {
                if (progress.stopped()) std::atomic_ref(abort).store(true, std::memory_order_relaxed);
                const float percent = std::atomic_ref(share).load(std::memory_order_relaxed);
                progress.done(std::clamp(percent / 100.0, 0.0, 1.0));
                std::this_thread::sleep_for(std::chrono::milliseconds(30));
            }
        });
        problem = (*plugin)->fill(planes.data(), width, height, command.c_str(), &share, &abort);
    }
    if (progress.stopped()) return cancelled();
    if (!problem.empty()) return fail("The hole could not be filled: " + problem + ".");
    cv::Mat out(bgr.size(), CV_8UC3);
    for (int y = 0; y < bgr.rows; ++y)
        for (int x = 0; x < bgr.cols; ++x)
            for (std::size_t c = 0; c < 3; ++c)
                out.at<cv::Vec3b>(y, x)[static_cast<int>(2 - c)] = static_cast<std::uint8_t>(std::clamp(
                    planes[c * plane + static_cast<std::size_t>(y) * width + static_cast<std::size_t>(x)] +
                        0.5f,
                    0.f, 255.f));
    return out;
}

}

namespace {

/// The hole in pieces that lie apart, each with its box: what fills one should come from around it.
struct Piece {
    int label;
    Box box;
};
std::vector<Piece> piecesOf(const cv::Mat& binary, cv::Mat& labels) {
    // Pieces that nearly touch are one.
    cv::Mat joined, stats, centres;
    cv::dilate(binary, joined, cv::getStructuringElement(cv::MORPH_RECT, cv::Size(25, 25)));
    const int count = cv::connectedComponentsWithStats(joined, labels, stats, centres, 8);
    std::vector<Piece> pieces(static_cast<std::size_t>(count) - 1);
    for (int i = 1; i < count; ++i)
        pieces[static_cast<std::size_t>(i) - 1] = {i, {binary.cols, binary.rows, 0, 0}};
    for (int y = 0; y < binary.rows; ++y)
        for (int x = 0; x < binary.cols; ++x) {
            if (binary.at<std::uint8_t>(y, x) == 0) continue;
            Box& box = pieces[static_cast<std::size_t>(labels.at<int>(y, x)) - 1].box;
            box = {std::min(box.x0, x), std::min(box.y0, y), std::max(box.x1, x + 1),
                   std::max(box.y1, y + 1)};
        }
    // Small ones first: they are sure of their surroundings, and give the large ones more to go by.
    std::stable_sort(pieces.begin(), pieces.end(), [](const Piece& a, const Piece& b) {
        const auto area = [](const Box& box) { return std::int64_t{box.size().x} * box.size().y; };
        return area(a.box) < area(b.box);
    });
    return pieces;
}

/// Fills one piece of the hole in `picture`; `missing` (of the whole picture) says what is still to be
/// filled.
Result<void> fillPiece(media::Raster& picture, const Piece& piece, const cv::Mat& labels, cv::Mat& missing,
                       const Mask* from, const FillOptions& options, const Progress& progress) {
    const Box bounds = media::boxOf(picture.size), box = piece.box;
    Box area = box.grown(margin).within(bounds);
    if (from) {
        // What lies outside of it has to be filled too, so no more is looked at than needed.
        const Box source = boxOfInside(*from);
        if (source.empty()) return fail("What the hole should be filled from is empty.");
        area = area.within(box.with(source).grown(8));
    }
    double scale = options.draft ? 0.25 : 1;
    scale = std::min(scale, std::sqrt(mostPixels / (static_cast<double>(box.size().x) * box.size().y)));

    cv::Mat bgr(area.size().y, area.size().x, CV_8UC3), mask(bgr.size(), CV_8U);
    bool around = false;
    for (int y = area.y0; y < area.y1; ++y)
        for (int x = area.x0; x < area.x1; ++x) {
            const Imath::half* in = picture.row(y) + 4 * x;
            const float alpha = in[3];
            // What is clear already has no colour to give.
            const bool unknown =
                missing.at<std::uint8_t>(y, x) != 0 || alpha < 0.02f || (from && from->at(x, y) < 0.5f);
            mask.at<std::uint8_t>(y - area.y0, x - area.x0) = unknown ? 255 : 0;
            around = around || !unknown;
            for (int c = 0; c < 3; ++c)
                bgr.at<cv::Vec3b>(y - area.y0, x - area.x0)[2 - c] =
                    unknown
                        ? 0
                        : static_cast<std::uint8_t>(
                              std::clamp(media::srgbFromLinear(float(in[c]) / alpha), 0.f, 1.f) * 255 + 0.5f);
        }
    if (!around) return fail("The hole leaves nothing around it to fill it from.");
    cv::Mat workBgr, workMask;
    if (scale < 1) {
        // Colours of the hole must not bleed into its surroundings.
        cv::inpaint(bgr, mask, bgr, 3, cv::INPAINT_TELEA);
        const cv::Size size(std::max(8, static_cast<int>(std::lround(bgr.cols * scale))),
                            std::max(8, static_cast<int>(std::lround(bgr.rows * scale))));
        cv::resize(bgr, workBgr, size, 0, 0, cv::INTER_AREA);
        cv::resize(mask, workMask, size, 0, 0, cv::INTER_AREA);
        cv::threshold(workMask, workMask, 0, 255, cv::THRESH_BINARY);
    } else {
        workBgr = bgr;
        workMask = mask;
    }
    progress.done(0.02);
    cv::inpaint(workBgr, workMask, workBgr, 5, cv::INPAINT_TELEA);
    if (progress.stopped()) return cancelled();
    auto patched = matchPatches(workBgr, workMask, options, progress);
    if (!patched) return tl::unexpected(patched.error());
    cv::Mat full;
    if (scale < 1)
        cv::resize(*patched, full, bgr.size(), 0, 0, cv::INTER_CUBIC);
    else
        full = *patched;
    for (int y = box.y0; y < box.y1; ++y)
        for (int x = box.x0; x < box.x1; ++x) {
            std::uint8_t& hole = missing.at<std::uint8_t>(y, x);
            if (hole == 0 || labels.at<int>(y, x) != piece.label) continue;
            hole = 0;
            Imath::half* to = picture.row(y) + 4 * x;
            for (int c = 0; c < 3; ++c)
                to[c] = media::linearFromSrgb(
                    static_cast<float>(full.at<cv::Vec3b>(y - area.y0, x - area.x0)[2 - c]) / 255.f);
            to[3] = 1.f;
        }
    return {};
}

}

Result<media::Raster> filled(const media::Raster& picture, const Mask& hole, const Mask* from,
                             const FillOptions& options, const Progress& progress) {
    const Box bounds = media::boxOf(picture.size);
    cv::Mat labels, missing(bounds.size().y, bounds.size().x, CV_8U);
    for (int y = 0; y < missing.rows; ++y)
        for (int x = 0; x < missing.cols; ++x)
            missing.at<std::uint8_t>(y, x) = hole.at(x, y) >= 0.5f ? 255 : 0;
    const auto pieces = piecesOf(missing, labels);
    double all = 0, done = 0;
    const auto areaOf = [](const Piece& piece) {
        return static_cast<double>(piece.box.size().x) * piece.box.size().y;
    };
    for (const Piece& piece : pieces)
        all += areaOf(piece);
    media::Raster out = picture;
    for (const Piece& piece : pieces) {
        const Progress part{[&](double share) { progress.done((done + share * areaOf(piece)) / all); },
                            progress.stop};
        if (auto ok = fillPiece(out, piece, labels, missing, from, options, part); !ok)
            return tl::unexpected(ok.error());
        done += areaOf(piece);
    }
    return out;
}

}
