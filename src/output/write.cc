#include "output/write.h"

#include "motion/flat.h"
#include "output/frame_sink.h"
#include "render/render.h"
#include "scene/file.h"
#include "scene/timing.h"

#include <algorithm>
#include <cmath>
#include <condition_variable>
#include <mutex>
#include <optional>
#include <thread>

namespace stage::output {

std::optional<Format> formatOf(const std::filesystem::path& path) {
    std::string suffix = path.extension().string();
    std::transform(suffix.begin(), suffix.end(), suffix.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (suffix == ".png") return Format::Png;
    if (suffix == ".mp4" || suffix == ".mov" || suffix == ".m4v") return Format::H264;
    if (suffix == ".mkv") return Format::Ffv1;
    return std::nullopt;
}

Job wholeScene(const scene::Scene& scene, std::filesystem::path path, Format format) {
    return {std::move(path), format, scene.output.frame, 0, scene.output.frames - 1};
}

namespace {

/// Writes pictures on a thread of its own, so that the next is rendered meanwhile. One waits while one is
/// written.
class WritingThread {
public:
    explicit WritingThread(FrameSink& sink)
        : m_sink(sink), m_thread([this](const std::stop_token& stop) { work(stop); }) {}

    /// Waits until there is room; false where one before could not be written.
    bool put(render::Image picture) {
        std::unique_lock lock(m_lock);
        const Timed timed(Stage::Wait);
        m_changed.wait(lock, [&] { return !m_waiting || !m_result; });
        if (!m_result) return false;
        m_waiting = std::move(picture);
        m_changed.notify_all();
        return true;
    }
    /// Pictures that are written.
    std::int64_t count() const {
        const std::lock_guard lock(m_lock);
        return m_count;
    }
    /// Waits until all are written.
    Result<void> finish() {
        std::unique_lock lock(m_lock);
        const Timed timed(Stage::Wait);
        m_changed.wait(lock, [&] { return (!m_waiting && !m_writing) || !m_result; });
        return m_result;
    }

private:
    void work(const std::stop_token& stop) {
        std::unique_lock lock(m_lock);
        while (m_changed.wait(lock, stop, [&] { return m_waiting.has_value(); }) && m_result &&
               !stop.stop_requested()) {
            const render::Image picture = std::move(*m_waiting);
            m_waiting.reset();
            m_writing = true;
            m_changed.notify_all();
            lock.unlock();
            auto added = guarded([&] {
                const Timed timed(Stage::Encode);
                return m_sink.add(picture);
            });
            lock.lock();
            m_writing = false;
            ++m_count;
            m_result = std::move(added);
            m_changed.notify_all();
        }
    }

    FrameSink& m_sink;
    mutable std::mutex m_lock;
    std::condition_variable_any m_changed;
    std::optional<render::Image> m_waiting;
    bool m_writing = false;
    std::int64_t m_count = 0;
    Result<void> m_result;
    std::jthread m_thread; ///< last: ends before what it uses
};

/// The picture of a frame of the job.
Result<render::Image> pictureOf(const scene::Scene& scene, const Job& job, std::int64_t i,
                                media::PixelCache& sources, const Progress& progress) {
    const Rational time = timeOfFrame(i, scene.output.rate);
    const motion::Frame frame =
        motion::evaluate(scene, time, job.size, job.quality.method != render::Method::Pinhole);
    auto staged = render::render(frame, job.quality, sources, progress);
    if (!staged || !job.wipe) return staged;
    const Wipe& wipe = *job.wipe;
    const double along = job.last > job.first
                             ? static_cast<double>(i - job.first) / static_cast<double>(job.last - job.first)
                             : 0;
    const double at = std::clamp(wipe.from + (wipe.to - wipe.from) * along, 0.0, 1.0);
    render::Quality pinhole = job.quality;
    pinhole.method = render::Method::Pinhole;
    const motion::Frame flatFrame = wipe.against ? motion::evaluate(*wipe.against, time, job.size)
                                                 : motion::evaluateFlat(scene, time, job.size);
    const auto flat = render::render(flatFrame, pinhole, sources, progress);
    if (!flat) return flat;
    const int line = static_cast<int>(std::lround(at * job.size.x)), half = std::max(1, job.size.x / 960);
    for (int y = 0; y < job.size.y; ++y) {
        std::copy_n(flat->row(y), static_cast<std::size_t>(line) * 4, staged->row(y));
        if (line == 0 || line == job.size.x) continue;
        for (int x = std::max(0, line - half); x < std::min(job.size.x, line + half); ++x)
            std::fill_n(staged->row(y) + 4 * x, 4, 1.f);
    }
    return staged;
}

Result<void> written(const scene::Scene& scene, const Job& job, media::PixelCache& sources,
                     const Progress& progress) {
    if (job.path.empty()) return fail("The name of the file to write is empty.");
    if (job.size.x < 1 || job.size.y < 1 || job.size.x > scene::Limits::frameSide ||
        job.size.y > scene::Limits::frameSide)
        return fail("The size " + std::to_string(job.size.x) + " x " + std::to_string(job.size.y) +
                    " is not usable.");
    if (job.first < 0 || job.last < job.first || job.last >= scene.output.frames)
        return fail("Frames " + std::to_string(job.first) + "-" + std::to_string(job.last) +
                    " are not within 0-" + std::to_string(scene.output.frames - 1) + ".");
    const bool numbered = job.path.filename().string().find('#') != std::string::npos;
    if (job.format == Format::Png && job.last > job.first && !numbered)
        return fail("Several PNG files need #### in their name, for the frame number: " +
                    job.path.stem().string() + ".####.png");

    const SinkSpec spec{scene::behindLinks(job.path), job.size, scene.output.rate,
                        scene.output.background.a < 1};
    auto sink = job.format == Format::Png    ? openPngs(spec, job.first)
                : job.format == Format::H264 ? openH264(spec)
                                             : openFfv1(spec);
    if (!sink) return tl::unexpected(sink.error());
    const auto count = static_cast<double>(job.last - job.first + 1);
    WritingThread writing(**sink);
    for (std::int64_t i = job.first; i <= job.last; ++i) {
        auto picture = pictureOf(scene, job, i, sources, {{}, progress.stop});
        if (!picture) return tl::unexpected(picture.error());
        if (!writing.put(std::move(*picture))) break;
        progress.done(static_cast<double>(writing.count()) / count);
    }
    if (auto added = writing.finish(); !added) return added;
    if (progress.stopped()) return cancelled();
    progress.done(1);
    return (*sink)->finish();
}

}

Result<void> write(const scene::Scene& scene, const Job& job, media::PixelCache& sources,
                   const Progress& progress) {
    return guarded([&] { return written(scene, job, sources, progress); });
}

}
