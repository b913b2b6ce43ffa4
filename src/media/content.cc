#include "media/content.h"

#include "media/drawing.h"
#include "media/file_state.h"
#include "media/open_raster.h"
#include "media/still.h"
#include "media/text_picture.h"
#include "scene/cutout_json.h"

#include <array>
#include <cmath>
#include <map>
#include <mutex>
#include <optional>

namespace stage::media {
namespace {

/// Above this a still is laid out on disk instead of being kept as a whole.
constexpr std::int64_t wholePixels = 48ll << 20;
/// Bytes of one file of an archive.
constexpr std::size_t mostMember = 1u << 30;

/// A part that is a file of an archive.
bool inArchive(const std::string& part) {
    return !part.empty() && part.front() != '#';
}

/// What a file, or a file of an archive, says of itself, asked once: a source is made for every layer of
/// every frame. Nothing: no still.
std::optional<StillInfo> stillInfo(const std::string& path, const std::string& part = {}) {
    static std::mutex lock;
    static std::map<std::string, std::optional<StillInfo>> known;
    const std::string member = inArchive(part) ? part : std::string();
    const std::string key = fileState(path) + member;
    std::lock_guard guard(lock);
    if (const auto found = known.find(key); found != known.end()) return found->second;
    if (known.size() >= 1000) known.clear();
    const auto probed = [&]() -> Result<StillInfo> {
        if (member.empty()) return probeStill(std::filesystem::path(path));
        const auto bytes = readMember(path, member, mostMember);
        if (!bytes) return tl::unexpected(bytes.error());
        return probeStill(*bytes, member);
    }();
    return known[key] = probed ? std::optional(*probed) : std::nullopt;
}

bool isDrawing(const std::string& path) {
    std::string suffix = std::filesystem::path(path).extension().string();
    for (char& c : suffix)
        c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return suffix == ".svg" || suffix == ".svgz";
}

Result<void> checkSize(V2i now, V2i size, const std::string& name) {
    if (now == size) return {};
    return fail("Cannot show " + name + ": it has changed to " + std::to_string(now.x) + " x " +
                std::to_string(now.y) + " pixels, but was " + std::to_string(size.x) + " x " +
                std::to_string(size.y) + " when it was brought in.");
}

Result<Raster> ofSize(Result<Raster> raster, V2i size, const std::string& name) {
    if (!raster) return raster;
    if (auto same = checkSize(raster->size, size, name); !same) return tl::unexpected(same.error());
    return raster;
}

class StillSource : public PixelSource {
public:
    StillSource(std::string path, std::string part, V2i size)
        : PixelSource(fileState(path) + part, size, Granularity::Whole), m_path(std::move(path)),
          m_part(std::move(part)) {}

    Result<Raster> compute(int, const Box&, PixelCache&, const Progress& progress) const override {
        if (!inArchive(m_part))
            return ofSize(readStill(std::filesystem::path(m_path), m_part, progress), size(), m_path);
        auto bytes = readMember(m_path, m_part, mostMember);
        if (!bytes) return tl::unexpected(bytes.error());
        return ofSize(readStill(*bytes, m_part), size(), m_path);
    }

private:
    std::string m_path, m_part;
};

class LargeStillSource : public PixelSource {
public:
    LargeStillSource(std::string path, std::string part, V2i size)
        : PixelSource(fileState(path) + part, size, Granularity::InStrips), m_path(std::move(path)),
          m_part(std::move(part)) {}

    Result<void> strips(const TakeStrip& take, const Progress& progress) const override {
        if (!inArchive(m_part)) return readStrips(std::filesystem::path(m_path), m_part, take, progress);
        const auto bytes = readMember(m_path, m_part, mostMember);
        if (!bytes) return tl::unexpected(bytes.error());
        return readStrips(*bytes, m_part, take, progress);
    }
    std::string name() const override { return m_part.empty() ? m_path : m_path + ", " + m_part; }
    Result<Raster> compute(int, const Box&, PixelCache&, const Progress&) const override {
        return fail("Cannot show " + name() + ": it is too large to be held as a whole.");
    }

private:
    std::string m_path, m_part;
};

class ClipSource : public PixelSource {
public:
    ClipSource(std::string path, V2i size, std::int64_t frame)
        : PixelSource(fileState(path) + std::to_string(frame), size, Granularity::TwoLevels, fileState(path)),
          m_path(std::move(path)), m_frame(frame) {}

