#include "render/cloud_way.h"

#include <algorithm>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/cloud_way.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>
// Needs the above.
#include <hwy/contrib/math/math-inl.h>

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void AddOctave(const CloudDensity::Line& line, int count, float* out) {
    using D = hn::CappedTag<float, 16>;
    const D d;
    const hn::RebindToSigned<D> whole;
    const int lanes = static_cast<int>(hn::Lanes(d));
    const auto one = hn::Set(d, 1.f), zero = hn::Zero(d);
    const auto wrap = hn::Set(whole, 31);
    for (int n = 0; n < count; n += lanes) {
        const auto index = hn::Iota(d, static_cast<float>(n));
        // Gone where there are less than two steps to a cell.
        const auto depth = hn::MulAdd(index, hn::Set(d, line.depthStep), hn::Set(d, line.first));
        const auto spacing = hn::Max(hn::Set(d, line.least), hn::Mul(depth, hn::Set(d, line.perDepth)));
        const auto kept = hn::Min(hn::Max(hn::Sub(hn::Div(hn::Set(d, line.size), spacing), one), zero), one);
        if (hn::AllFalse(d, hn::Gt(kept, zero))) continue;
        hn::Vec<decltype(whole)> low[3], high[3];
        hn::Vec<D> weight[3];
        for (int i = 0; i < 3; ++i) {
            const auto at = hn::MulAdd(index, hn::Set(d, line.step[i]), hn::Set(d, line.at[i]));
            const auto cell = hn::Floor(at), t = hn::Sub(at, cell);
            weight[i] = hn::Mul(hn::Mul(t, t), hn::NegMulAdd(t, hn::Set(d, 2.f), hn::Set(d, 3.f)));
            const auto number = hn::ConvertTo(whole, cell);
            low[i] = hn::And(number, wrap);
            high[i] = hn::And(hn::Add(number, hn::Set(whole, 1)), wrap);
        }
        for (int i = 1; i < 3; ++i)
            for (auto* cells : {&low[i], &high[i]})
                *cells = i == 1 ? hn::ShiftLeft<5>(*cells) : hn::ShiftLeft<10>(*cells);
        const auto row = [&](const auto& y, const auto& z) HWY_ATTR {
            const auto base = hn::Add(y, z);
            const auto a = hn::GatherIndex(d, line.values, hn::Add(base, low[0])),
                       b = hn::GatherIndex(d, line.values, hn::Add(base, high[0]));
            return hn::MulAdd(hn::Sub(b, a), weight[0], a);
        };
        const auto a = row(low[1], low[2]), b = row(low[1], high[2]), c = row(high[1], low[2]),
                   e = row(high[1], high[2]);
        const auto near = hn::MulAdd(hn::Sub(c, a), weight[1], a),
                   far = hn::MulAdd(hn::Sub(e, b), weight[1], b);
        const auto noise = hn::MulAdd(hn::Sub(far, near), weight[2], near);
        hn::StoreU(hn::MulAdd(hn::Mul(kept, hn::Set(d, line.weight)), noise, hn::LoadU(d, out + n)), d,
                   out + n);
    }
}

void ThinOut(const Thinning& of, int count, float* noise) {
    using D = hn::CappedTag<float, 16>;
    const D d;
    const int lanes = static_cast<int>(hn::Lanes(d));
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.f);
    const auto smooth = [&](hn::Vec<D> t) HWY_ATTR {
        t = hn::Min(hn::Max(t, zero), one);
        return hn::Mul(hn::Mul(t, t), hn::NegMulAdd(t, hn::Set(d, 2.f), hn::Set(d, 3.f)));
    };
    for (int n = 0; n < count; n += lanes) {
        auto density = hn::Set(d, of.density);
        if (of.borders) {
            const auto index = hn::Iota(d, static_cast<float>(n));
            for (int i = 0; i < 3; ++i) {
                const auto at = hn::MulAdd(index, hn::Set(d, of.step[i]), hn::Set(d, of.at[i]));
                density = hn::Mul(density, smooth(hn::Sub(hn::Set(d, of.half[i]), hn::Abs(at))));
            }
        }
        if (!of.even) {
            const auto above = hn::Add(hn::LoadU(d, noise + n), hn::Set(d, of.covered));
            density =
                hn::Mul(density, smooth(hn::MulAdd(above, hn::Set(d, 0.5f / of.soft), hn::Set(d, 0.5f))));
        }
        hn::StoreU(density, d, noise + n);
    }
}

void Exponentials(const float* values, int count, float* out) {
    const hn::CappedTag<float, 16> d;
    const int lanes = static_cast<int>(hn::Lanes(d));
    int n = 0;
    for (; n + lanes <= count; n += lanes)
        hn::StoreU(hn::Exp(d, hn::Neg(hn::LoadU(d, values + n))), d, out + n);
    if (n == count) return;
    alignas(64) float rest[16] = {};
    std::copy(values + n, values + count, rest);
    hn::Store(hn::Exp(d, hn::Neg(hn::Load(d, rest))), d, rest);
    std::copy_n(rest, count - n, out + n);
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(AddOctave);
HWY_EXPORT(ThinOut);
HWY_EXPORT(Exponentials);

void addOctave(const CloudDensity::Line& line, int count, float* out) {
    HWY_DYNAMIC_DISPATCH(AddOctave)(line, count, out);
}
void thinOut(const Thinning& thinning, int count, float* noise) {
    HWY_DYNAMIC_DISPATCH(ThinOut)(thinning, count, noise);
}
void exponentials(const float* values, int count, float* out) {
    HWY_DYNAMIC_DISPATCH(Exponentials)(values, count, out);
}

}
#endif
