// Points of the lens and times for the rays of a pixel. Included once for every instruction set.
#if defined(STAGE_RENDER_LENS_AIM_INL_H_) == defined(HWY_TARGET_TOGGLE)
#ifdef STAGE_RENDER_LENS_AIM_INL_H_
#undef STAGE_RENDER_LENS_AIM_INL_H_
#else
#define STAGE_RENDER_LENS_AIM_INL_H_
#endif

#include "render/lens_points.h"

#include <algorithm>
#include <cmath>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// An opening as the kernels have it: the corners of its blades.
class LensAim {
public:
    static constexpr int mostBlades = 32;
    const int blades; ///< 0: round
    float cornerX[mostBlades], cornerY[mostBlades], nextX[mostBlades], nextY[mostBlades];
    float awayX[mostBlades], awayY[mostBlades]; ///< from the middle to the side after each corner, length 1
    float sides = 1;                            ///< how far from the middle they are

    explicit LensAim(const Opening& opening)
        : blades(opening.blades < 3 ? 0 : std::min(opening.blades, mostBlades)) {
        for (int k = 0; k < blades; ++k) {
            const double each = 2 * 3.14159265358979323846 / blades;
            const double from = static_cast<double>(opening.turn) + k * each;
            cornerX[k] = static_cast<float>(std::cos(from)), cornerY[k] = static_cast<float>(std::sin(from));
            nextX[k] = static_cast<float>(std::cos(from + each)),
            nextY[k] = static_cast<float>(std::sin(from + each));
            awayX[k] = static_cast<float>(std::cos(from + each / 2)),
            awayY[k] = static_cast<float>(std::sin(from + each / 2));
            sides = static_cast<float>(std::cos(each / 2));
        }
    }

    /// Of `count` rays from one on, for a pixel of the frame: their points of the lens into p and q.
    template <class D>
    void throughLens(D d, const RayPoints& points, int from, int count, int x, int y, float* p,
                     float* q) const {
        const BlueNoise& noise = blueNoise();
        const float u = noise.at(x, y), v = noise.at(x + 23, y + 37);
        for (int i = 0; i < count; i += static_cast<int>(hn::Lanes(d)))
            onOpening(d, shifted(d, points.u, from + i, u), shifted(d, points.v, from + i, v), p + i, q + i);
    }

    /// Their times -1..1.
    template <class D>
    static void times(D d, const RayPoints& points, int from, int count, int x, int y, float* t) {
        const float by = blueNoise().at(x + 47, y + 11);
        for (int i = 0; i < count; i += static_cast<int>(hn::Lanes(d)))
            hn::Store(hn::MulSub(shifted(d, points.t, from + i, by), hn::Set(d, 2.f), hn::Set(d, 1.f)), d,
                      t + i);
    }

    /// Their places along a footprint, -0.5..0.5.
    template <class D>
    static void along(D d, const RayPoints& points, int from, int count, int x, int y, float* a) {
        const float by = blueNoise().at(x + 11, y + 53);
        for (int i = 0; i < count; i += static_cast<int>(hn::Lanes(d)))
            hn::Store(hn::Sub(shifted(d, points.a, from + i, by), hn::Set(d, 0.5f)), d, a + i);
    }

private:
    /// Numbers from the i-th on, shifted round.
    template <class D>
    static HWY_INLINE hn::Vec<D> shifted(D d, const std::vector<float>& numbers, int i, float by) {
        const auto one = hn::Set(d, 1.f), x = hn::Add(hn::LoadU(d, numbers.data() + i), hn::Set(d, by));
        return hn::Sub(x, hn::IfThenElseZero(hn::Ge(x, one), one));
    }

    template <class D, class V = hn::Vec<D>>
    HWY_INLINE void onOpening(D d, V u, V v, float* p, float* q) const {
        const auto one = hn::Set(d, 1.f), two = hn::Set(d, 2.f);
        if (blades > 0) {
            const auto n = hn::Set(d, static_cast<float>(blades));
            const auto scaled = hn::Mul(u, n);
            const auto sector = hn::Min(hn::Floor(scaled), hn::Sub(n, one));
            const auto r = hn::Sqrt(hn::Sub(scaled, sector));
            const hn::RebindToSigned<D> di;
            const auto at = hn::ConvertTo(di, sector);
            const auto corner = [&](const float* a0, const float* a1) {
                const auto c0 = hn::GatherIndex(d, a0, at), c1 = hn::GatherIndex(d, a1, at);
                return hn::Mul(r, hn::MulAdd(v, hn::Sub(c1, c0), c0));
            };
            hn::Store(corner(cornerX, nextX), d, p);
            hn::Store(corner(cornerY, nextY), d, q);
            return;
        }
        const auto a = hn::MulSub(u, two, one), b = hn::MulSub(v, two, one);
        const auto wide = hn::Gt(hn::Abs(a), hn::Abs(b));
        const auto r = hn::IfThenElse(wide, a, b), other = hn::IfThenElse(wide, b, a);
        const auto safe = hn::IfThenElse(hn::Eq(r, hn::Zero(d)), one, r);
        // By Newton's step, which takes less time than dividing.
        const auto near = hn::ApproximateReciprocal(safe),
                   each = hn::Mul(near, hn::NegMulAdd(safe, near, two));
        const auto phi = hn::Mul(hn::Mul(other, each), hn::Set(d, 0.78539816f)); // within pi/4
        const auto square = hn::Mul(phi, phi);
        // Taylor's series: off by less than 1e-6 within pi/4.
        const auto series = [&](float c3, float c2, float c1) {
            auto sum = hn::MulAdd(square, hn::Set(d, c3), hn::Set(d, c2));
            sum = hn::MulAdd(square, sum, hn::Set(d, c1));
            return sum;
        };
        const auto sine = hn::Mul(phi, hn::MulAdd(square, series(-1 / 5040.f, 1 / 120.f, -1 / 6.f), one));
        const auto cosine = hn::MulAdd(
            square, hn::MulAdd(square, series(1 / 40320.f, -1 / 720.f, 1 / 24.f), hn::Set(d, -0.5f)), one);
        hn::Store(hn::Mul(r, hn::IfThenElse(wide, cosine, sine)), d, p);
        hn::Store(hn::Mul(r, hn::IfThenElse(wide, sine, cosine)), d, q);
    }
};

}
HWY_AFTER_NAMESPACE();
#endif
