// How dense a cloud is at a place.
#pragma once

#include "motion/frame.h"

#include <array>
#include <vector>

namespace stage::render {

/// A cloud at one time. Value noise on lattices, each about twice as fine as the one before and turned
/// against it, mixed from two by an angle that runs with time; thinned out towards the sides of the box. A
/// cloud that repeats drifts by two such lattices that take turns, each going back while it does not count.
/// Immutable, thread-safe.
class CloudDensity {
public:
    CloudDensity(const scene::Cloud& cloud, Rational time);

    /// Places of a way through the box, metres along the box from its middle: from + along times a depth of
    /// first, first + step ...; within at least `least` metres of the box, and `perDepth` of them for each
    /// metre of depth, nothing finer is looked at. moved: the box's own way before.
    struct Way {
        V3d from, along, moved;
        double first, step, least, perDepth;
    };
    static constexpr int mostPlaces = 256;
    /// Per metre, of up to mostPlaces places.
    void along(const Way& way, int count, float* out) const;
    /// One octave over the places of a way, added to what is there.
    struct Line {
        const float* values;  ///< of a lattice that repeats after `side` cells each way
        float at[3], step[3]; ///< cells, the first within one repetition
        float size, weight;
        float first, depthStep, least, perDepth;
    };
    /// It is the same all over the box, but for its borders.
    bool even() const { return m_cloud.coverage >= 1; }
    /// No border thins it out.
    bool sharp() const { return m_cloud.border <= 0; }

private:
    static constexpr int side = 32, octaves = 4; ///< of a lattice, which repeats
    struct Layer {
        std::vector<float> values;
        V3d drift; ///< cells
    };

    scene::Cloud m_cloud;
    struct Octave {
        double size = 1, weight = 1;
        V3d x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1}, shift{0}; ///< from metres to cells of its lattices
        std::vector<Layer> layers;
    };
    std::vector<Octave> m_octaves;
};

}
