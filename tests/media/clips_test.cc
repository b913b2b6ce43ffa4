// Frames of clips: their colours against FFmpeg's own conversion, a box at a time, in any order, ahead.
#include "media/clips.h"
#include "media/pyramid.h"
#include "media/shown_frame.h"
#include "support/support.h"

#include <array>
#include <cmath>
#include <gtest/gtest.h>
#include <thread>

namespace stage::media {
namespace {

using test::TempDir;

/// Smooth in brightness and colour, so that it does not matter how chroma is interpolated.
std::string smooth(V2i size, int frames) {
    const std::string s = std::to_string(size.x) + 'x' + std::to_string(size.y);
    return "ffmpeg -v error -y -f lavfi -i \"gradients=s=" + s +
           ":c0=0x204060:c1=0xe0b080:nb_colors=2:x0=0:y0=0:x1=" + std::to_string(size.x) +
           ":y1=" + std::to_string(size.y) + ":speed=0.02:seed=5:r=24:d=" + std::to_string(frames / 24.0) +
           "\" ";
}

/// How values are kept; the formulas are those of ITU-R BT.601 and BT.709.
struct Format {
    const char *name, *encode, *pixels;
    V2i size;
    int bits = 8;
    V2i chroma{1, 1}; ///< pixels to a sample, across and down
    double kr = 0.2126, kb = 0.0722;
    bool full = false;
    double right = 0; ///< where samples are from the left one of their pixels, px
};
void PrintTo(const Format& format, std::ostream* out) {
    *out << format.name;
}
const Format formats[] = {
    {"4:2:0, 8 bit, BT.601",
     "-vf scale=out_color_matrix=bt601 -colorspace smpte170m",
     "yuv420p",
     {640, 360},
     8,
     {2, 2},
     0.299,
     0.114},
    {"4:2:0, 8 bit, BT.709",
     "-vf scale=out_color_matrix=bt709 -colorspace bt709",
     "yuv420p",
     {320, 720},
     8,
     {2, 2}},
    {"4:2:2, 10 bit",
     "-vf scale=out_color_matrix=bt709 -colorspace bt709",
     "yuv422p10le",
     {640, 360},
     10,
     {2, 1}},
    {"4:4:4, 12 bit", "-vf scale=out_color_matrix=bt709 -colorspace bt709", "yuv444p12le", {300, 202}, 12},
    {"full range",
     "-vf scale=out_color_matrix=bt709:out_range=pc -color_range pc -colorspace bt709",
     "yuv444p",
     {640, 360},
     8,
     {1, 1},
     0.2126,
     0.0722,
     true},
    {"4:2:0, 10 bit",
     "-vf scale=out_color_matrix=bt2020 -colorspace bt2020nc",
     "yuv420p10le",
     {640, 360},
     10,
     {2, 2},
     0.2627,
     0.0593},
    {"4:2:0, full range, samples in the middle",
     "-vf scale=out_color_matrix=bt709:out_range=pc -color_range pc -colorspace bt709",
     "yuv420p",
     {322, 186},
     8,
     {2, 2},
     0.2126,
     0.0722,
     true,
     0.5},
    {"odd size", "-vf scale=out_color_matrix=bt709 -colorspace bt709", "yuv444p", {333, 201}}};

/// One frame's values 0..1 of brightness and -0.5..0.5 of colour difference, as they are in the stream.
class Raw {
public:
    Raw(const std::string& bytes, const Format& format) : m_bytes(bytes), m_format(format) {}
    double at(int plane, int x, int y) const {
        const V2i size = plane == 0
                             ? m_format.size
                             : V2i(m_format.size.x / m_format.chroma.x, m_format.size.y / m_format.chroma.y);
        x = std::clamp(x, 0, size.x - 1), y = std::clamp(y, 0, size.y - 1);
        const V2i chroma(m_format.size.x / m_format.chroma.x, m_format.size.y / m_format.chroma.y);
        std::size_t i = plane == 0 ? 0 : static_cast<std::size_t>(m_format.size.x) * m_format.size.y;
        if (plane == 2) i += static_cast<std::size_t>(chroma.x) * chroma.y;
        i += static_cast<std::size_t>(y) * size.x + static_cast<std::size_t>(x);
        const auto byte = [&](std::size_t k) { return static_cast<unsigned char>(m_bytes.at(k)); };
        const double value = m_format.bits > 8 ? byte(2 * i) + 256 * byte(2 * i + 1) : byte(i);
        const double one = 1 << (m_format.bits - 8);
        if (m_format.full)
            return plane == 0 ? value / (256 * one - 1) : (value - 128 * one) / (256 * one - 1);
        return plane == 0 ? (value / one - 16) / 219 : (value / one - 128) / 224;
    }
    /// Colour difference at a pixel; samples are halfway down the pixels that they are for.
    double chroma(int plane, int x, int y) const {
        const double u = (x - m_format.right) / m_format.chroma.x, v = (y + 0.5) / m_format.chroma.y - 0.5;
        const int i = static_cast<int>(std::floor(u)), j = static_cast<int>(std::floor(v));
        const double f = u - i, g = v - j;
        return (1 - g) * ((1 - f) * at(plane, i, j) + f * at(plane, i + 1, j)) +
               g * ((1 - f) * at(plane, i, j + 1) + f * at(plane, i + 1, j + 1));
    }

private:
    std::string m_bytes;
    Format m_format;
};

/// Most and mean distance of two pictures' colours as encoded, of 255.
struct Distance {
    double most = 0, mean = 0;
};
template <class Encoded> Distance distance(const Raster& raster, const Encoded& encoded) {
    Distance d;
    for (int y = 0; y < raster.size.y; ++y)
        for (int x = 0; x < raster.size.x; ++x) {
            const std::array<double, 3> wanted = encoded(x, y);
            for (int c = 0; c < 3; ++c) {
                const double off = 255 * std::abs(srgbFromLinear(raster.row(y)[4 * x + c]) -
                                                  wanted[static_cast<std::size_t>(c)]);
                d.most = std::max(d.most, off);
                d.mean += off / 3 / raster.size.x / raster.size.y;
            }
            EXPECT_EQ(float(raster.row(y)[4 * x + 3]), 1.f);
        }
    return d;
}

class ColoursOfClips : public testing::TestWithParam<Format> {};

TEST_P(ColoursOfClips, AreThoseOfTheFormulasInEveryBox) {
    const Format& format = GetParam();
    const TempDir dir;
    test::make(smooth(format.size, 3) + "-c:v ffv1 " + format.encode + " -pix_fmt " + format.pixels + ' ' +
               (dir / "a.mkv").string());
    test::make("ffmpeg -v error -y -i " + (dir / "a.mkv").string() +
               " -vf \"select='eq(n,1)'\" -vsync 0 -f rawvideo -pix_fmt " + format.pixels + ' ' +
               (dir / "a.raw").string());
    const Raw raw(test::readAll(dir / "a.raw"), format);
    auto reader = FootageReader::open(dir / "a.mkv");
    ASSERT_TRUE(reader) << reader.error().sentence;
    const auto frame = (*reader)->frame(1);
    ASSERT_TRUE(frame);
    const auto whole = (*frame)->pixels(0, boxOf((*frame)->size()));
    ASSERT_TRUE(whole);
    ASSERT_EQ(whole->size, format.size);
    const Distance off = distance(*whole, [&](int x, int y) {
        const double l = raw.at(0, x, y), b = raw.chroma(1, x, y), r = raw.chroma(2, x, y);
        const double red = l + 2 * (1 - format.kr) * r, blue = l + 2 * (1 - format.kb) * b;
        return std::array{red, (l - format.kr * red - format.kb * blue) / (1 - format.kr - format.kb), blue};
    });
    // Half floats have 11 bits; the rest is in how chroma runs between its samples.
    EXPECT_LT(off.most, format.chroma == V2i(1, 1) ? 0.1 : 1.2);
    EXPECT_LT(off.mean, format.chroma == V2i(1, 1) ? 0.05 : 0.1);
    // Boxes that begin anywhere are the same pixels.
    const V2i size = whole->size;
    for (const Box& box :
         {Box{0, 0, 64, 64}, Box{61, 33, 190, 97}, Box{size.x - 65, size.y - 31, size.x, size.y}}) {
        const auto part = (*frame)->pixels(0, box);
        ASSERT_TRUE(part);
        float most = 0;
        for (int y = box.y0; y < box.y1; ++y)
            for (int i = 0; i < 4 * box.size().x; ++i)
                most = std::max(
                    most, std::abs(float(part->row(y - box.y0)[i]) - float(whole->row(y)[4 * box.x0 + i])));
        EXPECT_LT(most, 1e-3f) << box.x0;
    }
    // The next level is the mean of each four in light; beyond the border is what is at it.
    const V2i half = levelSize(size, 1);
    for (const Box& box : {boxOf(half), Box{61, 33, 97, 60}, Box{half.x - 35, half.y - 31, half.x, half.y}}) {
        const auto part = (*frame)->pixels(1, box);
        ASSERT_TRUE(part);
        ASSERT_EQ(part->size, box.size());
        float most = 0;
        for (int y = box.y0; y < box.y1; ++y)
            for (int x = box.x0; x < box.x1; ++x)
                for (int c = 0; c < 4; ++c) {
                    const auto at = [&](int right, int down) {
                        return float(whole->row(
                            std::min(2 * y + down, size.y - 1))[4 * std::min(2 * x + right, size.x - 1) + c]);
                    };
                    const float mean = (at(0, 0) + at(1, 0) + at(0, 1) + at(1, 1)) / 4;
                    most =
                        std::max(most, std::abs(float(part->row(y - box.y0)[4 * (x - box.x0) + c]) - mean));
                }
        EXPECT_LT(most, 1e-3f) << box.x0; // halfs below 1 are as far apart as 0.5e-3
    }
}

TEST(ColoursOfClips, ThatAreNotYuvOrOfOddSizeAreFfmpegs) {
    for (const char* pixels : {"gbrp", "bgr0", "rgb24", "yuv420p"}) {
        const TempDir dir;
        const V2i size(333, 201);
        test::make(smooth(size, 3) + "-c:v " + (std::string(pixels) == "rgb24" ? "png" : "ffv1") +
                   " -pix_fmt " + pixels + ' ' + (dir / "a.mkv").string());
        test::make(
            "ffmpeg -v error -y -i " + (dir / "a.mkv").string() +
            " -sws_flags bicubic+accurate_rnd+full_chroma_int+full_chroma_inp -vf \"select='eq(n,1)'\" "
            "-vsync 0 "
            "-f rawvideo -pix_fmt rgb24 " +
            (dir / "a.raw").string());
        const std::string raw = test::readAll(dir / "a.raw");
        auto reader = FootageReader::open(dir / "a.mkv");
        ASSERT_TRUE(reader) << reader.error().sentence;
        const auto raster = shownFrame(**reader, 1);
        ASSERT_TRUE(raster);
        const Distance off = distance(*raster, [&](int x, int y) {
            std::array<double, 3> rgb{};
            for (std::size_t c = 0; c < 3; ++c)
                rgb[c] =
                    static_cast<unsigned char>(raw.at(3 * static_cast<std::size_t>(y * size.x + x) + c)) /
                    255.0;
            return rgb;
        });
        EXPECT_LT(off.most, std::string(pixels) == "yuv420p" ? 2 : 0.1) << pixels;
    }
}

INSTANTIATE_TEST_SUITE_P(Formats, ColoursOfClips, testing::ValuesIn(formats));

/// A clip of 48 greys, one more in each frame, with few key frames.
std::filesystem::path greys(const TempDir& dir) {
    std::string raw;
    for (int n = 0; n < 48; ++n)
        raw.append(96 * 64, static_cast<char>(40 + 4 * n));
    test::writeAll(dir / "raw", raw);
    test::make("ffmpeg -v error -y -f rawvideo -pix_fmt gray -s 96x64 -r 24 -i " + (dir / "raw").string() +
               " -c:v libx264 -g 24 -bf 3 -pix_fmt yuvj420p -crf 1 " + (dir / "greys.mp4").string());
    return dir / "greys.mp4";
}
int greyOf(const Result<ClipFramePtr>& frame) {
    const auto pixels = frame ? (*frame)->pixels(0, {40, 30, 41, 31}) : Result<Raster>(fail(""));
    return pixels ? static_cast<int>(std::lround((srgbFromLinear(pixels->rgba[1]) * 255 - 40) / 4)) : -1;
}

TEST(Clips, AreExactInEveryDirectionWithLittleMemory) {
    const TempDir dir;
    const auto path = greys(dir).string();
    for (const std::size_t budget : {std::size_t{20'000}, std::size_t{200'000}, std::size_t{1} << 26}) {
        Clips clips(budget);
        for (int n = 0; n < 48; ++n)
            ASSERT_EQ(greyOf(clips.frame(path, n)), n) << budget;
        for (int n = 47; n >= 0; --n)
            ASSERT_EQ(greyOf(clips.frame(path, n)), n) << budget;
        for (int n = 0; n < 48; n += 2)
            ASSERT_EQ(greyOf(clips.frame(path, n)), n) << budget;
        for (int i = 0; i < 40; ++i)
            ASSERT_EQ(greyOf(clips.frame(path, i * 29 % 48)), i * 29 % 48) << budget;
    }
}

TEST(Clips, GiveSeveralThreadsTheirFrames) {
    const TempDir dir;
    const auto path = greys(dir).string();
    Clips clips(std::size_t{1} << 22);
    std::atomic<int> wrong = 0;
    {
        std::vector<std::jthread> threads;
        for (int t = 0; t < 4; ++t)
            threads.emplace_back([&, t] {
                for (int i = 0; i < 96; ++i) {
                    const int n = t == 0 ? i % 48 : t == 1 ? 47 - i % 48 : (i * 31 + t * 7) % 48;
                    wrong += greyOf(clips.frame(path, n)) != n;
                    if (i % 16 == 0) clips.setBudget(std::size_t{1} << (14 + (i / 16 + t) % 8));
                }
            });
    }
    EXPECT_EQ(wrong, 0);
}

TEST(Clips, ThatAreNotThereSaySo) {
    Clips clips(1 << 20);
    const auto frame = clips.frame("/nowhere/a.mp4", 3);
    ASSERT_FALSE(frame);
    EXPECT_NE(frame.error().sentence.find("/nowhere/a.mp4"), std::string::npos);
}

TEST(InterlacedFootage, KeepsWhatStandsStillSharp) {
    const TempDir dir;
    // Still lines, one pixel high: a field alone has lost half of them.
    test::make(
        "ffmpeg -v error -y -f lavfi -i "
        "\"color=black:s=128x64:r=48:d=0.5,format=gray,geq=lum='if(eq(mod(Y,4),0),"
        "220,30)'\" -vf tinterlace=interleave_top -flags +ildct+ilme -field_order tt -c:v ffv1 -pix_fmt "
        "yuv420p " +
        (dir / "still.mkv").string());
    auto reader = FootageReader::open(dir / "still.mkv");
    ASSERT_TRUE(reader) << reader.error().sentence;
    ASSERT_TRUE((*reader)->info().interlaced);
    for (const int n : {5, 0, 11}) {
        const auto raster = shownFrame(**reader, n);
        ASSERT_TRUE(raster) << raster.error().sentence;
        for (int y = 8; y < 56; ++y)
            EXPECT_NEAR(255 * srgbFromLinear(raster->row(y)[4 * 60 + 1]), y % 4 == 0 ? 236 : 16, 24)
                << n << ' ' << y;
    }
}

}
}
