#include "scene/finish_json.h"

#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>

namespace stage::scene {

bool neutral(const Finish& finish) {
    return !(finish.soft.radius > 0 && finish.soft.share > 0) && !(finish.shadow.strength > 0) &&
           !(finish.glow.strength > 0);
}

double reachOf(const Finish& finish) {
    const double soft = finish.soft.share > 0 ? finish.soft.radius : 0;
    double reach = soft;
    if (finish.shadow.strength > 0)
        reach = std::max(reach, soft + finish.shadow.distance + finish.shadow.softness);
    if (finish.glow.strength > 0) reach += finish.glow.reach;
    return reach;
}

namespace {

constexpr double mostPixels = 2000, mostLight = 1000;

template <class Part, class Read>
void readPart(Fields& fields, const char* key, Part& part, const Read& read) {
    if (!fields.has(key)) return;
    Fields members(fields.object(key), fields.at(key));
    read(members, part);
    members.nothingElse();
}

}

Json toJson(const Finish& finish) {
    Json json = Json::object();
    if (finish.soft != SoftFocus())
        json["softFocus"] = {{"radius", finish.soft.radius}, {"share", finish.soft.share}};
    if (const DropShadow& shadow = finish.shadow; shadow != DropShadow())
        json["dropShadow"] = {{"strength", shadow.strength},
                              {"distance", shadow.distance},
                              {"direction", shadow.direction},
                              {"softness", shadow.softness},
                              {"colour", toJson(shadow.colour)}};
    if (const Glow& glow = finish.glow; glow != Glow())
        json["glow"] = {{"strength", glow.strength},
                        {"threshold", glow.threshold},
                        {"reach", glow.reach},
                        {"tint", toJson(glow.tint)}};
    return json;
}

Finish readFinish(Fields& fields, const Finish& fallback) {
    Finish finish = fallback;
    readPart(fields, "softFocus", finish.soft, [](Fields& part, SoftFocus& soft) {
        soft.radius = part.number("radius", 0, mostPixels, soft.radius);
        soft.share = part.number("share", 0, 1, soft.share);
    });
    readPart(fields, "dropShadow", finish.shadow, [](Fields& part, DropShadow& shadow) {
        shadow.strength = part.number("strength", 0, 1, shadow.strength);
        shadow.distance = part.number("distance", 0, mostPixels, shadow.distance);
        shadow.direction = part.number("direction", -36'000, 36'000, shadow.direction);
        shadow.softness = part.number("softness", 0, mostPixels, shadow.softness);
        if (part.has("colour")) shadow.colour = part.colour("colour");
    });
    readPart(fields, "glow", finish.glow, [](Fields& part, Glow& glow) {
        glow.strength = part.number("strength", 0, mostLight, glow.strength);
        glow.threshold = part.number("threshold", 0, mostLight, glow.threshold);
        glow.reach = part.number("reach", 0.1, mostPixels, glow.reach);
        if (part.has("tint")) glow.tint = part.colour("tint");
    });
    return finish;
}

Json toJson(const Glare& glare) {
    return {{"strength", glare.strength}, {"threshold", glare.threshold}, {"radius", glare.radius},
            {"streaks", glare.streaks},   {"length", glare.length},       {"tint", toJson(glare.tint)}};
}

Glare readGlare(Fields& fields, const Glare& fallback) {
    Glare glare = fallback;
    glare.strength = fields.number("strength", 0, mostLight, glare.strength);
    glare.threshold = fields.number("threshold", 0, mostLight, glare.threshold);
    glare.radius = fields.number("radius", 1e-4, 0.25, glare.radius);
    glare.streaks = fields.number("streaks", 0, 1, glare.streaks);
    glare.length = fields.number("length", 1e-4, 0.25, glare.length);
    if (fields.has("tint")) glare.tint = fields.colour("tint");
    return glare;
}

Json toJson(const std::vector<Shadow>& shadows) {
    Json list = Json::array();
    for (const Shadow& shadow : shadows) {
        Json json = Json::object();
        if (shadow.from != 0)
            json["from"] = shadow.from;
        else
            json.update({{"bearing", shadow.bearing}, {"height", shadow.height}, {"across", shadow.across}});
        if (shadow.on != 0) json["on"] = shadow.on;
        json.update({{"darkness", shadow.darkness},
                     {"colour", toJson(shadow.colour)},
                     {"softness", shadow.softness},
                     {"contact", shadow.contact},
                     {"contactReach", shadow.contactReach}});
        list.push_back(std::move(json));
    }
    return list;
}

std::vector<Shadow> readShadows(Fields& fields) {
    const Json& list = fields.array("shadows", Shadow::most);
    std::vector<Shadow> shadows;
    for (std::size_t i = 0; i < list.size(); ++i) {
        Fields one(list[i], fields.at("shadows", i));
        Shadow shadow;
        shadow.from = one.whole("from", 0, std::int64_t{1} << 50, 0);
        if (shadow.from == 0) {
            shadow.bearing = one.number("bearing", -36'000, 36'000, shadow.bearing);
            shadow.height = one.number("height", -90, 90, shadow.height);
            shadow.across = one.number("across", 0, 90, shadow.across);
        }
        shadow.on = one.whole("on", 0, std::int64_t{1} << 50, 0);
        shadow.darkness = one.number("darkness", 0, 1, shadow.darkness);
        if (one.has("colour")) shadow.colour = one.colour("colour");
        shadow.softness = one.number("softness", 0, 1000, shadow.softness);
        shadow.contact = one.number("contact", 0, 1, shadow.contact);
        shadow.contactReach = one.number("contactReach", 1e-4, Limits::metres, shadow.contactReach);
        one.nothingElse();
        shadows.push_back(shadow);
    }
    return shadows;
}

}
