#include "output/write.h"

#include "media/parallel.h"
#include "motion/flat.h"
#include "output/identity.h"
#include "output/kept_frames.h"
#include "output/layers.h"
#include "output/sink.h"
#include "render/render.h"
#include "scene/file.h"
#include "scene/timing.h"

#include <algorithm>
#include <cmath>
#include <condition_variable>
#include <future>
#include <map>
#include <mutex>
#include <optional>
#include <set>
#include <sys/statvfs.h>
#include <thread>

namespace stage::output {
namespace fs = std::filesystem;

Job wholeScene(const scene::Scene& scene, fs::path path, Format format) {
    return {std::move(path), format, scene.output.frame, 0, scene.output.frames - 1};
}

namespace {

/// A part has all its frames, whatever the movie shows of them.
Result<std::vector<Shown>> shownBy(const Job& job) {
    return shownFrames(job.first, job.last, job.framesOnly ? Loop() : job.loop);
}

}

fs::path pathInVariant(const fs::path& path, const std::string& name) {
    std::string stem = path.stem().string();
    const std::size_t number = stem.find('#'); // with what stands between it and the name
    std::size_t at = number == std::string::npos ? stem.size() : number;
    while (number != std::string::npos && at > 0 &&
           (stem[at - 1] == '.' || stem[at - 1] == '-' || stem[at - 1] == '_'))
        --at;
    stem.insert(at, (at > 0 ? "-" : "") + name);
    return path.parent_path() / (stem + path.extension().string());
}

Job jobInVariant(const scene::Scene& scene, Job job, const scene::Variant& variant) {
    const double scale = static_cast<double>(job.size.x) / scene.output.frame.x;
    job.path = pathInVariant(job.path, variant.name);
    job.size = {std::max(1, static_cast<int>(std::lround(variant.frame.x * scale))),
                std::max(1, static_cast<int>(std::lround(variant.frame.y * scale)))};
    return job;
}

std::string complaintAbout(const scene::Scene& scene, const Job& job) {
    if (job.path.empty()) return "The name of the file to write is empty.";
    if (job.size.x < 1 || job.size.y < 1 || job.size.x > scene::Limits::frameSide ||
        job.size.y > scene::Limits::frameSide)
        return "The size " + std::to_string(job.size.x) + " x " + std::to_string(job.size.y) +
               " is not usable.";
    if (job.first < 0 || job.last < job.first || job.last >= scene.output.frames)
        return "Frames " + std::to_string(job.first) + "-" + std::to_string(job.last) + " are not within 0-" +
               std::to_string(scene.output.frames - 1) + ".";
    const FormatInfo& info = infoOf(job.format);
    const bool numberedName = job.path.filename().string().find('#') != std::string::npos;
    if (!info.movie && job.last > job.first && !numberedName)
        return "Several " + std::string(info.title.substr(0, info.title.find(' '))) +
               " files need #### in their name, for the frame number: " + job.path.stem().string() + ".####" +
               job.path.extension().string();
    if (job.framesOnly && !info.movie) return "Only of movies frames can be rendered for later.";
    bool own = false;
    std::error_code code;
    const fs::path target = fs::absolute(job.path, code).lexically_normal();
    scene::withMediaPaths(scene, [&](const std::string& path) {
        own = own || target == path;
        return path;
    });
    if (own) return job.path.string() + " is a file that the scene itself shows; choose another name.";
    if (info.layered && (job.wipe || job.loop.kind != Loop::Kind::None))
        return "Frames whose layers stay apart have no loop and no wipe.";
    // Where its line is depends on the whole range.
    if (job.framesOnly && job.wipe) return "A wipe cannot be rendered in parts.";
    if (const auto shown = shownBy(job); !shown) return shown.error().sentence;
    return complaintAbout(job.format, job.encoding);
}

std::string sizeNote(const Job& job) {
    const V2i file = sizeInFile(job.format, job.size);
    if (file == job.size) return {};
    const char* what = file.x > job.size.x && file.y > job.size.y ? "The last column and row are"
                       : file.x > job.size.x                      ? "The last column is"
                                                                  : "The last row is";
    return std::string(what) + " repeated: the file has " + std::to_string(file.x) + " x " +
           std::to_string(file.y) + " px, as its format takes even sizes only.";
}

namespace {

double layersOf(const scene::Scene& scene) {
    double count = 1;
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) { count += layer->visible; });
    return count;
}

}

