#include "grade/grading.h"

#include "grade/plugins.h"
#include "grade/rows.h"
#include "media/file_state.h"
#include "media/number_key.h"
#include "media/pixel_cache.h"
#include "media/plugin.h"
#include "scene/black_body.h"
#include "scene/grade_json.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <list>
#include <mutex>
#include <opencv2/core.hpp>
#include <utility>
#include <variant>

namespace stage::grade {
namespace {

std::string keyOf(const std::vector<scene::GradePtr>& grades) {
    std::string key;
    for (const scene::GradePtr& grade : grades) {
        if (scene::neutral(*grade)) continue;
        key += "\ngraded " + scene::toJson(*grade).dump();
        if (!grade->look.path.empty()) key += media::fileState(grade->look.path);
    }
    return key;
}

/// What is done to straight colours; of what comes out so much is mixed into what was there before.
struct Step {
    std::variant<Affine, Powers, ChangePtr> change;
    float strength = 1;
};

class Steps : public Grading {
public:
    explicit Steps(std::vector<Step> steps) : m_steps(std::move(steps)) {}

    void apply(float* rgba, std::size_t pixels) const override {
        for (std::size_t done = 0; done < pixels; done += atOnce, rgba += 4 * atOnce)
            applyTo(rgba, std::min(atOnce, pixels - done));
    }

private:
    static constexpr std::size_t atOnce = 256; ///< pixels, which stay in the processor's nearest cache

    void applyTo(float* rgba, std::size_t pixels) const {
        std::array<float, 4 * atOnce> straight, before;
        straighten(rgba, pixels, straight.data());
        for (const Step& step : m_steps) {
            if (step.strength < 1) before = straight;
            if (const auto* affine = std::get_if<Affine>(&step.change))
                grade::apply(*affine, straight.data(), pixels);
            else if (const auto* powers = std::get_if<Powers>(&step.change))
                grade::apply(*powers, straight.data(), pixels);
            else
                std::get<ChangePtr>(step.change)->apply(straight.data(), pixels);
            if (step.strength < 1)
                for (std::size_t i = 0; i < 4 * pixels; ++i)
                    straight[i] = before[i] + (straight[i] - before[i]) * step.strength;
        }
        putBack(straight.data(), pixels, rgba);
    }

