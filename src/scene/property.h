// What can change over time by a track of its own: named numbers of layers and of the camera.
#pragma once

#include "scene/scene.h"

#include <span>
#include <string_view>

namespace stage::scene {

/// A number of a thing (a Layer, or the camera's Pose) under the name that files, edits and the desk use.
template <class Thing> struct Property {
    std::string_view name;
    std::string_view unit; ///< "m", "°", "mm", or "" for a plain number
    double low, high;      ///< bounds that a value is kept within
    double (*get)(const Thing&);
    void (*set)(Thing&, double); ///< a value within the bounds; nothing happens where a thing has none
    bool (*has)(const Thing&) = nullptr; ///< whether a thing has it; null: all have
};

/// In the order in which the desk offers them.
std::span<const Property<Layer>> layerProperties();
/// All that a track of the camera may change of its pose.
std::span<const Property<Pose>> cameraProperties();
/// What else a track of the camera may change: of the whole picture.
std::span<const Property<Scene>> pictureProperties();

/// Null where there is none of that name.
const Property<Layer>* layerProperty(std::string_view name);
/// Null where there is none of that name.
const Property<Pose>* cameraProperty(std::string_view name);
/// Null where there is none of that name.
const Property<Scene>* pictureProperty(std::string_view name);
/// Whether a track of the camera may change what has that name.
bool ofCamera(std::string_view name);

}
