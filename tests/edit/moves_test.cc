// Edits of the camera's move, of tracks and of the times of layers.
#include "edit/edit.h"
#include "motion/camera_move.h"
#include "motion/resolved_scene.h"
#include "motion/values.h"
#include "scene/scene_json.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace stage::edit {
namespace {

class Moves : public ::testing::Test {
protected:
    Moves() {
        scene = scene::emptyScene();
        for (const char* name : {"Boatman", "Bridge", "Title"})
            apply({{"edit", "add-card"}, {"name", name}});
        apply({{"edit", "set-mark"}, {"time", 2}, {"position", {1, 0, 0}}, {"name", "two"}});
        apply({{"edit", "set-mark"}, {"time", 5}, {"position", {1, 1, -3}}, {"name", "three"}});
    }
    /// What must succeed; what was changed can be read again.
    void apply(const Edit& edit) {
        auto result = edit::apply(scene, edit);
        ASSERT_TRUE(result) << edit.dump() << result.error().sentence;
        scene = std::move(*result);
        const auto again = scene::sceneFromJson(scene::toJson(scene));
        ASSERT_TRUE(again) << again.error().sentence;
        ASSERT_EQ(scene::toJson(*again), scene::toJson(scene));
    }
    std::string refused(const Edit& edit) {
        const auto result = edit::apply(scene, edit);
        return result ? "" : result.error().sentence;
    }
    const std::vector<scene::Mark>& marks() const { return scene.camera.marks; }
    const scene::Layer& layer(const char* name) const {
        for (const auto& each : scene.layers)
            if (each->name == name) return *each;
        throw std::runtime_error(name);
    }
    scene::Scene scene;
};

TEST_F(Moves, MarksAreCopiedHeldAndReordered) {
    apply({{"edit", "copy-mark"}, {"mark", 1}, {"time", 7}});
    ASSERT_EQ(marks().size(), 4u);
    EXPECT_EQ(marks()[3].pose.position, V3d(0));
    EXPECT_NE(marks()[3].id, marks()[0].id);
    EXPECT_NE(refused({{"edit", "copy-mark"}, {"mark", 1}, {"time", 2}}), "");
    apply({{"edit", "hold-mark"}, {"mark", 2}, {"seconds", "3/2"}});
    ASSERT_EQ(marks().size(), 5u);
    EXPECT_EQ(marks()[2].time, Rational(7, 2));
    EXPECT_EQ(marks()[3].time, Rational(13, 2));
    const motion::CameraMove move(scene);
    EXPECT_EQ(move.at(3).position, V3d(1, 0, 0));
    EXPECT_EQ(move.speed(3), 0);
    apply({{"edit", "reorder-mark"}, {"mark", 1}, {"to", 3}});
    EXPECT_EQ(marks()[2].pose.position, V3d(0));
    EXPECT_EQ(marks()[0].time, Rational(0));
    EXPECT_EQ(marks()[0].name, "two");
}

TEST_F(Moves, RetimingStretchesTheTracksToo) {
    apply({{"edit", "key"}, {"property", "roll"}, {"time", 1}, {"value", 4}});
    apply({{"edit", "key"}, {"property", "roll"}, {"time", 4}, {"value", 0}});
    apply({{"edit", "retime"}, {"seconds", 10}});
    EXPECT_EQ(marks()[1].time, Rational(4));
    EXPECT_EQ(marks()[2].time, Rational(10));
    EXPECT_EQ(scene.camera.tracks[0].keys[1].time, Rational(8));
    EXPECT_NEAR(motion::CameraMove(scene).at(5).roll, 2, 1e-9);
    EXPECT_NE(refused({{"edit", "retime"}}), "");
}

TEST_F(Moves, APaceOverAllSetsTheTimesBetween) {
    apply({{"edit", "pace"}, {"whole", true}, {"pace", "even"}});
    const motion::CameraMove move(scene);
    const double first = move.length(0), all = first + move.length(1);
    EXPECT_NEAR(marks()[1].time.toDouble(), 5 * first / all, 1e-6);
    EXPECT_EQ(marks()[2].time, Rational(5));
    EXPECT_NE(refused({{"edit", "move-mark"}, {"mark", 2}, {"time", 3}}), "");
    // The time goes on following when the path is bent.
    const Rational before = marks()[1].time;
    apply({{"edit", "mark"}, {"mark", 1}, {"leaving", {0, 2, 0}}});
    EXPECT_GT(marks()[1].time, before);
    apply({{"edit", "pace"}, {"whole", true}, {"pace", nullptr}});
    EXPECT_EQ(refused({{"edit", "move-mark"}, {"mark", 2}, {"time", 3}}), "");
}

TEST_F(Moves, AimsAndFocusNameLayersAndForgetThoseThatGo) {
    apply({{"edit", "mark"}, {"aim", {{"layer", "Boatman"}}}, {"focusOn", "Bridge"}});
    for (const scene::Mark& mark : marks()) {
        EXPECT_EQ(mark.aim.layer, layer("Boatman").id);
        EXPECT_EQ(mark.focusOn, layer("Bridge").id);
    }
    apply({{"edit", "remove"}, {"layers", {"Boatman", "Bridge"}}});
    for (const scene::Mark& mark : marks()) {
        EXPECT_EQ(mark.aim, scene::Aim{});
        EXPECT_EQ(mark.focusOn, 0);
    }
    EXPECT_NE(refused({{"edit", "mark"}, {"mark", 1}, {"aim", {{"layer", "Nobody"}}}}), "");
    EXPECT_NE(refused({{"edit", "mark"}, {"mark", 1}, {"aim", "sky"}}), "");
}

TEST_F(Moves, AMarkThatIsTurnedByHandNoLongerAims) {
    apply({{"edit", "mark"}, {"aim", {{"layer", "Boatman"}}}, {"focusOn", "Boatman"}});
    const scene::Pose seen = motion::CameraMove(scene).at(2);
    scene::Pose aside = seen;
    aside.position.x += 0.5; // trucked, it goes on aiming
    apply(edit::walked(scene, 2, seen, aside));
    EXPECT_EQ(marks()[1].aim.at, scene::Aim::At::Layer);
    EXPECT_NE(marks()[1].focusOn, 0);
    const scene::Pose now = motion::CameraMove(scene).at(2);
    EXPECT_NEAR(now.position.x, aside.position.x, 1e-12);
    EXPECT_NE(now.pan, seen.pan);
    scene::Pose turned = now;
    turned.pan += 3;
    turned.focus *= 1.5;
    apply(edit::walked(scene, 2, now, turned));
    EXPECT_EQ(marks()[1].aim.at, scene::Aim::At::Pose);
    EXPECT_EQ(marks()[1].focusOn, 0);
    EXPECT_NEAR(motion::CameraMove(scene).at(2).pan, turned.pan, 1e-9);
    EXPECT_EQ(marks()[0].aim.at, scene::Aim::At::Layer);
    apply({{"edit", "lens"}, {"focus", 3}});
    EXPECT_EQ(motion::CameraMove(scene).at(0).focus, 3);
}

TEST_F(Moves, WalkingDoesNotSetWhatChanceAdds) {
    apply({{"edit", "hand-held"}, {"amount", 3}});
    const scene::Pose mark = marks()[1].pose, seen = motion::CameraMove(scene).at(2);
    ASSERT_GT((seen.position - mark.position).length(), 1e-4);
    scene::Pose to = seen;
    to.position.y += 0.25;
    apply(edit::walked(scene, 2, seen, to));
    EXPECT_NEAR((marks()[1].pose.position - mark.position - V3d(0, 0.25, 0)).length(), 0, 1e-9);
    EXPECT_NEAR((motion::CameraMove(scene).at(2).position - to.position).length(), 0, 1e-9);
}

TEST_F(Moves, WalkingKeysWhatHasATrackOfItsOwn) {
    apply({{"edit", "key"}, {"property", "focal"}, {"time", 0}, {"value", 20}});
    apply({{"edit", "key"}, {"property", "focal"}, {"time", 5}, {"value", 70}});
    const scene::Pose seen = motion::CameraMove(scene).at(2);
    EXPECT_NEAR(seen.focal, 40, 1e-9);
    scene::Pose to = seen;
    to.focal = 50;
    const double posed = marks()[1].pose.focal;
    apply(edit::walked(scene, 2, seen, to));
    EXPECT_EQ(marks()[1].pose.focal, posed);
    ASSERT_EQ(scene.camera.tracks.at(0).keys.size(), 3u);
    EXPECT_NEAR(motion::CameraMove(scene).at(2).focal, 50, 1e-9);
}

TEST_F(Moves, AMarkSetOnTheMoveChangesNothing) {
    for (const char* pace : {"soft both", "rush and settle", "even"})
        for (const char* time : {"1/3", "1", "7/2", "4"}) {
            apply({{"edit", "pace"}, {"pace", pace}});
            const motion::CameraMove before(scene);
            scene::Scene with = *edit::apply(scene, {{"edit", "set-mark"}, {"time", time}});
            ASSERT_EQ(with.camera.marks.size(), 4u);
            const motion::CameraMove after(with);
            for (double t = 0; t <= 5; t += 1 / 48.0) {
                EXPECT_NEAR((before.at(t).position - after.at(t).position).length(), 0, 2e-7)
                    << pace << time << t;
                EXPECT_NEAR(before.at(t).focal, after.at(t).focal, 1e-6);
            }
        }
}

TEST_F(Moves, AReadyMoveLeavesWhatCameBeforeAsItWas) {
    for (const bool whole : {false, true})
        for (const char* kind : {"dolly zoom", "push in", "truck", "arc", "rise"})
            for (const char* from : {"5", "7/2", "6"}) {
                if (whole) apply({{"edit", "pace"}, {"whole", true}, {"pace", "soft both"}});
                const motion::CameraMove before(scene);
                const auto marks = scene.camera.marks;
                const auto with = edit::apply(
                    scene, {{"edit", "ready-move"}, {"move", kind}, {"seconds", 3}, {"time", from}});
                ASSERT_TRUE(with) << with.error().sentence;
                const motion::CameraMove after(*with);
                const double begin = from == std::string("7/2") ? 3.5 : from == std::string("6") ? 6 : 5;
                for (double t = 0; t <= begin; t += 1 / 24.0)
                    EXPECT_NEAR((before.at(t).position - after.at(t).position).length(), 0, 1e-6)
                        << kind << from << whole << " at " << t;
                for (const scene::Mark& mark : marks) // at their times
                    if (mark.time.toDouble() < begin) {
                        EXPECT_TRUE(std::any_of(with->camera.marks.begin(), with->camera.marks.end(),
                                                [&](const auto& m) { return m.time == mark.time; }))
                            << kind << from << whole;
                    }
                EXPECT_NEAR(with->camera.marks.back().time.toDouble(), begin + 3, 1e-9); // as long as asked
                if (whole) apply({{"edit", "pace"}, {"whole", true}, {"pace", nullptr}});
            }
}

TEST_F(Moves, TheSubjectOfADollyZoomStaysAsWideAlsoAfterAnotherMove) {
    scene.camera.marks.resize(1);
    apply({{"edit", "ready-move"}, {"move", "truck"}, {"amount", 2}, {"seconds", 3}, {"time", 0}});
    const double depth = 8;
    apply({{"edit", "mark"}, {"focus", depth}});
    apply({{"edit", "ready-move"}, {"move", "dolly zoom"}, {"amount", 4}, {"seconds", 3}, {"time", 3}});
    const motion::CameraMove move(scene);
    for (double t = 0; t <= 3; t += 1 / 24.0) // the truck runs straight
        EXPECT_NEAR(move.at(t).position.z, move.at(0).position.z, 1e-9) << t;
    const scene::Pose start = move.at(3);
    const V3d subject = start.position + optics::forwardOf(start.pan, start.tilt) * depth;
    double least = 1e300, most = 0;
    for (double t = 3; t <= 6; t += 1 / 24.0) {
        const scene::Pose pose = move.at(t);
        const optics::View view = optics::viewOf(pose, scene.camera.gate, {1920, 1080});
        const double wide = 1.5 * view.slope / optics::depthOf(view, subject); // of 1.5 m there
        least = std::min(least, wide), most = std::max(most, wide);
    }
    EXPECT_LT(most - least, 0.1);
}

TEST_F(Moves, TracksOfManyLayersAreTheirOwn) {
    const std::vector<std::string> names = {"Boatman", "Title", "Bridge"};
    const scene::Json noise = {{{"kind", "sway"}, {"amount", 0.1}, {"rate", 1}, {"seed", 5}}};
    const auto seeds = [&](const scene::Scene& of) {
        std::set<std::int64_t> all;
        scene::forEach(of, [&](const scene::LayerPtr& each, const auto&) {
            for (const scene::Track& track : each->tracks)
                for (const scene::Noise& n : track.noises)
                    all.insert(n.seed);
        });
        return all;
    };
    Edit edit = {{"edit", "track"}, {"layers", names}, {"property", "roll"}, {"noise", noise}};
    EXPECT_EQ(seeds(*edit::apply(scene, edit)), (std::set<std::int64_t>{5, 6, 7}));
    edit["sameSeed"] = true;
    EXPECT_EQ(seeds(*edit::apply(scene, edit)), (std::set<std::int64_t>{5}));
    apply({{"edit", "track"},
           {"layers", names},
           {"property", "up"},
           {"keys", {{{"time", 0}, {"value", 1}}, {{"time", 1}, {"value", 2}}}},
           {"delayEach", "1/4"},
           {"offsetEach", 0.5}});
    for (std::size_t i = 0; i < names.size(); ++i) {
        const scene::Track* track = nullptr;
        scene::forEach(scene, [&](const scene::LayerPtr& each, const auto&) {
            if (each->name == names[i])
                for (const scene::Track& t : each->tracks)
                    if (t.property == "up") track = &t;
        });
        ASSERT_TRUE(track);
        EXPECT_EQ(track->keys[1].time, Rational(1) + Rational(static_cast<std::int64_t>(i), 4));
        EXPECT_EQ(track->keys[0].value, 1 + 0.5 * static_cast<double>(i));
    }
}

TEST_F(Moves, AReadyMoveReplacesWhatWasThere) {
    apply({{"edit", "ready-move"},
           {"move", "arc"},
           {"amount", 90},
           {"seconds", 4},
           {"time", 1},
           {"subject", "Bridge"}});
    ASSERT_EQ(marks().size(), 4u); // the first, and three of the arc
    EXPECT_EQ(marks()[1].time, Rational(1));
    EXPECT_EQ(marks()[3].time, Rational(5));
    apply({{"edit", "pace"}, {"mark", 3}, {"pace", "soft stop"}});
    apply({{"edit", "ready-move"}, {"move", "truck"}, {"seconds", 4}, {"time", 0}});
    ASSERT_EQ(marks().size(), 3u); // 0, 4, and 5 as it was, with the pace towards it
    EXPECT_EQ(marks()[1].pace, scene::namedPaces[2].pace);
    EXPECT_NE(refused({{"edit", "ready-move"}, {"move", "somersault"}}), "");
    apply({{"edit", "ready-move"}, {"move", "push in"}, {"seconds", 100}});
    EXPECT_GE(scene.output.frames, 24 * 105); // the scene goes on as long as its move
}

TEST_F(Moves, KeysOfOneAndOfSeveral) {
    apply({{"edit", "key"},
           {"layers", {"Boatman", "Title"}},
           {"property", "across"},
           {"time", 0},
           {"value", 1}});
    apply({{"edit", "key"}, {"layers", {"Boatman"}}, {"property", "across"}, {"time", 4}, {"value", 9}});
    // without a value: what it is there
    apply({{"edit", "key"}, {"layers", {"Boatman"}}, {"property", "across"}, {"time", 1}});
    EXPECT_NEAR(layer("Boatman").tracks[0].keys[1].value, 3, 1e-9);
    apply({{"edit", "keys"}, {"layers", {"Boatman", "Title"}}, {"shift", 1}, {"add", 10}});
    EXPECT_EQ(layer("Title").tracks[0].keys[0].time, Rational(1));
    EXPECT_EQ(layer("Title").tracks[0].keys[0].value, 11);
    EXPECT_EQ(layer("Boatman").tracks[0].keys[2].value, 19);
    apply({{"edit", "keys"}, {"layers", {"Boatman"}}, {"from", 2}, {"stretch", 2}});
    EXPECT_EQ(layer("Boatman").tracks[0].keys[2].time, Rational(8)); // 2 + 2 (5 - 2)
    apply({{"edit", "keys"}, {"layers", {"Boatman"}}, {"even", true}});
    EXPECT_EQ(layer("Boatman").tracks[0].keys[1].time, Rational(9, 2));
    apply({{"edit", "remove-key"}, {"layers", {"Title"}}, {"property", "across"}, {"time", 1}});
    EXPECT_TRUE(layer("Title").tracks.empty());
    EXPECT_NE(refused({{"edit", "remove-key"}, {"layers", {"Title"}}, {"property", "across"}, {"time", 1}}),
              "");
    EXPECT_NE(refused({{"edit", "key"}, {"layers", {"Title"}}, {"property", "colour"}, {"time", 1}}), "");
}

TEST_F(Moves, ReversedKeysRunTheSameWayBack) {
    apply({{"edit", "track"},
           {"property", "roll"},
           {"keys",
            {{{"time", 0}, {"value", 0}, {"pace", "soft start"}},
             {{"time", 1}, {"value", 5}, {"pace", {{"drawn", {0, 1, 3}}}}},
             {{"time", 3}, {"value", 1}, {"pace", {0.1, 0.35, 0.6, 0.8}}},
             {{"time", 4}, {"value", -2}}}}});
    const scene::Track forth = scene.camera.tracks[0];
    apply({{"edit", "keys"}, {"property", "roll"}, {"reverse", true}});
    const scene::Track back = scene.camera.tracks[0];
    for (double t = 0; t <= 4; t += 0.1)
        EXPECT_NEAR(motion::keysAt(back, t), motion::keysAt(forth, 4 - t), 1e-6) << t;
}

/// On the path it changes nothing of it; beside it the path goes on as if it had always been there.
TEST_F(Moves, AMarkBesideThePathHasNoHandles) {
    apply({{"edit", "set-mark"}, {"time", 1}, {"position", {0.5, 0.6, 0}}});
    for (const scene::Mark& mark : marks()) {
        EXPECT_FALSE(mark.leaving) << mark.time.toDouble();
        EXPECT_FALSE(mark.arriving) << mark.time.toDouble();
    }
    EXPECT_EQ(motion::CameraMove(scene).at(1).position, V3d(0.5, 0.6, 0));
    scene::Scene before = scene;
    const V3d place = motion::CameraMove(scene).at(3).position;
    apply({{"edit", "set-mark"}, {"time", 3}});
    for (double t = 0; t <= 5; t += 0.25)
        EXPECT_NEAR(
            (motion::CameraMove(scene).at(t).position - motion::CameraMove(before).at(t).position).length(),
            0, 1e-6)
            << t;
    EXPECT_NEAR((motion::CameraMove(scene).at(3).position - place).length(), 0, 1e-9);
}

TEST_F(Moves, SmoothedKeysComeHalfwayToTheMeanOfTheirNeighbours) {
    apply({{"edit", "track"},
           {"property", "roll"},
           {"keys",
            {{{"time", 0}, {"value", 4}},
             {{"time", 1}, {"value", -2}},
             {{"time", 2}, {"value", 8}},
             {{"time", 5}, {"value", 0}}}}});
    apply({{"edit", "keys"}, {"property", "roll"}, {"smooth", true}});
    std::vector<double> values;
    for (const auto& key : scene.camera.tracks[0].keys)
        values.push_back(key.value);
    // -2 is halfway to (4 + 8) / 2, 8 to (-2 + 0) / 2; the first and the last stay.
    EXPECT_EQ(values, (std::vector<double>{4, 2, 3.5, 0}));
}

TEST_F(Moves, ALayerRecedesOnlyWhereItHasNoKeysOfPlaceYet) {
    apply({{"edit", "recede"}, {"layers", {"Bridge"}}, {"depth", 30}, {"from", 1}, {"to", 3}});
    EXPECT_THAT(refused({{"edit", "recede"}, {"layers", {"Bridge"}}, {"depth", 40}, {"from", 2}, {"to", 4}}),
                testing::HasSubstr("already has keys of place"));
    EXPECT_EQ(refused({{"edit", "recede"}, {"layers", {"Bridge"}}, {"depth", 40}, {"from", 3}, {"to", 4}}),
              "");
}

TEST_F(Moves, PushingAMovingLayerHoldsItsFramingAllAlong) {
    apply({{"edit", "track"},
           {"layers", {"Boatman"}},
           {"property", "across"},
           {"keys", {{{"time", 0}, {"value", -1}}, {{"time", 4}, {"value", 3}}}}});
    apply({{"edit", "track"},
           {"layers", {"Boatman"}},
           {"property", "scale across"},
           {"keys", {{{"time", 0}, {"value", 1}}, {{"time", 4}, {"value", 2}}}}});
    const auto seen = [&](Rational time) { // by the first mark
        const auto now = motion::resolved(scene, time, V3d(0));
        const auto& placement = now.layers[0]->placement;
        return V3d(placement.position.x / -placement.position.z, placement.position.y / -placement.position.z,
                   placement.scale.x / -placement.position.z);
    };
    std::vector<V3d> before;
    for (int t = 0; t <= 5; ++t)
        before.push_back(seen(t));
    const double depth = -layer("Boatman").placement.position.z;
    apply({{"edit", "push"}, {"layers", {"Boatman"}}, {"depth", 3 * depth}});
    EXPECT_NEAR(-layer("Boatman").placement.position.z, 3 * depth, 1e-9);
    for (int t = 0; t <= 5; ++t)
        EXPECT_NEAR((seen(t) - before[static_cast<std::size_t>(t)]).length(), 0, 1e-9) << t;
    // At a key only that one goes.
    const double first = layer("Boatman").tracks[0].keys[0].value;
    apply({{"edit", "slide"}, {"layers", {"Boatman"}}, {"by", {2, 0, 0}}, {"time", 4}});
    EXPECT_EQ(layer("Boatman").tracks[0].keys[0].value, first);
    EXPECT_NEAR(seen(4).x - before[4].x, 2 / (3 * depth), 1e-9);
}

TEST_F(Moves, LinksAreCheckedAndHandsSway) {
    apply({{"edit", "track"},
           {"layers", {"Bridge"}},
           {"property", "up"},
           {"link", {{"layer", "Boatman"}, {"property", "up"}, {"factor", 2}}}});
    EXPECT_NE(refused({{"edit", "track"},
                       {"layers", {"Boatman"}},
                       {"property", "up"},
                       {"link", {{"layer", "Bridge"}, {"property", "up"}}}})
                  .find("circle"),
              std::string::npos);
    EXPECT_NE(
        refused({{"edit", "key"}, {"layers", {"Bridge"}}, {"property", "up"}, {"time", 0}, {"value", 1}}),
        "");
    // A copy of both follows its own; what followed one that goes stands.
    apply({{"edit", "duplicate"}, {"layers", {"Boatman", "Bridge"}}});
    EXPECT_EQ(layer("Bridge 2").tracks[0].link->layer, layer("Boatman 2").id);
    apply({{"edit", "remove"}, {"layers", {"Boatman"}}});
    EXPECT_TRUE(layer("Bridge").tracks.empty());
    const scene::Pose still = motion::CameraMove(scene).at(2);
    apply({{"edit", "hand-held"}, {"amount", 1}});
    EXPECT_NE(motion::CameraMove(scene).at(2), still);
    EXPECT_LT(std::abs(motion::CameraMove(scene).at(2).pan - still.pan), 0.5);
    apply({{"edit", "hand-held"}, {"amount", 0}});
    EXPECT_EQ(motion::CameraMove(scene).at(2), still);
}

TEST_F(Moves, LayersComeInOneAfterAnother) {
    apply({{"edit", "showing"},
           {"layers", {"Boatman", "Bridge", "Title"}},
           {"in", 1},
           {"out", 3},
           {"fadeIn", "1/2"}});
    apply({{"edit", "key"}, {"layers", {"Title"}}, {"property", "roll"}, {"time", 2}, {"value", 8}});
    apply({{"edit", "stagger"}, {"layers", {"Boatman", "Bridge", "Title"}}, {"by", "1/4"}});
    EXPECT_EQ(layer("Boatman").showing.in, Rational(1));
    EXPECT_EQ(layer("Title").showing.in, Rational(3, 2));
    EXPECT_EQ(layer("Title").showing.out, Rational(7, 2));
    EXPECT_EQ(layer("Title").tracks[0].keys[0].time, Rational(5, 2));
    apply({{"edit", "showing"}, {"layers", {"Title"}}, {"out", nullptr}});
    EXPECT_FALSE(layer("Title").showing.out);
    EXPECT_NE(refused({{"edit", "showing"}, {"layers", {"Title"}}, {"out", 1}}), "");
}

TEST_F(Moves, AllOfALayerIsMovedInTime) {
    apply({{"edit", "showing"}, {"layers", {"Boatman"}}, {"in", 1}});
    apply({{"edit", "key"}, {"layers", {"Boatman"}}, {"property", "roll"}, {"time", 2}, {"value", 8}});
    apply({{"edit", "recede"}, {"layers", {"Bridge"}}, {"depth", 30}, {"from", 1}, {"to", 3}});
    ASSERT_FALSE(layer("Bridge").places.empty());
    const Rational begin = layer("Bridge").places.front().time;
    apply({{"edit", "move-in-time"}, {"layers", {"Boatman", "Bridge"}}, {"by", "-1/2"}});
    EXPECT_EQ(layer("Boatman").showing.in, Rational(1, 2));
    EXPECT_FALSE(layer("Boatman").showing.out); // to the end as before
    EXPECT_EQ(layer("Boatman").tracks[0].keys[0].time, Rational(3, 2));
    EXPECT_EQ(layer("Bridge").places.front().time, begin - Rational(1, 2));
    EXPECT_NE(refused({{"edit", "move-in-time"}, {"layers", {"Bridge"}}, {"by", 1e300}}), "");
}

/// Every corner of a layer in the frame at a time, as the move sees it.
std::vector<V2d> cornersOf(const scene::Scene& scene, std::int64_t id, double seconds) {
    const Rational time = Rational::nearest(seconds);
    const motion::ResolvedScene now(scene, time, motion::CameraMove(scene).at(seconds));
    const auto& found = now.find(id);
    std::vector<V2d> places;
    for (const V3d& corner : optics::surfaceOf(*found.layer, optics::worldOf(found.carriers)).outline())
        places.push_back(optics::project(now.view, corner).value_or(V2d(1e9)));
    return places;
}

TEST_F(Moves, FramingIsHeldOverTimeWithKeysAndNoise) {
    // The camera stands; the layer is keyed, and sways in metres and degrees.
    apply({{"edit", "remove-mark"}, {"mark", 3}});
    apply({{"edit", "remove-mark"}, {"mark", 2}});
    apply({{"edit", "key"}, {"layers", {"Boatman"}}, {"property", "across"}, {"time", 0}, {"value", -1}});
    apply({{"edit", "key"}, {"layers", {"Boatman"}}, {"property", "across"}, {"time", 4}, {"value", 2}});
    for (const auto& [property, amount] :
         {std::pair("up", 0.3), std::pair("across", 0.2), std::pair("roll", 8.0)})
        apply({{"edit", "track"},
               {"layers", {"Boatman"}},
               {"property", property},
               {"noise", {{{"kind", "sway"}, {"amount", amount}, {"rate", 1.5}, {"seed", 3}}}}});
    const std::int64_t id = layer("Boatman").id;
    std::vector<std::vector<V2d>> before;
    for (double t = 0; t < 5; t += 0.37)
        before.push_back(cornersOf(scene, id, t));
    for (const char* time : {"1/2", "3/2"}) {
        apply({{"edit", "push"}, {"layers", {"Boatman"}}, {"ratio", 2.5}, {"time", time}});
        std::size_t i = 0;
        for (double t = 0; t < 5; t += 0.37, ++i) {
            const auto after = cornersOf(scene, id, t);
            for (std::size_t k = 0; k < after.size(); ++k)
                EXPECT_NEAR((after[k] - before[i][k]).length(), 0, 0.01) << time << " at " << t;
        }
    }
}

TEST_F(Moves, PlacingATrackedLayerMovesItsKeys) {
    apply({{"edit", "key"}, {"layers", {"Boatman"}}, {"property", "turn"}, {"time", 1}, {"value", 10}});
    apply({{"edit", "key"}, {"layers", {"Boatman"}}, {"property", "turn"}, {"time", 3}, {"value", 30}});
    const auto turnAt = [&](double t) { return *motion::Values(scene).of(layer("Boatman").id, "turn", t); };
    // At a time between them both go along.
    apply({{"edit", "place"}, {"layer", "Boatman"}, {"turn", {0, 25, 0}}, {"time", 2}});
    EXPECT_NEAR(turnAt(2), 25, 1e-9);
    EXPECT_NEAR(turnAt(1), 15, 1e-9);
    // At a key that one alone.
    apply({{"edit", "place"}, {"layer", "Boatman"}, {"turn", {0, 50, 0}}, {"time", 3}});
    EXPECT_NEAR(turnAt(3), 50, 1e-9);
    EXPECT_NEAR(turnAt(1), 15, 1e-9);
}

TEST_F(Moves, GroupingKeepsKeyedPlaces) {
    apply({{"edit", "key"}, {"layers", {"Boatman"}}, {"property", "up"}, {"time", 1}, {"value", 1}});
    apply({{"edit", "key"}, {"layers", {"Boatman"}}, {"property", "up"}, {"time", 3}, {"value", 3}});
    const std::int64_t id = layer("Boatman").id;
    const auto before = cornersOf(scene, id, 1.7);
    apply({{"edit", "group"}, {"layers", {"Boatman", "Bridge"}}, {"name", "Both"}});
    const auto grouped = cornersOf(scene, id, 1.7);
    for (std::size_t k = 0; k < before.size(); ++k)
        EXPECT_NEAR((grouped[k] - before[k]).length(), 0, 1e-6);
    // Turned, it cannot be told in single properties any more.
    apply({{"edit", "place"}, {"layer", "Both"}, {"turn", {0, 30, 0}}});
    EXPECT_NE(refused({{"edit", "ungroup"}, {"layers", {"Both"}}}), "");
}

}
}
