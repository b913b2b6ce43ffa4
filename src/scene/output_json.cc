#include "scene/output_json.h"

#include "scene/scene_json.h"

#include <algorithm>

namespace stage::scene {

Json toJson(const std::vector<Guide>& guides) {
    Json list = Json::array();
    for (const Guide& guide : guides)
        list.push_back({{"upright", guide.upright}, {"at", guide.at}});
    return list;
}

std::vector<Guide> readGuides(Fields& fields) {
    std::vector<Guide> guides;
    const Json& list = fields.array("guides", 1000);
    for (std::size_t i = 0; i < list.size(); ++i) {
        Fields guide(list[i], fields.at("guides", i));
        guides.push_back({guide.yes("upright", false), guide.number("at", 0, 1)});
    }
    return guides;
}

V2i readFrame(Fields& fields) {
    const auto size = fields.numbers("frame", 2, 16, Limits::frameSide);
    return {static_cast<int>(size[0]), static_cast<int>(size[1])};
}

Json toJson(const std::vector<Variant>& variants) {
    Json list = Json::array();
    for (const Variant& each : variants) {
        Json json = {{"name", each.name},
                     {"frame", {each.frame.x, each.frame.y}},
                     {"keep", keepNames[static_cast<std::size_t>(each.keep)]}};
        if (each.shift != V2d(0)) json["shift"] = {each.shift.x, each.shift.y};
        list.push_back(std::move(json));
    }
    return list;
}

std::vector<Variant> readVariants(Fields& fields) {
    std::vector<Variant> variants;
    const Json& list = fields.array("variants", Limits::variants);
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string where = fields.at("variants", i);
        Fields own(list[i], where);
        Variant variant;
        variant.name = own.text("name", 100);
        // It becomes part of file names.
        if (variant.name.empty() || variant.name.front() == '.' ||
            std::any_of(variant.name.begin(), variant.name.end(),
                        [](unsigned char c) { return c < 32 || c == '/' || c == '#' || c == 127; }))
            throw Misread{"'" + own.at("name") + "' should be a name without '/' and '#'"};
        for (const Variant& other : variants)
            if (other.name == variant.name)
                throw Misread{"'" + where + "': there is a variant '" + other.name + "' already"};
        variant.frame = readFrame(own);
        if (own.has("keep")) variant.keep = static_cast<Keep>(own.choice("keep", keepNames));
        if (own.has("shift")) {
            const auto shift = own.numbers("shift", 2, -2, 2);
            variant.shift = {shift[0], shift[1]};
        }
        variants.push_back(std::move(variant));
    }
    return variants;
}

Json toJson(const Output& out) {
    Json output = {{"frame", {out.frame.x, out.frame.y}},
                   {"rate", out.rate.text()},
                   {"frames", out.frames},
                   {"background", toJson(out.background)},
                   {"blending", blendingNames[static_cast<std::size_t>(out.blending)]}};
    if (out.loop) output["loop"] = true;
    if (out.backgroundSeen) output["backgroundSeen"] = true;
    if (!out.guides.empty()) output["guides"] = toJson(out.guides);
    if (!out.variants.empty()) output["variants"] = toJson(out.variants);
    return withRest(std::move(output), out.extra);
}

Output readOutput(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Output output;
    if (fields.has("frame")) output.frame = readFrame(fields);
    output.rate = fields.rational("rate", Rational(1, 10), Rational(1000), output.rate);
    output.frames = fields.whole("frames", 1, Limits::frames, output.frames);
    if (fields.has("background")) output.background = fields.colour("background");
    if (fields.has("blending"))
        output.blending = static_cast<Blending>(fields.choice("blending", blendingNames));
    output.loop = fields.yes("loop", false);
    output.backgroundSeen = fields.yes("backgroundSeen", false);
    if (fields.has("guides")) output.guides = readGuides(fields);
    if (fields.has("variants")) output.variants = readVariants(fields);
    output.extra = fields.rest();
    return output;
}

}
