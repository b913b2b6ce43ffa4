// Which layers and marks an edit names. Throw Misread (scene/fields.h).
#pragma once

#include "scene/fields.h"
#include "scene/scene.h"

#include <set>
#include <string>

namespace stage::edit {

/// By name, where only one has it, or by id. where: the member that names it.
std::int64_t layerNamed(const scene::Scene& scene, const scene::Json& who, const std::string& where);
/// The member 'layer'.
std::int64_t layerOf(const scene::Scene& scene, scene::Fields& fields);
/// The member 'layers', not empty; each once, in the order in which they are named.
std::vector<std::int64_t> layersOf(const scene::Scene& scene, scene::Fields& fields);

/// A JSON object that names a layer (member 'layer'), with its id instead.
scene::Json withId(const scene::Scene& scene, scene::Json json, const std::string& where);

/// Layers named, without those inside groups that are named too, in the order of the scene.
std::vector<scene::LayerPath> outermost(const scene::Scene& scene, const std::vector<std::int64_t>& ids);

/// Adds it above all others, with an id of its own.
void addLayer(scene::Scene& scene, scene::Layer layer);

/// Tracks of what the layer has no longer are taken off.
void dropTracksWithout(scene::Layer& layer);

/// Names of all layers, also of those in groups.
std::set<std::string> namesIn(const scene::Scene& scene);
/// The name, or with the next number that is free.
std::string freeName(const std::set<std::string>& taken, const std::string& name);

/// What it holds; its error is thrown as a Misread.
template <class T> T value(Result<T> result) {
    if (!result) throw scene::Misread{result.error().sentence};
    return std::move(*result);
}

}
