// The sRGB curve by table, for whole pictures. Error against media::srgbFromLinear: below 2e-5 within 0..1.
#pragma once

namespace stage::render {

/// The sRGB curve, by a table up to 1; 0 for what is below 0 or no number.
float encode(float linear);
/// encode()'s table: of the squares of 0..1 in so many even steps, and one more.
inline constexpr int encodeSteps = 4096;
const float* encodeTable();
/// The inverse of encode().
float decode(float encoded);

}
