// The ready moves on the demo: nothing that is seen jumps from frame to frame, and its own move is
// believable.
#include "edit/edit.h"
#include "motion/camera_move.h"
#include "motion/ready_moves.h"
#include "motion/resolved_scene.h"
#include "scene/file.h"
#include "support/support.h"

#include <algorithm>
#include <gtest/gtest.h>

namespace stage::edit {
namespace {

scene::Scene demo() {
    auto loaded = scene::load(test::sourceFolder() + "/demo/lantern-quay.ostage");
    EXPECT_TRUE(loaded);
    return loaded ? *loaded : scene::emptyScene();
}

/// The demo with its first mark alone, and nothing of its own moving.
scene::Scene still() {
    scene::Scene scene = demo();
    scene.camera.marks.resize(1);
    scene.camera.marks[0].focusOn = 0;
    scene.camera.marks[0].pose.focus = 6.4;
    scene.camera.pace.reset();
    scene.camera.tracks.clear();
    for (const scene::LayerPath& found : scene::all(demo()))
        scene::changeLayer(scene.layers, found.layer->id, [](scene::Layer& layer) { layer.tracks.clear(); });
    return scene;
}

/// Second differences of a point's place in the frame, over the frames at which it is seen and no nearer than
/// a metre: nearer ones race past the lens however evenly it goes.
std::vector<std::vector<double>> changesOf(const scene::Scene& scene, const V3d& point) {
    const motion::CameraMove move(scene);
    std::vector<std::vector<double>> runs(1);
    const auto seen = [&](std::int64_t frame) -> std::optional<V2d> {
        const scene::Pose pose = move.at(timeOfFrame(frame, scene.output.rate).toDouble());
        if ((point - pose.position).length() < 1) return {};
        const auto at = optics::project(optics::viewOf(pose, scene.camera.gate, scene.output.frame), point);
        const V2d size(scene.output.frame);
        return at && at->x >= 0 && at->y >= 0 && at->x <= size.x && at->y <= size.y ? at : std::nullopt;
    };
    for (std::int64_t f = 1; f + 1 < scene.output.frames; ++f) {
        const auto a = seen(f - 1), b = seen(f), c = seen(f + 1);
        if (a && b && c)
            runs.back().push_back((*a - *b * 2 + *c).length());
        else if (!runs.back().empty())
            runs.emplace_back();
    }
    return runs;
}

TEST(DemoMoves, NothingJumpsFromFrameToFrame) {
    constexpr std::size_t around = 9; // frames, about a third of a second
    for (const std::string_view name : motion::readyNames) {
        auto moved = edit::apply(
            still(), {{"edit", "ready-move"}, {"move", name}, {"seconds", 6}, {"time", 0}, {"pace", "even"}});
        ASSERT_TRUE(moved) << name << moved.error().sentence;
        moved->output.frames = 6 * 24 + 1;
        std::size_t looked = 0;
        for (const scene::LayerPath& found : scene::all(*moved))
            for (int k = 0; k < 25; ++k) { // its corners, and places between them
                const V3d place = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers))
                                      .at(k % 5 * 0.25, k / 5 * 0.25);
                for (const std::vector<double>& run : changesOf(*moved, place))
                    for (std::size_t i = 0; i + around <= run.size(); ++i, ++looked) {
                        std::vector<double> near(run.begin() + static_cast<std::ptrdiff_t>(i),
                                                 run.begin() + static_cast<std::ptrdiff_t>(i + around));
                        const double middle = near[around / 2];
                        std::nth_element(near.begin(), near.begin() + around / 2, near.end());
                        ASSERT_LE(middle, 1.5 * near[around / 2] + 0.01)
                            << name << ", " << found.layer->name << ", frame " << i + around / 2;
                    }
            }
        EXPECT_GT(looked, 500u) << name;
    }
}

TEST(DemoMoves, ItsOwnMoveGoesOnSmoothlyThroughItsMarks) {
    scene::Scene scene = demo();
    ASSERT_GE(scene.camera.marks.size(), 4u);
    scene.camera.tracks.clear();
    const motion::CameraMove move(scene);
    // Where it looks turns on at marks as before them, and so does it go on.
    for (std::size_t i = 1; i + 1 < scene.camera.marks.size(); ++i) {
        const double t = move.arrival(i);
        EXPECT_NEAR(move.turning(t - 1e-3), move.turning(t + 1e-3), 0.05) << "mark " << i + 1;
        EXPECT_NEAR(move.speed(t - 1e-6), move.speed(t + 1e-6), 1e-3) << "mark " << i + 1;
        EXPECT_GT(move.speed(t), 0.1) << "mark " << i + 1;
    }
}

}
}
