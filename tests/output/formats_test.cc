// Each format, read back by other programs: a ramp through the whole chain, alpha, tags, sizes.
#include "output/sink.h"
#include "stage.h"

#include <OpenImageIO/imageio.h>
#include <cmath>
#include <gtest/gtest.h>
#include <random>
#include <webp/demux.h>

namespace stage::output {
namespace {

using test::TempDir;

/// Grey from black to white from left to right, then red, green and blue alike; alpha goes up from top to
/// bottom where it counts. The values as shown, 0..1.
constexpr V2i rampSize(256, 64);
V3d shownAt(int x, int y) {
    const double v = x / 255.0;
    const int band = y / 16;
    return band == 0 ? V3d(v) : V3d(band == 1 ? v : 0.25, band == 2 ? v : 0.25, band == 3 ? v : 0.25);
}
double alphaAt(int x) {
    return 0.25 + 0.75 * (x / 8 % 4) / 3;
}
double light(double shown) {
    return shown <= 0.04045 ? shown / 12.92 : std::pow((shown + 0.055) / 1.055, 2.4);
}

render::Image ramp(bool alpha) {
    render::Image picture(rampSize);
    for (int y = 0; y < rampSize.y; ++y)
        for (int x = 0; x < rampSize.x; ++x) {
            const double a = alpha ? alphaAt(x) : 1;
            float* p = picture.row(y) + 4 * x;
            for (int c = 0; c < 3; ++c)
                p[c] = static_cast<float>(light(shownAt(x, y)[c]) * a);
            p[3] = static_cast<float>(a);
        }
    return picture;
}

/// A movie or a picture of so many ramps.
void writeRamps(const TempDir& dir, const std::string& name, Format format, Encoding encoding, bool alpha,
                int count) {
    auto sink = openSink({dir / name, format, encoding, rampSize, Rational(24), alpha, count});
    ASSERT_TRUE(sink) << sink.error().sentence;
    const Pixels pixels = pixelsOf(ramp(alpha), pixelBits(format, encoding), !alpha);
    for (bool again = true; again;) {
        for (int i = 0; i < count; ++i)
            ASSERT_TRUE((*sink)->add(i, pixels));
        const auto ended = (*sink)->endPass();
        ASSERT_TRUE(ended) << ended.error().sentence;
        again = *ended;
    }
}

/// Differences from what should be shown, in whites; beside the borders of bands, whose colours bleed where
/// they are of half the places only.
struct Off {
    double mean = 0, most = 0, alpha = 0;
    double grey = 0; ///< of all greys together, with its sign: a wrong curve, matrix or range
};
template <class At> Off offOf(const At& at, bool alpha) {
    Off off;
    for (int y = 0; y < rampSize.y; ++y)
        for (int x = 0; x < rampSize.x; ++x) {
            for (int c = 0; c < 3; ++c) {
                if (y % 16 < 3 || y % 16 > 12) continue;
                const double by = at(x, y, c) - shownAt(x, y)[c];
                off.mean += std::abs(by) / (3.0 * rampSize.x * 40);
                off.most = std::max(off.most, std::abs(by));
                if (y < 16) off.grey += by / (3.0 * rampSize.x * 10);
            }
            if (alpha) off.alpha = std::max(off.alpha, std::abs(at(x, y, 3) - alphaAt(x)));
        }
    return off;
}
Off offOfMovie(const std::vector<double>& values, bool alpha) {
    return offOf(
        [&](int x, int y, int c) { return values[(static_cast<std::size_t>(y) * rampSize.x + x) * 4 + c]; },
        alpha);
}
Off offOfMovie(const std::vector<std::uint16_t>& values, bool alpha) {
    std::vector<double> shares(values.begin(), values.end());
    for (double& v : shares)
        v /= 65535;
    return offOfMovie(shares, alpha);
}

struct Movie {
    const char* name;
    Format format;
    Encoding encoding;
    bool alpha;
    const char *codec, *pixels; ///< what ffprobe calls them
    double mean, most;          ///< how far they may be off, in steps of 8 bits
    const char* decoder = "";
};

TEST(Formats, MoviesHoldTheRampAndAreTagged) {
    const TempDir dir;
    Encoding ten, eight, sixteen;
    ten.bits = 10, eight.bits = 8, sixteen.bits = 16;
    for (const Movie& m :
         std::vector<Movie>{{"a.mp4", Format::H264, {}, false, "h264", "yuv420p", 1.2, 6},
                            {"b.mp4", Format::H265, {}, false, "hevc", "yuv420p", 1.5, 10},
                            {"c.mov", Format::H265, ten, false, "hevc", "yuv420p10le", 1.2, 8},
                            {"d.webm", Format::Vp9, {}, false, "vp9", "yuv420p", 1.5, 12},
                            {"e.webm", Format::Vp9, {}, true, "vp9", "yuva420p", 2.5, 40, "-c:v libvpx-vp9"},
                            {"f.mp4", Format::Av1, {}, false, "av1", "yuv420p10le", 1.2, 10},
                            {"g.webm", Format::Av1, eight, false, "av1", "yuv420p", 1.5, 10},
                            {"h.mov", Format::Intermediate, {}, true, "prores", "yuva444p", 0.8, 6},
                            {"i.mov", Format::Intermediate, {}, false, "prores", "yuv444p", 0.8, 6}}) {
        writeRamps(dir, m.name, m.format, m.encoding, m.alpha, 4);
        const Probed p = probe(dir / m.name);
        EXPECT_EQ(p.codec, m.codec) << m.name;
        if (!*m.decoder) {
            EXPECT_TRUE(p.pixels.starts_with(m.pixels)) << m.name << ": " << p.pixels;
        }
        EXPECT_EQ(p.width, rampSize.x) << m.name;
        EXPECT_EQ(p.height, rampSize.y) << m.name;
        EXPECT_EQ(p.rate, "24/1") << m.name;
        EXPECT_EQ(p.frames, 4) << m.name;
        EXPECT_EQ(p.space, "bt709") << m.name;
        EXPECT_EQ(p.transfer, "bt709") << m.name;
        EXPECT_EQ(p.primaries, "bt709") << m.name;
        const Off off = offOfMovie(
            decodedYuv(dir / m.name, rampSize, 1, *m.decoder ? m.pixels : p.pixels, m.decoder), m.alpha);
        EXPECT_LT(off.mean * 255, m.mean) << m.name;
        EXPECT_LT(std::abs(off.grey) * 255, 0.25) << m.name;
        EXPECT_LT(off.most * 255, m.most) << m.name;
        EXPECT_LT(off.alpha * 255, 3) << m.name;
    }
}

TEST(Formats, LosslessMoviesHoldItToTheBit) {
    const TempDir dir;
    for (const int bits : {8, 16})
        for (const bool alpha : {false, true}) {
            Encoding encoding;
            encoding.bits = bits;
            const std::string name = std::to_string(bits) + (alpha ? "a.mkv" : ".mkv");
            writeRamps(dir, name, Format::Ffv1, encoding, alpha, 2);
            const Pixels pixels = pixelsOf(ramp(alpha), bits, !alpha);
            if (bits == 8)
                EXPECT_EQ(decodedBytes(dir / name, rampSize, 1), plain(std::get<0>(pixels.rgba))) << name;
            else
                EXPECT_EQ(decoded(dir / name, rampSize, 1), plain(std::get<1>(pixels.rgba))) << name;
            if (bits == 16) {
                EXPECT_LT(offOfMovie(decoded(dir / name, rampSize, 1), alpha).most * 65535, 1.03) << name;
            }
        }
}

TEST(Formats, AnimatedWebPHoldsFramesTimesAndAlpha) {
    const TempDir dir;
    const auto read = [&](const char* name, WebPAnimInfo& info, const auto& first) {
        const std::string bytes = test::readAll(dir / name);
        const WebPData data{reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()};
        WebPAnimDecoder* decoder = WebPAnimDecoderNew(&data, nullptr);
        EXPECT_TRUE(decoder && WebPAnimDecoderGetInfo(decoder, &info)) << name;
        std::uint8_t* picture = nullptr;
        int time = 0;
        EXPECT_TRUE(WebPAnimDecoderGetNext(decoder, &picture, &time));
        first(picture);
        while (WebPAnimDecoderHasMoreFrames(decoder))
            EXPECT_TRUE(WebPAnimDecoderGetNext(decoder, &picture, &time));
        WebPAnimDecoderDelete(decoder);
        return time;
    };
    WebPAnimInfo info;
    media::PixelCache sources;
    ASSERT_TRUE(write(scrolling(dir, {64, 36}), {dir / "a.webp", Format::WebP, {64, 36}, 0, 11}, sources));
    const int time = read("a.webp", info, [](const std::uint8_t*) {});
    EXPECT_EQ(info.canvas_width, 64u);
    EXPECT_EQ(info.canvas_height, 36u);
    EXPECT_LE(info.frame_count, 12u); // what hardly changes goes on being shown
    EXPECT_GE(info.frame_count, 3u);
    EXPECT_EQ(info.loop_count, 0u) << "without an end";
    EXPECT_NEAR(time, 12 * 1000 / 24, 3);
    writeRamps(dir, "b.webp", Format::WebP, {}, true, 1);
    read("b.webp", info, [](const std::uint8_t* picture) {
        const Off off =
            offOf([&](int x, int y, int c) { return picture[(y * 256 + x) * 4 + c] / 255.0; }, true);
        EXPECT_LT(off.mean * 255, 3);
        EXPECT_LT(off.alpha * 255, 2);
    });
}

TEST(Formats, GifHasItsOwnPalette) {
    const TempDir dir;
    writeRamps(dir, "a.gif", Format::Gif, {}, false, 3);
    const Probed p = probe(dir / "a.gif");
    EXPECT_EQ(p.codec, "gif");
    EXPECT_EQ(p.width, 256);
    EXPECT_EQ(p.frames, 3);
    // A common palette of 6 x 6 x 6 would be off by 25 steps in the middle of its own.
    EXPECT_LT(offOfMovie(decoded(dir / "a.gif", rampSize, 1), false).mean * 255, 8);
}

/// What OpenImageIO says of a picture, as floats.
struct ReadPicture {
    OIIO::ImageSpec spec;
    std::vector<float> values;
    float at(int x, int y, int c) const {
        return values[(static_cast<std::size_t>(y) * spec.width + x) * spec.nchannels + c];
    }
};
ReadPicture readPicture(const std::filesystem::path& path) {
    ReadPicture read;
    OIIO::ImageSpec config;
    config["oiio:UnassociatedAlpha"] = 1;
    const auto file = OIIO::ImageInput::open(path.string(), &config);
    EXPECT_TRUE(file) << path;
    if (!file) return read;
    read.spec = file->spec();
    read.values.resize(static_cast<std::size_t>(read.spec.width) * read.spec.height * read.spec.nchannels);
    EXPECT_TRUE(file->read_image(0, 0, 0, -1, OIIO::TypeDesc::FLOAT, read.values.data()));
    return read;
}

TEST(Formats, PicturesHoldTheRampInTheirOwnBits) {
    const TempDir dir;
    struct Kind {
        const char* name;
        Format format;
        int bits;
        bool alpha;
        const char* type;
        double most; ///< steps of 8 bits
    };
    for (const Kind& k : std::vector<Kind>{{"a.png", Format::Png, 8, true, "uint8", 1.01},
                                           {"b.png", Format::Png, 16, true, "uint16", 0.01},
                                           {"c.png", Format::Png, 16, false, "uint16", 0.01},
                                           {"d.tif", Format::Tiff, 16, true, "uint16", 0.01},
                                           {"e.tif", Format::Tiff, 8, false, "uint8", 1.01},
                                           {"f.tif", Format::Tiff, 32, false, "float", 1e-3},
                                           {"g.exr", Format::Exr, 16, false, "half", 0.15},
                                           {"h.exr", Format::Exr, 32, false, "float", 1e-3},
                                           {"i.jpg", Format::Jpeg, 8, false, "uint8", 12}}) {
        Encoding encoding;
        encoding.bits = k.bits;
        writeRamps(dir, k.name, k.format, encoding, k.alpha, 1);
        const ReadPicture read = readPicture(dir / k.name);
        EXPECT_EQ(read.spec.format.c_str(), std::string(k.type)) << k.name;
        ASSERT_EQ(read.spec.nchannels, k.alpha ? 4 : 3) << k.name;
        const bool linear = k.type[0] == 'f' || k.type[0] == 'h';
        const Off off = offOf(
            [&](int x, int y, int c) {
                const double v = static_cast<double>(read.at(x, y, c));
                if (!linear || c == 3) return v;
                return v <= 0.0031308 ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055;
            },
            k.alpha);
        EXPECT_LT(off.most * 255, k.most) << k.name;
        EXPECT_LT(off.alpha * 255, 0.51) << k.name;
    }
    // Associated alpha is what OpenEXR wants, straight is what PNG and TIFF say that they have.
    writeRamps(dir, "j.exr", Format::Exr, {}, true, 1);
    const ReadPicture exr = readPicture(dir / "j.exr");
    EXPECT_EQ(exr.spec.get_int_attribute("oiio:UnassociatedAlpha"), 0);
    EXPECT_NEAR(exr.at(255, 8, 0), alphaAt(255), 1e-3);
    EXPECT_NEAR(exr.at(252 - 24, 8, 3), alphaAt(252 - 24), 1e-3);
    for (const char* compression : {"piz", "zips", "rle", "dwaa", "none"}) {
        Encoding encoding;
        encoding.compression = compression;
        writeRamps(dir, "k.exr", Format::Exr, encoding, false, 1);
        EXPECT_EQ(std::string(readPicture(dir / "k.exr").spec.get_string_attribute("compression"))
                      .find(compression),
                  0u);
    }
}

TEST(Formats, OddSizesGetAColumnAndARowMoreWhereTheyMust) {
    const TempDir dir;
    const auto scene = scrolling(dir, {64, 36});
    media::PixelCache sources;
    const Job odd{dir / "odd.mp4", Format::H264, {65, 37}, 0, 2};
    EXPECT_EQ(sizeNote(odd),
              "The last column and row are repeated: the file has 66 x 38 px, as its format takes even "
              "sizes only.");
    ASSERT_TRUE(write(scene, odd, sources));
    const Probed p = probe(dir / "odd.mp4");
    EXPECT_EQ(V2i(p.width, p.height), V2i(66, 38));
    EXPECT_EQ(p.pixels, "yuv420p");
    const auto values = decodedYuv(dir / "odd.mp4", {66, 38}, 0, "yuv420p");
    for (std::size_t y = 0; y < 38; ++y)
        EXPECT_NEAR(values[(y * 66 + 65) * 4 + 1], values[(y * 66 + 64) * 4 + 1], 0.03) << y;
    EXPECT_EQ(sizeNote({dir / "odd.mkv", Format::Ffv1, {65, 37}, 0, 2}), "");
    EXPECT_EQ(sizeNote({dir / "a.mp4", Format::H264, {64, 37}, 0, 2}).find("The last row is"), 0u);
}

TEST(Formats, ASizeIsAimedAt) {
    const TempDir dir;
    // Noise that moves, so that there is enough to hold.
    std::vector<Pixels> frames;
    unsigned state = 1;
    for (int n = 0; n < 24; ++n) {
        render::Samples<std::uint8_t> rgba(320 * 180 * 4);
        for (auto& v : rgba)
            v = static_cast<std::uint8_t>((state = state * 1664525u + 1013904223u) >> 26) + 96;
        frames.push_back({{320, 180}, std::move(rgba)});
    }
    for (const auto& [name, format] : {std::pair{"a.mp4", Format::H264}, std::pair{"b.mp4", Format::H265},
                                       std::pair{"c.webm", Format::Vp9}}) {
        Encoding encoding;
        encoding.megabytes = 0.4;
        auto sink = openSink({dir / name, format, encoding, {320, 180}, Rational(24), false, 24});
        ASSERT_TRUE(sink) << sink.error().sentence;
        EXPECT_EQ((*sink)->passes(), 2);
        for (bool again = true; again;) {
            for (int i = 0; i < 24; ++i)
                ASSERT_TRUE((*sink)->add(i, frames[static_cast<std::size_t>(i)])) << name;
            const auto ended = (*sink)->endPass();
            ASSERT_TRUE(ended) << name << ": " << ended.error().sentence;
            again = *ended;
        }
        const auto bytes = static_cast<double>(std::filesystem::file_size(dir / name));
        EXPECT_LE(bytes, 0.4e6 * 1.03) << name;
        EXPECT_GT(bytes, 0.4e6 * 0.8) << name;
        sink->reset();
    }
    EXPECT_EQ(filesIn(dir.path()), 3u) << "statistics of the first pass are gone";
}

TEST(Formats, AreFoundBySuffixAndName) {
    EXPECT_EQ(formatOf("a.MP4"), Format::H264);
    EXPECT_EQ(formatOf("a.webm"), Format::Vp9);
    EXPECT_EQ(formatOf("a.tiff"), Format::Tiff);
    EXPECT_EQ(formatOf("a.xyz"), std::nullopt);
    for (const FormatInfo& info : formats()) {
        EXPECT_EQ(formatNamed(info.id), info.format);
        EXPECT_EQ(&infoOf(info.format), &info);
    }
    Encoding wrong;
    wrong.bits = 12;
    EXPECT_EQ(complaintAbout(Format::Png, wrong), "PNG pictures: 12 bits of a channel cannot be written.");
    wrong = {};
    wrong.rate = 60;
    EXPECT_NE(complaintAbout(Format::H264, wrong), "");
    EXPECT_NE(complaintAbout(Format::Ffv1, wrong), "");
    wrong.rate = std::nan("");
    EXPECT_NE(complaintAbout(Format::H264, wrong), "");
    wrong = {};
    wrong.megabytes = 3;
    EXPECT_EQ(complaintAbout(Format::H264, wrong), "");
    EXPECT_NE(complaintAbout(Format::Gif, wrong), "");
    wrong = {};
    wrong.compression = "zip";
    EXPECT_EQ(complaintAbout(Format::Exr, wrong), "");
    EXPECT_NE(complaintAbout(Format::Png, wrong), "");
}

/// Packed in several strips, of noise, which grows by being packed, beside what is all alike.
template <class Sample> void expectPngBack(V2i size, bool alpha) {
    Pixels pixels;
    pixels.size = size;
    render::Samples<Sample> rgba(static_cast<std::size_t>(size.x) * size.y * 4, Sample(0));
    std::mt19937 random(3);
    for (std::size_t i = 0; i < rgba.size(); ++i) {
        const std::size_t y = i / 4 / static_cast<std::size_t>(size.x);
        if (y % 400 < 250) rgba[i] = static_cast<Sample>(random());
        if (!alpha && i % 4 == 3) rgba[i] = static_cast<Sample>(~Sample(0));
    }
    pixels.rgba = rgba;
    const std::vector<char> file = pngFile(pixels, alpha);
    const TempDir dir;
    ASSERT_TRUE(writeBytes(dir / "a.png", file));
    OIIO::ImageSpec asIs; // not premultiplied
    asIs.attribute("oiio:UnassociatedAlpha", 1);
    const auto read = OIIO::ImageInput::open((dir / "a.png").string(), &asIs);
    ASSERT_TRUE(read) << OIIO::geterror();
    const auto channels = static_cast<std::size_t>(read->spec().nchannels);
    ASSERT_EQ(V2i(read->spec().width, read->spec().height), size);
    ASSERT_EQ(channels, alpha ? 4u : 3u);
    std::vector<Sample> back(static_cast<std::size_t>(size.x) * size.y * channels);
    const OIIO::TypeDesc type(sizeof(Sample) == 1 ? OIIO::TypeDesc::UINT8 : OIIO::TypeDesc::UINT16);
    ASSERT_TRUE(read->read_image(0, 0, 0, -1, type, back.data())) << read->geterror();
    std::size_t wrong = 0;
    for (std::size_t n = 0; n < back.size(); ++n)
        wrong += back[n] != rgba[n / channels * 4 + n % channels];
    EXPECT_EQ(wrong, 0u) << size << ' ' << channels;
}

TEST(Formats, PngComesBackHoweverManyStripsItIsPackedIn) {
    for (const bool alpha : {false, true})
        for (const V2i& size : {V2i(1, 1), V2i(1, 3000), V2i(1300, 900), V2i(70'000, 3)}) {
            expectPngBack<std::uint8_t>(size, alpha);
            expectPngBack<std::uint16_t>(size, alpha);
        }
}
}
}
