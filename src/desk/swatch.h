// Small pictures and colours that stand for layers.
#pragma once

#include "media/sources.h"
#include "scene/scene.h"

#include <QColor>
#include <QImage>
#include <unordered_map>

namespace stage::desk {

/// Made once from a layer's pixels as soon as they are loaded, and kept. Interface thread; never waits.
class Swatches {
public:
    explicit Swatches(media::Sources& sources) : m_sources(sources) {}

    struct Swatch {
        QImage picture; ///< at most 64 px, over nothing; null while not loaded and for groups
        QColor colour{0x7C, 0x78, 0x70}; ///< its mean; a neutral one while not loaded and for groups
    };
    Swatch of(const scene::Layer& layer);

private:
    media::Sources& m_sources;
    std::unordered_map<std::string, Swatch> m_kept; ///< by what the layer shows, not by where it hangs
};

}
