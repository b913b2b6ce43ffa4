#include "cutout/source.h"

#include "cutout/displaced.h"
#include "cutout/edges.h"
#include "cutout/fill.h"
#include "cutout/finished.h"
#include "cutout/keys.h"
#include "cutout/lit.h"
#include "cutout/match.h"
#include "cutout/mattes.h"
#include "cutout/shadowed.h"
#include "cutout/shapes.h"
#include "grade/grading.h"
#include "media/content.h"
#include "scene/cutout_json.h"

#include <cmath>
#include <unordered_map>

namespace stage::cutout {
namespace {

using media::PixelCache;
using media::PixelSource;
using media::PixelSourcePtr;
using media::Raster;
using Granularity = PixelSource::Granularity;

/// Two frames of footage, for slow motion.
class MixSource : public PixelSource {
public:
    MixSource(PixelSourcePtr a, PixelSourcePtr b, double share)
        : PixelSource("mix " + std::to_string(share) + "\n" + a->key() + "\n" + b->key(), a->size(),
                      Granularity::ByBox, a->seriesOf("mix")),
          m_a(std::move(a)), m_b(std::move(b)), m_share(static_cast<float>(share)) {}
    Result<Raster> compute(int level, const Box& box, PixelCache& cache,
                           const Progress& progress) const override {
        auto a = cache.read(m_a, level, box, progress);
        if (!a) return a;
        const auto b = cache.read(m_b, level, box, progress);
        if (!b) return b;
        for (std::size_t i = 0; i < a->rgba.size(); ++i)
            a->rgba[i] = float(a->rgba[i]) + (float(b->rgba[i]) - float(a->rgba[i])) * m_share;
        return a;
    }

private:
    PixelSourcePtr m_a, m_b;
    float m_share;
};

// ---- what is done to the pixels

class FillSource : public PixelSource {
public:
    FillSource(PixelSourcePtr below, Ground ground, const scene::Fill& fill)
        : PixelSource(below->key() + "\nfill " + std::to_string(fill.grow) + ' ' + std::to_string(fill.seed) +
                          (fill.draft ? " draft\n" : "\n") + keyOf(fill.hole, ground.pixels) + "from\n" +
                          keyOf(fill.from, ground.pixels),
                      below->size(), Granularity::Whole),
          m_below(std::move(below)), m_ground(std::move(ground)), m_fill(fill) {}

    Result<Raster> compute(int, const Box& box, PixelCache& cache, const Progress& progress) const override {
        auto picture = cache.read(m_below, 0, box, progress);
        if (!picture) return picture;
        const double grow = m_fill.grow * m_ground.scale;
        const auto hole = combined(m_fill.hole, m_ground, box.grown(reachOfGrow(grow)), cache, progress);
        if (!hole) return tl::unexpected(hole.error());
        // Even a trace of what was cut out would show as a ghost.
        Mask any = *hole;
        for (float& v : any.values)
            v = v > 0.02f ? 1.f : 0.f;
        const Mask whole = grown(any, grow, box);
        if (m_fill.from.empty())
            return filled(*picture, whole, nullptr, {m_fill.seed, m_fill.draft}, progress);
        const auto from = combined(m_fill.from, m_ground, box, cache, progress);
        if (!from) return tl::unexpected(from.error());
        return filled(*picture, whole, &*from, {m_fill.seed, m_fill.draft}, progress);
    }

private:
    PixelSourcePtr m_below;
    Ground m_ground;
    scene::Fill m_fill;
};

class CloneSource : public PixelSource {
public:
    CloneSource(PixelSourcePtr below, const std::vector<scene::Clone>& clones, double scale)
        : PixelSource(keyOf(*below, clones), below->size(), Granularity::Whole), m_below(std::move(below)),
          m_clones(clones), m_scale(scale) {}

