#include "edit/bring_in.h"
#include "edit/journal.h"
#include "optics/placing.h"
#include "scene/file.h"
#include "scene/scene_json.h"
#include "support/edit_examples.h"
#include "support/edits.h"
#include "support/support.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

namespace stage::edit {
namespace {

using test::refused;

using scene::Json;
using test::TempDir;

scene::Scene two() {
    scene::Scene scene = scene::emptyScene();
    scene.layers = {test::pictureLayer(1, "Sky", "/a.png", {100, 50}, 10, {0, 0, -20}),
                    test::pictureLayer(2, "Boat", "/b.png", {100, 50}, 2, {1, 0, -5})};
    return scene;
}

scene::Scene done(const scene::Scene& scene, const Edit& edit) {
    auto result = edit::apply(scene, edit);
    EXPECT_TRUE(result) << result.error().sentence;
    return result ? *result : scene;
}

TEST(Edits, PushByNameAndById) {
    const auto scene = two();
    const auto pushed =
        done(scene, Json::parse(R"({"edit":"push","layers":["Boat"],"depth":32.0,"holdFraming":true})"));
    EXPECT_NEAR(optics::depthOf(pushed, scene::find(pushed, 2)), 32, 1e-12);
    EXPECT_NEAR(pushed.layers[1]->placement.scale.x, 6.4, 1e-12);
    EXPECT_NEAR(scene.layers[1]->placement.scale.x, 1, 0); // the old scene is as it was
    EXPECT_EQ(scene::toJson(pushed),
              scene::toJson(done(scene, onLayers("push", std::vector<std::int64_t>{2}, {{"depth", 32}}))));
    const auto both =
        done(scene, {{"edit", "push"}, {"layers", {1, 2}}, {"by", 3.5}, {"holdFraming", false}});
    EXPECT_NEAR(both.layers[0]->placement.position.z, -23.5, 1e-12);
    EXPECT_NEAR(both.layers[1]->placement.position.z, -8.5, 1e-12);
}

TEST(Edits, RefusalsSayWhatAndWhere) {
    auto scene = two();
    EXPECT_EQ(refused(scene, {{"edit", "push"}, {"layers", {"Bot"}}, {"depth", 3}}),
              "'push.layers[0]': there is no layer 'Bot'.");
    EXPECT_EQ(refused(scene, {{"edit", "push"}, {"layers", {"Boat"}}, {"dept", 3}}),
              "push needs one of 'depth', 'by', 'ratio' and 'spread'.");
    EXPECT_EQ(refused(scene, {{"edit", "push"}, {"layers", {"Boat"}}, {"depth", 3}, {"deep", 3}}),
              "push does not know 'deep'.");
    EXPECT_EQ(refused(scene, {{"edit", "push"}, {"layers", Json::array()}, {"depth", 3}}),
              "'push.layers' is empty.");
    EXPECT_EQ(refused(scene, {{"edit", "push"}, {"layers", {"Boat"}}, {"depth", "far"}}),
              "'push.depth' should be a number but is a text.");
    EXPECT_EQ(refused(scene, {{"edit", "fly"}}), "There is no edit \"fly\"; docs/edits.md lists them.");
    EXPECT_EQ(refused(scene, Json::array()), "An edit is an object with a member 'edit' that names it.");
    EXPECT_EQ(refused(scene, {{"edit", "remove-mark"}, {"mark", 1}}), "the only mark cannot be removed.");
    EXPECT_EQ(refused(scene, {{"edit", "lens"}, {"focal", 0}}),
              "'lens.focal' is 0, which is not within 0.1 and 10000.");
    scene.layers.push_back(test::pictureLayer(3, "Boat", "/c.png", {1, 1}, 1, {0, 0, -1}));
    EXPECT_EQ(refused(scene, {{"edit", "remove"}, {"layers", {"Boat"}}}),
              "'remove.layers[0]': several layers are called 'Boat'; say which by its id: 2, 3.");
}

TEST(Edits, MarksAreInsertedOnTheMoveAndKeptInOrder) {
    auto scene = two();
    scene = done(scene, {{"edit", "set-mark"}, {"time", "4"}, {"position", {4, 0, 0}}});
    scene = done(scene, {{"edit", "set-mark"}, {"time", "1"}}); // lies on the move: a quarter of the way
    ASSERT_EQ(scene.camera.marks.size(), 3u);
    EXPECT_NEAR(scene.camera.marks[1].pose.position.x, 1, 1e-9);
    EXPECT_EQ(scene.camera.marks[1].id, 3);
    scene = done(scene, {{"edit", "set-mark"}, {"time", "1"}, {"pan", 12}}); // changes the one that is there
    EXPECT_EQ(scene.camera.marks.size(), 3u);
    EXPECT_EQ(scene.camera.marks[1].pose.pan, 12);
    scene = done(scene, {{"edit", "move-mark"}, {"mark", 2}, {"time", "5"}});
    EXPECT_EQ(scene.camera.marks[2].pose.pan, 12);
    EXPECT_EQ(refused(scene, {{"edit", "move-mark"}, {"mark", 3}, {"time", "4"}}),
              "another mark stands at that time already.");
    scene = done(scene, {{"edit", "pace"}, {"mark", 1}, {"pace", "soft both"}});
    EXPECT_EQ(scene.camera.marks[0].pace, (scene::Pace{.42, 0, .58, 1}));
    scene = done(scene, {{"edit", "remove-mark"}, {"mark", 2}});
    EXPECT_EQ(scene.camera.marks.size(), 2u);
}

TEST(Edits, Lens) {
    const auto scene = done(two(), {{"edit", "lens"}, {"angle", 65}});
    EXPECT_NEAR(scene.camera.marks[0].pose.focal, 28.254, 5e-4);
    EXPECT_EQ(done(two(), {{"edit", "lens"}, {"gate", 24.89}}).camera.gate, 24.89);
}

TEST(Edits, TextLandsAtHomeDepthAndKeepsItsEmWhenChanged) {
    auto scene = done(two(), {{"edit", "add-text"}, {"text", "ABC"}, {"em", 0.8}});
    const auto& layer = *scene.layers.back();
    EXPECT_EQ(layer.name, "ABC");
    EXPECT_NEAR(layer.placement.position.z, -10, 1e-12);
    EXPECT_NEAR(layer.metresPerPixel, 0.8 / 320, 1e-12);
    const V2i before = layer.pixels;
    scene = done(scene, {{"edit", "text"}, {"layer", "ABC"}, {"text", "ABCABC"}});
    EXPECT_GT(scene.layers.back()->pixels.x, before.x * 3 / 2);
    EXPECT_NEAR(scene.layers.back()->metresPerPixel, 0.8 / 320, 1e-12);
    EXPECT_FALSE(refused(scene, {{"edit", "text"}, {"layer", "Sky"}, {"text", "x"}}).empty());
}

TEST(Edits, RemoveReachesIntoGroups) {
    auto scene = two();
    auto group = std::make_shared<scene::Layer>();
    group->id = 9;
    group->name = "G";
    group->content = scene::Group{scene.layers};
    scene.layers = {group};
    scene = done(scene, {{"edit", "remove"}, {"layers", {"Boat"}}});
    EXPECT_EQ(scene.layers[0]->group()->children.size(), 1u);
    scene = done(scene, {{"edit", "rename"}, {"layer", "Sky"}, {"name", "Night"}});
    EXPECT_EQ(scene.layers[0]->group()->children[0]->name, "Night");
}

test::Rgba8 grey(int, int) {
    return {128, 128, 128, 255};
}

TEST(BringIn, FirstPictureMakesTheFrameAndFillsIt) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {640, 480}, grey);
    const auto scene =
        done(scene::emptyScene(), {{"edit", "bring-in"}, {"files", {(dir / "a.png").string()}}});
    EXPECT_EQ(scene.output.frame, V2i(640, 480));
    const auto& layer = *scene.layers.at(0);
    EXPECT_EQ(layer.name, "a");
    // fills the frame at home depth: 10 m * 36/35
    EXPECT_NEAR(layer.size().x, 10 * 36 / 35.0, 1e-9);
    EXPECT_NEAR(layer.placement.position.z, -10, 1e-9);
}

