// The command line as it is used, through the real program.
#include "scene/scene.h"
#include "support/support.h"

#include <gtest/gtest.h>
#include <map>
#include <numeric>
#include <sstream>

namespace stage::cli {
namespace {

using scene::Json;
using test::Rgba8;
using test::TempDir;

test::Ran cli(const std::string& arguments) {
    return test::run(test::cli() + " " + arguments);
}
std::string demo() {
    return test::sourceFolder() + "/demo/lantern-quay.ostage";
}

TEST(CommandLine, HelpShowsExamplesAndExitCodes) {
    const auto ran = cli("--help");
    EXPECT_EQ(ran.code, 0);
    for (const char* part :
         {"import", "apply", "info", "measure", "check", "render", "Examples:", "Exit codes:"})
        EXPECT_NE(ran.printed.find(part), std::string::npos) << part;
    EXPECT_EQ(cli("").code, 2);
    EXPECT_EQ(cli("fly").code, 2);
    EXPECT_EQ(cli("render x.ostage").code, 2);
}

TEST(CommandLine, ChecksTellOfGapsAndTheirFixesMendThem) {
    const TempDir dir;
    const std::string d = dir.path().string();
    test::writePicture(dir / "far.png", {320, 180}, [](int x, int y) { return Rgba8{x % 256, y, 60}; });
    ASSERT_EQ(cli("import " + d + "/far.png -o " + d + "/s.ostage").code, 0);
    test::writeAll(dir / "e.json",
                   R"([{"edit":"set-mark","time":"2","position":[0.5,0,0]},{"edit":"settings","frames":49},
             {"edit":"check-limits","enlargement":1.2}])"); // what mends it enlarges it a little
    ASSERT_EQ(cli("apply " + d + "/s.ostage " + d + "/e.json -o " + d + "/t.ostage").code, 0);
    auto ran = cli("check --strict " + d + "/t.ostage");
    EXPECT_EQ(ran.code, 1);
    const Json found = Json::parse(ran.printed).at("findings");
    ASSERT_EQ(found.size(), 1u) << ran.printed;
    EXPECT_EQ(found[0]["what"], "gap");
    EXPECT_EQ(found[0]["to"], "2/1");                   // the last frame
    EXPECT_EQ(cli("check " + d + "/t.ostage").code, 0); // told, but not asked to be strict
    ASSERT_FALSE(found[0]["fixes"].empty());
    for (const Json& fix : found[0]["fixes"]) {
        test::writeAll(dir / "f.json", Json::array({fix["edit"]}).dump());
        ASSERT_EQ(cli("apply " + d + "/t.ostage " + d + "/f.json -o " + d + "/u.ostage").code, 0) << fix;
        EXPECT_EQ(cli("check --strict " + d + "/u.ostage").code, 0) << fix;
    }
    // Set aside it is no reason to fail.
    test::writeAll(dir / "a.json",
                   R"([{"edit":"set-aside","kind":"gap","layers":["far"],"reason":"cropped later"}])");
    ASSERT_EQ(cli("apply " + d + "/t.ostage " + d + "/a.json -o " + d + "/a.ostage").code, 0);
    ran = cli("check --strict " + d + "/a.ostage");
    EXPECT_EQ(ran.code, 0);
    EXPECT_EQ(Json::parse(ran.printed).at("setAside").at(0).at("reason"), "cropped later");
}

TEST(CommandLine, AWipeShowsTheFlatPictureLeftOfItsLine) {
    const TempDir dir;
    const std::string d = dir.path().string();
    test::writePicture(dir / "far.png", {320, 180}, [](int x, int) {
        return x < 160 ? Rgba8{200, 40, 40} : Rgba8{40, 40, 200};
    });
    ASSERT_EQ(cli("import " + d + "/far.png -o " + d + "/s.ostage").code, 0);
    // A pan of 30 degrees to the right: staged the middle of the frame is blue; flat its left half is red.
    test::writeAll(dir / "e.json",
                   R"([{"edit":"set-mark","time":"1","pan":30},{"edit":"settings","frames":25}])");
    ASSERT_EQ(cli("apply " + d + "/s.ostage " + d + "/e.json -o " + d + "/t.ostage").code, 0);
    ASSERT_EQ(
        cli("render " + d + "/t.ostage -o " + d + "/w.png --frames 24 --quality pinhole --wipe 0.4 0 --quiet")
            .code,
        0);
    V2i size;
    int channels = 0;
    const auto pixels = test::pixelsOf(dir / "w.png", size, channels);
    const auto at = [&](int x) {
        return static_cast<int>(pixels[static_cast<std::size_t>((90 * size.x + x) * channels)]);
    };
    EXPECT_GT(at(100), 150); // flat
    EXPECT_LT(at(140), 90);  // staged
    EXPECT_GT(at(128), 240); // the line
    // Against a picture of choice.
    test::writePicture(dir / "photo.png", {320, 180}, [](int, int) { return Rgba8{10, 220, 10}; });
    ASSERT_EQ(cli("render " + d + "/t.ostage -o " + d +
                  "/p.png --frames 24 --quality pinhole --wipe 0.4 0 --wipe-picture " + d +
                  "/photo.png --quiet")
                  .code,
              0);
    const auto other = test::pixelsOf(dir / "p.png", size, channels);
    EXPECT_GE(other[static_cast<std::size_t>((90 * size.x + 100) * channels + 1)], 200);
    EXPECT_EQ(cli("render " + d + "/t.ostage -o " + d + "/p.png --wipe-picture " + d + "/photo.png").code, 2);
}

TEST(CommandLine, FromPicturesToFrames) {
    const TempDir dir;
    const std::string d = dir.path().string();
    test::writePicture(dir / "far.png", {320, 180}, [](int x, int y) { return Rgba8{x % 256, y, 60}; });
    test::writePicture(dir / "near.png", {320, 180}, [](int x, int) {
        return Rgba8{255, 200, 0, x < 160 ? 255 : 0};
    });
    auto ran = cli("import " + d + "/far.png " + d + "/near.png -o " + d + "/s.ostage");
    ASSERT_EQ(ran.code, 0) << ran.printed;
    test::writeAll(
        dir / "e.json",
        R"([{"edit":"push","layers":["far"],"depth":32.0,"holdFraming":true},{"edit":"set-mark","time":"2","position":[0.5,0,0]},{"edit":"settings","frames":49}])");
    ran = cli("apply " + d + "/s.ostage " + d + "/e.json -o " + d + "/t.ostage");
    ASSERT_EQ(ran.code, 0) << ran.printed;
    const Json info = Json::parse(cli("info " + d + "/t.ostage").printed);
    EXPECT_EQ(info["frame"], Json({320, 180}));
    EXPECT_EQ(info["layers"][0]["name"], "far");
    EXPECT_NEAR(info["layers"][0]["depth"].get<double>(), 32, 1e-9);
    EXPECT_EQ(info["layers"][0]["missing"], false);
    EXPECT_EQ(info["marks"].size(), 2u);
    const Json measured = Json::parse(cli("measure " + d + "/t.ostage --frame 0").printed);
    EXPECT_NEAR(measured["layers"][0]["corners"][2][0].get<double>(), 320, 0.01);
    // 0.5 m at 10 m: 35/36*320/10*0.5 px; at 32 m by 10/32 of it
    EXPECT_NEAR(measured["layers"][1]["travel"].get<double>(), 15.5556, 0.01);
    EXPECT_NEAR(measured["layers"][0]["travel"].get<double>(), 4.8611, 0.01);
    ran = cli("render " + d + "/t.ostage -o '" + d + "/f.####.png' --frames 10-12 --size 160x90 --quiet");
    ASSERT_EQ(ran.code, 0) << ran.printed;
    EXPECT_TRUE(std::filesystem::exists(dir / "f.0010.png") && std::filesystem::exists(dir / "f.0012.png"));
    EXPECT_FALSE(std::filesystem::exists(dir / "f.0009.png"));
}

TEST(CommandLine, ChecksAMove) {
    const TempDir dir;
    const std::string d = dir.path().string();
    test::writePicture(dir / "a.png", {64, 64}, [](int x, int y) { return Rgba8{x, y, 0}; });
    ASSERT_EQ(cli("import " + d + "/a.png -o " + d + "/s.ostage").code, 0);
    const auto calm = cli("check " + d + "/s.ostage");
    EXPECT_EQ(calm.code, 0) << calm.printed;
    // 4 m in 1 s: too fast on a dolly, which does 2 m/s
    test::writeAll(dir / "fast.json",
                   R"([{"edit":"set-mark","time":1,"position":[4,1.5,0]},{"edit":"lens","rig":"dolly"}])");
    ASSERT_EQ(cli("apply " + d + "/s.ostage " + d + "/fast.json -o " + d + "/f.ostage").code, 0);
    const auto fast = cli("check " + d + "/f.ostage");
    const auto report = nlohmann::json::parse(fast.printed, nullptr, false);
    ASSERT_FALSE(report.is_discarded()) << fast.printed;
    bool speed = false;
    for (const auto& finding : report["findings"])
        speed = speed || finding["what"] == "speed";
    EXPECT_TRUE(speed) << fast.printed;
}

TEST(CommandLine, BadInputGetsItsSentenceAndCode) {
    const TempDir dir;
    const std::string d = dir.path().string();
    test::writePicture(dir / "a.png", {64, 64}, [](int x, int y) { return Rgba8{x, y, 0}; });
    const std::string png = test::readAll(dir / "a.png");
    test::writeAll(dir / "cut.png", png.substr(0, 120));
    test::writeAll(dir / "zero.mp4", "");
    ASSERT_EQ(cli("import " + d + "/a.png -o " + d + "/s.ostage").code, 0);
    const std::string scene = test::readAll(dir / "s.ostage");
    const auto variant = [&](const char* name, const std::string& from, const std::string& to) {
        std::string changed = scene;
        const auto at = changed.find(from);
        ASSERT_NE(at, std::string::npos) << from;
        test::writeAll(dir / name, changed.replace(at, from.size(), to));
    };
    variant("nan.ostage", "\"gate\": 36.0", "\"gate\": NaN");
    variant("newer.ostage", "\"version\": 1", "\"version\": 7");
    std::string million = "\"layers\": [{}";
    for (int i = 0; i < 1'000'000; ++i)
        million += ",{}";
    variant("million.ostage", "\"layers\": [", million + ",");
    test::writeAll(dir / "bad.json", R"([{"edit":"push","layers":["Nobody"],"depth":3}])");
    struct Case {
        std::string arguments;
        int code;
        const char* says;
    };
    const Case table[] = {
        {"import " + d + "/cut.png -o " + d + "/x.ostage", 3, "Cannot read"},
        {"import " + d + "/zero.mp4 -o " + d + "/x.ostage", 3, "it is empty."},
        {"import " + d + "/none.png -o " + d + "/x.ostage", 3, "it does not exist."},
        {"info " + d + "/nan.ostage", 3, "it is not valid JSON: parse error at line"},
        {"info " + d + "/newer.ostage", 3, "written by a newer Open Stage (format 7"},
        {"info " + d + "/million.ostage", 3, "at most 10000 are possible"},
        {"apply " + d + "/s.ostage " + d + "/bad.json -o " + d + "/x.ostage", 4,
         "Edit 1: 'push.layers[0]': there is no layer 'Nobody'."},
        {"measure " + d + "/s.ostage --frame 999", 2, "Frame 999 is not within 0-143."},
        {"render " + d + "/s.ostage -o " + d + "/x.avi", 2, "should end in one of .mp4, .webm, .mkv"},
        {"render " + d + "/s.ostage -o /proc/x.mp4 --quiet", 5, "Cannot write /proc/x.mp4"},
        {"render " + d + "/s.ostage -o " + d + "/x.mp4 --size 12", 2, "is not a size such as 1280x720."},
    };
    for (const Case& c : table) {
        const auto ran = cli(c.arguments);
        EXPECT_EQ(ran.code, c.code) << c.arguments << "\n" << ran.printed;
        EXPECT_NE(ran.printed.find(c.says), std::string::npos) << ran.printed;
        EXPECT_FALSE(std::filesystem::exists(dir / "x.ostage")) << c.arguments;
    }
}

/// What light and depth do to layers is taken off: both change where layers are pushed.
const Json unlit() {
    return {{"edit", "several"},
            {"name", "Unlit"},
            {"edits",
             {{{"edit", "depth-grades"}, {"depthGrades", Json::array()}},
              {{"edit", "shadows"}, {"layers", {"Boatman"}}, {"shadows", Json::array()}},
              {{"edit", "shading"},
               {"layers", {"Boatman", "Bridge", "Reeds left", "Reeds right"}},
               {"remove", true}}}}};
}

/// What moves in the demo by itself stands still, and nothing is focused on a layer.
const Json calm() {
    return {{"edit", "several"},
            {"name", "Calm"},
            {"edits",
             {{{"edit", "hand-held"}, {"amount", 0}},
              {{"edit", "mist"}, {"density", 0}}, // by which what is far is seen to be so
              {{"edit", "mark"}, {"focusOn", nullptr}},
              {{"edit", "showing"}, {"layers", {"Title"}}, {"in", nullptr}}}}};
}

/// The demo: pushing a layer away with its framing held changes nothing of what the first mark sees of it,
/// but for how much it is out of focus.
TEST(Demo, PushingAnyLayerFiveTimesAsFarChangesNoPixel) {
    const TempDir dir;
    const std::string d = dir.path().string();
    const Json info = Json::parse(cli("info " + demo()).printed);
    ASSERT_GE(info["layers"].size(), 9u);
    for (const Json& layer : info["layers"]) {
        if (layer["kind"] == "cloud") continue; // of a larger one more lies on the way
        if (layer["kind"] == "lamp") continue;  // there it shows nothing itself
        Json hide = {{"edit", "look"}, {"layers", Json::array()}, {"visible", false}};
        for (const Json& other : info["layers"])
            if (other["id"] != layer["id"]) hide["layers"].push_back(other["id"]);
        const Json push = {
            {"edit", "push"}, {"layers", {layer["id"]}}, {"depth", layer["depth"].get<double>() * 5}};
        test::writeAll(dir / "alone.json", Json({calm(), unlit(), hide}).dump());
        test::writeAll(dir / "pushed.json", Json({calm(), unlit(), hide, push}).dump());
        std::vector<std::uint8_t> pixels[2];
        for (const std::string name : {"alone", "pushed"}) {
            ASSERT_EQ(
                cli("apply " + demo() + " " + d + "/" + name + ".json -o " + d + "/" + name + ".ostage").code,
                0);
            const auto ran = cli("render " + d + "/" + name + ".ostage -o " + d + "/" + name +
                                 ".png --frames 0 --size 960x540 --quality pinhole --quiet");
            ASSERT_EQ(ran.code, 0) << ran.printed;
            V2i size;
            int channels = 0;
            pixels[name == "pushed"] = test::pixelsOf(dir / (name + ".png"), size, channels);
        }
        int worst = 0;
        bool seen = false;
        for (std::size_t i = 0; i < pixels[0].size(); ++i) {
            worst = std::max(worst, std::abs(pixels[0][i] - pixels[1][i]));
            seen = seen || pixels[0][i] > 10;
        }
        EXPECT_LE(worst, 1) << layer["name"];
        EXPECT_TRUE(seen) << layer["name"];
    }
}

/// At every frame of the way, while the camera walks: a layer that recedes is not seen to.
TEST(Demo, ALayerRecedesUnseen) {
    const TempDir dir;
    const std::string d = dir.path().string();
    const Json water = {{"edit", "look"}, {"layers", {"Water"}}, {"visible", false}}; // quicker
    const Json still = {{"edit", "several"},
                        {"name", "Still"},
                        {"edits",
                         {water,
                          {{"edit", "mist"}, {"density", 0}},
                          {{"edit", "remove-track"}, {"layers", {"Boatman"}}, {"property", "up"}},
                          {{"edit", "mark"}, {"focusOn", nullptr}}}}};
    const Json sky = {{"edit", "recede"}, {"layers", {"Night sky"}}, {"from", "1"}, {"to", "2"},
                      {"depth", 150},     {"pace", "soft both"}};
    const Json boat = {{"edit", "recede"}, {"layers", {"Boatman"}}, {"from", "1"}, {"to", "2"}, {"depth", 8}};
    test::writeAll(dir / "as-it-was.json", Json({unlit(), still}).dump());
    test::writeAll(dir / "recedes.json", Json({unlit(), still, sky, boat}).dump());
    for (const std::string name : {"as-it-was", "recedes"}) {
        ASSERT_EQ(
            cli("apply " + demo() + " " + d + "/" + name + ".json -o " + d + "/" + name + ".ostage").code, 0);
        const auto ran = cli("render " + d + "/" + name + ".ostage -o " + d + "/" + name +
                             "-####.png --frames 22-48 --size 480x270 --quality pinhole --quiet");
        ASSERT_EQ(ran.code, 0) << ran.printed;
    }
    const Json end = Json::parse(cli("measure " + d + "/recedes.ostage --frame 48").printed);
    for (const Json& layer : end["layers"]) {
        if (layer["name"] != "Night sky") continue;
        EXPECT_NEAR(layer["depth"].get<double>(), 150, 1e-6);
    }
    int frames = 0;
    for (int frame = 22; frame <= 48; ++frame) {
        char number[8];
        std::snprintf(number, sizeof number, "%04d", frame);
        V2i size;
        int channels = 0;
        const auto before =
                       test::pixelsOf(dir / ("as-it-was-" + std::string(number) + ".png"), size, channels),
                   after = test::pixelsOf(dir / ("recedes-" + std::string(number) + ".png"), size, channels);
        ASSERT_EQ(before.size(), after.size());
        ASSERT_FALSE(before.empty());
        int worst = 0;
        for (std::size_t i = 0; i < before.size(); ++i)
            worst = std::max(worst, std::abs(before[i] - after[i]));
        EXPECT_LE(worst, 1) << "frame " << frame;
        ++frames;
    }
    EXPECT_EQ(frames, 27);
}

TEST(CommandLine, MissingMediaAreFoundInAFolder) {
    const TempDir dir;
    const std::string d = dir.path().string();
    for (const char* name : {"a.png", "b.png"})
        test::writePicture(dir / name, {40, 20}, [](int x, int y) { return test::Rgba8{x, y, 0}; });
    ASSERT_EQ(cli("import " + d + "/a.png " + d + "/b.png -o " + d + "/s.ostage").code, 0);
    std::filesystem::create_directories(dir / "deep/er");
    std::filesystem::rename(dir / "a.png", dir / "deep/er/a.png");
    ASSERT_EQ(cli("relink " + d + "/s.ostage " + d + "/deep -o " + d + "/t.ostage").code, 0);
    EXPECT_EQ(cli("render " + d + "/t.ostage -o " + d + "/x.png --frames 0 --quiet").code, 0);
    std::filesystem::remove(dir / "b.png");
    const auto ran = cli("relink " + d + "/s.ostage " + d + "/deep -o " + d + "/u.ostage");
    EXPECT_EQ(ran.code, 3) << ran.printed;
    EXPECT_NE(ran.printed.find("Not found: b.png"), std::string::npos) << ran.printed;
}

TEST(CommandLine, NewScenesAreAsAskedFor) {
    const TempDir dir;
    const std::string file = (dir / "n.ostage").string();
    ASSERT_EQ(cli("new --frame 640x360 --rate 25 --seconds 4 --home-depth 7 -o " + file).code, 0);
    const Json info = Json::parse(cli("info " + file).printed);
    EXPECT_EQ(info["frame"], Json({640, 360}));
    EXPECT_EQ(info["frames"], 100);
    EXPECT_EQ(info["homeDepth"], 7.0);
    EXPECT_EQ(info["layers"].size(), 0u);
    EXPECT_EQ(cli("new --frame 640 -o " + file).code, 2);
    EXPECT_EQ(cli("new --seconds -3 -o " + file).code, 2);
    EXPECT_EQ(cli("new").code, 2);
}

/// 1 m in 2 s, evenly, past a card and away from one that is behind.
TEST(CommandLine, MeasuresTheCameraAndWhatLiesBehindIt) {
    const TempDir dir;
    const std::string d = dir.path().string();
    ASSERT_EQ(cli("new --seconds 2.0416667 -o " + d + "/n.ostage").code, 0);
    test::writeAll(dir / "e.json", R"([{"edit":"add-card","name":"ahead"},{"edit":"add-card","name":"behind"},
        {"edit":"place","layer":"behind","position":[0,0,3]},
        {"edit":"set-mark","time":"2","position":[0,0,-1]}])");
    auto ran = cli("apply " + d + "/n.ostage " + d + "/e.json -o " + d + "/m.ostage");
    ASSERT_EQ(ran.code, 0) << ran.printed;
    for (const int frame : {0, 24, 48}) {
        const Json told =
            Json::parse(cli("measure " + d + "/m.ostage --frame " + std::to_string(frame)).printed);
        EXPECT_NEAR(told["speed"].get<double>(), 0.5, 1e-6) << frame;
        EXPECT_NEAR(told["camera"]["position"][2].get<double>(), -frame / 48.0, 1e-9);
        EXPECT_EQ(told["layers"][0]["behind"], false);
        EXPECT_EQ(told["layers"][1]["behind"], true);
        EXPECT_NEAR(told["layers"][1]["ahead"].get<double>(), -3 - frame / 48.0, 1e-9);
        EXPECT_NEAR(told["layers"][1]["distance"].get<double>(), 3 + frame / 48.0, 1e-9);
    }
}

