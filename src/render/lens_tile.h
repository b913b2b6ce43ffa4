// One tile of the frame as the lens sees it, ray by ray: the final picture, and with many rays the truth.
#pragma once

#include "render/entry.h"
#include "render/rays.h"
#include "render/tile.h"

#include <memory>

namespace stage::render {

/// For one thread. Reads the entries only.
class LensPainter {
public:
    LensPainter(const RayPoints& points, const Opening& opening, const Air& air, scene::Blending blending);

    /// As TilePainter::paint.
    void paint(const Entries& entries, const media::Box& box, const float* ground, Canvas& canvas,
               const std::stop_token& stop);

private:
    /// False: too steep for a box of this size.
    bool ready(const std::vector<Entry>& entries, const media::Box& box, RayTile& tile, std::vector<RayCard>& cards, bool whole);
    void byParts(const Entries& entries, const media::Box& box, const float* ground, Canvas& canvas,
                 const std::stop_token& stop);
    Canvas& spare();

    const RayPoints& m_points;
    Opening m_opening;
    Air m_air;
    scene::Blending m_blending;
    PatchArena m_arena;
    std::vector<std::unique_ptr<Canvas>> m_spare;
    std::size_t m_spared = 0;
    bool m_glints = false; ///< some are thrown onto the box
};

}