TEST(BringIn, LaterPicturesFillTheFrameThatIsThere) {
    const TempDir dir;
    test::writePicture(dir / "tall.png", {300, 600}, grey);
    auto scene = two();
    scene.camera.marks[0].pose.position = {1, 2, 3};
    scene.camera.marks[0].pose.pan = 30;
    scene = done(scene, {{"edit", "bring-in"}, {"files", {(dir / "tall.png").string()}}});
    EXPECT_EQ(scene.output.frame, V2i(1920, 1080));
    const auto& layer = *scene.layers.back();
    const optics::View view = optics::firstView(scene);
    const optics::Surface card = optics::surfaceOf(layer, {});
    // wider than high: the width is filled, top and bottom stand over; centred on the axis of the first mark
    EXPECT_NEAR(optics::project(view, card.corner)->x, 0, 1e-6);
    EXPECT_NEAR(optics::project(view, card.corner + card.across)->x, 1920, 1e-6);
    EXPECT_NEAR(optics::project(view, card.centre())->y, 540, 1e-6);
}

TEST(BringIn, LayersGroupOrOneLayer) {
    const TempDir dir;
    const char* xml =
        R"(<image w="64" h="48"><stack><layer name="b" src="data/b.png" x="10" y="4"/><layer name="a" src="data/a.png"/></stack></image>)";
    test::writeOra(dir / "p.ora", xml,
                   {test::pngMember("data/a.png", {64, 48}, grey),
                    test::pngMember("data/b.png", {8, 8}, grey),
                    test::pngMember("mergedimage.png", {64, 48}, grey)});
    const auto as = [&](const char* way) {
        return done(scene::emptyScene(),
                    {{"edit", "bring-in"}, {"files", {(dir / "p.ora").string()}}, {"as", way}});
    };
    const auto layers = as("layers"), group = as("group"), one = as("one layer");
    ASSERT_EQ(layers.layers.size(), 2u);
    ASSERT_EQ(group.layers.size(), 1u);
    ASSERT_EQ(one.layers.size(), 1u);
    EXPECT_EQ(layers.output.blending, scene::Blending::Paint);
    EXPECT_EQ(std::get<scene::Picture>(one.layers[0]->content).part, "mergedimage.png");
    const auto view = optics::firstView(layers);
    const auto place = [&](const scene::Scene& s, std::int64_t id) {
        const auto found = scene::find(s, id);
        return *optics::project(view,
                                optics::surfaceOf(*found.layer, optics::worldOf(found.carriers)).corner);
    };
    EXPECT_NEAR((place(layers, 2) - V2d(10, 4)).length(), 0, 1e-6);
    EXPECT_NEAR((place(group, group.layers[0]->group()->children[1]->id) - V2d(10, 4)).length(), 0, 1e-6);
}

