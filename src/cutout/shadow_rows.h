// Rows of places that a shadow may fall on, by the widest instructions that the machine has: which discs of
// the caster's picture hide the light from them, and where in its levels these are. Pure, thread-safe.
#pragma once

#include "cutout/disc_mean.h"
#include "motion/shadows.h"

#include <array>
#include <cstdint>

namespace stage::cutout {

/// At most so many places in a row.
inline constexpr int mostInRow = 32;
/// How many of a row are looked at where `count` are wanted: the rest should hold numbers.
constexpr int wholeRow(int count) {
    constexpr int atOnce = 16;
    return (count + atOnce - 1) / atOnce * atOnce;
}
template <class Number> struct alignas(64) RowOf : std::array<Number, mostInRow> {};

/// In what is the caster's own (motion/shadows.h): px to the right and down, m off its plane.
struct PlacesOfCaster {
    RowOf<float> x, y, off;
};

/// Discs of the caster's picture, px of its natural size.
struct DiscRow {
    RowOf<float> x, y, diameter;
    RowOf<float> share; ///< of the light, taken where the caster fills the disc; 0: none
};

/// Through which each place sees the light. perMetre: px. footprint: px, which no disc is smaller than.
void discsToLight(const motion::ShadowOnCard& shadow, const PlacesOfCaster& from, int count, double perMetre,
                  double footprint, DiscRow& discs);
/// What each place touches, or nearly: so many times as wide as it is far from it.
inline constexpr double contactWidth = 1.4;
void discsAtFoot(const motion::ShadowOnCard& shadow, const PlacesOfCaster& from, int count, double perMetre,
                 double footprint, DiscRow& discs);

/// The levels of a caster's picture, and which box of each is there, texels. Discs are looked for in a level
/// in which they are 3 to 6 texels across.
struct CasterLevels {
    static constexpr int most = 32;
    V2d natural; ///< px
    V2d scale;   ///< texels of the finest level to a px
    int count = 1;
    /// By the level that would be right: the one that serves, its texels to a px over those of the finest,
    /// and its box; 0 texels where none does.
    std::array<float, most> shrink{}, x0{}, y0{}, x1{}, y1{};
    /// That level for a disc, px of the natural size.
    int levelFor(double diameter) const;
};

/// Where discs look.
struct LookRow {
    RowOf<float> column, row;        ///< whole: of the first texel
    RowOf<float> x, stepX, y, stepY; ///< DiscPlaces
    RowOf<float> most; ///< of a disc that is larger than can be looked at, beside which the picture is small
    RowOf<std::int32_t> level; ///< the one that would be right
};
/// Shares become 0 of discs that nothing of the picture is in.
void lookUp(const CasterLevels& levels, int count, DiscRow& discs, LookRow& looks);

}
