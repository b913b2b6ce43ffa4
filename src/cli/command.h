// What the commands of the command line have in common.
#pragma once

#include "cli/cli.h"
#include "scene/error.h"
#include "scene/file.h"
#include "scene/scene.h"

#include <CLI/CLI.hpp>
#include <memory>
#include <ostream>
#include <string>
#include <vector>

namespace stage::cli {

/// Ends the command with a code; an empty sentence: what there is to say has been said.
struct Failure {
    Exit code;
    std::string sentence;
};

template <class T> T need(Result<T> result, Exit code) {
    if (!result) throw Failure{result.error().cancelled ? Stopped : code, result.error().sentence};
    if constexpr (!std::is_void_v<T>) return std::move(*result);
}

/// Throws a Failure.
V2i sizeFrom(const std::string& text);
void saveTo(const scene::Scene& scene, const std::string& path);

/// One subcommand: its options, and what it does with them.
class Command {
public:
    Command(CLI::App& app, const char* name, const char* description)
        : m_options(app.add_subcommand(name, description)) {}
    virtual ~Command() = default;
    bool asked() const { return m_options->parsed(); }
    /// Throws a Failure.
    virtual void run(std::ostream& out, std::ostream& err) = 0;

protected:
    void takesScene() { m_options->add_option("SCENE", m_scenePath)->required(); }
    void takesOutput(const char* what) { m_options->add_option("-o,--output", m_outPath, what)->required(); }
    scene::Scene scene() const { return need(scene::load(m_scenePath), CannotRead); }

    CLI::App* m_options;
    std::string m_scenePath, m_outPath;
};

using Commands = std::vector<std::unique_ptr<Command>>;
/// Those that write pictures, movies and archives, and what waits to be written.
Commands outputCommands(CLI::App& app);

}
