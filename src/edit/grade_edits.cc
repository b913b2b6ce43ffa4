#include "edit/grade_edits.h"

#include "grade/grading.h"
#include "scene/grade_json.h"

#include <filesystem>

namespace stage::edit {

using scene::Fields;
using scene::Grade;
using scene::Misread;

namespace {

std::string absolute(const std::string& path) {
    return path.empty() ? path : std::filesystem::absolute(path).lexically_normal().string();
}

/// That its look, if it is another than before, can be read.
void settleLook(scene::Look& look, const scene::Look& before) {
    if (look.path.empty() || look == before) return;
    look.path = absolute(look.path);
    Grade alone;
    alone.look = look;
    alone.look.strength = 1;
    value(grade::gradingOf({std::make_shared<const Grade>(alone)}));
}

}

void changeDepthGrades(scene::Scene& scene, Fields& fields) {
    std::vector<scene::DepthGrade> grades = scene::readDepthGrades(fields);
    for (std::size_t i = 0; i < grades.size(); ++i)
        settleLook(grades[i].grade.look,
                   i < scene.depthGrades.size() ? scene.depthGrades[i].grade.look : scene::Look());
    scene.depthGrades = std::move(grades);
}

void changeViewTransform(scene::Scene& scene, Fields& fields) {
    if (fields.yes("remove", false)) {
        scene.viewTransform = {};
        return;
    }
    scene::ViewTransform next = scene::readViewTransform(fields, scene.viewTransform);
    next.config = absolute(next.config);
    if (next.config.empty())
        throw Misread{"'" + fields.at("config") + "' is needed: the colour configuration"};
    value(grade::gradingOf({}, next));
    scene.viewTransform = std::move(next);
}

void changeGrade(scene::Scene& scene, Fields& fields) {
    const bool off = fields.yes("remove", false);
    // The same members are read for each that is graded.
    const auto changed = [&](const Grade& now) {
        Grade next = scene::readGrade(fields, now);
        settleLook(next.look, now.look);
        return next;
    };
    if (!fields.has("layers")) {
        scene.grade = off ? Grade() : changed(scene.grade);
        return;
    }
    for (const std::int64_t id : layersOf(scene, fields)) {
        const scene::LayerPtr layer = scene::find(scene, id).layer;
        if (layer->box()) throw Misread{"'" + layer->name + "' has no picture that could be graded"};
        const auto next =
            off ? scene::GradePtr()
                : std::make_shared<const Grade>(changed(layer->grade ? *layer->grade : Grade()));
        scene::changeLayer(scene.layers, id, [&](scene::Layer& l) {
            l.grade = next;
            if (off) dropTracksWithout(l);
        });
    }
}

}