    std::vector<Step> m_steps;
};

/// Collects them, as few as may be.
class Maker {
public:
    void add(const Affine& affine) {
        if (auto* last = m_steps.empty() ? nullptr : std::get_if<Affine>(&m_steps.back().change))
            *last = last->then(affine);
        else
            m_steps.push_back({affine});
    }
    void raise(const V3d& power, double factor = 1) {
        Powers powers{};
        for (std::size_t c = 0; c < 3; ++c)
            powers.power[c] = static_cast<float>(power[static_cast<int>(c)]),
            powers.factor[c] = static_cast<float>(factor);
        m_steps.push_back({powers});
    }
    /// What is left to OpenColorIO: a function of its plugin, and what that is asked for.
    template <class Asked>
    Result<void> add(std::string (*Colours::*function)(const Asked&, ChangePtr&), const Asked& asked,
                     double strength = 1) {
        const auto colours = media::pluginOf<Colours>("colours");
        if (!colours) return tl::unexpected(colours.error());
        ChangePtr change;
        if (const std::string problem = ((*colours)->*function)(asked, change); !problem.empty())
            return fail(problem);
        m_steps.push_back({std::move(change), static_cast<float>(strength)});
        return {};
    }
    GradingPtr take() {
        return m_steps.empty() ? nullptr : std::make_shared<const Steps>(std::move(m_steps));
    }

private:
    std::vector<Step> m_steps;
};

Result<void> add(Maker& maker, const scene::Grade& grade) {
    const V3d one(1, 1, 1);
    if (grade.exposure != 0 || grade.warmth != 0 || grade.tint != 0)
        maker.add({adaptation(grade.warmth, grade.tint) * std::exp2(grade.exposure)});
    if (const V3d& slope = grade.slope; slope != one || grade.offset != V3d(0))
        maker.add({M33d(slope.x, 0, 0, 0, slope.y, 0, 0, 0, slope.z), grade.offset});
    if (grade.power != one) maker.raise(grade.power);
    // pivot (v / pivot)^contrast
    if (grade.contrast != 1) maker.raise(V3d(grade.contrast), std::pow(grade.pivot, 1 - grade.contrast));
    if (grade.saturation != 1) { // about the luminance of Rec. 709
        const double luminance[3] = {0.2126, 0.7152, 0.0722};
        Affine affine;
        for (int i = 0; i < 3; ++i)
            for (int j = 0; j < 3; ++j)
                affine.of[i][j] = (1 - grade.saturation) * luminance[j] + (i == j ? grade.saturation : 0);
        maker.add(affine);
    }
    if (std::any_of(grade.curves.begin(), grade.curves.end(), [](const auto& c) { return !c.empty(); }))
        if (auto added = maker.add(&Colours::curves, grade); !added) return added;
    if (const scene::Look& look = grade.look; !look.path.empty() && look.strength > 0)
        return maker.add(&Colours::look, look, look.strength);
    return {};
}

constexpr double d65x = 0.3127, d65y = 0.3290;

}

M33d adaptation(double warmth, double tint) {
    constexpr double own = 1e6 / 6504;
    const V2d d65(4 * d65x / (-2 * d65x + 12 * d65y + 3), 6 * d65y / (-2 * d65x + 12 * d65y + 3));
    V2d uv = d65 + scene::planckianLocus(1e6 / (own + warmth)) - scene::planckianLocus(1e6 / own);
    uv.y -= tint / 1000;
    const V2d xy = scene::chromaticityOf(uv);
    const double x = xy.x, y = xy.y;
    const V3d from(d65x / d65y, 1, (1 - d65x - d65y) / d65y), to(x / y, 1, (1 - x - y) / y);
    // Rec. 709 to XYZ (IEC 61966-2-1), and the cones of Bradford.
    const M33d xyz(0.4123908, 0.3575843, 0.1804808, 0.2126390, 0.7151687, 0.0721923, 0.0193308, 0.1191948,
                   0.9505322),
        cones(0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296);
    const auto seen = [&](const V3d& v, int i) {
        return cones[i][0] * v.x + cones[i][1] * v.y + cones[i][2] * v.z;
    };
    M33d scale;
    for (int i = 0; i < 3; ++i)
        scale[i][i] = seen(to, i) / seen(from, i);
    const M33d toCones = cones * xyz;
    return toCones.inverse() * scale * toCones;
}

Result<GradingPtr> gradingOf(const std::vector<scene::GradePtr>& grades, const scene::ViewTransform& view) {
    std::string key = keyOf(grades);
    if (!view.config.empty()) key += "\nview " + scene::toJson(view).dump() + media::fileState(view.config);
    if (key.empty()) return GradingPtr();
    struct Made {
        std::string key;
        GradingPtr grading;
    };
    static std::mutex lock;
    static std::list<Made> last; // latest first
    {
        const std::lock_guard guard(lock);
        for (auto made = last.begin(); made != last.end(); ++made)
            if (made->key == key) {
                last.splice(last.begin(), last, made);
                return last.front().grading;
            }
    }
    Maker maker;
    for (const scene::GradePtr& grade : grades)
        if (!scene::neutral(*grade))
            if (const auto added = add(maker, *grade); !added) return tl::unexpected(added.error());
    if (!view.config.empty())
        if (const auto added = maker.add(&Colours::view, view); !added) return tl::unexpected(added.error());
    const GradingPtr grading = maker.take();
    const std::lock_guard guard(lock);
    last.push_front({key, grading});
    constexpr std::size_t most = 100;
    if (last.size() > most) last.pop_back();
    return grading;
}

Result<std::vector<std::string>> partsOf(const std::string& path) {
    const auto colours = media::pluginOf<Colours>("colours");
    if (!colours) return tl::unexpected(colours.error());
    std::vector<std::string> ids;
    if (const std::string problem = (*colours)->parts(path, ids); !problem.empty()) return fail(problem);
    return ids;
}

Result<Views> viewsOf(const std::string& config) {
    const auto colours = media::pluginOf<Colours>("colours");
    if (!colours) return tl::unexpected(colours.error());
    Views views;
    if (const std::string problem = (*colours)->views(config, views); !problem.empty()) return fail(problem);
    return views;
}

namespace {

/// Grades one after the other, as much of them as a share of each place says.
/// A row of halfs as floats and back, RGBA: one by one they would take longer than all else.
class FloatRow {
public:
    explicit FloatRow(int texels) : m_floats(1, texels, CV_32FC4) {}
    float* read(Imath::half* texels) {
        cv::Mat(1, m_floats.cols, CV_16FC4, texels).convertTo(m_floats, CV_32FC4);
        return m_floats.ptr<float>();
    }
    void write(Imath::half* texels) const {
        cv::Mat to(1, m_floats.cols, CV_16FC4, texels);
        m_floats.convertTo(to, CV_16FC4);
    }

private:
    cv::Mat m_floats;
};

class GradedSource : public media::PixelSource {
public:
    GradedSource(std::vector<scene::GradePtr> grades, media::PixelSourcePtr below)
        : PixelSource(below->key() + keyOf(grades), below->size(), Granularity::EveryLevel,
                      below->seriesOf("graded")),
          m_grades(std::move(grades)), m_below(std::move(below)) {}

