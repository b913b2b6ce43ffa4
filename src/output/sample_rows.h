// Rows of RGBA samples, laid out otherwise by the widest instructions that the machine has. Pure,
// thread-safe.
#pragma once

#include <cstdint>

namespace stage::output {

/// Each colour into a row of its own; alpha is left out. count: pixels.
void splitColours(const std::uint8_t* rgba, int count, std::uint8_t* red, std::uint8_t* green,
                  std::uint8_t* blue);
void splitColours(const std::uint16_t* rgba, int count, std::uint16_t* red, std::uint16_t* green,
                  std::uint16_t* blue);

/// Of each sample what it is more than that of the same channel to the left, modulo 256; of the first pixel,
/// itself. channels: 3, without alpha, or 4. count: pixels.
void differencesAlong(const std::uint8_t* rgba, int count, int channels, std::uint8_t* out);

}
