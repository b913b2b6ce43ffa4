// Widths of what common cameras expose, by format.
#pragma once

namespace stage::desk {

struct Gate {
    const char* name;
    double width;
};
inline constexpr Gate gates[] = {{"36.0 mm  full frame", 36},
                                 {"24.9 mm  35 mm film", 24.89},
                                 {"23.5 mm  half frame", 23.5},
                                 {"12.5 mm  16 mm film", 12.52},
                                 {"54.1 mm  65 mm film", 54.12}};

}
