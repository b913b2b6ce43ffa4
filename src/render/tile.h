// Painting one tile of the frame as a pinhole sees it.
#pragma once

#include "render/blur.h"
#include "render/brush.h"
#include "render/entry.h"
#include "render/tile_part.h"

namespace stage::render {

/// For one thread. Reads the entries only.
class TilePainter {
public:
    /// draft: cards are blurred by their discs and their motion; else they are as a pinhole sees them.
    TilePainter(bool draft, const Opening& opening, const Air& air, scene::Blending blending)
        : m_draft(draft), m_air(air), m_blending(blending), m_blur(opening) {}

    /// Boxes painted from now on are mostly inside this one.
    void startBlock(const media::Box& block) { m_blur.startBlock(block); }

    /// Paints a box of the frame, at most Canvas::side across and down, over a ground of one colour in the
    /// blending's values. The canvas has scene-linear light.
    void paint(const Entries& entries, const media::Box& box, const float* ground, Canvas& canvas);

private:
    void paint(const std::vector<Entry>& entries, const media::Box& box, const float* ground, Canvas& canvas);
    struct Seen {
        const Entry* entry;
        Reach reach;
        double nearness = 0;
        bool blurred = false; ///< by discs, or by its motion
        bool soft = false;    ///< so little that a brush may do it
        Look look{};          ///< of what is painted by a brush
        Known known{};
        bool looked = false; ///< look and known are set
        int gap = -1;        ///< of what fills space instead of a card: which of m_gaps
    };
    bool find(const std::vector<Entry>& entries, const media::Box& box, std::vector<Seen>& seen) const;
    static bool anyBent(const std::vector<Seen>& seen);
    /// Nearest first at a place; of those in one plane the later is above.
    static void sort(std::vector<Seen>& seen, const V2d& at);
    /// The first that may be in front of the one before it somewhere in the part; nothing: they are in order.
    static std::optional<std::size_t> outOfOrder(const std::vector<Seen>& seen, const media::Box& box,
                                                 const TilePart& part);
    void dropClear(std::vector<Seen>& seen, const media::Box& box) const;
    void dropHidden(std::vector<Seen>& seen, const media::Box& box, const TilePart& part) const;
    /// What is seen in a part, nearest first.
    struct Ordered {
        TilePart part;
        std::vector<Seen> seen;
    };
    static std::vector<Ordered> ordered(const std::vector<Seen>& seen, const media::Box& box);
    bool paintPart(const std::vector<Entry>& entries, std::vector<Seen> seen, const media::Box& box,
                   const TilePart& part, const float* ground, Canvas& canvas);
    std::size_t paintByBrush(const std::vector<Seen>& seen, const media::Box& box, Canvas& canvas);
    bool byBrush(const Seen& seen) const;
    Brush brushFor(const Seen& seen, const media::Box& box, Blocks without);
    bool paintFrom(std::size_t first, const std::vector<Seen>& seen, const media::Box& box,
                   const float* ground, Canvas& canvas);
    /// What can be told of one without painting it.
    void prepare(Seen& seen, const media::Box& box) const;
    /// That, but once.
    void look(Seen& seen, const media::Box& box) const;
    void byParts(const std::vector<Entry>& entries, const media::Box& box, const float* ground,
                 Canvas& canvas);
    void byPixel(const std::vector<Seen>& seen, const media::Box& box, const float* ground, Canvas& canvas);
    void fillGaps(const std::vector<Entry>& entries, const media::Box& box, bool ordered,
                  std::vector<Seen>& seen);
    /// What one shows, without its opacity.
    void alone(const Seen& seen, const media::Box& box, Canvas& canvas);

    bool m_draft;
    Air m_air;
    scene::Blending m_blending;
    PatchArena m_arena;
    DiscBlur m_blur;
    std::vector<FilledGap> m_gaps;
    Entry m_merged; ///< stands for what fills space and is laid over what is behind
};

}
