// Small pictures and colours that stand for layers. Interface thread; never waits for loading.
#pragma once

#include "media/sources.h"
#include "scene/scene.h"

#include <QColor>
#include <QImage>

namespace stage::desk {

/// The layer small, at most `side` pixels, over nothing; null while its pixels are not loaded.
QImage swatch(media::Sources& sources, const scene::Layer& layer, int side);
/// Its mean colour; a neutral one while not loaded and for groups.
QColor meanColour(media::Sources& sources, const scene::Layer& layer);

}