    Result<media::Raster> compute(int level, const media::Box& box, media::PixelCache& cache,
                                  const Progress& progress) const override {
        const auto grading = gradingOf(m_grades);
        if (!grading) return tl::unexpected(grading.error());
        auto picture = cache.read(m_below, level, box, progress);
        if (!picture || !*grading) return picture;
        FloatRow row(box.size().x);
        for (int y = 0; y < box.size().y; ++y) {
            (*grading)->apply(row.read(picture->row(y)), static_cast<std::size_t>(box.size().x));
            row.write(picture->row(y));
        }
        return picture;
    }
    std::string name() const override { return m_below->name(); }

private:
    std::vector<scene::GradePtr> m_grades;
    media::PixelSourcePtr m_below;
};

/// A picture, and by depth as it is graded: two, so that what is graded stays as it is while the camera
/// moves.
class GradedByDepthSource : public media::PixelSource {
public:
    GradedByDepthSource(const motion::DepthShare& share, V2i natural, media::PixelSourcePtr below,
                        media::PixelSourcePtr graded)
        : PixelSource(graded->key() + keyOf(share), below->size(), Granularity::EveryLevel,
                      graded->seriesOf("by depth")),
          m_share(share), m_natural(natural), m_below(std::move(below)), m_graded(std::move(graded)) {}

    Result<media::Raster> compute(int level, const media::Box& box, media::PixelCache& cache,
                                  const Progress& progress) const override {
        auto picture = cache.read(m_below, level, box, progress);
        if (!picture) return picture;
        auto graded = cache.read(m_graded, level, box, progress);
        if (!graded) return graded;
        const V2i whole = media::levelSize(size(), level), of = box.size();
        const V2d px(static_cast<double>(m_natural.x) / whole.x, static_cast<double>(m_natural.y) / whole.y);
        FloatRow without(of.x), with(of.x);
        for (int y = 0; y < of.y; ++y) {
            float* p = without.read(picture->row(y));
            const float* to = with.read(graded->row(y));
            for (int x = 0; x < of.x; ++x, p += 4, to += 4) {
                if (std::equal(p, p + 3, to)) continue;
                const auto share =
                    static_cast<float>(m_share.at(V2d(box.x0 + x + 0.5, box.y0 + y + 0.5) * px));
                for (int c = 0; c < 3; ++c)
                    p[c] += (to[c] - p[c]) * share;
            }
            without.write(picture->row(y));
        }
        return picture;
    }
    std::string name() const override { return m_below->name(); }

private:
    static std::string keyOf(const motion::DepthShare& share) {
        std::string key = "\nfrom depth";
        media::add(key, V3d(share.from, share.to, share.soft));
        media::add(key, V3d(share.corner, share.across, share.down));
        return key;
    }

    motion::DepthShare m_share;
    V2i m_natural;
    media::PixelSourcePtr m_below, m_graded;
};

}

media::PixelSourcePtr graded(const motion::Pixels& pixels, media::PixelSourcePtr below) {
    if (!below) return below;
    std::vector<scene::GradePtr> together;
    const auto add = [&](std::vector<scene::GradePtr> grades,
                         const std::optional<motion::DepthShare>& share) {
        if (keyOf(grades).empty()) return;
        auto made = std::make_shared<GradedSource>(std::move(grades), below);
        if (share)
            below = std::make_shared<GradedByDepthSource>(*share, pixels.layer->pixels, std::move(below),
                                                          std::move(made));
        else
            below = std::move(made);
    };
    for (const motion::PixelGrade& each : pixels.grades) {
        if (!each.share) {
            together.push_back(each.grade);
            continue;
        }
        add(std::exchange(together, {}), {});
        add({each.grade}, each.share);
    }
    add(std::move(together), {});
    return below;
}

}