    Result<Raster> compute(int level, const Box& box, PixelCache& cache, const Progress&) const override {
        const auto frame = cache.clips().frame(m_path, m_frame);
        if (!frame) return tl::unexpected(frame.error());
        if (auto same = checkSize((*frame)->size(), size(), m_path); !same)
            return tl::unexpected(same.error());
        return (*frame)->pixels(level, box);
    }

private:
    std::string m_path;
    std::int64_t m_frame;
};

class CardSource : public PixelSource {
public:
    CardSource(const scene::Card& card, V2i size)
        : PixelSource("card\n" + scene::toJson(card).dump() + std::to_string(size.x) + 'x' +
                          std::to_string(size.y),
                      size, Granularity::EveryLevel),
          m_card(card), m_parts(partsOf(card)) {}

    Result<Raster> compute(int level, const Box& box, PixelCache&, const Progress&) const override {
        Raster out = Raster::unfilled(box.size());
        const double scale = std::ldexp(1.0, level);
        const V2d half = V2d(size()) / 2.0;
        const V2d way(std::cos(radians(m_card.turn)), std::sin(radians(m_card.turn)));
        const double reach =
            m_card.radial ? half.length() : std::abs(way.x) * half.x + std::abs(way.y) * half.y;
        for (int y = box.y0; y < box.y1; ++y) {
            Imath::half* to = out.row(y - box.y0);
            for (int x = box.x0; x < box.x1; ++x, to += 4) {
                const V2d place = V2d((x + 0.5) * scale, (y + 0.5) * scale) - half;
                const double at = m_card.radial ? place.length() / reach : 0.5 + place.dot(way) / reach / 2;
                const auto c = colourAt(at);
                for (std::size_t i = 0; i < 4; ++i)
                    to[i] = static_cast<float>(c[i]);
            }
        }
        return out;
    }

private:
    /// Between two stops.
    struct Part {
        double from, to;
        float encoded[2][3]; ///< straight; a clear one has the colour of the other
        double alpha[2];
    };
    static std::vector<Part> partsOf(const scene::Card& card) {
        const auto encoded = [](const scene::Colour& colour, float(&to)[3]) {
            const double values[3] = {colour.r, colour.g, colour.b};
            for (std::size_t c = 0; c < 3; ++c)
                to[c] = srgbFromLinear(static_cast<float>(colour.a > 0 ? values[c] / colour.a : 0));
        };
        std::vector<Part> parts;
        for (std::size_t i = 1; i < card.stops.size(); ++i) {
            const auto &a = card.stops[i - 1], &b = card.stops[i];
            Part& part = parts.emplace_back(Part{a.at, b.at, {}, {a.colour.a, b.colour.a}});
            encoded((a.colour.a > 0 ? a : b).colour, part.encoded[0]);
            encoded((b.colour.a > 0 ? b : a).colour, part.encoded[1]);
        }
        return parts;
    }
    /// Between two stops the encoded values run evenly, so that a gradient looks even.
    std::array<double, 4> colourAt(double at) const {
        const auto values = [](const scene::Colour& c) { return std::array<double, 4>{c.r, c.g, c.b, c.a}; };
        if (at <= m_card.stops.front().at) return values(m_card.stops.front().colour);
        for (const Part& part : m_parts) {
            if (at >= part.to) continue;
            const double f = (at - part.from) / (part.to - part.from);
            std::array<double, 4> mixed{};
            mixed[3] = part.alpha[0] + f * (part.alpha[1] - part.alpha[0]);
            for (std::size_t c = 0; c < 3; ++c) {
                const float u = part.encoded[0][c], v = part.encoded[1][c];
                mixed[c] = linearFromSrgb(u + static_cast<float>(f) * (v - u)) * mixed[3];
            }
            return mixed;
        }
        return values(m_card.stops.back().colour);
    }
    scene::Card m_card;
    std::vector<Part> m_parts; ///< one after the other
};

/// Nothing where a picture of a sequence is missing: the one before it is shown.
std::string nearestFile(const scene::Footage& footage, std::int64_t frame) {
    for (std::int64_t n = frame; n >= 0 && n > frame - 1000; --n) {
        std::string file = sequenceFile(footage.media.path, footage.number + n);
        if (std::error_code code; std::filesystem::exists(file, code)) return file;
    }
    return sequenceFile(footage.media.path, footage.number + frame);
}

}

std::string sequenceFile(const std::string& pattern, std::int64_t number) {
    const auto end = pattern.find_last_of('#');
    if (end == std::string::npos) return pattern;
    std::size_t begin = end;
    while (begin > 0 && pattern[begin - 1] == '#')
        --begin;
    std::string digits = std::to_string(number);
    if (digits.size() < end + 1 - begin) digits.insert(0, end + 1 - begin - digits.size(), '0');
    return pattern.substr(0, begin) + digits + pattern.substr(end + 1);
}

Result<scene::Colour> pickedColour(const scene::Layer& layer, std::int64_t frame, const V2d& at,
                                   PixelCache& cache) {
    const auto source = contentOf(layer, frame);
    const auto nothing = [&] {
        return fail("'" + layer.name + "' has no colour at " + std::to_string(std::lround(at.x)) + ", " +
                    std::to_string(std::lround(at.y)) + ".");
    };
    if (!source || !(at.x >= 0 && at.y >= 0 && at.x < layer.pixels.x && at.y < layer.pixels.y))
        return nothing();
    const double scale = static_cast<double>(source->size().x) / layer.pixels.x;
    int level = 0;
    while (std::ldexp(1.0, level + 1) <= scale)
        ++level;
    const double texels = scale * std::ldexp(1.0, -level);
    const V2i size = levelSize(source->size(), level);
    const int x = std::min(static_cast<int>(at.x * texels), size.x - 1),
              y = std::min(static_cast<int>(at.y * texels), size.y - 1);
    const auto raster = cache.read(source, level, {x - 1, y - 1, x + 2, y + 2});
    if (!raster) return tl::unexpected(raster.error());
    double sum[4] = {};
    for (std::size_t i = 0; i < raster->rgba.size(); ++i)
        sum[i % 4] += raster->rgba[i];
    if (!(sum[3] > 0)) return nothing();
    return scene::Colour{sum[0] / sum[3], sum[1] / sum[3], sum[2] / sum[3], 1};
}

bool isThere(const scene::Layer& layer) {
    const scene::Media* media = scene::mediaOf(layer);
    if (!media) return true;
    const auto* footage = std::get_if<scene::Footage>(&layer.content);
    std::error_code code;
    return std::filesystem::exists(footage ? sequenceFile(media->path, footage->number) : media->path, code);
}

PixelSourcePtr contentOf(const scene::Layer& layer, std::int64_t frame) {
    const V2i size = layer.pixels;
    const auto still = [&](const std::string& path, const std::string& part) -> PixelSourcePtr {
        if (isDrawing(path)) return drawingSource(fileState(path) + part, path, part, size);
        if (std::int64_t{size.x} * size.y > wholePixels)
            if (const auto info = stillInfo(path, part); info && info->upright)
                return std::make_shared<LargeStillSource>(path, part, size);
        return std::make_shared<StillSource>(path, part, size);
    };
    if (const auto* picture = std::get_if<scene::Picture>(&layer.content))
        return still(picture->media.path, picture->part);
    if (const auto* footage = std::get_if<scene::Footage>(&layer.content)) {
        if (footage->media.path.find('#') != std::string::npos)
            return still(nearestFile(*footage, frame), "");
        return std::make_shared<ClipSource>(footage->media.path, size, frame);
    }
    if (const auto* text = std::get_if<scene::Text>(&layer.content)) return textSource(*text, size);
    if (const auto* card = std::get_if<scene::Card>(&layer.content))
        return std::make_shared<CardSource>(*card, size);
    return nullptr;
}

PixelSourcePtr plateOf(const std::string& path, V2i size, std::int64_t frame) {
    if (stillInfo(path)) return std::make_shared<StillSource>(path, "", size);
    return std::make_shared<ClipSource>(path, size, frame);
}

}