TEST(CommandLine, NothingToWriteToIsASentence) {
    EXPECT_EQ(cli("new -o ''").code, 2);
    EXPECT_NE(cli("new -o ''").printed.find("empty"), std::string::npos);
    EXPECT_EQ(cli("render " + demo() + " -o '' --frames 0").code, 2);
}

/// Stopped from outside, a render leaves nothing half behind and says so in a word of its own.
TEST(CommandLine, StoppedRendersLeaveNothing) {
    const TempDir dir;
    const std::string d = dir.path().string();
    const auto ran =
        test::run("timeout -s TERM 2 " + test::cli() + " render " + demo() + " -o " + d + "/m.mp4 --quiet");
    EXPECT_EQ(ran.code, 124); // what timeout gives where it had to stop it
    EXPECT_EQ(ran.printed, "Cancelled.\n");
    EXPECT_TRUE(std::filesystem::is_empty(dir.path()));
}

/// Killed at any moment while pictures are read and kept: whatever lies in the cache folder then, frames come
/// out as without it.
TEST(CacheFolder, AProgramKilledWhileItIsWrittenLeavesNothingFalse) {
    const TempDir dir;
    const std::string d = dir.path().string();
    const auto render = [&](const std::string& home, const std::string& name) {
        return "HOME=" + d + "/" + home + " XDG_CACHE_HOME= " + test::cli() + " render " + demo() + " -o " +
               d + "/" + name + ".png --frames 20 --size 640x360 --quality pinhole --quiet";
    };
    std::filesystem::create_directories(dir / "clean");
    std::filesystem::create_directories(dir / "killed");
    ASSERT_EQ(test::run(render("clean", "clean")).code, 0);
    const std::string wanted = test::readAll(dir / "clean.png");
    int killed = 0;
    for (const char* seconds : {"0.4", "0.6", "0.8", "0.9", "1.0", "1.1", "1.2", "1.4", "1.6", "2.0"})
        killed +=
            test::run("timeout -s KILL " + std::string(seconds) + " env " + render("killed", "half")).code !=
            0;
    EXPECT_GT(killed, 0);
    for (const char* time : {"after", "again"}) {
        ASSERT_EQ(test::run(render("killed", time)).code, 0);
        EXPECT_EQ(test::readAll(dir / (std::string(time) + ".png")), wanted) << time;
    }
    EXPECT_GT(std::distance(std::filesystem::directory_iterator(dir / "killed/.cache/open-stage/kept"), {}),
              10);
}

