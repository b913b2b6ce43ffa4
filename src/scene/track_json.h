// Tracks, aims and showing times as JSON. Readers throw Misread (fields.h).
#pragma once

#include "scene/fields.h"
#include "scene/scene_json.h"

namespace stage::scene {

enum class Of { Camera, Layer };

Json toJson(const Noise& noise);
Json toJson(const Link& link);
Json toJson(const Track& track);
Json toJson(const std::vector<Track>& tracks);
Noise readNoise(const Json& json, const std::string& where);
Link readLink(const Json& json, const std::string& where);
std::vector<Key<double>> readNumberKeys(const Json& list, const std::string& where);
/// The member tracks: no two of one property, each of one that the camera or a layer has.
std::vector<Track> readTracks(Fields& fields, Of of);

/// "pose", "path", {"point": [x, y, z]} or {"layer": id}.
Json toJson(const Aim& aim);
Aim readAim(const Json& json, const std::string& where);

/// The member showing; what it does not name stays.
Json toJson(const Showing& showing);
Showing readShowing(const Json& json, const std::string& where, const Showing& fallback);

}
