// What apply accepts can be opened again and is the same then; what it refuses changes nothing; nothing that
// an edit says ends the program.
#include "edit/journal.h"
#include "scene/file.h"
#include "scene/scene_json.h"
#include "scene/utf8.h"
#include "support/support.h"

#include <csignal>
#include <gtest/gtest.h>
#include <sys/resource.h>

namespace stage::edit {
namespace {

using scene::Json;
using scene::Scene;
using test::TempDir;

Scene start() {
    Scene scene = scene::emptyScene();
    for (int i = 1; i <= 4; ++i)
        scene.layers.push_back(test::pictureLayer(i, "L" + std::to_string(i), "/none.png", {100, 80}, 2,
                                                  {i - 2.0, 0, -5.0 * i}));
    auto made =
        edit::apply(scene, {{"edit", "add-matte"},
                            {"layer", "L2"},
                            {"matte", {{"kind", "outline"}, {"points", {{0, 0}, {50, 0}, {50, 50}}}}}});
    EXPECT_TRUE(made);
    scene = *made;
    for (const Edit& edit : std::vector<Edit>{
             {{"edit", "set-mark"}, {"time", "2"}, {"position", {1, 0, -1}}},
             {{"edit", "set-mark"}, {"time", "5"}, {"position", {0, 1, -2}}},
             {{"edit", "key"}, {"layers", {"L1"}}, {"property", "across"}, {"time", "1/3"}, {"value", 1}},
             {{"edit", "key"}, {"layers", {"L1"}}, {"property", "across"}, {"time", 2}, {"value", 2}},
             {{"edit", "key-place"}, {"layers", {"L3"}}, {"time", 0}},
             {{"edit", "key-place"}, {"layers", {"L3"}}, {"time", 3}}}) {
        made = edit::apply(scene, edit);
        EXPECT_TRUE(made) << edit.dump() << made.error().sentence;
        if (made) scene = *made;
    }
    return scene;
}

/// Opened from its text, as a file is.
Result<Scene> reopened(const Scene& scene) {
    const auto json = scene::parseJson(scene::toJson(scene).dump());
    if (!json) return tl::unexpected(json.error());
    return scene::sceneFromJson(*json);
}

void holds(const Scene& before, const Edit& edit) {
    const Json was = scene::toJson(before);
    const auto after = edit::apply(before, edit);
    EXPECT_EQ(scene::toJson(before), was) << edit.dump().substr(0, 300);
    if (!after) {
        EXPECT_FALSE(after.error().sentence.empty());
        return;
    }
    const auto again = reopened(*after);
    ASSERT_TRUE(again) << edit.dump().substr(0, 300) << "\n" << again.error().sentence;
    EXPECT_EQ(scene::toJson(*again), scene::toJson(*after)) << edit.dump().substr(0, 300);
}

TEST(Accepted, EditsThatOnceMadeScenesNobodyCouldOpen) {
    const Scene scene = start();
    const std::string long_(1000, 'x'), accents = [] {
        std::string text;
        while (text.size() < 998)
            text += "\xC3\xA4";
        return text;
    }();
    const std::vector<Edit> edits = {
        {{"edit", "hold-mark"}, {"mark", 1}, {"seconds", 1000}},
        {{"edit", "hold-mark"}, {"mark", 1}, {"seconds", "1000000/3"}},
        {{"edit", "retime"}, {"seconds", 2400}},
        {{"edit", "retime"}, {"factor", "999/7"}},
        {{"edit", "move-in-time"}, {"layers", {"L1"}}, {"by", "999983/999979"}},
        {{"edit", "stagger"}, {"layers", {"L1", "L2", "L3"}}, {"by", "1/999983"}},
        {{"edit", "recede"}, {"layers", {"L2"}}, {"from", 0}, {"to", 2500}, {"depth", 30}},
        {{"edit", "rename"}, {"layer", "L1"}, {"name", "\xC3"}},
        {{"edit", "rename"}, {"layer", "L1"}, {"name", long_}},
        {{"edit", "push"}, {"layers", {"L1"}}, {"ratio", 1e6}},
        {{"edit", "keys"}, {"layers", {"L1"}}, {"multiply", 1e6}},
        {{"edit", "keys"}, {"layers", {"L1"}}, {"add", 1e7}},
        {{"edit", "keys"}, {"layers", {"L1"}}, {"shift", 999999}},
        {{"edit", "keys"}, {"layers", {"L1"}}, {"stretch", "1000"}},
        {{"edit", "pivot"}, {"layers", {"L1"}}, {"to", {1e7, 1e7}}},
        {{"edit", "place"}, {"layer", "L3"}, {"position", {1e7, 0, 0}}, {"time", 1}},
        {{"edit", "place"}, {"layer", "L3"}, {"scale", {1e9, 1e9}}, {"time", 1}},
        {{"edit", "place"}, {"layer", "L2"}, {"scale", {1e-300, 1}}, {"turn", {0, 90, 0}}},
        {{"edit", "scale"}, {"layers", {"L3"}}, {"by", 1e6}},
        {{"edit", "ready-move"}, {"move", "arc"}, {"amount", 3600}, {"seconds", "7/3"}},
        {{"edit", "ready-move"}, {"move", "push in"}, {"seconds", 900000}},
    };
    for (const Edit& edit : edits)
        holds(scene, edit);
    // By many of the same.
    Scene now = scene;
    for (const Edit& edit :
         std::vector<Edit>{{{"edit", "move-in-time"}, {"layers", {"L1", "L3"}}, {"by", "1001/30000"}},
                           {{"edit", "move-in-time"}, {"layers", {"L1", "L3"}}, {"by", "7/999983"}},
                           {{"edit", "retime"}, {"factor", "1001/1000"}},
                           {{"edit", "retime"}, {"factor", "997/991"}},
                           {{"edit", "ready-move"}, {"move", "arc"}, {"amount", 1234}, {"seconds", "1/7"}},
                           {{"edit", "keys"}, {"layers", {"L1"}}, {"stretch", "17/13"}, {"shift", "1/7"}},
                           {{"edit", "duplicate"}, {"layers", {"L1"}}}}) {
        for (int i = 0; i < 12; ++i) {
            holds(now, edit);
            if (auto next = edit::apply(now, edit)) now = *next;
        }
    }
    // A name as long as can be, twice; and one that must not be cut inside a character.
    now = *edit::apply(scene, {{"edit", "rename"}, {"layer", "L1"}, {"name", accents}});
    for (int i = 0; i < 3; ++i) {
        const Edit edit = {{"edit", "duplicate"}, {"layers", {now.layers[0]->id}}};
        holds(now, edit);
        if (auto next = edit::apply(now, edit)) now = *next;
    }
    EXPECT_GT(now.layers.size(), scene.layers.size());
}

TEST(Accepted, GroupsAsDeepAsCanBeAndNoDeeper) {
    Scene scene = start();
    int deep = 0;
    for (; deep < 60; ++deep) {
        const Edit edit = {{"edit", "group"},
                           {"layers", {deep == 0 ? Json("L1") : Json("G" + std::to_string(deep))}},
                           {"name", "G" + std::to_string(deep + 1)}};
        holds(scene, edit);
        auto next = edit::apply(scene, edit);
        if (!next) break;
        scene = *next;
    }
    EXPECT_EQ(deep, scene::Limits::groupDepth);
}

TEST(Accepted, NoMoreLayersThanCanBeOpened) {
    Scene scene = start();
    Json many = Json::array();
    for (int i = 0; i < 9996; ++i)
        many.push_back({{"id", i + 1},
                        {"name", "c"},
                        {"kind", "card"},
                        {"pixels", {1, 1}},
                        {"metresPerPixel", 1},
                        {"card", Json::object()}});
    auto full = edit::apply(scene, {{"edit", "add"}, {"layers", many}});
    ASSERT_TRUE(full) << full.error().sentence;
    EXPECT_TRUE(reopened(*full));
    for (const Edit& edit : std::vector<Edit>{{{"edit", "add-card"}},
                                              {{"edit", "duplicate"}, {"layers", {"L1"}}},
                                              {{"edit", "scatter"}, {"layer", "L1"}, {"count", 3}}}) {
        const auto more = edit::apply(*full, edit);
        EXPECT_FALSE(more) << edit.dump();
    }
}

TEST(Accepted, TypesThatDoNotFitAreSentences) {
    const Scene scene = start();
    for (const char* member : {"mattes", "fills", "clones", "key", "edges", "match"})
        for (const Json& value : std::vector<Json>{
                 {{"on", false}}, Json::array(), 7, "x", true, {1, 2}, {{"kind", 3}}, {{"kind", {1}}}})
            holds(scene, {{"edit", "cut-out"}, {"layers", {"L2"}}, {member, value}});
    const auto refused =
        edit::apply(scene, {{"edit", "cut-out"}, {"layers", {"L2"}}, {"mattes", {{"on", false}}}});
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().sentence, "'cut-out.mattes' should be a list but is an object.");
    for (const Edit& edit : std::vector<Edit>{
             Json(), 7, "push", Json::array(), {{"edit", 7}}, {{"edit", "several"}, {"edits", {7, Json()}}}})
        holds(scene, edit);
}

TEST(Accepted, TheSameGroupNamedTwiceIsOneGroup) {
    Scene scene = *edit::apply(start(), {{"edit", "group"}, {"layers", {"L1", "L1", "L2"}}, {"name", "g"}});
    EXPECT_EQ(scene::find(scene, scene::highestId(scene)).layer->group()->children.size(), 2u);
    const auto out = edit::apply(scene, {{"edit", "ungroup"}, {"layers", {"g", "g"}}});
    ASSERT_TRUE(out) << out.error().sentence;
    EXPECT_EQ(out->layers.size(), 4u);
}

TEST(Utf8, IsTakenAndCutBetweenCharacters) {
    for (const char* good : {"", "plain", "\xC3\xA4", "\xE2\x82\xAC", "\xF0\x9F\x8C\x99"})
        EXPECT_TRUE(scene::isUtf8(good)) << good;
    for (const char* bad :
         {"\xC3", "\xA4", "\xC0\x80", "\xED\xA0\x80", "\xF5\x80\x80\x80", "\xE2\x82", "a\xFF"})
        EXPECT_FALSE(scene::isUtf8(bad)) << bad;
    EXPECT_EQ(scene::asUtf8("a\xC3\xA4", 2), "a");
    EXPECT_EQ(scene::asUtf8("a\xC3\xA4", 3), "a\xC3\xA4");
    EXPECT_EQ(scene::asUtf8("a\xFFz", 10), "a\xEF\xBF\xBDz");
}

TEST(Rational, SumsOfUnlikeFractionsDoNotOverflow) {
    Rational sum(0);
    double plain = 0;
    for (std::int64_t d = 1; d < 400; ++d) {
        const std::int64_t den = 999'983 + 2 * d;
        sum = sum + Rational(d, den);
        plain += static_cast<double>(d) / static_cast<double>(den);
    }
    EXPECT_NEAR(sum.toDouble(), plain, 1e-6 * 400);
    EXPECT_NEAR(sum.onGrid().toDouble(), plain, 1e-6 * 400);
    EXPECT_LE(sum.onGrid().den(), 1'000'000);
    EXPECT_LT(Rational(1, 1'000'000'007), Rational(1, 1'000'000'006));
    EXPECT_EQ(Rational(-7, 2).floor(), -4);
    EXPECT_EQ(Rational(-7, 2).ceil(), -3);
    EXPECT_EQ(Rational(7, 2).ceil(), 4);
}

/// The journal of a full disk: a limit on the size of files stands for it.
TEST(Accepted, AJournalThatCouldNotTakeAStepBeginsAnew) {
    const TempDir dir;
    Journal journal;
    Scene scene = start();
    ASSERT_TRUE(journal.begin(dir / "j", scene, {}));
    const auto rename = [&](const std::string& name) {
        const Edit edit = {{"edit", "rename"}, {"layer", 1}, {"name", name}};
        scene = *edit::apply(scene, edit);
        return edit;
    };
    ASSERT_TRUE(journal.applied(rename("one")));
    std::signal(SIGXFSZ, SIG_IGN);
    rlimit before = {};
    ::getrlimit(RLIMIT_FSIZE, &before);
    rlimit little = before;
    little.rlim_cur = std::filesystem::file_size(dir / "j") + 20;
    ::setrlimit(RLIMIT_FSIZE, &little);
    EXPECT_FALSE(journal.applied(rename("two")));
    ::setrlimit(RLIMIT_FSIZE, &before);
    // As the session does: the next step finds room, and the new journal has all of it.
    ASSERT_TRUE(journal.begin(dir / "j", scene, {{}, true}));
    ASSERT_TRUE(journal.applied(rename("three")));
    journal = Journal();
    const auto recovered = recover(dir / "j");
    ASSERT_TRUE(recovered);
    EXPECT_EQ(recovered->history.scene()->layers[0]->name, "three");
    EXPECT_EQ(recovered->problem, "");
}

}
}
