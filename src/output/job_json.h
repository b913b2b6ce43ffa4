// Jobs as JSON, for queues and presets.
#pragma once

#include "output/write.h"

namespace stage::output {

/// Without what a wipe is against.
scene::Json toJson(const Job& job);
/// Errors name the member at fault.
Result<Job> jobFromJson(const scene::Json& json);

/// How files of a format are made, under a name that says what for.
struct Preset {
    std::string name;
    Format format = Format::H264;
    Encoding encoding;
    render::Quality quality;
};
/// Those that come with the program.
const std::vector<Preset>& usualPresets();

/// Presets of one's own in a file, by name; none where there is no file. Errors: it cannot be read.
Result<std::vector<Preset>> loadPresets(const std::filesystem::path& file);
/// Errors: it cannot be written.
Result<void> savePresets(const std::filesystem::path& file, const std::vector<Preset>& presets);

}
