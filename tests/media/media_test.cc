#include "media/content.h"
#include "media/footage.h"
#include "media/open_raster.h"
#include "media/probe.h"
#include "media/shown_frame.h"
#include "media/still.h"
#include "media/text_picture.h"
#include "support/support.h"

#include <cmath>
#include <gtest/gtest.h>
#include <map>
#include <mutex>
#include <random>
#include <sys/resource.h>
#include <thread>

namespace stage::media {
namespace {

using test::Rgba8;
using test::TempDir;

/// IEC 61966-2-1, written down again here.
double linear(double v8) {
    const double v = v8 / 255;
    return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
}

Rgba8 pattern(int x, int y) {
    return {x * 20 % 256, y * 30 % 256, (x + y) * 9 % 256, (x * y * 7 + 60) % 256};
}

TEST(Stills, StraightSrgbBecomesLinearPremultiplied) {
    const TempDir dir;
    for (const char* name : {"a.png", "a.tif", "a.webp"}) {
        test::writePicture(dir / name, {9, 7}, pattern);
        const auto level = readStill(dir / name);
        ASSERT_TRUE(level) << level.error().sentence;
        ASSERT_EQ(level->size, V2i(9, 7));
        const bool lossy = std::string(name) == "a.webp";
        for (int y = 0; y < 7; ++y)
            for (int x = 0; x < 9; ++x) {
                const Rgba8 c = pattern(x, y);
                const double a = c.a / 255.0;
                const Imath::half* at = level->row(y) + 4 * x;
                if (!lossy) {
                    EXPECT_NEAR(at[0], linear(c.r) * a, 1e-3) << name;
                    EXPECT_NEAR(at[1], linear(c.g) * a, 1e-3) << name;
                    EXPECT_NEAR(at[2], linear(c.b) * a, 1e-3) << name;
                }
                EXPECT_NEAR(at[3], a, 1e-3) << name;
            }
    }
}

TEST(Stills, FloatPicturesAreLinearAlready) {
    const TempDir dir;
    // made by ffmpeg, an independent writer
    const std::vector<float> raw(8 * 6 * 4, 0.375f);
    test::writeAll(dir / "raw", std::string(reinterpret_cast<const char*>(raw.data()), raw.size() * 4));
    const auto ran = test::run("ffmpeg -v error -y -f rawvideo -pix_fmt gbrapf32le -s 8x6 -i " +
                               (dir / "raw").string() + " " + (dir / "a.exr").string());
    ASSERT_EQ(ran.code, 0) << ran.printed;
    const auto level = readStill(dir / "a.exr");
    ASSERT_TRUE(level) << level.error().sentence;
    EXPECT_EQ(level->size, V2i(8, 6));
    EXPECT_EQ(float(level->row(3)[0]), 0.375f);
    EXPECT_EQ(float(level->row(3)[3]), 0.375f);
}

TEST(Stills, ExifTurnIsHonoured) {
    const TempDir dir;
    // 6: the camera was turned so that the picture must be rotated clockwise; left edge of the file becomes
    // the top
    test::writePicture(
        dir / "a.jpg", {32, 16},
        [](int x, int) {
            return x < 16 ? Rgba8{250, 250, 250} : Rgba8{5, 5, 5};
        },
        6);
    const auto info = probeStill(dir / "a.jpg");
    ASSERT_TRUE(info);
    EXPECT_EQ(info->size, V2i(16, 32));
    const auto level = readStill(dir / "a.jpg");
    ASSERT_TRUE(level);
    EXPECT_GT(float(level->row(2)[4 * 8]), 0.8f);
    EXPECT_LT(float(level->row(29)[4 * 8]), 0.1f);
}

TEST(Stills, EveryOrientationPutsTheMarkedCornerWhereExifSays) {
    // EXIF 2.3, 4.6.4: which sides of the shown picture row 0 and column 0 of the file are
    const TempDir dir;
    struct Case {
        int orientation;
        bool right, bottom; ///< where the file's first corner is shown
    };
    for (const Case& c : {Case{1, false, false},
                          {2, true, false},
                          {3, true, true},
                          {4, false, true},
                          {5, false, false},
                          {6, true, false},
                          {7, true, true},
                          {8, false, true}}) {
        test::writePicture(
            dir / "o.tif", {8, 8},
            [](int x, int y) {
                return x < 3 && y < 3 ? Rgba8{255, 255, 255} : Rgba8{0, 0, 0};
            },
            c.orientation);
        const auto level = readStill(dir / "o.tif");
        ASSERT_TRUE(level);
        EXPECT_GT(float(level->row(c.bottom ? 7 : 0)[4 * (c.right ? 7 : 0)]), 0.9f) << c.orientation;
    }
}

TEST(Stills, BrokenFilesGetASentence) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {64, 64}, pattern);
    const std::string whole = test::readAll(dir / "a.png");
    test::writeAll(dir / "cut.png", whole.substr(0, whole.size() / 2));
    test::writeAll(dir / "empty.png", "");
    test::writeAll(dir / "text.png", "this is no picture at all, whatever its name says");
    for (const char* name : {"cut.png", "empty.png", "text.png", "none.png", "."}) {
        const auto level = readStill(dir / name);
        ASSERT_FALSE(level) << name;
        EXPECT_TRUE(level.error().sentence.starts_with("Cannot read " + (dir / name).string() + ": "))
            << level.error().sentence;
    }
    EXPECT_EQ(readStill(dir / "empty.png").error().sentence,
              "Cannot read " + (dir / "empty.png").string() + ": it is empty.");
}

