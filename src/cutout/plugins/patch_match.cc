#include "cutout/plugins.h"

#include <algorithm>
#include <gmic.h>
#include <omp.h>

namespace stage::cutout {
namespace {

std::string fill(float* planes, unsigned width, unsigned height, const char* command, float* share,
                 bool* abort) {
    omp_set_num_threads(1); // the same seed gives the same picture only then
    gmic_list<float> images;
    gmic_list<char> names;
    images.assign(2);
    images[0].assign(width, height, 1, 3);
    images[1].assign(width, height, 1, 1);
    const std::size_t plane = std::size_t{width} * height;
    std::copy_n(planes, 3 * plane, images[0]._data);
    std::copy_n(planes + 3 * plane, plane, images[1]._data);
    try {
        gmic engine("", images, names, nullptr, true, share, abort);
        engine.run(command, images, names, share, abort);
    } catch (const gmic_exception& problem) {
        return problem.what();
    }
    if (images._width < 1 || images[0]._width != width || images[0]._height != height ||
        images[0]._spectrum != 3)
        return "it gave another size";
    std::copy_n(images[0]._data, 3 * plane, planes);
    return {};
}

}

extern "C" __attribute__((visibility("default"))) const PatchMatch stagePlugin;
const PatchMatch stagePlugin{&fill};

}
