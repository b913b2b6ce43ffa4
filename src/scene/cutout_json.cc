#include "scene/cutout_json.h"

#include "scene/keys_json.h"
#include "scene/scene_json.h"

#include <charconv>

namespace stage::scene {
namespace {

constexpr std::size_t mostPoints = 100'000, mostMattes = 1000;
constexpr double px = 1e6;
const Rational timeBound{1'000'000};

// ---- small values

Json pair(const V2d& v) {
    return {v.x, v.y};
}
V2d readPair(const Json& json, const std::string& where) {
    if (!json.is_array() || json.size() != 2) throw Misread{"'" + where + "' should be two numbers"};
    return {numberOf(json[0], where + "[0]", -px, px), numberOf(json[1], where + "[1]", -px, px)};
}

Json keyedJson(const Keyed<double>& keyed) {
    return scene::keyedJson(keyed, [](double v) { return Json(v); });
}

Keyed<double> readKeyed(Fields& fields, const char* key, double low, double high, double fallback) {
    if (!fields.has(key)) return fallback;
    return scene::readKeyed<double>(
        fields.value(key), fields.at(key),
        [&](const Json& json, const std::string& where) { return numberOf(json, where, low, high); });
}

// ---- shapes

Json pointsJson(const std::vector<PathPoint>& points) {
    Json list = Json::array();
    for (const PathPoint& p : points) {
        Json one = {p.place.x, p.place.y};
        if (p.in != V2d(0) || p.out != V2d(0))
            for (const double v : {p.in.x, p.in.y, p.out.x, p.out.y})
                one.push_back(v);
        list.push_back(std::move(one));
    }
    return list;
}
std::vector<PathPoint> readOutline(const Json& list, const std::string& where) {
    if (!list.is_array() || list.size() > mostPoints)
        throw Misread{"'" + where + "' should be a list of points"};
    std::vector<PathPoint> points;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string at = where + "[" + std::to_string(i) + "]";
        if (!list[i].is_array() || (list[i].size() != 2 && list[i].size() != 6))
            throw Misread{"'" + at + "' should be two numbers, or six with handles"};
        double v[6] = {};
        for (std::size_t c = 0; c < list[i].size(); ++c)
            v[c] = numberOf(list[i][c], at, -px, px);
        points.push_back({{v[0], v[1]}, {v[2], v[3]}, {v[4], v[5]}});
    }
    return points;
}

Json areaJson(const Area& area) {
    return {{"centre", pair(area.centre)}, {"size", pair(area.size)}, {"turn", area.turn}};
}
Area readArea(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Area area;
    area.centre = readPair(fields.value("centre"), fields.at("centre"));
    area.size = readPair(fields.value("size"), fields.at("size"));
    if (area.size.x < 0 || area.size.y < 0) throw Misread{"'" + fields.at("size") + "' is below 0"};
    area.turn = fields.number("turn", -36000, 36000, 0);
    return area;
}

Stroke readStroke(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Stroke stroke;
    stroke.size = fields.number("size", 0.1, 10'000, stroke.size);
    stroke.hardness = fields.number("hardness", 0, 1, stroke.hardness);
    stroke.flow = fields.number("flow", 0, 1, stroke.flow);
    stroke.erase = fields.yes("erase", false);
    const Json& list = fields.array("dabs", mostPoints);
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string at = fields.at("dabs", i);
        if (!list[i].is_array() || list[i].size() < 2 || list[i].size() > 3)
            throw Misread{"'" + at + "' should be two numbers, or three with pressure"};
        Stroke::Dab dab;
        dab.place = {numberOf(list[i][0], at, -px, px), numberOf(list[i][1], at, -px, px)};
        if (list[i].size() == 3) dab.pressure = numberOf(list[i][2], at, 0, 1);
        stroke.dabs.push_back(dab);
    }
    return stroke;
}
std::vector<Stroke> readStrokes(Fields& fields, const char* key) {
    std::vector<Stroke> strokes;
    if (!fields.has(key)) return strokes;
    const Json& list = fields.array(key, mostPoints);
    std::size_t dabs = 0;
    for (std::size_t i = 0; i < list.size(); ++i) {
        strokes.push_back(readStroke(list[i], fields.at(key, i)));
        dabs += strokes.back().dabs.size();
        if (dabs > 10 * mostPoints) throw Misread{"'" + fields.at(key) + "' has too many dabs"};
    }
    return strokes;
}
Json strokesJson(const std::vector<Stroke>& strokes) {
    Json list = Json::array();
    for (const Stroke& stroke : strokes)
        list.push_back(toJson(stroke));
    return list;
}

}

