// Parts of the program that need libraries which take long to load. Each is a shared library of its own
// (src/*/plugins) that is loaded when something in it is first asked for, and stays. Thread-safe.
#pragma once

#include "scene/error.h"

#include <string>

namespace stage::media {

/// What the plugin exports under the name `stagePlugin`. It is looked for in the folder plugins beside the
/// program, then in ../lib/open-stage. Errors: it is not there, or a library that it needs is missing.
Result<const void*> loadedPlugin(const std::string& name);

/// The same as what it is known to be: a structure of functions.
template <class Functions> Result<const Functions*> pluginOf(const std::string& name) {
    const auto found = loadedPlugin(name);
    if (!found) return tl::unexpected(found.error());
    return static_cast<const Functions*>(*found);
}

}
