#include "desk/cutting/cut_picture.h"

#include "cutout/source.h"
#include "scene/cutout_json.h"

#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

/// Fills and clones stay, what cuts goes.
motion::Pixels uncut(const motion::Pixels& pixels, bool matched) {
    motion::Pixels out = pixels;
    if (!out.cutout) return out;
    auto cutout = std::make_shared<scene::Cutout>(*out.cutout);
    cutout->key.reset();
    cutout->mattes.clear();
    cutout->edges = {};
    if (!matched) cutout->match.reset();
    out.cutout = cutout;
    return out;
}

motion::Pixels fillsOnly(const motion::Pixels& pixels) {
    motion::Pixels out = uncut(pixels, false);
    auto cutout = std::make_shared<scene::Cutout>(*out.cutout);
    cutout->clones.clear();
    out.cutout = cutout;
    return out;
}

int byte(float linear) {
    return static_cast<int>(std::clamp(media::srgbFromLinear(std::max(0.f, linear)), 0.f, 1.f) * 255 + 0.5f);
}

}

Result<CutPicture> cutPicture(const CutPictureRequest& request, const Progress& progress,
                              const std::function<void(CutPicture)>& interim) {
    if (interim && request.pixels->cutout) {
        const auto& fills = request.pixels->cutout->fills;
        const auto whole = cutout::sourceOf(fillsOnly(*request.pixels));
        const bool waits =
            std::any_of(fills.begin(), fills.end(), [](const scene::Fill& f) { return f.on && !f.draft; }) &&
            request.cache->missing(whole, media::Need::all(whole->size(), 0)) > 0;
        if (waits) {
            CutPictureRequest coarse = request;
            auto pixels = std::make_shared<motion::Pixels>(*request.pixels);
            auto drafts = std::make_shared<scene::Cutout>(*pixels->cutout);
            for (scene::Fill& fill : drafts->fills)
                fill.draft = true;
            pixels->cutout = drafts;
            coarse.pixels = pixels;
            if (auto picture = cutPicture(coarse, {{}, progress.stop})) interim(std::move(*picture));
        }
    }
    const auto source = cutout::sourceOf(*request.pixels),
               before = cutout::sourceOf(uncut(*request.pixels, request.show != 3));
    const V2i natural = request.pixels->layer->pixels;
    const auto scaleOf = [&](const media::PixelSourcePtr& of) {
        return static_cast<double>(of->size().x) / natural.x;
    };
    const auto levelOf = [&](const media::PixelSourcePtr& of) {
        return std::clamp(static_cast<int>(std::floor(std::log2(scaleOf(of) / request.perPixel) + 1e-6)), 0,
                          media::levelCount(of->size()) - 1);
    };
    const int level = levelOf(source);
    const double texels = scaleOf(source) * std::ldexp(1.0, -level); // per pixel of the layer
    const auto at = [&](double v) { return static_cast<int>(std::clamp(v * texels, -1e6, 1e6)); };
    const media::Box box = media::Box{at(request.visible.left()) - 2, at(request.visible.top()) - 2,
                                      at(request.visible.right()) + 3, at(request.visible.bottom()) + 3}
                               .within(media::boxOf(media::levelSize(source->size(), level)));
    CutPicture picture;
    if (box.empty()) return picture;
    const bool needsBefore = request.show == 0 || request.show == 3;
    Result<media::Raster> cut = media::Raster(box.size()), whole = media::Raster(box.size());
    if (request.show != 3) cut = request.cache->read(source, level, box, progress);
    if (!cut) return tl::unexpected(cut.error());
    if (needsBefore) {
        // Vectors that are cut are offered less fine than whole ones; their levels differ by as much.
        const int finer = static_cast<int>(std::lround(std::log2(scaleOf(before) / scaleOf(source))));
        whole = request.cache->read(before, std::max(0, level + finer), box, progress);
    }
    if (!whole) return tl::unexpected(whole.error());
    const V2i size = box.size();
    picture.image = QImage(size.x, size.y, QImage::Format_ARGB32_Premultiplied);
    picture.place = QRectF(box.x0 / texels, box.y0 / texels, size.x / texels, size.y / texels);
    constexpr float kept = 0.10f; // of the light of what goes
    for (int y = 0; y < size.y; ++y) {
        auto* out = reinterpret_cast<QRgb*>(picture.image.scanLine(y));
        const Imath::half* c = cut->row(y);
        const Imath::half* w = whole->row(y);
        for (int x = 0; x < size.x; ++x, c += 4, w += 4) {
            const float a = std::clamp(float(c[3]), 0.f, 1.f);
            if (request.show == 2) {
                const int v = static_cast<int>(a * 255 + 0.5f);
                out[x] = qRgb(v, v, v);
                continue;
            }
            float rgb[3];
            float alpha = request.show == 1 ? a : float(w[3]);
            const float grey = 0.2126f * float(w[0]) + 0.7152f * float(w[1]) + 0.0722f * float(w[2]);
            for (int k = 0; k < 3; ++k) {
                if (request.show == 1)
                    rgb[k] = c[k];
                else if (request.show == 3)
                    rgb[k] = w[k];
                else // what stays as it will look, what goes dark and nearly grey
                    rgb[k] = float(c[k]) + (0.3f * float(w[k]) + 0.7f * grey) * kept * (1 - a);
            }
            if (request.show == 0) alpha = std::max(alpha, a);
            alpha = std::clamp(alpha, 0.f, 1.f);
            const float un = alpha > 0 ? 1 / alpha : 0;
            const int q = static_cast<int>(alpha * 255 + 0.5f);
            out[x] = qRgba(byte(rgb[0] * un) * q / 255, byte(rgb[1] * un) * q / 255,
                           byte(rgb[2] * un) * q / 255, q);
        }
    }
    return picture;
}

}
