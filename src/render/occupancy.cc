#include "render/occupancy.h"

namespace stage::render {

void Occupancy::survey(const Patch& patch) {
    m_width = patch.width, m_height = patch.height;
    const auto stride = static_cast<std::size_t>(m_width + 1);
    m_some.assign(stride * static_cast<std::size_t>(m_height + 1), 0);
    for (int y = 0; y < m_height; ++y) {
        const std::uint16_t* row = patch.texels + y * patch.stride;
        const int* above = m_some.data() + static_cast<std::size_t>(y) * stride;
        int* own = m_some.data() + static_cast<std::size_t>(y + 1) * stride;
        int some = 0;
        for (int x = 0; x < m_width; ++x, row += 4) {
            some += ((row[0] | row[1] | row[2] | row[3]) & 0x7fff) != 0;
            own[x + 1] = above[x + 1] + some;
        }
    }
}

}
