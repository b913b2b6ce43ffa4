#include "grade/plugins.h"

#include <OpenColorIO/OpenColorIO.h>
#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <filesystem>
#include <mutex>
#include <optional>

namespace stage::grade {
namespace {

namespace ocio = OCIO_NAMESPACE;
using Processor = ocio::ConstCPUProcessorRcPtr;

/// What OpenColorIO is made to know, which reads files into caches of its own.
std::mutex making;
/// What is wrong with a file is told once, by us.
void beQuiet() {
    ocio::SetLoggingLevel(ocio::LOGGING_LEVEL_NONE);
}

/// Scene-linear to sRGB-encoded values, or back; below 0 straight.
ocio::TransformRcPtr encoding(ocio::TransformDirection direction) {
    auto curve = ocio::ExponentWithLinearTransform::Create();
    const double gamma[4] = {2.4, 2.4, 2.4, 1}, offset[4] = {0.055, 0.055, 0.055, 0};
    curve->setGamma(gamma);
    curve->setOffset(offset);
    curve->setNegativeStyle(ocio::NEGATIVE_LINEAR);
    curve->setDirection(direction);
    return curve;
}
ocio::TransformRcPtr encoded() {
    return encoding(ocio::TRANSFORM_DIR_INVERSE);
}
ocio::TransformRcPtr decoded() {
    return encoding(ocio::TRANSFORM_DIR_FORWARD);
}

ocio::ConstGradingBSplineCurveRcPtr curveOf(const std::vector<scene::Grade::Point>& points) {
    if (points.size() < 2) return ocio::GradingBSplineCurve::Create({{0.f, 0.f}, {1.f, 1.f}});
    auto curve = ocio::GradingBSplineCurve::Create(points.size());
    for (std::size_t i = 0; i < points.size(); ++i)
        curve->getControlPoint(i) = {static_cast<float>(points[i].in), static_cast<float>(points[i].out)};
    return curve;
}

/// Steps of pixels, straight colours: what OpenColorIO does, or powers; after some of them a share of what
/// was there before is mixed in again.
struct Step {
    Processor processor; ///< null: powers
    Powers powers{};
    float strength = 1;
};

/// Transforms one after the other, as few steps as may be.
class Maker {
public:
    explicit Maker(ocio::ConstConfigRcPtr config) : m_config(std::move(config)) {}

