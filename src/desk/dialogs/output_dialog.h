// What is written of the scene, and where to.
#pragma once

#include "output/write.h"

#include <QWidget>
#include <filesystem>
#include <optional>

namespace stage::desk {

/// document: the scene's own file, for what is suggested; empty when it has none. Nothing when cancelled.
std::optional<output::Job> askOutput(QWidget* parent, const scene::Scene& scene,
                                     const std::filesystem::path& document);

}