Space spaceFor(const scene::Scene& scene, const Job& job) {
    const auto count = static_cast<double>(job.last - job.first + 1),
               pixels = static_cast<double>(job.size.x) * job.size.y;
    const FormatInfo& info = infoOf(job.format);
    const int channels = alphaOf(scene, job) ? 4 : 3, bytes = pixelBits(job.format, job.encoding) / 8;
    // What staged pictures pack to losslessly, of all that they are.
    const double lossless = pixels * channels * bytes * 0.5;
    Space space;
    const double one = job.encoding.megabytes               ? *job.encoding.megabytes * 1e6 / count
                       : job.format == Format::Ffv1         ? lossless * 0.7
                       : job.format == Format::Intermediate ? pixels * 1.2
                       : job.format == Format::Gif          ? pixels * 0.6
                       : job.format == Format::Jpeg         ? pixels * 0.4
                       : info.movie                         ? pixels * 0.1
                       : info.layered                       ? pixels * 2 * layersOf(scene)
                       : job.format == Format::Exr
                           ? pixels * channels * bitsOf(job.format, job.encoding) / 8 * 0.6
                           : lossless;
    space.file = job.framesOnly ? 0 : static_cast<std::int64_t>(one * count);
    space.meanwhile = info.movie ? static_cast<std::int64_t>(lossless * count) : 0;
    struct statvfs disk {};
    std::error_code code;
    const fs::path folder = fs::absolute(job.path, code).parent_path();
    space.free = !code && ::statvfs(folder.c_str(), &disk) == 0
                     ? static_cast<std::int64_t>(disk.f_bavail) * static_cast<std::int64_t>(disk.f_frsize)
                     : -1;
    return space;
}

namespace {

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

/// Where a frame's pixels come from.
struct Source {
    std::int64_t frame = -1;
    std::optional<render::Image> rendered; ///< now
    std::optional<Pixels> kept;            ///< by an earlier run; neither: by this one
};
/// A frame of the movie on its way.
struct Piece {
    std::int64_t number = 0; ///< of the file, of pictures
    Shown shown;
    Source one, over;
};

/// All that is done with pictures after they are rendered.
class Finishing {
public:
    Finishing(const scene::Scene& scene, const Job& job, const std::vector<Shown>& shown)
        : m_job(job), m_alpha(alphaOf(scene, job)), m_bits(pixelBits(job.format, job.encoding)) {
        std::set<std::int64_t> met;
        for (const Shown& each : shown) {
            if (!met.insert(each.frame).second || each.over >= 0) m_wantedAgain.insert(each.frame);
            if (each.over >= 0) m_wantedAgain.insert(each.over);
        }
        m_spec = {scene::behindLinks(job.path),
                  job.format,
                  job.encoding,
                  job.size,
                  scene.output.rate,
                  m_alpha,
                  static_cast<std::int64_t>(shown.size())};
    }

    Result<void> open(const scene::Scene& scene) {
        if (!m_job.framesOnly) {
            auto sink = openSink(m_spec);
            if (!sink) return tl::unexpected(sink.error());
            m_sink = std::move(*sink);
        }
        if (!infoOf(m_job.format).movie && m_job.last == m_job.first) return {};
        auto kept = KeptFrames::open(keptFramesOf(m_spec.path), identityOf(scene, m_job), m_bits, m_alpha);
        if (!kept) return tl::unexpected(kept.error());
        m_kept = std::move(*kept);
        return {};
    }
    /// Whether nothing is left to do, because an earlier run of this job has done it.
    bool done(std::int64_t number, const Shown& shown) const {
        if (!m_kept) return false;
        if (m_job.framesOnly) return has(shown.frame) && (shown.over < 0 || has(shown.over));
        return !infoOf(m_job.format).movie && m_kept->marked(number) &&
               fs::exists(numbered(m_spec.path, number));
    }
    bool has(std::int64_t frame) const { return m_kept && m_kept->has(frame); }
    std::optional<Pixels> read(std::int64_t frame) const {
        return m_kept ? m_kept->read(frame, m_job.size) : std::nullopt;
    }

