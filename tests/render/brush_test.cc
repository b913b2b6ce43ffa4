// The pinhole's kernel against its plain twin, on every instruction set that this machine runs.
#include "render/brush.h"
#include "render/sampler.h"

#include <cmath>
#include <gtest/gtest.h>
#include <memory>
#include <random>

namespace stage::render::brush_test {
namespace {

struct Case {
    Plane plane;
    media::PyramidPtr pixels;
    media::Box box;
};

class Cases {
public:
    explicit Cases(unsigned seed) : m_random(seed) {}
    double in(double a, double b) { return std::uniform_real_distribution<double>(a, b)(m_random); }

    Case next() {
        Case made;
        // Sizes down to one texel, odd ones, and ones that span several tiles.
        const V2i sizes[] = {{1, 1}, {1, 7}, {2, 2}, {3, 5}, {17, 9}, {255, 257}, {300, 211}, {600, 400}};
        const V2i size = sizes[m_random() % 8];
        media::Raster base(size);
        for (std::size_t i = 0; i < base.rgba.size(); i += 4) {
            const double alpha = in(0, 1);
            for (std::size_t c = 0; c < 3; ++c)
                base.rgba[i + c] = static_cast<float>(in(0, 1) * alpha);
            base.rgba[i + 3] = static_cast<float>(alpha);
        }
        made.pixels = media::makePyramid(base);
        scene::Pose pose;
        pose.pan = in(-30, 30);
        pose.tilt = in(-20, 20);
        pose.roll = in(-90, 90);
        const auto view = optics::viewOf(pose, 36, {256, 144});
        const bool facing = m_random() % 3 == 0;
        const double yaw = facing ? -radians(pose.pan) : in(-1.2, 1.2), size_ = std::exp(in(-1, 4));
        V3d across = V3d(std::cos(yaw), 0, -std::sin(yaw)) * size_,
            down = V3d(0, -1, in(-0.6, 0.6)) * size_ * in(0.3, 1.5);
        if (facing) across = view.right * size_, down = view.up * -size_;
        const V3d centre =
            view.eye + view.forward * std::exp(in(0.5, 3.5)) + view.right * in(-4, 4) + view.up * in(-3, 3);
        scene::Extensions on;
        const scene::Beyond methods[] = {scene::Beyond::Nothing, scene::Beyond::Mirror, scene::Beyond::Repeat,
                                         scene::Beyond::Stretch};
        if (m_random() % 3 == 0)
            on = {{methods[m_random() % 4], in(0, 1)},
                  {methods[m_random() % 4], in(0, 1)},
                  {methods[m_random() % 4], in(0, 1)},
                  {methods[m_random() % 4], in(0, 1)}};
        optics::Surface card{centre - (across + down) * 0.5, across, down};
        made.plane = planeOf(card, view, size, on);
        const int x = 8 * static_cast<int>(in(0, 28)), y = static_cast<int>(in(0, 112));
        made.box = {x, y, x + 1 + static_cast<int>(in(0, 31.9)), y + 1 + static_cast<int>(in(0, 31.9))};
        return made;
    }

private:
    std::mt19937 m_random;
};

TEST(Brush, IsItsPlainTwinOnEveryInstructionSet) {
    const auto sets = instructionSets();
    ASSERT_FALSE(sets.empty());
    std::vector<float> first; // what the best set paints, which the others must paint too
    for (const std::string& set : sets) {
        std::size_t at = 0;
        useInstructionSet(set);
        Cases cases(7);
        PatchArena arena;
        const auto canvas = std::make_unique<Canvas>();
        int painted = 0;
        double sum = 0;
        for (int round = 0; round < 250; ++round) {
            const Case c = cases.next();
            const Reach reach = reachOf(c.plane, c.box.x0, c.box.y0, c.box.x1, c.box.y1, Through::Pinhole);
            if (reach.off) continue;
            arena.reset();
            const V2i size = c.box.size();
            const auto brush = brushOf(c.plane, *c.pixels, reach, c.box.x0, c.box.y0, size.x, size.y, arena);
            if (!brush) continue;
            canvas->clear(size.x, size.y);
            paintUnder(*brush, *canvas);
            std::vector<float> row(static_cast<std::size_t>(size.x) * 4);
            for (int y = 0; y < size.y; ++y) {
                sampleRow(c.plane, *c.pixels, c.box.y0 + y, c.box.x0, c.box.x1, row.data());
                for (int x = 0; x < size.x; ++x) {
                    // Askew, the kernel mixes levels for a group at a time and takes as many taps all over a
                    // tile. A small share of one level is left out. Beyond the edges, what goes on in
                    // smaller levels is laid on whole texels.
                    const bool exact = c.plane.level && (!c.plane.extensions.any() || brush->levels == 1);
                    const double bound = exact ? 0.012 : 0.35;
                    for (int k = 0; k < 4; ++k) {
                        const float got = canvas->rgba[4 * (y * Canvas::side + x) + k],
                                    wanted =
                                        row[4 * static_cast<std::size_t>(x) + static_cast<std::size_t>(k)];
                        ASSERT_TRUE(std::isfinite(got)) << set << " " << round;
                        if (&set == sets.data()) first.push_back(got);
                        ASSERT_NEAR(got, first[at++], 5e-4) << set << " round " << round;
                        ASSERT_NEAR(got, wanted, bound)
                            << set << " round " << round << " at " << x << ", " << y;
                        sum += std::abs(got - wanted);
                    }
                    ++painted;
                }
            }
        }
        EXPECT_GT(painted, 8000) << set;
        EXPECT_LT(sum / (4.0 * painted), 4e-3) << set;
    }
    useInstructionSet("");
}

}
}
