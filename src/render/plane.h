// A card seen through a lens: where each ray meets it.
#pragma once

#include "optics/placing.h"
#include "render/mesh.h"

#include <array>
#include <utility>

namespace stage::render {

/// a + b x + c y at a place of the frame, px.
struct Linear {
    double a = 0, b = 0, c = 0;
    double at(double x, double y) const { return a + b * x + c * y; }
    Linear operator+(const Linear& o) const { return {a + o.a, b + o.b, c + o.c}; }
    Linear operator-(const Linear& o) const { return {a - o.a, b - o.b, c - o.c}; }
    Linear operator*(double k) const { return {a * k, b * k, c * k}; }
};

/// What a ray meets: base texels u/w and v/w from the picture's top left.
struct Projective {
    Linear u, v, w;
    Projective operator+(const Projective& o) const { return {u + o.u, v + o.v, w + o.w}; }
    Projective operator-(const Projective& o) const { return {u - o.u, v - o.v, w - o.w}; }
    Projective operator*(double k) const { return {u * k, v * k, w * k}; }
};

/// Of what rays through a lens are made: through lens point (p, q), in radii, and a place (x, y) of the
/// frame one goes from eye + p lensRight + q lensUp along start + x perX + y perY - p awayRight - q awayUp.
struct RayBasis {
    V3d eye{0}, lensRight{0}, lensUp{0}, start{0}, perX{0}, perY{0}, awayRight{0}, awayUp{0};
    RayBasis operator+(const RayBasis& o) const;
    RayBasis operator*(double k) const;
};
/// Of the view's rays; places are px of its frame.
RayBasis raysOf(const optics::View& view);

/// A card seen through a view.
///
/// Flat: u, v and w of the ray through a place of the frame are linear in the place (a plane's homography),
/// and for a given place linear in the point of the lens that it goes through, because a ray through lens
/// point (p, q) from a point of the frame passes the focus plane where the pinhole's ray does: a shear of
/// space. w over 1 + p perRight + q perUp is 1 / depth.
///
/// Not flat: rays meet a mesh, a little larger than what it shows so that pixels half on its edge are met; w
/// is then that of the flat card, and of use for nothing but groups. While the shutter is open the rays move
/// past the mesh.
struct Plane {
    Projective pinhole;   ///< through the lens's middle, at the middle of the exposure
    Projective right, up; ///< what a lens point one radius to the right and up adds
    double perRight = 0, perUp = 0;
    Projective drift, curve; ///< over the exposure: + t drift + t^2 curve, t from -1 to 1
    bool level = false;      ///< parallel to the frame, so that its scale is the same everywhere
    bool still = true;       ///< it does not move against the frame during the exposure
    /// Of one that moves: depth of its farthest corner, extensions included, at any time of the exposure, at
    /// most, m. Else 0.
    double farthest = 0;
    V2i size{0, 0};
    int top = 0; ///< the coarsest level of its picture
    /// Its picture is read as by pixels so many times as large, and no level finer than `finest`; 1 and 0 of
    /// what is not flat.
    double coarse = 1;
    int finest = 0;
    /// The draft blurs it in a picture smaller by this power of two than it would be, but for small discs.
    int smaller = 0;
    /// Levels of its picture are mixed between these shares of the way from one to the next; below and above
    /// one of them is read alone.
    double mixedFrom = 0, mixedTo = 1;
    scene::Extensions extensions;
    optics::Surface card;
    optics::View view;
    std::shared_ptr<const Mesh> mesh;    ///< null: flat
    RayBasis rays, raysDrift, raysCurve; ///< of a mesh, over the exposure, where the mesh is in its middle
    double sweep = 0; ///< px by which a mesh is seen elsewhere during the exposure, at most
    double x0 = 0, y0 = 0, x1 = 0,
           y1 = 0; ///< where a mesh is seen by a pinhole, px; all of the plane if some is behind the eye

    /// Seen through a mesh.
    bool bent() const { return mesh != nullptr; }
    /// Base texels to the left of which nothing of it shows, with its extensions.
    double farLeft() const { return -extensions.left.reach() * size.x; }
    double farRight() const { return (1 + extensions.right.reach()) * size.x; }
    double farTop() const { return -extensions.top.reach() * size.y; }
    double farBottom() const { return (1 + extensions.bottom.reach()) * size.y; }
};

/// size: base texels of the card's picture; 0 x 0 where there are none (a flattened group): only w is set
/// then.
Plane planeOf(const optics::Surface& card, const optics::View& view, V2i size,
              const scene::Extensions& extensions = {});
/// A card at another moment, seen through the view of that moment.
struct Sight {
    optics::Surface card;
    optics::View view;
};
/// Lets it move during the exposure: what it is at the exposure's begin and end.
void expose(Plane& plane, const Sight& open, const Sight& close);

/// Depth of a flat card's farthest corner, with its extensions, m; at least 1e-7.
double farthestOf(const optics::Surface& card, const optics::View& view, const scene::Extensions& extensions);

/// Steps across and down a box at which a bent card is looked at.
inline constexpr int bentSteps = 8;

/// 1 / depth at a place of the frame; at most 0 where the card is not there.
double nearnessAt(const Plane& plane, double x, double y);
/// The least and the greatest 1 / depth that a card may have in a box of the frame, through the whole lens
/// and exposure.
std::pair<double, double> nearnessIn(const Plane& plane, int x0, int y0, int x1, int y1);

/// Diameter in px of the disc into which the lens blurs a point of the card that is seen at a place. 0 where
/// it is not.
double discAt(const Plane& plane, double x, double y);

/// Sixteen rays to a mesh: through places of the frame (x[i] from x0, px), lens points and times of the
/// exposure.
Rays16 raysThrough(const Plane& plane, double x0, double y, const float* x, const float* p, const float* q,
                   const float* t);

}