    Result<void> add(Piece& piece) {
        auto pixels = pixelsFrom(piece.one);
        if (!pixels) return tl::unexpected(pixels.error());
        if (piece.shown.over >= 0) {
            auto over = pixelsFrom(piece.over);
            if (!over) return tl::unexpected(over.error());
            *pixels = mixed(*pixels, *over, piece.shown.share);
        }
        if (!m_sink) return {};
        if (auto added = m_sink->add(piece.number, *pixels); !added) return added;
        return m_kept && !infoOf(m_job.format).movie ? m_kept->mark(piece.number) : Result<void>();
    }
    int passes() const { return m_sink ? m_sink->passes() : 1; }
    /// Whether all frames are wanted once more; else all is written, and what is kept goes.
    Result<bool> endPass() {
        if (!m_sink) return false;
        auto again = m_sink->endPass();
        if (again && !*again) drop();
        return again;
    }
    /// What is kept is not wanted any more.
    void drop() const {
        if (m_kept) m_kept->remove();
    }
    void dropEmpty() const {
        if (m_kept) m_kept->removeEmpty();
    }

private:
    Result<Pixels> pixelsFrom(Source& source) {
        if (source.kept) return std::move(*source.kept);
        if (!source.rendered) {
            if (auto kept = read(source.frame)) return std::move(*kept);
            return fail("A frame that was kept in " + keptFramesOf(m_spec.path).string() +
                        " was removed meanwhile.");
        }
        Pixels pixels = pixelsOf(*source.rendered, m_bits, !m_alpha);
        source.rendered.reset();
        if (m_kept && (infoOf(m_job.format).movie || m_wantedAgain.contains(source.frame)))
            if (auto ok = m_kept->keep(source.frame, pixels); !ok) return tl::unexpected(ok.error());
        return pixels;
    }

    const Job& m_job;
    bool m_alpha;
    int m_bits;
    SinkSpec m_spec;
    SinkPtr m_sink;
    std::optional<KeptFrames> m_kept;
    std::set<std::int64_t> m_wantedAgain; ///< frames that are shown more than once, or mixed
};

/// Finishes pictures on a thread of its own, so that the next is rendered meanwhile. One waits while one is
/// finished.
class FinishingThread {
public:
    explicit FinishingThread(Finishing& finishing)
        : m_finishing(finishing), m_thread([this](const std::stop_token& stop) { work(stop); }) {}

    /// Waits until there is room; false where one before could not be written.
    bool put(Piece piece) {
        std::unique_lock lock(m_lock);
        const Timed timed(Stage::Wait);
        m_changed.wait(lock, [&] { return !m_waiting || !m_result; });
        if (!m_result) return false;
        m_waiting = std::move(piece);
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
            Piece piece = std::move(*m_waiting);
            m_waiting.reset();
            m_writing = true;
            m_changed.notify_all();
            lock.unlock();
            auto added = guarded([&] {
                const Timed timed(Stage::Encode);
                return m_finishing.add(piece);
            });
            lock.lock();
            m_writing = false;
            ++m_count;
            m_result = std::move(added);
            m_changed.notify_all();
        }
    }

    Finishing& m_finishing;
    mutable std::mutex m_lock;
    std::condition_variable_any m_changed;
    std::optional<Piece> m_waiting;
    bool m_writing = false;
    std::int64_t m_count = 0;
    Result<void> m_result;
    std::jthread m_thread; ///< last: ends before what it uses
};

/// All frames, rendered where they are not there yet.
Result<void> firstPass(const scene::Scene& scene, const Job& job, const std::vector<Shown>& shown,
                       Finishing& finishing, media::PixelCache& sources, const Progress& progress) {
    std::set<std::int64_t> kept; // on their way to be kept
    // Two frames at once where they are small: what one does by itself fills the time in which the other's
    // work cannot be shared out.
    constexpr int largest = 2'500'000; // px
    const bool two = media::cores() > 1 && job.size.x * job.size.y <= largest;
    std::map<std::int64_t, std::future<Result<render::Image>>> begun;
    const auto begin = [&](std::int64_t frame) {
        if (!begun.contains(frame))
            begun[frame] = std::async(std::launch::async, [&, frame] {
                return guarded([&] { return pictureOf(scene, job, frame, sources, {{}, progress.stop}); });
            });
    };
    const auto beginNext = [&](std::size_t i) {
        for (; two && i < shown.size(); ++i)
            for (const std::int64_t frame : {shown[i].frame, shown[i].over})
                if (frame >= 0 && !kept.contains(frame) && !finishing.has(frame) &&
                    !finishing.done(job.first + static_cast<std::int64_t>(i), shown[i]))
                    return begin(frame);
    };
    const auto sourceOf = [&](std::int64_t frame, std::size_t next) -> Result<Source> {
        Source source{frame, {}, {}};
        if (kept.contains(frame)) return source;
        if (finishing.has(frame) && (source.kept = finishing.read(frame))) return source;
        begin(frame);
        kept.insert(frame);
        beginNext(next);
        auto picture = begun[frame].get();
        begun.erase(frame);
        if (!picture) return tl::unexpected(picture.error());
        source.rendered = std::move(*picture);
        return source;
    };
    const double count = static_cast<double>(shown.size()) *
                         (1 + 0.05 * (finishing.passes() - 1)); // later passes take little of the time
    FinishingThread thread(finishing);
    std::int64_t before = 0;
    for (std::size_t i = 0; i < shown.size(); ++i) {
        if (progress.stopped()) return cancelled();
        Piece piece{job.first + static_cast<std::int64_t>(i), shown[i], {}, {}};
        if (finishing.done(piece.number, piece.shown)) {
            ++before;
            continue;
        }
        auto one = sourceOf(piece.shown.frame, i);
        if (!one) return tl::unexpected(one.error());
        piece.one = std::move(*one);
        if (piece.shown.over >= 0) {
            auto over = sourceOf(piece.shown.over, i + 1);
            if (!over) return tl::unexpected(over.error());
            piece.over = std::move(*over);
        }
        if (!thread.put(std::move(piece))) break;
        progress.done(static_cast<double>(before + thread.count()) / count);
    }
    if (auto added = thread.finish(); !added) return added;
    return progress.stopped() ? Result<void>(cancelled()) : Result<void>();
}

