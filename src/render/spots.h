// Particles as the lens throws them onto the frame.
#pragma once

#include "render/canvas.h"
#include "render/lens_points.h"

namespace stage::render {

class Sprite;

/// One particle in the frame, px.
struct Spot {
    enum class Kind { Point, Disc, Streak, Picture };
    Kind kind = Kind::Disc;
    float x = 0, y = 0;   ///< in the middle of the exposure
    float dx = 0, dy = 0; ///< from there to where it is as the exposure ends
    float nearness = 0;   ///< 1 / depth
    float disc = 0;       ///< radius into which the lens blurs a point; below 0: nearer than the focus
    float size = 0;       ///< half its width, before the lens
    float across[2] = {1, 0}, up[2] = {0, -1}; ///< what half its width, and half its height, are in the frame
    const Sprite* sprite = nullptr;            ///< null: a disc, or one without an edge
    bool soft = false;
    float rgba[4] = {0, 0, 0, 0}; ///< of its shape; of a picture a factor
    // Of what is drawn:
    float reach = 0;            ///< farthest from its middle
    float radius = 0, edge = 0; ///< of the disc that is thrown, and how wide its edge is to each side
    float peak = 0;             ///< share of its colour in the middle of that disc
    float length = 0, alongX = 1, alongY = 0; ///< of its way
    float level = 0;                          ///< of its picture

    /// Pixels of a box that it may reach.
    media::Box boxIn(const media::Box& box) const;
};

/// Paints a disc, a streak or a point under what the canvas shows, which has the box. By the widest
/// instructions that the machine has.
void paintSpot(const Spot& spot, const Opening& opening, const media::Box& box, Canvas& canvas);

}