TEST(Pyramids, LevelsAreMeansAndHaveNoDrift) {
    Raster base(V2i(5, 3));
    for (int y = 0; y < 3; ++y)
        for (int x = 0; x < 5; ++x)
            for (int c = 0; c < 4; ++c)
                base.row(y)[4 * x + c] = static_cast<float>(x + 10 * y + c);
    const auto pyramid = makePyramid(base);
    ASSERT_EQ(pyramid->levels.size(), 4u);
    EXPECT_EQ(pyramid->levels[1].size, V2i(3, 2));
    EXPECT_EQ(pyramid->levels[3].size, V2i(1, 1));
    EXPECT_EQ(float(pyramid->levels[1].texel(1, 0)[0]), (2 + 3 + 12 + 13) / 4.f);
    EXPECT_EQ(float(pyramid->levels[1].texel(2, 1)[0]), 24.f); // alone in its corner
}

const char* nested = R"(<?xml version="1.0"?><image version="0.0.3" w="40" h="30"><stack>
<layer name="Top" src="data/top.png" x="5" y="6" opacity="0.5" composite-op="svg:multiply"/>
<stack name="Set" x="2" y="1" visibility="hidden"><layer name="Inner" src="data/inner.png" x="1" y="1"/></stack>
<layer name="Base" src="data/base.png"/></stack></image>)";

TEST(OpenRaster, LayersStacksAndAttributes) {
    const TempDir dir;
    test::writeOra(dir / "a.ora", nested,
                   {test::pngMember("data/top.png", {4, 4}, pattern),
                    test::pngMember("data/inner.png", {6, 5}, pattern),
                    test::pngMember("data/base.png", {40, 30}, pattern)});
    const auto stack = readStack(dir / "a.ora");
    ASSERT_TRUE(stack) << stack.error().sentence;
    EXPECT_EQ(stack->canvas, V2i(40, 30));
    ASSERT_EQ(stack->items.size(), 3u);
    EXPECT_EQ(stack->items[0].name, "Base"); // lowest first
    EXPECT_EQ(stack->items[2].name, "Top");
    EXPECT_EQ(stack->items[2].opacity, 0.5);
    EXPECT_EQ(stack->items[2].blend, scene::Blend::Multiply);
    EXPECT_EQ(stack->items[2].offset, V2i(5, 6));
    EXPECT_FALSE(stack->items[1].visible);
    ASSERT_EQ(stack->items[1].items.size(), 1u);
    EXPECT_EQ(stack->items[1].items[0].offset, V2i(3, 2)); // its stack's and its own
    EXPECT_EQ(stack->items[1].items[0].size, V2i(6, 5));
}

TEST(OpenRaster, BadFilesAreRefusedWithTheReason) {
    const TempDir dir;
    const auto one = [](const std::string& src) {
        return "<image w=\"8\" h=\"8\"><stack><layer name=\"L\" src=\"" + src + "\"/></stack></image>";
    };
    const auto png = test::pngMember("data/a.png", {8, 8}, pattern);
    test::writeOra(dir / "missing.ora", one("data/none.png"), {png});
    test::writeOra(dir / "out.ora", one("../../etc/passwd"), {png});
    test::writeOra(dir / "root.ora", one("/etc/passwd"), {png});
    test::writeOra(dir / "broken.ora", one("data/b.png"),
                   {{"data/b.png", "not a png, but long enough to be looked at"}});
    test::writeOra(dir / "entity.ora",
                   "<!DOCTYPE image [<!ENTITY x SYSTEM \"file:///etc/passwd\">]>" + one("data/a.png"), {png});
    test::writeOra(dir / "xml.ora", "<image w=\"8\" h=\"8\"><stack>", {png});
    test::writeOra(dir / "canvas.ora", "<image w=\"-8\" h=\"8\"><stack/></image>", {png});
    test::writeZip(dir / "nostack.ora", {png});
    test::writeAll(dir / "nozip.ora", "PK? no");
    const std::pair<const char*, const char*> table[] = {
        {"missing.ora", "the picture of its layer 'L' ('data/none.png') is missing or broken."},
        {"out.ora", "its layer 'L' points outside the archive ('../../etc/passwd')."},
        {"root.ora", "its layer 'L' points outside the archive ('/etc/passwd')."},
        {"broken.ora", "the picture of its layer 'L' ('data/b.png') is missing or broken."},
        {"entity.ora", "its stack.xml declares a document type or entities, which is not allowed."},
        {"canvas.ora", "its stack.xml gives no usable canvas size."},
        {"nostack.ora", "it has no stack.xml, so it is not an OpenRaster file."},
    };
    for (const auto& [name, reason] : table) {
        const auto stack = readStack(dir / name);
        ASSERT_FALSE(stack) << name;
        EXPECT_EQ(stack.error().sentence, "Cannot read " + (dir / name).string() + ": " + reason);
    }
    EXPECT_NE(readStack(dir / "xml.ora").error().sentence.find("its stack.xml is malformed"),
              std::string::npos);
    EXPECT_FALSE(readStack(dir / "nozip.ora"));
    // a file cut at any place is an error or a stack, never a crash
    const std::string whole = test::readAll(dir / "missing.ora");
    for (std::size_t size = 0; size < whole.size(); size += 17) {
        test::writeAll(dir / "cut.ora", whole.substr(0, size));
        EXPECT_FALSE(readStack(dir / "cut.ora"));
    }
}

