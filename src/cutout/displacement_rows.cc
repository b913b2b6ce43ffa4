#include "cutout/displacement_rows.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "cutout/displacement_rows.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>
// Needs the above.
#include <hwy/contrib/math/math-inl.h>

HWY_BEFORE_NAMESPACE();
namespace stage::cutout::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

using D = hn::CappedTag<float, 16>;
using V = hn::Vec<D>;

constexpr float turn = 6.283185307f;

/// at(n) for places from n on, of which the last ones may be beyond the row.
template <class At> HWY_ATTR void alongRow(int count, const At& at) {
    const D d;
    const int lanes = static_cast<int>(hn::Lanes(d));
    for (int n = 0; n < count; n += lanes)
        at(n, hn::Iota(d, static_cast<float>(n)));
}

HWY_ATTR V valueOf(const Ramp& ramp, V index) {
    const D d;
    return hn::MulAdd(index, hn::Set(d, ramp.step), hn::Set(d, ramp.first));
}

/// sin(2 pi p).
HWY_ATTR V sineOf(V p) {
    const D d;
    return hn::Sin(d, hn::Mul(hn::Sub(p, hn::Round(p)), hn::Set(d, turn)));
}

/// Of the places of a row only.
HWY_ATTR void set(float* row, int n, int count, V value) {
    const D d;
    const int lanes = static_cast<int>(hn::Lanes(d));
    if (n + lanes <= count) return hn::StoreU(value, d, row + n);
    alignas(64) float some[16];
    hn::Store(value, d, some);
    for (int i = 0; n + i < count; ++i)
        row[n + i] = some[i];
}
HWY_ATTR V valueAt(const float* row, int n, int count) {
    const D d;
    const int lanes = static_cast<int>(hn::Lanes(d));
    if (n + lanes <= count) return hn::LoadU(d, row + n);
    alignas(64) float some[16] = {};
    for (int i = 0; n + i < count; ++i)
        some[i] = row[n + i];
    return hn::Load(d, some);
}

void SinesAlong(Ramp p, float second, int count, float* out) {
    const D d;
    alongRow(count, [&](int n, V index) HWY_ATTR {
        const V at = valueOf(p, index);
        V sum = sineOf(at);
        if (second != 0) {
            const V twice = hn::Add(hn::Add(at, at), hn::Set(d, 1.3f / turn));
            sum = hn::MulAdd(sineOf(twice), hn::Set(d, second), sum);
        }
        set(out, n, count, sum);
    });
}

void DisplaceByRings(const Rings& of, Ramp x, int count, float* right, float* down) {
    const D d;
    const V y = hn::Set(d, of.y), one = hn::Set(d, 1.f), perRing = hn::Set(d, 1 / of.size);
    alongRow(count, [&](int n, V index) HWY_ATTR {
        const V dx = valueOf(x, index),
                r = hn::Max(hn::Sqrt(hn::MulAdd(dx, dx, hn::Mul(y, y))), hn::Set(d, 1e-6f)),
                crests = hn::Mul(r, perRing);
        V by = hn::Mul(hn::Set(d, of.amount), sineOf(hn::Sub(crests, hn::Set(d, of.turns))));
        by = hn::Mul(by, hn::Min(one, hn::Mul(crests, hn::Set(d, 4.f))));
        if (of.fade > 0) by = hn::Mul(by, hn::Exp(d, hn::Mul(r, hn::Set(d, -1 / of.fade))));
        by = hn::Div(by, r);
        set(right, n, count, hn::Mul(dx, by));
        set(down, n, count, hn::Mul(y, by));
    });
}

void RollingAlong(Ramp p, float row, float amount, int count, float* out) {
    const D d;
    alongRow(count, [&](int n, V index) HWY_ATTR {
        const V at = hn::MulAdd(sineOf(valueOf(p, index)), hn::Set(d, 1.2f / turn), hn::Set(d, row));
        set(out, n, count, hn::Mul(sineOf(at), hn::Set(d, amount)));
    });
}

void AddSmoothNoise(const float* cells, Ramp p, int count, float* out) {
    const D d;
    const hn::RebindToSigned<D> whole;
    alongRow(count, [&](int n, V index) HWY_ATTR {
        const V at = valueOf(p, index), low = hn::Floor(at), t = hn::Sub(at, low),
                weight = hn::Mul(hn::Mul(t, t), hn::NegMulAdd(t, hn::Set(d, 2.f), hn::Set(d, 3.f)));
        const auto cell = hn::ConvertTo(whole, low), last = hn::Set(whole, 31);
        const V a = hn::GatherIndex(d, cells, hn::And(cell, last)),
                b = hn::GatherIndex(d, cells, hn::And(hn::Add(cell, hn::Set(whole, 1)), last));
        set(out, n, count, hn::Add(valueAt(out, n, count), hn::MulAdd(hn::Sub(b, a), weight, a)));
    });
}

void Bound(float amount, int count, float* right, float* down) {
    const D d;
    alongRow(count, [&](int n, V) HWY_ATTR {
        const V x = valueAt(right, n, count), y = valueAt(down, n, count),
                length = hn::Sqrt(hn::MulAdd(x, x, hn::Mul(y, y))),
                by = hn::Div(hn::Set(d, amount), hn::Max(length, hn::Set(d, 1.f)));
        set(right, n, count, hn::Mul(x, by));
        set(down, n, count, hn::Mul(y, by));
    });
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::cutout {

HWY_EXPORT(SinesAlong);
HWY_EXPORT(DisplaceByRings);
HWY_EXPORT(RollingAlong);
HWY_EXPORT(AddSmoothNoise);
HWY_EXPORT(Bound);

void sinesAlong(Ramp p, float second, int count, float* out) {
    HWY_DYNAMIC_DISPATCH(SinesAlong)(p, second, count, out);
}
void displaceByRings(const Rings& of, Ramp x, int count, float* right, float* down) {
    HWY_DYNAMIC_DISPATCH(DisplaceByRings)(of, x, count, right, down);
}
void rollingAlong(Ramp p, float row, float amount, int count, float* out) {
    HWY_DYNAMIC_DISPATCH(RollingAlong)(p, row, amount, count, out);
}
void addSmoothNoise(const float* cells, Ramp p, int count, float* out) {
    HWY_DYNAMIC_DISPATCH(AddSmoothNoise)(cells, p, count, out);
}
void bound(float amount, int count, float* right, float* down) {
    HWY_DYNAMIC_DISPATCH(Bound)(amount, count, right, down);
}

}
#endif