TEST(CommandLine, PartsOfAPlanAreJoinedToTheMovieOfOneRun) {
    const TempDir dir;
    const std::string d = dir.path().string();
    test::writePicture(dir / "far.png", {160, 90}, [](int x, int y) { return Rgba8{x, y, 60}; });
    ASSERT_EQ(cli("import " + d + "/far.png -o '" + d + "/it s.ostage'").code, 0);
    test::writeAll(
        dir / "e.json",
        R"([{"edit":"set-mark","time":"1","position":[0.5,0,0]},{"edit":"settings","frames":14}])");
    ASSERT_EQ(cli("apply '" + d + "/it s.ostage' " + d + "/e.json -o '" + d + "/it s.ostage'").code, 0);
    const auto ran = cli("plan '" + d + "/it s.ostage' -o '" + d +
                         "/parts of.mkv' --chunks 3 --options '--quality draft'");
    ASSERT_EQ(ran.code, 0) << ran.printed;
    const Json plan = Json::parse(ran.printed);
    ASSERT_EQ(plan["chunks"].size(), 3u);
    EXPECT_EQ(plan["chunks"][0]["frames"], Json({0, 3}));
    EXPECT_EQ(plan["chunks"][2]["frames"], Json({9, 13}));
    const auto here = [](const Json& command) {
        std::string text = command.get<std::string>();
        return test::run(text.replace(0, std::string("open-stage-cli").size(), test::cli()));
    };
    for (const std::size_t n : {2u, 0u, 1u}) {
        const auto part = here(plan["chunks"][n]["command"]);
        ASSERT_EQ(part.code, 0) << part.printed;
    }
    EXPECT_FALSE(std::filesystem::exists(dir / "parts of.mkv"));
    ASSERT_EQ(here(plan["join"]).code, 0);
    ASSERT_EQ(cli("render '" + d + "/it s.ostage' -o " + d + "/one.mkv --quality draft --quiet").code, 0);
    const auto sums = [&](const char* name) {
        return test::run("ffmpeg -v error -i '" + (dir / name).string() + "' -f framemd5 -").printed;
    };
    EXPECT_EQ(sums("parts of.mkv"), sums("one.mkv"));
    const auto script = cli("plan '" + d + "/it s.ostage' -o " + d + "/x.mp4 --chunks 4 --slurm");
    test::writeAll(dir / "submit.sh", script.printed);
    EXPECT_EQ(test::run("bash -n " + d + "/submit.sh").code, 0) << script.printed;
    EXPECT_NE(script.printed.find("--array=0-3"), std::string::npos);
    EXPECT_NE(script.printed.find("--dependency=afterok:$array"), std::string::npos);
}

