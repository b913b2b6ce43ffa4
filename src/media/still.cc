#include "media/still.h"

#include "media/parallel.h"
#include "media/picture_file.h"
#include "media/plugin.h"
#include "scene/file.h"
#include "scene/scene.h"
#include "scene/timing.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <fstream>
#include <lcms2.h>
#include <map>

namespace stage::media {
namespace {

constexpr std::int64_t mostPixels = 512ll << 20;
constexpr std::size_t mostBytes = 1u << 30;

std::string reasonFrom(std::string message) {
    while (!message.empty() && (message.back() == '\n' || message.back() == '.' || message.back() == ' '))
        message.pop_back();
    std::replace(message.begin(), message.end(), '\n', ' ');
    return message.empty() ? "it is broken or of an unknown kind" : message;
}

using Spec = PictureFile::Spec;

Result<void> sensible(const Spec& spec, const std::string& name) {
    if (spec.size.x < 1 || spec.size.y < 1 || spec.channels.empty() || !spec.flat)
        return fail("Cannot read " + name + ": it is not a flat picture.");
    if (spec.size.x > scene::Limits::pictureSide || spec.size.y > scene::Limits::pictureSide ||
        std::int64_t{spec.size.x} * spec.size.y > mostPixels)
        return fail("Cannot read " + name + ": " + std::to_string(spec.size.x) + " x " +
                    std::to_string(spec.size.y) + " pixels are too many.");
    return {};
}

std::unique_ptr<PictureFile> openCommon(std::string_view bytes) {
    for (const auto open : {openJpeg, openPng, openWebp})
        if (auto file = open(bytes)) return file;
    return nullptr;
}

/// With the bytes that it reads from.
class WithBytes : public PictureFile {
public:
    WithBytes(std::string bytes) : m_bytes(std::move(bytes)), m_file(openCommon(m_bytes)) {}
    bool common() const { return m_file != nullptr; }
    Spec spec() override { return m_file->spec(); }
    bool seek(int picture) override { return m_file->seek(picture); }
    bool read(int y0, int y1, float* to) override { return m_file->read(y0, y1, to); }
    bool readBytes(int y0, int y1, std::uint8_t* to) override { return m_file->readBytes(y0, y1, to); }
    std::string problem() override { return m_file->problem(); }

private:
    std::string m_bytes;
    std::unique_ptr<PictureFile> m_file;
};

/// Null: it is of another kind.
std::unique_ptr<PictureFile> openCommonFile(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    std::string bytes(12, '\0');
    if (!in.read(bytes.data(), 12)) return nullptr;
    if (!bytes.starts_with("\xFF\xD8\xFF") && !bytes.starts_with("\x89PNG") && !bytes.starts_with("RIFF"))
        return nullptr;
    auto whole = scene::readFile(path, mostBytes);
    if (!whole) return nullptr;
    auto file = std::make_unique<WithBytes>(std::move(*whole));
    return file->common() ? std::unique_ptr<PictureFile>(std::move(file)) : nullptr;
}

Result<std::unique_ptr<PictureFile>> open(const std::string& name, const std::string* bytes) {
    if (!bytes) {
        std::error_code code;
        if (!std::filesystem::exists(name, code)) return fail("Cannot read " + name + ": it does not exist.");
        if (std::filesystem::is_directory(name, code))
            return fail("Cannot read " + name + ": it is a folder.");
        if (std::filesystem::file_size(name, code) == 0)
            return fail("Cannot read " + name + ": it is empty.");
    }
    std::unique_ptr<PictureFile> opened = bytes ? openCommon(*bytes) : openCommonFile(name);
    if (!opened) {
        const auto files = pluginOf<PictureFiles>("picture_files");
        if (!files) return tl::unexpected(files.error());
        std::string problem;
        opened = (*files)->open(name, bytes, problem);
        if (!opened) return fail("Cannot read " + name + ": " + reasonFrom(problem) + ".");
    }
    if (auto ok = sensible(opened->spec(), name); !ok) return tl::unexpected(ok.error());
    return opened;
}
int orientationOf(const Spec& spec) {
    return spec.orientation >= 1 && spec.orientation <= 8 ? spec.orientation : 1;
}

/// Which picture of a file, and which of its channels: `#2`, `#0:diffuse`.
struct Part {
    int picture = 0;
    std::string group;
};
Result<Part> partOf(const std::string& name, const std::string& text) {
    Part part;
    if (text.empty()) return part;
    const auto wrong = [&] { return fail("Cannot read " + name + ": it has no part '" + text + "'."); };
    if (text.front() != '#') return wrong();
    const auto colon = text.find(':');
    const char* end = text.data() + std::min(colon, text.size());
    const auto [last, error] = std::from_chars(text.data() + 1, end, part.picture);
    if (error != std::errc{} || last != end || part.picture < 0) return wrong();
    if (colon != std::string::npos) part.group = text.substr(colon + 1);
    return part;
}

/// "diffuse.R" is channel R of the group "diffuse".
std::pair<std::string, std::string> splitChannel(const std::string& name) {
    const auto dot = name.rfind('.');
    if (dot == std::string::npos) return {"", name};
    return {name.substr(0, dot), name.substr(dot + 1)};
}
std::string lower(std::string text) {
    for (char& c : text)
        c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return text;
}

/// Where each of R, G, B, A comes from; -1 for an alpha that is not there. Nothing: no such group.
std::optional<std::array<int, 4>> channelsOf(const Spec& spec, const std::string& group) {
    std::array<int, 4> channels = {-1, -1, -1, -1};
    int grey = -1, first = -1;
    const int all = static_cast<int>(spec.channels.size());
    for (int c = 0; c < all; ++c) {
        const auto [where, channel] = splitChannel(spec.channels[static_cast<std::size_t>(c)]);
        if (where != group) continue;
        const std::string name = lower(channel);
        if (name == "z" || name == "zback" || name == "depth") continue;
        if (first < 0) first = c;
        const std::pair<const char*, std::size_t> names[] = {{"r", 0}, {"red", 0},  {"g", 1}, {"green", 1},
                                                             {"b", 2}, {"blue", 2}, {"a", 3}, {"alpha", 3}};
        for (const auto& [known, place] : names)
            if (name == known) channels[place] = c;
        if (name == "y" || name == "i" || name == "luminance") grey = c;
    }
    if (group.empty() && spec.alpha >= 0 && channels[3] < 0) channels[3] = spec.alpha;
    if (channels[0] >= 0 && channels[1] >= 0 && channels[2] >= 0) return channels;
    const int one = grey >= 0 ? grey : channels[0] >= 0 ? channels[0] : first;
    if (one < 0) return std::nullopt;
    // Three colours without their names come in this order.
    const bool three = group.empty() && all - (spec.alpha >= 0 ? 1 : 0) >= 3 && grey < 0 && channels[0] < 0;
    if (three) return std::array<int, 4>{0, 1, 2, channels[3]};
    return std::array<int, 4>{one, one, one, channels[3]};
}

/// The way from the values of an embedded profile to linear Rec. 709; null where there is none to take.
struct CmsFree {
    void operator()(void* transform) const { cmsDeleteTransform(transform); }
};
using Transform = std::unique_ptr<void, CmsFree>;
Transform transformOf(const Spec& spec, bool grey) {
    if (spec.profile.size() < 128) return nullptr;
    const cmsHPROFILE from =
        cmsOpenProfileFromMem(spec.profile.data(), static_cast<cmsUInt32Number>(spec.profile.size()));
    if (!from) return nullptr;
    const bool isGrey = cmsGetColorSpace(from) == cmsSigGrayData;
    if (isGrey != grey || (!isGrey && cmsGetColorSpace(from) != cmsSigRgbData)) {
        cmsCloseProfile(from);
        return nullptr;
    }
    const cmsCIExyY white = {0.3127, 0.3290, 1};
    const cmsCIExyYTRIPLE primaries = {{0.64, 0.33, 1}, {0.30, 0.60, 1}, {0.15, 0.06, 1}};
    cmsToneCurve* straight = cmsBuildGamma(nullptr, 1);
    cmsToneCurve* curves[3] = {straight, straight, straight};
    const cmsHPROFILE to = cmsCreateRGBProfile(&white, &primaries, curves);
    Transform transform(cmsCreateTransform(
        from, isGrey ? TYPE_GRAY_FLT : TYPE_RGB_FLT, to, TYPE_RGB_FLT, INTENT_RELATIVE_COLORIMETRIC,
        cmsFLAGS_NOCACHE | cmsFLAGS_NOOPTIMIZE | cmsFLAGS_BLACKPOINTCOMPENSATION));
    cmsFreeToneCurve(straight);
    cmsCloseProfile(to);
    cmsCloseProfile(from);
    return transform;
}

float finite(float v) {
    return std::isfinite(v) ? std::clamp(v, -65000.f, 65000.f) : 0.f;
}

void turnUpright(Raster& raster, int orientation) {
    if (orientation == 1) return;
    const V2i from = raster.size;
    const bool swaps = orientation >= 5;
    Raster out(swaps ? V2i(from.y, from.x) : from);
    for (int y = 0; y < out.size.y; ++y) {
        for (int x = 0; x < out.size.x; ++x) {
            int sx = swaps ? y : x, sy = swaps ? x : y;
            if (orientation == 2 || orientation == 3 || orientation == 7 || orientation == 8)
                sx = from.x - 1 - sx;
            if (orientation == 3 || orientation == 4 || orientation == 6 || orientation == 7)
                sy = from.y - 1 - sy;
            std::copy_n(raster.row(sy) + 4 * sx, 4, out.row(y) + 4 * x);
        }
    }
    raster = std::move(out);
}

/// Rows of a file to scene-linear light.
class RowsToLight {
public:
    /// channel: of the file, for R, G, B, A; -1: no alpha.
    RowsToLight(const Spec& spec, const std::array<int, 4>& channel)
        : m_each(spec.channels.size()), m_across(static_cast<std::size_t>(spec.size.x)), m_channel(channel),
          m_isFloat(spec.isFloat), m_associated(spec.associated),
          m_encoded(spec.isFloat ? spec.colourSpace == "sRGB"
                                 : spec.colourSpace != "linear" && spec.colourSpace != "Linear"),
          m_grey(channel[0] == channel[1]), m_transform(transformOf(spec, m_grey)) {}