TEST(Texts, InkBoxAndColour) {
    scene::Text text;
    text.text = "HI";
    text.fill = {0.5, 0.25, 0.125, 1};
    const auto size = textPixels(text);
    ASSERT_TRUE(size);
    PixelCache cache;
    const auto source = textSource(text, *size);
    const int natural = levelCount(source->size()) - levelCount(*size);
    const auto level = cache.read(source, natural, boxOf(*size));
    ASSERT_TRUE(level);
    EXPECT_EQ(level->size, *size);
    // capitals of a 320 px em are about 0.7 em high
    EXPECT_NEAR(size->y, 0.72 * emPixels, 0.1 * emPixels);
    // the left stem of the H is solid, in the colour of the fill; the border is free
    const Imath::half* stem = level->row(size->y / 4) + 4 * 12;
    EXPECT_EQ(float(stem[3]), 1.f);
    EXPECT_NEAR(stem[0], 0.5, 1e-3);
    EXPECT_NEAR(stem[2], 0.125, 1e-3);
    for (int x = 0; x < size->x; ++x)
        EXPECT_EQ(float(level->row(0)[4 * x + 3]), 0.f);
    scene::Text two = text;
    two.text = "HI\nHI";
    EXPECT_GT(textPixels(two)->y, size->y * 2);
    scene::Text wide = text;
    wide.tracking = 0.5;
    EXPECT_NEAR(textPixels(wide)->x - size->x, 0.5 * emPixels, 3);
    scene::Text endless = text;
    endless.text = std::string(9000, 'W');
    EXPECT_FALSE(textPixels(endless));
}

/// A clip in which each frame's grey tells its number: 60 + 3 n.
void writeNumbered(const std::filesystem::path& path, const std::string& codec, int frames) {
    const TempDir dir;
    std::string raw;
    for (int n = 0; n < frames; ++n)
        raw.append(64 * 48, static_cast<char>(60 + 3 * n));
    test::writeAll(dir / "raw", raw);
    const auto ran = test::run("ffmpeg -v error -y -f rawvideo -pix_fmt gray -s 64x48 -r 24 -i " +
                               (dir / "raw").string() + " " + codec + " " + path.string());
    ASSERT_EQ(ran.code, 0) << ran.printed;
}

TEST(FootageFrames, EveryFrameInRandomOrderOfALongGopClip) {
    const TempDir dir;
    writeNumbered(dir / "a.mp4", "-c:v libx264 -g 300 -bf 3 -pix_fmt yuvj420p -crf 1", 60);
    const auto reader = FootageReader::open(dir / "a.mp4");
    ASSERT_TRUE(reader) << reader.error().sentence;
    EXPECT_EQ((*reader)->info().frames, 60);
    EXPECT_EQ((*reader)->info().rate, Rational(24));
    EXPECT_EQ((*reader)->info().size, V2i(64, 48));
    EXPECT_FALSE((*reader)->info().alpha);
    std::vector<int> order;
    for (int n = 0; n < 60; ++n)
        order.insert(order.end(), {n, 59 - n});
    std::shuffle(order.begin(), order.end(), std::mt19937(3));
    for (int n = 0; n < 60; ++n)
        order.push_back(n); // and once straight through
    order.push_back(59);    // and the same frame again
    for (const int n : order) {
        const auto level = shownFrame(**reader, n);
        ASSERT_TRUE(level) << n << ": " << level.error().sentence;
        const double grey = srgbFromLinear(level->row(20)[4 * 30]) * 255;
        EXPECT_NEAR(grey, 60 + 3 * n, 1.4) << n;
    }
}

TEST(FootageFrames, AlphaIsKept) {
    const TempDir dir;
    std::string raw;
    for (int i = 0; i < 16 * 16 * 3; ++i)
        raw += {static_cast<char>(200), static_cast<char>(100), static_cast<char>(50),
                static_cast<char>(i % 16 < 8 ? 255 : 64)};
    test::writeAll(dir / "raw", raw);
    for (const auto& [codec, name] :
         {std::pair{"-c:v ffv1 -pix_fmt bgra", "a.mkv"}, std::pair{"-c:v png", "a.mov"},
          std::pair{"-c:v libvpx-vp9 -pix_fmt yuva420p -lossless 1", "a.webm"}}) {
        const auto ran = test::run("ffmpeg -v error -y -f rawvideo -pix_fmt rgba -s 16x16 -r 24 -i " +
                                   (dir / "raw").string() + " " + codec + " " + (dir / name).string());
        ASSERT_EQ(ran.code, 0) << ran.printed;
        const auto reader = FootageReader::open(dir / name);
        ASSERT_TRUE(reader) << reader.error().sentence;
        EXPECT_TRUE((*reader)->info().alpha) << name;
        const auto level = shownFrame(**reader, 2);
        ASSERT_TRUE(level) << level.error().sentence;
        EXPECT_NEAR(level->row(8)[4 * 2 + 3], 1, 1e-3) << name;
        EXPECT_NEAR(level->row(8)[4 * 13 + 3], 64 / 255.0, 0.01) << name;
        EXPECT_NEAR(level->row(8)[4 * 2], linear(200), 0.02) << name;
        EXPECT_NEAR(level->row(8)[4 * 13], linear(200) * 64 / 255, 0.02) << name;
    }
}

