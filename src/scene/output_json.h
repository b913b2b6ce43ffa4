// What a scene is written as, as JSON. Readers throw Misread (fields.h).
#pragma once

#include "scene/fields.h"
#include "scene/scene.h"

#include <array>
#include <string_view>

namespace stage::scene {

inline constexpr std::array<std::string_view, 2> blendingNames = {"light", "paint"};
inline constexpr std::array<std::string_view, 3> keepNames = {"width", "height", "shorter"};

Json toJson(const Output& output);
Output readOutput(const Json& json, const std::string& where);
/// Pixels, of the member frame.
V2i readFrame(Fields& fields);
Json toJson(const std::vector<Guide>& guides);
std::vector<Guide> readGuides(Fields& fields);
Json toJson(const std::vector<Variant>& variants);
std::vector<Variant> readVariants(Fields& fields);

}
