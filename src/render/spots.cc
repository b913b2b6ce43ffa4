#include "render/spots.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/spots.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

using D = hn::CappedTag<float, 16>;
using V = hn::Vec<D>;

/// share(dx, dy): of the spot's colour at places from its middle, px.
template <class Share>
void PaintRows(const Spot& spot, const media::Box& box, Canvas& canvas, const Share& share) {
    const D d;
    const int lanes = static_cast<int>(hn::Lanes(d));
    const media::Box seen = spot.boxIn(box);
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.f);
    for (int y = seen.y0; y < seen.y1; ++y) {
        const float dy = static_cast<float>(y) + 0.5f - spot.y;
        for (int x = (seen.x0 - box.x0) / lanes * lanes; x < seen.x1 - box.x0; x += lanes) {
            const auto dx = hn::Iota(d, static_cast<float>(box.x0 + x) + 0.5f - spot.x);
            const auto here = share(dx, dy);
            if (hn::AllFalse(d, hn::Gt(here, zero))) continue;
            float* const out = canvas.row(y - box.y0) + 4 * x;
            V r, g, b, a;
            hn::LoadInterleaved4(d, out, r, g, b, a);
            const auto weight = hn::Mul(hn::Sub(one, a), here);
            r = hn::MulAdd(weight, hn::Set(d, spot.rgba[0]), r);
            g = hn::MulAdd(weight, hn::Set(d, spot.rgba[1]), g);
            b = hn::MulAdd(weight, hn::Set(d, spot.rgba[2]), b);
            a = hn::MulAdd(weight, hn::Set(d, spot.rgba[3]), a);
            hn::StoreInterleaved4(r, g, b, a, d, out);
        }
    }
}

void PaintSpot(const Spot& spot, const Opening& opening, const media::Box& box, Canvas& canvas) {
    const D d;
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.f), peak = hn::Set(d, spot.peak);
    if (spot.kind == Spot::Kind::Point) // between the four pixels around it
        return PaintRows(spot, box, canvas, [&](V dx, float dy) HWY_ATTR {
            const float down = std::max(0.f, 1 - std::abs(dy));
            return hn::Mul(hn::Set(d, spot.peak * down), hn::Max(hn::Sub(one, hn::Abs(dx)), zero));
        });
    if (spot.kind == Spot::Kind::Streak) {
        // The share of the exposure in which its disc is over a place. An edge that falls evenly is that of
        // discs of all radii from `radius - edge` to `radius + edge` together; three of them stand for all
        // (Gauss).
        const float off = 0.774597f * spot.edge, half = spot.length / 2;
        const float radii[3] = {spot.radius, spot.radius - off, spot.radius + off},
                    weights[3] = {4 / 9.f, 5 / 18.f, 5 / 18.f};
        return PaintRows(spot, box, canvas, [&](V dx, float dy) HWY_ATTR {
            const auto along = hn::MulAdd(dx, hn::Set(d, spot.alongX), hn::Set(d, dy * spot.alongY)),
                       across = hn::MulSub(dx, hn::Set(d, spot.alongY), hn::Set(d, dy * spot.alongX)),
                       square = hn::Mul(across, across);
            auto sum = zero;
            for (int i = 0; i < 3; ++i) {
                const auto chord = hn::Sqrt(hn::Max(hn::Sub(hn::Set(d, radii[i] * radii[i]), square), zero));
                const auto over = hn::Sub(hn::Min(hn::Add(along, chord), hn::Set(d, half)),
                                          hn::Max(hn::Sub(along, chord), hn::Set(d, -half)));
                sum = hn::MulAdd(hn::Max(over, zero), hn::Set(d, weights[i]), sum);
            }
            return hn::Mul(sum, hn::Set(d, spot.peak / spot.length));
        });
    }
    const auto edge = hn::Set(d, 1 / (2 * spot.edge));
    const auto ramp = [&](V distance, float radius) HWY_ATTR {
        return hn::Mul(
            peak,
            hn::Min(hn::Max(hn::Mul(hn::Sub(hn::Set(d, radius + spot.edge), distance), edge), zero), one));
    };
    if (opening.blades < 3 || std::abs(spot.disc) <= spot.size)
        return PaintRows(spot, box, canvas, [&](V dx, float dy) HWY_ATTR {
            return ramp(hn::Sqrt(hn::MulAdd(dx, dx, hn::Set(d, dy * dy))), spot.radius);
        });
    // As far inside the polygon as from the nearest of its sides.
    const float sign = spot.disc < 0 ? -1.f : 1.f,
                half = std::numbers::pi_v<float> / static_cast<float>(opening.blades),
                apothem = spot.radius * std::cos(half);
    PaintRows(spot, box, canvas, [&](V dx, float dy) HWY_ATTR {
        auto most = hn::Set(d, -1e9f);
        for (int k = 0; k < opening.blades; ++k) {
            const float angle = opening.turn + (2 * static_cast<float>(k) + 1) * half;
            most = hn::Max(most, hn::MulAdd(dx, hn::Set(d, sign * std::cos(angle)),
                                            hn::Set(d, -dy * sign * std::sin(angle))));
        }
        return ramp(most, apothem);
    });
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(PaintSpot);

media::Box Spot::boxIn(const media::Box& box) const {
    const float rx = reach + std::abs(dx), ry = reach + std::abs(dy);
    const auto from = [](float at, int low) {
        return std::max(low, static_cast<int>(std::max(at, static_cast<float>(low) - 1)));
    };
    const auto to = [](float at, int high) {
        return std::min(high, static_cast<int>(std::min(at, static_cast<float>(high))) + 1);
    };
    return {from(x - rx, box.x0), from(y - ry, box.y0), to(x + rx, box.x1), to(y + ry, box.y1)};
}

void paintSpot(const Spot& spot, const Opening& opening, const media::Box& box, Canvas& canvas) {
    HWY_DYNAMIC_DISPATCH(PaintSpot)(spot, opening, box, canvas);
}

}
#endif
