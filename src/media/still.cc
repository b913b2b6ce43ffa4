#include "media/still.h"

#include "scene/scene.h"

#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imagebuf.h>
#include <OpenImageIO/imagebufalgo.h>
#include <OpenImageIO/imageio.h>
#include <algorithm>
#include <cmath>
#include <oneapi/tbb/parallel_for.h>

namespace stage::media {
namespace {

constexpr std::int64_t mostPixels = 512ll << 20;

std::string reasonFrom(std::string message) {
    while (!message.empty() && (message.back() == '\n' || message.back() == '.' || message.back() == ' '))
        message.pop_back();
    std::replace(message.begin(), message.end(), '\n', ' ');
    return message.empty() ? "it is broken or of an unknown kind" : message;
}

struct Opened {
    std::unique_ptr<OIIO::Filesystem::IOMemReader> memory;
    std::unique_ptr<OIIO::ImageInput> input;
};

Result<Opened> open(const std::string& name, const std::string* bytes) {
    OIIO::ImageSpec config;
    config["oiio:UnassociatedAlpha"] = 1; // premultiplying is done here, after the curve is taken off
    Opened opened;
    if (bytes) {
        opened.memory =
            std::make_unique<OIIO::Filesystem::IOMemReader>(const_cast<char*>(bytes->data()), bytes->size());
        // Handed over in the configuration: readers take it from there and forget the argument of open().
        OIIO::Filesystem::IOProxy* proxy = opened.memory.get();
        config.attribute("oiio:ioproxy", OIIO::TypeDesc::PTR, &proxy);
        opened.input = OIIO::ImageInput::open(name, &config, proxy);
    } else {
        std::error_code code;
        if (!std::filesystem::exists(name, code)) return fail("Cannot read " + name + ": it does not exist.");
        if (std::filesystem::is_directory(name, code))
            return fail("Cannot read " + name + ": it is a folder.");
        if (std::filesystem::file_size(name, code) == 0)
            return fail("Cannot read " + name + ": it is empty.");
        opened.input = OIIO::ImageInput::open(name, &config);
    }
    if (!opened.input) return fail("Cannot read " + name + ": " + reasonFrom(OIIO::geterror()) + ".");
    const OIIO::ImageSpec& spec = opened.input->spec();
    if (spec.width < 1 || spec.height < 1 || spec.nchannels < 1 || spec.depth > 1)
        return fail("Cannot read " + name + ": it is not a flat picture.");
    if (spec.width > scene::Limits::pictureSide || spec.height > scene::Limits::pictureSide ||
        std::int64_t{spec.width} * spec.height > mostPixels)
        return fail("Cannot read " + name + ": " + std::to_string(spec.width) + " x " +
                    std::to_string(spec.height) + " pixels are too many.");
    return opened;
}

int orientationOf(const OIIO::ImageSpec& spec) {
    const int orientation = spec.get_int_attribute("Orientation", 1);
    return orientation >= 1 && orientation <= 8 ? orientation : 1;
}

/// Where each of R, G, B, A comes from; -1 for an alpha that is not there.
std::array<int, 4> channelsOf(const OIIO::ImageSpec& spec) {
    const int alpha = spec.alpha_channel;
    const int colours = spec.nchannels - (alpha >= 0 ? 1 : 0);
    if (colours < 3) return {0, 0, 0, alpha};
    const auto named = [&](const char* name, int fallback) {
        const int index = spec.channelindex(name);
        return index >= 0 ? index : fallback;
    };
    return {named("R", 0), named("G", 1), named("B", 2), alpha};
}

float finite(float v) {
    return std::isfinite(v) ? std::clamp(v, -65000.f, 65000.f) : 0.f;
}

void turnUpright(Level& level, int orientation) {
    if (orientation == 1) return;
    const V2i from = level.size;
    const bool swaps = orientation >= 5;
    Level out(swaps ? V2i(from.y, from.x) : from);
    for (int y = 0; y < out.size.y; ++y) {
        for (int x = 0; x < out.size.x; ++x) {
            int sx = swaps ? y : x, sy = swaps ? x : y;
            if (orientation == 2 || orientation == 3 || orientation == 7 || orientation == 8)
                sx = from.x - 1 - sx;
            if (orientation == 3 || orientation == 4 || orientation == 6 || orientation == 7)
                sy = from.y - 1 - sy;
            std::copy_n(level.row(sy) + 4 * sx, 4, out.row(y) + 4 * x);
        }
    }
    level = std::move(out);
}

Result<Level> read(const std::string& name, const std::string* bytes) {
    auto opened = open(name, bytes);
    if (!opened) return tl::unexpected(opened.error());
    OIIO::ImageInput& input = *opened->input;
    const OIIO::ImageSpec spec = input.spec();
    const bool isFloat = spec.format.is_floating_point();
    const std::string space = spec.get_string_attribute("oiio:ColorSpace");
    const bool encoded = isFloat ? space == "sRGB" : space != "linear" && space != "Linear";
    const bool associated = spec.get_int_attribute("oiio:UnassociatedAlpha", 0) == 0;
    const auto channel = channelsOf(spec);

    Level level(V2i(spec.width, spec.height));
    const std::vector<float>& curve = linearFromSrgb16();
    const auto n = static_cast<std::size_t>(spec.nchannels);
    const auto put = [&](int y, auto&& colour) {
        Imath::half* out = level.row(y);
        for (int x = 0; x < spec.width; ++x, out += 4)
            colour(static_cast<std::size_t>(x) * n, out);
    };
    // In strips, so that a large picture is never held a second time as floats.
    const int strip = std::max(1, spec.tile_height > 1 ? spec.tile_height : 64);
    std::vector<float> floats;
    for (int y0 = 0; y0 < spec.height; y0 += strip) {
        const int y1 = std::min(y0 + strip, spec.height);
        floats.resize(static_cast<std::size_t>(spec.width) * (y1 - y0) * n);
        const bool ok =
            spec.tile_width
                ? input.read_tiles(0, 0, spec.x, spec.x + spec.width, spec.y + y0, spec.y + y1, spec.z,
                                   spec.z + 1, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, floats.data())
                : input.read_scanlines(0, 0, spec.y + y0, spec.y + y1, spec.z, 0, spec.nchannels,
                                       OIIO::TypeDesc::FLOAT, floats.data());
        if (!ok) return fail("Cannot read " + name + ": " + reasonFrom(input.geterror()) + ".");
        oneapi::tbb::parallel_for(y0, y1, [&](int y) {
            const float* in = floats.data() + static_cast<std::size_t>(y - y0) * spec.width * n;
            put(y, [&](std::size_t at, Imath::half* out) {
                const float alpha =
                    channel[3] >= 0
                        ? std::clamp(finite(in[at + static_cast<std::size_t>(channel[3])]), 0.f, 1.f)
                        : 1.f;
                for (std::size_t c = 0; c < 3; ++c) {
                    float v = finite(in[at + static_cast<std::size_t>(channel[c])]);
                    if (encoded) {
                        if (associated && alpha > 0) v /= alpha;
                        v = !isFloat
                                ? curve[static_cast<std::size_t>(std::clamp(v, 0.f, 1.f) * 65535.f + 0.5f)]
                                : linearFromSrgb(v);
                        v *= alpha;
                    } else if (!associated) {
                        v *= alpha;
                    }
                    out[c] = v;
                }
                out[3] = alpha;
            });
        });
    }
    turnUpright(level, orientationOf(spec));
    return level;
}

Result<StillInfo> probe(const std::string& name, const std::string* bytes) {
    const auto opened = open(name, bytes);
    if (!opened) return tl::unexpected(opened.error());
    const OIIO::ImageSpec& spec = opened->input->spec();
    V2i size(spec.width, spec.height);
    if (orientationOf(spec) >= 5) std::swap(size.x, size.y);
    return StillInfo{size};
}

}

Result<StillInfo> probeStill(const std::filesystem::path& path) {
    return probe(path.string(), nullptr);
}
Result<StillInfo> probeStill(const std::string& bytes, const std::string& name) {
    return probe(name, &bytes);
}
Result<Level> readStill(const std::filesystem::path& path) {
    return read(path.string(), nullptr);
}
Result<Level> readStill(const std::string& bytes, const std::string& name) {
    return read(name, &bytes);
}

}
