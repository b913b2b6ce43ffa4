// Numbers in the keys of pixel sources, to the bit.
#pragma once

#include "scene/geometry.h"

#include <string>

namespace stage::media {

inline void add(std::string& key, double v) {
    key.push_back(' ');
    key.append(reinterpret_cast<const char*>(&v), sizeof v);
}
inline void add(std::string& key, const V2d& v) {
    add(key, v.x), add(key, v.y);
}
inline void add(std::string& key, const V3d& v) {
    add(key, v.x), add(key, v.y), add(key, v.z);
}

}
