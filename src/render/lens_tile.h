// One tile of the frame as the lens sees it, ray by ray: the final picture, and with many rays the truth.
#pragma once

#include "render/entry.h"
#include "render/rays.h"
#include "render/tile.h"

#include <memory>

namespace stage::render {

/// How many rays a pixel gets.
struct Effort {
    int rays = 64;    ///< cards are read as finely as so many need; as a rule those of the points
    double noise = 0; ///< as Quality's
    std::uint16_t* counts = nullptr; ///< if given, filled with the rays of each pixel of the frame
    int width = 0;                   ///< of the frame
    bool truth = false;              ///< what fills space is looked at ray by ray
};

/// For one thread. Reads the entries only.
class LensPainter {
public:
    LensPainter(const RayPoints& points, const Effort& effort, const Opening& opening, const Air& air,
                scene::Blending blending);

    /// As TilePainter::paint.
    void paint(const Entries& entries, const media::Box& box, const float* ground, Canvas& canvas,
               const std::stop_token& stop);

    /// Adds the glints that fall on a box to a canvas that shows the rest of it, each as far as the cards in
    /// front let its rays through.
    void addGlints(const Entries& entries, const media::Box& box, Canvas& canvas);

private:
    RayTile tileOf(const media::Box& box) const;
    static void addSeen(std::vector<const Glint*> glints, const RayTile& tile,
                        const std::vector<RayCard>& cards, Canvas& canvas);
    static std::vector<const Glint*> glintsOn(const Entries& entries, const media::Box& box);
    /// False: too steep for a box of this size.
    bool prepare(const std::vector<Entry>& entries, const media::Box& box, RayTile& tile,
                 std::vector<RayCard>& cards, bool whole);
    struct Seen;
    struct Reading;
    static RayCard cardOf(const Entry& entry, const media::Box& box);
    static void order(std::vector<Seen>& seen, const media::Box& box, RayTile& tile);
    void fillGaps(const std::vector<Entry>& entries, const media::Box& box, const RayTile& tile,
                  std::vector<Seen>& seen, std::vector<RayCard>& cards);
    void addGap(const FilledGap& filled, scene::Blend blend, std::vector<RayCard>& cards);
    bool add(const Entry& entry, const media::Box& box, RayTile& tile, bool whole, std::vector<Seen>& seen);
    bool addFlat(Seen here, const Reach& reach, const media::Box& box, RayTile& tile, bool whole,
                 std::vector<Seen>& seen);
    Reading readingOf(const Plane& plane, const media::Box& box) const;
    bool paintFixed(const Entry& entry, const Reach& sharp, const media::Box& box, RayCard& card);
    void layOut(const Entry& entry, const Reach& reach, const Reading& reading, const media::Box& box,
                bool opaque, RayCard& card);
    /// Readies a card that is not flat; true where rays may meet it twice.
    bool mesh(const Entry& entry, const Reach& reach, const media::Box& box, RayCard& card);
    Canvas& spare();

    const RayPoints& m_points;
    Effort m_effort;
    Opening m_opening;
    Air m_air;
    scene::Blending m_blending;
    PatchArena m_arena;
    Occupancy m_occupancy;
    std::vector<std::unique_ptr<Canvas>> m_spare;
    std::size_t m_spared = 0;
    bool m_glints = false; ///< some are thrown onto the box
    bool m_tracing = true; ///< not only glints are looked for
};

}