TEST(FootageFrames, BadFilesGetASentence) {
    const TempDir dir;
    test::writeAll(dir / "empty.mp4", "");
    test::writeAll(dir / "noise.mp4", std::string(5000, 'x'));
    EXPECT_EQ(FootageReader::open(dir / "empty.mp4").error().sentence,
              "Cannot read " + (dir / "empty.mp4").string() + ": it is empty.");
    EXPECT_FALSE(FootageReader::open(dir / "noise.mp4"));
    EXPECT_FALSE(FootageReader::open(dir / "none.mp4"));
    writeNumbered(dir / "a.mkv", "-c:v libx264 -g 10", 30);
    const std::string whole = test::readAll(dir / "a.mkv");
    for (const std::size_t part : {3, 5, 7}) {
        test::writeAll(dir / "cut.mkv", whole.substr(0, whole.size() * part / 10));
        if (auto reader = FootageReader::open(dir / "cut.mkv"))
            for (std::int64_t n = 0; n < (*reader)->info().frames; ++n)
                (void)shownFrame(**reader, n); // an error or a picture
    }
}

TEST(Probing, ByContent) {
    const TempDir dir;
    test::writeOra(dir / "a.ora", nested,
                   {test::pngMember("data/top.png", {4, 4}, pattern),
                    test::pngMember("data/inner.png", {6, 5}, pattern),
                    test::pngMember("data/base.png", {40, 30}, pattern)});
    std::filesystem::copy_file(dir / "a.ora", dir / "renamed.bin");
    test::writePicture(dir / "a.png", {9, 7}, pattern);
    writeNumbered(dir / "a.mp4", "-c:v libx264", 5);
    EXPECT_TRUE(probe(dir / "renamed.bin")->stack);
    const auto still = probe(dir / "a.png");
    EXPECT_FALSE(still->stack || still->footage);
    EXPECT_EQ(still->canvas, V2i(9, 7));
    EXPECT_EQ(still->media.bytes, static_cast<std::int64_t>(std::filesystem::file_size(dir / "a.png")));
    EXPECT_EQ(still->media.hash.size(), 7 + 64u);
    EXPECT_EQ(probe(dir / "a.mp4")->footage->frames, 5);
    EXPECT_FALSE(probe(dir / "none.png"));
}

Need whole(const PixelSourcePtr& source) {
    return Need::all(source->size(), 0);
}

TEST(Cache, KeepsToItsBudgetAndLoadsOnce) {
    const TempDir dir;
    std::vector<PixelSourcePtr> sources;
    for (int i = 0; i < 6; ++i) {
        const auto path = dir / ("p" + std::to_string(i) + ".png");
        test::writePicture(path, {64, 64}, pattern);
        sources.push_back(contentOf(*test::pictureLayer(i + 1, "p", path, {64, 64}, 1, V3d(0)), 0));
    }
    const std::size_t each = 8 * (64 * 64 + 32 * 32 + 16 * 16 + 8 * 8 + 4 * 4 + 2 * 2 + 1);
    PixelCache cache(3 * each + 10);
    for (const auto& source : sources) {
        ASSERT_TRUE(cache.pyramid(source, whole(source)));
        EXPECT_LE(cache.bytesKept(), 3 * each + 10);
    }
    EXPECT_EQ(cache.missing(sources[0], whole(sources[0])), 1); // the oldest had to go
    EXPECT_EQ(cache.missing(sources[5], whole(sources[5])), 0);
    const PyramidPtr held = *cache.pyramid(sources[5], whole(sources[5]));
    const auto texels = [](const PyramidPtr& pyramid) { return pyramid->levels.front().tiles.front(); };
    EXPECT_EQ(texels(*cache.pyramid(sources[5], whole(sources[5]))), texels(held));
    std::vector<PyramidPtr> got(8);
    {
        std::vector<std::jthread> threads;
        for (auto& slot : got)
            threads.emplace_back([&] { slot = *cache.pyramid(sources[0], whole(sources[0])); });
    }
    for (const auto& slot : got)
        EXPECT_EQ(texels(slot), texels(got[0]));
}

/// Counts what is asked of it; texel (x, y) of level 0 is x + 1000 y.
class Counting : public PixelSource {
public:
    Counting(V2i size, Granularity granularity, const std::string& key = "counting",
             const std::string& series = {})
        : PixelSource(key, size, granularity, series) {}
    Result<Raster> compute(int level, const Box& box, PixelCache&, const Progress&) const override {
        ++computed;
        Raster out(box.size());
        for (int y = box.y0; y < box.y1; ++y)
            for (int x = box.x0; x < box.x1; ++x)
                out.row(y - box.y0)[4 * (x - box.x0)] =
                    static_cast<float>(level == 0 ? x % 64 + y % 32 : 500 + level);
        return out;
    }
    Result<void> prepare(int level, const std::vector<Box>& boxes, PixelCache&,
                         const Progress& progress) const override {
        if (progress.stopped()) return cancelled();
        const std::lock_guard guard(lock);
        prepared[level] = boxes;
        computedBefore = computed;
        return {};
    }
    mutable std::atomic<int> computed = 0;
    mutable std::mutex lock;
    mutable std::map<int, std::vector<Box>> prepared; ///< the last ones, by their level
    mutable int computedBefore = -1;                  ///< those were prepared
};

