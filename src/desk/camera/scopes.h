// How bright and how coloured the pixels of a shown picture are, counted. Thread-safe.
#pragma once

#include <QImage>
#include <array>
#include <cstdint>
#include <vector>

namespace stage::desk {

struct Scopes {
    static constexpr int levels = 256;
    enum Value { Luma, Red, Green, Blue };

    int columns = 0; ///< of equal width, from the picture's left to its right
    /// How many pixels of a column have a level: at column x levels + level. Luma is that of Rec. 709, of
    /// values as shown.
    std::array<std::vector<std::uint32_t>, 4> waveforms;
    /// The same of all columns.
    std::array<std::array<std::uint32_t, levels>, 4> histograms{};
    /// How many have a colour difference: at Cr x levels + Cb, each of Rec. 709 from -0.5 to 0.5, upwards and
    /// to the right.
    std::vector<std::uint32_t> vectors;
    std::uint32_t counted = 0;   ///< pixels
    std::uint32_t tooBright = 0; ///< of these, with a colour that is at the top
    std::uint32_t tooDark = 0;   ///< with all colours at 0
};

/// Cb and Cr of Rec. 709, -0.5 to 0.5, of values 0 to 1 as shown.
struct ColourDifference {
    double cb, cr;
};
ColourDifference differenceOf(double red, double green, double blue);

/// Of a picture in Format_ARGB32_Premultiplied, all of whose pixels count that have any alpha and none of the
/// colours of hatching; of large ones every so many. columns: at most; above 0.
Scopes scopesOf(const QImage& picture, int columns, bool hatched);

}
