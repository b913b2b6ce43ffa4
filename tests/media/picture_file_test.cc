// Common pictures are read by their own libraries: the same values as OpenImageIO gives.
#include "media/picture_file.h"
#include "media/plugin.h"
#include "media/still.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::media {
namespace {

using test::TempDir;

std::unique_ptr<PictureFile> openQuickly(const std::string& bytes) {
    for (const auto open : {openJpeg, openPng, openWebp})
        if (auto file = open(bytes)) return file;
    return nullptr;
}
std::vector<float> valuesOf(PictureFile& file) {
    const auto spec = file.spec();
    std::vector<float> values(static_cast<std::size_t>(spec.size.x) * spec.size.y * spec.channels.size());
    if (!spec.isByte) {
        EXPECT_TRUE(file.read(0, spec.size.y, values.data())) << file.problem();
        return values;
    }
    std::vector<std::uint8_t> bytes(values.size());
    const int middle = spec.size.y / 2; // in two parts
    EXPECT_TRUE(file.readBytes(0, middle, bytes.data())) << file.problem();
    EXPECT_TRUE(file.readBytes(middle, spec.size.y,
                               bytes.data() + static_cast<std::size_t>(middle) * bytes.size() / spec.size.y))
        << file.problem();
    return {bytes.begin(), bytes.end()};
}

struct Case {
    const char *name, *ffmpeg; ///< how a coloured test picture becomes this one
    bool quick;                ///< not left to the plugin
};
const Case cases[] = {
    {"rgb.png", "-pix_fmt rgb24", true},
    {"rgba.png", "-vf format=rgba,geq=r='X':g='Y':b='X+Y':a='X*Y-256*floor(X*Y/256)' -pix_fmt rgba", true},
    {"grey.png", "-pix_fmt gray", true},
    {"greya.png", "-vf format=rgba,geq=r='X':g='X':b='X':a='Y*2' -pix_fmt ya8", true},
    {"palette.png", "-pix_fmt pal8", true},
    {"one.png", "-pix_fmt monob", true},
    {"deep.png", "-pix_fmt rgb48be", true},
    {"deepa.png", "-pix_fmt rgba64be", true},
    {"deepgrey.png", "-pix_fmt gray16be", true},
    {"420.jpg", "-pix_fmt yuvj420p", true},
    {"444.jpg", "-pix_fmt yuvj444p", true},
    {"grey.jpg", "-pix_fmt gray", true},
    {"opaque.webp", "-pix_fmt yuv420p -c:v libwebp", true},
    {"a.tif", "-pix_fmt rgb24", false},
};

class CommonFiles : public testing::TestWithParam<Case> {};
TEST_P(CommonFiles, AreReadAsByOpenImageIO) {
    const TempDir dir;
    const std::string path = (dir / GetParam().name).string();
    const auto made = test::run(std::string("ffmpeg -v error -y -f lavfi -i testsrc2=s=131x77 -frames:v 1 ") +
                                GetParam().ffmpeg + " " + path);
    ASSERT_EQ(made.code, 0) << made.printed;
    const std::string bytes = test::readAll(path);
    const auto quick = openQuickly(bytes);
    ASSERT_EQ(quick != nullptr, GetParam().quick);
    if (!quick) return;
    const auto plugin = pluginOf<PictureFiles>("picture_files");
    ASSERT_TRUE(plugin) << plugin.error().sentence;
    std::string problem;
    const auto slow = (*plugin)->open(path, nullptr, problem);
    ASSERT_TRUE(slow) << problem;
    const auto a = quick->spec(), b = slow->spec();
    EXPECT_EQ(a.size, b.size);
    EXPECT_EQ(a.isByte, b.isByte);
    EXPECT_EQ(a.alpha, b.alpha);
    EXPECT_EQ(a.channels.size(), b.channels.size());
    EXPECT_EQ(a.orientation, b.orientation);
    const auto mine = valuesOf(*quick), theirs = valuesOf(*slow);
    ASSERT_EQ(mine.size(), theirs.size());
    for (std::size_t i = 0; i < mine.size(); ++i)
        ASSERT_NEAR(mine[i], theirs[i], 1e-7) << i; // a 65535th is not the same as its inverse
}
INSTANTIATE_TEST_SUITE_P(All, CommonFiles, testing::ValuesIn(cases), [](const auto& each) {
    std::string name = each.param.name;
    std::replace(name.begin(), name.end(), '.', '_');
    return "p" + name;
});

/// OpenImageIO multiplies WebP's colours by alpha in eight bits, so this is held against what was painted.
TEST(CommonPictures, WebpKeepsItsColoursWhereItIsThin) {
    const TempDir dir;
    const std::string path = (dir / "a.webp").string();
    const auto made =
        test::run("ffmpeg -v error -y -f lavfi -i color=black:s=64x64,format=rgba,geq=r='X*4':g='Y*4':"
                  "b='200':a='1+X' -frames:v 1 -c:v libwebp -lossless 1 -pix_fmt bgra " +
                  path);
    ASSERT_EQ(made.code, 0) << made.printed;
    const auto read = readStill(std::filesystem::path(path));
    ASSERT_TRUE(read) << read.error().sentence;
    for (const V2i& at : {V2i(0, 0), V2i(3, 60), V2i(40, 9), V2i(63, 63)}) {
        const Imath::half* rgba = read->row(at.y) + 4 * at.x;
        const float alpha = static_cast<float>(1 + at.x) / 255.f;
        EXPECT_NEAR(float(rgba[3]), alpha, 1e-4);
        const int painted[3] = {4 * at.x, 4 * at.y, 200};
        for (int c = 0; c < 3; ++c)
            EXPECT_NEAR(float(rgba[c]), linearFromSrgb(static_cast<float>(painted[c]) / 255.f) * alpha, 2e-4)
                << at << c;
    }
}

TEST(CommonPictures, TurnedJpegsSayHow) {
    const TempDir dir;
    for (int orientation = 1; orientation <= 8; ++orientation) {
        test::writePicture(
            dir / "a.jpg", {30, 20},
            [](int x, int) {
                return test::Rgba8{8 * x, 0, 0, 255};
            },
            orientation);
        const std::string bytes = test::readAll(dir / "a.jpg");
        const auto file = openJpeg(bytes);
        ASSERT_TRUE(file);
        EXPECT_EQ(file->spec().orientation, orientation);
    }
}

TEST(CommonPictures, WhatIsLeftToThePlugin) {
    const TempDir dir;
    const auto left = [&](const std::string& name, const std::string& how) {
        const auto made =
            test::run("oiiotool --create 40x30 3 --addc 0.2,0.5,0.7 " + how + " -o " + (dir / name).string());
        EXPECT_EQ(made.code, 0) << made.printed;
        return openQuickly(test::readAll(dir / name)) == nullptr;
    };
    EXPECT_FALSE(left("plain.png", ""));
    EXPECT_TRUE(left("linear.png", "--attrib oiio:Gamma 1.0 --attrib oiio:ColorSpace linear"));
}

/// Cut off anywhere: a sentence, never a crash, and of the file itself nothing is believed that is not there.
TEST(CommonPictures, BrokenOnesGiveASentence) {
    const TempDir dir;
    for (const char* name : {"a.png", "a.jpg", "a.webp"}) {
        test::writePicture(dir / "a.png", {90, 60}, [](int x, int y) {
            return test::Rgba8{2 * x, 3 * y, x ^ y, 255};
        });
        if (std::string(name) != "a.png") {
            const auto made = test::run("ffmpeg -v error -y -i " + (dir / "a.png").string() +
                                        " -frames:v 1 " + (dir / name).string());
            ASSERT_EQ(made.code, 0) << made.printed;
        }
        const std::string whole = test::readAll(dir / name);
        for (std::size_t length = 0; length < whole.size(); length += 1 + whole.size() / 40) {
            test::writeAll(dir / "cut", whole.substr(0, length));
            const auto read = readStill(dir / "cut");
            if (!read) {
                EXPECT_TRUE(read.error().sentence.starts_with("Cannot read ")) << read.error().sentence;
            } else {
                ASSERT_EQ(read->size, V2i(90, 60));
                if (std::string(name) != "a.jpg") { // which shows what came
                    EXPECT_EQ(read->rgba, readStill(dir / name)->rgba) << "all of it is there";
                }
            }
        }
    }
}

TEST(Plugins, AMissingOneIsASentence) {
    const auto plugin = loadedPlugin("nothing");
    ASSERT_FALSE(plugin);
    EXPECT_TRUE(plugin.error().sentence.starts_with("A part of the program, 'nothing', cannot be loaded ("));
}

}
}