TEST(Cache, MakesOnlyTheTilesNeeded) {
    const auto source = std::make_shared<Counting>(V2i(2000, 1000), PixelSource::Granularity::ByBox);
    PixelCache cache;
    const auto corner = cache.read(source, 0, {250, 250, 260, 260}); // where four tiles meet
    ASSERT_TRUE(corner);
    EXPECT_EQ(source->computed, 4);
    EXPECT_EQ(float(corner->row(9)[4 * 9]), 259 % 64 + 259 % 32);
    ASSERT_TRUE(cache.read(source, 0, {0, 0, 100, 100}));
    EXPECT_EQ(source->computed, 4); // the first of the four
    // a smaller level is the mean of the one below, from the tiles under it
    const auto small = cache.read(source, 1, {10, 4, 11, 5});
    ASSERT_TRUE(small);
    EXPECT_EQ(float(small->row(0)[0]), (20 + 8 + 21 + 8 + 20 + 9 + 21 + 9) / 4.f);
    EXPECT_EQ(source->computed, 4);
    // outside the picture it is clear
    const auto beyond = cache.read(source, 0, {-2, -2, 2, 2});
    ASSERT_TRUE(beyond);
    EXPECT_EQ(float(beyond->row(3)[4 * 3]), 2.f);
    EXPECT_EQ(float(beyond->row(0)[0]), 0.f);
    const auto drawing = std::make_shared<Counting>(V2i(2000, 1000), PixelSource::Granularity::EveryLevel);
    PixelCache other;
    EXPECT_EQ(float(other.read(drawing, 3, {1, 1, 2, 2})->row(0)[0]), 503.f);
    EXPECT_EQ(drawing->computed, 1);
}

TEST(Cache, SourcesPrepareTilesThatAreMadeAtTheSameTime) {
    const auto drawing = std::make_shared<Counting>(V2i(2000, 1000), PixelSource::Granularity::EveryLevel);
    PixelCache cache;
    ASSERT_TRUE(cache.read(drawing, 0, {0, 0, 10, 10}));
    EXPECT_TRUE(drawing->prepared.empty()) << "nothing is shared by one tile";
    Need need(drawing->size());
    need.add(0, {0, 0, 600, 10});
    need.add(1, {300, 300, 310, 500});
    ASSERT_TRUE(cache.pyramid(drawing, need));
    const int side = tileSide;
    EXPECT_EQ(drawing->prepared[0],
              (std::vector<Box>{{side, 0, 2 * side, side}, {2 * side, 0, 3 * side, side}}))
        << "without the one that is there";
    EXPECT_EQ(drawing->prepared[1], (std::vector<Box>{{side, side, 2 * side, 500}}));
    EXPECT_EQ(drawing->computedBefore, 1) << "before they are made";
    EXPECT_EQ(drawing->computed, 4);
}

TEST(Cache, StopsWhenAskedAndBeginsAnew) {
    const auto source = std::make_shared<Counting>(V2i(2000, 1000), PixelSource::Granularity::ByBox);
    PixelCache cache;
    std::stop_source stop;
    stop.request_stop();
    const auto stopped = cache.read(source, 0, {0, 0, 600, 600}, {{}, stop.get_token()});
    ASSERT_FALSE(stopped);
    EXPECT_TRUE(stopped.error().cancelled);
    EXPECT_TRUE(cache.read(source, 0, {0, 0, 600, 600}));
}

TEST(Cache, ManyThreadsAndLittleRoomGiveTheSamePixels) {
    const auto source = std::make_shared<Counting>(V2i(3000, 2000), PixelSource::Granularity::ByBox);
    PixelCache cache(std::size_t{3} * tileSide * tileSide * 8);
    std::atomic<int> wrong = 0;
    {
        std::vector<std::jthread> threads;
        for (int t = 0; t < 6; ++t)
            threads.emplace_back([&, t] {
                for (int i = 0; i < 40; ++i) {
                    const int x = (t * 397 + i * 131) % 2900, y = (t * 211 + i * 173) % 1900;
                    const auto piece = cache.read(source, 0, {x, y, x + 90, y + 90});
                    for (int k = 0; k < 90 && piece; ++k)
                        wrong +=
                            float(piece->row(k)[4 * k]) != static_cast<float>((x + k) % 64 + (y + k) % 32);
                    wrong += !piece;
                }
            });
    }
    EXPECT_EQ(wrong, 0);
    EXPECT_LE(cache.bytesKept(), std::size_t{3} * tileSide * tileSide * 8);
}

