// From a scene to files. Thread-safe; two writers of one path are not, but for one that renders frames only.
#pragma once

#include "media/pixel_cache.h"
#include "output/format.h"
#include "output/loop.h"
#include "render/render.h"
#include "scene/error.h"
#include "scene/progress.h"
#include "scene/scene.h"

#include <filesystem>
#include <optional>

namespace stage::output {

/// The flat picture left of an upright line, the staged one right of it.
struct Wipe {
    double from = 1, to = 0; ///< where the line is in the first and the last frame, in widths of the frame
    scene::ScenePtr against; ///< what is flat; null: the layers as motion::evaluateFlat has them
};

struct Job {
    std::filesystem::path path; ///< for more than one picture, #### stands for the frame number
    Format format = Format::H264;
    V2i size;                         ///< pixels
    std::int64_t first = 0, last = 0; ///< frames, both included
    render::Quality quality{
        .method = render::Method::Final, .samples = render::usualSamples, .noise = render::usualNoise};
    std::optional<Wipe> wipe = {};
    Encoding encoding = {};
    Loop loop = {};
    /// Frames of a movie are rendered and kept, and no movie is made: another run finds them there.
    bool framesOnly = false;
    /// Where it is stopped, frames are kept for the next run as if it had failed.
    bool keepWhenStopped = false;
};

/// The whole scene at its own size.
Job wholeScene(const scene::Scene& scene, std::filesystem::path path, Format format);

/// A path with a size variant's name in the file's: move.mp4, move-upright.mp4; frame.####.png,
/// frame-upright.####.png.
std::filesystem::path pathInVariant(const std::filesystem::path& path, const std::string& name);
/// The same job of a variant of a scene: by its path, and as much larger or smaller than its frame as the job
/// is than the scene's. It is of scene::inVariant(scene, variant).
Job jobInVariant(const scene::Scene& scene, Job job, const scene::Variant& variant);

/// What is wrong with it, a sentence; empty: nothing.
std::string complaintAbout(const scene::Scene& scene, const Job& job);

/// What is worth knowing of the file's size: that a column or a row is added. Empty: nothing.
std::string sizeNote(const Job& job);

/// Roughly what the disk needs: for the file, and for what is kept until it is whole.
struct Space {
    std::int64_t file = 0, meanwhile = 0; ///< bytes
    std::int64_t free = 0;                ///< on the disk, bytes; below 0: not known
};
Space spaceFor(const scene::Scene& scene, const Job& job);

/// Renders and writes. A transparent background is kept by formats that can. Frames that an interrupted run
/// of the same job has left are not rendered again. Errors: the job makes no sense, media is missing, the
/// place cannot be written, the disk is full, stopped. What is whole stays, and frames of a movie are kept
/// for the next run; where it was stopped, nothing half remains.
Result<void> write(const scene::Scene& scene, const Job& job, media::PixelCache& sources,
                   const Progress& progress = {});

/// Frames that runs of a job have left are not wanted any more.
void dropKeptFrames(const Job& job);

}
