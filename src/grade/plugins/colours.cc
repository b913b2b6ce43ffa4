#include "grade/plugins.h"

#include <OpenColorIO/OpenColorIO.h>
#include <algorithm>
#include <cctype>
#include <filesystem>
#include <memory>
#include <mutex>

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

class Processed : public Change {
public:
    explicit Processed(Processor processor) : m_processor(std::move(processor)) {}
    void apply(float* straight, std::size_t pixels) const override {
        ocio::PackedImageDesc image(straight, static_cast<long>(pixels), 1, 4);
        m_processor->apply(image);
    }

private:
    Processor m_processor;
};

/// Throws where it cannot be made.
ChangePtr changeOf(const ocio::ConstConfigRcPtr& config,
                   const std::vector<ocio::TransformRcPtr>& transforms) {
    const auto group = ocio::GroupTransform::Create();
    for (const auto& transform : transforms)
        group->appendTransform(transform);
    return std::make_shared<const Processed>(config->getProcessor(group)->getOptimizedCPUProcessor(
        ocio::BIT_DEPTH_F32, ocio::BIT_DEPTH_F32, ocio::OPTIMIZATION_DEFAULT));
}

/// What `make` makes. Empty, or what is wrong: `refused`, or that what is named cannot be made.
template <class Make>
std::string made(const std::string& refused, const std::string& cannot, const Make& make) {
    if (!refused.empty()) return refused;
    const std::scoped_lock guard(making);
    beQuiet();
    try {
        ocio::ClearAllCaches(); // else a file that has changed is not read again
        make();
        return {};
    } catch (const std::exception& problem) {
        return cannot + ": " + problem.what();
    }
}

std::string curves(const scene::Grade& grade, ChangePtr& change) {
    return made({}, "The grade cannot be made", [&] {
        auto transform = ocio::GradingRGBCurveTransform::Create(ocio::GRADING_VIDEO);
        const auto& c = grade.curves;
        transform->setValue(
            ocio::GradingRGBCurve::Create(curveOf(c[1]), curveOf(c[2]), curveOf(c[3]), curveOf(c[0])));
        change = changeOf(ocio::Config::CreateRaw(), {encoded(), transform, decoded()});
    });
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

std::string look(const scene::Look& look, ChangePtr& change) {
    return made(refusedFile(look.path), "The look '" + look.path + "' cannot be read", [&] {
        auto file = ocio::FileTransform::Create();
        file->setSrc(look.path.c_str());
        const std::string ending = endingOf(look.path);
        const bool lists = ending == ".ccc" || ending == ".cdl"; // of which the first is that of number 0
        file->setCCCId(lists && look.part.empty() ? "0" : look.part.c_str());
        file->setInterpolation(ending == ".cube" ? ocio::INTERP_BEST : ocio::INTERP_DEFAULT);
        const ocio::TransformRcPtr transform = file;
        change = look.values == scene::Look::Values::Shown
                     ? changeOf(ocio::Config::CreateRaw(), {encoded(), transform, decoded()})
                     : changeOf(ocio::Config::CreateRaw(), {transform});
    });
}

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

std::string view(const scene::ViewTransform& view, ChangePtr& change) {
    return made(refusedConfig(view.config),
                "The view of the colour configuration '" + view.config + "' cannot be made", [&] {
                    const auto config = ocio::Config::CreateFromFile(view.config.c_str());
                    auto shown = ocio::DisplayViewTransform::Create();
                    shown->setSrc(view.space.empty() ? ocio::ROLE_SCENE_LINEAR : view.space.c_str());
                    const char* display =
                        view.display.empty() ? config->getDefaultDisplay() : view.display.c_str();
                    shown->setDisplay(display);
                    shown->setView(view.view.empty() ? config->getDefaultView(display) : view.view.c_str());
                    change = changeOf(config, {shown, decoded()});
                });
}

std::string parts(const std::string& path, std::vector<std::string>& ids) {
    return made(refusedFile(path), "The look '" + path + "' cannot be read", [&] {
        if (endingOf(path) == ".cube") return;
        const auto group = ocio::CDLTransform::CreateGroupFromFile(path.c_str());
        for (int i = 0; i < group->getNumTransforms(); ++i)
            if (const auto one = ocio::DynamicPtrCast<const ocio::CDLTransform>(group->getTransform(i)))
                if (const std::string id = one->getID() ? one->getID() : ""; !id.empty()) ids.push_back(id);
    });
}

std::string views(const std::string& path, Views& views) {
    return made(refusedConfig(path), "The colour configuration '" + path + "' cannot be read", [&] {
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
    });
}

}

extern "C" __attribute__((visibility("default"))) const Colours stagePlugin;
const Colours stagePlugin{&curves, &look, &view, &parts, &views};

}
