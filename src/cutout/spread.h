// Spreading of pictures: each place goes to those around it by a cubic B-spline. Inside .cc files only: it
// is of OpenCV. Pure, thread-safe.
#pragma once

#include "cutout/glow_rows.h"
#include "media/raster.h"

#include <opencv2/core.hpp>

namespace stage::cutout {

/// Done in a grid, whose places hold the means of squares of pixels, from pixel 0, 0 on.
class Spread {
public:
    /// reach: px at which it ends; from 0. mostSteps: of the grid, within the reach; more than 16 show no
    /// difference, with 8 a place may be off by a tenth of what is brightest.
    explicit Spread(double reach, double mostSteps = 16);
    /// Pixels from place to place of the grid.
    int step() const { return m_step; }
    /// Places of the grid beside one that it is spread over, on each side.
    int border() const { return m_kernel.cols / 2; }
    /// What a box of pixels lies between when it is spread: places of the grid.
    media::Box between(const media::Box& box) const;
    /// Places spread. places: those and as many around as the border is wide; floats, any channels.
    cv::Mat spread(const cv::Mat& places) const;
    /// A row of a box of pixels, from its top. places: those it lies between, spread, RGBA; must stay.
    GridRow rowBetween(const cv::Mat& places, const media::Box& box, int y) const;
    /// A box of pixels. places: those it lies between, spread.
    cv::Mat evenly(const cv::Mat& places, const media::Box& box) const;
    /// The same box in pixels.
    media::Box pixels(const media::Box& places) const;
    /// places: of the pixels of whole places.
    cv::Mat means(const cv::Mat& pixels) const;

private:
    int m_step = 1;
    cv::Mat m_kernel;
};

}