    Result<Raster> compute(int, const Box& whole, PixelCache& cache,
                           const Progress& progress) const override {
        auto picture = cache.read(m_below, 0, whole, progress);
        if (!picture) return picture;
        for (const scene::Clone& clone : m_clones) {
            if (progress.stopped()) return cancelled();
            const Box touched = boxOf(clone.stroke);
            const Box box = Box{static_cast<int>(std::floor(touched.x0 * m_scale)),
                                static_cast<int>(std::floor(touched.y0 * m_scale)),
                                static_cast<int>(std::ceil(touched.x1 * m_scale)),
                                static_cast<int>(std::ceil(touched.y1 * m_scale))}
                                .within(whole);
            if (box.empty()) continue;
            Mask mask(box);
            scene::Stroke stroke = clone.stroke;
            stroke.erase = false;
            paint(mask, stroke, m_scale);
            const Raster before = *picture; // what the brush lays down was there before the stroke
            const int dx = static_cast<int>(std::lround(clone.from.x * m_scale)),
                      dy = static_cast<int>(std::lround(clone.from.y * m_scale));
            for (int y = box.y0; y < box.y1; ++y)
                for (int x = box.x0; x < box.x1; ++x) {
                    const float a = mask.at(x, y);
                    if (a <= 0 || x + dx < 0 || y + dy < 0 || x + dx >= whole.x1 || y + dy >= whole.y1)
                        continue;
                    const Imath::half* from = before.row(y + dy) + 4 * (x + dx);
                    Imath::half* to = picture->row(y) + 4 * x;
                    for (int c = 0; c < 4; ++c)
                        to[c] = float(to[c]) + (float(from[c]) - float(to[c])) * a;
                }
        }
        return picture;
    }

private:
    static std::string keyOf(const PixelSource& below, const std::vector<scene::Clone>& clones) {
        std::string key = below.key() + "\nclone ";
        for (const scene::Clone& clone : clones)
            key += std::to_string(clone.from.x) + ' ' + std::to_string(clone.from.y) + ' ' +
                   scene::toJson(clone.stroke).dump();
        return key;
    }
    PixelSourcePtr m_below;
    std::vector<scene::Clone> m_clones;
    double m_scale;
};

/// Key, mattes and edges.
class CutSource : public PixelSource {
public:
    CutSource(PixelSourcePtr below, Ground ground, const scene::Cutout& cutout)
        : PixelSource(keyFor(*below, ground, cutout), below->size(), Granularity::ByBox,
                      below->seriesOf("cut")),
          m_below(std::move(below)), m_ground(std::move(ground)), m_key(cutout.key), m_mattes(cutout.mattes),
          m_edges(scaled(cutout.edges, m_ground.scale)), m_plainEdges(cutout.edges == scene::Edges{}) {
        if (m_key)
            if (const auto* difference = std::get_if<scene::DifferenceKey>(&*m_key))
                m_plate = media::plateOf(difference->plate, m_ground.pixels.layer->pixels,
                                         m_ground.pixels.footage.frame);
    }