TEST(Tiles, WhatIsClearIsOneTileThatTakesNoMemory) {
    const Raster clear(V2i(2 * tileSide, tileSide + 10));
    const auto pyramid = makePyramid(clear);
    const TiledLevel& finest = pyramid->level(0);
    EXPECT_EQ(finest.tiles[0], finest.tiles[1]);
    EXPECT_EQ(finest.tiles[0], clearTile(V2i(tileSide)));
    EXPECT_LT(finest.tiles[0]->bytes(), 1000u);
    EXPECT_EQ(finest.tiles[2]->size, V2i(tileSide, 10)); // cut off: its own
    EXPECT_TRUE(finest.clear(boxOf(clear.size)));

    Raster almost(V2i(2 * tileSide, tileSide));
    almost.row(17)[4 * 300 + 2] = 0.25f;
    const auto other = makePyramid(almost);
    EXPECT_EQ(other->level(0).tiles[0], clearTile(V2i(tileSide)));
    ASSERT_NE(other->level(0).tiles[1], clearTile(V2i(tileSide)));
    EXPECT_EQ(float(other->level(0).texel(300, 17)[2]), 0.25f);
    EXPECT_GE(other->level(0).tiles[1]->bytes(), std::size_t{tileSide} * tileSide * 8);
}

TEST(Cache, WhatAnotherOfItsSeriesFollowsGoesSoonUnlessItIsUsedAgain) {
    const V2i twoTiles(2 * tileSide, tileSide);
    const auto source = [&](const std::string& key, const std::string& series) {
        return std::make_shared<Counting>(twoTiles, PixelSource::Granularity::ByBox, key, series);
    };
    constexpr std::size_t tile = std::size_t{tileSide} * tileSide * 8 + sizeof(Tile);
    PixelCache cache(128 * tile); // of which 4 are for those that others have followed
    const auto use = [&](const auto& from) { ASSERT_TRUE(cache.read(from, 0, boxOf(twoTiles))); };
    const auto still = source("still", {}), one = source("one", "pair"), other = source("other", "pair");
    use(still);
    for (int round = 0; round < 3; ++round)
        use(one), use(other);
    for (int frame = 0; frame < 20; ++frame)
        use(source("frame " + std::to_string(frame), "frames"));
    EXPECT_LE(cache.bytesKept(), (2 + 4 + 2 + 4) * tile); // still, the pair, the last frame, and earlier ones
    use(still), use(one), use(other);
    EXPECT_EQ(still->computed, 2);
    EXPECT_EQ(one->computed, 2);
    EXPECT_EQ(other->computed, 2);
    const auto last = source("frame 19", "frames"), first = source("frame 0", "frames");
    use(last), use(first);
    EXPECT_EQ(last->computed, 0);
    EXPECT_EQ(first->computed, 2);
    // Those that begin again are followed again.
    for (int frame = 20; frame < 40; ++frame)
        use(first), use(source("frame " + std::to_string(frame), "frames"));
    EXPECT_EQ(first->computed, 2);
    EXPECT_LE(cache.bytesKept(), (2 + 4 + 2 + 2 + 4) * tile);
}

TEST(Cache, WhatAnotherOfItsSeriesFollowsIsKeptForAFewPictures) {
    const V2i twoTiles(2 * tileSide, tileSide);
    constexpr std::size_t tile = std::size_t{tileSide} * tileSide * 8 + sizeof(Tile);
    PixelCache cache(std::size_t{4} << 30);
    const auto frame = [&](int number) {
        return std::make_shared<Counting>(twoTiles, PixelSource::Granularity::ByBox,
                                          "frame " + std::to_string(number), "frames");
    };
    for (int number = 0; number < 100; ++number) {
        cache.beginPicture();
        ASSERT_TRUE(cache.read(frame(number), 0, boxOf(twoTiles)));
    }
    EXPECT_LE(cache.bytesKept(), 10 * 2 * tile);
    const auto lately = frame(96), before = frame(50);
    for (const auto& again : {lately, before})
        ASSERT_TRUE(cache.read(again, 0, boxOf(twoTiles)));
    EXPECT_EQ(lately->computed, 0);
    EXPECT_EQ(before->computed, 2);
    // Many of one series in one picture, as copies of a layer: each is there for all of it.
    cache.beginPicture();
    std::vector<std::shared_ptr<Counting>> copies;
    for (int number = 200; number < 260; ++number)
        copies.push_back(frame(number));
    for (int round = 0; round < 2; ++round)
        for (const auto& copy : copies)
            ASSERT_TRUE(cache.read(copy, 0, boxOf(twoTiles)));
    for (const auto& copy : copies)
        EXPECT_EQ(copy->computed, 2);
}

TEST(Cache, ChangedFilesAreReadAnewAndProblemsCanBeForgotten) {
    const TempDir dir;
    const auto layer = test::pictureLayer(1, "p", dir / "p.png", {8, 8}, 1, V3d(0));
    PixelCache cache;
    const auto read = [&] {
        const auto source = contentOf(*layer, 0);
        return cache.read(source, 0, boxOf(source->size()));
    };
    EXPECT_FALSE(read());
    test::writePicture(dir / "p.png", {8, 8}, [](int, int) { return Rgba8{255, 255, 255}; });
    ASSERT_TRUE(read()); // the key has changed with the file
    EXPECT_EQ(float(read()->rgba[0]), 1.f);
    test::writePicture(dir / "p.png", {8, 8}, [](int, int) { return Rgba8{0, 0, 0, 255}; });
    ASSERT_TRUE(read());
    EXPECT_EQ(float(read()->rgba[0]), 0.f);
    test::writePicture(dir / "p.png", {16, 8}, [](int, int) { return Rgba8{0, 0, 0}; });
    const auto changed = read();
    ASSERT_FALSE(changed);
    EXPECT_NE(changed.error().sentence.find("it has changed to 16 x 8 pixels, but was 8 x 8"),
              std::string::npos);
}