std::vector<Matte> readMattes(Fields& fields, const char* key) {
    std::vector<Matte> mattes;
    if (!fields.has(key)) return mattes;
    const Json& list = fields.array(key, mostMattes);
    for (std::size_t i = 0; i < list.size(); ++i)
        mattes.push_back(readMatte(list[i], fields.at(key, i)));
    return mattes;
}

namespace {

Json mattesJson(const std::vector<Matte>& mattes) {
    Json list = Json::array();
    for (const Matte& matte : mattes)
        list.push_back(toJson(matte));
    return list;
}

// ---- key, edges, fill, match

constexpr std::array<std::string_view, 3> keyKinds = {"colour", "brightness", "difference"};

Json keyJson(const std::variant<ColourKey, BrightnessKey, DifferenceKey>& key) {
    if (const auto* colour = std::get_if<ColourKey>(&key))
        return {{"kind", "colour"},
                {"screen", toJson(colour->screen)},
                {"tolerance", colour->tolerance},
                {"softness", colour->softness},
                {"spill", colour->spill},
                {"keepLight", colour->keepLight}};
    if (const auto* brightness = std::get_if<BrightnessKey>(&key))
        return {{"kind", "brightness"},
                {"low", brightness->low},
                {"high", brightness->high},
                {"invert", brightness->invert}};
    const auto& difference = std::get<DifferenceKey>(key);
    return {{"kind", "difference"},
            {"plate", difference.plate},
            {"tolerance", difference.tolerance},
            {"softness", difference.softness}};
}

std::variant<ColourKey, BrightnessKey, DifferenceKey> readKey(const Json& json, const std::string& where) {
    Fields fields(json, where);
    switch (fields.choice("kind", keyKinds)) {
    case 0: {
        ColourKey key;
        if (fields.has("screen")) key.screen = fields.colour("screen");
        key.tolerance = fields.number("tolerance", 0, 100, key.tolerance);
        key.softness = fields.number("softness", 0, 200, key.softness);
        key.spill = fields.number("spill", 0, 1, key.spill);
        key.keepLight = fields.number("keepLight", 0, 1, key.keepLight);
        return key;
    }
    case 1: {
        BrightnessKey key;
        key.low = fields.number("low", 0, 100, key.low);
        key.high = fields.number("high", 0, 1000, key.high);
        key.invert = fields.yes("invert", false);
        return key;
    }
    default: {
        DifferenceKey key;
        key.plate = fields.text("plate", 4096);
        key.tolerance = fields.number("tolerance", 0, 100, key.tolerance);
        key.softness = fields.number("softness", 0, 100, key.softness);
        return key;
    }
    }
}

Edges readEdges(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Edges edges;
    edges.low = fields.number("low", 0, 1, edges.low);
    edges.high = fields.number("high", 0, 1, edges.high);
    edges.choke = fields.number("choke", -200, 200, edges.choke);
    edges.feather = fields.number("feather", 0, 1000, edges.feather);
    edges.clean = fields.number("clean", 0, 1, edges.clean);
    edges.reach = fields.number("reach", 0.5, 200, edges.reach);
    return edges;
}

Fill readFill(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Fill fill;
    fill.hole = readMattes(fields, "hole");
    fill.from = readMattes(fields, "from");
    fill.grow = fields.number("grow", 0, 200, fill.grow);
    fill.seed = static_cast<int>(fields.whole("seed", 0, 1'000'000, 0));
    fill.draft = fields.yes("draft", false);
    fill.on = fields.yes("on", true);
    return fill;
}

Match readMatch(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Match match;
    if (fields.has("grey")) match.grey = fields.colour("grey");
    match.automatic = fields.yes("automatic", false);
    match.whole = fields.yes("whole", false);
    match.like = fields.whole("like", 0, std::int64_t{1} << 50, 0);
    match.strength = fields.number("strength", 0, 1, 1);
    return match;
}

}