    Result<Raster> compute(int, const Box& box, PixelCache& cache, const Progress& progress) const override {
        const Box wide = m_plainEdges ? box : box.grown(reachOfEdges(m_edges));
        auto picture = readOn(cache, m_below, wide, progress);
        if (!picture) return picture;
        Cut cut;
        cut.box = wide;
        cut.alpha = Mask(wide);
        for (auto& plane : cut.planes)
            plane.resize(cut.alpha.values.size());
        Raster plate;
        if (m_plate) {
            auto read = readOn(cache, m_plate, wide, progress);
            if (!read) return read;
            plate = std::move(*read);
        }
        for (std::size_t i = 0; i < cut.alpha.values.size(); ++i) {
            const Imath::half* in = picture->rgba.data() + 4 * i;
            const float alpha = in[3];
            const float k = alpha > 0 ? 1 / alpha : 0;
            Triple colour = {float(in[0]) * k, float(in[1]) * k, float(in[2]) * k};
            float left = alpha;
            if (m_key && alpha > 0) {
                const KeyedPixel keyed = keyedAt(colour, plate, i);
                left = alpha * keyed.alpha;
                const float straight = keyed.alpha > 0 ? 1 / keyed.alpha : 0;
                for (std::size_t c = 0; c < 3; ++c)
                    colour[c] = keyed.colour[c] * straight;
            }
            cut.alpha.values[i] = left;
            for (std::size_t c = 0; c < 3; ++c)
                cut.planes[c][i] = colour[c];
        }
        if (!m_mattes.empty()) {
            const auto mask = combined(m_mattes, m_ground, wide, cache, progress);
            if (!mask) return tl::unexpected(mask.error());
            for (std::size_t i = 0; i < mask->values.size(); ++i)
                cut.alpha.values[i] *= mask->values[i];
        }
        if (!m_plainEdges) cut = cleaned(std::move(cut), m_edges, box);
        Raster out(box.size());
        for (std::size_t i = 0; i < cut.alpha.values.size(); ++i) {
            const float alpha = cut.alpha.values[i];
            for (std::size_t c = 0; c < 3; ++c)
                out.rgba[4 * i + c] = cut.planes[c][i] * alpha;
            out.rgba[4 * i + 3] = alpha;
        }
        return out;
    }

private:
    static std::string keyFor(const PixelSource& below, const Ground& ground, const scene::Cutout& cutout) {
        scene::Cutout part;
        part.key = cutout.key;
        part.edges = cutout.edges;
        return below.key() + "\ncut " + scene::toJson(part).dump() + '\n' +
               keyOf(cutout.mattes, ground.pixels);
    }
    KeyedPixel keyedAt(const Triple& colour, const Raster& plate, std::size_t i) const {
        if (const auto* screen = std::get_if<scene::ColourKey>(&*m_key)) return keyedBy(*screen, colour);
        if (const auto* bright = std::get_if<scene::BrightnessKey>(&*m_key)) return keyedBy(*bright, colour);
        const Imath::half* p = plate.rgba.data() + 4 * i;
        return keyedBy(std::get<scene::DifferenceKey>(*m_key), colour,
                       {float(p[0]), float(p[1]), float(p[2])});
    }
    PixelSourcePtr m_below;
    Ground m_ground;
    std::optional<std::variant<scene::ColourKey, scene::BrightnessKey, scene::DifferenceKey>> m_key;
    std::vector<scene::Matte> m_mattes;
    scene::Edges m_edges;
    bool m_plainEdges;
    PixelSourcePtr m_plate;
};

/// A picture at about 256 px, whose colours stand for those of all.
Result<Raster> smallOf(PixelCache& cache, const PixelSourcePtr& source, const Progress& progress) {
    int level = 0;
    while (std::max(media::levelSize(source->size(), level).x, media::levelSize(source->size(), level).y) >
           256)
        ++level;
    return cache.read(source, level, media::boxOf(media::levelSize(source->size(), level)), progress);
}

class MatchSource : public PixelSource {
public:
    /// Colours are those of `own` and `like`, which stay the same through a clip so that nothing flickers.
    MatchSource(PixelSourcePtr below, PixelSourcePtr own, PixelSourcePtr like, const scene::Match& match)
        : PixelSource(keyFor(*below, *own, like.get(), match), below->size(), Granularity::ByBox,
                      below->seriesOf("match")),
          m_below(std::move(below)), m_own(std::move(own)), m_like(std::move(like)), m_match(match) {}

