#include "render/patch.h"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace stage::render {

std::uint16_t* PatchArena::room(std::size_t numbers) {
    constexpr std::size_t usual = 1u << 18;
    while (m_block < m_blocks.size() && m_used + numbers > m_blocks[m_block].size)
        ++m_block, m_used = 0;
    if (m_block == m_blocks.size()) {
        const std::size_t size = std::max(usual, numbers);
        m_blocks.push_back({std::make_unique_for_overwrite<std::uint16_t[]>(size), size});
        m_used = 0;
    }
    std::uint16_t* at = m_blocks[m_block].numbers.get() + m_used;
    m_used += numbers;
    return at;
}

namespace {

const std::uint16_t* bitsOf(const Imath::half* texel) {
    return reinterpret_cast<const std::uint16_t*>(texel);
}

/// Part of a row of a level that lies inside it.
void copyRow(const media::TiledLevel& level, int y, int x0, int x1, std::uint16_t* out) {
    while (x0 < x1) {
        const int end = std::min(x1, (x0 / media::tileSide + 1) * media::tileSide);
        const auto bytes = static_cast<std::size_t>(end - x0) * 4 * sizeof(std::uint16_t);
        if (const Imath::half* from = level.texel(x0, y))
            std::memcpy(out, from, bytes);
        else
            std::memset(out, 0, bytes);
        out += (end - x0) * 4;
        x0 = end;
    }
}

/// Texels of a level along one side: which two are mixed at a texel that may lie beyond the picture, because
/// what goes on there need not fall on whole texels of a smaller level.
struct Source {
    int a, b;
    float share; ///< of b
};
Source sourceOf(int i, int level, int count, int base, const scene::Extension& low,
                const scene::Extension& high) {
    if (i >= 0 && i < count) return {i, i, 0};
    const scene::Extension& side = i < 0 ? low : high;
    if (side.reach() <= 0 || side.beyond == scene::Beyond::Stretch) {
        const int edge = i < 0 ? 0 : count - 1;
        return {edge, edge, 0};
    }
    const double shrink = std::ldexp(1.0, -level);
    const double place = scene::folded((i + 0.5) / shrink / base, side.beyond) * base * shrink - 0.5;
    const double floor = std::floor(place);
    const bool round = side.beyond == scene::Beyond::Repeat;
    const auto inside = [&](int n) {
        if (n < 0) return round ? count - 1 : 0;
        if (n >= count) return round ? 0 : count - 1;
        return n;
    };
    return {inside(static_cast<int>(floor)), inside(static_cast<int>(floor) + 1),
            static_cast<float>(place - floor)};
}

void mixTexels(const media::TiledLevel& level, const Source& u, const Source& v, std::uint16_t* out) {
    const auto texel = [&](int x, int y, int c) {
        const Imath::half* at = level.texel(x, y);
        return at ? float(at[c]) : 0.f;
    };
    if (u.share == 0 && v.share == 0) {
        if (const Imath::half* at = level.texel(u.a, v.a))
            std::memcpy(out, at, 4 * sizeof *out);
        else
            std::fill_n(out, 4, std::uint16_t{0});
        return;
    }
    for (int c = 0; c < 4; ++c) {
        const float upper = texel(u.a, v.a, c) * (1 - u.share) + texel(u.b, v.a, c) * u.share;
        const float lower = texel(u.a, v.b, c) * (1 - u.share) + texel(u.b, v.b, c) * u.share;
        out[c] = Imath::half(upper * (1 - v.share) + lower * v.share).bits();
    }
}

}

media::Box texelsAround(const Reach& reach, double spanU, double spanV, int level) {
    const double shrink = std::ldexp(1.0, -level);
    const auto least = [&](double at) {
        return static_cast<int>(std::clamp(std::floor(at * shrink - 0.52), -1e8, 1e8));
    };
    return {least(reach.u0 - spanU), least(reach.v0 - spanV), least(reach.u1 + spanU) + 3,
            least(reach.v1 + spanV) + 3};
}

PatchEdges edgesOf(const Plane& plane, const Reach& reach, const Patch& patch, int level, const V2d& covers) {
    const double shrink = std::ldexp(1.0, -level);
    const auto edge = [&](double at, int origin) { return static_cast<float>(at * shrink - 0.5 - origin); };
    PatchEdges edges;
    edges.any = reach.u0 - reach.marginU < plane.farLeft() || reach.u1 + reach.marginU > plane.farRight() ||
                reach.v0 - reach.marginV < plane.farTop() || reach.v1 + reach.marginV > plane.farBottom();
    edges.left = edge(plane.farLeft(), patch.x0), edges.right = edge(plane.farRight(), patch.x0);
    edges.top = edge(plane.farTop(), patch.y0), edges.bottom = edge(plane.farBottom(), patch.y0);
    edges.reachU = static_cast<float>(std::max(covers.x * shrink, 1e-6));
    edges.reachV = static_cast<float>(std::max(covers.y * shrink, 1e-6));
    return edges;
}

