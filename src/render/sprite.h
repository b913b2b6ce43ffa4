// Small pictures that particles show.
#pragma once

#include "render/image.h"
#include "scene/particles.h"

#include <vector>

namespace stage::render {

/// Premultiplied light, each level half as fine as the one before. Immutable.
class Sprite {
public:
    /// pixels: at least 1 x 1.
    explicit Sprite(Image pixels);

    /// At shares of its width and height from its upper left; nothing beyond its edges. fineness: level 0 is
    /// as fine as it is; between two levels both are mixed.
    void sample(float s, float t, float fineness, float* rgba) const;
    /// Texels of the finest level.
    V2i size() const { return m_levels.front().size; }
    /// All of it, over its area.
    const float* mean() const { return m_mean; }

private:
    void sampleLevel(const Image& level, float s, float t, float* rgba) const;

    std::vector<Image> m_levels;
    float m_mean[4] = {0, 0, 0, 0};
};

/// White; made when first asked for. Valid for good.
const Sprite& spriteOf(scene::ParticleShape shape);

}
