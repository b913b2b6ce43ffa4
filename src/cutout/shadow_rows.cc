#include "cutout/shadow_rows.h"

#include "scene/lamp.h"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "cutout/shadow_rows.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::cutout::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

using D = hn::CappedTag<float, wholeRow(1)>;
using V = hn::Vec<D>;

HWY_INLINE HWY_ATTR V all(double value) {
    return hn::Set(D(), static_cast<float>(value));
}

void DiscsToLight(const motion::ShadowOnCard& shadow, const PlacesOfCaster& from, int count, double perMetre,
                  double footprint, DiscRow& discs) {
    const D d;
    const bool lamp = shadow.reach > 0; // else light from a direction
    const V zero = hn::Zero(d), one = all(1);
    for (int i = 0; i < count; i += static_cast<int>(hn::Lanes(d))) {
        const V x = hn::Load(d, from.x.data() + i), y = hn::Load(d, from.y.data() + i),
                off = hn::Load(d, from.off.data() + i);
        V wayX = all(shadow.light.x), wayY = all(shadow.light.y), wayOff = all(shadow.light.z);
        if (lamp) wayX = hn::Sub(wayX, x), wayY = hn::Sub(wayY, y), wayOff = hn::Sub(wayOff, off);
        auto between = hn::Lt(hn::Mul(off, wayOff), zero);
        const V part = hn::Div(hn::Neg(off), wayOff); // of the way to the lamp
        if (lamp) between = hn::And(between, hn::Lt(part, one));
        const V mx = hn::Mul(wayX, all(shadow.metres.x)), my = hn::Mul(wayY, all(shadow.metres.y)),
                mz = hn::Mul(wayOff, all(shadow.metres.z));
        const V length = hn::Sqrt(hn::MulAdd(mx, mx, hn::MulAdd(my, my, hn::Mul(mz, mz))));
        V soft = hn::Mul(all(shadow.size), part), share = all(shadow.darkness);
        if (lamp) { // as its light goes down to nothing: motion::falloff() from its reach on
            const V far = hn::Mul(length, all(1 / shadow.reach));
            constexpr double fades = scene::Lamp::fades;
            const V t = hn::Max(zero, hn::Mul(hn::Sub(far, all(fades)), all(1 / (1 - fades))));
            const V left = hn::NegMulAdd(hn::Mul(t, t), hn::NegMulAdd(all(2), t, all(3)), one);
            share = hn::Mul(share, hn::IfThenElseZero(hn::Lt(far, one), left));
        } else {
            soft = hn::Mul(soft, length);
        }
        hn::Store(hn::MulAdd(wayX, part, x), d, discs.x.data() + i);
        hn::Store(hn::MulAdd(wayY, part, y), d, discs.y.data() + i);
        hn::Store(hn::Max(hn::Mul(soft, all(2 * perMetre)), all(footprint)), d, discs.diameter.data() + i);
        hn::Store(hn::IfThenElseZero(between, share), d, discs.share.data() + i);
    }
}

void DiscsAtFoot(const motion::ShadowOnCard& shadow, const PlacesOfCaster& from, int count, double perMetre,
                 double footprint, DiscRow& discs) {
    const D d;
    for (int i = 0; i < count; i += static_cast<int>(hn::Lanes(d))) {
        const V off = hn::Abs(hn::Load(d, from.off.data() + i));
        const V near = hn::Max(hn::Zero(d), hn::NegMulAdd(off, all(1 / shadow.contactReach), all(1)));
        constexpr double wide = contactWidth;
        hn::Store(hn::MulAdd(off, all(shadow.upwards.x * wide / 2), hn::Load(d, from.x.data() + i)), d,
                  discs.x.data() + i);
        hn::Store(hn::MulAdd(off, all(shadow.upwards.y * wide / 2), hn::Load(d, from.y.data() + i)), d,
                  discs.y.data() + i);
        hn::Store(hn::Max(hn::Mul(off, all(wide * perMetre)), all(footprint)), d, discs.diameter.data() + i);
        hn::Store(hn::Mul(hn::Mul(near, near), all(shadow.contact)), d, discs.share.data() + i);
    }
}

