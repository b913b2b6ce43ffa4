#include "grade/grading.h"

#include "grade/plugins.h"
#include "media/file_state.h"
#include "media/number_key.h"
#include "media/pixel_cache.h"
#include "media/plugin.h"
#include "scene/black_body.h"
#include "scene/grade_json.h"

#include <algorithm>
#include <cmath>
#include <list>
#include <mutex>
#include <utility>

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
    const auto colours = media::pluginOf<Colours>("colours");
    if (!colours) return tl::unexpected(colours.error());
    std::vector<GradeToMake> toMake;
    for (const scene::GradePtr& grade : grades)
        if (!scene::neutral(*grade))
            toMake.push_back({grade, adaptation(grade->warmth, grade->tint) * std::exp2(grade->exposure)});
    GradingPtr grading;
    if (const std::string problem = (*colours)->make(toMake, view, grading); !problem.empty())
        return fail(problem);
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
class GradedSource : public media::PixelSource {
public:
    GradedSource(std::vector<scene::GradePtr> grades, const std::optional<motion::DepthShare>& share,
                 V2i natural, media::PixelSourcePtr below)
        : PixelSource(below->key() + keyOf(grades) + keyOf(share), below->size(), Granularity::EveryLevel),
          m_grades(std::move(grades)), m_share(share), m_natural(natural), m_below(std::move(below)) {}

    Result<media::Raster> compute(int level, const media::Box& box, media::PixelCache& cache,
                                  const Progress& progress) const override {
        const auto grading = gradingOf(m_grades);
        if (!grading) return tl::unexpected(grading.error());
        auto picture = cache.read(m_below, level, box, progress);
        if (!picture || !*grading) return picture;
        const V2i whole = media::levelSize(size(), level), of = box.size();
        const V2d px(static_cast<double>(m_natural.x) / whole.x, static_cast<double>(m_natural.y) / whole.y);
        std::vector<float> row(static_cast<std::size_t>(of.x) * 4);
        for (int y = 0; y < of.y; ++y) {
            Imath::half* texels = picture->row(y);
            std::copy_n(texels, row.size(), row.begin());
            (*grading)->apply(row.data(), static_cast<std::size_t>(of.x));
            for (int x = 0; m_share && x < of.x; ++x) {
                const auto share =
                    static_cast<float>(m_share->at(V2d(box.x0 + x + 0.5, box.y0 + y + 0.5) * px));
                for (int c = 0; c < 3; ++c) {
                    const float before = texels[4 * x + c];
                    float& after = row[static_cast<std::size_t>(4 * x + c)];
                    after = before + (after - before) * share;
                }
            }
            std::copy(row.begin(), row.end(), texels);
        }
        return picture;
    }
    std::string name() const override { return m_below->name(); }

private:
    static std::string keyOf(const std::vector<scene::GradePtr>& grades) { return grade::keyOf(grades); }
    static std::string keyOf(const std::optional<motion::DepthShare>& share) {
        if (!share) return {};
        std::string key = "\nfrom depth";
        media::add(key, V3d(share->from, share->to, share->soft));
        media::add(key, V3d(share->corner, share->across, share->down));
        return key;
    }

    std::vector<scene::GradePtr> m_grades;
    std::optional<motion::DepthShare> m_share;
    V2i m_natural;
    media::PixelSourcePtr m_below;
};

}

media::PixelSourcePtr graded(const motion::Pixels& pixels, media::PixelSourcePtr below) {
    if (!below) return below;
    std::vector<scene::GradePtr> together;
    const auto add = [&](std::vector<scene::GradePtr> grades,
                         const std::optional<motion::DepthShare>& share) {
        if (!keyOf(grades).empty())
            below = std::make_shared<GradedSource>(std::move(grades), share, pixels.layer->pixels,
                                                   std::move(below));
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
