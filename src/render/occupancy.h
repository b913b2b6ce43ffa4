// Where in a patch there is something, of any box at once.
#pragma once

#include "render/patch.h"

namespace stage::render {

/// A summed-area table (Crow 1984).
class Occupancy {
public:
    /// Of a patch; what was known before is forgotten.
    void survey(const Patch& patch);
    /// Texels of the patch, and numbers of the table from row to row.
    int width() const { return m_width; }
    int height() const { return m_height; }
    int stride() const { return m_width + 1; }
    /// How many texels before a column and above a row are not clear, for 0..width and 0..height.
    const int* counts() const { return m_some.data(); }

    /// Of all texels that are not clear.
    int count() const { return m_some.back(); }

private:
    int m_width = 0, m_height = 0;
    std::vector<int> m_some;
};

}