Json toJson(const Stroke& stroke) {
    Json dabs = Json::array();
    for (const Stroke::Dab& dab : stroke.dabs) {
        Json one = pair(dab.place);
        if (dab.pressure != 1) one.push_back(dab.pressure);
        dabs.push_back(std::move(one));
    }
    Json json = {{"size", stroke.size}, {"hardness", stroke.hardness}, {"flow", stroke.flow}};
    if (stroke.erase) json["erase"] = true;
    json["dabs"] = std::move(dabs);
    return json;
}

Json toJson(const Matte& matte) {
    Json json = {{"kind", matteKinds[matte.shape.index()]}, {"name", matte.name}};
    if (!matte.on) json["on"] = false;
    json["combine"] = combineNames[static_cast<std::size_t>(matte.combine)];
    if (matte.invert) json["invert"] = true;
    json["grow"] = keyedJson(matte.grow);
    json["feather"] = keyedJson(matte.feather);
    json["opacity"] = keyedJson(matte.opacity);
    if (const auto* outline = std::get_if<Outline>(&matte.shape)) {
        json["points"] = scene::keyedJson(outline->points, pointsJson);
    } else if (const auto* rectangle = std::get_if<Rectangle>(&matte.shape)) {
        json["area"] = scene::keyedJson(rectangle->area, areaJson);
    } else if (const auto* ellipse = std::get_if<Ellipse>(&matte.shape)) {
        json["area"] = scene::keyedJson(ellipse->area, areaJson);
    } else if (const auto* painted = std::get_if<Painted>(&matte.shape)) {
        json["strokes"] = strokesJson(painted->strokes);
    } else if (const auto* alike = std::get_if<Alike>(&matte.shape)) {
        json["colour"] = toJson(alike->colour);
        json["at"] = pair(alike->at);
        json["touching"] = alike->touching;
        json["tolerance"] = alike->tolerance;
        json["softness"] = alike->softness;
    } else if (const auto* subject = std::get_if<Subject>(&matte.shape)) {
        Json loop = Json::array();
        for (const V2d& place : subject->loop)
            loop.push_back(pair(place));
        json["loop"] = std::move(loop);
        json["hints"] = strokesJson(subject->hints);
        json["refine"] = subject->refine;
        if (subject->frame != 0) json["frame"] = subject->frame;
    } else {
        const auto& other = std::get<OfLayer>(matte.shape);
        json["layer"] = other.layer;
        json["brightness"] = other.brightness;
    }
    for (const auto& [key, value] : matte.extra.items())
        if (!json.contains(key)) json[key] = value;
    return json;
}

Matte readMatte(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Matte matte;
    matte.name = fields.text("name", 1000, "");
    matte.on = fields.yes("on", true);
    if (fields.has("combine")) matte.combine = static_cast<Combine>(fields.choice("combine", combineNames));
    matte.invert = fields.yes("invert", false);
    matte.grow = readKeyed(fields, "grow", -200, 200, 0);
    matte.feather = readKeyed(fields, "feather", 0, 1000, 0);
    matte.opacity = readKeyed(fields, "opacity", 0, 1, 1);
    switch (fields.choice("kind", matteKinds)) {
    case 0:
        matte.shape = Outline{scene::readKeyed<std::vector<PathPoint>>(fields.value("points"),
                                                                       fields.at("points"), readOutline)};
        break;
    case 1:
        matte.shape = Rectangle{scene::readKeyed<Area>(fields.value("area"), fields.at("area"), readArea)};
        break;
    case 2:
        matte.shape = Ellipse{scene::readKeyed<Area>(fields.value("area"), fields.at("area"), readArea)};
        break;
    case 3:
        matte.shape = Painted{readStrokes(fields, "strokes")};
        break;
    case 4: {
        Alike alike;
        alike.colour = fields.colour("colour");
        if (fields.has("at")) alike.at = readPair(fields.value("at"), fields.at("at"));
        alike.touching = fields.yes("touching", true);
        alike.tolerance = fields.number("tolerance", 0, 200, alike.tolerance);
        alike.softness = fields.number("softness", 0, 200, alike.softness);
        matte.shape = alike;
        break;
    }
    case 5: {
        Subject subject;
        const Json& loop = fields.array("loop", mostPoints);
        if (loop.size() < 3) throw Misread{"'" + fields.at("loop") + "' should have at least three places"};
        for (std::size_t i = 0; i < loop.size(); ++i)
            subject.loop.push_back(readPair(loop[i], fields.at("loop", i)));
        subject.hints = readStrokes(fields, "hints");
        subject.refine = fields.number("refine", 0, 200, subject.refine);
        subject.frame = fields.whole("frame", 0, Limits::frames, 0);
        matte.shape = std::move(subject);
        break;
    }
    default:
        matte.shape =
            OfLayer{fields.whole("layer", 1, std::int64_t{1} << 50), fields.yes("brightness", false)};
    }
    matte.extra = fields.rest();
    return matte;
}

