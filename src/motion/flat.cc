#include "motion/flat.h"

namespace stage::motion {

Frame evaluateFlat(const scene::Scene& scene, Rational time, V2i size) {
    // At its own time the first mark's aims and tracks have turned it.
    const scene::Pose pose = CameraMove(scene).at(scene.camera.marks.front().time.toDouble());
    Frame frame = evaluate(scene, time, size, pose);
    for (optics::View* view : {&frame.view, &frame.open, &frame.close})
        view->aperture = 0;
    frame.haze = {};
    return frame;
}

}
