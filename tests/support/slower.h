// How long the program takes in the build that is tested.
#pragma once

namespace stage::test {

/// How many times as long it takes under a sanitizer; the renderer up to twice that.
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
inline constexpr int slower = 8;
#else
inline constexpr int slower = 1;
#endif

}