Json toJson(const Cutout& cutout) {
    Json json = Json::object();
    if (!cutout.fills.empty()) {
        Json list = Json::array();
        for (const Fill& fill : cutout.fills) {
            Json one = {{"hole", mattesJson(fill.hole)}, {"grow", fill.grow}, {"seed", fill.seed}};
            if (!fill.from.empty()) one["from"] = mattesJson(fill.from);
            if (fill.draft) one["draft"] = true;
            if (!fill.on) one["on"] = false;
            list.push_back(std::move(one));
        }
        json["fills"] = std::move(list);
    }
    if (!cutout.clones.empty()) {
        Json list = Json::array();
        for (const Clone& clone : cutout.clones)
            list.push_back({{"stroke", toJson(clone.stroke)}, {"from", pair(clone.from)}});
        json["clones"] = std::move(list);
    }
    if (cutout.key) json["key"] = keyJson(*cutout.key);
    if (!cutout.mattes.empty()) json["mattes"] = mattesJson(cutout.mattes);
    if (const Edges& e = cutout.edges; !(e == Edges{}))
        json["edges"] = {{"low", e.low},         {"high", e.high},   {"choke", e.choke},
                         {"feather", e.feather}, {"clean", e.clean}, {"reach", e.reach}};
    if (cutout.match) {
        Json match = {{"automatic", cutout.match->automatic}, {"strength", cutout.match->strength}};
        if (cutout.match->grey) match["grey"] = toJson(*cutout.match->grey);
        if (cutout.match->like > 0) match["like"] = cutout.match->like;
        if (cutout.match->whole) match["whole"] = true;
        json["match"] = std::move(match);
    }
    for (const auto& [key, value] : cutout.extra.items())
        if (!json.contains(key)) json[key] = value;
    return json;
}

CutoutPtr readCutout(const Json& json, const std::string& where) {
    Fields fields(json, where);
    auto cutout = std::make_shared<Cutout>();
    if (fields.has("fills")) {
        const Json& list = fields.array("fills", mostMattes);
        for (std::size_t i = 0; i < list.size(); ++i)
            cutout->fills.push_back(readFill(list[i], fields.at("fills", i)));
    }
    if (fields.has("clones")) {
        const Json& list = fields.array("clones", mostPoints);
        for (std::size_t i = 0; i < list.size(); ++i) {
            Fields one(list[i], fields.at("clones", i));
            Clone clone;
            clone.stroke = readStroke(one.object("stroke"), one.at("stroke"));
            clone.from = readPair(one.value("from"), one.at("from"));
            cutout->clones.push_back(std::move(clone));
        }
    }
    if (fields.has("key")) cutout->key = readKey(fields.object("key"), fields.at("key"));
    cutout->mattes = readMattes(fields, "mattes");
    if (fields.has("edges")) cutout->edges = readEdges(fields.object("edges"), fields.at("edges"));
    if (fields.has("match")) cutout->match = readMatch(fields.object("match"), fields.at("match"));
    cutout->extra = fields.rest();
    const bool nothing = cutout->fills.empty() && cutout->clones.empty() && !cutout->key &&
                         cutout->mattes.empty() && cutout->edges == Edges{} && !cutout->match &&
                         cutout->extra.empty();
    return nothing ? nullptr : cutout;
}

// ---- footage time

Json timeToJson(const Footage& footage) {
    Json json = {{"start", footage.start.text()}};
    if (footage.in != 0) json["in"] = footage.in;
    if (footage.out != 0) json["out"] = footage.out;
    if (!(footage.speed == Rational(1))) json["speed"] = footage.speed.text();
    if (!footage.speeds.empty()) {
        Keyed<double> keyed;
        keyed.keys = footage.speeds;
        json["speeds"] = keyedJson(keyed)["keys"];
    }
    if (footage.freeze) json["freeze"] = *footage.freeze;
    if (footage.ends != Ends::Hold) json["ends"] = endsNames[static_cast<std::size_t>(footage.ends)];
    if (footage.mix) json["mix"] = true;
    if (footage.dissolve != 0) json["dissolve"] = footage.dissolve;
    return json;
}

