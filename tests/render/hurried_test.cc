// Pictures that are gone in a moment: like the draft, of what the cache does not have yet at less cost.
#include "render/render.h"
#include "scene/grade_json.h"
#include "support/support.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>

namespace stage::render::hurried_test {
namespace {

using test::Rgba8;
using test::TempDir;

constexpr V2i frame(192, 128);

double encoded(float value) {
    const double c = std::clamp(static_cast<double>(value), 0.0, 1.0);
    return c <= 0.0031308 ? 12.92 * c : 1.055 * std::pow(c, 1 / 2.4) - 0.055;
}

/// A graded picture at its natural size, of stripes four texels wide.
class Hurried : public testing::Test {
protected:
    Hurried() {
        test::writePicture(m_dir / "stripes.png", {600, 400}, [](int x, int y) {
            return x / 4 % 2 ? Rgba8{230, 200, 90, 255} : Rgba8{20, (y * 3) % 256, 120, 255};
        });
        m_scene = scene::emptyScene();
        m_scene.output.frame = frame;
        const optics::View view = optics::viewOf(m_scene.camera.marks[0].pose, m_scene.camera.gate, frame);
        auto layer = test::pictureLayer(1, "stripes", m_dir / "stripes.png", {600, 400}, 600 * 5 / view.slope,
                                        view.eye + view.forward * 5);
        auto graded = std::make_shared<scene::Layer>(*layer);
        scene::Grade grade;
        grade.exposure = 0.5;
        graded->grade = std::make_shared<const scene::Grade>(grade);
        m_scene.layers = {graded};
    }
    Image shown(media::PixelCache& cache, bool hurried) {
        Quality quality{.method = Method::Draft};
        quality.hurried = hurried;
        auto picture = render(motion::evaluate(m_scene, 0, frame, false), quality, cache);
        EXPECT_TRUE(picture) << picture.error().sentence;
        return *picture;
    }
    /// Decibels of peak signal to noise, as shown.
    static double nearness(const Image& a, const Image& b) {
        double sum = 0;
        for (std::size_t i = 0; i < a.rgba.size(); ++i)
            if (i % 4 < 3) sum += std::pow(encoded(a.rgba[i]) - encoded(b.rgba[i]), 2);
        return -10 * std::log10(std::max(1e-20, sum / (0.75 * static_cast<double>(a.rgba.size()))));
    }
    TempDir m_dir;
    scene::Scene m_scene;
};

TEST_F(Hurried, IsTheDraftAtHalfTheResolutionUntilPicturesAreThere) {
    media::PixelCache none, cache;
    const Image draft = shown(cache, false), hurried = shown(none, true);
    EXPECT_GT(nearness(hurried, draft), 15);
    EXPECT_LT(nearness(hurried, draft), 40);
    EXPECT_LT(none.bytesKept(), cache.bytesKept()); // of the graded picture a quarter
    EXPECT_EQ(shown(cache, true).rgba, draft.rgba);
}

/// What is read is there, whichever levels that is: where the draft lets nothing through nothing comes
/// through.
TEST_F(Hurried, HasNoHolesHoweverLargeTiltedOrBlurredACardIs) {
    constexpr V2i large(2400, 1600);
    test::writePicture(m_dir / "large.png", large, [](int x, int y) {
        return Rgba8{(x * 5) % 256, (y * 3) % 256, (x + y) % 256, 255};
    });
    auto layer = std::make_shared<scene::Layer>(*m_scene.layers.front());
    layer->pixels = large;
    layer->content = scene::Picture{{(m_dir / "large.png").string(), 0, ""}, ""};
    m_scene.output.background = {0, 0, 0, 0};
    const double natural = layer->metresPerPixel; // of one texel to a pixel
    int looked = 0;
    for (const double turn : {0.0, 35.0})
        for (const double fstop : {22.0, 0.3, 0.08})
            for (int eighths = -20; eighths <= 28; eighths += 3) {
                layer->metresPerPixel = natural * std::exp2(-eighths / 8.0);
                layer->placement.turn.y = turn;
                m_scene.layers = {std::make_shared<const scene::Layer>(*layer)};
                m_scene.camera.marks[0].pose.focus = 2, m_scene.camera.marks[0].pose.fstop = fstop;
                media::PixelCache none, cache;
                const Image draft = shown(cache, false), hurried = shown(none, true);
                for (int y = 8; y + 8 < frame.y; ++y)
                    for (int x = 8; x + 8 < frame.x; ++x) {
                        bool inside = true;
                        for (const int dx : {-8, 0, 8})
                            for (const int dy : {-8, 0, 8})
                                inside = inside && draft.row(y + dy)[4 * (x + dx) + 3] > 0.9999f;
                        if (!inside) continue;
                        ++looked;
                        ASSERT_GT(hurried.row(y)[4 * x + 3], 0.995f)
                            << x << ' ' << y << " turned " << turn << " f/" << fstop << ' ' << eighths;
                    }
                EXPECT_GT(nearness(hurried, draft), 12) << turn << ' ' << fstop << ' ' << eighths;
            }
    EXPECT_GT(looked, 1'500'000);
}

}
}
