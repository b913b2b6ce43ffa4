// Rays added only where a pixel's error asks for them: how near to the truth it comes, where rays go, and
// that neither threads nor regions change it.
#include "render/render.h"
#include "support/support.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

namespace stage::render::by_need_test {
namespace {

using test::Rgba8;
using test::TempDir;

constexpr V2i frame(192, 128);
constexpr double error = 1.0 / 255;

double encoded(float value) {
    const double c = std::clamp(static_cast<double>(value), 0.0, 1.0);
    return c <= 0.0031308 ? 12.92 * c : 1.055 * std::pow(c, 1 / 2.4) - 0.055;
}

/// A far picture of stripes, a near one with a hole, both out of focus, beside ground that nothing covers.
class ByNeed : public testing::Test {
protected:
    ByNeed() {
        test::writePicture(m_dir / "stripes.png", {400, 400}, [](int x, int y) {
            return x / 20 % 2 ? Rgba8{230, 200, 90, 255} : Rgba8{20, (y * 3) % 256, 120, 255};
        });
        test::writePicture(m_dir / "ring.png", {300, 300}, [](int x, int y) {
            const double r = std::hypot(x - 150, y - 150);
            return r > 60 && r < 140 ? Rgba8{60, 220, 200, 255} : Rgba8{0, 0, 0, 0};
        });
        m_scene = scene::emptyScene();
        m_scene.output.frame = frame;
        scene::Pose& pose = m_scene.camera.marks[0].pose;
        pose.focal = 50, pose.fstop = 1.2, pose.focus = 4;
        m_scene.layers = {
            test::pictureLayer(1, "stripes", m_dir / "stripes.png", {400, 400}, 3, {0.8, 0, -9}),
            test::pictureLayer(2, "ring", m_dir / "ring.png", {300, 300}, 0.9, {-0.1, 0, -2})};
    }

    Image shown(const Quality& quality) {
        auto picture = render(motion::evaluate(m_scene, 0, frame, false), quality, m_cache);
        EXPECT_TRUE(picture) << picture.error().sentence;
        return *picture;
    }
    static Quality needed(std::vector<std::uint16_t>* counts = nullptr, double most = error) {
        return {.method = Method::Final, .samples = 512, .noise = most, .counts = counts};
    }
    /// Root mean square of what differs in one pixel, as shown.
    static double apart(const Image& a, const Image& b, int x, int y) {
        double sum = 0;
        for (int c = 0; c < 3; ++c)
            sum += std::pow(encoded(a.row(y)[4 * x + c]) - encoded(b.row(y)[4 * x + c]), 2);
        return std::sqrt(sum / 3);
    }