void readTime(Fields& fields, Footage& footage) {
    footage.start = fields.rational("start", Rational(-1'000'000), timeBound, footage.start);
    footage.in = fields.whole("in", 0, Limits::frames, footage.in);
    footage.out = fields.whole("out", 0, Limits::frames, footage.out);
    if (footage.in > footage.last())
        throw Misread{"'" + fields.at("in") + "' is not before the last frame used"};
    footage.speed = fields.rational("speed", Rational(-1000), Rational(1000), footage.speed);
    if (fields.has("speeds")) {
        const Json& list = fields.value("speeds");
        footage.speeds.clear();
        if (!(list.is_array() && list.empty()))
            footage.speeds =
                readKeys<double>(list, fields.at("speeds"), [](const Json& json, const std::string& where) {
                    return numberOf(json, where, -1000, 1000);
                });
    }
    if (fields.has("freeze")) {
        footage.freeze.reset();
        if (!fields.value("freeze").is_null()) footage.freeze = fields.whole("freeze", 0, Limits::frames);
    }
    if (fields.has("ends")) footage.ends = static_cast<Ends>(fields.choice("ends", endsNames));
    footage.mix = fields.yes("mix", footage.mix);
    footage.dissolve = fields.whole("dissolve", 0, Limits::frames, footage.dissolve);
}

// ---- cards

Json stopsToJson(const std::vector<ColourStop>& stops) {
    Json list = Json::array();
    for (const ColourStop& stop : stops)
        list.push_back({{"at", stop.at}, {"colour", toJson(stop.colour)}});
    return list;
}

std::vector<ColourStop> readStops(Fields& fields, const char* key) {
    std::vector<ColourStop> stops;
    const Json& list = fields.array(key, 1000);
    if (list.empty()) throw Misread{"'" + fields.at(key) + "' is empty"};
    for (std::size_t i = 0; i < list.size(); ++i) {
        Fields stop(list[i], fields.at(key, i));
        stops.push_back({stop.number("at", 0, 1, 0), stop.colour("colour")});
        if (i > 0 && stops[i].at < stops[i - 1].at)
            throw Misread{"'" + stop.at("at") + "' is before the one before it"};
    }
    return stops;
}

Json toJson(const Card& card) {
    return {{"stops", stopsToJson(card.stops)}, {"turn", card.turn}, {"radial", card.radial}};
}

Card readCard(Fields& fields, const Card& fallback) {
    Card card = fallback;
    if (fields.has("stops")) card.stops = readStops(fields, "stops");
    card.turn = fields.number("turn", -36000, 36000, card.turn);
    card.radial = fields.yes("radial", card.radial);
    return card;
}

// ---- changing keys

namespace {

Rational rationalOf(const Json& json) {
    if (json.is_number_integer()) return json.get<std::int64_t>();
    const std::string text = json.get<std::string>();
    std::int64_t num = 0, den = 1;
    const char* end = text.data() + text.size();
    const auto [slash, error] = std::from_chars(text.data(), end, num);
    if (error == std::errc{} && slash != end) std::from_chars(slash + 1, end, den);
    return Rational(num, std::max<std::int64_t>(den, 1));
}

}

Json withValueAt(const Json& keyed, Rational time, const Json& value) {
    if (!keyed.is_object() || !keyed.contains("keys")) return value;
    Json out = keyed;
    Json& keys = out["keys"];
    std::size_t at = 0;
    while (at < keys.size() && rationalOf(keys[at]["time"]) < time)
        ++at;
    if (at < keys.size() && rationalOf(keys[at]["time"]) == time) {
        keys[at]["value"] = value;
        return out;
    }
    Json key = {{"time", time.text()}, {"value", value}};
    if (at > 0 && keys[at - 1].contains("pace")) key["pace"] = keys[at - 1]["pace"];
    keys.insert(keys.begin() + static_cast<std::ptrdiff_t>(at), std::move(key));
    return out;
}

}
