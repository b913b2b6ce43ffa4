// Scopes: what they count of pictures that are known, and that they follow the Camera view.
#include "desk/camera/camera_picture.h"
#include "desk/camera/camera_view.h"
#include "desk/camera/scopes_view.h"
#include "desk/jobs/view_renderer.h"
#include "desk/kit/panes.h"
#include "staged_fixture.h"

namespace stage::desk {
namespace {

QImage picture(const std::vector<QRgb>& columns, int height) {
    QImage image(static_cast<int>(columns.size()), height, QImage::Format_ARGB32_Premultiplied);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < image.width(); ++x)
            image.setPixel(x, y, columns[static_cast<std::size_t>(x)]);
    return image;
}

std::uint32_t at(const Scopes& scopes, Scopes::Value value, int column, int level) {
    return scopes.waveforms[value][static_cast<std::size_t>(column) * Scopes::levels +
                                   static_cast<std::size_t>(level)];
}

TEST(Scopes, CountLevelsByColumn) {
    const Scopes scopes = scopesOf(
        picture({qRgb(255, 255, 255), qRgb(0, 0, 0), qRgb(200, 100, 50), qRgba(0, 0, 0, 0)}, 10), 4, false);
    EXPECT_EQ(scopes.columns, 4);
    EXPECT_EQ(scopes.counted, 30u) << "what is clear does not count";
    EXPECT_EQ(scopes.tooBright, 10u);
    EXPECT_EQ(scopes.tooDark, 10u);
    EXPECT_EQ(at(scopes, Scopes::Luma, 0, 255), 10u);
    EXPECT_EQ(at(scopes, Scopes::Blue, 1, 0), 10u);
    EXPECT_EQ(at(scopes, Scopes::Red, 2, 200), 10u);
    // 0.2126 x 200 + 0.7152 x 100 + 0.0722 x 50 = 117.65.
    EXPECT_EQ(at(scopes, Scopes::Luma, 2, 118), 10u);
    EXPECT_EQ(scopes.histograms[Scopes::Green][100], 10u);
    std::uint32_t sum = 0;
    for (const std::uint32_t count : scopes.vectors)
        sum += count;
    EXPECT_EQ(sum, 30u);
}

TEST(Scopes, ColourDifferencesAreThoseOfRec709) {
    // BT.709: Cb = (B - Y) / 1.8556, Cr = (R - Y) / 1.5748.
    const auto red = differenceOf(1, 0, 0);
    EXPECT_NEAR(red.cr, 0.5, 1e-9);
    EXPECT_NEAR(red.cb, -0.2126 / 1.8556, 1e-9);
    const auto yellow = differenceOf(0.75, 0.75, 0);
    EXPECT_NEAR(yellow.cb, -0.375, 1e-9);
    const auto grey = differenceOf(0.3, 0.3, 0.3);
    EXPECT_NEAR(grey.cb, 0, 1e-12);
    EXPECT_NEAR(grey.cr, 0, 1e-12);
    const Scopes scopes = scopesOf(picture({qRgb(255, 0, 0)}, 1), 1, false);
    const int cr = 255, cb = static_cast<int>((red.cb + 0.5) * 256);
    EXPECT_EQ(scopes.vectors[static_cast<std::size_t>(cr * Scopes::levels + cb)], 1u);
}

TEST(Scopes, HatchingDoesNotCount) {
    const QImage image = picture({hatchBright, hatchGap, qRgb(9, 9, 9)}, 5);
    EXPECT_EQ(scopesOf(image, 3, true).counted, 5u);
    EXPECT_EQ(scopesOf(image, 3, false).counted, 15u);
}

TEST(Scopes, OfLargePicturesSomePixelsStandForAll) {
    QImage image(4000, 3000, QImage::Format_ARGB32_Premultiplied);
    image.fill(qRgb(40, 40, 40));
    const Scopes scopes = scopesOf(image, 256, false);
    EXPECT_GT(scopes.counted, 150'000u);
    EXPECT_LT(scopes.counted, 350'000u);
    for (int column = 0; column < 256; ++column)
        EXPECT_GT(at(scopes, Scopes::Luma, column, 40), 0u) << column;
}

class ScopesAtTheDesk : public Staged {};

TEST_F(ScopesAtTheDesk, FollowThePictureThatIsShown) {
    run("show-scopes");
    ASSERT_TRUE(window.views().panes->shows(Panes::View::Scopes));
    ScopesView* scopes = window.views().scopes;
    const CameraPicture& shown = window.views().camera->picture();
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.refined(); }, 20000));
    const auto brightest = [&] {
        int most = 0;
        for (int level = 0; level < Scopes::levels; ++level)
            if (scopes->scopes().histograms[Scopes::Luma][static_cast<std::size_t>(level)] > 0) most = level;
        return most;
    };
    const int before = brightest();
    EXPECT_GT(before, 150);
    ASSERT_TRUE(session().document.apply({{"edit", "grade"}, {"exposure", -3}}));
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.refined() && brightest() < before - 40; }, 20000));
    // An eighth of the light.
    const auto light = [](int level) { return std::pow((level / 255.0 + 0.055) / 1.055, 2.4); };
    EXPECT_NEAR(light(brightest()) / light(before), 0.125, 0.02);
}

}
}
