#include "render/occupancy.h"

#include <algorithm>

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

bool Occupancy::clear(int x0, int y0, int x1, int y1) const {
    const auto inside = [](int at, int size) {
        return static_cast<std::size_t>(std::clamp(at, 0, size - 1));
    };
    const auto stride = static_cast<std::size_t>(m_width + 1);
    const std::size_t a = inside(x0, m_width), b = inside(x1, m_width) + 1, c = inside(y0, m_height) * stride,
                      e = (inside(y1, m_height) + 1) * stride;
    return m_some[e + b] - m_some[c + b] - m_some[e + a] + m_some[c + a] == 0;
}

}
