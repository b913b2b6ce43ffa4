// What is left to libraries that take long to load (media/plugin.h).
#pragma once

#include <opencv2/core/mat.hpp>
#include <string>

namespace stage::cutout {

/// The plugin "patch_match": G'MIC's inpainting from patches. One call at a time: its random numbers are
/// global.
struct PatchMatch {
    /// planes: red, green, blue, each width x height values 0..255, then the hole as 0 or 1. Filled in place.
    /// share (0..100) is written and abort is read by other threads meanwhile. Empty, or what is wrong, in
    /// the library's words.
    std::string (*fill)(float* planes, unsigned width, unsigned height, const char* command, float* share,
                        bool* abort);
};

/// The plugin "guided_filter": OpenCV's. Thread-safe.
struct GuidedFilter {
    /// guide: 8-bit BGR; mask: 8-bit, of the same size; out: soft mask. radius: px; eps: as OpenCV has it.
    void (*filter)(const cv::Mat& guide, const cv::Mat& mask, cv::Mat& out, int radius, double eps);
};

}
