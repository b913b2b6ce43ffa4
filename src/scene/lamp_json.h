// Lamps, ambient light and shading as JSON. Readers throw Misread (fields.h); members that are not there keep
// the fallback.
#pragma once

#include "scene/fields.h"
#include "scene/scene.h"

namespace stage::scene {

Json toJson(const Lamp& lamp);
/// `kelvin` may stand in place of `colour`.
Lamp readLamp(Fields& fields, const Lamp& fallback);
Json toJson(const Ambient& ambient);
Ambient readAmbient(Fields& fields, const Ambient& fallback);
Json toJson(const Shading& shading);
Shading readShading(Fields& fields, const Shading& fallback);

}
