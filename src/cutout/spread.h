// Spreading of pictures: each place goes to those around it by a cubic B-spline. Inside .cc files only: it
// is of OpenCV. Pure, thread-safe.
#pragma once

#include "media/raster.h"
#include "scene/colour.h"

#include <opencv2/core.hpp>
#include <optional>

namespace stage::cutout {

/// Done in a grid, whose places hold the means of squares of pixels, from pixel 0, 0 on.
class Spread {
public:
    /// reach: px at which it ends; from 0.
    explicit Spread(double reach);
    /// Pixels from place to place of the grid.
    int step() const { return m_step; }
    /// What is read to have a box of pixels spread: places of the grid.
    media::Box around(const media::Box& box) const;
    /// A box of pixels spread. places: those of the grid around it, floats, any channels.
    cv::Mat over(const cv::Mat& places, const media::Box& box) const;
    /// The same box in pixels.
    media::Box pixels(const media::Box& places) const;
    /// places: of the pixels of whole places.
    cv::Mat means(const cv::Mat& pixels) const;

private:
    int m_step = 1;
    cv::Mat m_kernel;
};

/// What of a picture (RGBA, floats) is brighter than a threshold by the largest of its colours, RGB: its
/// colours, as much as they are above. None where nothing is.
std::optional<cv::Mat> brightOf(const cv::Mat& picture, float threshold);

/// Adds light (RGB, or RGBA whose alpha does not count) to a picture (RGBA) of the same size.
void addLight(const cv::Mat& light, float strength, const scene::Colour& tint, cv::Mat& picture);

}
