// What is written of the scene, and where to.
#pragma once

#include "output/write.h"

#include <QWidget>
#include <filesystem>
#include <vector>

namespace stage::desk {

/// A job, and what it is of: the scene, or a size variant of it.
struct OutputChoice {
    scene::ScenePtr scene;
    output::Job job;
};
/// document: the scene's own file, for what is suggested; empty when it has none. Nothing when cancelled.
std::vector<OutputChoice> askOutput(QWidget* parent, const scene::ScenePtr& scene,
                                    const std::filesystem::path& document);

}
