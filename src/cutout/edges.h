// Cleaning the edge of a cut. Pure functions, thread-safe.
#pragma once

#include "cutout/mask.h"
#include "scene/cutout.h"

namespace stage::cutout {

/// Straight colours over a box, and the alpha that goes with them.
struct Cut {
    Box box;
    std::vector<float> planes[3];
    Mask alpha;
};

/// Alpha below `low` goes, above `high` is solid; then the edge is choked and feathered. Colours: within
/// `reach` / 2 px of the edge they are mixed, by `clean`, with the Gaussian mean (deviation reach / 2) of
/// those farther inside; where alpha appears on pixels that had none, they take the mean of what is near.
/// `in` covers the box wanted, grown by reachOfEdges; lengths in its pixels.
Cut cleaned(Cut in, const scene::Edges& edges, const Box& wanted);
/// Pixels around a box that its cleaned edge is made from.
int reachOfEdges(const scene::Edges& edges);

/// Lengths multiplied.
scene::Edges scaled(const scene::Edges& edges, double scale);

}
