#include "cli/cli.h"

#include "cli/command.h"
#include "cli/reports.h"
#include "edit/bring_in.h"
#include "edit/camera_file.h"
#include "edit/relink.h"
#include "render/match_place.h"
#include "scene/scene_json.h"

#include <iostream>

namespace stage::cli {
namespace {

constexpr const char* examples = R"(Examples:
  open-stage-cli new --frame 1920x1080 --rate 25 --seconds 8 -o empty.ostage
  open-stage-cli import quay.ora -o quay.ostage
  open-stage-cli import sky.png boat.png water.mp4 -o quay.ostage
  open-stage-cli apply quay.ostage edits.json -o staged.ostage
  open-stage-cli info staged.ostage
  open-stage-cli measure staged.ostage --frame 72
  open-stage-cli check --strict staged.ostage
  open-stage-cli render staged.ostage -o move.mp4 --size 1280x720
  open-stage-cli render staged.ostage -o "frames/f.####.png" --frames 0-47
  open-stage-cli render staged.ostage -o figure.webm --rate 20
  open-stage-cli plan staged.ostage -o move.mp4 --chunks 8 --slurm > submit.sh
  open-stage-cli render staged.ostage -o "layers.####.exr" --format exr-parts
  open-stage-cli render staged.ostage -o move.mp4 --variant all
  open-stage-cli gltf staged.ostage -o staged.glb
  open-stage-cli archive staged.ostage -o staged.zip
  open-stage-cli render staged.ostage -o "plate.####.exr" --compression piz

edits.json holds a list of edits (docs/edits.md), such as
  [{"edit":"push","layers":["Boatman"],"depth":32.0,"holdFraming":true}]

Exit codes:
  0 done   1 check --strict found something   2 the command line is wrong
  3 a file cannot be read   4 an edit was refused   5 a file cannot be written
  6 something else went wrong   130 stopped)";

class NewCommand : public Command {
public:
    explicit NewCommand(CLI::App& app) : Command(app, "new", "Make an empty scene") {
        takesOutput("Scene to write (.ostage)");
        m_options->add_option("--frame", m_frame, "Frame of the scene, WxH (default: 1920x1080)");
        m_options->add_option("--rate", m_rate, "Frames per second, such as 25 or 24000/1001 (default: 24)");
        m_options->add_option("--seconds", m_seconds, "Duration (default: 6)");
        m_options->add_option("--home-depth", m_homeDepth, "Where new layers hang, m (default: 10)");
    }
    void run(std::ostream&, std::ostream&) override {
        scene::Json edit = {{"edit", "settings"}};
        if (!m_frame.empty()) {
            const V2i wanted = sizeFrom(m_frame);
            edit["frame"] = {wanted.x, wanted.y};
        }
        if (!m_rate.empty()) edit["rate"] = m_rate;
        if (m_homeDepth != 0) edit["homeDepth"] = m_homeDepth;
        const scene::Scene scene = need(edit::apply(scene::emptyScene(), edit), BadUsage);
        saveTo(m_seconds == 0 ? scene : lasting(scene, m_seconds), m_outPath);
    }

private:
    static scene::Scene lasting(const scene::Scene& scene, double seconds) {
        if (!(seconds > 0)) throw Failure{BadUsage, "The duration should be more than 0 s."};
        const double count = std::min(std::round(seconds * scene.output.rate.toDouble()), 1e9);
        const auto frames = std::max<std::int64_t>(1, static_cast<std::int64_t>(count));
        return need(edit::apply(scene, {{"edit", "settings"}, {"frames", frames}}), BadUsage);
    }
    std::string m_frame, m_rate;
    double m_seconds = 0, m_homeDepth = 0;
};

class ImportCommand : public Command {
public:
    explicit ImportCommand(CLI::App& app)
        : Command(app, "import", "Make a scene from layered pictures, pictures and footage") {
        m_options->add_option("FILE", m_files, "Files to bring in, lowest first")->required();
        takesOutput("Scene to write (.ostage)");
        m_options->add_option("--as", m_as, "A layered picture as 'layers', 'group' or 'one layer'");
        m_options->add_option("--frame", m_frame, "Frame of the scene, WxH (default: the first file's)");
    }
    void run(std::ostream&, std::ostream&) override {
        scene::Scene scene = scene::emptyScene();
        scene::Json edit = {{"edit", "bring-in"}, {"files", m_files}, {"as", m_as}};
        if (!m_frame.empty()) {
            const V2i wanted = sizeFrom(m_frame);
            scene =
                need(edit::apply(scene, {{"edit", "settings"}, {"frame", {wanted.x, wanted.y}}}), BadUsage);
            edit["keepFrame"] = true;
        }
        saveTo(need(edit::apply(scene, edit), CannotRead), m_outPath);
    }

private:
    std::vector<std::string> m_files;
    std::string m_frame, m_as = "layers";
};

class ApplyCommand : public Command {
public:
    explicit ApplyCommand(CLI::App& app) : Command(app, "apply", "Apply a list of edits to a scene") {
        takesScene();
        m_options->add_option("EDITS", m_editsPath, "JSON list of edits; - reads standard input")->required();
        takesOutput("Scene to write");
    }
    void run(std::ostream&, std::ostream&) override {
        scene::Scene now = scene();
        const scene::Json edits = read();
        for (std::size_t i = 0; i < edits.size(); ++i) {
            auto next = edit::apply(now, edits[i]);
            if (!next)
                throw Failure{EditRefused, "Edit " + std::to_string(i + 1) + ": " + next.error().sentence};
            now = std::move(*next);
        }
        saveTo(now, m_outPath);
    }

private:
    scene::Json read() const {
        const std::string text = m_editsPath == "-"
                                     ? std::string(std::istreambuf_iterator<char>(std::cin), {})
                                     : need(scene::readFile(m_editsPath), CannotRead);
        auto edits = scene::parseJson(text);
        if (!edits)
            throw Failure{CannotRead, "Cannot read " + m_editsPath + ": " + edits.error().sentence + "."};
        if (!edits->is_array())
            throw Failure{CannotRead, "Cannot read " + m_editsPath + ": it should be a list of edits."};
        return std::move(*edits);
    }
    std::string m_editsPath;
};

class RelinkCommand : public Command {
public:
    explicit RelinkCommand(CLI::App& app)
        : Command(app, "relink", "Find missing media in a folder and those inside it") {
        takesScene();
        m_options->add_option("FOLDER", m_folder)->required();
        takesOutput("Scene to write");
    }
    void run(std::ostream&, std::ostream& err) override {
        const scene::Scene before = scene();
        const auto found = need(edit::findMissing(before, m_folder), CannotRead);
        if (!found.edit.is_null()) saveTo(need(edit::apply(before, found.edit), EditRefused), m_outPath);
        for (const std::string& name : found.missing)
            err << "Not found: " << name << "\n";
        if (!found.missing.empty()) throw Failure{CannotRead, {}};
    }

private:
    std::string m_folder;
};

class TakeCameraCommand : public Command {
public:
    explicit TakeCameraCommand(CLI::App& app)
        : Command(app, "take-camera", "Give a scene the camera of a glTF file, such as a solved one") {
        takesScene();
        m_options->add_option("FILE", m_file, ".glb or .gltf")->required();
        m_options->add_option("--camera", m_camera.camera, "Its name in the file (default: the first)");
        m_options->add_flag("--marks", m_camera.marks, "As few marks, instead of tracks of every frame");
        m_options->add_option("--metres", m_camera.metresPerUnit, "Metres that a unit of the file is")
            ->capture_default_str()
            ->check(CLI::Range(1e-6, 1e6));
        takesOutput("Scene to write");
    }
    void run(std::ostream&, std::ostream&) override {
        const scene::Scene before = scene();
        const edit::Edit edit = need(edit::cameraFrom(before, m_file, m_camera), CannotRead);
        saveTo(need(edit::apply(before, edit), EditRefused), m_outPath);
    }

private:
    std::string m_file;
    edit::CameraFileOptions m_camera;
};

class MatchCommand : public Command {
public:
    explicit MatchCommand(CLI::App& app)
        : Command(app, "match", "Match a layer's level and colour to what stands around its place") {
        takesScene();
        m_options->add_option("LAYER", m_layer, "Name or id")->required();
        m_options->add_option("--frame", m_frame, "Frame to measure at, from 0")->default_val(0);
        m_options->add_option("--strength", m_strength, "How far it is matched, 0 to 1")
            ->check(CLI::Range(0.0, 1.0));
        takesOutput("Scene to write");
    }
    void run(std::ostream& out, std::ostream&) override {
        const scene::Scene before = scene();
        const bool number = !m_layer.empty() && m_layer.find_first_not_of("0123456789") == std::string::npos;
        std::int64_t id = number ? std::atoll(m_layer.c_str()) : 0;
        scene::forEach(before, [&](const scene::LayerPtr& layer, const auto&) {
            if (layer->name == m_layer) id = layer->id;
        });
        media::PixelCache cache;
        const auto match = need(
            render::matchToPlace(before, id, timeOfFrame(m_frame, before.output.rate), m_strength, cache),
            EditRefused);
        saveTo(need(edit::apply(before, match.edit), EditRefused), m_outPath);
        out << match.edit.dump() << '\n';
    }

private:
    std::string m_layer;
    std::int64_t m_frame = 0;
    double m_strength = 0.7;
};

class InfoCommand : public Command {
public:
    explicit InfoCommand(CLI::App& app) : Command(app, "info", "Print what a scene holds, as JSON") {
        takesScene();
    }
    void run(std::ostream& out, std::ostream&) override { out << info(scene()).dump(2) << '\n'; }
};

class MeasureCommand : public Command {
public:
    explicit MeasureCommand(CLI::App& app)
        : Command(
              app, "measure",
              "Print what the lens makes of each layer, as JSON: depth in m, corners in px, size in frame, "
              "travel in px") {
        takesScene();
        m_options->add_option("--frame", m_frame, "Frame to measure at, from 0")->default_val(0);
    }
    void run(std::ostream& out, std::ostream&) override {
        const scene::Scene measured = scene();
        if (m_frame < 0 || m_frame >= measured.output.frames)
            throw Failure{BadUsage, "Frame " + std::to_string(m_frame) + " is not within 0-" +
                                        std::to_string(measured.output.frames - 1) + "."};
        out << measurements(measured, m_frame).dump(2) << '\n';
    }

private:
    std::int64_t m_frame = 0;
};

class CheckCommand : public Command {
public:
    explicit CheckCommand(CLI::App& app)
        : Command(app, "check",
                  "Print what stands in the way of the camera's move, and where it runs out of picture, as "
                  "JSON, each "
                  "with edits that mend it") {
        takesScene();
        m_options->add_flag("--strict", m_strict, "Exit with 1 where anything is found");
    }
    void run(std::ostream& out, std::ostream&) override {
        const scene::Json found = findings(scene());
        out << found.dump(2) << '\n';
        if (m_strict && !found.at("findings").empty()) throw Failure{Found, ""};
    }

private:
    bool m_strict = false;
};

}

int run(int argc, const char* const* argv, std::ostream& out, std::ostream& err) {
    CLI::App app{"Stages layers in depth and renders the camera's move through them.", "open-stage-cli"};
    app.footer(examples);
    app.require_subcommand(1);
    app.set_version_flag("--version", "open-stage-cli 0.1.0");
    Commands commands;
    commands.push_back(std::make_unique<NewCommand>(app));
    commands.push_back(std::make_unique<ImportCommand>(app));
    commands.push_back(std::make_unique<ApplyCommand>(app));
    commands.push_back(std::make_unique<RelinkCommand>(app));
    commands.push_back(std::make_unique<TakeCameraCommand>(app));
    commands.push_back(std::make_unique<MatchCommand>(app));
    commands.push_back(std::make_unique<InfoCommand>(app));
    commands.push_back(std::make_unique<MeasureCommand>(app));
    commands.push_back(std::make_unique<CheckCommand>(app));
    for (auto& each : outputCommands(app))
        commands.push_back(std::move(each));
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error, out, err) == 0 ? Done : BadUsage;
    }
    try {
        for (const auto& command : commands)
            if (command->asked()) command->run(out, err);
    } catch (const Failure& failure) {
        if (!failure.sentence.empty()) err << failure.sentence << '\n';
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
