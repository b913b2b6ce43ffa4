#include "cli/reports.h"

#include "checks/check.h"
#include "media/content.h"
#include "motion/measure.h"
#include "motion/resolved_scene.h"
#include "optics/lens.h"
#include "scene/scene_json.h"

#include <cmath>
#include <iomanip>

namespace stage::cli {

using scene::Json;

Json info(const scene::Scene& scene) {
    Json layers = Json::array();
    const scene::Mark& mark1 = scene.camera.marks.front();
    const motion::ResolvedScene first(scene, mark1.time, mark1.pose);
    for (const scene::LayerPath& found : scene::all(scene)) {
        const scene::LayerPtr& layer = found.layer;
        Json json = {{"id", layer->id},
                     {"name", layer->name},
                     {"kind", scene::layerKinds[layer->content.index()]},
                     {"depth", first.depthOf(first.find(layer->id))},
                     {"visible", layer->visible},
                     {"blend", scene::blendNames[static_cast<std::size_t>(layer->blend)]},
                     {"opacity", layer->opacity}};
        if (layer->locked) json["locked"] = true;
        if (!layer->tags.empty()) json["tags"] = layer->tags;
        if (layer->follows != 0) json["follows"] = layer->follows;
        if (!found.holders.empty()) json["in"] = found.holders.back()->name;
        if (!layer->group()) json["pixels"] = {layer->pixels.x, layer->pixels.y};
        if (const scene::Media* media = scene::mediaOf(*layer)) {
            json["media"] = media->path;
            json["missing"] = !media::isThere(*layer);
        }
        layers.push_back(std::move(json));
    }
    Json marks = Json::array();
    for (const scene::Mark& mark : scene.camera.marks)
        marks.push_back({{"name", mark.name},
                         {"frame", frameAt(mark.time, scene.output.rate)},
                         {"seconds", mark.time.toDouble()},
                         {"focal", mark.pose.focal},
                         {"focus", mark.pose.focus},
                         {"fstop", mark.pose.fstop},
                         {"angle", optics::angleOfView(mark.pose.focal, scene.camera.gate)}});
    const scene::Output& out = scene.output;
    return {{"frame", {out.frame.x, out.frame.y}},
            {"rate", out.rate.text()},
            {"frames", out.frames},
            {"seconds", (Rational(out.frames) / out.rate).toDouble()},
            {"gate", scene.camera.gate},
            {"homeDepth", scene.homeDepth},
            {"marks", std::move(marks)},
            {"layers", std::move(layers)}};
}

Json measurements(const scene::Scene& scene, std::int64_t frame) {
    const Rational time = timeOfFrame(frame, scene.output.rate);
    const motion::CameraMove move(scene);
    Json layers = Json::array();
    const auto measures = motion::measureAll(scene, move, time);
    std::size_t at = 0;
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
        const motion::Measure& m = measures[at++];
        Json corners; // null when a corner is behind the camera
        if (m.corners)
            for (const V2d& corner : *m.corners)
                corners.push_back({corner.x, corner.y});
        layers.push_back({{"id", layer->id},
                          {"name", layer->name},
                          {"depth", m.depth},
                          {"ahead", m.ahead},
                          {"behind", m.ahead <= 0},
                          {"distance", m.distance},
                          {"corners", std::move(corners)},
                          {"metres", {m.metres.x, m.metres.y}},
                          {"size", {m.size().x, m.size().y}},
                          {"enlargement", m.enlargement},
                          {"blur", m.blur},
                          {"travel", m.travel}});
    });
    const scene::Pose pose = move.at(time.toDouble());
    const optics::Sharpness sharp = optics::sharpnessOf(pose, scene.camera.gate, scene.output.frame);
    Json range = {sharp.near};
    range.push_back(std::isinf(sharp.far) ? Json() : Json(sharp.far));
    return {{"frame", frame},
            {"sharp", std::move(range)}, // null: without end
            {"hyperfocal", sharp.hyperfocal},
            {"camera", scene::toJson(pose)},
            {"seconds", time.toDouble()},
            {"speed", move.speed(time.toDouble())},
            {"turning", move.turning(time.toDouble())},
            {"layers", std::move(layers)}};
}

namespace {

Json findingToJson(const checks::Finding& finding) {
    Json json = {{"what", checks::nameOf(finding.kind)},
                 {"sentence", finding.sentence},
                 {"from", finding.from.text()},
                 {"to", finding.to.text()},
                 {"at", finding.at.text()}};
    if (finding.layer != 0) json["layer"] = finding.layer;
    if (!finding.reason.empty()) json["reason"] = finding.reason;
    json["fixes"] = Json::array();
    for (const checks::Fix& fix : finding.fixes)
        json["fixes"].push_back({{"name", fix.name}, {"edit", fix.edit}});
    for (const checks::Finding& member : finding.members)
        json["each"].push_back(findingToJson(member));
    return json;
}

Json findingsToJson(const std::vector<checks::Finding>& findings) {
    Json list = Json::array();
    for (const checks::Finding& finding : findings)
        list.push_back(findingToJson(finding));
    return list;
}

}

Json findings(const scene::Scene& scene) {
    media::PixelCache cache;
    const auto report = checks::check(scene, cache);
    if (!report) return Json::object();
    Json json = {
        {"speed", report->speed},
        {"acceleration", report->acceleration},
        {"turning", report->turning},
        {"rig", report->rig ? Json(scene::rigNames[static_cast<std::size_t>(*report->rig)]) : Json()},
        {"findings", findingsToJson(report->findings)}};
    if (!report->setAside.empty()) json["setAside"] = findingsToJson(report->setAside);
    return json;
}

void tellTimes(const StageTimes& times, std::chrono::nanoseconds passed, std::int64_t frames,
               std::ostream& out) {
    const auto line = [&](const char* name, std::chrono::nanoseconds time) {
        const double seconds = std::chrono::duration<double>(time).count();
        out << std::left << std::setw(12) << name << std::right << std::fixed << std::setprecision(3)
            << std::setw(10) << seconds << " s" << std::setprecision(1) << std::setw(10)
            << 1000 * seconds / static_cast<double>(frames) << " ms a frame\n";
    };
    out << frames << (frames == 1 ? " frame; threads" : " frames; threads")
        << " work side by side, so stages can take more than all\n";
    line("all", passed);
    for (std::size_t i = 0; i < times.size(); ++i)
        line(stageNames[i], times[i]);
}

}
