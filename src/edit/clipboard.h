// Layers on their way through a clipboard, as text that stands for itself. Thread-safe.
#pragma once

#include "edit/edit.h"

namespace stage::edit {

/// The layers (of several in one group only the outermost) as they hang in the world at the first mark, with
/// what is in them: a JSON text. What carries one of them and is not among them stays behind. Errors: a layer
/// that cannot be taken out of its group.
Result<std::string> copied(const scene::Scene& scene, const std::vector<std::int64_t>& layers);

/// The edit that puts copied layers on top of a scene, under names that are free there. `same`: it is the
/// scene they come from, so what they say of layers that stayed behind still holds; else it is dropped.
/// Errors: a text that is not one of copied().
Result<Edit> pasted(const scene::Scene& scene, std::string_view text, bool same);

}
