// Where in a patch there is something, asked of any box at once.
#pragma once

#include "render/patch.h"

namespace stage::render {

/// A summed-area table (Crow 1984).
class Occupancy {
public:
    /// Of a patch; what was known before is forgotten.
    void survey(const Patch& patch);
    /// Whether texels x0..x1, y0..y1 of the patch, which are brought inside it, are clear.
    bool clear(int x0, int y0, int x1, int y1) const;

private:
    int m_width = 0, m_height = 0;
    std::vector<int> m_some;
};

}
