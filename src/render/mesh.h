// Layers that are not flat: surfaces through grids of points, met by rays. Embree finds what a ray meets.
#pragma once

#include "optics/placing.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

namespace stage::render {

/// Points of a surface, metres in the world, row by row: (columns + 1) across and (rows + 1) down. Places on
/// it are shares of the layer's picture, s across and t down, even steps from the first point to the last.
struct Grid {
    int columns = 1, rows = 1;
    std::vector<V3d> points;
    double s0 = 0, t0 = 0, s1 = 1, t1 = 1;
};
/// A bent card with what it goes on by: so many strips that none is off the arc by more than 1/50,000 of its
/// radius.
Grid gridOf(const optics::Surface& card);

/// Sixteen rays: origins and directions whose component along the view's axis is 1, so that distances are
/// depths.
struct Rays16 {
    alignas(64) float ox[16], oy[16], oz[16], dx[16], dy[16], dz[16];
    alignas(64) float from[16]; ///< depths before which nothing counts; what is met comes back in `depth`
    alignas(64) std::int32_t valid[16];        ///< -1: trace it; 0: not
    alignas(64) float s[16], t[16], depth[16]; ///< depth 0: nothing met
};

/// Immutable once made; thread-safe.
class Mesh {
public:
    /// Of triangles between the grid's points.
    explicit Mesh(const Grid& grid);
    ~Mesh();
    Mesh(const Mesh&) = delete;
    Mesh& operator=(const Mesh&) = delete;

    /// The nearest that a ray from the eye through a place of the frame meets behind a depth.
    std::optional<optics::Meeting> meet(const optics::View& view, const V2d& place, double from = 1e-6) const;
    /// Fills in what each ray meets first. Thread-safe.
    void meet(Rays16& rays) const;

private:
    struct Own;
    std::unique_ptr<Own> m_own;
};

}