/// Throws instead of giving texels, at first.
class Throwing : public PixelSource {
public:
    explicit Throwing(Granularity granularity) : PixelSource("throwing", {600, 600}, granularity) {}
    Result<Raster> compute(int, const Box& box, PixelCache&, const Progress&) const override {
        if (throws) throw std::runtime_error("the library fell over");
        return Raster(box.size());
    }
    mutable std::atomic<bool> throws = true;
};

TEST(Cache, AMakerThatThrowsGivesASentenceAndNobodyWaitsForEver) {
    for (const auto granularity : {PixelSource::Granularity::Whole, PixelSource::Granularity::EveryLevel,
                                   PixelSource::Granularity::ByBox}) {
        const auto source = std::make_shared<Throwing>(granularity);
        PixelCache cache;
        std::atomic<int> told = 0;
        {
            std::vector<std::jthread> threads;
            for (int i = 0; i < 4; ++i)
                threads.emplace_back([&] {
                    const auto read = cache.read(source, 0, {0, 0, 600, 600});
                    told += !read && read.error().sentence.find("the library fell over") != std::string::npos;
                });
        }
        EXPECT_EQ(told, 4);
        source->throws = false;
        cache.forgetProblems();
        EXPECT_TRUE(cache.read(source, 0, {0, 0, 600, 600}));
    }
}

/// A PNG of one colour that is small on disk however large it is.
std::string plainPng(const TempDir& dir, V2i size) {
    const std::string path = (dir / "plain.png").string();
    const auto made =
        test::run("ffmpeg -v error -y -f lavfi -i color=c=0x4080c0:s=" + std::to_string(size.x) + "x" +
                  std::to_string(size.y) + " -frames:v 1 -pix_fmt rgb24 " + path);
    EXPECT_EQ(made.code, 0) << made.printed;
    return test::readAll(path);
}

TEST(LargeStills, SeveralAtOnceByManyThreads) {
    const TempDir dir;
    constexpr V2i size(9000, 5800); // above what is kept as a whole
    test::writeAll(dir / "a.png", plainPng(dir, size));
    test::writeAll(dir / "b.png", plainPng(dir, size));
    PixelCache cache;
    std::atomic<int> wrong = 0;
    {
        std::vector<std::jthread> threads;
        for (int t = 0; t < 3; ++t)
            threads.emplace_back([&, t] {
                for (const char* name : {t % 2 ? "a.png" : "b.png", t % 2 ? "b.png" : "a.png"}) {
                    const auto source =
                        contentOf(*test::pictureLayer(1, "p", dir / name, size, 1, V3d(0)), 0);
                    // All tiles of a level at once, so that hands meet inside.
                    const auto read = cache.read(source, 1, {0, 0, 4500, 2900});
                    wrong += !read || std::abs(float(read->row(2000)[4 * 3000 + 2]) - 0.527f) > 0.01f;
                }
            });
    }
    EXPECT_EQ(wrong, 0);
}

TEST(LargeStills, PartsOfAnArchiveAreLaidOutOnDiskToo) {
    const TempDir dir;
    constexpr V2i size(12000, 9000); // 864 MB of texels
    test::writeOra(dir / "big.ora",
                   "<image w='12000' h='9000'><stack><layer name='a' src='data/a.png'/></stack></image>",
                   {{"data/a.png", plainPng(dir, size)}});
    auto layer =
        std::make_shared<scene::Layer>(*test::pictureLayer(1, "p", dir / "big.ora", size, 1, V3d(0)));
    std::get<scene::Picture>(layer->content).part = "data/a.png";
    PixelCache cache(64u << 20);
    const auto memory = [] { // most of it ever in use, MB
        rusage usage = {};
        ::getrusage(RUSAGE_SELF, &usage);
        return usage.ru_maxrss >> 10;
    };
    const auto before = memory();
    const auto read = cache.read(contentOf(*layer, 0), 5, {0, 0, 375, 282});
    ASSERT_TRUE(read) << read.error().sentence;
    EXPECT_NEAR(float(read->row(100)[4 * 100 + 2]), 0.527, 0.01);
    EXPECT_LT(memory() - before, 400);
}

TEST(Clips, AReplacedFileShowsItsOwnFrames) {
    const TempDir dir;
    const auto make = [&](const char* colour) {
        const auto made = test::run(std::string("ffmpeg -v error -y -f lavfi -i color=c=") + colour +
                                    ":s=32x32:r=24:d=0.5 -c:v ffv1 " + (dir / "new.mkv").string());
        ASSERT_EQ(made.code, 0) << made.printed;
        std::filesystem::rename(dir / "new.mkv", dir / "clip.mkv");
    };
    scene::Footage footage;
    footage.media.path = (dir / "clip.mkv").string();
    footage.frames = 12;
    scene::Layer layer;
    layer.pixels = {32, 32};
    layer.content = footage;
    PixelCache cache;
    const auto green = [&](std::int64_t frame) {
        const auto read = cache.read(contentOf(layer, frame), 0, {0, 0, 32, 32});
        EXPECT_TRUE(read);
        return read ? float(read->rgba[1]) : -1;
    };
    make("black");
    EXPECT_LT(green(3), 0.05f);
    make("white");
    EXPECT_GT(green(3), 0.9f);
    EXPECT_GT(green(4), 0.9f);
}

