#include "cutout/mattes.h"

#include "cutout/keys.h"
#include "cutout/select.h"
#include "cutout/shapes.h"
#include "cutout/source.h"
#include "media/content.h"
#include "scene/cutout_json.h"

#include <cmath>

namespace stage::cutout {

using media::PixelCache;
using media::PixelSource;
using media::PixelSourcePtr;
using media::Raster;

namespace {

/// A level of another source as the base.
class LevelSource : public PixelSource {
public:
    LevelSource(PixelSourcePtr source, int level)
        : PixelSource(source->key() + "\nlevel " + std::to_string(level),
                      media::levelSize(source->size(), level), Granularity::EveryLevel,
                      source->seriesOf("level")),
          m_source(std::move(source)), m_level(level) {}
    Result<Raster> compute(int level, const Box& box, PixelCache& cache,
                           const Progress& progress) const override {
        return cache.read(m_source, m_level + level, box, progress);
    }

private:
    PixelSourcePtr m_source;
    int m_level;
};

Mask alphaOf(const Raster& raster, const Box& box) {
    Mask mask(box);
    for (std::size_t i = 0; i < mask.values.size(); ++i)
        mask.values[i] = raster.rgba[4 * i + 3];
    return mask;
}

}

PixelSourcePtr atLevel(PixelSourcePtr source, int level) {
    return std::make_shared<LevelSource>(std::move(source), level);
}

Result<Raster> readOn(PixelCache& cache, const PixelSourcePtr& source, const Box& box,
                      const Progress& progress) {
    const Box bounds = media::boxOf(source->size());
    const Box inside = box.within(bounds);
    if (inside == box) return cache.read(source, 0, box, progress);
    if (inside.empty()) return Raster(box.size());
    const auto part = cache.read(source, 0, inside, progress);
    if (!part) return part;
    Raster out(box.size());
    for (int y = box.y0; y < box.y1; ++y) {
        const Imath::half* from = part->row(std::clamp(y, inside.y0, inside.y1 - 1) - inside.y0);
        Imath::half* to = out.row(y - box.y0);
        for (int x = box.x0; x < box.x1; ++x, to += 4)
            std::copy_n(from + 4 * (std::clamp(x, inside.x0, inside.x1 - 1) - inside.x0), 4, to);
    }
    return out;
}

PixelSourcePtr pictureOf(const motion::Pixels& pixels, std::int64_t frame, double& scale) {
    PixelSourcePtr source = media::contentOf(*pixels.layer, frame);
    if (!source) return nullptr;
    // Vectors are offered much finer than they are; twice is enough for what is cut.
    int level = 0;
    while (media::levelSize(source->size(), level).x > 2 * pixels.layer->pixels.x)
        ++level;
    if (level > 0) source = atLevel(source, level);
    scale = static_cast<double>(source->size().x) / pixels.layer->pixels.x;
    return source;
}

namespace {

Result<Mask> alphaOfOther(const motion::OtherLayer& other, bool brightness, const Ground& ground,
                          const Box& box, PixelCache& cache, const Progress& progress) {
    const PixelSourcePtr source = sourceOf(*other.pixels);
    if (!source) return Mask(box);
    const auto value = [&](const float* c) {
        if (!brightness) return c[3];
        return std::clamp(media::srgbFromLinear(std::max(0.f, luminance({c[0], c[1], c[2]}))), 0.f, 1.f);
    };
    Mask mask(box);
    if (other.same && source->size() == ground.picture->size()) {
        const auto raster = cache.read(source, 0, box, progress);
        if (!raster) return tl::unexpected(raster.error());
        for (std::size_t i = 0; i < mask.values.size(); ++i) {
            const Imath::half* in = raster->rgba.data() + 4 * i;
            const float c[4] = {in[0], in[1], in[2], in[3]};
            mask.values[i] = value(c);
        }
        return mask;
    }
    const V2i natural = other.pixels->layer->pixels;
    const double finer = static_cast<double>(source->size().x) / natural.x;
    const auto placeOf = [&](double x, double y, V2d& place) {
        const V3d from(x / ground.scale, y / ground.scale, 1);
        const V3d to = other.same ? from : from * other.place;
        if (!(to.z > 0)) return false;
        place = V2d(to.x, to.y) / to.z * finer;
        return std::abs(place.x) < 1e7 && std::abs(place.y) < 1e7;
    };
    // The piece of the other that the box sees, on the level whose texels come nearest to the box's pixels.
    V2d low(1e9), high(-1e9);
    for (const int y : {box.y0, (box.y0 + box.y1) / 2, box.y1})
        for (const int x : {box.x0, (box.x0 + box.x1) / 2, box.x1}) {
            V2d place;
            if (!placeOf(x, y, place))
                place = {x < (box.x0 + box.x1) / 2 ? -1e6 : 1e6, y < (box.y0 + box.y1) / 2 ? -1e6 : 1e6};
            low = {std::min(low.x, place.x), std::min(low.y, place.y)};
            high = {std::max(high.x, place.x), std::max(high.y, place.y)};
        }
    const double each = std::max((high.x - low.x) / box.size().x, (high.y - low.y) / box.size().y);
    const int level = std::clamp(static_cast<int>(std::floor(std::log2(std::max(each, 1.0)))), 0,
                                 media::levelCount(source->size()) - 1);
    const double shrink = std::ldexp(1.0, -level);
    const Box bounds = media::boxOf(media::levelSize(source->size(), level));
    const auto whole = [](double v) { return static_cast<int>(std::clamp(v, -2e6, 2e6)); };
    const Box piece = Box{whole(std::floor(low.x * shrink)) - 2, whole(std::floor(low.y * shrink)) - 2,
                          whole(std::ceil(high.x * shrink)) + 2, whole(std::ceil(high.y * shrink)) + 2}
                          .within(bounds.grown(1));
    if (piece.empty()) return mask;
    const auto raster = cache.read(source, level, piece, progress);
    if (!raster) return tl::unexpected(raster.error());
    for (int y = box.y0; y < box.y1; ++y)
        for (int x = box.x0; x < box.x1; ++x) {
            V2d place;
            if (!placeOf(x + 0.5, y + 0.5, place)) continue;
            const double u = place.x * shrink - 0.5 - piece.x0, v = place.y * shrink - 0.5 - piece.y0;
            const int u0 = static_cast<int>(std::floor(u)), v0 = static_cast<int>(std::floor(v));
            if (u0 < 0 || v0 < 0 || u0 + 1 >= raster->size.x || v0 + 1 >= raster->size.y) continue;
            const auto fu = static_cast<float>(u - u0), fv = static_cast<float>(v - v0);
            float c[4];
            for (int i = 0; i < 4; ++i) {
                const float a = raster->row(v0)[4 * u0 + i], b = raster->row(v0)[4 * u0 + 4 + i];
                const float d = raster->row(v0 + 1)[4 * u0 + i], e = raster->row(v0 + 1)[4 * u0 + 4 + i];
                c[i] = (a + (b - a) * fu) * (1 - fv) + (d + (e - d) * fu) * fv;
            }
            mask.row(y)[x] = value(c);
        }
    return mask;
}

Result<Mask> coverOfMatte(const scene::Matte& matte, const Ground& ground, const Box& box, PixelCache& cache,
                          const Progress& progress) {
    const double scale = ground.scale;
    const auto fromSource = [&](const PixelSourcePtr& source) -> Result<Mask> {
        auto raster = readOn(cache, source, box, progress);
        if (!raster) return tl::unexpected(raster.error());
        return alphaOf(*raster, box);
    };
    if (const auto* outline = std::get_if<scene::Outline>(&matte.shape)) return coverOf(*outline, scale, box);
    if (const auto* rectangle = std::get_if<scene::Rectangle>(&matte.shape))
        return coverOf(*rectangle, scale, box);
    if (const auto* ellipse = std::get_if<scene::Ellipse>(&matte.shape)) return coverOf(*ellipse, scale, box);
    if (const auto* painted = std::get_if<scene::Painted>(&matte.shape)) {
        Mask mask(box);
        for (const scene::Stroke& stroke : painted->strokes)
            paint(mask, stroke, scale);
        return mask;
    }
    if (const auto* alike = std::get_if<scene::Alike>(&matte.shape))
        return fromSource(alikeSource(ground.picture, *alike, scale));
    if (const auto* subject = std::get_if<scene::Subject>(&matte.shape)) {
        double own = 1;
        const auto* footage = std::get_if<scene::Footage>(&ground.pixels.layer->content);
        const PixelSourcePtr picture =
            footage ? pictureOf(ground.pixels, subject->frame, own) : ground.picture;
        return fromSource(subjectSource(picture, *subject, scale));
    }
    const auto& named = std::get<scene::OfLayer>(matte.shape);
    const auto other = ground.pixels.others.find(named.layer);
    if (other == ground.pixels.others.end()) return Mask(box);
    return alphaOfOther(other->second, named.brightness, ground, box, cache, progress);
}

}

Result<Mask> combined(const std::vector<scene::Matte>& mattes, const Ground& ground, const Box& box,
                      PixelCache& cache, const Progress& progress) {
    Mask sum(box, 1);
    bool first = true;
    for (const scene::Matte& matte : mattes) {
        if (!matte.on) continue;
        if (progress.stopped()) return cancelled();
        const double grow = matte.grow.value * ground.scale, feather = matte.feather.value * ground.scale;
        const Box softened = box.grown(reachOfFeather(feather)), wide = softened.grown(reachOfGrow(grow));
        auto cover = coverOfMatte(matte, ground, wide, cache, progress);
        if (!cover) return cover;
        Mask own = feathered(grown(*cover, grow, softened), feather, box);
        const auto opacity = static_cast<float>(matte.opacity.value);
        if (first && (matte.combine == scene::Combine::Add || matte.combine == scene::Combine::Plus))
            std::fill(sum.values.begin(), sum.values.end(), 0.f);
        first = false;
        for (std::size_t i = 0; i < own.values.size(); ++i) {
            const float a = (matte.invert ? 1 - own.values[i] : own.values[i]) * opacity;
            float& m = sum.values[i];
            switch (matte.combine) {
            case scene::Combine::Add:
                m = m + a - m * a;
                break;
            case scene::Combine::Subtract:
                m *= 1 - a;
                break;
            case scene::Combine::Intersect:
                m *= a;
                break;
            case scene::Combine::Plus:
                m = std::min(1.f, m + a);
                break;
            }
        }
    }
    return sum;
}

std::string keyOf(const std::vector<scene::Matte>& mattes, const motion::Pixels& pixels) {
    std::string key;
    for (const scene::Matte& matte : mattes) {
        if (!matte.on) continue;
        scene::Matte nameless = matte;
        nameless.name.clear();
        key += scene::toJson(nameless).dump() + '\n';
        const auto* named = std::get_if<scene::OfLayer>(&matte.shape);
        if (!named) continue;
        const auto other = pixels.others.find(named->layer);
        if (other == pixels.others.end()) continue;
        const PixelSourcePtr source = sourceOf(*other->second.pixels);
        key += "(" + (source ? source->key() : "") + ")";
        if (!other->second.same)
            for (int r = 0; r < 3; ++r)
                for (int c = 0; c < 3; ++c)
                    key += std::to_string(other->second.place[r][c]) + ' ';
        key += '\n';
    }
    return key;
}

}
