// Soft focus, drop shadow and glow: how much light there is, how far it gets, and where.
#include "cutout/finished.h"
#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "support/moves.h"

#include <cmath>
#include <gtest/gtest.h>

namespace stage::cutout {
namespace {

constexpr int paperSide = 300;

/// A small square of a colour in the middle of nothing, or of a dark picture.
class Square : public media::PixelSource {
public:
    Square(float light, bool around)
        : PixelSource("square" + std::to_string(light) + (around ? "+" : "-"), {paperSide, paperSide},
                      Granularity::Whole),
          m_light(light), m_around(around) {}
    Result<media::Raster> compute(int, const media::Box& box, media::PixelCache&,
                                  const Progress&) const override {
        media::Raster out(box.size());
        for (int y = 0; y < paperSide; ++y)
            for (int x = 0; x < paperSide; ++x) {
                const bool in = std::abs(x - 150) < 10 && std::abs(y - 150) < 10;
                if (!in && !m_around) continue;
                for (int c = 0; c < 3; ++c)
                    out.row(y)[4 * x + c] = in ? m_light * (c == 0 ? 1 : 0.5f) : 0.1f;
                out.row(y)[4 * x + 3] = 1.f;
            }
        return out;
    }

private:
    float m_light;
    bool m_around;
};
constexpr int squarePixels = 19 * 19;

media::PixelSourcePtr with(const scene::Finish& finish, int margin, float light = 3, bool around = false) {
    motion::Pixels pixels;
    auto layer = test::card(1, {0, 0, -5});
    layer->pixels = {paperSide, paperSide};
    pixels.layer = layer;
    pixels.finish = std::make_shared<const scene::Finish>(finish);
    pixels.margin = margin;
    return finished(pixels, std::make_shared<Square>(light, around));
}

media::Raster shown(const media::PixelSourcePtr& source, int level = 0) {
    media::PixelCache cache;
    auto raster = cache.read(source, level, media::boxOf(media::levelSize(source->size(), level)));
    EXPECT_TRUE(raster);
    return *raster;
}

double sumOf(const media::Raster& raster, int c) {
    double sum = 0;
    for (int y = 0; y < raster.size.y; ++y)
        for (int x = 0; x < raster.size.x; ++x)
            sum += static_cast<double>(float(raster.row(y)[4 * x + c]));
    return sum;
}

}

TEST(Finished, GlowSpreadsWhatIsAboveTheThresholdAndLosesNone) {
    for (const double reach : {6.0, 24.0, 90.0}) {
        scene::Finish finish;
        finish.glow = {0.5, 1, reach, {1, 0.5, 0.25, 1}};
        const media::Raster raster = shown(with(finish, 128));
        ASSERT_EQ(raster.size, V2i(paperSide + 256, paperSide + 256));
        // Of light 3 and 1.5, the part above 1 of the brightest is two thirds.
        EXPECT_NEAR(sumOf(raster, 0), squarePixels * (3 + 0.5 * 2), squarePixels * 0.02) << reach;
        EXPECT_NEAR(sumOf(raster, 1), squarePixels * (1.5 + 0.5 * 1 * 0.5), squarePixels * 0.02) << reach;
        EXPECT_NEAR(sumOf(raster, 2), squarePixels * (1.5 + 0.5 * 1 * 0.25), squarePixels * 0.02) << reach;
        EXPECT_NEAR(sumOf(raster, 3), squarePixels, 1e-3) << "it is light, and hides nothing";
        // Nothing beyond its reach, something short of it.
        const int y = 128 + 150, edge = 128 + 160;
        const auto at = [&](double far) { return float(raster.row(y)[4 * static_cast<int>(edge + far)]); };
        EXPECT_EQ(at(1.2 * reach + 6), 0.f) << reach;
        EXPECT_GT(at(0.4 * reach), 0.f) << reach;
        EXPECT_GT(at(0.2 * reach), at(0.5 * reach)) << reach;
    }
}

TEST(Finished, NothingGlowsThatIsNotBright) {
    scene::Finish finish;
    finish.glow = {1, 4, 40, {1, 1, 1, 1}};
    const media::Raster raster = shown(with(finish, 0)), plain = shown(std::make_shared<Square>(3.f, false));
    EXPECT_TRUE(std::equal(raster.rgba.begin(), raster.rgba.end(), plain.rgba.begin()));
}

TEST(Finished, ADropShadowLiesBehindWhereItFalls) {
    scene::Finish finish;
    finish.shadow = {0.5, 40, 270, 0, {0, 0, 0.5, 1}}; // straight down, sharp
    const media::Raster raster = shown(with(finish, 64));
    const auto at = [&](int x, int y, int c) { return float(raster.row(64 + y)[4 * (64 + x) + c]); };
    EXPECT_NEAR(at(150, 190, 3), 0.5f, 1e-3f);
    EXPECT_NEAR(at(150, 190, 2), 0.25f, 1e-3f);
    EXPECT_EQ(at(150, 190, 0), 0.f);
    EXPECT_EQ(at(150, 150, 0), 3.f);
    EXPECT_EQ(at(150, 150, 3), 1.f);
    EXPECT_EQ(at(150, 110, 3), 0.f);
    EXPECT_EQ(at(190, 150, 3), 0.f);
    finish.shadow.softness = 20;
    const media::Raster soft = shown(with(finish, 64));
    EXPECT_NEAR(sumOf(soft, 3), sumOf(raster, 3), 3);
    EXPECT_EQ(float(soft.row(64 + 190)[4 * (64 + 150 + 9 + 26) + 3]), 0.f);
}

TEST(Finished, SoftFocusKeepsLightAndAlpha) {
    scene::Finish finish;
    finish.soft = {18, 1};
    const media::Raster soft = shown(with(finish, 64));
    for (int c = 0; c < 4; ++c)
        EXPECT_NEAR(sumOf(soft, c), squarePixels * (c == 0 ? 3 : c == 3 ? 1 : 1.5), squarePixels * 0.01) << c;
    EXPECT_LT(float(soft.row(64 + 150)[4 * (64 + 150)]), 2.9f);
    finish.soft.share = 0.25;
    const media::Raster some = shown(with(finish, 64));
    const float sharp = 3, blurred = soft.row(64 + 150)[4 * (64 + 150)];
    EXPECT_NEAR(float(some.row(64 + 150)[4 * (64 + 150)]), sharp + (blurred - sharp) * 0.25f, 5e-3f);
}

TEST(Finished, IsTheSameByTilesAndAlikeOnCoarserLevels) {
    scene::Finish finish;
    finish.soft = {4, 0.5};
    finish.shadow = {0.6, 20, 300, 15};
    finish.glow = {0.8, 0.5, 50, {1, 0.9, 0.8, 1}};
    const auto source = with(finish, 128);
    const media::Raster all = shown(source);
    media::PixelCache cache;
    const media::Box box{270, 190, 310, 300};
    const auto part = source->compute(0, box, cache, {});
    ASSERT_TRUE(part);
    for (int y = 0; y < box.size().y; ++y)
        for (int x = 0; x < 4 * box.size().x; ++x)
            EXPECT_NEAR(float(part->row(y)[x]), float(all.row(box.y0 + y)[4 * box.x0 + x]), 2e-3f);
    const media::Raster coarse = shown(source, 2);
    ASSERT_EQ(coarse.size, V2i((paperSide + 256) / 4, (paperSide + 256) / 4));
    double off = 0;
    for (int y = 1; y + 1 < coarse.size.y; ++y)
        for (int x = 1; x + 1 < coarse.size.x; ++x) {
            double mean = 0;
            for (int j = 0; j < 4; ++j)
                for (int i = 0; i < 4; ++i)
                    mean += static_cast<double>(float(all.row(4 * y + j)[4 * (4 * x + i)])) / 16;
            off += std::abs(mean - static_cast<double>(float(coarse.row(y)[4 * x])));
        }
    EXPECT_LT(off / (coarse.size.x * coarse.size.y), 0.01);
    // To its last level, which what is below does not have; its mean is that of all.
    const int last = media::levelCount(source->size()) - 1;
    ASSERT_GE(last, media::levelCount({paperSide, paperSide}));
    const media::Raster one = shown(source, last);
    ASSERT_EQ(one.size, V2i(1, 1));
    EXPECT_NEAR(float(one.rgba[0]), sumOf(all, 0) / (all.size.x * all.size.y), 0.02);
}

TEST(Finished, ACardGrowsWithItsPictureSoThatNothingMoves) {
    auto sheet = test::sheet(1, {4, 3}, {0, 0, -5});
    scene::Finish finish;
    finish.glow.strength = 1, finish.glow.reach = 70;
    sheet->finish = std::make_shared<const scene::Finish>(finish);
    auto plain = test::sheet(1, {4, 3}, {0, 0, -5});
    const auto itemOf = [](const scene::LayerPtr& layer) {
        return motion::evaluate(test::withSheets({test::mark(1, 0, V3d(0))}, {layer}), 0, {96, 54})
            .items.front();
    };
    const motion::Item larger = itemOf(sheet), own = itemOf(plain);
    EXPECT_EQ(larger.pixels->margin, 128);
    EXPECT_NEAR(larger.card.across.length(), 4 * (1 + 256.0 / 1000), 1e-9);
    EXPECT_NEAR((larger.card.centre() - own.card.centre()).length(), 0, 1e-9);
    const optics::Surface back =
        motion::withMargin(larger.card, larger.layer->pixels, -larger.pixels->margin);
    EXPECT_NEAR((back.corner - own.card.corner).length(), 0, 1e-9);
    EXPECT_NEAR((back.across - own.card.across).length(), 0, 1e-9);
    // What is mirrored on, or bent, stays as large as it is.
    auto bent = std::make_shared<scene::Layer>(*sheet);
    bent->hanging.bend = 30;
    EXPECT_EQ(itemOf(bent).pixels->margin, 0);
}

}