TEST(BringIn, AllOrNothing) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {64, 48}, grey);
    const auto sentence =
        refused(scene::emptyScene(),
                {{"edit", "bring-in"}, {"files", {(dir / "a.png").string(), (dir / "none.png").string()}}});
    EXPECT_EQ(sentence, "Cannot read " + (dir / "none.png").string() + ": it does not exist.");
}

TEST(HistoryOfEdits, UndoRedoWithNames) {
    History history(two());
    EXPECT_FALSE(history.canUndo());
    ASSERT_TRUE(
        history.apply(onLayers("push", std::vector<std::int64_t>{2}, {{"depth", 9}, {"holdFraming", true}})));
    ASSERT_TRUE(history.apply({{"edit", "look"}, {"layers", {"Sky"}}, {"opacity", 0.5}}));
    EXPECT_EQ(history.undoName(), "Change look of Sky");
    history.undo();
    EXPECT_EQ(history.undoName(), "Push Boat");
    EXPECT_EQ(history.redoName(), "Change look of Sky");
    EXPECT_EQ(history.scene()->layers[0]->opacity, 1);
    history.redo();
    EXPECT_EQ(history.scene()->layers[0]->opacity, 0.5);
    history.undo();
    EXPECT_FALSE(history.apply({{"edit", "nothing"}}));
    EXPECT_TRUE(history.canRedo()); // a refused edit forgets nothing
    ASSERT_TRUE(history.apply({{"edit", "rename"}, {"layer", "Sky"}, {"name", "N"}}));
    EXPECT_FALSE(history.canRedo());
}

