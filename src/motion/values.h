// Properties at a time: keys, links and noise. Pure functions of the scene and the time, so that frames may
// be made in any order. Thread-safe.
#pragma once

#include "scene/scene.h"

#include <functional>
#include <optional>
#include <string_view>

namespace stage::motion {

/// What chance adds at a time in seconds, within the amount. Value noise on a lattice of `rate` points per
/// second, whose values are hashes of the seed and the point's number.
double noiseAt(const scene::Noise& noise, double seconds);

/// A track's keys at a time in seconds, before and after them as it says. keys: not empty.
double keysAt(const scene::Track& track, double seconds);

/// Where a layer is at a time by its keys of place, relative to what carries it; tracks are not looked at.
scene::Placement placeAt(const scene::Layer& layer, Rational time);

class CameraMove;

/// Refers to the scene, which must outlive it.
class Values {
public:
    /// posed: where the camera's marks have it, for what follows the camera; made here where none is given.
    explicit Values(const scene::Scene& scene, std::function<scene::Pose(double)> posed = {});

    /// A property with its track: of a layer, relative to what carries it, or (0) of the camera by its marks,
    /// before its aims. Nothing where there is none. Links in a circle end at the value without a track.
    std::optional<double> of(std::int64_t layer, std::string_view property, double seconds) const;

    /// The layer with plain values: no keys of place and no tracks remain. `showing` is not looked at.
    void resolve(scene::Layer& layer, Rational time) const;
    /// Its placement alone.
    scene::Placement placement(const scene::Layer& layer, Rational time) const;
    /// The scene's own values: of the whole picture. Its layers are not looked at.
    void resolvePicture(scene::Scene& scene, double seconds) const;
    /// A pose with the camera's tracks.
    scene::Pose tracked(scene::Pose pose, double seconds) const;

private:
    double of(const scene::Track& track, double untracked, double seconds, int depth) const;
    std::optional<double> of(std::int64_t layer, std::string_view property, double seconds, int depth) const;

    const scene::Scene& m_scene;
    std::function<scene::Pose(double)> m_posed;
};

/// What a track of the camera changes, at a time in seconds: of the pose on its move, or of the picture. 0
/// where there is no such property. move: of the scene.
double cameraValue(const scene::Scene& scene, const CameraMove& move, std::string_view property,
                   double seconds);

/// A sentence on links that name what is not there, or follow each other in a circle; empty when there are
/// none.
std::string whyNotLinked(const scene::Scene& scene);

/// How much of a layer shows at a time by its in and out and their fades, 0..1.
double shownAt(const scene::Showing& showing, Rational time);
/// How much of it shows at a distance from the lens, 0..1.
double shownFrom(const scene::Showing& showing, double metres);

}