/// The first of four places along columns or rows, and their step.
HWY_INLINE HWY_ATTR void placesOf(V middle, V across, V low, V high, float* whole, float* first, float* step,
                                  V& most) {
    const D d;
    // Of the variance of a disc's chords, a sixteenth of the square of its width, that between texels and of
    // a texel itself are there already.
    constexpr double own = 1.0 / 6 + 1.0 / 12, ofPlaces = 11.0 / 12, mostStep = 2;
    const V variance = hn::MulSub(hn::Mul(across, across), all(1 / 16.0 / ofPlaces), all(own / ofPlaces));
    const V wanted = hn::Sqrt(hn::Max(variance, hn::Zero(d))), apart = hn::Min(wanted, all(mostStep));
    most = hn::IfThenElse(hn::Gt(wanted, all(mostStep)), hn::Mul(most, hn::Div(all(mostStep), wanted)), most);
    // Far off the box is as just off it.
    const V near = hn::Min(hn::Max(middle, hn::Sub(low, all(4))), hn::Add(high, all(4)));
    const V at = hn::Sub(hn::NegMulAdd(apart, all(1.5), near), all(0.5)), floor = hn::Floor(at);
    hn::Store(floor, d, whole);
    hn::Store(hn::Sub(at, floor), d, first);
    hn::Store(apart, d, step);
}

void LookUp(const CasterLevels& levels, int count, DiscRow& discs, LookRow& looks) {
    const D d;
    const hn::RebindToSigned<D> whole;
    const V zero = hn::Zero(d);
    for (int i = 0; i < count; i += static_cast<int>(hn::Lanes(d))) {
        const V x = hn::Load(d, discs.x.data() + i), y = hn::Load(d, discs.y.data() + i),
                diameter = hn::Load(d, discs.diameter.data() + i);
        const V r = hn::Mul(diameter, all(0.5));
        // What is not a number is nowhere.
        auto inside = hn::And(hn::Ge(x, hn::Neg(r)), hn::Ge(y, hn::Neg(r)));
        inside = hn::And(inside, hn::And(hn::Le(x, hn::Add(r, all(levels.natural.x))),
                                         hn::Le(y, hn::Add(r, all(levels.natural.y)))));
        // The exponent of a third of its texels, from 6 on.
        const V texels = hn::Mul(diameter, all(std::max(levels.scale.x, levels.scale.y)));
        const V third = hn::IfThenElse(hn::Gt(texels, all(6)), hn::Mul(texels, all(1 / 3.0)), all(1));
        const auto exponent = hn::Sub(hn::ShiftRight<23>(hn::BitCast(whole, third)), hn::Set(whole, 127));
        const auto level = hn::Max(hn::Zero(whole), hn::Min(exponent, hn::Set(whole, levels.count - 1)));
        hn::Store(level, whole, looks.level.data() + i);
        const V shrink = hn::GatherIndex(d, levels.shrink.data(), level);
        inside = hn::And(inside, hn::Gt(shrink, zero));
        hn::Store(hn::IfThenElseZero(inside, hn::Load(d, discs.share.data() + i)), d, discs.share.data() + i);
        const V scaleX = hn::Mul(shrink, all(levels.scale.x)), scaleY = hn::Mul(shrink, all(levels.scale.y));
        // What is nowhere looks anywhere.
        const auto at = [&](V place, V scale)
                            HWY_ATTR { return hn::IfThenElseZero(inside, hn::Mul(place, scale)); };
        V most = all(1);
        placesOf(at(x, scaleX), at(diameter, scaleX), hn::GatherIndex(d, levels.x0.data(), level),
                 hn::GatherIndex(d, levels.x1.data(), level), looks.column.data() + i, looks.x.data() + i,
                 looks.stepX.data() + i, most);
        placesOf(at(y, scaleY), at(diameter, scaleY), hn::GatherIndex(d, levels.y0.data(), level),
                 hn::GatherIndex(d, levels.y1.data(), level), looks.row.data() + i, looks.y.data() + i,
                 looks.stepY.data() + i, most);
        hn::Store(most, d, looks.most.data() + i);
    }
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::cutout {

HWY_EXPORT(DiscsToLight);
HWY_EXPORT(DiscsAtFoot);
HWY_EXPORT(LookUp);

void discsToLight(const motion::ShadowOnCard& shadow, const PlacesOfCaster& from, int count, double perMetre,
                  double footprint, DiscRow& discs) {
    HWY_DYNAMIC_DISPATCH(DiscsToLight)(shadow, from, count, perMetre, footprint, discs);
}
void discsAtFoot(const motion::ShadowOnCard& shadow, const PlacesOfCaster& from, int count, double perMetre,
                 double footprint, DiscRow& discs) {
    HWY_DYNAMIC_DISPATCH(DiscsAtFoot)(shadow, from, count, perMetre, footprint, discs);
}
void lookUp(const CasterLevels& levels, int count, DiscRow& discs, LookRow& looks) {
    HWY_DYNAMIC_DISPATCH(LookUp)(levels, count, discs, looks);
}

int CasterLevels::levelFor(double diameter) const {
    const double texels = diameter * std::max(scale.x, scale.y);
    return texels > 6 ? std::min(std::ilogb(texels / 3), count - 1) : 0;
}

}
#endif