TEST(Probing, APictureThatEndsEarlyComesWithANote) {
    const TempDir dir;
    test::writePicture(dir / "whole.jpg", {200, 160}, pattern);
    EXPECT_TRUE(probe(dir / "whole.jpg")->notes.empty());
    const std::string whole = test::readAll(dir / "whole.jpg");
    for (const double share : {0.4, 0.6, 0.8, 0.99}) {
        test::writeAll(dir / "cut.jpg",
                       whole.substr(0, static_cast<std::size_t>(share * static_cast<double>(whole.size()))));
        const auto contents = probe(dir / "cut.jpg");
        if (!contents) continue; // refused is as good
        ASSERT_EQ(contents->notes.size(), 1u) << share;
        EXPECT_NE(contents->notes[0].find("cut.jpg ends early"), std::string::npos);
    }
}

TEST(Drawings, PackedOnesAreUnpacked) {
    const TempDir dir;
    test::writeAll(dir / "d.svg", "<svg xmlns='http://www.w3.org/2000/svg' width='40' height='30'>"
                                  "<rect id='r' width='20' height='10' fill='red'/></svg>");
    ASSERT_EQ(test::run("gzip -c " + (dir / "d.svg").string() + " > " + (dir / "d.svgz").string()).code, 0);
    const auto contents = probe(dir / "d.svgz");
    ASSERT_TRUE(contents) << contents.error().sentence;
    EXPECT_EQ(contents->canvas, V2i(40, 30));
    ASSERT_EQ(contents->stack->items.size(), 1u);
    test::writeAll(dir / "torn.svgz", test::readAll(dir / "d.svgz").substr(0, 60));
    EXPECT_FALSE(probe(dir / "torn.svgz"));
}

TEST(Drawings, AThousandOctavesOfNoiseTakeNoLongerThanTen) {
    const TempDir dir;
    const auto drawn = [&](int octaves) {
        test::writeAll(
            dir / "n.svg",
            "<svg xmlns='http://www.w3.org/2000/svg' width='300' height='200'><defs><filter id='f'>"
            "<feTurbulence baseFrequency='0.05' numOctaves='" +
                std::to_string(octaves) +
                "'/></filter></defs><g><rect width='300' height='200' filter='url(#f)'/></g></svg>");
        PixelCache cache;
        const auto source = contentOf(*test::pictureLayer(1, "n", dir / "n.svg", {300, 200}, 1, V3d(0)), 0);
        const auto read = cache.read(source, 5, {0, 0, 300, 200});
        EXPECT_TRUE(read);
        return read ? read->rgba : media::Halfs();
    };
    EXPECT_EQ(drawn(1000), drawn(10));
}

/// Two layers of one file, of which a hostile scene says another size: each is read for itself, and the wrong
/// one is a sentence.
TEST(Cache, SizesThatScenesSayDoNotMix) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {64, 48}, [](int x, int y) { return test::Rgba8{x * 3, y * 4, 90}; });
    const auto right = contentOf(*test::pictureLayer(1, "right", dir / "a.png", {64, 48}, 1, V3d(0)), 0),
               wrong = contentOf(*test::pictureLayer(2, "wrong", dir / "a.png", {640, 480}, 1, V3d(0)), 0);
    EXPECT_NE(right->key(), wrong->key());
    PixelCache cache;
    const auto first = cache.read(right, 0, boxOf({64, 48}));
    ASSERT_TRUE(first);
    const auto refused = cache.read(wrong, 0, boxOf({640, 480}));
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().sentence.find("64 x 48"), std::string::npos) << refused.error().sentence;
    const auto again = cache.read(right, 0, boxOf({64, 48}));
    ASSERT_TRUE(again);
    EXPECT_EQ(again->rgba, first->rgba);
}

/// A colour is the mean about its place, of drawings too, which have pixels of more than one size.
TEST(Content, ColoursArePickedWhereTheyAre) {
    const TempDir dir;
    test::writeAll(dir / "d.svg", R"xml(<svg xmlns="http://www.w3.org/2000/svg" width="40" height="30">
        <rect width="20" height="30" fill="#ff0000"/><rect x="20" width="10" height="30" fill="#0000ff"/></svg>)xml");
    PixelCache cache;
    const auto layer = test::pictureLayer(1, "d", dir / "d.svg", {40, 30}, 1, V3d(0));
    const auto red = pickedColour(*layer, 0, {10, 15}, cache),
               blue = pickedColour(*layer, 0, {25, 15}, cache);
    ASSERT_TRUE(red && blue);
    EXPECT_NEAR(red->r, 1, 1e-3);
    EXPECT_NEAR(red->b, 0, 1e-3);
    EXPECT_NEAR(blue->b, 1, 1e-3);
    const auto clear = pickedColour(*layer, 0, {36, 15}, cache),
               outside = pickedColour(*layer, 0, {10, 31}, cache);
    ASSERT_FALSE(clear || outside);
    EXPECT_EQ(clear.error().sentence, "'d' has no colour at 36, 15.");
}

}
}
