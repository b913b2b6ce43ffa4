#include "grade/rows.h"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "grade/rows.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <hwy/contrib/math/math-inl.h>

HWY_BEFORE_NAMESPACE();
namespace stage::grade::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

using D = hn::CappedTag<float, 16>;
using V = hn::Vec<D>;

/// Calls with the number of each vector's first, and once more for those that are left, which are then few.
template <class Whole, class Part>
HWY_INLINE void overRow(std::size_t pixels, const Whole& whole, const Part& part) {
    const std::size_t lanes = hn::Lanes(D()), count = 4 * pixels;
    std::size_t i = 0;
    for (; i + lanes <= count; i += lanes)
        whole(i);
    if (i < count) part(i, count - i);
}

/// Changes a row of pixels in place. one: what becomes of a vector, from the number of its first on.
template <class One> HWY_INLINE void changeRow(float* rgba, std::size_t pixels, const One& one) {
    const D d;
    overRow(
        pixels, [&](std::size_t i) HWY_ATTR { hn::StoreU(one(hn::LoadU(d, rgba + i), i), d, rgba + i); },
        [&](std::size_t i, std::size_t left) HWY_ATTR {
            HWY_ALIGN float last[16] = {};
            std::copy_n(rgba + i, left, last);
            hn::Store(one(hn::Load(d, last), i), d, last);
            std::copy_n(last, left, rgba + i);
        });
}

/// Four numbers, again and again.
HWY_INLINE V fours(float r, float g, float b, float a) {
    HWY_ALIGN const float of[16] = {r, g, b, a, r, g, b, a, r, g, b, a, r, g, b, a};
    return hn::Load(D(), of);
}
/// Lanes of colours, of the four of a pixel.
HWY_INLINE auto ofColours() {
    return hn::Gt(fours(1, 1, 1, 0), hn::Zero(D()));
}

void Straighten(const float* rgba, std::size_t pixels, float* straight) {
    const D d;
    std::copy_n(rgba, 4 * pixels, straight);
    const auto one = hn::Set(d, 1.f);
    const auto colours = ofColours();
    changeRow(straight, pixels, [&](V v, std::size_t) HWY_ATTR {
        const auto alpha = hn::Broadcast<3>(v);
        const auto by = hn::Div(one, hn::IfThenElse(hn::Gt(alpha, hn::Zero(d)), alpha, one));
        return hn::IfThenElse(colours, hn::Mul(v, by), one);
    });
}

void PutBack(const float* straight, std::size_t pixels, float* rgba) {
    const D d;
    constexpr float highest = 65000; // of a half float
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.f), most = hn::Set(d, highest),
               least = hn::Set(d, -highest);
    const auto colours = ofColours();
    const auto back = [&](V was, V v) HWY_ATTR {
        const auto alpha = hn::Broadcast<3>(was);
        const auto seen = hn::Gt(alpha, zero);
        const auto dark =
            hn::And(hn::And(hn::Eq(hn::Broadcast<0>(was), zero), hn::Eq(hn::Broadcast<1>(was), zero)),
                    hn::Eq(hn::Broadcast<2>(was), zero));
        const auto inRange =
            hn::IfThenElse(hn::Gt(v, least), hn::Min(v, most), hn::IfThenElseZero(hn::Eq(v, v), least));
        const auto put = hn::Mul(inRange, hn::IfThenElse(seen, alpha, one));
        return hn::IfThenElse(hn::And(colours, hn::Or(seen, hn::Not(dark))), put, was);
    };
    overRow(
        pixels,
        [&](std::size_t i)
            HWY_ATTR { hn::StoreU(back(hn::LoadU(d, rgba + i), hn::LoadU(d, straight + i)), d, rgba + i); },
        [&](std::size_t i, std::size_t left) HWY_ATTR {
            HWY_ALIGN float was[16] = {}, now[16] = {};
            std::copy_n(rgba + i, left, was);
            std::copy_n(straight + i, left, now);
            hn::Store(back(hn::Load(d, was), hn::Load(d, now)), d, was);
            std::copy_n(was, left, rgba + i);
        });
}

void ApplyAffine(const Affine& affine, float* rgba, std::size_t pixels) {
    const auto column = [&](int c) HWY_ATTR {
        return fours(static_cast<float>(affine.of[0][c]), static_cast<float>(affine.of[1][c]),
                     static_cast<float>(affine.of[2][c]), 0);
    };
    const auto r = column(0), g = column(1), b = column(2);
    const auto plus = fours(static_cast<float>(affine.plus.x), static_cast<float>(affine.plus.y),
                            static_cast<float>(affine.plus.z), 1);
    changeRow(rgba, pixels, [&](V v, std::size_t) HWY_ATTR {
        return hn::MulAdd(hn::Broadcast<0>(v), r,
                          hn::MulAdd(hn::Broadcast<1>(v), g, hn::MulAdd(hn::Broadcast<2>(v), b, plus)));
    });
}

void ApplyPowers(const Powers& powers, float* rgba, std::size_t pixels) {
    const D d;
    const auto& p = powers.power;
    const auto& f = powers.factor;
    const auto power = fours(p[0], p[1], p[2], 1),
               logarithm = fours(std::log(f[0]), std::log(f[1]), std::log(f[2]), 0);
    const auto colours = ofColours();
    changeRow(rgba, pixels, [&](V v, std::size_t) HWY_ATTR {
        const auto least = hn::Set(d, 1e-38f);
        const auto above = hn::And(hn::Gt(v, least), colours); // alpha stays
        const auto exponent = hn::MulAdd(hn::Log(d, hn::Max(v, least)), power, logarithm);
        return hn::IfThenElse(above, hn::Exp(d, hn::Min(exponent, hn::Set(d, 88.f))), v);
    });
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::grade {

HWY_EXPORT(Straighten);
HWY_EXPORT(PutBack);
HWY_EXPORT(ApplyAffine);
HWY_EXPORT(ApplyPowers);

void straighten(const float* rgba, std::size_t pixels, float* straight) {
    HWY_DYNAMIC_DISPATCH(Straighten)(rgba, pixels, straight);
}
void putBack(const float* straight, std::size_t pixels, float* rgba) {
    HWY_DYNAMIC_DISPATCH(PutBack)(straight, pixels, rgba);
}
void apply(const Affine& affine, float* straight, std::size_t pixels) {
    HWY_DYNAMIC_DISPATCH(ApplyAffine)(affine, straight, pixels);
}
void apply(const Powers& powers, float* straight, std::size_t pixels) {
    HWY_DYNAMIC_DISPATCH(ApplyPowers)(powers, straight, pixels);
}

Affine Affine::then(const Affine& next) const {
    Affine both{next.of * of, next.plus};
    for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j)
            both.plus[i] += next.of[i][j] * plus[j];
    return both;
}

}
#endif
