// Spreading of pictures: each place goes to those around it by a cubic B-spline. Inside .cc files only: it
// is of OpenCV. Pure, thread-safe.
#pragma once

#include "cutout/glow_rows.h"
#include "media/raster.h"

#include <algorithm>
#include <opencv2/core.hpp>
#include <vector>

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
    /// Places spread. places: those and as many around as the border is wide; RGBA.
    cv::Mat spread(const cv::Mat& places) const;
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

/// The light of spread places on the pixels of a box, row by row; quickest from the top on. Of one thread.
class SpreadLight {
public:
    /// places: those that the box lies between, spread, RGBA; must stay.
    SpreadLight(const Spread& by, const cv::Mat& places, const media::Box& box,
                const std::array<float, 3>& tint);
    /// Row y of the box. `to` may be `from`; both of half or of float, from its pixel x on.
    template <class Texel> void add(int y, int x, int count, const Texel* from, Texel* to) {
        if (y != m_y) go(y);
        if (m_rows[0].any || m_rows[1].any)
            addLight(m_rows[0].light.data() + 4 * x, m_rows[1].light.data() + 4 * x, m_share, count, from,
                     to);
        else if (from != to)
            std::copy_n(from, 4 * count, to);
    }

private:
    /// At the pixels of the box.
    struct Row {
        int place = -1;
        bool any = false;
        std::vector<float> light;
    };
    void go(int y);
    void make(Row& row, int place);
    const cv::Mat& m_places;
    std::array<float, 3> m_tint;
    int m_step, m_width, m_left, m_top; ///< pixels; of the first of the box, of those of the first place
    int m_y = -1;
    float m_share = 0;         ///< of the lower one
    std::array<Row, 2> m_rows; ///< above and below
};

}
