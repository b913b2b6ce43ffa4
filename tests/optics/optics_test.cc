// Figures from shared optics: lens table, projection, hold framing.
#include "optics/lens.h"
#include "optics/placing.h"

#include <gtest/gtest.h>
#include <random>

namespace stage::optics {
namespace {

TEST(Lens, AnglesOfView) {
    // full-frame gate
    EXPECT_NEAR(angleOfView(24, 36), 73.740, 5e-4);
    EXPECT_NEAR(angleOfView(35, 36), 54.432, 5e-4);
    EXPECT_NEAR(angleOfView(50, 36), 39.598, 5e-4);
    EXPECT_NEAR(angleOfView(85, 36), 23.913, 5e-4);
    EXPECT_NEAR(focalFor(65, 36), 28.254, 5e-4);
    EXPECT_NEAR(widthAt(7, 35, 36), 7.2, 1e-12);
    EXPECT_NEAR(pixelsPerSlope(35, 36, 1920), 1866.6667, 1e-3);
}

TEST(Projection, StraightAhead) {
    const View view = viewOf({V3d(0.2, 1.6, 0), 0, 0, 0, 35}, 36, {1920, 1080});
    const auto centre = project(view, V3d(0.2, 1.6, -5));
    ASSERT_TRUE(centre);
    EXPECT_NEAR(centre->x, 960, 1e-9);
    EXPECT_NEAR(centre->y, 540, 1e-9);
    // half a metre right and up at 5 m: 186.667 px
    const auto aside = project(view, V3d(0.7, 2.1, -5));
    EXPECT_NEAR(aside->x, 960 + 186.6667, 1e-3);
    EXPECT_NEAR(aside->y, 540 - 186.6667, 1e-3);
    EXPECT_FALSE(project(view, V3d(0, 0, 1)));
}

TEST(Projection, HoldsTheLensInMetres) {
    scene::Pose pose;
    pose.focal = 50, pose.fstop = 2, pose.focus = 4;
    const View view = viewOf(pose, 36, {1920, 1080});
    EXPECT_NEAR(view.aperture, 0.0125, 1e-12); // half of 50 mm / 2
    EXPECT_NEAR(view.focus, 4, 1e-12);
    // optics.md: a point at 10 m is a disc of 10 px
    EXPECT_NEAR(2 * view.aperture * view.slope * std::abs(1 / view.focus - 1 / 10.0), 10, 1e-9);
}

TEST(Projection, PanTiltRoll) {
    // what lies 10 degrees to the right is centred by a pan of 10
    const double a = radians(10);
    const View panned = viewOf({V3d(0), 10, 0, 0, 35}, 36, {1920, 1080});
    EXPECT_NEAR(project(panned, V3d(std::sin(a), 0, -std::cos(a)))->x, 960, 1e-9);
    const View tilted = viewOf({V3d(0), 0, 10, 0, 35}, 36, {1920, 1080});
    EXPECT_NEAR(project(tilted, V3d(0, std::sin(a), -std::cos(a)))->y, 540, 1e-9);
    // a camera rolled clockwise sees the world turned counter-clockwise: a point to the right goes up
    const View rolled = viewOf({V3d(0), 0, 0, 90, 35}, 36, {1920, 1080});
    const auto right = project(rolled, V3d(1, 0, -10));
    EXPECT_NEAR(right->x, 960, 1e-9);
    EXPECT_LT(right->y, 540);
}

TEST(Projection, RaysMeetWhatIsProjected) {
    const View view = viewOf({V3d(1, 2, 3), 20, -10, 5, 50}, 36, {1280, 720});
    const V3d point(3, 1, -9), normal = V3d(0.3, 0.2, 1).normalized();
    const auto place = project(view, point);
    const auto back = meet(view, *place, point, normal);
    ASSERT_TRUE(back);
    EXPECT_NEAR((*back - point).length(), 0, 1e-9);
}

scene::Scene sceneWith(scene::LayerPtr layer, V3d eye) {
    scene::Scene scene = scene::emptyScene();
    scene.camera.marks[0].pose.position = eye;
    scene.layers.push_back(std::move(layer));
    return scene;
}

std::shared_ptr<scene::Layer> card(std::int64_t id, V3d position) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = id;
    layer->name = "card";
    layer->pixels = {200, 100};
    layer->metresPerPixel = 0.01;
    layer->placement.position = position;
    return layer;
}

TEST(HoldFraming, FigureOfTheConventions) {
    // c=(0.2,1.6,0), p=(1,2,-5), depth 5 -> 20: p'=(3.4,3.2,-20), scale x4
    const scene::Scene scene = sceneWith(card(1, V3d(1, 2, -5)), V3d(0.2, 1.6, 0));
    const auto place = pushed(scene, scene::find(scene, 1), 20, true, scene.camera.marks[0]);
    ASSERT_TRUE(place);
    EXPECT_NEAR((place->position - V3d(3.4, 3.2, -20)).length(), 0, 1e-12);
    EXPECT_NEAR(place->scale.x, 4, 1e-12);
    EXPECT_NEAR(place->scale.y, 4, 1e-12);
}

TEST(HoldFraming, FromALaterMark) {
    // Depths are from the first mark; seen from 4 m ahead of it, 10 to 16 m are 6 to 12: twice as far.
    const scene::Scene scene = sceneWith(card(1, V3d(1, 2, -10)), V3d(0));
    scene::Mark later = scene.camera.marks[0];
    later.pose.position = {0.5, 1, -4};
    const auto place = pushed(scene, scene::find(scene, 1), 16, true, later);
    ASSERT_TRUE(place);
    EXPECT_NEAR((place->position - V3d(1.5, 3, -16)).length(), 0, 1e-12);
    EXPECT_NEAR(place->scale.x, 2, 1e-12);
}

TEST(HoldFraming, SizeHeldMovesAlongTheAxis) {
    const scene::Scene scene = sceneWith(card(1, V3d(1, 2, -5)), V3d(0.2, 1.6, 0));
    const auto place = pushed(scene, scene::find(scene, 1), 20, false, scene.camera.marks[0]);
    ASSERT_TRUE(place);
    EXPECT_NEAR((place->position - V3d(1, 2, -20)).length(), 0, 1e-12);
    EXPECT_EQ(place->scale, V2d(1, 1));
}

TEST(HoldFraming, RefusedAtOrBehindTheCamera) {
    const scene::Scene ahead = sceneWith(card(1, V3d(0, 0, -5)), V3d(0));
    EXPECT_FALSE(pushed(ahead, scene::find(ahead, 1), 0, true, ahead.camera.marks[0]));
    EXPECT_FALSE(pushed(ahead, scene::find(ahead, 1), -3, true, ahead.camera.marks[0]));
    const scene::Scene behind = sceneWith(card(1, V3d(0, 0, 5)), V3d(0));
    EXPECT_FALSE(pushed(behind, scene::find(behind, 1), 10, true, behind.camera.marks[0]));
}

/// Random scenes: tilted, off-centre, nested in turned and scaled groups, seen from random marks.
TEST(HoldFraming, NoCornerMovesWhateverTheLayer) {
    std::mt19937 random(7);
    const auto in = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    double worst = 0;
    for (int round = 0; round < 1000; ++round) {
        auto leaf = card(3, V3d(in(-3, 3), in(-2, 2), in(-3, 3)));
        leaf->placement.turn = {in(-80, 80), in(-80, 80), in(-180, 180)};
        leaf->placement.scale = {in(0.2, 3), in(0.2, 3)};
        auto inner = std::make_shared<scene::Layer>();
        inner->id = 2;
        inner->name = "inner";
        inner->placement = {V3d(in(-2, 2), in(-1, 1), in(-2, 2)), V3d(in(-60, 60), in(-60, 60), in(-60, 60)),
                            V2d(in(0.5, 2), in(0.5, 2))};
        inner->content = scene::Group{{leaf}};
        auto outer = std::make_shared<scene::Layer>();
        outer->id = 1;
        outer->name = "outer";
        outer->placement = {V3d(in(-4, 4), in(-2, 2), in(-40, -20)),
                            V3d(in(-40, 40), in(-40, 40), in(-40, 40)), V2d(in(0.5, 2), in(0.5, 2))};
        outer->content = scene::Group{{inner}};
        scene::Scene scene = sceneWith(outer, V3d(in(-1, 1), in(-1, 1), in(-1, 1)));
        scene::Mark second = scene.camera.marks[0];
        second.id = 2;
        second.time = Rational(1);
        second.pose = {V3d(in(-1, 1), in(-1, 1), in(-1, 1)), in(-5, 5), in(-5, 5), in(-20, 20), in(15, 120)};
        scene.camera.marks.push_back(second);
        scene.camera.marks[0].pose.focal = in(15, 120);
        const scene::Mark& reference = scene.camera.marks[static_cast<std::size_t>(round % 2)];
        const View view = viewOf(reference.pose, scene.camera.gate, scene.output.frame);
        const std::int64_t which = 1 + round % 3; // a group, a group in a group, a card in both
        const auto cornersOf = [&](const scene::Scene& s) {
            const scene::LayerPath found = scene::find(s, 3);
            const Surface c = surfaceOf(*found.layer, worldOf(found.carriers));
            return std::array{project(view, c.corner), project(view, c.corner + c.across),
                              project(view, c.corner + c.down), project(view, c.corner + c.across + c.down)};
        };
        const auto before = cornersOf(scene);
        const auto place = pushed(scene, scene::find(scene, which), in(3, 300), true, reference);
        ASSERT_TRUE(place) << place.error().sentence;
        scene::changeLayer(scene.layers, which, [&](scene::Layer& layer) { layer.placement = *place; });
        const auto after = cornersOf(scene);
        for (std::size_t i = 0; i < 4; ++i) {
            ASSERT_EQ(before[i].has_value(), after[i].has_value());
            if (before[i]) worst = std::max(worst, (*before[i] - *after[i]).length());
        }
    }
    EXPECT_LT(worst, 1e-3); // px; the promise is 0.01
}

TEST(HoldFraming, DepthIsWhatWasAskedFor) {
    const scene::Scene scene = sceneWith(card(1, V3d(1, 2, -5)), V3d(0.2, 1.6, 0.5));
    scene::Scene moved = scene;
    const auto place = pushed(scene, scene::find(scene, 1), 17.25, true, scene.camera.marks[0]);
    scene::changeLayer(moved.layers, 1, [&](scene::Layer& layer) { layer.placement = *place; });
    EXPECT_NEAR(depthOf(moved, scene::find(moved, 1)), 17.25, 1e-12);
}

/// W = 1920, gate 36: figures of the design's own table (thin lens).
TEST(DepthOfField, DiscsAndRanges) {
    const auto slope = [](double focal) { return pixelsPerSlope(focal, 36, 1920); };
    const struct {
        double focal, fstop, focus, depth, disc;
    } discs[] = {{50, 2, 4, 10, 10.000},
                 {35, 2, 6.4, 1.6, 15.3125},
                 {35, 2, 6.4, 60, 4.5597},
                 {85, 1.8, 3, 30, 64.222},
                 {35, 2, 6.4, 6.4, 0}};
    for (const auto& each : discs)
        EXPECT_NEAR(blurDisc(each.focal, each.fstop, each.focus, each.depth, slope(each.focal)), each.disc,
                    6e-4);
    const double t = sharpDisc(1920);
    const SharpRange range = sharpRange(35, 2, 6.4, slope(35), t);
    EXPECT_NEAR(range.near, 4.9464, 1e-4);
    EXPECT_NEAR(range.far, 9.0636, 1e-4);
    EXPECT_NEAR(hyperfocal(35, 2, slope(35), t), 21.778, 1e-3);
    const SharpRange endless = sharpRange(24, 8, 5, slope(24), t);
    EXPECT_NEAR(endless.near, 1.6931, 1e-4);
    EXPECT_TRUE(std::isinf(endless.far));
}

TEST(Surface, ABentOneIsMetWhereItsPointsProject) {
    std::mt19937 random(4);
    const auto in = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    int met = 0;
    for (int round = 0; round < 2000; ++round) {
        auto layer = std::make_shared<scene::Layer>(*card(1, V3d(in(-1, 1), in(-1, 1), in(-9, -6))));
        layer->placement.turn = {in(-30, 30), in(-50, 50), in(-180, 180)};
        layer->placement.scale = {in(0.5, 2), in(0.5, 2)};
        layer->hanging.bend = round % 3 ? in(-120, 120) : 0;
        layer->hanging.extensions.right = {scene::Beyond::Stretch, 0.5};
        const Surface shape = surfaceOf(*layer, {});
        const View view = viewOf({V3d(0), in(-5, 5), in(-5, 5), in(-9, 9), 30}, 36, {1920, 1080});
        const double s = in(0, 1.5), t = in(0, 1);
        const V3d point = shape.at(s, t);
        const auto place = project(view, point);
        if (!place) continue;
        const auto hit = meet(view, *place, shape);
        ASSERT_TRUE(hit);
        // Where it is met twice the nearer one counts.
        if (hit->depth < depthOf(view, point) - 1e-6) continue;
        ++met;
        EXPECT_NEAR(hit->s, s, 1e-6);
        EXPECT_NEAR(hit->t, t, 1e-6);
        EXPECT_NEAR(hit->depth, depthOf(view, point), 1e-6);
    }
    EXPECT_GT(met, 1500);
}

TEST(Placement, ComesBackFromItsFrame) {
    std::mt19937 random(5);
    const auto in = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    for (int round = 0; round < 500; ++round) {
        const scene::Placement place{V3d(in(-9, 9), in(-9, 9), in(-9, 9)),
                                     V3d(in(-89, 89), in(-179, 179), in(-89, 89)),
                                     V2d(in(0.1, 5), in(0.1, 5) * (round % 2 ? 1 : -1))};
        const Affine frame = frameOf(place);
        const auto back = placementOf(frame, V2d(0));
        ASSERT_TRUE(back);
        const Affine again = frameOf(*back);
        EXPECT_LT((again.x - frame.x).length() + (again.y - frame.y).length(), 1e-9);
        EXPECT_LT((back->position - place.position).length(), 1e-12);
    }
    const Affine sheared{V3d(1, 0, 0), V3d(0.5, 1, 0), V3d(0, 0, 1), V3d(0)};
    EXPECT_FALSE(placementOf(sheared, V2d(0)));
}

}
}