Result<void> writtenInLayers(const scene::Scene& scene, const Job& job, media::PixelCache& sources,
                             const Progress& progress) {
    const fs::path path = scene::behindLinks(job.path);
    std::error_code code;
    fs::create_directories(fs::absolute(path).parent_path(), code);
    if (code) return tl::unexpected(cannotWrite(path, code.value()));
    std::optional<KeptFrames> kept; // which frames an earlier run has written
    if (job.last > job.first) {
        auto opened = KeptFrames::open(keptFramesOf(path), identityOf(scene, job), 8, false);
        if (!opened) return tl::unexpected(opened.error());
        kept = std::move(*opened);
    }
    const double count = static_cast<double>(job.last - job.first + 1);
    for (std::int64_t frame = job.first; frame <= job.last; ++frame) {
        if (progress.stopped()) return cancelled();
        const fs::path file = numbered(path, frame);
        const double before = static_cast<double>(frame - job.first);
        if (kept && kept->marked(frame) && fs::exists(file, code)) continue;
        auto ok =
            writeLayers(scene, job, frame, file, sources,
                        {[&](double share) { progress.done((before + share) / count); }, progress.stop});
        if (!ok && ok.error().cancelled && kept && !job.keepWhenStopped) kept->remove();
        if (!ok) return ok;
        if (kept)
            if (auto marked = kept->mark(frame); !marked) return marked;
    }
    if (kept) kept->remove();
    progress.done(1);
    return {};
}

Result<void> written(const scene::Scene& scene, const Job& job, media::PixelCache& sources,
                     const Progress& progress) {
    if (const std::string complaint = complaintAbout(scene, job); !complaint.empty()) return fail(complaint);
    if (infoOf(job.format).layered) return writtenInLayers(scene, job, sources, progress);
    const auto shown = shownBy(job);
    if (!shown) return tl::unexpected(shown.error());
    Finishing finishing(scene, job, *shown);
    const auto all = [&]() -> Result<void> {
        if (auto ok = finishing.open(scene); !ok) return ok;
        if (auto ok = firstPass(scene, job, *shown, finishing, sources, progress); !ok) return ok;
        for (;;) {
            const auto again = finishing.endPass();
            if (!again) return tl::unexpected(again.error());
            if (!*again) break;
            for (const Shown& each : *shown) {
                if (progress.stopped()) return cancelled();
                Piece piece{0, each, {each.frame, {}, {}}, {each.over, {}, {}}};
                if (auto ok = finishing.add(piece); !ok) return ok;
            }
        }
        progress.done(1);
        return {};
    };
    auto done = all();
    if (!done && done.error().cancelled && !job.keepWhenStopped)
        finishing.drop();
    else if (!done)
        finishing.dropEmpty();
    return done;
}

}

Result<void> write(const scene::Scene& scene, const Job& job, media::PixelCache& sources,
                   const Progress& progress) {
    return guarded([&] { return written(scene, job, sources, progress); });
}

void dropKeptFrames(const Job& job) {
    const fs::path path = scene::behindLinks(job.path);
    KeptFrames::drop(keptFramesOf(path));
    // What a run that was killed has left of the file itself.
    std::error_code code;
    if (infoOf(job.format).movie) fs::remove(path.string() + ".part", code);
}

}
