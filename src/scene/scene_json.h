// Scenes as JSON (docs/scene.schema.json). Members of a file that this version does not know survive
// reading and writing. All functions are thread-safe.
#pragma once

#include "scene/error.h"
#include "scene/fields.h"
#include "scene/scene.h"

#include <string_view>

namespace stage::scene {

inline constexpr int formatVersion = 1;

Json toJson(const Scene& scene);
Json toJson(const Layer& layer);
Json toJson(const Pose& pose);
Json toJson(const Text& text);
Json toJson(const Colour& colour);
Json toJson(const V3d& vector);
Json toJson(const Pace& pace);

/// A valid scene or a sentence that names the member at fault. Media paths are taken as they stand.
Result<Scene> sceneFromJson(const Json& json);

/// The scene as it will be once it has been written and read again, or the sentence that reading would give:
/// so whatever is accepted can be opened. known: a scene of which that is sure; layers shared with it are not
/// looked at.
Result<Scene> asReadAgain(Scene scene, const Scene& known);

/// JSON from text, with nesting and size limited; the error tells line and column.
Result<Json> parseJson(std::string_view text);

// For readers inside the program; they throw Misread (fields.h).
LayerPtr readLayer(const Json& json, const std::string& where, int depth, std::size_t& count);
Pose readPose(Fields& fields, const Pose& fallback);
Iris readIris(Fields& fields, const Iris& fallback); ///< of the member iris
V2d readShift(Fields& fields, const V2d& fallback);  ///< of the lens, mm, of the member shift
Haze readHaze(Fields& fields, const Haze& fallback);
CheckLimits readLimits(Fields& fields, const CheckLimits& fallback);
Standing readStanding(Fields& fields); ///< its foot
Pace readPace(Fields& fields, const char* key, const Pace& fallback);
Text readText(Fields& fields, const Text& fallback);

}
