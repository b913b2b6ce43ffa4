#include "scene/grade_json.h"

#include "scene/scene_json.h"

#include <algorithm>

namespace stage::scene {

Json toJson(const Grade& grade) {
    const Grade usual;
    Json json = Json::object();
    if (!grade.on) json["on"] = false;
    const auto number = [&](const char* name, double Grade::*value) {
        if (grade.*value != usual.*value) json[name] = grade.*value;
    };
    const auto three = [&](const char* name, V3d Grade::*value) {
        if (grade.*value != usual.*value) json[name] = toJson(grade.*value);
    };
    number("exposure", &Grade::exposure);
    number("warmth", &Grade::warmth);
    number("tint", &Grade::tint);
    three("slope", &Grade::slope);
    three("offset", &Grade::offset);
    three("power", &Grade::power);
    number("contrast", &Grade::contrast);
    number("pivot", &Grade::pivot);
    number("saturation", &Grade::saturation);
    for (std::size_t i = 0; i < grade.curves.size(); ++i) {
        if (grade.curves[i].empty()) continue;
        Json& points = json["curves"][std::string(gradeCurveNames[i])] = Json::array();
        for (const Grade::Point& point : grade.curves[i])
            points.push_back({point.in, point.out});
    }
    if (const Look& look = grade.look; !look.path.empty()) {
        json["look"] = {{"path", look.path},
                        {"values", lookValuesNames[static_cast<std::size_t>(look.values)]},
                        {"strength", look.strength}};
        if (!look.part.empty()) json["look"]["part"] = look.part;
    }
    return json;
}

namespace {

std::vector<Grade::Point> readCurve(Fields& fields, const char* key) {
    const Json& list = fields.array(key, Grade::mostPoints);
    if (list.size() == 1) throw Misread{"'" + fields.at(key) + "' should have two points at least, or none"};
    std::vector<Grade::Point> points;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string where = fields.at(key, i);
        if (!list[i].is_array() || list[i].size() != 2)
            throw Misread{"'" + where + "' should be two numbers: what goes in, and what comes out"};
        points.push_back({numberOf(list[i][0], where, 0, 1), numberOf(list[i][1], where, -1, 2)});
        if (i > 0 && !(points[i].in > points[i - 1].in + 1e-6))
            throw Misread{"'" + where + "' is not after the one before it"};
    }
    return points;
}

V3d readThree(Fields& fields, const char* key, const V3d& fallback, double low, double high) {
    if (!fields.has(key)) return fallback;
    const auto values = fields.numbers(key, 3, low, high);
    return {values[0], values[1], values[2]};
}

}

Grade readGrade(Fields& fields, const Grade& fallback) {
    Grade grade = fallback;
    grade.on = fields.yes("on", grade.on);
    grade.exposure = fields.number("exposure", -20, 20, grade.exposure);
    grade.warmth = fields.number("warmth", -80, 300, grade.warmth);
    grade.tint = fields.number("tint", -50, 50, grade.tint);
    grade.slope = readThree(fields, "slope", grade.slope, 0, 100);
    grade.offset = readThree(fields, "offset", grade.offset, -10, 10);
    grade.power = readThree(fields, "power", grade.power, 0.01, 10);
    grade.contrast = fields.number("contrast", 0.01, 10, grade.contrast);
    grade.pivot = fields.number("pivot", 0.001, 10, grade.pivot);
    grade.saturation = fields.number("saturation", 0, 10, grade.saturation);
    if (fields.has("curves")) {
        Fields curves(fields.object("curves"), fields.at("curves"));
        for (std::size_t i = 0; i < grade.curves.size(); ++i) {
            const std::string name(gradeCurveNames[i]);
            if (curves.has(name.c_str())) grade.curves[i] = readCurve(curves, name.c_str());
        }
        curves.nothingElse();
    }
    if (fields.has("look")) {
        Fields look(fields.object("look"), fields.at("look"));
        grade.look.path = look.text("path", 4096, grade.look.path);
        grade.look.part = look.text("part", 1000, grade.look.part);
        if (look.has("values"))
            grade.look.values = static_cast<Look::Values>(look.choice("values", lookValuesNames));
        grade.look.strength = look.number("strength", 0, 1, grade.look.strength);
        look.nothingElse();
    }
    return grade;
}

Json toJson(const std::vector<DepthGrade>& grades) {
    Json list = Json::array();
    for (const DepthGrade& each : grades)
        list.push_back(
            {{"from", each.from}, {"to", each.to}, {"soft", each.soft}, {"grade", toJson(each.grade)}});
    return list;
}

std::vector<DepthGrade> readDepthGrades(Fields& fields) {
    const Json& list = fields.array("depthGrades", DepthGrade::most);
    std::vector<DepthGrade> grades;
    for (std::size_t i = 0; i < list.size(); ++i) {
        Fields one(list[i], fields.at("depthGrades", i));
        DepthGrade each;
        each.from = one.number("from", 0, Limits::metres, each.from);
        each.to = one.number("to", 0, Limits::metres, std::max(each.from, each.to));
        if (each.to < each.from)
            throw Misread{"'" + one.at("to") + "' is nearer than '" + one.at("from") + "'"};
        each.soft = one.number("soft", 0, Limits::metres, each.soft);
        if (one.has("grade")) {
            Fields grade(one.object("grade"), one.at("grade"));
            each.grade = readGrade(grade, Grade());
            grade.nothingElse();
        }
        one.nothingElse();
        grades.push_back(std::move(each));
    }
    return grades;
}

Json toJson(const ViewTransform& transform) {
    Json json = Json::object();
    const auto text = [&](const char* name, const std::string& value) {
        if (!value.empty()) json[name] = value;
    };
    text("config", transform.config), text("space", transform.space);
    text("display", transform.display), text("view", transform.view);
    return json;
}

ViewTransform readViewTransform(Fields& fields, const ViewTransform& fallback) {
    ViewTransform transform = fallback;
    transform.config = fields.text("config", 4096, transform.config);
    transform.space = fields.text("space", 1000, transform.space);
    transform.display = fields.text("display", 1000, transform.display);
    transform.view = fields.text("view", 1000, transform.view);
    return transform;
}

}