    /// Bytes need not become floats first.
    bool takesBytes() const { return !m_isFloat && m_encoded && !m_transform && !m_associated; }

    void row(const std::uint8_t* in, Imath::half* out) const {
        const auto [red, green, blue, alphaAt] = m_channel;
        for (std::size_t x = 0; x < m_across; ++x, in += m_each, out += 4) {
            const unsigned alpha = alphaAt >= 0 ? in[alphaAt] : 255;
            if (alpha == 0) continue;
            const unsigned values[3] = {in[red], in[green], in[blue]};
            for (std::size_t c = 0; c < 3; ++c)
                out[c] = alpha == 255
                             ? m_halfs[257 * values[c]]
                             : Imath::half(m_curve[257 * values[c]] * (static_cast<float>(alpha) / 255));
            out[3] = alpha == 255 ? Imath::half(1.f) : Imath::half(static_cast<float>(alpha) / 255);
        }
    }

    void row(const float* in, Imath::half* out) const {
        const std::vector<float> linear = m_transform ? transformed(in) : std::vector<float>();
        for (std::size_t x = 0; x < m_across; ++x, in += m_each, out += 4) {
            const float alpha = alphaOf(in);
            if (alpha == 0 && !m_isFloat && m_encoded) continue;
            for (std::size_t c = 0; c < 3; ++c) {
                float v = finite(in[m_channel[c]]);
                if (m_transform) {
                    // Colours that Rec. 709 cannot show are brought to its border.
                    v = std::max(0.f, finite(linear[x * 3 + c])) * alpha;
                } else if (m_encoded) {
                    if (m_associated && alpha > 0) v /= alpha;
                    v = !m_isFloat ? m_curve[index(v)] : linearFromSrgb(v);
                    v *= alpha;
                } else if (!m_associated) {
                    v *= alpha;
                }
                out[c] = v;
            }
            out[3] = alpha;
        }
    }

private:
    static std::size_t index(float v) {
        return static_cast<std::size_t>(std::clamp(v, 0.f, 1.f) * 65535.f + 0.5f);
    }
    float alphaOf(const float* in) const {
        return m_channel[3] >= 0 ? std::clamp(finite(in[m_channel[3]]), 0.f, 1.f) : 1.f;
    }
    /// By the embedded profile; straight, three a pixel.
    std::vector<float> transformed(const float* in) const {
        const std::size_t colours = m_grey ? 1 : 3;
        std::vector<float> straight(m_across * colours), linear(m_across * 3);
        for (std::size_t x = 0; x < m_across; ++x, in += m_each) {
            const float alpha = m_channel[3] >= 0 ? finite(in[m_channel[3]]) : 1.f;
            for (std::size_t c = 0; c < colours; ++c) {
                const float v = finite(in[m_channel[c]]);
                straight[x * colours + c] = m_associated && alpha > 0 ? v / alpha : v;
            }
        }
        cmsDoTransform(m_transform.get(), straight.data(), linear.data(),
                       static_cast<cmsUInt32Number>(m_across));
        return linear;
    }

