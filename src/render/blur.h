// A card blurred by its disc and its motion over a tile of the frame: the draft's way. The card is painted in
// fewer pixels, so that the disc is small in them; rows of it are summed up once, so that a disc is a
// difference of sums for each of its rows; that is smeared along the card's motion in the frame, and what
// comes out is spread over the tile's pixels.
#pragma once

#include "render/brush.h"
#include "render/lens_points.h"
#include "render/motion_field.h"

namespace stage::render {

/// The ends of a disc's rows, for places of one phase within a pixel: from the sums' number under the place,
/// which number to read, and how much of the next.
struct DiscEnds {
    std::ptrdiff_t right, left;
    float rightPart, leftPart, weight;
};

/// One moment of a motion, for places that move alike: what is read from a place on, and how much of it, of
/// the next, of those in the row below.
struct SmearTap {
    std::ptrdiff_t offset; ///< numbers
    float here, right, below, belowRight;
};

/// Discs below this are not blurred, px of diameter.
inline constexpr double leastBlur = 0.6;

/// For one thread.
class DiscBlur {
public:
    explicit DiscBlur(const Opening& opening) : m_opening(opening) {}

    /// Paints the card under what the canvas shows, over the whole exposure if it moves meanwhile. Its cost
    /// does not depend on how large the disc is. False: its discs differ too much for the box to be painted
    /// in one go, but a smaller one can be.
    bool paintUnder(const Plane& plane, const media::Pyramid& pixels, const Air& air, float opacity,
                    const media::Box& box, Canvas& canvas);

private:
    /// What a disc covers of the rows around its middle: from left to right of it, in pixels of the small
    /// picture.
    struct Rows {
        int first = 0;                          ///< row, from the one that its middle is in
        std::vector<float> left, right, weight; ///< weight: how much of the row's height it reaches
        float each = 0;                         ///< over its area; 0: not made yet
    };
    /// part: where in its row the middle is, quarters from the row's own middle.
    const Rows& rowsOf(double radius, int part);
    void raster(const Plane& plane, const media::Pyramid& pixels, const Air& air, int x0, int y0, int width,
                int height, bool oneLevel);

    class Discs;
    struct Grid;
    bool nothingThere() const;
    void setEnds(const Rows& rows, double part);
    void blur(const Discs& discs, const Grid& grid, int shrink, int x0, int y0);
    void leaveSharp(const Grid& grid, int x0, int y0);
    void smear(const MotionField& motion, const Grid& wide, const Grid& grid);
    void setTaps(const MotionField::Shift& shift, int count, double step, std::ptrdiff_t stride);
    void spread(const Grid& grid, const media::Box& box, float opacity, Canvas& canvas);

    Opening m_opening;
    std::vector<Rows> m_rows; ///< by radius and part
    PatchArena m_arena;
    Canvas m_part;
    std::vector<float> m_sums, m_blurred, m_smeared, m_row;
    std::vector<SmearTap> m_taps;
    std::vector<DiscEnds> m_ends;
    int m_width = 0, m_height = 0;
};

}
