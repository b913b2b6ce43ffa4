// Cut-outs and footage time as JSON. Readers throw Misread (fields.h); thread-safe.
#pragma once

#include "scene/fields.h"
#include "scene/scene.h"

namespace stage::scene {

Json toJson(const Matte& matte);
Json toJson(const Cutout& cutout);
Json toJson(const Stroke& stroke);
/// What a `footage` edit and a layer of footage share: in, out, speed ... (not the media).
Json timeToJson(const Footage& footage);

Matte readMatte(const Json& json, const std::string& where);
/// A list of them.
std::vector<Matte> readMattes(Fields& fields, const char* key);
CutoutPtr readCutout(const Json& json, const std::string& where);
void readTime(Fields& fields, Footage& footage);
Card readCard(Fields& fields, const Card& fallback);
Json toJson(const Card& card);
Json stopsToJson(const std::vector<ColourStop>& stops);
/// At least one, in order.
std::vector<ColourStop> readStops(Fields& fields, const char* key);

/// What a keyed value (as scenes write it) becomes when it is set at a time: without keys simply the value;
/// with keys, the key there is changed or one is added.
Json withValueAt(const Json& keyed, Rational time, const Json& value);

}
