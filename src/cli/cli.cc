#include "cli/cli.h"

#include "cli/reports.h"
#include "edit/bring_in.h"
#include "edit/relink.h"
#include "output/write.h"
#include "scene/file.h"
#include "scene/scene_json.h"

#include <CLI/CLI.hpp>
#include <array>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <iostream>
#include <thread>

namespace stage::cli {
namespace {

constexpr const char* examples = R"(Examples:
  open-stage-cli new --frame 1920x1080 --rate 25 --seconds 8 -o empty.ostage
  open-stage-cli import quay.ora -o quay.ostage
  open-stage-cli import sky.png boat.png water.mp4 -o quay.ostage
  open-stage-cli apply quay.ostage edits.json -o staged.ostage
  open-stage-cli info staged.ostage
  open-stage-cli measure staged.ostage --frame 72
  open-stage-cli check staged.ostage
  open-stage-cli render staged.ostage -o move.mp4 --size 1280x720
  open-stage-cli render staged.ostage -o "frames/f.####.png" --frames 0-47

edits.json holds a list of edits (docs/edits.md), such as
  [{"edit":"push","layers":["Boatman"],"depth":32.0,"holdFraming":true}]

Exit codes:
  0 done   2 the command line is wrong   3 a file cannot be read
  4 an edit was refused   5 a file cannot be written
  6 something else went wrong   130 stopped)";

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

struct Failure {
    Exit code;
    std::string sentence;
};

template <class T> T need(Result<T> result, Exit code) {
    if (!result) throw Failure{result.error().cancelled ? Stopped : code, result.error().sentence};
    if constexpr (!std::is_void_v<T>) return std::move(*result);
}

V2i sizeFrom(const std::string& text) {
    int w = 0, h = 0;
    char rest = 0;
    if (std::sscanf(text.c_str(), "%dx%d%c", &w, &h, &rest) != 2 || w < 1 || h < 1)
        throw Failure{BadUsage, "'" + text + "' is not a size such as 1280x720."};
    return {w, h};
}

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

void saveTo(const scene::Scene& scene, const std::string& path) {
    if (path.empty()) throw Failure{BadUsage, "The name of the file to write is empty."};
    need(scene::save(scene, path), CannotWrite);
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

}

int run(int argc, const char* const* argv, std::ostream& out, std::ostream& err) {
    CLI::App app{"Stages layers in depth and renders the camera's move through them.", "open-stage-cli"};
    app.footer(examples);
    app.require_subcommand(1);
    app.set_version_flag("--version", "open-stage-cli 0.1.0");

    std::vector<std::string> files;
    std::string scenePath, outPath, editsPath, frames, size, frameSize, as = "layers";
    std::int64_t frame = 0;
    bool quiet = false;

    CLI::App* fresh = app.add_subcommand("new", "Make an empty scene");
    fresh->add_option("-o,--output", outPath, "Scene to write (.ostage)")->required();
    fresh->add_option("--frame", frameSize, "Frame of the scene, WxH (default: 1920x1080)");
    std::string rate;
    double seconds = 0, homeDepth = 0;
    fresh->add_option("--rate", rate, "Frames per second, such as 25 or 24000/1001 (default: 24)");
    fresh->add_option("--seconds", seconds, "Duration (default: 6)");
    fresh->add_option("--home-depth", homeDepth, "Where new layers hang, m (default: 10)");

    CLI::App* import =
        app.add_subcommand("import", "Make a scene from layered pictures, pictures and footage");
    import->add_option("FILE", files, "Files to bring in, lowest first")->required();
    import->add_option("-o,--output", outPath, "Scene to write (.ostage)")->required();
    import->add_option("--as", as, "A layered picture as 'layers', 'group' or 'one layer'");
    import->add_option("--frame", frameSize, "Frame of the scene, WxH (default: the first file's)");

    CLI::App* apply = app.add_subcommand("apply", "Apply a list of edits to a scene");
    apply->add_option("SCENE", scenePath)->required();
    apply->add_option("EDITS", editsPath, "JSON list of edits; - reads standard input")->required();
    apply->add_option("-o,--output", outPath, "Scene to write")->required();

    CLI::App* relink = app.add_subcommand("relink", "Find missing media in a folder and those inside it");
    relink->add_option("SCENE", scenePath)->required();
    relink->add_option("FOLDER", editsPath)->required();
    relink->add_option("-o,--output", outPath, "Scene to write")->required();

    CLI::App* infoCommand = app.add_subcommand("info", "Print what a scene holds, as JSON");
    infoCommand->add_option("SCENE", scenePath)->required();

    CLI::App* measure =
        app.add_subcommand("measure", "Print what the lens makes of each layer, as JSON: depth in m, corners "
                                      "in px, size in frame, travel in px");
    measure->add_option("SCENE", scenePath)->required();
    measure->add_option("--frame", frame, "Frame to measure at, from 0")->default_val(0);

    CLI::App* checkCommand = app.add_subcommand(
        "check", "Print what stands in the way of the camera's move, as JSON, each with edits that mend it");
    checkCommand->add_option("SCENE", scenePath)->required();

    CLI::App* renderCommand =
        app.add_subcommand("render", "Render frames: .mp4/.mov (H.264), .mkv (FFV1), or .png");
    std::size_t memory = 0;
    renderCommand->add_option("--memory", memory, "MB of pictures to keep; 0: a quarter of the machine's")
        ->check(CLI::Range(0, 1 << 24));
    renderCommand->add_option("SCENE", scenePath)->required();
    renderCommand
        ->add_option("-o,--output", outPath, "File to write; several PNG files need #### in the name")
        ->required();
    renderCommand->add_option("--frames", frames, "A-B, both included, or one number (default: all)");
    renderCommand->add_option("--size", size, "WxH in pixels (default: the scene's frame)");
    std::string way = "final";
    int samples = 64;
    renderCommand
        ->add_option("--quality", way,
                     "draft: fast; final: rays through lens and shutter; traced: the same without short "
                     "cuts; pinhole: all "
                     "sharp, nothing blurs")
        ->check(CLI::IsMember({"pinhole", "draft", "final", "traced"}));
    renderCommand->add_option("--samples", samples, "Rays per pixel, of final and traced")
        ->check(CLI::Range(16, 4096));
    renderCommand->add_flag("--quiet", quiet, "No progress");

    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error, out, err) == 0 ? Done : BadUsage;
    }

    try {
        if (*fresh) {
            scene::Json edit = {{"edit", "settings"}};
            if (!frameSize.empty()) {
                const V2i wanted = sizeFrom(frameSize);
                edit["frame"] = {wanted.x, wanted.y};
            }
            if (!rate.empty()) edit["rate"] = rate;
            if (homeDepth != 0) edit["homeDepth"] = homeDepth;
            scene::Scene scene = need(edit::apply(scene::emptyScene(), edit), BadUsage);
            if (seconds != 0) {
                if (!(seconds > 0)) throw Failure{BadUsage, "The duration should be more than 0 s."};
                const double count = std::min(std::round(seconds * scene.output.rate.toDouble()), 1e9);
                scene = need(
                    edit::apply(scene,
                                {{"edit", "settings"},
                                 {"frames", std::max<std::int64_t>(1, static_cast<std::int64_t>(count))}}),
                    BadUsage);
            }
            saveTo(scene, outPath);
        } else if (*import) {
            scene::Scene scene = scene::emptyScene();
            scene::Json edit = {{"edit", "bring-in"}, {"files", files}, {"as", as}};
            if (!frameSize.empty()) {
                const V2i frameWanted = sizeFrom(frameSize);
                scene = need(
                    edit::apply(scene, {{"edit", "settings"}, {"frame", {frameWanted.x, frameWanted.y}}}),
                    BadUsage);
                edit["keepFrame"] = true;
            }
            saveTo(need(edit::apply(scene, edit), CannotRead), outPath);
        } else if (*relink) {
            const scene::Scene scene = need(scene::load(scenePath), CannotRead);
            const auto found = need(edit::findMissing(scene, editsPath), CannotRead);
            if (!found.edit.is_null()) saveTo(need(edit::apply(scene, found.edit), EditRefused), outPath);
            for (const std::string& name : found.missing)
                err << "Not found: " << name << "\n";
            if (!found.missing.empty()) return CannotRead;
        } else if (*apply) {
            scene::Scene scene = need(scene::load(scenePath), CannotRead);
            std::string text;
            if (editsPath == "-")
                text.assign(std::istreambuf_iterator<char>(std::cin), {});
            else
                text = need(scene::readFile(editsPath), CannotRead);
            const auto edits = scene::parseJson(text);
            if (!edits)
                throw Failure{CannotRead, "Cannot read " + editsPath + ": " + edits.error().sentence + "."};
            if (!edits->is_array())
                throw Failure{CannotRead, "Cannot read " + editsPath + ": it should be a list of edits."};
            for (std::size_t i = 0; i < edits->size(); ++i) {
                auto next = edit::apply(scene, (*edits)[i]);
                if (!next)
                    throw Failure{EditRefused,
                                  "Edit " + std::to_string(i + 1) + ": " + next.error().sentence};
                scene = std::move(*next);
            }
            saveTo(scene, outPath);
        } else if (*infoCommand) {
            out << info(need(scene::load(scenePath), CannotRead)).dump(2) << '\n';
        } else if (*checkCommand) {
            out << findings(need(scene::load(scenePath), CannotRead)).dump(2) << '\n';
        } else if (*measure) {
            const scene::Scene scene = need(scene::load(scenePath), CannotRead);
            if (frame < 0 || frame >= scene.output.frames)
                throw Failure{BadUsage, "Frame " + std::to_string(frame) + " is not within 0-" +
                                            std::to_string(scene.output.frames - 1) + "."};
            out << measurements(scene, frame).dump(2) << '\n';
        } else if (*renderCommand) {
            const scene::Scene scene = need(scene::load(scenePath), CannotRead);
            const auto format = output::formatOf(outPath);
            if (!format) throw Failure{BadUsage, "'" + outPath + "' should end in .mp4, .mov, .mkv or .png."};
            output::Job job = output::wholeScene(scene, outPath, *format);
            if (!size.empty()) job.size = sizeFrom(size);
            if (!frames.empty()) framesFrom(frames, job);
            job.quality.samples = samples;
            for (std::size_t i = 0; i < render::wayNames.size(); ++i)
                if (render::wayNames[i] == way) job.quality.way = static_cast<render::Way>(i);
            media::PixelCache sources(memory << 20);
            const Interrupt interrupt;
            Meter meter(err);
            need(output::write(scene, job, sources,
                               {quiet ? std::function<void(double)>{} : std::ref(meter), interrupt.token()}),
                 CannotWrite);
        }
    } catch (const Failure& failure) {
        err << failure.sentence << '\n';
        return failure.code;
    } catch (const std::bad_alloc&) {
        err << "There is not enough memory for this.\n";
        return Failed;
    } catch (const std::exception& problem) { // of a library
        err << "This cannot be done: " << problem.what() << ".\n";
        return Failed;
    }
    return Done;
}

}
