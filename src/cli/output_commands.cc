#include "cli/command.h"
#include "cli/reports.h"
#include "edit/bring_in.h"
#include "output/archive.h"
#include "output/gltf.h"
#include "output/queue_runner.h"
#include "scene/variant.h"

#include <array>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <thread>

namespace stage::cli {
namespace {

std::atomic<bool> interrupted = false;
extern "C" void onInterrupt(int) {
    interrupted = true;
}

/// Turns signals that ask the program to end into a stop token while it lives.
class Interrupt {
public:
    Interrupt() {
        for (std::size_t i = 0; i < signals.size(); ++i)
            m_before[i] = std::signal(signals[i], onInterrupt);
        m_watch = std::jthread([this](const std::stop_token& end) {
            while (!end.stop_requested() && !interrupted)
                std::this_thread::sleep_for(std::chrono::milliseconds(50));
            if (interrupted) m_stop.request_stop();
        });
    }
    ~Interrupt() {
        m_watch.request_stop();
        m_watch.join();
        for (std::size_t i = 0; i < signals.size(); ++i)
            std::signal(signals[i], m_before[i]);
    }
    std::stop_token token() const { return m_stop.get_token(); }

private:
    static constexpr std::array<int, 3> signals = {SIGINT, SIGTERM, SIGHUP};
    std::stop_source m_stop;
    std::array<void (*)(int), signals.size()> m_before{};
    std::jthread m_watch;
};

void framesFrom(const std::string& text, output::Job& job) {
    long long a = 0, b = 0;
    char rest = 0;
    if (std::sscanf(text.c_str(), "%lld-%lld%c", &a, &b, &rest) == 2)
        job.first = a, job.last = b;
    else if (std::sscanf(text.c_str(), "%lld%c", &a, &rest) == 1)
        job.first = job.last = a;
    else
        throw Failure{BadUsage, "'" + text + "' is not a range of frames such as 0-143."};
}

/// Prints "42 %, 1:10 left" at most four times a second.
class Meter {
public:
    explicit Meter(std::ostream& err) : m_err(err), m_start(Clock::now()) {}
    void operator()(double share) {
        const auto now = Clock::now();
        if (share < 1 && now - m_last < std::chrono::milliseconds(250)) return;
        m_last = now;
        const double passed = std::chrono::duration<double>(now - m_start).count();
        const auto left = static_cast<long>(share > 0 ? passed / share - passed + 0.5 : 0);
        char line[80];
        std::snprintf(line, sizeof line, "\r%3.0f %%, %ld:%02ld left ", share * 100, left / 60, left % 60);
        m_err << line << std::flush;
        if (share >= 1) m_err << '\n';
    }

private:
    using Clock = std::chrono::steady_clock;
    std::ostream& m_err;
    Clock::time_point m_start, m_last{};
};

class RenderCommand : public Command {
public:
    explicit RenderCommand(CLI::App& app)
        : Command(
              app, "render",
              "Render frames to a movie or to pictures. A run that was interrupted goes on where it was") {
        m_options->add_option("--memory", m_memory, "MB of pictures to keep; 0: a quarter of the machine's")
            ->check(CLI::Range(0, 1 << 24));
        takesScene();
        takesOutput("File to write; several pictures need #### in the name");
        addEncoding();
        m_options->add_option("--frames", m_frames, "A-B, both included, or one number (default: all)");
        m_options->add_option("--size", m_size, "WxH in pixels (default: the frame's)");
        m_options->add_option(
            "--variant", m_variants,
            "A size variant of the scene by its name, instead of its own frame; several, or "
            "all: each in a file of its own, with its name in the file's");
        m_options
            ->add_option("--quality", m_method,
                         "draft: fast; final: rays through lens and shutter; traced: the same without short "
                         "cuts; pinhole: all sharp, nothing blurs")
            ->check(CLI::IsMember({"pinhole", "draft", "final", "traced"}));
        m_options
            ->add_option("--noise", m_noise,
                         "Final: rays are added to a pixel until its noise is below so many percent of "
                         "white; where it "
                         "takes many, somewhat more is left. 0: as many as --samples says")
            ->check(CLI::Range(0.0, 100.0))
            ->capture_default_str();
        m_options->add_option("--samples", m_samples, "Rays per pixel: of traced all, of final at most")
            ->capture_default_str()
            ->check(CLI::Range(16, 4096));
        m_options
            ->add_option(
                "--wipe", m_wipe,
                "FROM TO: the flat picture (the layers as the first mark sees them) left of an upright line "
                "that goes from one share of the width (0 to 1) to the other")
            ->expected(2)
            ->check(CLI::Range(0.0, 1.0));
        m_options
            ->add_option("--wipe-picture", m_wipePicture,
                         "A picture to be wiped instead of the layers seen flat")
            ->check(CLI::ExistingFile);
        m_options
            ->add_option(
                "--loop", m_loop,
                "The end goes over into the beginning by a dissolve, or the movie goes back and forth")
            ->check(CLI::IsMember(
                std::vector<std::string>(std::begin(output::loopNames), std::end(output::loopNames))));
        m_options->add_option("--dissolve", m_dissolve, "Frames of the dissolve of a loop")
            ->capture_default_str()
            ->check(CLI::Range(1, 100000));
        m_options->add_flag("--frames-only", m_framesOnly,
                            "Render frames of a movie and keep them beside it: another run makes it of them");
        m_options->add_flag("--queue", m_queued,
                            "Put it into the queue instead; `open-stage-cli queue run` or the desk runs it");
        m_options->add_flag("--quiet", m_quiet, "No progress");
        m_options->add_flag("--timing", m_timing, "Tell at the end what the time was spent on");
    }
    void run(std::ostream&, std::ostream& err) override {
        const scene::Scene own = scene();
        if (m_variants.empty()) return render(own, m_outPath, err);
        if (m_variants.size() == 1 && m_variants.front() == "all") {
            m_variants.clear();
            for (const scene::Variant& each : own.output.variants)
                m_variants.push_back(each.name);
            render(own, m_outPath, err);
        } else if (m_variants.size() == 1) {
            return render(inVariant(own, m_variants.front()), m_outPath, err);
        }
        for (const std::string& name : m_variants)
            render(inVariant(own, name), output::pathInVariant(m_outPath, name), err);
    }

private:
    static scene::Scene inVariant(const scene::Scene& scene, const std::string& name) {
        const scene::Variant* variant = scene::findVariant(scene, name);
        if (!variant) throw Failure{BadUsage, "The scene has no size variant '" + name + "'."};
        return scene::inVariant(scene, *variant);
    }
    void render(const scene::Scene& rendered, const std::filesystem::path& path, std::ostream& err) const {
        const auto begin = std::chrono::steady_clock::now();
        measureTimes(m_timing);
        const output::Job job = jobFor(rendered, path);
        if (const std::string note = output::sizeNote(job); !m_quiet && !note.empty()) err << note << '\n';
        if (m_queued) {
            err << "Queued as " << need(output::Queue().add(rendered, job), CannotWrite) << ".\n";
            return;
        }
        media::PixelCache sources(m_memory << 20);
        const Interrupt interrupt;
        Meter meter(err);
        const Progress progress{m_quiet ? std::function<void(double)>{} : std::ref(meter), interrupt.token()};
        need(output::write(rendered, job, sources, progress), CannotWrite);
        if (m_timing)
            tellTimes(timesMeasured(), std::chrono::steady_clock::now() - begin, job.last - job.first + 1,
                      err);
    }
    void addEncoding() {
        std::string ids, suffixes;
        for (const output::FormatInfo& info : output::formats()) {
            ids += (ids.empty() ? "" : ", ") + std::string(info.id);
            const std::string suffix(info.suffixes.front());
            if (suffixes.find(suffix) == std::string::npos)
                suffixes += (suffixes.empty() ? "" : ", ") + suffix;
        }
        m_suffixes = suffixes;
        m_options->add_option("--format", m_format, "One of " + ids + " (default: by the suffix)");
        m_options->add_option("--rate", m_encoding.rate,
                              "Quality on the format's own scale: of H.264, H.265, VP9, AV1 the rate factor, "
                              "less is better; of WebP and JPEG percent");
        m_options->add_option("--megabytes", m_encoding.megabytes, "How large a movie may become, instead");
        m_options->add_option("--bits", m_encoding.bits, "Bits of a channel, where the format has a choice");
        m_options->add_option("--compression", m_encoding.compression,
                              "Of TIFF: zip, lzw, none; of OpenEXR: zip, zips, piz, rle, dwaa, dwab, none");
        m_options->add_flag("!--no-alpha", m_encoding.alpha,
                            "Put over black what shows through a transparent background");
    }
    output::Job jobFor(const scene::Scene& rendered, const std::filesystem::path& path) const {
        const auto format = m_format.empty() ? output::formatOf(m_outPath) : output::formatNamed(m_format);
        if (!format && m_format.empty())
            throw Failure{BadUsage, "'" + m_outPath + "' should end in one of " + m_suffixes + "."};
        if (!format) throw Failure{BadUsage, "There is no format '" + m_format + "'."};
        output::Job job = output::wholeScene(rendered, path, *format);
        job.encoding = m_encoding;
        job.framesOnly = job.keepWhenStopped = m_framesOnly; // others may have kept theirs beside them
        job.loop.dissolve = m_dissolve;
        for (std::size_t i = 0; i < std::size(output::loopNames); ++i)
            if (output::loopNames[i] == m_loop) job.loop.kind = static_cast<output::Loop::Kind>(i);
        if (!m_size.empty()) job.size = sizeFrom(m_size);
        if (!m_frames.empty()) framesFrom(m_frames, job);
        job.quality.samples = m_samples;
        job.quality.noise = m_noise / 100;
        for (std::size_t i = 0; i < render::methodNames.size(); ++i)
            if (render::methodNames[i] == m_method) job.quality.method = static_cast<render::Method>(i);
        if (m_wipe.empty() && !m_wipePicture.empty())
            throw Failure{BadUsage, "--wipe-picture says what --wipe wipes; there is none."};
        if (!m_wipe.empty()) job.wipe = output::Wipe{m_wipe[0], m_wipe[1], {}};
        if (!m_wipePicture.empty())
            job.wipe->against = need(edit::flatPicture(rendered, m_wipePicture), CannotRead);
        return job;
    }
    std::size_t m_memory = 0;
    std::vector<std::string> m_variants;
    std::string m_frames, m_size, m_method = "final";
    std::string m_wipePicture;
    std::vector<double> m_wipe;
    double m_noise = 100 * render::usualNoise;
    int m_samples = render::usualSamples;
    output::Encoding m_encoding;
    std::string m_format, m_suffixes, m_loop = "none";
    int m_dissolve = output::Loop().dissolve;
    bool m_framesOnly = false, m_queued = false;
    bool m_quiet = false, m_timing = false;
};

class ThumbnailCommand : public Command {
public:
    explicit ThumbnailCommand(CLI::App& app) : Command(app, "thumbnail", "Write a small picture of a scene") {
        takesScene();
        takesOutput("PNG file to write");
        m_options->add_option("--pixels", m_pixels, "Of its longer side")
            ->capture_default_str()
            ->check(CLI::Range(16, 2048));
    }
    void run(std::ostream&, std::ostream&) override {
        const scene::Scene shown = scene();
        const V2d frame(shown.output.frame);
        const double scale = m_pixels / std::max(frame.x, frame.y);
        output::Job job = output::wholeScene(shown, m_outPath, output::Format::Png);
        job.first = job.last = 0;
        job.size = {std::max(1, static_cast<int>(frame.x * scale)),
                    std::max(1, static_cast<int>(frame.y * scale))};
        job.quality = {};
        job.quality.placeholders = true;
        media::PixelCache sources;
        need(output::write(shown, job, sources), CannotWrite);
    }

private:
    int m_pixels = 256;
};

class ArchiveCommand : public Command {
public:
    explicit ArchiveCommand(CLI::App& app)
        : Command(app, "archive", "Collect a scene and all files that it uses in one zip file") {
        takesScene();
        takesOutput("Zip file to write");
    }
    void run(std::ostream& out, std::ostream&) override {
        const auto archived = need(output::writeArchive(scene(), m_outPath), CannotWrite);
        out << archived.files << " files, " << archived.bytes / 1'000'000 << " MB\n";
        for (const std::string& font : archived.fonts)
            out << "Font, not in the archive: " << font << '\n';
    }
};

class UnpackCommand : public Command {
public:
    explicit UnpackCommand(CLI::App& app) : Command(app, "unpack", "Make a folder of such a zip file") {
        m_options->add_option("ARCHIVE", m_scenePath)->required();
        takesOutput("Folder to make");
    }
    void run(std::ostream& out, std::ostream&) override {
        out << need(output::unpackArchive(m_scenePath, m_outPath), CannotRead).string() << '\n';
    }
};

class GltfCommand : public Command {
public:
    explicit GltfCommand(CLI::App& app)
        : Command(app, "gltf", "Write the staged set and its camera as glTF 2.0, for programs of space") {
        takesScene();
        takesOutput("File to write (.glb)");
        m_options->add_flag("--camera-only", m_cameraOnly, "The camera's move alone");
    }
    void run(std::ostream& out, std::ostream&) override {
        media::PixelCache sources;
        const Interrupt interrupt;
        const auto written =
            need(output::writeGltf(scene(), m_outPath,
                                   m_cameraOnly ? output::GltfContent::Camera : output::GltfContent::Set,
                                   sources, {{}, interrupt.token()}),
                 CannotWrite);
        out << written.layers << " layers, " << written.frames << " frames\n";
        for (const std::string& name : written.leftOut)
            out << "Not in it, as it is no card: " << name << '\n';
    }

private:
    bool m_cameraOnly = false;
};

/// A word of a shell's command line.
std::string quoted(const std::string& word) {
    std::string out = "'";
    for (const char c : word)
        out += c == '\'' ? std::string("'\\''") : std::string(1, c);
    return out + "'";
}

class PlanCommand : public Command {
public:
    explicit PlanCommand(CLI::App& app)
        : Command(app, "plan",
                  "Print how a movie is rendered in parts, on as many machines, and joined: as JSON, or as a "
                  "script "
                  "for Slurm") {
        takesScene();
        takesOutput("Movie to write, on a disk that all machines share");
        m_options->add_option("--chunks", m_chunks, "Parts")->required()->check(CLI::Range(1, 100000));
        m_options->add_option("--options", m_renderOptions, "Further options of render, in one word");
        m_options->add_flag("--slurm", m_slurm, "A script that submits an array of jobs, and one that joins");
    }
    void run(std::ostream& out, std::ostream&) override {
        const std::int64_t frames = scene().output.frames;
        const std::string render = "open-stage-cli render " +
                                   quoted(std::filesystem::absolute(m_scenePath).string()) + " -o " +
                                   quoted(std::filesystem::absolute(m_outPath).string()) + " --quiet" +
                                   (m_renderOptions.empty() ? "" : " " + m_renderOptions);
        scene::Json chunks = scene::Json::array();
        std::string first, last;
        const std::int64_t count = std::min<std::int64_t>(m_chunks, frames);
        for (std::int64_t n = 0; n < count; ++n) {
            const std::int64_t a = frames * n / count, b = frames * (n + 1) / count - 1;
            chunks.push_back({{"frames", {a, b}},
                              {"command", render + " --frames-only --frames " + std::to_string(a) + "-" +
                                              std::to_string(b)}});
            first += ' ' + std::to_string(a), last += ' ' + std::to_string(b);
        }
        if (!m_slurm) {
            out << scene::Json{{"chunks", chunks}, {"join", render}}.dump(2) << '\n';
            return;
        }
        out << "#!/bin/bash\n# Submits the parts of a movie as an array of jobs, and what joins them when "
               "all are done.\n"
               "# A part that was killed is submitted again as it is: it goes on where it was.\nset -euo "
               "pipefail\n"
            << "array=$(sbatch --parsable --array=0-" << count - 1
            << " --job-name=open-stage --requeue <<'EOF'\n#!/bin/bash\nfirst=(" << first << " )\nlast=("
            << last << " )\nn=$SLURM_ARRAY_TASK_ID\nexec " << render
            << " --frames-only --frames \"${first[n]}-${last[n]}\"\nEOF\n)\n"
            << "join=$(sbatch --parsable --dependency=afterok:$array --job-name=open-stage-join "
               "<<'EOF'\n#!/bin/bash\nexec "
            << render << "\nEOF\n)\necho \"$array $join\"\n";
    }

private:
    int m_chunks = 1;
    std::string m_renderOptions;
    bool m_slurm = false;
};

class QueueCommand : public Command {
public:
    explicit QueueCommand(CLI::App& app)
        : Command(app, "queue", "List, run or change the jobs that wait to be written") {
        m_options
            ->add_option(
                "ACTION", m_action,
                "list; run: all that wait, one after the other; of one job: pause, continue, cancel, "
                "retry, remove, earlier, later")
            ->required()
            ->check(CLI::IsMember({"list", "run", "work", "pause", "continue", "cancel", "retry", "remove",
                                   "earlier", "later"}));
        m_options->add_option("ID", m_id, "Of the job, as list gives it");
        m_options->add_option("--folder", m_folder, "Of the queue (default: that of the desk)");
    }
    void run(std::ostream& out, std::ostream&) override {
        const output::Queue queue = m_folder.empty() ? output::Queue() : output::Queue(m_folder);
        if (m_action == "list") return list(queue, out);
        if (m_action == "run") {
            const Interrupt interrupt;
            const auto program = std::filesystem::read_symlink("/proc/self/exe");
            return need(output::runQueue(queue, program, interrupt.token()), CannotWrite);
        }
        if (!queue.find(m_id)) throw Failure{BadUsage, "There is no job '" + m_id + "' in the queue."};
        if (m_action == "work") {
            const Interrupt interrupt;
            return need(output::workOn(queue, m_id, interrupt.token()), CannotWrite);
        }
        need(m_action == "pause"      ? queue.pause(m_id, true)
             : m_action == "continue" ? queue.pause(m_id, false)
             : m_action == "cancel"   ? queue.cancel(m_id)
             : m_action == "retry"    ? queue.retry(m_id)
             : m_action == "remove"   ? queue.remove(m_id)
                                      : queue.move(m_id, m_action == "earlier" ? -1 : 1),
             CannotWrite);
    }

private:
    static void list(const output::Queue& queue, std::ostream& out) {
        for (const output::QueuedJob& job : queue.jobs()) {
            out << job.id << "  " << output::stateNames[static_cast<std::size_t>(job.state)] << "  "
                << static_cast<int>(100 * job.share) << " %  " << job.job.path.string() << '\n';
            if (!job.problem.empty()) out << "    " << job.problem << '\n';
        }
    }
    std::string m_action, m_id, m_folder;
};

}

Commands outputCommands(CLI::App& app) {
    Commands all;
    all.push_back(std::make_unique<RenderCommand>(app));
    all.push_back(std::make_unique<ThumbnailCommand>(app));
    all.push_back(std::make_unique<GltfCommand>(app));
    all.push_back(std::make_unique<ArchiveCommand>(app));
    all.push_back(std::make_unique<UnpackCommand>(app));
    all.push_back(std::make_unique<PlanCommand>(app));
    all.push_back(std::make_unique<QueueCommand>(app));
    return all;
}

}
