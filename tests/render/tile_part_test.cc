// Parts of a tile on either side of lines.
#include "render/tile_part.h"

#include <gtest/gtest.h>
#include <memory>
#include <random>

namespace stage::render {
namespace {

TEST(TilePart, EveryPixelIsInOneOfBothByItsMiddle) {
    std::mt19937 random(4);
    std::uniform_real_distribution<double> slope(-1, 1);
    const media::Box box{64, 96, 91, 128};
    const V2i size = box.size();
    for (int round = 0; round < 300; ++round) {
        std::vector<Linear> lines;
        std::vector<TilePart> parts{TilePart(box)};
        for (int k = 0; k < 3; ++k) {
            Linear line{0, slope(random), slope(random)};
            line.a = -line.at(box.x0 + 35 * std::abs(slope(random)) - 4,
                              box.y0 + 35 * std::abs(slope(random)) - 4);
            lines.push_back(line);
            std::vector<TilePart> more;
            for (const TilePart& part : parts) {
                auto [above, rest] = part.dividedBy(line);
                for (TilePart* each : {&above, &rest})
                    if (!each->empty()) more.push_back(std::move(*each));
            }
            parts = std::move(more);
        }
        const auto from = std::make_unique<Canvas>(), to = std::make_unique<Canvas>();
        to->clear(size.x, size.y);
        for (const TilePart& part : parts) {
            from->clear(size.x, size.y);
            part.markOutside(*from);
            const Blocks outside = part.outside();
            const V2d middle = part.middle();
            for (int y = 0; y < size.y; ++y)
                for (int x = 0; x < size.x; ++x) {
                    bool in = true;
                    for (const Linear& line : lines)
                        in = in && (line.at(box.x0 + x + 0.5, box.y0 + y + 0.5) > 0) ==
                                       (line.at(middle.x, middle.y) > 0);
                    from->row(y)[4 * x] = in ? 1 : 100;
                    if (!in) continue;
                    EXPECT_FALSE(from->full[(y * Canvas::side + x) / Canvas::group]);
                    EXPECT_FALSE(outside >> (blocksAcross * (y / blockSide) + x / blockSide) & 1);
                }
            // Only its own go over, and each once.
            const auto before = std::make_unique<Canvas>(*to);
            part.copy(*from, *to);
            for (int y = 0; y < size.y; ++y)
                for (int x = 0; x < size.x; ++x)
                    if (to->row(y)[4 * x] != before->row(y)[4 * x]) {
                        EXPECT_EQ(before->row(y)[4 * x], 0);
                        EXPECT_EQ(to->row(y)[4 * x], 1);
                    }
        }
        for (int y = 0; y < size.y; ++y)
            for (int x = 0; x < size.x; ++x)
                ASSERT_EQ(to->row(y)[4 * x], 1) << round << ", " << x << ' ' << y;
    }
}

TEST(TilePart, ALineThatMissesItLeavesItWhole) {
    const media::Box box{0, 0, 32, 32};
    const auto [above, rest] = TilePart(box).dividedBy({1, 0, 0.1});
    EXPECT_EQ(above.corners().size(), 4u);
    EXPECT_EQ(above.outside() & blocksOf(32, 32), 0);
    EXPECT_TRUE(rest.empty());
}

}
}
