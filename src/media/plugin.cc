#include "media/plugin.h"

#include <dlfcn.h>
#include <filesystem>
#include <map>
#include <mutex>

namespace stage::media {

Result<const void*> loadedPlugin(const std::string& name) {
    static std::mutex lock;
    static std::map<std::string, const void*> loaded;
    std::lock_guard guard(lock);
    if (const auto found = loaded.find(name); found != loaded.end()) return found->second;
    std::string problem;
    // Not by $ORIGIN: a sanitizer loads libraries in the program's place, and would look beside itself.
    std::error_code code;
    const auto program = std::filesystem::read_symlink("/proc/self/exe", code).parent_path();
    for (const auto& folder : {program / "plugins", program / "../lib/open-stage"}) {
        void* library = ::dlopen((folder / (name + ".so")).c_str(), RTLD_NOW | RTLD_LOCAL);
        if (!library) {
            // The first tells what is wrong with a file that is there.
            const std::string said = ::dlerror();
            if (problem.empty() || said.find(std::string(name) + ".so: cannot open") == std::string::npos)
                problem = said;
            continue;
        }
        const void* functions = ::dlsym(library, "stagePlugin");
        if (functions) return loaded[name] = functions;
        problem = "it is damaged";
    }
    return fail("A part of the program, '" + name + "', cannot be loaded (" + problem +
                "). Install the program again.");
}

}
