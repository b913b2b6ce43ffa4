// Changing the places of several layers at one time of the scene.
#pragma once

#include "edit/named.h"
#include "motion/measure.h"

#include <functional>

namespace stage::edit {

using motion::ResolvedScene;

/// The camera that an edit refers to: that of its member 'mark', or of the move at its member 'time', or the
/// first mark's.
struct Reference {
    Rational time;
    bool timed = false; ///< the edit names a time
    std::size_t mark = 0;
    bool marked = false;
    scene::Pose pose; ///< of the mark, where one is named or no time is; else of the move
};
Reference referenceOf(const scene::Scene& scene, scene::Fields& fields);

/// The layers named, without those that others of them carry.
std::vector<std::int64_t> leadersOf(const scene::Scene& scene, std::vector<std::int64_t> ids);

/// Gives layers the places that change(resolved, found) makes of those they have. Position and scale are
/// taken from it; the turn too unless the layer turns to the camera by itself.
void changePlaces(
    scene::Scene& scene, const std::vector<std::int64_t>& ids, const Reference& reference,
    const std::function<scene::Placement(const ResolvedScene&, const scene::LayerPath&)>& change);

/// Changes the keys of single properties of a layer's place, each by what becomes of its place at its time,
/// from and to: the key at the reference's time where there is one, else all.
void changeTracks(scene::Layer& layer, const Reference& reference,
                  const std::function<std::pair<scene::Placement, scene::Placement>(Rational)>& change);

/// Hangs a layer, with its keys, at the same places under other carriers; turn and scale are kept as they are
/// where the carriers differ by where they are alone. A sentence when it would be sheared, or when tracks
/// of its place would have to be turned or scaled.
std::string rehang(scene::Layer& layer, const optics::Affine& from, const optics::Affine& to);

}
