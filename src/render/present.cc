#include "render/rays.h"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/present.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// A card's linear functions of the place, one beside the other.
void LineUp(RayCard& card) {
    const TileLinear one{1, 0, 0};
    int k = 0;
    for (const TileLinear& line : {card.u, card.v, card.level ? one : card.w, card.ru, card.rv, card.uu,
                                   card.uv, card.tu, card.tv, card.tw, card.ttu, card.ttv, card.ttw}) {
        card.first[k] = line.a, card.perColumn[k] = line.b, card.perRow[k] = line.c;
        ++k;
    }
}

/// Which pixels of a tile may see something of a card: the texels that all rays of a pixel can meet, for as
/// many pixels at once as the machine's vectors have lanes.
void FindPresent(const Occupancy* known, int width, int height, RayCard& card) {
    LineUp(card);
    if (!known) return;
    const Occupancy& occupancy = *known;
    if (occupancy.count() == 0) return card.present.fill(0);
    if (occupancy.count() == occupancy.width() * occupancy.height() && !card.edges.any) return;
    const hn::CappedTag<float, Canvas::side> d;
    const hn::RebindToSigned<decltype(d)> di;
    const int lanes = static_cast<int>(hn::Lanes(d));
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.f), tiny = hn::Set(d, 1e-6f);
    const auto eu = hn::Set(d, std::abs(card.du) / 2 + 0.01f), ev = hn::Set(d, std::abs(card.dv) / 2 + 0.01f);
    for (int y = 0; y < height; ++y) {
        card.present[y] = 0;
        for (int x = 0; x < width; x += lanes) {
            const auto px = hn::Iota(d, static_cast<float>(x));
            const auto on = [&](const TileLinear& l) {
                return hn::MulAdd(hn::Set(d, l.b), px, hn::Set(d, l.a + l.c * static_cast<float>(y)));
            };
            const auto span = [&](const TileLinear& r, const TileLinear& u, const TileLinear& t,
                                  const TileLinear& tt) {
                auto sum = hn::Add(hn::Abs(on(r)), hn::Abs(on(u)));
                if (!card.still) sum = hn::Add(sum, hn::Add(hn::Abs(on(t)), hn::Abs(on(tt))));
                return sum;
            };
            const auto u = on(card.u), v = on(card.v), spanU = span(card.ru, card.uu, card.tu, card.ttu),
                       spanV = span(card.rv, card.uv, card.tv, card.ttv);
            auto low = one, high = one;
            if (!card.level) {
                const auto w = on(card.w);
                auto spanW = hn::Set(d, std::abs(card.rw) + std::abs(card.uw));
                if (!card.still) spanW = hn::Add(spanW, hn::Add(hn::Abs(on(card.tw)), hn::Abs(on(card.ttw))));
                low = hn::Div(one, hn::Max(hn::Add(w, spanW), tiny));
                high = hn::Div(one, hn::Max(hn::Sub(w, spanW), tiny));
            }
            const auto least = [&](auto a) { return hn::Mul(a, hn::IfThenElse(hn::Lt(a, zero), high, low)); };
            const auto most = [&](auto a) { return hn::Mul(a, hn::IfThenElse(hn::Lt(a, zero), low, high)); };
            const auto x0 = hn::Sub(least(hn::Sub(u, spanU)), eu), x1 = hn::Add(most(hn::Add(u, spanU)), eu),
                       y0 = hn::Sub(least(hn::Sub(v, spanV)), ev), y1 = hn::Add(most(hn::Add(v, spanV)), ev);
            auto sees = hn::Eq(zero, zero);
            if (card.edges.any) {
                const PatchEdges& edges = card.edges;
                sees = hn::And(hn::And(hn::Ge(x1, hn::Set(d, edges.left - edges.reachU)),
                                       hn::Le(x0, hn::Set(d, edges.right + edges.reachU))),
                               hn::And(hn::Ge(y1, hn::Set(d, edges.top - edges.reachV)),
                                       hn::Le(y0, hn::Set(d, edges.bottom + edges.reachV))));
            }
            const auto whole = [&](auto a, int size) { // the texel at or before, within the patch
                return hn::ConvertTo(
                    di, hn::Min(hn::Max(hn::Floor(a), zero), hn::Set(d, static_cast<float>(size - 1))));
            };
            const auto stride = hn::Set(di, occupancy.stride()), next = hn::Set(di, 1);
            const auto a = whole(x0, occupancy.width()),
                       b = hn::Add(whole(hn::Add(x1, one), occupancy.width()), next),
                       top = hn::Mul(whole(y0, occupancy.height()), stride),
                       bottom = hn::Mul(hn::Add(whole(hn::Add(y1, one), occupancy.height()), next), stride);
            const auto counted = [&](auto row, auto column) {
                return hn::GatherIndex(di, occupancy.counts(), hn::Add(row, column));
            };
            const auto some = hn::Sub(hn::Sub(counted(bottom, b), counted(top, b)),
                                      hn::Sub(counted(bottom, a), counted(top, a)));
            sees = hn::And(sees, hn::RebindMask(d, hn::Ne(some, hn::Zero(di))));
            std::uint8_t bits[8] = {};
            hn::StoreMaskBits(d, sees, bits);
            for (int byte = 0; byte < (lanes + 7) / 8; ++byte)
                card.present[y] |= std::uint32_t{bits[byte]} << (x + 8 * byte);
        }
    }
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(FindPresent);

void findPresent(const Occupancy* occupancy, int width, int height, RayCard& card) {
    HWY_DYNAMIC_DISPATCH(FindPresent)(occupancy, width, height, card);
}

}
#endif