TEST(CommandLine, ThumbnailsArchivesAndTheQueue) {
    const TempDir dir;
    const std::string d = dir.path().string();
    ASSERT_EQ(cli("thumbnail " + demo() + " -o " + d + "/t.png --pixels 128").code, 0);
    V2i size;
    int channels = 0;
    const auto small = test::pixelsOf(dir / "t.png", size, channels);
    EXPECT_EQ(size, V2i(128, 72));
    EXPECT_GT(std::accumulate(small.begin(), small.end(), 0), 128 * 72 * 3 * 20) << "it is dark";
    // The demo goes into an archive and comes out as it was.
    const auto archived = cli("archive " + demo() + " -o " + d + "/quay.zip");
    ASSERT_EQ(archived.code, 0) << archived.printed;
    EXPECT_NE(archived.printed.find("Font, not in the archive: B612"), std::string::npos) << archived.printed;
    const auto unpacked = cli("unpack " + d + "/quay.zip -o " + d + "/quay");
    ASSERT_EQ(unpacked.code, 0) << unpacked.printed;
    EXPECT_EQ(unpacked.printed, d + "/quay/quay.ostage\n");
    ASSERT_EQ(cli("thumbnail " + d + "/quay/quay.ostage -o " + d + "/u.png --pixels 128").code, 0);
    EXPECT_EQ(test::pixelsOf(dir / "u.png", size, channels), small);
    EXPECT_EQ(cli("unpack " + d + "/t.png -o " + d + "/no").code, 3);
    // A queue of its own.
    const std::string home = "XDG_STATE_HOME=" + d + "/state " + test::cli();
    test::writePicture(dir / "far.png", {64, 36}, [](int x, int y) { return Rgba8{4 * x, y, 60}; });
    ASSERT_EQ(cli("import " + d + "/far.png -o " + d + "/s.ostage").code, 0);
    ASSERT_EQ(test::run(home + " render " + d + "/s.ostage -o " + d + "/q.mp4 --frames 0-5 --queue").code, 0);
    const auto waiting = test::run(home + " queue list");
    EXPECT_NE(waiting.printed.find("waiting  0 %  " + d + "/q.mp4"), std::string::npos) << waiting.printed;
    const std::string id = waiting.printed.substr(0, waiting.printed.find(' '));
    ASSERT_EQ(test::run(home + " queue pause " + id).code, 0);
    ASSERT_EQ(test::run(home + " queue run").code, 0);
    EXPECT_FALSE(std::filesystem::exists(dir / "q.mp4")) << "it is paused";
    ASSERT_EQ(test::run(home + " queue continue " + id).code, 0);
    ASSERT_EQ(test::run(home + " queue run").code, 0);
    EXPECT_TRUE(std::filesystem::exists(dir / "q.mp4"));
    EXPECT_NE(test::run(home + " queue list").printed.find("done  100 %"), std::string::npos);
    ASSERT_EQ(test::run(home + " queue remove " + id).code, 0);
    EXPECT_EQ(test::run(home + " queue list").printed, "");
    EXPECT_EQ(test::run(home + " queue cancel nobody").code, 2);
}