    static const std::vector<Imath::half>& halfs() {
        static const std::vector<Imath::half> made(linearFromSrgb16().begin(), linearFromSrgb16().end());
        return made;
    }

    std::size_t m_each, m_across;
    std::array<int, 4> m_channel;
    bool m_isFloat, m_associated, m_encoded, m_grey;
    Transform m_transform;
    const std::vector<float>& m_curve = linearFromSrgb16();
    const std::vector<Imath::half>& m_halfs = halfs();
};

Result<void> strips(PictureFile& input, const std::string& name, const std::string& group,
                    const TakeStrip& take, const Progress& progress) {
    const Spec spec = input.spec();
    const auto channel = channelsOf(spec, group);
    if (!channel) return fail("Cannot read " + name + ": it has no channels of '" + group + "'.");
    const RowsToLight light(spec, *channel);
    const bool asBytes = spec.isByte && light.takesBytes();
    const std::size_t each = static_cast<std::size_t>(spec.size.x) * spec.channels.size();
    // In strips, so that a large picture is never held a second time as floats.
    const int height = std::max(1, spec.tileHeight > 1 ? spec.tileHeight : 64);
    std::vector<float> floats;
    std::vector<std::uint8_t> bytes;
    for (int y0 = 0; y0 < spec.size.y; y0 += height) {
        if (progress.stopped()) return cancelled();
        const int y1 = std::min(y0 + height, spec.size.y);
        const std::size_t values = each * static_cast<std::size_t>(y1 - y0);
        bytes.resize(spec.isByte ? values : 0), floats.resize(asBytes ? 0 : values);
        if (!(spec.isByte ? input.readBytes(y0, y1, bytes.data()) : input.read(y0, y1, floats.data())))
            return fail("Cannot read " + name + ": " + reasonFrom(input.problem()) + ".");
        Raster raster(V2i(spec.size.x, y1 - y0));
        inParallel(0, y1 - y0, [&](int y) {
            const std::size_t at = each * static_cast<std::size_t>(y);
            if (asBytes) {
                light.row(bytes.data() + at, raster.row(y));
                return;
            }
            if (spec.isByte)
                for (std::size_t i = at; i < at + each; ++i)
                    floats[i] = static_cast<float>(bytes[i]) / 255.f;
            light.row(floats.data() + at, raster.row(y));
        });
        progress.done(static_cast<double>(y1) / spec.size.y);
        if (!take(y0, raster)) return {};
    }
    return {};
}

Result<std::unique_ptr<PictureFile>> openPart(const std::string& name, const std::string* bytes,
                                              const std::string& text, std::string& group) {
    auto part = partOf(name, text);
    if (!part) return tl::unexpected(part.error());
    auto opened = open(name, bytes);
    if (!opened) return opened;
    if (part->picture > 0) {
        if (!(*opened)->seek(part->picture))
            return fail("Cannot read " + name + ": it has no part '" + text + "'.");
        if (auto ok = sensible((*opened)->spec(), name); !ok) return tl::unexpected(ok.error());
    }
    group = part->group;
    return opened;
}

Result<Raster> read(const std::string& name, const std::string* bytes, const std::string& part,
                    const Progress& progress) {
    const Timed timed(Stage::Decode);
    std::string group;
    auto opened = openPart(name, bytes, part, group);
    if (!opened) return tl::unexpected(opened.error());
    const Spec spec = (*opened)->spec();
    Raster raster(spec.size);
    const auto ok = strips(
        **opened, name, group,
        [&](int y, const Raster& strip) {
            std::copy(strip.rgba.begin(), strip.rgba.end(), raster.row(y));
            return true;
        },
        progress);
    if (!ok) return tl::unexpected(ok.error());
    turnUpright(raster, orientationOf(spec));
    return raster;
}

Result<StillInfo> probe(const std::string& name, const std::string* bytes) {
    const auto opened = open(name, bytes);
    if (!opened) return tl::unexpected(opened.error());
    const Spec spec = (*opened)->spec();
    V2i size = spec.size;
    if (orientationOf(spec) >= 5) std::swap(size.x, size.y);
    return StillInfo{size, orientationOf(spec) == 1};
}

}

Result<StillInfo> probeStill(const std::filesystem::path& path) {
    return probe(path.string(), nullptr);
}
Result<StillInfo> probeStill(const std::string& bytes, const std::string& name) {
    return probe(name, &bytes);
}
Result<Raster> readStill(const std::filesystem::path& path, const std::string& part,
                         const Progress& progress) {
    return read(path.string(), nullptr, part, progress);
}
Result<Raster> readStill(const std::string& bytes, const std::string& name) {
    return read(name, &bytes, {}, {});
}

Result<void> readStrips(const std::filesystem::path& path, const std::string& part, const TakeStrip& take,
                        const Progress& progress) {
    std::string group;
    auto opened = openPart(path.string(), nullptr, part, group);
    if (!opened) return tl::unexpected(opened.error());
    return strips(**opened, path.string(), group, take, progress);
}

Result<void> readStrips(const std::string& bytes, const std::string& name, const TakeStrip& take,
                        const Progress& progress) {
    std::string group;
    auto opened = openPart(name, &bytes, {}, group);
    if (!opened) return tl::unexpected(opened.error());
    return strips(**opened, name, group, take, progress);
}

bool endsEarly(const std::filesystem::path& path) {
    std::ifstream in(path, std::ios::binary);
    const std::string bytes((std::istreambuf_iterator<char>(in)), {});
    const auto at = [&](std::size_t i) { return static_cast<unsigned char>(bytes[i]); };
    if (bytes.size() < 4 || at(0) != 0xFF || at(1) != 0xD8) return false;
    // Segments (ITU-T T.81, annex B) up to the first scan; within scans, 0xFF 0xD9 is only ever the end.
    std::size_t i = 2;
    while (i + 4 <= bytes.size() && at(i) == 0xFF && at(i + 1) != 0xDA) {
        if (at(i + 1) == 0xFF) {
            ++i;
            continue;
        }
        i += 2 + (std::size_t{at(i + 2)} << 8 | at(i + 3));
    }
    return i >= bytes.size() || bytes.find("\xFF\xD9", i) == std::string::npos;
}

Result<SubPictures> readSubPictures(const std::filesystem::path& path) {
    const std::string name = path.string();
    auto opened = open(name, nullptr);
    if (!opened) return tl::unexpected(opened.error());
    PictureFile& input = **opened;
    SubPictures found;
    const Spec first = input.spec();
    found.canvas = first.full;
    found.light = first.isFloat;
    if (first.movie) return found;
    std::vector<Spec> pages;
    for (int n = 0; input.seek(n); ++n) {
        if (n >= static_cast<int>(scene::Limits::layers))
            return fail("Cannot read " + name + ": it holds too many pictures.");
        pages.push_back(input.spec());
        if (auto ok = sensible(pages.back(), name); !ok) return tl::unexpected(ok.error());
    }
    const bool othersNamed =
        pages.size() > 1 && pages[0].name.empty() &&
        std::all_of(pages.begin() + 1, pages.end(), [](const Spec& p) { return !p.name.empty(); });
    found.merged = othersNamed;
    for (std::size_t n = othersNamed ? 1 : 0; n < pages.size(); ++n) {
        const Spec& spec = pages[n];
        std::vector<std::string> groups;
        for (const std::string& channel : spec.channels) {
            const std::string group = splitChannel(channel).first;
            if (std::find(groups.begin(), groups.end(), group) == groups.end() && channelsOf(spec, group))
                groups.push_back(group);
        }
        for (const std::string& group : groups) {
            SubPicture picture;
            picture.part = "#" + std::to_string(n) + (group.empty() ? "" : ":" + group);
            picture.offset = spec.offset - first.fullOffset;
            picture.size = spec.size;
            picture.name = spec.name;
            if (!group.empty() && group != picture.name)
                picture.name += (picture.name.empty() ? "" : " ") + group;
            if (picture.name.empty()) picture.name = "Part " + std::to_string(found.pictures.size() + 1);
            found.pictures.push_back(std::move(picture));
        }
    }
    if (found.pictures.size() == 1 && found.pictures[0].size == found.canvas &&
        found.pictures[0].offset == V2i(0, 0))
        found.pictures.clear();
    if (found.canvas.x < 1 || found.canvas.y < 1 || found.canvas.x > scene::Limits::pictureSide ||
        found.canvas.y > scene::Limits::pictureSide)
        return fail("Cannot read " + name + ": the size of its canvas is not usable.");
    return found;
}

}