TEST(Recovery, ReplaysWhatWasDone) {
    const TempDir dir;
    const auto path = journalOf(dir / "s.ostage");
    {
        Journal journal;
        ASSERT_TRUE(journal.begin(path, two(), {dir / "s.ostage"}));
        EXPECT_FALSE(recover(path)); // in use, and empty
        ASSERT_TRUE(journal.applied(
            onLayers("push", std::vector<std::int64_t>{2}, {{"depth", 9}, {"holdFraming", true}})));
        ASSERT_TRUE(journal.applied({{"edit", "rename"}, {"layer", "Sky"}, {"name", "N"}}));
        ASSERT_TRUE(journal.undone());
    }
    const auto recovered = recover(path);
    ASSERT_TRUE(recovered);
    EXPECT_EQ(recovered->steps, 3u);
    EXPECT_EQ(recovered->document, dir / "s.ostage");
    EXPECT_EQ(recovered->history.scene()->layers[0]->name, "Sky");
    EXPECT_EQ(recovered->history.redoName(), "Rename Sky");
    EXPECT_NEAR(optics::depthOf(*recovered->history.scene(), scene::find(*recovered->history.scene(), 2)), 9,
                1e-12);
}

TEST(Recovery, NothingToRecoverAfterTheEnd) {
    const TempDir dir;
    Journal journal;
    ASSERT_TRUE(journal.begin(dir / "j", two(), {}));
    ASSERT_TRUE(journal.applied(
        onLayers("push", std::vector<std::int64_t>{2}, {{"depth", 9}, {"holdFraming", true}})));
    journal.end();
    EXPECT_FALSE(std::filesystem::exists(dir / "j"));
    EXPECT_FALSE(recover(dir / "j"));
    {
        Journal unsaved;
        ASSERT_TRUE(unsaved.begin(dir / "k", two(), {{}, true}));
    }
    EXPECT_TRUE(recover(dir / "k")); // a scene that is nowhere else
}

TEST(Recovery, AJournalInUseIsLeftAlone) {
    const TempDir dir;
    Journal first, second;
    ASSERT_TRUE(first.begin(dir / "j", two(), {dir / "s.ostage"}));
    EXPECT_TRUE(Journal::inUse(dir / "j"));
    const auto refused = second.begin(dir / "j", two(), {dir / "s.ostage"});
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().sentence.find("in use by another window"), std::string::npos);
    ASSERT_TRUE(first.applied({{"edit", "rename"}, {"layer", "Sky"}, {"name", "N"}}));
    second.end(); // takes nothing away
    EXPECT_TRUE(std::filesystem::exists(dir / "j"));
    ASSERT_TRUE(first.begin(dir / "j", two(), {dir / "s.ostage", true})); // anew, by itself
    EXPECT_TRUE(Journal::inUse(dir / "j"));
    ASSERT_TRUE(first.applied({{"edit", "rename"}, {"layer", "Sky"}, {"name", "M"}}));
    first = Journal(); // as if the program were gone
    EXPECT_FALSE(Journal::inUse(dir / "j"));
    const auto recovered = recover(dir / "j");
    ASSERT_TRUE(recovered);
    EXPECT_EQ(recovered->history.scene()->layers[0]->name, "M");
    EXPECT_TRUE(second.begin(dir / "j", two(), {}));
}

TEST(Recovery, MembersOfAnotherTypeAreNoAbort) {
    const TempDir dir;
    const std::string scene = scene::toJson(two()).dump();
    const std::string edit = "{\"do\":{\"edit\":\"rename\",\"layer\":\"Sky\",\"name\":\"N\"}}\n";
    for (const char* document : {"7", "null", "[]", "{\"a\":1}"}) {
        test::writeAll(dir / "j", std::string("{\"journal\":1,\"document\":") + document +
                                      ",\"unsaved\":\"yes\",\"scene\":" + scene + "}\n" + edit);
        const auto recovered = recover(dir / "j");
        ASSERT_TRUE(recovered) << document;
        EXPECT_EQ(recovered->document, "");
        EXPECT_EQ(recovered->steps, 1u);
    }
    for (const char* line : {"{\"do\":7}\n", "{\"do\":{\"edit\":[]}}\n", "[1]\n", "{\"do\":null}\n"}) {
        test::writeAll(dir / "j", "{\"scene\":" + scene + "}\n" + edit + line + edit);
        const auto recovered = recover(dir / "j");
        ASSERT_TRUE(recovered) << line;
        EXPECT_EQ(recovered->steps, 1u);
        EXPECT_NE(recovered->problem, "");
    }
}

