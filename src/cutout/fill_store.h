// Fillings of holes, kept on disk: they take many seconds to make. Thread-safe, also between programs.
#pragma once

#include "media/raster.h"

#include <optional>
#include <string>

namespace stage::cutout {

/// The picture with what was kept for it laid over. key: of all that the filling depends on, the picture
/// below among it. Nothing where none is kept, or it is damaged.
std::optional<media::Raster> keptFill(const std::string& key, const media::Raster& below);

/// Keeps what differs of a filled picture from the one below. The oldest go when there are more than a
/// gigabyte of them. Without a word where the disk does not take it.
void keepFill(const std::string& key, const media::Raster& below, const media::Raster& filled);

}
