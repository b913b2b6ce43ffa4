// Painting one tile of the frame as a pinhole sees it.
#pragma once

#include "render/entry.h"

namespace stage::render {

/// For one thread. Reads the entries only.
class TilePainter {
public:
    TilePainter(const Air& air, scene::Blending blending) : m_air(air), m_blending(blending) {}

    /// Paints a box of the frame, at most Canvas::side across and down, over a ground of one colour. Colours are in
    /// the blending's values.
    void paint(const std::vector<Entry>& entries, const media::Box& box, const float* ground, Canvas& canvas);

private:
    struct Seen {
        const Entry* entry;
        Reach reach;
        bool opaque; ///< it hides all that is behind
        double nearness;
    };
    void byParts(const std::vector<Entry>& entries, const media::Box& box, const float* ground, Canvas& canvas);
    void byPixel(const std::vector<Seen>& seen, const media::Box& box, const float* ground, Canvas& canvas);
    /// What one shows, without its opacity.
    void alone(const Seen& seen, const media::Box& box, Canvas& canvas);

    Air m_air;
    scene::Blending m_blending;
    PatchArena m_arena;
};

}
