// Readers against files written by other programs (oiiotool, ffmpeg) or by hand.
#include "media/content.h"
#include "media/drawing.h"
#include "media/light.h"
#include "media/probe.h"
#include "media/shown_frame.h"
#include "media/still.h"
#include "support/support.h"

#include <OpenImageIO/imageio.h>
#include <cmath>
#include <gtest/gtest.h>
#include <lcms2.h>

namespace stage::media {
namespace {

using test::TempDir;

std::array<float, 4> texel(const Raster& raster, int x, int y) {
    const Imath::half* p = raster.row(y) + 4 * x;
    return {p[0], p[1], p[2], p[3]};
}
void expectNear(const std::array<float, 4>& got, const std::array<double, 4>& wanted, double by) {
    for (std::size_t c = 0; c < 4; ++c)
        EXPECT_NEAR(got[c], wanted[c], by) << c;
}

TEST(OpenExr, PartsAndChannelGroupsBecomeLayers) {
    const TempDir dir;
    const std::string in = dir.path().string() + "/";
    // two parts on a canvas of 64 x 48, the second smaller and set off
    test::make("oiiotool --create 64x48 4 --fill:color=0.1,0.2,0.3,1 64x48 --attrib oiio:subimagename back "
               "--create 20x10+30+25 4 --fill:color=0.4,0,0,0.5 20x10+30+25 --fullsize 64x48+0+0 --attrib "
               "oiio:subimagename front "
               "--siappend -d half -o " +
               in + "parts.exr");
    const auto contents = probe(dir / "parts.exr");
    ASSERT_TRUE(contents) << contents.error().sentence;
    ASSERT_TRUE(contents->stack);
    EXPECT_FALSE(contents->paint); // float values are light
    EXPECT_EQ(contents->canvas, V2i(64, 48));
    ASSERT_EQ(contents->stack->items.size(), 2u);
    const StackItem& front = contents->stack->items[1];
    EXPECT_EQ(front.name, "front");
    EXPECT_EQ(front.offset, V2i(30, 25));
    EXPECT_EQ(front.size, V2i(20, 10));
    const auto pixels = readStill(dir / "parts.exr", front.part);
    ASSERT_TRUE(pixels) << pixels.error().sentence;
    EXPECT_EQ(pixels->size, V2i(20, 10));
    expectNear(texel(*pixels, 5, 5), {0.4, 0, 0, 0.5}, 1e-3);

    test::make(
        "oiiotool --create 16x8 3 --fill:color=0.5,0.25,0.125 16x8 --chnames diffuse.R,diffuse.G,diffuse.B "
        "--create 16x8 1 --fill:color=0.75 16x8 --chnames shine.Y --create 16x8 1 --chnames Z "
        "--chappend --chappend -o " +
        in + "groups.exr");
    const auto groups = probe(dir / "groups.exr");
    ASSERT_TRUE(groups) << groups.error().sentence;
    ASSERT_TRUE(groups->stack);
    ASSERT_EQ(groups->stack->items.size(), 2u); // depth is no picture
    for (const StackItem& item : groups->stack->items) {
        const auto raster = readStill(dir / "groups.exr", item.part);
        ASSERT_TRUE(raster) << raster.error().sentence;
        if (item.name == "diffuse")
            expectNear(texel(*raster, 3, 3), {0.5, 0.25, 0.125, 1}, 1e-3);
        else
            expectNear(texel(*raster, 3, 3), {0.75, 0.75, 0.75, 1}, 1e-3);
    }
    EXPECT_FALSE(readStill(dir / "groups.exr", "#0:nothing"));
    EXPECT_FALSE(readStill(dir / "groups.exr", "#7"));
    EXPECT_FALSE(readStill(dir / "groups.exr", "#x"));
}

TEST(Tiff, PagesBecomeLayers) {
    const TempDir dir;
    test::make("oiiotool --create 32x16 3 --fill:color=1,0,0 32x16 --create 32x16 3 --fill:color=0,1,0 32x16 "
               "--siappend "
               "--create 32x16 3 --fill:color=0,0,1 32x16 --siappend -d uint8 -o " +
               (dir / "pages.tif").string());
    const auto contents = probe(dir / "pages.tif");
    ASSERT_TRUE(contents) << contents.error().sentence;
    ASSERT_TRUE(contents->stack);
    EXPECT_TRUE(contents->paint);
    ASSERT_EQ(contents->stack->items.size(), 3u);
    for (std::size_t i = 0; i < 3; ++i) {
        const auto raster = readStill(dir / "pages.tif", contents->stack->items[i].part);
        ASSERT_TRUE(raster);
        for (std::size_t c = 0; c < 3; ++c)
            EXPECT_EQ(texel(*raster, 4, 4)[c], c == i ? 1.f : 0.f);
    }
}

TEST(OpenExr, ASmallerDataWindowKeepsItsPlace) {
    const TempDir dir;
    test::make(
        "oiiotool --create 20x10+30+25 3 --fill:color=0.5,0.5,0.5 20x10+30+25 --fullsize 64x48+0+0 -o " +
        (dir / "cropped.exr").string());
    const auto contents = probe(dir / "cropped.exr");
    ASSERT_TRUE(contents) << contents.error().sentence;
    EXPECT_FALSE(contents->stack);
    EXPECT_EQ(contents->canvas, V2i(64, 48));
    EXPECT_EQ(contents->offset, V2i(30, 25));
    EXPECT_EQ(contents->size, V2i(20, 10));
}

TEST(Profiles, AreHonoured) {
    const TempDir dir;
    // Rec. 2020 primaries, gamma 2.2, made with LittleCMS; the way to Rec. 709 is that of ITU-R BT.2087
    const cmsCIExyY white = {0.3127, 0.3290, 1};
    const cmsCIExyYTRIPLE primaries = {{0.708, 0.292, 1}, {0.170, 0.797, 1}, {0.131, 0.046, 1}};
    cmsToneCurve* curve = cmsBuildGamma(nullptr, 2.2);
    cmsToneCurve* curves[3] = {curve, curve, curve};
    const cmsHPROFILE profile = cmsCreateRGBProfile(&white, &primaries, curves);
    cmsUInt32Number size = 0;
    cmsSaveProfileToMem(profile, nullptr, &size);
    std::vector<std::uint8_t> bytes(size);
    cmsSaveProfileToMem(profile, bytes.data(), &size);
    cmsCloseProfile(profile);
    cmsFreeToneCurve(curve);
    OIIO::ImageSpec spec(8, 8, 3, OIIO::TypeDesc::UINT16);
    spec.attribute("ICCProfile", OIIO::TypeDesc(OIIO::TypeDesc::UINT8, static_cast<int>(size)), bytes.data());
    const double v[3] = {0.6, 0.5, 0.4};
    std::vector<std::uint16_t> pixels;
    for (int i = 0; i < 64; ++i)
        for (const double c : v)
            pixels.push_back(static_cast<std::uint16_t>(std::lround(c * 65535)));
    const auto out = OIIO::ImageOutput::create("x.tif");
    ASSERT_TRUE(out && out->open((dir / "wide.tif").string(), spec));
    ASSERT_TRUE(out->write_image(OIIO::TypeDesc::UINT16, pixels.data()));
    out->close();
    const auto raster = readStill(dir / "wide.tif");
    ASSERT_TRUE(raster) << raster.error().sentence;
    const double r = std::pow(v[0], 2.2), g = std::pow(v[1], 2.2), b = std::pow(v[2], 2.2);
    expectNear(texel(*raster, 4, 4),
               {1.6605 * r - 0.5876 * g - 0.0728 * b, -0.1246 * r + 1.1329 * g - 0.0083 * b,
                -0.0182 * r - 0.1006 * g + 1.1187 * b, 1},
               0.002);
}

TEST(Drawings, GroupsAreLayersAndStaySharp) {
    const TempDir dir;
    test::writeAll(dir / "d.svg",
                   R"xml(<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg" width="100" height="80"
        xmlns:x="urn:x"><defs><linearGradient id="g"><stop stop-color="red"/></linearGradient></defs>
        <rect width="100" height="80" fill="#0000ff"/>
        <g id="hills"><title>Far hills</title><rect x="10" y="40" width="30" height="20" fill="url(#g)"/></g>
        <g x:label="Boat" style="display:none"><circle cx="70" cy="40" r="10" fill="#00ff00"/></g></svg>)xml");
    const auto contents = probe(dir / "d.svg");
    ASSERT_TRUE(contents) << contents.error().sentence;
    ASSERT_TRUE(contents->stack);
    const auto& items = contents->stack->items;
    ASSERT_EQ(items.size(), 3u);
    EXPECT_EQ(contents->canvas, V2i(100, 80));
    EXPECT_EQ(items[1].name, "Far hills");
    EXPECT_EQ(items[2].name, "Boat");
    EXPECT_FALSE(items[2].visible);
    EXPECT_TRUE(items[1].visible);
    // the box of the ink, with a pixel to spare
    EXPECT_EQ(items[1].offset, V2i(9, 39));
    EXPECT_EQ(items[1].size, V2i(32, 22));
    scene::Layer layer;
    layer.pixels = items[2].size;
    layer.content = scene::Picture{contents->media, items[2].part};
    const auto source = contentOf(layer, 0);
    PixelCache cache;
    const int natural = levelCount(source->size()) - levelCount(layer.pixels);
    ASSERT_GE(natural, 4);
    const auto small = cache.read(source, natural, boxOf(layer.pixels));
    ASSERT_TRUE(small) << small.error().sentence;
    expectNear(texel(*small, 11, 11), {0, 1, 0, 1}, 1e-3);
    expectNear(texel(*small, 0, 0), {0, 0, 0, 0}, 1e-3);
    // sixteen times as large the rim is still one pixel wide
    const int finer = natural - 4, middle = 16 * 11;
    const auto line = cache.read(source, finer, {0, middle, 16 * 22, middle + 1});
    ASSERT_TRUE(line);
    int partly = 0;
    for (int x = 0; x < line->size.x; ++x)
        partly += texel(*line, x, 0)[3] > 0.02f && texel(*line, x, 0)[3] < 0.98f;
    EXPECT_LE(partly, 4);
    for (const auto& [name, text] : std::initializer_list<std::pair<const char*, std::string>>{
             {"a.svg", "<svg"},
             {"b.svg", "<html/>"},
             {"c.svg", "<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>"},
             {"e.svg", "<svg xmlns='http://www.w3.org/2000/svg' width='1e9' height='9'><g><rect width='3' "
                       "height='3'/></g></svg>"}}) {
        test::writeAll(dir / name, text);
        const auto broken = probe(dir / name);
        ASSERT_FALSE(broken) << name;
        EXPECT_TRUE(broken.error().sentence.starts_with("Cannot read ")) << broken.error().sentence;
    }
}

TEST(Sequences, ReadInOrderWithGapsTold) {
    const TempDir dir;
    for (const int n : {8, 9, 10, 13})
        test::writePicture(dir / ("rain.00" + std::string(n < 10 ? "0" : "") + std::to_string(n) + ".png"),
                           {8, 8}, [&](int, int) {
                               return test::Rgba8{n * 10, 0, 0};
                           });
    EXPECT_EQ(sequenceOf(dir / "rain.0009.png"), dir / "rain.####.png");
    const auto contents = probe(dir / "rain.####.png");
    ASSERT_TRUE(contents) << contents.error().sentence;
    ASSERT_TRUE(contents->footage);
    EXPECT_EQ(contents->footage->frames, 6);
    EXPECT_EQ(contents->footage->number, 8);
    EXPECT_EQ(contents->name, "rain");
    ASSERT_EQ(contents->notes.size(), 1u);
    EXPECT_NE(contents->notes[0].find("2 pictures are missing (11-12)"), std::string::npos)
        << contents->notes[0];
    scene::Layer layer;
    layer.pixels = {8, 8};
    layer.content = *contents->footage;
    PixelCache cache;
    const int shown[] = {8, 9, 10, 10, 10, 13};
    for (int frame = 0; frame < 6; ++frame) {
        const auto raster = cache.read(contentOf(layer, frame), 0, {0, 0, 8, 8});
        ASSERT_TRUE(raster);
        EXPECT_NEAR(255 * srgbFromLinear(texel(*raster, 1, 1)[0]), shown[frame] * 10, 0.5) << frame;
    }
    EXPECT_EQ(sequenceFile("a.##.png", 123), "a.123.png");
    EXPECT_FALSE(sequenceOf(dir / "none7.png"));
    EXPECT_FALSE(probe(dir / "snow.####.png"));
}

// ---- footage

/// Frames in which a white bar's place tells the number: 0 to 31, 8 px each.
std::string numbered(int count, const std::string& more) {
    return "ffmpeg -v error -y -f lavfi -i \"color=black:s=256x64:r=24:d=" +
           std::to_string((count - 0.5) / 24) +
           ",geq=lum='if(between(X,mod(N,32)*8,mod(N,32)*8+7),235,16)':cb=128:cr=128\" " + more + " ";
}
int numberOf(const Raster& raster) {
    int best = -1;
    float most = 0.1f;
    for (int n = 0; n < 32; ++n) {
        float sum = 0;
        for (int x = 2; x < 6; ++x)
            sum += texel(raster, n * 8 + x, 32)[1] / 4;
        if (sum > most) most = sum, best = n;
    }
    return best;
}

TEST(Footage, UnevenTimesKeepTheirPlaces) {
    const TempDir dir;
    // every third frame is dropped, the others keep their times
    test::make(numbered(32, "-vf \"select='mod(n,3)'\" -vsync vfr -c:v libx264 -pix_fmt yuv420p") +
               (dir / "v.mkv").string());
    auto reader = FootageReader::open(dir / "v.mkv");
    ASSERT_TRUE(reader) << reader.error().sentence;
    const FootageInfo& info = (*reader)->info();
    EXPECT_TRUE(info.varies);
    EXPECT_NEAR(info.rate.toDouble(), 24, 0.03);
    ASSERT_EQ(info.frames, 31); // from number 1 to 31, two of three
    for (int n = 0; n < 31; ++n) {
        const int wanted = (n + 1) % 3 == 0 ? n : n + 1; // a dropped one shows the one before
        const auto raster = shownFrame(**reader, n);
        ASSERT_TRUE(raster);
        EXPECT_EQ(numberOf(*raster), wanted) << n;
    }
}

/// Containers that do not say when frames are shown, with frames that are decoded in another order.
TEST(Footage, WithoutTimesOfItsOwnIsExactInAnyOrder) {
    const TempDir dir;
    const struct {
        const char *file, *more;
    } clips[] = {{"h264.avi", "-c:v libx264 -g 12 -bf 3 -pix_fmt yuv420p"},
                 {"mpeg4.avi", "-c:v mpeg4 -g 12 -bf 2 -q:v 2"},
                 {"mpeg2.mpg", "-c:v mpeg2video -g 12 -bf 2 -q:v 2"},
                 {"mpeg1.mpg", "-c:v mpeg1video -g 15 -bf 2 -q:v 2"}};
    for (const auto& clip : clips) {
        test::make(numbered(64, clip.more) + (dir / clip.file).string());
        auto reader = FootageReader::open(dir / clip.file);
        ASSERT_TRUE(reader) << clip.file << ": " << reader.error().sentence;
        ASSERT_EQ((*reader)->info().frames, 64) << clip.file;
        int wrong = 0;
        std::string which;
        for (int i = 0; i < 150; ++i) {
            const int n = i < 64 ? i : (i * 37 + i * i * 11) % 64;
            const auto raster = shownFrame(**reader, n);
            if (raster && numberOf(*raster) == n % 32) continue;
            ++wrong;
            which += ' ' + std::to_string(n) + " is " + (raster ? std::to_string(numberOf(*raster)) : "none");
        }
        EXPECT_EQ(wrong, 0) << clip.file << which;
    }
}

TEST(Footage, IsTurnedUprightAndItsPixelsMadeSquare) {
    const TempDir dir;
    test::make(numbered(3, "-c:v libx264 -pix_fmt yuv420p") + (dir / "flat.mp4").string());
    test::make("ffmpeg -v error -y -i " + (dir / "flat.mp4").string() + " -c copy -metadata:s:v rotate=90 " +
               (dir / "turned.mp4").string());
    auto reader = FootageReader::open(dir / "turned.mp4");
    ASSERT_TRUE(reader);
    EXPECT_EQ((*reader)->info().size, V2i(64, 256));
    const auto raster = shownFrame(**reader, 2);
    ASSERT_TRUE(raster);
    // against ffmpeg's own turn
    test::make("ffmpeg -v error -y -i " + (dir / "turned.mp4").string() +
               " -vf \"select='eq(n,2)'\" -vsync 0 " + (dir / "t.png").string());
    const auto theirs = readStill(dir / "t.png");
    ASSERT_TRUE(theirs);
    ASSERT_EQ(theirs->size, raster->size);
    for (int y = 4; y < 256; y += 8)
        EXPECT_NEAR(texel(*raster, 32, y)[1], texel(*theirs, 32, y)[1], 0.03) << y;
    EXPECT_GT(texel(*raster, 32, 256 - 19)[1], 0.5f);
    test::make(numbered(3, "-vf setsar=2/1 -c:v libx264 -pix_fmt yuv420p") + (dir / "wide.mkv").string());
    auto wide = FootageReader::open(dir / "wide.mkv");
    ASSERT_TRUE(wide);
    EXPECT_EQ((*wide)->info().size, V2i(512, 64));
    EXPECT_EQ(shownFrame(**wide, 0)->size, V2i(512, 64));
}

TEST(Footage, OfTwoFieldsShowsOne) {
    const TempDir dir;
    // the fields are two frames apart in time: woven they would show two bars
    test::make(
        numbered(
            8,
            "-vf \"tinterlace=interleave_top\" -flags +ildct+ilme -field_order tt -c:v mpeg2video -q:v 2") +
        (dir / "i.mpg").string());
    auto reader = FootageReader::open(dir / "i.mpg");
    ASSERT_TRUE(reader) << reader.error().sentence;
    EXPECT_TRUE((*reader)->info().interlaced);
    const auto raster = shownFrame(**reader, 1);
    ASSERT_TRUE(raster);
    const int shown = numberOf(*raster);
    EXPECT_EQ(shown, 2);
    float other = 0;
    for (int y = 8; y < 56; ++y)
        other = std::max(other, texel(*raster, (shown + 1) * 8 + 4, y)[1]);
    EXPECT_LT(other, 0.1f);
}

TEST(Footage, AlphaComesThrough) {
    const TempDir dir;
    for (const auto& [name, codec] : std::initializer_list<std::pair<const char*, const char*>>{
             {"a.webm", "-c:v libvpx-vp9 -pix_fmt yuva420p -lossless 1"},
             {"a.mkv", "-c:v ffv1 -pix_fmt bgra"},
             {"a.mov", "-c:v png -pix_fmt rgba"}}) {
        test::make("ffmpeg -v error -y -f lavfi -i "
                   "\"color=red:s=64x32:r=24:d=0.2,format=rgba,geq=r=255:g=0:b=0:a='if(lt(X,32),255,64)'\" " +
                   std::string(codec) + " " + (dir / name).string());
        auto reader = FootageReader::open(dir / name);
        ASSERT_TRUE(reader) << name << reader.error().sentence;
        EXPECT_TRUE((*reader)->info().alpha) << name;
        const auto raster = shownFrame(**reader, 1);
        ASSERT_TRUE(raster) << name;
        EXPECT_NEAR(texel(*raster, 8, 8)[3], 1, 0.01) << name;
        EXPECT_NEAR(texel(*raster, 56, 8)[3], 64 / 255.0, 0.01) << name;
    }
}

TEST(Light, HdrCurvesAreThoseOfTheStandards) {
    // SMPTE ST 2084: code values of 100, 1000 and 10000 cd/m2 (to four places in its tables)
    EXPECT_NEAR(nitsFromPq(0.5081f), 100, 0.1);
    EXPECT_NEAR(nitsFromPq(0.7518f), 1000, 1.5);
    EXPECT_NEAR(nitsFromPq(1), 10000, 1);
    EXPECT_NEAR(nitsFromPq(0), 0, 1e-4);
    // BT.2408: HLG 75 % is 203 cd/m2 on a 1000 cd/m2 display, PQ 58 %
    std::array<float, 3> white = {sceneFromHlg(0.75f), sceneFromHlg(0.75f), sceneFromHlg(0.75f)};
    nitsFromHlgScene(white);
    EXPECT_NEAR(white[1], 203, 1);
    EXPECT_NEAR(nitsFromPq(0.5807f), 203, 0.5);
    // white stays white from one set of primaries to the other
    std::array<float, 3> one = {1, 1, 1};
    rec709FromRec2020(one);
    for (const float v : one)
        EXPECT_NEAR(v, 1, 1e-4);
}

TEST(Footage, HdrComesToLinearLight) {
    const TempDir dir;
    // grey of code value 0.5807: 203 cd/m2, diffuse white
    test::make(
        "ffmpeg -v error -y -f lavfi -i \"color=black:s=64x32:r=24:d=0.2,format=yuv420p10le,geq=lum=" +
        std::to_string(std::lround(64 + 0.5807 * 876)) +
        ":cb=512:cr=512\" -c:v libx265 -x265-params log-level=none -pix_fmt yuv420p10le -color_primaries "
        "bt2020 "
        "-color_trc smpte2084 -colorspace bt2020nc -color_range tv " +
        (dir / "pq.mkv").string());
    auto reader = FootageReader::open(dir / "pq.mkv");
    ASSERT_TRUE(reader) << reader.error().sentence;
    EXPECT_TRUE((*reader)->info().hdr);
    const auto raster = shownFrame(**reader, 1);
    ASSERT_TRUE(raster);
    expectNear(texel(*raster, 30, 16), {1, 1, 1, 1}, 0.02);
}

// ---- cards and texts

TEST(Cards, RunEvenlyBetweenTheirStops) {
    scene::Layer layer;
    layer.pixels = {100, 50};
    scene::Card card;
    card.stops = {{0, {0, 0, 0, 1}}, {1, {1, 1, 1, 1}}};
    layer.content = card;
    PixelCache cache;
    const auto raster = *cache.read(contentOf(layer, 0), 0, {0, 0, 100, 50});
    for (const int x : {0, 25, 50, 99}) // encoded values run evenly
        EXPECT_NEAR(srgbFromLinear(texel(raster, x, 20)[0]), (x + 0.5) / 100, 2e-3);
    card.turn = 90;
    layer.content = card;
    EXPECT_NEAR(srgbFromLinear(texel(*cache.read(contentOf(layer, 0), 0, {0, 0, 100, 50}), 30, 24)[0]),
                24.5 / 50, 2e-3);
    card.radial = true;
    layer.content = card;
    const auto radial = *cache.read(contentOf(layer, 0), 0, {0, 0, 100, 50});
    EXPECT_NEAR(srgbFromLinear(texel(radial, 80, 40)[0]), std::hypot(30.5, 15.5) / std::hypot(50, 25), 2e-3);
}

TEST(LargeStills, AreReadThroughTheCacheFolder) {
    const TempDir dir;
    // 100 Mpx; the whole pyramid would be 1 GB, the budget is 64 MB
    test::make("oiiotool --pattern fill:topleft=0,0,0:topright=1,0,0:bottomleft=0,1,0:bottomright=1,1,0 "
               "10000x10000 3 -d uint8 "
               "--compression jpeg:90 -o " +
               (dir / "large.jpg").string());
    scene::Layer layer;
    layer.pixels = {10000, 10000};
    layer.content = scene::Picture{{(dir / "large.jpg").string(), 0, ""}, ""};
    PixelCache cache(64u << 20);
    const auto source = contentOf(layer, 0);
    ASSERT_EQ(source->granularity(), PixelSource::Granularity::InStrips);
    const auto encoded = [](float v) { return 255 * srgbFromLinear(v); };
    for (const int level : {0, 3, 7}) {
        const int at = 7000 >> level;
        const auto raster = cache.read(source, level, {at, at / 2, at + 8, at / 2 + 8});
        ASSERT_TRUE(raster) << raster.error().sentence;
        EXPECT_NEAR(encoded(texel(*raster, 0, 0)[0]), 0.7 * 255, 3) << level;
        EXPECT_NEAR(encoded(texel(*raster, 0, 0)[1]), 0.35 * 255, 3) << level;
    }
    EXPECT_LE(cache.bytesKept(), 64u << 20);
}

/// A JPEG that ends early comes in, and says so.
TEST(Stills, CutOffJpegsAreToldOf) {
    const TempDir dir;
    test::writePicture(dir / "whole.jpg", {200, 150}, [](int x, int y) {
        return test::Rgba8{(x * 37 + y * 11) % 256, (x * 5) % 256, (y * 13) % 256};
    });
    const std::string bytes = test::readAll(dir / "whole.jpg");
    const auto whole = probe(dir / "whole.jpg");
    ASSERT_TRUE(whole);
    EXPECT_TRUE(whole->notes.empty());
    for (const double share : {0.4, 0.7, 0.99}) {
        test::writeAll(dir / "cut.jpg",
                       bytes.substr(0, static_cast<std::size_t>(share * static_cast<double>(bytes.size()))));
        const auto cut = probe(dir / "cut.jpg");
        ASSERT_TRUE(cut) << share;
        ASSERT_EQ(cut->notes.size(), 1u) << share;
        EXPECT_NE(cut->notes[0].find("ends early"), std::string::npos);
    }
}

}
}
