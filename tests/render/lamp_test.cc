// Lamps where the renderer takes them: lit layers by all methods, the disc that shows a lamp, and scenes
// without.
#include "edit/edit.h"
#include "render/render.h"
#include "support/edits.h"
#include "support/moves.h"

#include <gtest/gtest.h>

namespace stage::render::lamp_test {
namespace {

using test::applied;

const V2i frame(96, 64);

scene::Scene litSheet() {
    auto wall = test::sheet(1, {20, 20}, {0, 0, -10});
    wall->content = scene::Card{{{0, {0.2, 0.2, 0.2, 1}}}, 0, false};
    scene::Scene scene = test::withSheets({test::mark(1, 0, V3d(0))}, {wall});
    scene.camera.marks[0].pose.fstop = 4;
    scene.camera.marks[0].pose.focus = 8;
    return scene;
}

Image shown(const scene::Scene& scene, Method method, Rational time = 0) {
    Quality quality;
    quality.method = method;
    quality.samples = 32;
    media::PixelCache cache;
    auto picture = render(motion::evaluate(scene, time, frame, true), quality, cache);
    EXPECT_TRUE(picture) << picture.error().sentence;
    return picture ? *picture : Image(frame);
}

double at(const Image& picture, int x, int y, int c = 0) {
    return static_cast<double>(picture.row(y)[4 * x + c]);
}

}

TEST(Lamps, AreOfNoAccountWhereNothingTakesLight) {
    const scene::Scene plain = litSheet(), lamp = applied(plain, {{"edit", "add-lamp"}, {"glow", 0}});
    for (const Method method : {Method::Pinhole, Method::Draft, Method::Final})
        EXPECT_EQ(shown(plain, method).rgba, shown(lamp, method).rgba);
}

TEST(Lamps, LightAWallByAllMethods) {
    scene::Scene scene = applied(litSheet(), {{"edit", "add-lamp"},
                                              {"glow", 0},
                                              {"strength", 6},
                                              {"radius", 0.5},
                                              {"reach", 30},
                                              {"colour", {1, 0.5, 0.25, 1}},
                                              {"position", {0, 0, -7}}});
    scene = applied(scene, {{"edit", "shading"}, {"layers", {1}}});
    scene = applied(scene, {{"edit", "ambient"}, {"level", 0.5}});
    // Under the lamp, 3 m before the wall: ambient, and 2^6 (0.5 / 3)^2.
    const double light = 64 * 0.25 / 9;
    for (const Method method : {Method::Pinhole, Method::Draft, Method::Final, Method::Traced}) {
        const Image picture = shown(scene, method);
        EXPECT_NEAR(at(picture, 48, 32), 0.2 * (0.5 + light), 0.01) << static_cast<int>(method);
        EXPECT_NEAR(at(picture, 48, 32, 1), 0.2 * (0.5 + 0.5 * light), 0.01);
        EXPECT_LT(at(picture, 2, 32), 0.75 * at(picture, 48, 32));
    }
}

TEST(Lamps, ShowThemselvesAsADiscThatIsHiddenByWhatStandsInFront) {
    scene::Scene scene = applied(
        litSheet(), {{"edit", "add-lamp"}, {"strength", 8}, {"glowSize", 2}, {"position", {0, 0, -8}}});
    for (const Method method : {Method::Pinhole, Method::Draft, Method::Final, Method::Traced}) {
        const Image picture = shown(scene, method);
        EXPECT_GT(at(picture, 48, 32), 0.6) << static_cast<int>(method);
        EXPECT_NEAR(at(picture, 4, 4), 0.2, 1e-3);
    }
    auto near = test::sheet(9, {2, 6}, {1, 0, -4}); // covers its right half
    scene.layers.push_back(near);
    const Image hidden = shown(scene, Method::Pinhole);
    EXPECT_NEAR(at(hidden, 52, 32), 1, 1e-3);
    EXPECT_GT(at(hidden, 44, 32), 0.3);
}

TEST(Lamps, FlickerByTheirTracks) {
    scene::Scene scene =
        applied(litSheet(), {{"edit", "add-lamp"}, {"glow", 0}, {"strength", 8}, {"position", {0, 0, -8}}});
    const std::int64_t id = scene.layers.back()->id;
    scene = applied(scene, {{"edit", "shading"}, {"layers", {1}}});
    for (const auto& [time, stops] : {std::pair{"0", 4}, std::pair{"1", 9}})
        scene = applied(
            scene,
            {{"edit", "key"}, {"layers", {id}}, {"property", "strength"}, {"time", time}, {"value", stops}});
    const double dim = at(shown(scene, Method::Pinhole), 48, 32) - 0.2,
                 bright = at(shown(scene, Method::Pinhole, 1), 48, 32) - 0.2;
    EXPECT_NEAR(bright / dim, 32, 1.5);
}

TEST(Lamps, LightParticlesAndCloudsThatTakeLight) {
    for (const char* kind : {"add-particles", "add-cloud"}) {
        scene::Scene scene = litSheet();
        scene.layers.clear();
        scene.output.background = {0, 0, 0, 1};
        edit::Edit edit = {{"edit", kind}, {"position", {0, 0, -10}}, {"colour", {0.5, 0.5, 0.5, 1}}};
        if (std::string(kind) == "add-particles")
            edit.update({{"count", 400}, {"size", 0.8}, {"box", {8, 6, 2}}, {"shape", "disc"}});
        else
            edit.update({{"box", {8, 6, 2}}, {"density", 2}, {"coverage", 1}});
        scene = applied(scene, edit);
        const Image own = shown(scene, Method::Pinhole);
        scene = applied(scene, {{"edit", "shading"}, {"layers", {1}}});
        scene = applied(scene, {{"edit", "ambient"}, {"level", 0.25}, {"colour", {1, 0.5, 0, 1}}});
        for (const Method method : {Method::Pinhole, Method::Draft, Method::Final}) {
            const Image lit = shown(scene, method);
            double all = 0;
            for (int y = 20; y < 44; ++y)
                for (int x = 30; x < 66; ++x) {
                    EXPECT_NEAR(at(lit, x, y, 0), 0.25 * at(own, x, y, 0), 0.03) << kind;
                    EXPECT_NEAR(at(lit, x, y, 1), 0.125 * at(own, x, y, 1), 0.02) << kind;
                    EXPECT_EQ(at(lit, x, y, 2), 0) << kind;
                    all += at(lit, x, y, 0);
                }
            EXPECT_GT(all, 10) << kind;
        }
        // A lamp at the right lights that side.
        scene = applied(scene, {{"edit", "ambient"}, {"level", 0}});
        scene = applied(scene, {{"edit", "add-lamp"},
                                {"glow", 0},
                                {"strength", 4},
                                {"radius", 0.5},
                                {"reach", 12},
                                {"colour", {1, 1, 1, 1}},
                                {"position", {4, 0, -8}}});
        for (const Method method : {Method::Pinhole, Method::Draft, Method::Final}) {
            const Image lit = shown(scene, method);
            double left = 0, right = 0;
            for (int y = 20; y < 44; ++y)
                for (int x = 0; x < 20; ++x)
                    left += at(lit, 28 + x, y), right += at(lit, 48 + x, y);
            EXPECT_GT(right, 2 * left) << kind;
            EXPECT_GT(left, 0) << kind;
        }
    }
}

TEST(Lamps, HaveAHaloInHazeThatIsTheIntegralOfTheirLight) {
    scene::Scene scene = litSheet();
    scene.layers.clear();
    scene.output.background = {0, 0, 0, 0};
    scene.haze = {{0.5, 0.25, 1, 1}, 0.02, 0};
    const Image clear = shown(scene, Method::Pinhole);
    const V3d lamp(0.5, 0.2, -6);
    scene = applied(scene, {{"edit", "add-lamp"},
                            {"glow", 0},
                            {"strength", 5},
                            {"radius", 0.3},
                            {"reach", 8},
                            {"colour", {1, 1, 0.5, 1}},
                            {"position", {lamp.x, lamp.y, lamp.z}}});
    const Image halo = shown(scene, Method::Pinhole);
    const optics::View view = motion::evaluate(scene, 0, frame).view;
    for (const auto& [x, y] : std::vector<std::pair<int, int>>{{56, 28}, {48, 32}, {70, 20}, {20, 50}}) {
        // Summed along the ray in small steps.
        const V3d ray = optics::rayThrough(view, {x + 0.5, y + 0.5}).normalized();
        double sum = 0, nearest = 1e9, from = 0;
        constexpr double step = 0.001;
        for (double s = 0; s < 20; s += step) {
            const double r = (ray * s - lamp).length();
            if (r < nearest) nearest = r, from = s;
            if (r < 8) sum += step * (std::pow(0.3 / std::max(r, 0.3), 2) - std::pow(0.3 / 8, 2));
        }
        const double should = 32 * sum * 0.02 * std::exp(-0.02 * from);
        EXPECT_NEAR(at(halo, x, y, 0) - at(clear, x, y, 0), 0.5 * should, 0.05 * 0.5 * should + 1e-4) << x;
        EXPECT_NEAR(at(halo, x, y, 2) - at(clear, x, y, 2), 0.5 * should, 0.05 * 0.5 * should + 1e-4) << x;
    }
    scene = applied(scene, {{"edit", "lamp"}, {"layers", {1}}, {"halo", 0}});
    EXPECT_EQ(shown(scene, Method::Pinhole).rgba, clear.rgba);
}

}
