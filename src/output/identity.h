// What the frames of a job depend on.
#pragma once

#include "output/write.h"

#include <string>

namespace stage::output {

/// Whether pictures have an alpha that counts; else they are put over black.
bool alphaOf(const scene::Scene& scene, const Job& job);

/// The same text for jobs whose frames are the same: the scene, its files as they are now, size, quality,
/// bits of a channel; not where they go, nor how a movie is encoded.
std::string identityOf(const scene::Scene& scene, const Job& job);

}