TEST(CommandLine, TellsWhereTimeWent) {
    const TempDir dir;
    const auto ran = cli("render " + demo() + " -o " + (dir / "f.png").string() +
                         " --frames 0 --size 320x180 --quality draft --quiet --timing");
    ASSERT_EQ(ran.code, 0) << ran.printed;
    std::istringstream lines(ran.printed);
    std::map<std::string, double> seconds;
    for (std::string line; std::getline(lines, line);) {
        const auto unit = line.find(" s ");
        const auto number = unit == line.npos ? line.npos : line.find_last_of(' ', unit - 1);
        if (number == line.npos) continue;
        std::string name = line.substr(0, number);
        name.erase(name.find_last_not_of(' ') + 1);
        seconds[name] = std::stod(line.substr(number));
    }
    for (const char* stage : {"all", "decode", "read back", "levels", "convert", "draw", "cut", "lay out",
                              "sample", "lens", "mix", "round", "encode", "waits"})
        EXPECT_TRUE(seconds.contains(stage)) << stage << '\n' << ran.printed;
    EXPECT_GT(seconds["all"], 0.01);
    EXPECT_GT(seconds["lens"] + seconds["mix"], 0.001);
    EXPECT_GT(seconds["decode"] + seconds["read back"], 0.001);
    for (const auto& [stage, time] : seconds)
        EXPECT_LE(time, 16 * seconds["all"]) << stage; // of all threads together
}