    void add(const ocio::TransformRcPtr& transform) { m_group->appendTransform(transform); }
    void raise(const V3d& power, double factor = 1) {
        end();
        Step step;
        for (std::size_t c = 0; c < 3; ++c)
            step.powers.power[c] = static_cast<float>(power[static_cast<int>(c)]),
            step.powers.factor[c] = static_cast<float>(factor);
        m_steps.push_back(step);
    }
    /// What was added since the last step is one.
    void end(double strength = 1) {
        if (m_group->getNumTransforms() == 0) return;
        Step step;
        step.processor = m_config->getProcessor(m_group)->getOptimizedCPUProcessor(
            ocio::BIT_DEPTH_F32, ocio::BIT_DEPTH_F32, ocio::OPTIMIZATION_DEFAULT);
        step.strength = static_cast<float>(strength);
        m_steps.push_back(step);
        m_group = ocio::GroupTransform::Create();
    }
    /// Throws where what was added cannot be made.
    void check() const { m_config->getProcessor(m_group); }
    std::vector<Step> take() {
        end();
        return std::move(m_steps);
    }

private:
    ocio::ConstConfigRcPtr m_config;
    ocio::GroupTransformRcPtr m_group = ocio::GroupTransform::Create();
    std::vector<Step> m_steps;
};

void add(Maker& maker, const scene::Grade& grade, const M33d& light) {
    const V3d one(1, 1, 1);
    if (grade.exposure != 0 || grade.warmth != 0 || grade.tint != 0) {
        double matrix[16] = {};
        for (int i = 0; i < 3; ++i)
            for (int j = 0; j < 3; ++j)
                matrix[4 * i + j] = light[i][j];
        matrix[15] = 1;
        auto transform = ocio::MatrixTransform::Create();
        transform->setMatrix(matrix);
        maker.add(transform);
    }
    if (grade.slope != one || grade.offset != V3d(0)) {
        auto transform = ocio::CDLTransform::Create();
        transform->setStyle(ocio::CDL_NO_CLAMP);
        const double sop[9] = {grade.slope.x,
                               grade.slope.y,
                               grade.slope.z,
                               grade.offset.x,
                               grade.offset.y,
                               grade.offset.z,
                               1,
                               1,
                               1};
        transform->setSOP(sop);
        maker.add(transform);
    }
    if (grade.power != one) maker.raise(grade.power);
    // pivot (v / pivot)^contrast
    if (grade.contrast != 1) maker.raise(V3d(grade.contrast), std::pow(grade.pivot, 1 - grade.contrast));
    if (grade.saturation != 1) {
        auto transform = ocio::CDLTransform::Create();
        transform->setStyle(ocio::CDL_NO_CLAMP);
        transform->setSat(grade.saturation);
        maker.add(transform);
    }
    if (std::any_of(grade.curves.begin(), grade.curves.end(), [](const auto& c) { return !c.empty(); })) {
        maker.add(encoded());
        auto transform = ocio::GradingRGBCurveTransform::Create(ocio::GRADING_VIDEO);
        transform->setValue(ocio::GradingRGBCurve::Create(curveOf(grade.curves[1]), curveOf(grade.curves[2]),
                                                          curveOf(grade.curves[3]),
                                                          curveOf(grade.curves[0])));
        maker.add(transform);
        maker.add(decoded());
    }
}

std::string endingOf(const std::string& path) {
    std::string ending = std::filesystem::path(path).extension().string();
    for (char& c : ending)
        c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return ending;
}

/// Empty, or why a file is not even looked into.
std::string refusedFile(const std::string& path) {
    const std::string ending = endingOf(path);
    if (ending != ".cube" && ending != ".cdl" && ending != ".cc" && ending != ".ccc")
        return "The look '" + path + "' is no .cube, .cdl, .cc or .ccc file.";
    std::error_code code;
    if (!std::filesystem::is_regular_file(path, code))
        return "The look '" + path + "' is not there, or is no file.";
    constexpr std::uintmax_t most = std::uintmax_t{64} << 20;
    if (std::filesystem::file_size(path, code) > most || code)
        return "The look '" + path + "' is larger than 64 MB, or cannot be read.";
    return {};
}

void add(Maker& maker, const scene::Look& look) {
    const bool shown = look.values == scene::Look::Values::Shown;
    if (shown) maker.add(encoded());
    auto file = ocio::FileTransform::Create();
    file->setSrc(look.path.c_str());
    const std::string ending = endingOf(look.path);
    const bool lists = ending == ".ccc" || ending == ".cdl"; // of which the first is that of number 0
    file->setCCCId(lists && look.part.empty() ? "0" : look.part.c_str());
    file->setInterpolation(ending == ".cube" ? ocio::INTERP_BEST : ocio::INTERP_DEFAULT);
    maker.add(file);
    if (shown) maker.add(decoded());
}

class Steps : public Grading {
public:
    Steps(std::vector<Step> steps, decltype(&grade::raise) raise)
        : m_steps(std::move(steps)), m_raise(raise) {}

    void apply(float* rgba, std::size_t pixels) const override {
        constexpr std::size_t most = 4096;
        std::array<float, 4 * most> straight;
        for (std::size_t done = 0; done < pixels; done += most, rgba += 4 * most)
            applyTo(rgba, std::min(most, pixels - done), straight.data());
    }

private:
    void applyTo(float* rgba, std::size_t pixels, float* straight) const {
        for (std::size_t i = 0; i < 4 * pixels; i += 4) {
            const float by = rgba[i + 3] > 0 ? 1 / rgba[i + 3] : 1;
            for (std::size_t c = 0; c < 3; ++c)
                straight[i + c] = rgba[i + c] * by;
            straight[i + 3] = 1;
        }
        std::vector<float> before;
        for (const Step& step : m_steps) {
            if (step.strength < 1) before.assign(straight, straight + 4 * pixels);
            if (step.processor) {
                ocio::PackedImageDesc image(straight, static_cast<long>(pixels), 1, 4);
                step.processor->apply(image);
            } else {
                m_raise(step.powers, straight, pixels);
            }
            for (std::size_t i = 0; i < before.size(); ++i)
                straight[i] = before[i] + (straight[i] - before[i]) * step.strength;
            before.clear();
        }
        constexpr float highest = 65000; // of a half float
        for (std::size_t i = 0; i < 4 * pixels; i += 4) {
            const float alpha = rgba[i + 3], by = alpha > 0 ? alpha : 1;
            if (!(alpha > 0) && rgba[i] == 0 && rgba[i + 1] == 0 && rgba[i + 2] == 0) continue;
            for (std::size_t c = 0; c < 3; ++c) {
                const float v = straight[i + c];
                rgba[i + c] = v > -highest ? std::min(v, highest) * by : v == v ? -highest * by : 0;
            }
        }
    }

