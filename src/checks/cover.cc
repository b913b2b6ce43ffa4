#include "checks/cover.h"

#include "checks/frames.h"
#include "motion/frame.h"
#include "motion/resolved_scene.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace stage::checks {
namespace {

/// Moments of an exposure.
constexpr int moments = 3;

class CoverFinder {
public:
    CoverFinder(const scene::Scene& scene, const std::stop_token& stop)
        : m_scene(scene), m_stop(stop), m_move(scene), m_still(!motion::moves(scene)),
          m_half(motion::halfExposure(scene).toDouble()) {
        if (m_still) m_resolved = std::make_unique<motion::ResolvedScene>(scene, Rational(0), m_move.at(0));
    }

    Result<std::vector<Cover>> look(const std::vector<std::int64_t>& ids) {
        std::vector<Cover> covers;
        for (const std::int64_t id : ids) {
            const scene::LayerPtr layer = scene::find(m_scene, id).layer;
            if (!layer || layer->group() || layer->box()) continue;
            covers.emplace_back().layer = id;
            const scene::Extensions& on = layer->hanging.extensions;
            covers.back().held = {-on.left.reach(), -on.top.reach(), 1 + on.right.reach(),
                                  1 + on.bottom.reach()};
        }
        const double rate = m_scene.output.rate.toDouble();
        const std::int64_t step = stepOf(m_scene);
        const std::int64_t looked = (m_scene.output.frames + step - 1) / step;
        // A few all over the move first: how much others need is then only found out where it is more.
        for (std::int64_t every = 64, before = 0; every > 0; before = every, every /= 8)
            for (std::int64_t i = 0; i < looked; i += every) {
                if (before > 0 && i % before == 0) continue;
                if (m_stop.stop_requested()) return fail("Stopped.");
                for (int k = 0; k < (m_half > 0 ? moments : 1); ++k) {
                    const double part = m_half > 0 ? 2.0 * k / (moments - 1) - 1 : 0;
                    at(static_cast<double>(i * step) / rate + part * m_half, covers);
                }
            }
        for (Cover& each : covers) {
            if (m_stop.stop_requested()) return fail("Stopped.");
            closer(each);
        }
        return covers;
    }

private:
    struct Moment {
        optics::View view;
        const motion::ResolvedScene* resolved;
        std::unique_ptr<motion::ResolvedScene> own;
    };
    Moment momentAt(double seconds) const {
        const scene::Pose pose = m_move.at(seconds);
        Moment moment{optics::viewOf(pose, m_scene.camera, m_scene.output.frame), m_resolved.get(), {}};
        if (m_still) return moment;
        moment.own = std::make_unique<motion::ResolvedScene>(m_scene, Rational::nearest(seconds), pose);
        moment.resolved = moment.own.get();
        return moment;
    }

    void at(double seconds, std::vector<Cover>& covers) const {
        const Moment moment = momentAt(seconds);
        for (Cover& each : covers)
            add(each, moment, seconds);
    }

    void add(Cover& to, const Moment& moment, double seconds) const {
        const scene::LayerPath& found = moment.resolved->find(to.layer);
        if (!found.layer || !motion::shownAt(found.layer->showing, Rational::nearest(seconds))) return;
        const optics::Surface card = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers));
        const optics::FramePart frame = optics::wholeOf(m_scene.output.frame);
        const optics::Region region = optics::regionSeen(moment.view, frame, card, m_scene.camera.iris);
        to.needed.add(region);
        const double shares[4] = {to.held.s0 - region.s0, to.held.t0 - region.t0, region.s1 - to.held.s1,
                                  region.t1 - to.held.t1};
        bool within = true;
        for (std::size_t i = 0; i < 4; ++i) {
            within = within && shares[i] <= 0;
            if (shares[i] > to.sides[i].shares) to.sides[i] = {shares[i], seconds};
        }
        if (within) return;
        const double growth = optics::leastGrowth(moment.view, frame, card, optics::pivotOf(found),
                                                  m_scene.camera.iris, to.growth);
        if (growth > to.growth) to.growth = growth, to.seconds = seconds;
    }

    /// By golden section around the worst moment, within the exposure that it is in.
    void closer(Cover& to) const {
        if (to.covers() || !std::isfinite(to.growth)) return;
        constexpr double golden = 0.6180339887498949;
        // The exposures that it is in, which may touch.
        const double rate = m_scene.output.rate.toDouble(), near = m_half * 2 / (moments - 1);
        const double first = std::ceil((to.seconds - m_half) * rate - 1e-6) / rate,
                     last = std::floor((to.seconds + m_half) * rate + 1e-6) / rate;
        double low = std::max(first - m_half, to.seconds - near),
               high = std::min(last + m_half, to.seconds + near);
        const auto growthAt = [&](double seconds) {
            Cover here = to;
            here.growth = 1;
            add(here, momentAt(seconds), seconds);
            for (std::size_t i = 0; i < 4; ++i)
                to.sides[i] = here.sides[i];
            to.needed = here.needed;
            if (here.growth > to.growth) to.growth = here.growth, to.seconds = seconds;
            return here.growth;
        };
        double a = high - golden * (high - low), b = low + golden * (high - low), fa = growthAt(a),
               fb = growthAt(b);
        for (int i = 0; i < 20 && high - low > 1e-7; ++i)
            if (fa > fb) {
                high = b, b = a, fb = fa, a = high - golden * (high - low), fa = growthAt(a);
            } else {
                low = a, a = b, fa = fb, b = low + golden * (high - low), fb = growthAt(b);
            }
    }

    const scene::Scene& m_scene;
    const std::stop_token& m_stop;
    motion::CameraMove m_move;
    bool m_still;  ///< no layer moves: one resolved scene does for all times
    double m_half; ///< of an exposure, seconds
    std::unique_ptr<motion::ResolvedScene> m_resolved;
};

}

Result<std::vector<Cover>> cover(const scene::Scene& scene, const std::vector<std::int64_t>& layers,
                                 const std::stop_token& stop) {
    return CoverFinder(scene, stop).look(layers);
}

}