TEST(CommandLine, SizeVariantsAreWrittenInOneGo) {
    const TempDir dir;
    const std::string d = dir.path().string();
    test::writePicture(dir / "far.png", {320, 180}, [](int x, int y) { return Rgba8{x % 256, y, 60}; });
    ASSERT_EQ(cli("import " + d + "/far.png -o " + d + "/s.ostage").code, 0);
    test::writeAll(dir / "e.json",
                   R"([{"edit":"variants","variants":[{"name":"upright","frame":[90,160],"keep":"height"},
             {"name":"square","frame":[100,100],"keep":"shorter"}]},{"edit":"settings","frames":2}])");
    ASSERT_EQ(cli("apply " + d + "/s.ostage " + d + "/e.json -o " + d + "/t.ostage").code, 0);
    const auto ran =
        cli("render " + d + "/t.ostage -o " + d + "/f.####.png --quality pinhole --quiet --variant all");
    ASSERT_EQ(ran.code, 0) << ran.printed;
    const std::map<std::string, V2i> sizes = {
        {"f.0001.png", {320, 180}}, {"f-upright.0001.png", {90, 160}}, {"f-square.0000.png", {100, 100}}};
    for (const auto& [name, size] : sizes) {
        V2i is;
        int channels = 0;
        test::pixelsOf(dir / name, is, channels);
        EXPECT_EQ(is, size) << name;
    }
    // One alone has the name that is given.
    ASSERT_EQ(cli("render " + d + "/t.ostage -o " + d +
                  "/one.png --frames 0 --quality pinhole --quiet --variant upright")
                  .code,
              0);
    V2i is;
    int channels = 0;
    test::pixelsOf(dir / "one.png", is, channels);
    EXPECT_EQ(is, V2i(90, 160));
    const auto none = cli("render " + d + "/t.ostage -o " + d + "/x.png --frames 0 --variant portrait");
    EXPECT_EQ(none.code, 2);
    EXPECT_NE(none.printed.find("'portrait'"), std::string::npos);
}

}
}
