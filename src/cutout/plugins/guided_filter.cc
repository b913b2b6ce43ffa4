#include "cutout/plugins.h"

#include <opencv2/ximgproc/edge_filter.hpp>

namespace stage::cutout {
namespace {

void filter(const cv::Mat& guide, const cv::Mat& mask, cv::Mat& out, int radius, double eps) {
    cv::ximgproc::guidedFilter(guide, mask, out, radius, eps);
}

}

extern "C" __attribute__((visibility("default"))) const GuidedFilter stagePlugin;
const GuidedFilter stagePlugin{&filter};

}