    Result<Raster> compute(int level, const Box& box, PixelCache& cache,
                           const Progress& progress) const override {
        auto picture = cache.read(m_below, level, box, progress);
        if (!picture) return picture;
        const auto matching = matchingOf(cache, progress);
        if (!matching) return tl::unexpected(matching.error());
        for (std::size_t i = 0; i + 3 < picture->rgba.size(); i += 4) {
            Imath::half* p = picture->rgba.data() + i;
            const float alpha = p[3];
            if (alpha <= 0) continue;
            const Triple c = (*matching)({float(p[0]) / alpha, float(p[1]) / alpha, float(p[2]) / alpha});
            for (std::size_t k = 0; k < 3; ++k)
                p[k] = std::min(c[k], 65000.f) * alpha;
        }
        return picture;
    }

private:
    static std::string keyFor(const PixelSource& below, const PixelSource& own, const PixelSource* like,
                              const scene::Match& match) {
        scene::Cutout part;
        part.match = match;
        return below.key() + "\nmatch " + scene::toJson(part).dump() + '\n' + own.key() + '\n' +
               (like ? like->key() : "");
    }
    Result<Matching> matchingOf(PixelCache& cache, const Progress& progress) const {
        auto own = smallOf(cache, m_own, progress);
        if (!own) return tl::unexpected(own.error());
        const Matching neutral(m_match, coloursOf(*own), nullptr);
        if (!m_like) return neutral;
        const auto like = smallOf(cache, m_like, progress);
        if (!like) return tl::unexpected(like.error());
        // What is likened is what the cast has been taken from.
        Colours before = coloursOf(*own);
        for (std::size_t i = 0; i + 3 < own->rgba.size(); i += 4) {
            Imath::half* p = own->rgba.data() + i;
            const Triple c = neutral({float(p[0]), float(p[1]), float(p[2])});
            for (std::size_t k = 0; k < 3; ++k)
                p[k] = c[k];
        }
        const Colours after = coloursOf(*own), target = coloursOf(*like);
        before.mean = after.mean;
        before.spread = after.spread;
        return Matching(m_match, before, &target);
    }
    PixelSourcePtr m_below, m_own, m_like;
    scene::Match m_match;
};

PixelSourcePtr chain(const motion::Pixels& pixels) {
    Ground ground;
    ground.pixels = pixels;
    ground.picture = pictureOf(pixels, pixels.footage.frame, ground.scale);
    if (!ground.picture) return nullptr;
    if (pixels.footage.share > 0) {
        double scale = 1;
        ground.picture = std::make_shared<MixSource>(
            ground.picture, pictureOf(pixels, pixels.footage.next, scale), pixels.footage.share);
    }
    const scene::Cutout& cutout = *pixels.cutout;
    PixelSourcePtr top = ground.picture;
    for (const scene::Fill& fill : cutout.fills)
        if (fill.on && !fill.hole.empty()) top = std::make_shared<FillSource>(top, ground, fill);
    if (!cutout.clones.empty()) top = std::make_shared<CloneSource>(top, cutout.clones, ground.scale);
    if (cutout.key || !cutout.mattes.empty() || !(cutout.edges == scene::Edges{}))
        top = std::make_shared<CutSource>(top, ground, cutout);
    return top;
}

PixelSourcePtr withMatch(const motion::Pixels& pixels, PixelSourcePtr top) {
    const auto& match = pixels.cutout->match;
    if (!match || match->strength <= 0) return top;
    // Of clips the first frame used stands for all.
    const auto steady = [](const motion::Pixels& of) {
        motion::Pixels first = motion::plain(of);
        if (const auto* footage = std::get_if<scene::Footage>(&of.layer->content))
            first.footage = {footage->in, footage->in, 0};
        if (first.cutout) {
            auto plain = std::make_shared<scene::Cutout>(*first.cutout);
            plain->match.reset();
            first.cutout = plain;
        }
        return first;
    };
    PixelSourcePtr like;
    if (const auto other = pixels.others.find(match->like); other != pixels.others.end())
        like = sourceOf(steady(*other->second.pixels));
    if (!like && !match->grey && !match->automatic) return top;
    const bool clip = std::holds_alternative<scene::Footage>(pixels.layer->content);
    PixelSourcePtr own = top;
    if (match->whole || clip) {
        motion::Pixels first = steady(pixels);
        if (match->whole) first.cutout = nullptr;
        own = sourceOf(first);
    }
    return std::make_shared<MatchSource>(std::move(top), std::move(own), std::move(like), *match);
}

}

PixelSourcePtr sourceOf(const motion::Pixels& pixels) {
    PixelSourcePtr top;
    if (pixels.cutout) {
        top = chain(pixels);
        if (top) top = withMatch(pixels, std::move(top));
    } else {
        top = media::contentOf(*pixels.layer, pixels.footage.frame);
        if (top && pixels.footage.share > 0)
            top = std::make_shared<MixSource>(top, media::contentOf(*pixels.layer, pixels.footage.next),
                                              pixels.footage.share);
    }
    top = grade::graded(pixels, shadowed(pixels, lit(pixels, std::move(top))));
    return finished(pixels, displaced(pixels, std::move(top)));
}

Result<Mask> mattesOver(const motion::Pixels& pixels, const std::vector<scene::Matte>& mattes, const Box& box,
                        PixelCache& cache, const Progress& progress) {
    Ground ground;
    ground.pixels = pixels;
    ground.picture = media::contentOf(*pixels.layer, pixels.footage.frame);
    if (!ground.picture) return Mask(box);
    int level = 0;
    while (media::levelSize(ground.picture->size(), level).x > pixels.layer->pixels.x)
        ++level;
    if (level > 0) ground.picture = atLevel(ground.picture, level);
    return combined(mattes, ground, box, cache, progress);
}

}
