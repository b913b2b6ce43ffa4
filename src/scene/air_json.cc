#include "scene/air_json.h"

#include "scene/cutout_json.h"
#include "scene/scene_json.h"

namespace stage::scene {
namespace {

constexpr double lengths = Limits::metres, speeds = 1e5, least = 1e-6;
const Rational longestLoop{1'000'000};

V3d readBox(Fields& fields, const V3d& fallback) {
    if (!fields.has("box")) return fallback;
    const auto sides = fields.numbers("box", 3, least, lengths);
    return {sides[0], sides[1], sides[2]};
}

V3d readVector(Fields& fields, const char* key, const V3d& fallback, double bound) {
    return fields.has(key) ? fields.vector(key, bound) : fallback;
}

Rational readLoop(Fields& fields, Rational fallback) {
    return fields.rational("loop", Rational(0), longestLoop, fallback);
}

Json pointsToJson(const std::vector<Particles::Point>& points) {
    Json list = Json::array();
    for (const Particles::Point& point : points)
        list.push_back({point.at, point.value});
    return list;
}

/// Pairs of a share of life and a factor.
std::vector<Particles::Point> readCurve(Fields& fields, const char* key, double most) {
    const Json& list = fields.array(key, Particles::mostPoints);
    std::vector<Particles::Point> points;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string where = fields.at(key, i);
        if (!list[i].is_array() || list[i].size() != 2)
            throw Misread{"'" + where + "' should be a share of the life and a factor"};
        points.push_back({numberOf(list[i][0], where, 0, 1), numberOf(list[i][1], where, 0, most)});
        if (i > 0 && points[i].at < points[i - 1].at)
            throw Misread{"'" + where + "' is before the one before it"};
    }
    return points;
}

}

Json toJson(const Particles& p) {
    Json json = {
        {"seed", p.seed},
        {"count", p.count},
        {"box", toJson(p.box)},
        {"life", p.life},
        {"lifeSpread", p.lifeSpread},
        {"size", p.size},
        {"sizeSpread", p.sizeSpread},
        {"velocity", toJson(p.velocity)},
        {"speedSpread", p.speedSpread},
        {"directionSpread", p.directionSpread},
        {"wind", toJson(p.wind)},
        {"gravity", p.gravity},
        {"turbulence",
         {{"amount", p.turbulence.amount}, {"size", p.turbulence.size}, {"change", p.turbulence.change}}},
        {"spin", p.spin},
        {"spinSpread", p.spinSpread},
        {"flutter", p.flutter},
        {"flutterRate", p.flutterRate},
        {"shape", particleShapeNames[static_cast<std::size_t>(p.shape)]},
        {"facing", particleFacingNames[static_cast<std::size_t>(p.facing)]},
        {"colour", toJson(p.colour)},
        {"light", p.light}};
    if (p.aroundCamera) json["aroundCamera"] = true;
    if (!(p.loop == Rational(0))) json["loop"] = p.loop.text();
    if (!p.pictures.empty()) json["pictures"] = p.pictures;
    if (!p.sizes.empty()) json["sizes"] = pointsToJson(p.sizes);
    if (!p.opacities.empty()) json["opacities"] = pointsToJson(p.opacities);
    if (!p.colours.empty()) json["colours"] = stopsToJson(p.colours);
    return json;
}

