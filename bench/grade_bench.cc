// A grade of a whole picture, over OpenColorIO's own processor of the same transforms on the same picture.
#include "bench_folder.h"
#include "grade/grading.h"

#include <OpenColorIO/OpenColorIO.h>
#include <benchmark/benchmark.h>
#include <cmath>
#include <fstream>

namespace {

using namespace stage;
namespace ocio = OCIO_NAMESPACE;

constexpr int width = 1920, height = 1080;

/// Colours of all kinds, opaque.
const std::vector<float>& picture() {
    static const std::vector<float> made = [] {
        std::vector<float> rgba(4 * static_cast<std::size_t>(width) * height, 1.f);
        for (std::size_t i = 0; i < rgba.size(); ++i)
            if (i % 4 != 3) rgba[i] = 0.6f + 0.55f * std::sin(static_cast<float>(i) * 0.00137f);
        return rgba;
    }();
    return made;
}

/// A look of 33 x 33 x 33 numbers.
std::string cube() {
    static const std::string path = [] {
        const auto file = bench::folder() / "look.cube";
        std::ofstream out(file);
        out << "LUT_3D_SIZE 33\n";
        for (int b = 0; b < 33; ++b)
            for (int g = 0; g < 33; ++g)
                for (int r = 0; r < 33; ++r)
                    out << std::pow(r / 32.0, 1.1) << ' ' << (0.9 * g + 0.1 * r) / 32 << ' '
                        << std::pow(b / 32.0, 0.9) << '\n';
        return file.string();
    }();
    return path;
}

scene::Grade wanted() {
    scene::Grade grade;
    grade.slope = {1.1, 1, 0.95}, grade.offset = {0.01, 0, 0.02}, grade.power = {1.1, 1.05, 0.95};
    grade.saturation = 0.9;
    grade.look.path = cube();
    return grade;
}

void ours(benchmark::State& state) {
    const auto grading = grade::gradingOf({std::make_shared<const scene::Grade>(wanted())});
    if (!grading) return state.SkipWithError(grading.error().sentence.c_str());
    std::vector<float> rgba = picture();
    for (auto _ : state) {
        rgba = picture();
        (*grading)->apply(rgba.data(), rgba.size() / 4);
        benchmark::DoNotOptimize(rgba.data());
    }
}
BENCHMARK(ours)->Unit(benchmark::kMillisecond)->UseRealTime()->Repetitions(7);

void yardstickOpenColorIO(benchmark::State& state) {
    const scene::Grade grade = wanted();
    auto group = ocio::GroupTransform::Create();
    auto cdl = ocio::CDLTransform::Create();
    const double sop[9] = {grade.slope.x,  grade.slope.y, grade.slope.z, grade.offset.x, grade.offset.y,
                           grade.offset.z, grade.power.x, grade.power.y, grade.power.z};
    cdl->setStyle(ocio::CDL_NO_CLAMP);
    cdl->setSOP(sop);
    cdl->setSat(grade.saturation);
    group->appendTransform(cdl);
    const auto encoding = [&](ocio::TransformDirection direction) {
        auto curve = ocio::ExponentWithLinearTransform::Create();
        const double gamma[4] = {2.4, 2.4, 2.4, 1}, offset[4] = {0.055, 0.055, 0.055, 0};
        curve->setGamma(gamma);
        curve->setOffset(offset);
        curve->setNegativeStyle(ocio::NEGATIVE_LINEAR);
        curve->setDirection(direction);
        group->appendTransform(curve);
    };
    encoding(ocio::TRANSFORM_DIR_INVERSE);
    auto file = ocio::FileTransform::Create();
    file->setSrc(cube().c_str());
    file->setInterpolation(ocio::INTERP_BEST);
    group->appendTransform(file);
    encoding(ocio::TRANSFORM_DIR_FORWARD);
    const auto processor = ocio::Config::CreateRaw()->getProcessor(group)->getDefaultCPUProcessor();
    std::vector<float> rgba = picture();
    for (auto _ : state) {
        rgba = picture();
        ocio::PackedImageDesc image(rgba.data(), width, height, 4);
        processor->apply(image);
        benchmark::DoNotOptimize(rgba.data());
    }
}
BENCHMARK(yardstickOpenColorIO)->Unit(benchmark::kMillisecond)->UseRealTime()->Repetitions(7);

}

BENCHMARK_MAIN();
