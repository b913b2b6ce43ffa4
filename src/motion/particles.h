// Where particles are: a function of seed, index and time without any state, so that each frame can be asked
// for alone and in any order, and all of them are under way at time 0.
#pragma once

#include "scene/particles.h"

namespace stage::motion {

/// Metres along the box, from its middle.
struct Particle {
    V3d place;
    V3d open, close; ///< as the exposure begins and ends; as place without one
    double size;     ///< metres across
    double share;    ///< of its life that is over, 0..1
    double angle;    ///< radians, counterclockwise as it is seen
    double tumble;   ///< radians about its own upright axis, of what tumbles
    double pick;     ///< 0..1 by chance, the same over its life: which of several pictures it shows
    V3d way;         ///< its velocity without turbulence, m/s
};

/// Immutable, thread-safe.
class ParticleSystem {
public:
    /// Values as scene::Particles limits them.
    explicit ParticleSystem(const scene::Particles& particles);

    /// The index-th of particles.count at a time in seconds. Each lives again and again, every time at
    /// another place of the box that is as likely as any; what leaves the box on one side comes back on the
    /// other, so that the box is filled evenly all the time. halfExposure: seconds. moved: by how much the
    /// box has left what drifts in it behind.
    Particle at(int index, Rational time, double halfExposure = 0, const V3d& moved = V3d(0)) const;

    /// By how much turbulence displaces what is at a place: the curl of three fields of gradient noise in
    /// space and time (Bridson, Hourihan, Nordenstam: Curl-noise for procedural fluid flow, 2007; Perlin:
    /// Improving noise, 2002).
    V3d turbulenceAt(const V3d& place, double seconds) const;

private:
    struct Life;
    Life lifeOf(int index, double seconds) const;
    V3d velocityOf(const Life& life) const;
    double chance(const Life& life, int purpose) const;

    scene::Particles m_particles;
    double m_loop;              ///< seconds; 0: none
    std::int64_t m_changes = 0; ///< of turbulence over the loop
    double m_change;            ///< of turbulence, per second
};

}
