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

    /// Boxes that are painted from now on are mostly inside this one: what several of them read of a card,
    /// discs reaching beyond each, is then painted once. Planes must stay where they are until the next.
    void startBlock(const media::Box& block);

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
    class Discs;
    struct Grid;
    /// A card as it is painted for the discs of a box.
    struct Small {
        int shrink = 0;        ///< its pixels are 2^shrink of the frame's
        media::Box box;        ///< what the discs reach, in its pixels
        bool oneLevel = false; ///< discs hide whether levels are mixed
    };
    static bool tooUnlike(const Plane& plane, const Discs& discs);
    static media::Box movedOver(const media::Box& box, const MotionField& motion, int step);
    static Small smallFor(const Plane& plane, const Discs& discs, const media::Box& wide);
    /// What a small card shows, as sums along each row; number n is that of the first n pixels.
    struct Sums {
        const Plane* of = nullptr;
        Small small;
        std::vector<float> numbers;
        std::ptrdiff_t stride() const { return (std::ptrdiff_t{small.box.x1} - small.box.x0 + 1) * 4; }
        /// The sum up to a pixel of the small picture.
        const float* at(int x, int y) const {
            return numbers.data() + (y - small.box.y0) * stride() + 4 * (std::ptrdiff_t{x} - small.box.x0);
        }
        bool nothingIn(const media::Box& box) const;
    };
    const Sums& sumsOf(const Plane& plane, const media::Pyramid& pixels, const Air& air, const Small& small,
                       const media::Box& box);
    void raster(const Plane& plane, const media::Pyramid& pixels, const Air& air, Sums& sums);
    void setEnds(const Rows& rows, double part, std::ptrdiff_t stride);
    void blur(const Sums& sums, const Discs& discs, const Grid& grid);
    void leaveSharp(const Sums& sums, const Grid& grid);
    void smear(const MotionField& motion, const Grid& wide, const Grid& grid);
    void setTaps(const MotionField::Shift& shift, int count, double step, std::ptrdiff_t stride);
    void spread(const Grid& grid, const media::Box& box, float opacity, Canvas& canvas);

    Opening m_opening;
    std::vector<Rows> m_rows; ///< by radius and part
    PatchArena m_arena;
    Canvas m_part;
    media::Box m_block;
    std::vector<Sums> m_ofBlock; ///< the first m_used of them
    std::size_t m_used = 0;
    Sums m_ofBox;
    std::vector<float> m_blurred, m_smeared, m_row;
    std::vector<SmearTap> m_taps;
    std::vector<DiscEnds> m_ends;
};

}