TEST(Recovery, JournalsWithNothingInThemAreCleared) {
    const TempDir dir;
    {
        Journal empty;
        ASSERT_TRUE(empty.begin(dir / "empty", two(), {}));
    }
    {
        Journal unsaved;
        ASSERT_TRUE(unsaved.begin(dir / "unsaved", two(), {{}, true}));
    }
    {
        Journal edited;
        ASSERT_TRUE(edited.begin(dir / "edited", two(), {}));
        ASSERT_TRUE(edited.applied({{"edit", "rename"}, {"layer", "Sky"}, {"name", "N"}}));
    }
    Journal used;
    ASSERT_TRUE(used.begin(dir / "used", two(), {}));
    for (const char* name : {"empty", "unsaved", "edited", "used"})
        discardEmpty(dir / name);
    EXPECT_FALSE(std::filesystem::exists(dir / "empty"));
    for (const char* name : {"unsaved", "edited", "used"})
        EXPECT_TRUE(std::filesystem::exists(dir / name)) << name;
}

TEST(Recovery, ATornOrDamagedEndIsLeftOut) {
    const TempDir dir;
    {
        Journal journal;
        ASSERT_TRUE(journal.begin(dir / "j", two(), {}));
        for (int i = 0; i < 5; ++i)
            ASSERT_TRUE(journal.applied(
                onLayers("push", std::vector<std::int64_t>{2}, {{"depth", 10 + i}, {"holdFraming", true}})));
    }
    const std::string whole = test::readAll(dir / "j");
    const std::size_t header = whole.find('\n') + 1;
    for (std::size_t size = header; size <= whole.size(); size += 3) {
        test::writeAll(dir / "cut", whole.substr(0, size));
        const auto recovered = recover(dir / "cut");
        const auto lines =
            static_cast<std::size_t>(std::count(whole.begin() + static_cast<std::ptrdiff_t>(header),
                                                whole.begin() + static_cast<std::ptrdiff_t>(size), '\n'));
        ASSERT_EQ(recovered.has_value(), lines > 0);
        if (recovered) {
            EXPECT_EQ(recovered->steps, lines);
        }
    }
    for (std::size_t size = 0; size < header; size += 50) {
        test::writeAll(dir / "cut", whole.substr(0, size));
        EXPECT_FALSE(recover(dir / "cut"));
    }
}

/// A process that edits and journals as fast as it can is killed at random moments; what it had reported as
/// done must be there.
TEST(Recovery, Kill9LosesAtMostTheEditBeingMade) {
    int tried = 0;
    for (int round = 0; round < 12; ++round) {
        const TempDir dir;
        int told[2];
        ASSERT_EQ(::pipe(told), 0);
        const pid_t child = ::fork();
        if (child == 0) {
            Journal journal;
            if (!journal.begin(dir / "j", two(), {})) ::_exit(1);
            for (int i = 0;; ++i) {
                if (!journal.applied({{"edit", "rename"}, {"layer", 1}, {"name", std::to_string(i)}}))
                    ::_exit(1);
                if (::write(told[1], &i, sizeof i) != sizeof i) ::_exit(1);
            }
        }
        ::close(told[1]);
        // Killed as it goes on, after so many edits.
        int last = -1, i = 0;
        for (int n = 0; n < 1 + 7 * round && ::read(told[0], &i, sizeof i) == sizeof i; ++n)
            last = i;
        ::kill(child, SIGKILL);
        ::waitpid(child, nullptr, 0);
        while (::read(told[0], &i, sizeof i) == sizeof i)
            last = i;
        ::close(told[0]);
        if (last < 0) continue; // killed before its first edit
        ++tried;
        const auto recovered = recover(dir / "j");
        ASSERT_TRUE(recovered);
        EXPECT_TRUE(recovered->problem.empty());
        EXPECT_GE(std::stoi(recovered->history.scene()->layers[0]->name), last);
    }
    EXPECT_GT(tried, 3);
}

TEST(Documentation, EveryEditIsThereAndItsExamplesWork) {
    const std::string text = test::readAll(test::sourceFolder() + "/docs/edits.md");
    for (const std::string& name : editNames())
        EXPECT_NE(text.find("## " + name + "\n"), std::string::npos) << name;
    const TempDir dir;
    const scene::Scene base = test::exampleScene(dir);
    std::size_t tried = 0;
    for (const Json& example : test::editExamples(dir)) {
        scene::Scene scene = base;
        for (const Json& one : example.is_array() ? example : Json::array({example})) {
            const auto result = edit::apply(scene, one);
            ASSERT_TRUE(result) << one.dump() << result.error().sentence;
            scene = *result;
            ++tried;
        }
    }
    EXPECT_GE(tried, editNames().size());
}

}
}
