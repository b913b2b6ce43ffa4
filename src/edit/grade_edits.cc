#include "edit/grade_edits.h"

#include "grade/grading.h"
#include "scene/grade_json.h"
#include "scene/property.h"

#include <filesystem>

namespace stage::edit {

using scene::Fields;
using scene::Grade;
using scene::Misread;

void changeGrade(scene::Scene& scene, Fields& fields) {
    const bool off = fields.yes("remove", false);
    // The same members are read for each that is graded.
    const auto changed = [&](const Grade& now) {
        Grade next = scene::readGrade(fields, now);
        if (!next.look.path.empty() && !(next.look == now.look)) {
            next.look.path = std::filesystem::absolute(next.look.path).lexically_normal().string();
            Grade alone;
            alone.look = next.look;
            alone.look.strength = 1;
            value(grade::gradingOf({std::make_shared<const Grade>(alone)}));
        }
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
            if (off)
                std::erase_if(l.tracks, [&](const scene::Track& track) {
                    const auto* property = scene::layerProperty(track.property);
                    return property && property->has && !property->has(l);
                });
        });
    }
}

}
