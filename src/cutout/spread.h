// Spreading of pictures: each place goes to those around it by a cubic B-spline. Inside .cc files only: it
// is of OpenCV. Pure, thread-safe.
#pragma once

#include "media/raster.h"
#include "scene/colour.h"

#include <opencv2/core.hpp>
#include <optional>

namespace stage::cutout {

class Spread {
public:
    /// reach: px at which it ends; from 0.
    explicit Spread(double reach);
    /// What is read to have a box spread. Its borders lie on a grid, so that neighbours agree.
    media::Box around(const media::Box& box) const;
    /// A box spread. picture: that around it, floats, any channels.
    cv::Mat over(const cv::Mat& picture, const media::Box& box) const;

private:
    int m_step = 1;   ///< px to one of those that it is computed in
    int m_border = 0; ///< px read around a box, before they are brought to the grid
    cv::Mat m_kernel;
};

/// What of a picture (RGBA, floats) is brighter than a threshold by the largest of its colours, RGB: its
/// colours, as much as they are above. Nothing where none is.
std::optional<cv::Mat> brightOf(const cv::Mat& picture, float threshold);

/// Adds light (RGB) to a picture (RGBA) of the same size.
void addLight(const cv::Mat& light, float strength, const scene::Colour& tint, cv::Mat& picture);

}