    std::vector<Step> m_steps;
    decltype(&grade::raise) m_raise;
};

/// Empty, or why a configuration is not even looked into.
std::string refusedConfig(const std::string& path) {
    std::error_code code;
    if (!std::filesystem::is_regular_file(path, code))
        return "The colour configuration '" + path + "' is not there, or is no file.";
    constexpr std::uintmax_t most = std::uintmax_t{16} << 20;
    if (std::filesystem::file_size(path, code) > most || code)
        return "The colour configuration '" + path + "' is larger than 16 MB, or cannot be read.";
    return {};
}

/// From scene-linear Rec. 709 to what a view shows, as light.
std::vector<Step> viewOf(const scene::ViewTransform& view) {
    const auto config = ocio::Config::CreateFromFile(view.config.c_str());
    auto shown = ocio::DisplayViewTransform::Create();
    shown->setSrc(view.space.empty() ? ocio::ROLE_SCENE_LINEAR : view.space.c_str());
    const char* display = view.display.empty() ? config->getDefaultDisplay() : view.display.c_str();
    shown->setDisplay(display);
    shown->setView(view.view.empty() ? config->getDefaultView(display) : view.view.c_str());
    Maker maker(config);
    maker.add(shown);
    maker.add(decoded());
    return maker.take();
}

std::string make(const std::vector<GradeToMake>& grades, const scene::ViewTransform& view,
                 decltype(&grade::raise) raise, GradingPtr& made) {
    const std::scoped_lock guard(making);
    beQuiet();
    std::string reading;
    try {
        Maker maker(ocio::Config::CreateRaw());
        for (const auto& [grade, light] : grades) {
            add(maker, *grade, light);
            const scene::Look& look = grade->look;
            if (look.path.empty() || look.strength <= 0) continue;
            if (std::string refused = refusedFile(look.path); !refused.empty()) return refused;
            ocio::ClearAllCaches(); // else a file that has changed is not read again
            reading = look.path;
            if (look.strength < 1) maker.end();
            add(maker, look);
            maker.check(); // told of here, where it is known which file is meant
            if (look.strength < 1) maker.end(look.strength);
            reading.clear();
        }
        std::vector<Step> steps = maker.take();
        if (!view.config.empty()) {
            if (std::string refused = refusedConfig(view.config); !refused.empty()) return refused;
            ocio::ClearAllCaches();
            reading = view.config;
            for (Step& step : viewOf(view))
                steps.push_back(std::move(step));
            reading.clear();
        }
        made = steps.empty() ? nullptr : std::make_shared<const Steps>(std::move(steps), raise);
        return {};
    } catch (const std::exception& problem) {
        if (!reading.empty() && reading == view.config)
            return "The view of the colour configuration '" + reading + "' cannot be made: " + problem.what();
        if (!reading.empty()) return "The look '" + reading + "' cannot be read: " + problem.what();
        return std::string("The grade cannot be made: ") + problem.what();
    }
}

std::string parts(const std::string& path, std::vector<std::string>& ids) {
    if (std::string refused = refusedFile(path); !refused.empty()) return refused;
    if (endingOf(path) == ".cube") return {};
    const std::scoped_lock guard(making);
    beQuiet();
    try {
        ocio::ClearAllCaches();
        const auto group = ocio::CDLTransform::CreateGroupFromFile(path.c_str());
        for (int i = 0; i < group->getNumTransforms(); ++i)
            if (const auto one = ocio::DynamicPtrCast<const ocio::CDLTransform>(group->getTransform(i)))
                if (const std::string id = one->getID() ? one->getID() : ""; !id.empty()) ids.push_back(id);
        return {};
    } catch (const std::exception& problem) {
        return "The look '" + path + "' cannot be read: " + problem.what();
    }
}

std::string views(const std::string& path, Views& views) {
    if (std::string refused = refusedConfig(path); !refused.empty()) return refused;
    const std::scoped_lock guard(making);
    beQuiet();
    try {
        const auto config = ocio::Config::CreateFromFile(path.c_str());
        for (int i = 0; i < config->getNumColorSpaces(); ++i)
            views.spaces.emplace_back(config->getColorSpaceNameByIndex(i));
        for (int i = 0; i < config->getNumDisplays(); ++i) {
            const char* name = config->getDisplay(i);
            Views::Display& display = views.displays.emplace_back();
            display.name = name;
            for (int k = 0; k < config->getNumViews(name); ++k)
                display.views.emplace_back(config->getView(name, k));
        }
        return {};
    } catch (const std::exception& problem) {
        return "The colour configuration '" + path + "' cannot be read: " + problem.what();
    }
}

}

extern "C" __attribute__((visibility("default"))) const Colours stagePlugin;
const Colours stagePlugin{&make, &parts, &views};

}