Particles readParticles(Fields& fields, const Particles& fallback) {
    Particles p = fallback;
    p.seed = fields.whole("seed", -(std::int64_t{1} << 50), std::int64_t{1} << 50, p.seed);
    p.box = readBox(fields, p.box);
    p.aroundCamera = fields.yes("aroundCamera", p.aroundCamera);
    p.life = fields.number("life", 0.01, 1e6, p.life);
    p.lifeSpread = fields.number("lifeSpread", 0, 0.99, p.lifeSpread);
    p.count = static_cast<int>(fields.whole("count", 1, Particles::most, p.count));
    p.size = fields.number("size", least, lengths, p.size);
    p.sizeSpread = fields.number("sizeSpread", 0, 1, p.sizeSpread);
    p.velocity = readVector(fields, "velocity", p.velocity, speeds);
    p.speedSpread = fields.number("speedSpread", 0, 1, p.speedSpread);
    p.directionSpread = fields.number("directionSpread", 0, 180, p.directionSpread);
    p.wind = readVector(fields, "wind", p.wind, speeds);
    p.gravity = fields.number("gravity", -1000, 1000, p.gravity);
    if (fields.has("turbulence")) {
        Fields turbulence(fields.object("turbulence"), fields.at("turbulence"));
        p.turbulence.amount = turbulence.number("amount", 0, lengths, p.turbulence.amount);
        p.turbulence.size = turbulence.number("size", least, lengths, p.turbulence.size);
        p.turbulence.change = turbulence.number("change", 0, 100, p.turbulence.change);
        turbulence.nothingElse();
    }
    p.spin = fields.number("spin", 0, 36'000, p.spin);
    p.spinSpread = fields.number("spinSpread", 0, 1, p.spinSpread);
    p.flutter = fields.number("flutter", 0, 360, p.flutter);
    p.flutterRate = fields.number("flutterRate", 0, 100, p.flutterRate);
    p.loop = readLoop(fields, p.loop);
    if (fields.has("shape")) p.shape = static_cast<ParticleShape>(fields.choice("shape", particleShapeNames));
    if (fields.has("facing"))
        p.facing = static_cast<ParticleFacing>(fields.choice("facing", particleFacingNames));
    if (fields.has("pictures")) {
        const Json& list = fields.array("pictures", Particles::mostPictures);
        p.pictures.clear();
        for (std::size_t i = 0; i < list.size(); ++i) {
            if (!list[i].is_number_integer() || list[i].get<std::int64_t>() < 1)
                throw Misread{"'" + fields.at("pictures", i) + "' should be the id of a layer"};
            p.pictures.push_back(list[i].get<std::int64_t>());
        }
    }
    if (fields.has("colour")) p.colour = fields.colour("colour");
    p.light = fields.number("light", 0, 1e4, p.light);
    if (fields.has("sizes")) p.sizes = readCurve(fields, "sizes", 100);
    if (fields.has("opacities")) p.opacities = readCurve(fields, "opacities", 1);
    if (fields.has("colours")) p.colours = readStops(fields, "colours");
    return p;
}

Json toJson(const Cloud& cloud) {
    Json json = {{"seed", cloud.seed},           {"box", toJson(cloud.box)},
                 {"density", cloud.density},     {"coverage", cloud.coverage},
                 {"size", cloud.size},           {"detail", cloud.detail},
                 {"border", cloud.border},       {"colour", toJson(cloud.colour)},
                 {"drift", toJson(cloud.drift)}, {"change", cloud.change}};
    if (cloud.aroundCamera) json["aroundCamera"] = true;
    if (!(cloud.loop == Rational(0))) json["loop"] = cloud.loop.text();
    return json;
}

Cloud readCloud(Fields& fields, const Cloud& fallback) {
    Cloud cloud = fallback;
    cloud.seed = fields.whole("seed", -(std::int64_t{1} << 50), std::int64_t{1} << 50, cloud.seed);
    cloud.box = readBox(fields, cloud.box);
    cloud.aroundCamera = fields.yes("aroundCamera", cloud.aroundCamera);
    cloud.density = fields.number("density", 0, 1e6, cloud.density);
    cloud.coverage = fields.number("coverage", 0, 1, cloud.coverage);
    cloud.size = fields.number("size", least, lengths, cloud.size);
    cloud.detail = fields.number("detail", 0, 1, cloud.detail);
    cloud.border = fields.number("border", 0, 1, cloud.border);
    if (fields.has("colour")) cloud.colour = fields.colour("colour");
    cloud.drift = readVector(fields, "drift", cloud.drift, speeds);
    cloud.change = fields.number("change", 0, 100, cloud.change);
    cloud.loop = readLoop(fields, cloud.loop);
    return cloud;
}

Json toJson(const Mist& mist) {
    return {{"colour", toJson(mist.colour)},
            {"density", mist.density},
            {"top", mist.top},
            {"soft", mist.soft},
            {"start", mist.start}};
}

Mist readMist(Fields& fields, const Mist& fallback) {
    Mist mist = fallback;
    if (fields.has("colour")) mist.colour = fields.colour("colour");
    mist.density = fields.number("density", 0, 1000, mist.density);
    mist.top = fields.number("top", -lengths, lengths, mist.top);
    mist.soft = fields.number("soft", least, lengths, mist.soft);
    mist.start = fields.number("start", 0, lengths, mist.start);
    return mist;
}

Json toJson(const std::vector<Displacement>& displacements) {
    Json list = Json::array();
    for (const Displacement& each : displacements) {
        Json json = {{"kind", displacementNames[static_cast<std::size_t>(each.kind)]},
                     {"amount", each.amount},
                     {"size", each.size},
                     {"rate", each.rate},
                     {"direction", each.direction},
                     {"centre", {each.centre.x, each.centre.y}},
                     {"fade", each.fade},
                     {"foot", each.foot},
                     {"seed", each.seed}};
        if (!each.on) json["on"] = false;
        if (!(each.loop == Rational(0))) json["loop"] = each.loop.text();
        if (!each.where.empty()) {
            json["where"] = Json::array();
            for (const Matte& matte : each.where)
                json["where"].push_back(toJson(matte));
        }
        list.push_back(std::move(json));
    }
    return list;
}

std::vector<Displacement> readDisplacements(Fields& fields) {
    const Json& list = fields.array("displacements", Limits::displacements);
    std::vector<Displacement> displacements;
    for (std::size_t i = 0; i < list.size(); ++i) {
        Fields one(list[i], fields.at("displacements", i));
        Displacement each;
        if (one.has("kind")) each.kind = static_cast<DisplacementKind>(one.choice("kind", displacementNames));
        each.on = one.yes("on", true);
        each.amount = one.number("amount", 0, 10'000, each.amount);
        each.size = one.number("size", 0.5, 1e6, each.size);
        each.rate = one.number("rate", 0, 100, each.rate);
        each.direction = one.number("direction", -36'000, 36'000, each.direction);
        if (one.has("centre")) {
            const auto centre = one.numbers("centre", 2, -100, 100);
            each.centre = {centre[0], centre[1]};
        }
        each.fade = one.number("fade", 0, 1e6, each.fade);
        each.foot = one.number("foot", -10, 10, each.foot);
        each.seed = one.whole("seed", -(std::int64_t{1} << 50), std::int64_t{1} << 50, each.seed);
        each.loop = readLoop(one, each.loop);
        if (one.has("where")) each.where = readMattes(one, "where");
        one.nothingElse();
        displacements.push_back(std::move(each));
    }
    return displacements;
}

}
