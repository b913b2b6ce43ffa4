#pragma once

namespace stage::scene {

/// Scene-linear Rec. 709, premultiplied.
struct Colour {
    double r = 0, g = 0, b = 0, a = 1;
    bool operator==(const Colour&) const = default;
};

}
