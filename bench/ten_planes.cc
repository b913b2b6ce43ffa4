#include "ten_planes.h"

#include <OpenImageIO/imageio.h>
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <memory>

namespace stage::bench {
namespace {

double hash(int x, int y, unsigned seed) {
    std::uint32_t h = static_cast<std::uint32_t>(x) * 374761393u +
                      static_cast<std::uint32_t>(y) * 668265263u + seed * 2246822519u;
    h = (h ^ (h >> 13)) * 1274126177u;
    return static_cast<double>(h ^ (h >> 16)) / 4294967295.0;
}

double noise(double x, double y, unsigned seed) {
    const double fx = std::floor(x), fy = std::floor(y);
    const auto s = [](double t) { return t * t * (3 - 2 * t); };
    const double a = s(x - fx), b = s(y - fy);
    const auto at = [&](int i, int j) {
        return hash(static_cast<int>(fx) + i, static_cast<int>(fy) + j, seed);
    };
    return (at(0, 0) * (1 - a) + at(1, 0) * a) * (1 - b) + (at(0, 1) * (1 - a) + at(1, 1) * a) * b;
}

struct Drawing {
    int width, height;
    double cover; ///< share of the picture
    bool border;  ///< gathers at the edges
    unsigned seed;
    int highlights;
};

std::vector<float> drawn(const Drawing& d) {
    const auto shape = [&](int x, int y) {
        double v = 0.6 * noise(x / 260.0, y / 260.0, d.seed) + 0.28 * noise(x / 90.0, y / 90.0, d.seed + 1) +
                   0.12 * noise(x / 24.0, y / 24.0, d.seed + 2);
        if (d.border) {
            const double u = std::abs(2.0 * x / d.width - 1), w = std::abs(2.0 * y / d.height - 1);
            v = 0.35 * v + 0.65 * std::pow(std::max(u, w), 3.0);
        }
        return v;
    };
    double threshold = -1;
    if (d.cover < 1) {
        std::vector<double> values;
        for (int y = 4; y < d.height; y += 9)
            for (int x = 4; x < d.width; x += 9)
                values.push_back(shape(x, y));
        const auto nth =
            values.begin() + static_cast<std::ptrdiff_t>((1 - d.cover) * static_cast<double>(values.size()));
        std::nth_element(values.begin(), nth, values.end());
        threshold = *nth;
    }
    std::vector<float> rgba(static_cast<std::size_t>(d.width) * static_cast<std::size_t>(d.height) * 4);
    const double base[3] = {0.08 + 0.5 * hash(1, 0, d.seed), 0.08 + 0.4 * hash(2, 0, d.seed),
                            0.08 + 0.5 * hash(3, 0, d.seed)};
    for (int y = 0; y < d.height; ++y)
        for (int x = 0; x < d.width; ++x) {
            float* p = rgba.data() + 4 * (static_cast<std::size_t>(y) * static_cast<std::size_t>(d.width) +
                                          static_cast<std::size_t>(x));
            const double alpha =
                d.cover < 1 ? std::clamp((shape(x, y) - threshold) * 130 + 0.5, 0.0, 1.0) : 1.0;
            if (alpha <= 0) continue;
            const double grain = 0.35 + 0.5 * noise(x / 37.0, y / 37.0, d.seed + 7) +
                                 0.3 * noise(x / 5.0, y / 5.0, d.seed + 8);
            const double stripe = (x / 24 + y / 40) % 7 == 0 ? 0.55 : 1.0;
            for (int c = 0; c < 3; ++c)
                p[c] = static_cast<float>(base[c] * grain * stripe * alpha);
            p[3] = static_cast<float>(alpha);
        }
    for (int i = 0; i < d.highlights; ++i) {
        const int cx = static_cast<int>((0.1 + 0.8 * hash(i, 5, d.seed)) * d.width),
                  cy = static_cast<int>((0.1 + 0.8 * hash(i, 6, d.seed)) * d.height);
        const double power = 20 + 40 * hash(i, 7, d.seed), radius = 1.5 + 2 * hash(i, 8, d.seed);
        for (int y = cy - 5; y <= cy + 5; ++y)
            for (int x = cx - 5; x <= cx + 5; ++x) {
                if (x < 0 || y < 0 || x >= d.width || y >= d.height) continue;
                const double in = std::clamp(radius + 0.5 - std::hypot(x - cx, y - cy), 0.0, 1.0);
                float* p =
                    rgba.data() + 4 * (static_cast<std::size_t>(y) * static_cast<std::size_t>(d.width) +
                                       static_cast<std::size_t>(x));
                if (in <= 0 || p[3] < 1) continue;
                p[0] += static_cast<float>(power * in), p[1] += static_cast<float>(0.8 * power * in),
                    p[2] += static_cast<float>(0.5 * power * in);
            }
    }
    return rgba;
}

std::string written(const std::filesystem::path& folder, const std::string& name, const Drawing& d) {
    const auto path = folder / (name + ".exr");
    if (std::filesystem::exists(path)) return path.string();
    const auto rgba = drawn(d);
    const auto out = OIIO::ImageOutput::create(path.string());
    OIIO::ImageSpec spec(d.width, d.height, 4, OIIO::TypeDesc::HALF);
    spec.attribute("compression", "none");
    out->open(path.string(), spec);
    out->write_image(OIIO::TypeDesc::FLOAT, rgba.data());
    out->close();
    return path.string();
}

constexpr double focal = 100, gate = 36;

scene::Scene emptyOf() {
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = {1920, 1080};
    scene.camera.gate = gate;
    scene::Pose& pose = scene.camera.marks[0].pose;
    pose.focal = focal;
    pose.fstop = 1.4;
    pose.focus = 4;
    pose.pan = 3;
    pose.tilt = -2;
    return scene;
}

/// Upright at a depth, `share` of the frame wide, its middle at a share of the frame from its middle.
void hang(scene::Scene& scene, const std::string& file, V2i pixels, double depth, double share,
          V2d at = V2d(0)) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = static_cast<std::int64_t>(scene.layers.size()) + 1;
    layer->name = std::filesystem::path(file).stem().string() + " " + std::to_string(layer->id);
    layer->pixels = pixels;
    const double width = depth * gate / focal;
    layer->metresPerPixel = share * width / pixels.x;
    const scene::Pose& pose = scene.camera.marks[0].pose;
    const double across = std::tan(radians(pose.pan)), up = std::tan(radians(pose.tilt));
    layer->placement.position = {depth * across + at.x * width, depth * up + at.y * width, -depth};
    layer->content = scene::Picture{{file, 0, ""}, ""};
    scene.layers.push_back(layer);
}

const std::vector<double> depths = {20, 12, 8, 6, 4.6, 4, 3.4, 2.9, 2.5, 2.17};

}