Patch PatchArena::take(const Plane& plane, const media::Pyramid& pixels, int level, const media::Box& asked) {
    const media::TiledLevel& from = pixels.level(level);
    const double shrink = std::ldexp(1.0, -level);
    // One texel beyond where it goes on, for those half on its edge.
    const auto low = [&](double reach) {
        return reach < 0 ? static_cast<int>(std::floor(reach * shrink)) - 1 : 0;
    };
    const auto high = [&](double reach, int base, int count) {
        return reach > base ? static_cast<int>(std::ceil(reach * shrink)) + 1 : count;
    };
    const media::Box all{low(plane.farLeft()), low(plane.farTop()),
                         high(plane.farRight(), plane.size.x, from.size.x),
                         high(plane.farBottom(), plane.size.y, from.size.y)};
    media::Box box = asked;
    box.x0 = std::clamp(box.x0, all.x0, all.x1 - 1), box.x1 = std::clamp(box.x1, box.x0 + 1, all.x1);
    box.y0 = std::clamp(box.y0, all.y0, all.y1 - 1), box.y1 = std::clamp(box.y1, box.y0 + 1, all.y1);
    const auto widen = [](int& begin, int& end, int first, int last) {
        if (end - begin >= 2) return;
        if (end < last)
            ++end;
        else if (begin > first)
            --begin;
    };
    widen(box.x0, box.x1, all.x0, all.x1);
    widen(box.y0, box.y1, all.y0, all.y1);

    Patch patch;
    patch.x0 = box.x0, patch.y0 = box.y0;
    patch.width = std::max(2, box.x1 - box.x0), patch.height = std::max(2, box.y1 - box.y0);
    const bool inside = box.x0 >= 0 && box.y0 >= 0 && box.x1 <= from.size.x && box.y1 <= from.size.y;
    const bool wide = box.x1 - box.x0 >= 2 && box.y1 - box.y0 >= 2;
    constexpr int side = media::tileSide;
    if (inside && wide && box.x0 / side == (box.x1 - 1) / side && box.y0 / side == (box.y1 - 1) / side) {
        if (const media::Tile* tile = from.tileAt(box.x0, box.y0)) {
            patch.texels = bitsOf(tile->row(box.y0 % side) + 4 * (box.x0 % side));
            patch.stride = 4 * static_cast<std::ptrdiff_t>(tile->size.x);
            for (int y = 0; y < patch.height; ++y) {
                const std::uint16_t* row = patch.texels + y * patch.stride;
                for (int i = 0; i < 4 * patch.width + 31; i += 32)
                    __builtin_prefetch(row + i, 0, 2);
            }
            return patch;
        }
    }
    const auto numbers = static_cast<std::size_t>(patch.width) * 4;
    std::uint16_t* out = room(numbers * static_cast<std::size_t>(patch.height));
    patch.texels = out;
    patch.stride = static_cast<std::ptrdiff_t>(numbers);
    const scene::Extensions& on = plane.extensions;
    std::vector<Source> across;
    if (!inside)
        for (int x = box.x0; x < box.x0 + patch.width; ++x)
            across.push_back(sourceOf(x, level, from.size.x, plane.size.x, on.left, on.right));
    for (int y = box.y0; y < box.y0 + patch.height; ++y, out += numbers) {
        if (inside && y < box.y1) {
            copyRow(from, y, box.x0, box.x1, out);
            if (!wide) // a level one texel wide is that texel twice
                for (int x = box.x1 - box.x0; x < patch.width; ++x)
                    std::memcpy(out + 4 * x, out + 4 * (box.x1 - box.x0 - 1), 4 * sizeof(std::uint16_t));
            continue;
        }
        if (inside) { // one texel high
            std::memcpy(out, out - numbers, numbers * sizeof(std::uint16_t));
            continue;
        }
        const Source v = sourceOf(y, level, from.size.y, plane.size.y, on.top, on.bottom);
        // What lies inside across is copied where the row is one of the picture's own.
        const int first = v.share == 0 ? std::clamp(box.x0, 0, from.size.x) : box.x1,
                  last = v.share == 0 ? std::clamp(box.x1, first, from.size.x) : box.x1;
        if (first < last) copyRow(from, v.a, first, last, out + 4 * (first - box.x0));
        for (int i = 0; i < patch.width; ++i) {
            if (box.x0 + i >= first && box.x0 + i < last) {
                i = last - box.x0 - 1;
                continue;
            }
            const Source u = across[static_cast<std::size_t>(i)];
            mixTexels(from, u, v, out + 4 * i);
        }
    }
    return patch;
}

}
