// What changes slowly over a picture, looked at in steps. Inside .cc files only. Pure, thread-safe.
#pragma once

#include "media/raster.h"

#include <array>
#include <vector>

namespace stage::cutout {

/// Values of a box of texels at every step-th, even in between; each of so many floats.
template <int Floats> class Nodes {
public:
    using Value = std::array<float, Floats>;

    /// value(x, y): at a texel, also some beyond the box.
    template <class At> Nodes(const media::Box& box, int step, const At& value) : m_step(step) {
        m_across = box.size().x / step + 2;
        const int down = box.size().y / step + 2;
        m_values.reserve(static_cast<std::size_t>(m_across) * down);
        for (int j = 0; j < down; ++j)
            for (int i = 0; i < m_across; ++i)
                m_values.push_back(value(box.x0 + i * step, box.y0 + j * step));
    }
    /// A row of the box, y from its top; out: Floats for each of `count` texels from its left.
    void row(int y, int count, float* out) const {
        const Value* above = m_values.data() + static_cast<std::size_t>(y / m_step) * m_across;
        const float per = 1 / static_cast<float>(m_step), fy = static_cast<float>(y % m_step) * per;
        const auto between = [&](int i) {
            Value value;
            for (int c = 0; c < Floats; ++c)
                value[c] = above[i][c] + (above[m_across + i][c] - above[i][c]) * fy;
            return value;
        };
        Value left = between(0);
        for (int x = 0, i = 1; x < count; ++i) {
            const Value right = between(i);
            const int end = std::min(count, x + m_step);
            for (int n = 0; x < end; ++x, ++n, out += Floats)
                for (int c = 0; c < Floats; ++c)
                    out[c] = left[c] + (right[c] - left[c]) * (static_cast<float>(n) * per);
            left = right;
        }
    }

private:
    int m_step, m_across;
    std::vector<Value> m_values;
};

}
