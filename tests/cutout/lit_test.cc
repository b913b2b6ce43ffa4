// Pictures in the light of lamps: against the light at known places, and the edge of a disc.
#include "cutout/lit.h"
#include "cutout/source.h"
#include "media/pixel_cache.h"
#include "support/moves.h"

#include <cmath>
#include <gtest/gtest.h>

namespace stage::cutout {
namespace {

constexpr int litSide = 400;

/// Opaque within a circle, or all over.
class Disc : public media::PixelSource {
public:
    explicit Disc(double radius)
        : PixelSource("disc " + std::to_string(radius), {litSide, litSide}, Granularity::Whole),
          m_radius(radius) {}
    Result<media::Raster> compute(int, const media::Box& box, media::PixelCache&,
                                  const Progress&) const override {
        media::Raster out(box.size());
        for (int y = 0; y < litSide; ++y)
            for (int x = 0; x < litSide; ++x) {
                const double away = std::hypot(x + 0.5 - litSide / 2.0, y + 0.5 - litSide / 2.0);
                const float alpha =
                    m_radius > 0 ? static_cast<float>(std::clamp(m_radius - away + 0.5, 0.0, 1.0)) : 1;
                for (int c = 0; c < 4; ++c)
                    out.row(y)[4 * x + c] = alpha * (c == 3 ? 1.f : 0.5f);
            }
        return out;
    }

private:
    double m_radius;
};

motion::Pixels lightedBy(const motion::Light& light) {
    motion::Pixels pixels;
    auto layer = test::card(1, {0, 0, -5});
    layer->pixels = {litSide, litSide};
    pixels.layer = layer;
    pixels.light = std::make_shared<const motion::Light>(light);
    return pixels;
}

media::Raster shown(const motion::Light& light, double radius, int level = 0) {
    media::PixelCache cache;
    const auto source = lit(lightedBy(light), std::make_shared<Disc>(radius));
    auto raster = cache.read(source, level, media::boxOf(media::levelSize(source->size(), level)));
    EXPECT_TRUE(raster);
    return *raster;
}

/// A lamp over the upper left, and one behind on the right.
motion::Light twoLamps() {
    motion::Light light;
    light.ambient = V3d(0.2, 0.3, 0.4);
    light.perPixel = {0.005, 0.005};
    light.shading.translucency = 0.5;
    light.lamps = {{{100, 80}, 0.8, V3d(6, 5, 4), 0.2, 9}, {{500, 200}, -1.5, V3d(20, 8, 2), 0.3, 9}};
    return light;
}

}

TEST(Lit, IsTheLightAtEachPlaceTimesTheColour) {
    const motion::Light light = twoLamps();
    const media::Raster raster = shown(light, 0);
    for (int y = 3; y < litSide; y += 37)
        for (int x = 5; x < litSide; x += 41) {
            const V3d should = motion::lightAt(light, {x + 0.5, y + 0.5}, V2d(0), 0) * 0.5;
            for (int c = 0; c < 3; ++c)
                EXPECT_NEAR(float(raster.row(y)[4 * x + c]), should[c], 0.01 * should[c]) << x << ' ' << y;
            EXPECT_EQ(float(raster.row(y)[4 * x + 3]), 1.f);
        }
}

TEST(Lit, TheEdgeOfADiscTurnsAwayAsIfItWereRound) {
    motion::Light light;
    light.ambient = V3d(0);
    light.perPixel = {0.005, 0.005};
    light.shading.front = 0;
    light.shading.edge = {1, 20, 1};
    light.lamps = {{{3000, 200}, -4, V3d(400), 0.5, 100}}; // far to the right, behind
    const double radius = 150;
    const media::Raster raster = shown(light, radius);
    double off = 0, most = 0;
    int count = 0;
    for (int y = 0; y < litSide; ++y)
        for (int x = 0; x < litSide; ++x) {
            const V2d from(x + 0.5 - litSide / 2.0, y + 0.5 - litSide / 2.0);
            const double inside = radius - from.length();
            if (inside < 2 || inside > 40) continue; // but for pixels that the edge cuts
            const double sine = std::clamp(1 - inside / 20, 0.0, 1.0);
            const V3d should = motion::lightAt(light, {x + 0.5, y + 0.5}, from.normalized(), sine) * 0.5;
            const auto is = static_cast<double>(float(raster.row(y)[4 * x]));
            off += std::abs(is - should.x), most = std::max(most, should.x), ++count;
        }
    EXPECT_GT(most, 0.1);
    EXPECT_LT(off / count, 0.03 * most);
    // Its left edge, away from the lamp, stays dark; so does its middle.
    EXPECT_EQ(float(raster.row(litSide / 2)[4 * (litSide / 2 - 147)]), 0.f);
    EXPECT_EQ(float(raster.row(litSide / 2)[4 * (litSide / 2)]), 0.f);
    EXPECT_GT(float(raster.row(litSide / 2)[4 * (litSide / 2 + 147)]), 0.5 * most);
}

TEST(Lit, APictureThatIsCutByItsFrameHasNoEdgeThere) {
    motion::Light light;
    light.ambient = V3d(1);
    light.perPixel = {0.005, 0.005};
    light.shading.edge = {5, 30, 1};
    light.lamps = {{{600, 200}, -1, V3d(50), 0.5, 100}};
    const media::Raster raster = shown(light, 0);
    for (int y = 0; y < litSide; y += 20)
        EXPECT_EQ(float(raster.row(y)[4 * (litSide - 1)]), 0.5f) << y;
}

TEST(Lit, IsTheSameByTilesAndAlikeOnCoarserLevels) {
    motion::Light light = twoLamps();
    light.shading.edge = {2, 16, 0.8};
    const media::Raster whole = shown(light, 150), coarse = shown(light, 150, 1);
    media::PixelCache cache;
    const auto source = lit(lightedBy(light), std::make_shared<Disc>(150));
    const media::Box part{240, 200, 300, 270}; // over two tiles
    const auto piece = cache.read(source, 0, part);
    ASSERT_TRUE(piece);
    for (int y = part.y0; y < part.y1; ++y)
        EXPECT_TRUE(std::equal(piece->row(y - part.y0), piece->row(y - part.y0) + 4 * part.size().x,
                               whole.row(y) + 4 * part.x0));
    double off = 0;
    for (int y = 0; y < litSide / 2; ++y)
        for (int x = 0; x < litSide / 2; ++x) {
            double mean = 0;
            for (int k = 0; k < 4; ++k)
                mean += static_cast<double>(float(whole.row(2 * y + k / 2)[4 * (2 * x + k % 2)])) / 4;
            off += std::abs(static_cast<double>(float(coarse.row(y)[4 * x])) - mean);
        }
    EXPECT_LT(off / (litSide * litSide / 4), 0.01);
}

TEST(Lit, WithoutLampsInAmbientLightOfOneNothingIsMade) {
    motion::Light light;
    light.ambient = V3d(1);
    const auto below = std::make_shared<Disc>(10);
    EXPECT_EQ(lit(lightedBy(light), below), below);
}

}
