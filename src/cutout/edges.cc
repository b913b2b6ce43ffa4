#include "cutout/edges.h"

#include <cmath>

namespace stage::cutout {

scene::Edges scaled(const scene::Edges& edges, double scale) {
    scene::Edges out = edges;
    out.choke *= scale;
    out.feather *= scale;
    out.reach *= scale;
    return out;
}

int reachOfEdges(const scene::Edges& edges) {
    const int shape = reachOfGrow(edges.choke) + reachOfFeather(edges.feather);
    const int colour = static_cast<int>(std::ceil(2 * edges.reach)) + reachOfGrow(edges.reach / 2);
    return shape + colour;
}

Cut cleaned(Cut in, const scene::Edges& edges, const Box& wanted) {
    if (edges.low > 0 || edges.high < 1) {
        const double width = edges.high - edges.low;
        for (float& v : in.alpha.values)
            v = width > 0 ? static_cast<float>(std::clamp((v - edges.low) / width, 0.0, 1.0))
                          : (v > edges.low ? 1.f : 0.f);
    }
    Cut out;
    out.box = wanted;
    // The mean colour of what lies surely inside, and of whatever is there.
    const bool spreads = edges.choke < 0 || edges.feather > 0;
    const Box wide = in.box;
    const V2i size = wide.size();
    const auto meanOf = [&](const Mask& weight, std::vector<float>(&mean)[3], std::vector<float>& sum) {
        sum = weight.values;
        soften(sum, size, edges.reach / 2);
        for (int c = 0; c < 3; ++c) {
            mean[c].resize(sum.size());
            for (std::size_t i = 0; i < sum.size(); ++i)
                mean[c][i] = in.planes[c][i] * weight.values[i];
            soften(mean[c], size, edges.reach / 2);
        }
    };
    std::vector<float> sum, mean[3];
    if (edges.clean > 0) {
        const int reach = reachOfGrow(edges.reach / 2);
        Mask padded(wide.grown(reach));
        for (int y = padded.box.y0; y < padded.box.y1; ++y)
            for (int x = padded.box.x0; x < padded.box.x1; ++x)
                padded.row(y)[x] =
                    in.alpha.at(std::clamp(x, wide.x0, wide.x1 - 1), std::clamp(y, wide.y0, wide.y1 - 1));
        const Mask inside = grown(padded, -edges.reach / 2, wide);
        meanOf(inside, mean, sum);
        for (std::size_t i = 0; i < sum.size(); ++i) {
            if (sum[i] < 1e-3f) continue;
            const auto share = static_cast<float>(edges.clean) * (1 - inside.values[i]);
            for (int c = 0; c < 3; ++c)
                in.planes[c][i] += (mean[c][i] / sum[i] - in.planes[c][i]) * share;
        }
    }
    if (spreads) {
        meanOf(in.alpha, mean, sum);
        for (std::size_t i = 0; i < sum.size(); ++i)
            if (in.alpha.values[i] < 0.02f && sum[i] > 1e-4f)
                for (int c = 0; c < 3; ++c)
                    in.planes[c][i] = mean[c][i] / sum[i];
    }
    const Box choked = wanted.grown(reachOfFeather(edges.feather));
    out.alpha = feathered(grown(in.alpha, -edges.choke, choked), edges.feather, wanted);
    for (int c = 0; c < 3; ++c) {
        out.planes[c].resize(out.alpha.values.size());
        for (int y = wanted.y0; y < wanted.y1; ++y)
            std::copy_n(in.planes[c].begin() + std::ptrdiff_t{y - wide.y0} * size.x + (wanted.x0 - wide.x0),
                        wanted.size().x,
                        out.planes[c].begin() + std::ptrdiff_t{y - wanted.y0} * wanted.size().x);
    }
    return out;
}

}