    TempDir m_dir;
    scene::Scene m_scene;
    media::PixelCache m_cache;
};

TEST_F(ByNeed, EveryPixelComesNearTheTruth) {
    const Image truth = shown({.method = Method::Traced, .samples = 2048});
    for (const double most : {2 / 255.0, 1 / 255.0, 0.5 / 255.0}) {
        const Image picture = shown(needed(nullptr, most));
        double sum = 0;
        int far = 0;
        for (int y = 0; y < frame.y; ++y)
            for (int x = 0; x < frame.x; ++x) {
                const double off = apart(picture, truth, x, y);
                sum += off * off;
                far += off > 4 * most;
            }
        EXPECT_LT(std::sqrt(sum / (frame.x * frame.y)), 0.6 * most) << most;
        // Both halves may agree by chance, mostly where a rim of light begins over black.
        EXPECT_LT(far, 0.002 * frame.x * frame.y) << most;
    }
}

/// Most along the ring's rim.
TEST_F(ByNeed, RaysGoWhereTheyAreNeeded) {
    std::vector<std::uint16_t> counts;
    shown(needed(&counts));
    ASSERT_EQ(counts.size(), static_cast<std::size_t>(frame.x * frame.y));
    double sum = 0;
    for (const int count : counts) {
        EXPECT_GE(count, 16);
        EXPECT_LE(count, 512);
        EXPECT_EQ(count & (count - 1), 0) << "not doubled from 16 on";
        sum += count;
    }
    EXPECT_GE(*std::max_element(counts.begin(), counts.end()), 128);
    EXPECT_LT(sum / (frame.x * frame.y), 100);
}

TEST_F(ByNeed, GroundAloneGetsTheFewestThereAre) {
    for (const double most : {2 * error, error, error / 2}) {
        std::vector<std::uint16_t> counts;
        shown(needed(&counts, most));
        for (int y = 0; y < 16; ++y)
            for (int x = 0; x < 16; ++x) // the upper left corner
                EXPECT_EQ(counts[static_cast<std::size_t>(y * frame.x + x)], 16) << most;
    }
}

TEST_F(ByNeed, HalfTheErrorTakesMoreRays) {
    const auto spent = [&](double most) {
        std::vector<std::uint16_t> counts;
        shown(needed(&counts, most));
        double sum = 0;
        for (const int count : counts)
            sum += count;
        return sum;
    };
    EXPECT_GT(spent(0.5 / 255.0), 1.3 * spent(1 / 255.0));
}

TEST_F(ByNeed, TheCountIsItsLimit) {
    std::vector<std::uint16_t> counts;
    Quality quality = needed(&counts, 1e-6);
    quality.samples = 48;
    const Image limited = shown(quality);
    const Image all = shown({.method = Method::Final, .samples = 48});
    // Where nothing is out of order, the same rays: to rounding of the sums.
    for (int y = 0; y < frame.y; ++y)
        for (int x = 0; x < frame.x; ++x) {
            const int count = counts[static_cast<std::size_t>(y * frame.x + x)];
            EXPECT_TRUE(count == 16 || count == 32 || count == 48) << count;
            if (count == 48) {
                EXPECT_LT(apart(limited, all, x, y), 1e-4);
            }
        }
    EXPECT_EQ(*std::max_element(counts.begin(), counts.end()), 48);
}

TEST_F(ByNeed, IsTheSameForAnyThreadsAndRegions) {
    for (const bool paint : {false, true}) {
        m_scene.output.blending = paint ? scene::Blending::Paint : scene::Blending::Light;
        const Image whole = shown(needed());
        for (const std::size_t threads : {1u, 2u, 7u}) {
            const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                                    threads);
            EXPECT_EQ(shown(needed()).rgba, whole.rgba) << threads;
        }
        Quality part = needed();
        part.region = {70, 40, 120, 90};
        const Image seen = shown(part);
        for (int y = part.region.y0; y < part.region.y1; ++y)
            EXPECT_TRUE(std::equal(seen.row(y) + 4 * part.region.x0, seen.row(y) + 4 * part.region.x1,
                                   whole.row(y) + 4 * part.region.x0))
                << y;
    }
}

/// Pieces are painted each for itself: along their borders as few pixels are off by more than what is allowed
/// as in any other row or column.
TEST_F(ByNeed, ShowsNoBordersOfPieces) {
    const Image truth = shown({.method = Method::Traced, .samples = 2048});
    const Image picture = shown(needed());
    std::array<double, pieceSide> off{}; // shares of such pixels, by their place within pieces
    for (int y = 0; y < frame.y; ++y)
        for (int x = 0; x < frame.x; ++x) {
            if (apart(picture, truth, x, y) < error) continue;
            off[static_cast<std::size_t>(x % pieceSide)] += 1.0 / frame.y;
            off[static_cast<std::size_t>(y % pieceSide)] += 1.0 / frame.x;
        }
    const double most = *std::max_element(off.begin() + 1, off.end() - 1);
    EXPECT_GT(most, 0);
    EXPECT_LE(off.front(), most);
    EXPECT_LE(off.back(), most);
}

}
}
