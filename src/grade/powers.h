// Powers of colours, by the widest instructions that the machine has.
#pragma once

#include <array>
#include <cstddef>

namespace stage::grade {

/// What is above 0 becomes factor v^power, by the colour's own factor and power; the rest stays.
struct Powers {
    std::array<float, 3> power, factor; ///< factors above 0
};
/// rgba: straight, scene-linear; alpha stays. Off by up to 1e-6 of the value times the power's size. Pure,
/// thread-safe.
void raise(const Powers& powers, float* rgba, std::size_t pixels);

}
