// From a scene to files. Thread-safe; two writers of one path are not.
#pragma once

#include "media/pixel_cache.h"
#include "render/render.h"
#include "scene/error.h"
#include "scene/progress.h"
#include "scene/scene.h"

#include <filesystem>
#include <optional>
#include <string_view>

namespace stage::output {

enum class Format { Png, H264, Ffv1 };
/// By suffix: .png; .mp4, .mov, .m4v; .mkv. Nothing for another.
std::optional<Format> formatOf(const std::filesystem::path& path);

/// The flat picture left of an upright line, the staged one right of it.
struct Wipe {
    double from = 1, to = 0; ///< where the line is in the first and the last frame, in widths of the frame
    scene::ScenePtr against; ///< what is flat; null: the layers as motion::evaluateFlat has them
};

struct Job {
    std::filesystem::path path; ///< for more than one PNG, #### stands for the frame number
    Format format = Format::H264;
    V2i size;                         ///< pixels
    std::int64_t first = 0, last = 0; ///< frames, both included
    render::Quality quality{
        .method = render::Method::Final, .samples = render::usualSamples, .noise = render::usualNoise};
    std::optional<Wipe> wipe = {};
};

/// The whole scene at its own size.
Job wholeScene(const scene::Scene& scene, std::filesystem::path path, Format format);

/// Renders and writes. A transparent background is kept by PNG and FFV1. Errors: the job makes no sense,
/// media is missing, the place cannot be written, the disk is full, stopped. What is whole stays, nothing
/// half remains.
Result<void> write(const scene::Scene& scene, const Job& job, media::PixelCache& sources,
                   const Progress& progress = {});

}
