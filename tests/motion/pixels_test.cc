// What a layer shows at a time: its cut-out without keys.
#include "motion/pixels.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::motion {
namespace {

/// A layer with one matte that moves from what it is at 1 s to what it is at 3 s.
struct Cut {
    scene::Scene scene = scene::emptyScene();
    explicit Cut(scene::Matte matte) {
        auto cutout = std::make_shared<scene::Cutout>();
        cutout->mattes = {std::move(matte)};
        auto layer = std::make_shared<scene::Layer>(
            *test::pictureLayer(1, "wall", "wall.png", {160, 80}, 8, V3d(0, 0, -10)));
        layer->cutout = cutout;
        scene.layers = {layer};
    }
    scene::Matte at(Rational time) const {
        const PixelsPtr pixels = pixelsAt(scene, scene.layers[0], time);
        EXPECT_TRUE(pixels && pixels->cutout);
        return pixels->cutout->mattes[0];
    }
};
template <class T> scene::Keyed<T> keyed(T from, T to) {
    scene::Keyed<T> value;
    value.keys = {{Rational(1), from}, {Rational(3), to}};
    value.value = from;
    return value;
}

TEST(Mattes, OutlinesMovePointByPoint) {
    scene::Matte matte;
    matte.shape = scene::Outline{
        keyed<std::vector<scene::PathPoint>>({{{0, 0}, {-1, 0}, {1, 0}}, {{10, 0}}, {{10, 10}}},
                                             {{{4, 8}, {-3, 2}, {5, 2}}, {{10, 4}}, {{18, 10}}})};
    const Cut cut(matte);
    const auto points = std::get<scene::Outline>(cut.at(2).shape).points;
    EXPECT_FALSE(points.moves());
    ASSERT_EQ(points.value.size(), 3u);
    EXPECT_EQ(points.value[0].place, V2d(2, 4));
    EXPECT_EQ(points.value[0].in, V2d(-2, 1));
    EXPECT_EQ(points.value[0].out, V2d(3, 1));
    EXPECT_EQ(points.value[2].place, V2d(14, 10));
    EXPECT_EQ(std::get<scene::Outline>(cut.at(0).shape).points.value[0].place, V2d(0, 0));
    EXPECT_EQ(std::get<scene::Outline>(cut.at(9).shape).points.value[0].place, V2d(4, 8));
}

TEST(Mattes, OutlinesOfOtherLengthChangeAtOnce) {
    scene::Matte matte;
    matte.shape = scene::Outline{keyed<std::vector<scene::PathPoint>>(
        {{{0, 0}}, {{9, 0}}, {{9, 9}}}, {{{0, 0}}, {{9, 0}}, {{9, 9}}, {{0, 9}}})};
    const Cut cut(matte);
    EXPECT_EQ(std::get<scene::Outline>(cut.at(Rational(29, 10)).shape).points.value.size(), 3u);
    EXPECT_EQ(std::get<scene::Outline>(cut.at(3).shape).points.value.size(), 4u);
}

TEST(Mattes, ShapesAndNumbersMoveToo) {
    scene::Matte matte;
    matte.grow = keyed(0.0, 6.0);
    matte.feather = keyed(2.0, 4.0);
    matte.opacity = keyed(1.0, 0.5);
    matte.shape = scene::Rectangle{keyed<scene::Area>({{0, 0}, {10, 20}, 0}, {{8, 4}, {30, 20}, 90})};
    const Cut cut(matte);
    const scene::Matte now = cut.at(Rational(3, 2)); // a quarter of the way
    EXPECT_NEAR(now.grow.value, 1.5, 1e-12);
    EXPECT_NEAR(now.feather.value, 2.5, 1e-12);
    EXPECT_NEAR(now.opacity.value, 0.875, 1e-12);
    const scene::Area area = std::get<scene::Rectangle>(now.shape).area.value;
    EXPECT_EQ(area.centre, V2d(2, 1));
    EXPECT_EQ(area.size, V2d(15, 20));
    EXPECT_NEAR(area.turn, 22.5, 1e-12);
}

TEST(Footage, DissolvesItsEndIntoItsBeginWhereItLoops) {
    scene::Footage footage;
    footage.rate = 10;
    footage.frames = 20;
    footage.in = 4, footage.out = 16; // twelve of them
    footage.ends = scene::Ends::Loop;
    footage.dissolve = 3;
    // A round is nine frames: 7 to 15, of which the last three go over into 4 to 6.
    for (int n = 0; n < 40; ++n) {
        const auto shown = footageAt(footage, Rational(n, 10));
        ASSERT_TRUE(shown);
        EXPECT_EQ(shown->frame, 7 + n % 9) << n;
        if (n % 9 < 6) {
            EXPECT_EQ(shown->share, 0) << n;
        } else {
            EXPECT_EQ(shown->next, 4 + n % 9 - 6) << n;
            EXPECT_NEAR(shown->share, (n % 9 - 5) / 4.0, 1e-12) << n;
        }
    }
    EXPECT_EQ(footageAt(footage, Rational(-1, 10))->frame, 15);
    footage.speed = -1; // backwards: from the last frame used
    EXPECT_EQ(footageAt(footage, 0)->frame, 12);
    EXPECT_EQ(footageAt(footage, Rational(8, 10))->frame, 4);
    EXPECT_EQ(footageAt(footage, Rational(8, 10))->next, 13);
    footage.dissolve = 100; // no more than half of it
    EXPECT_EQ(footageAt(footage, 0)->frame, 15 - 5);
    footage.ends = scene::Ends::Hold;
    EXPECT_EQ(footageAt(footage, 0)->share, 0);
}

}
}
