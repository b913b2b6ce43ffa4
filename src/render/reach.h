// Which texels of a card's picture a box of the frame looks at, and how finely.
#pragma once

#include "media/pyramid.h"
#include "render/plane.h"

namespace stage::render {

/// What a pixel covers of a picture: read at level `lod` (fractions mix two levels), as the mean of `taps`
/// places in a row that step by (du, dv) base texels. So a card seen askew stays as sharp along its short
/// axis as it is along its long one. Heckbert, Fundamentals of Texture Mapping, 1989: the footprint is the
/// ellipse of the Jacobian.
struct Footprint {
    static constexpr int mostTaps = 8;
    double lod = 0;
    int taps = 1;
    double du = 0, dv = 0;
    double texels = 1; ///< base texels across each tap; lod is that of them, where there is such a level
    double narrow = 1; ///< across its smaller axis, at most as many
};
/// Changes of the base texel for a pixel to the right (ux, vx) and down (uy, vy).
Footprint footprintOf(const Plane& plane, double ux, double uy, double vx, double vy);
/// That of a flat card at a place of the frame, of a pixel so many times as large; nothing special where the
/// card is not.
Footprint footprintAt(const Plane& plane, double x, double y, double size = 1);

/// Base texels that a pixel covers across and down the picture of a flat card, at a place of the frame.
V2d coversAt(const Plane& plane, double x, double y);

enum class Through {
    Pinhole,
    Lens ///< all of the lens, and all of the exposure
};

/// 1 / depth of what of a flat card is farthest from the eye, with its extensions, and a pixel beyond that.
double leastNearness(const Plane& plane, Through through);

/// The box of the picture that a box of the frame shows.
struct Reach {
    int behind = 0; ///< corners of the frame's box that do not look at the card's plane
    double u0 = 1e300, v0 = 1e300, u1 = -1e300, v1 = -1e300; ///< base texels
    double marginU = 0, marginV = 0;                         ///< what a pixel of the frame covers
    bool off = false;                                        ///< it shows nothing of the card
    int met = 0; ///< of a bent card: at how many of the places looked at it is there
};
/// Box: px of the frame, the last ones left out.
Reach reachOf(const Plane& plane, int x0, int y0, int x1, int y1, Through through);

/// How coarsely what is out of focus is read.
struct LensSampling {
    bool lens = false; ///< a pinhole has nothing out of focus
    int rays = 0;      ///< per pixel; 0: the draft's way, in small pictures
};
/// The tiles of a picture that rendering a box of the frame will read.
media::Need needOf(const Plane& plane, const media::Box& frame, const LensSampling& reading);
/// Adds what looking past it through the lens as finely as a pinhole would, in boxes of the frame, reads
/// besides.
void needFinely(const Plane& plane, const std::vector<media::Box>& boxes, media::Need& need);

/// Which level is read, where a card's own fineness is that of a level or between two (Plane::mixedFrom).
double levelRead(const Plane& plane, double level);

/// Discs up to this radius, px, may be left to the filter of a picture's levels: the draft reads as if pixels
/// were larger.
inline constexpr double mostSoft = 2;
/// How much larger a pixel is for a disc of that radius, px, to be as wide: by its variance (r^2 / 4 either
/// way) beside that of mixing texels of a pixel's size (1/4), or of two levels evenly where a sharp card is
/// read between them.
double softened(double radius, double lod);
/// The same for what a pixel covers of an edge, whose own variance is 1/12.
double softenedEdge(double radius);

/// The draft paints what is blurred by discs of that radius (px) in a picture smaller by this power of two.
int shrinkOf(const Plane& plane, double radius);

/// The coarsest level that is fine enough for `samples` rays through a lens that blurs into discs of that
/// diameter.
double lodOfDisc(double disc, double texelsPerPixel, int samples);

/// What an interval of base texels shows of the picture itself, where it goes on beyond its edges.
std::pair<double, double> insideOf(double low, double high, double length, const scene::Extension& before,
                                   const scene::Extension& after);

/// What is known of a box of the frame (pixels x0..x1-1, y0..y1-1) without sampling it at a level or the one
/// above.
enum class Presence { Nothing, Something, Opaque };
/// level: that will be read.
Presence presenceOf(const Plane& plane, const media::Pyramid& pixels, const Reach& reach, int level);

}
