// Particles, clouds, mist and displacements as JSON. Readers throw Misread (fields.h); members that are not
// there keep the fallback.
#pragma once

#include "scene/fields.h"
#include "scene/scene.h"

namespace stage::scene {

Json toJson(const Particles& particles);
Particles readParticles(Fields& fields, const Particles& fallback);
Json toJson(const Cloud& cloud);
Cloud readCloud(Fields& fields, const Cloud& fallback);
Json toJson(const Mist& mist);
Mist readMist(Fields& fields, const Mist& fallback);
Json toJson(const std::vector<Displacement>& displacements);
/// The member displacements, a list.
std::vector<Displacement> readDisplacements(Fields& fields);

}