scene::Scene tenPlanes(const std::filesystem::path& folder) {
    scene::Scene scene = emptyOf();
    const V2i size(2400, 1350);
    for (std::size_t i = 0; i < depths.size(); ++i) {
        const bool border = i >= 7;
        const double cover = i == 0 ? 1 : border ? 0.15 : 0.3;
        const std::string file = written(folder, "plane" + std::to_string(i),
                                         {size.x, size.y, cover, border, 100 + 13 * static_cast<unsigned>(i),
                                          i == 0  ? 60
                                          : i < 4 ? 25
                                                  : 8});
        hang(scene, file, size, depths[i], border ? 1.12 : 1.25);
    }
    return scene;
}

scene::Scene hundredPlanes(const std::filesystem::path& folder) {
    scene::Scene scene = emptyOf();
    const V2i size(515, 290);
    std::vector<std::string> files;
    for (unsigned k = 0; k < 10; ++k)
        files.push_back(
            written(folder, "piece" + std::to_string(k), {size.x, size.y, 0.3, false, 500 + 11 * k, 2}));
    const V2i whole(2400, 1350);
    hang(scene, written(folder, "plane0", {whole.x, whole.y, 1, false, 100, 60}), whole, depths[0], 1.25);
    for (int i = 0; i < 99; ++i) {
        // As if cut from the ten: shapes as large, as many texels to a pixel (in a third of them a little
        // more than one), together as much cover (`cover` of the benchmark). Spread over the frame and
        // through its depths.
        const double depth = 2.2 + 14 * hash(i, 1, 9) * hash(i, 2, 9);
        hang(scene, files[static_cast<std::size_t>(i) % 10], size, depth,
             1.25 * size.x / whole.x * (i % 3 == 0 ? 1.12 / 1.25 : 1),
             {hash(i, 3, 9) - 0.5, 0.56 * (hash(i, 4, 9) - 0.5)});
    }
    return scene;
}

scene::Scene veils(const std::filesystem::path& folder) {
    scene::Scene scene = emptyOf();
    const V2i size(2400, 1350);
    for (std::size_t i = 0; i < depths.size(); ++i) {
        hang(scene,
             written(folder, "veil" + std::to_string(i),
                     {size.x, size.y, 1, false, 900 + 13 * static_cast<unsigned>(i), 0}),
             size, depths[i], 1.25);
        auto layer = std::make_shared<scene::Layer>(*scene.layers.back());
        layer->opacity = 0.5;
        scene.layers.back() = layer;
    }
    return scene;
}

}
