// Which layers and marks an edit names. Throw Misread (scene/fields.h).
#pragma once

#include "scene/fields.h"
#include "scene/scene.h"

namespace stage::edit {

/// By name, where only one has it, or by id. where: the member that names it.
std::int64_t layerNamed(const scene::Scene& scene, const scene::Json& who, const std::string& where);
/// The member 'layer'.
std::int64_t layerOf(const scene::Scene& scene, scene::Fields& fields);
/// The member 'layers', not empty.
std::vector<std::int64_t> layersOf(const scene::Scene& scene, scene::Fields& fields);

template <class T> T value(Result<T> result) {
    if (!result) throw scene::Misread{result.error().sentence};
    return std::move(*result);
}

}
