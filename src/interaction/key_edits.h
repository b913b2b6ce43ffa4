// Keys of tracks as they are chosen and changed, in the timeline and on the curves. Pure functions.
#pragma once

#include "edit/edit.h"
#include "scene/scene.h"

namespace stage::interaction {

/// A key, by where it is.
struct KeyRef {
    std::int64_t layer = 0; ///< 0: the camera
    std::string property;
    Rational time;
    bool operator==(const KeyRef&) const = default;
};
using KeyRefs = std::vector<KeyRef>;

/// The tracks of a layer, or (0) of the camera; none for a layer that is not there.
const std::vector<scene::Track>& tracksOf(const scene::Scene& scene, std::int64_t layer);
/// layer 0: the camera's. Null where there is none; valid as long as the scene is.
const scene::Track* trackOf(const scene::Scene& scene, std::int64_t layer, std::string_view property);
/// Null where there is none; valid as long as the scene is.
const scene::Key<double>* keyOf(const scene::Scene& scene, const KeyRef& ref);
/// All keys of a track.
KeyRefs keysOf(const scene::Scene& scene, std::int64_t layer, const std::string& property);
/// Whether it is among them.
bool contains(const KeyRefs& keys, const KeyRef& key);
/// Without those that are not there any more.
KeyRefs existingKeys(const scene::Scene& scene, KeyRefs keys);

/// What to write before a property: its unit, and the decimals to show.
struct PropertyFormat {
    std::string unit;
    int decimals = 2;
    double low = 0, high = 0; ///< what it is kept within
};
/// How values of a property are shown: of a layer, or (0) of the camera.
PropertyFormat propertyFormat(std::int64_t layer, std::string_view property);
/// The names of the properties that layers may have, or (0) of those of the camera.
std::vector<std::string> propertiesOf(std::int64_t layer);
/// Only those that this layer has.
std::vector<std::string> propertiesOf(const scene::Scene& scene, std::int64_t layer);

/// What is done with several keys: over the span of all of them, whatever they belong to.
struct KeyChange {
    Rational shift{0};
    double stretch = 1; ///< from the first of them
    bool reverse = false;
    edit::Edit more = edit::Edit::object(); ///< other members of `keys`
};
/// As one step of that name. keys: at least one.
edit::Edit changeOfKeys(const KeyRefs& keys, const KeyChange& how, const std::string& name);
/// Several edits as one, whatever some of them hold.
edit::Edit combined(const std::string& name, const std::vector<edit::Edit>& edits);
/// Where they are after a shift.
KeyRefs shiftedKeys(KeyRefs keys, Rational by);

/// Keys that were taken to be put elsewhere.
struct CopiedKeys {
    std::vector<std::pair<KeyRef, scene::Key<double>>> keys;
};
/// Those of them that are there.
CopiedKeys copyKeys(const scene::Scene& scene, const KeyRefs& keys);
/// The same keys from a time on, on other layers, or (none) on the camera. Where they come from one layer, or
/// the camera, all targets get them; what a target has no property for is left out. Nothing when nothing is
/// left.
std::optional<edit::Edit> pasteKeys(const CopiedKeys& taken, Rational at,
                                    const std::vector<std::int64_t>& targets);

}
