#include "output/job_json.h"

#include "scene/fields.h"
#include "scene/file.h"
#include "scene/scene_json.h"

#include <array>

namespace stage::output {
namespace {

using scene::Fields;
using scene::Json;

constexpr std::size_t mostPath = 4096;
constexpr double mostFrames = 1e9;

std::vector<std::string_view> formatIds() {
    std::vector<std::string_view> ids;
    for (const FormatInfo& info : formats())
        ids.push_back(info.id);
    return ids;
}

Json encodingToJson(const Encoding& encoding) {
    Json json = Json::object();
    if (encoding.rate) json["rate"] = *encoding.rate;
    if (encoding.megabytes) json["megabytes"] = *encoding.megabytes;
    if (encoding.bits) json["bits"] = encoding.bits;
    if (!encoding.alpha) json["alpha"] = false;
    if (!encoding.compression.empty()) json["compression"] = encoding.compression;
    return json;
}

Encoding readEncoding(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Encoding encoding;
    if (fields.has("rate")) encoding.rate = fields.number("rate", 0, 100);
    if (fields.has("megabytes")) encoding.megabytes = fields.number("megabytes", 0, 1e9);
    encoding.bits = static_cast<int>(fields.whole("bits", 0, 32, 0));
    encoding.alpha = fields.yes("alpha", true);
    encoding.compression = fields.text("compression", 40, "");
    fields.nothingElse();
    return encoding;
}

Json qualityToJson(const render::Quality& quality) {
    return {{"method", render::methodNames[static_cast<std::size_t>(quality.method)]},
            {"samples", quality.samples},
            {"noise", quality.noise}};
}

render::Quality readQuality(const Json& json, const std::string& where) {
    Fields fields(json, where);
    render::Quality quality;
    quality.method = static_cast<render::Method>(fields.choice("method", render::methodNames));
    quality.samples = static_cast<int>(fields.whole("samples", 1, 65536, render::usualSamples));
    quality.noise = fields.number("noise", 0, 1, 0);
    fields.nothingElse();
    return quality;
}

template <class Read> auto read(const Read& from) -> Result<decltype(from())> {
    try {
        return from();
    } catch (const scene::Misread& problem) {
        return tl::unexpected(Error{problem.sentence});
    }
}

Json presetToJson(const Preset& preset) {
    return {{"name", preset.name},
            {"format", infoOf(preset.format).id},
            {"encoding", encodingToJson(preset.encoding)},
            {"quality", qualityToJson(preset.quality)}};
}

Preset readPreset(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Preset preset;
    preset.name = fields.text("name", 200);
    preset.format = formats()[fields.choice("format", formatIds())].format;
    preset.encoding = readEncoding(fields.object("encoding"), fields.at("encoding"));
    preset.quality = readQuality(fields.object("quality"), fields.at("quality"));
    fields.nothingElse();
    if (const std::string wrong = complaintAbout(preset.format, preset.encoding); !wrong.empty())
        throw scene::Misread{"'" + preset.name + "': " + wrong};
    return preset;
}

}

scene::Json toJson(const Job& job) {
    Json json = {{"path", job.path.string()},
                 {"format", infoOf(job.format).id},
                 {"size", {job.size.x, job.size.y}},
                 {"frames", {job.first, job.last}},
                 {"quality", qualityToJson(job.quality)},
                 {"encoding", encodingToJson(job.encoding)}};
    if (job.loop.kind != Loop::Kind::None)
        json["loop"] = {{"kind", loopNames[static_cast<std::size_t>(job.loop.kind)]},
                        {"dissolve", job.loop.dissolve}};
    if (job.wipe) json["wipe"] = {job.wipe->from, job.wipe->to};
    if (job.framesOnly) json["framesOnly"] = true;
    return json;
}

Result<Job> jobFromJson(const scene::Json& json) {
    return read([&] {
        Fields fields(json, "job");
        Job job;
        job.path = fields.text("path", mostPath);
        job.format = formats()[fields.choice("format", formatIds())].format;
        const auto size = fields.numbers("size", 2, 1, scene::Limits::frameSide);
        job.size = {static_cast<int>(size[0]), static_cast<int>(size[1])};
        const auto frames = fields.numbers("frames", 2, 0, mostFrames);
        job.first = static_cast<std::int64_t>(frames[0]), job.last = static_cast<std::int64_t>(frames[1]);
        job.quality = readQuality(fields.object("quality"), fields.at("quality"));
        job.encoding = readEncoding(fields.object("encoding"), fields.at("encoding"));
        if (fields.has("loop")) {
            Fields loop(fields.object("loop"), fields.at("loop"));
            job.loop.kind = static_cast<Loop::Kind>(loop.choice("kind", loopNames));
            job.loop.dissolve = static_cast<int>(loop.whole("dissolve", 0, 100000, job.loop.dissolve));
            loop.nothingElse();
        }
        if (fields.has("wipe")) {
            const auto wipe = fields.numbers("wipe", 2, 0, 1);
            job.wipe = Wipe{wipe[0], wipe[1], {}};
        }
        job.framesOnly = fields.yes("framesOnly", false);
        fields.nothingElse();
        return job;
    });
}

const std::vector<Preset>& usualPresets() {
    static const std::vector<Preset> all = [] {
        const render::Quality final{
            .method = render::Method::Final, .samples = render::usualSamples, .noise = render::usualNoise};
        const render::Quality draft{.method = render::Method::Draft, .samples = 16};
        std::vector<Preset> presets;
        const auto add = [&](const char* name, Format format, const render::Quality& quality) {
            Preset& preset = presets.emplace_back();
            preset.name = name, preset.format = format, preset.quality = quality;
        };
        add("To show and to send", Format::H264, final);
        add("To look over, fast", Format::H264, draft);
        add("Small, for new players", Format::Av1, final);
        add("For editing, with alpha", Format::Intermediate, final);
        add("Over a web page, with alpha", Format::Vp9, final);
        add("Lossless, to keep", Format::Ffv1, final);
        add("For compositing, scene-linear", Format::Exr, final);
        add("A loop for a page or a message", Format::WebP, final);
        presets[1].encoding.rate = 24;
        presets[5].encoding.bits = 16;
        return presets;
    }();
    return all;
}

Result<std::vector<Preset>> loadPresets(const std::filesystem::path& file) {
    std::error_code code;
    if (!std::filesystem::exists(file, code)) return std::vector<Preset>();
    const auto text = scene::readFile(file);
    if (!text) return tl::unexpected(text.error());
    const auto json = scene::parseJson(*text);
    const std::string cannot = "Cannot read " + file.string() + ": ";
    if (!json) return fail(cannot + json.error().sentence + ".");
    auto presets = read([&] {
        Fields fields(*json, "");
        std::vector<Preset> all;
        const Json& list = fields.array("presets", 1000);
        for (std::size_t i = 0; i < list.size(); ++i)
            all.push_back(readPreset(list[i], fields.at("presets", i)));
        return all;
    });
    if (!presets) return fail(cannot + presets.error().sentence + ".");
    return presets;
}

Result<void> savePresets(const std::filesystem::path& file, const std::vector<Preset>& presets) {
    Json list = Json::array();
    for (const Preset& preset : presets)
        list.push_back(presetToJson(preset));
    std::error_code code;
    std::filesystem::create_directories(file.parent_path(), code);
    return scene::writeFileAtomically(file, Json{{"presets", list}}.dump(2) + '\n');
}

}
