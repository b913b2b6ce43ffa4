#include "checks/coverage_sheets.h"

#include "cutout/source.h"
#include "media/content.h"

#include <algorithm>
#include <cmath>

namespace stage::checks {
namespace {

/// Pictures are read at the first level that is at most so many texels long and wide.
constexpr int longest = 1024;
int coarseLevel(V2i size) {
    int level = 0;
    while (std::max(media::levelSize(size, level).x, media::levelSize(size, level).y) > longest)
        ++level;
    return level;
}

}

const media::TiledLevel* Coverage::Sheet::texels() const {
    if (m_asked) return m_texels;
    m_asked = true;
    m_read = coverage->ofLayer(*pixels, *stop);
    if (m_read)
        m_texels = &m_read->levels[static_cast<std::size_t>(coarseLevel(m_read->levels.front().size))];
    return m_texels;
}

/// Of a place of its picture, in shares, which its edges do not cut off.
double Coverage::Sheet::alpha(double s, double t) const {
    const auto on = [](double share, const scene::Extension& before, const scene::Extension& after) {
        return share < 0   ? scene::folded(share, before.beyond)
               : share > 1 ? scene::folded(share, after.beyond)
                           : share;
    };
    const media::TiledLevel* const read = texels();
    if (!read) return opacity;
    const auto place = [](double share, int count) {
        return std::clamp(share * count - 0.5, 0.0, count - 1.0);
    };
    const double u = place(on(s, extensions.left, extensions.right), read->size.x),
                 v = place(on(t, extensions.top, extensions.bottom), read->size.y);
    const int x = static_cast<int>(u), y = static_cast<int>(v);
    const auto at = [&](int i, int j) {
        const Imath::half* texel = read->texel(std::min(i, read->size.x - 1), std::min(j, read->size.y - 1));
        return texel ? static_cast<double>(texel[3]) : 1.0;
    };
    const double fx = u - x, fy = v - y, upper = at(x, y) + (at(x + 1, y) - at(x, y)) * fx,
                 lower = at(x, y + 1) + (at(x + 1, y + 1) - at(x, y + 1)) * fx;
    return opacity * (upper + (lower - upper) * fy);
}

/// Whether cells of texels, of which the first says what is clear, the second what is opaque, are good all
/// over a region of the picture and what it goes on by.
template <class Good> bool Coverage::Sheet::allCells(const optics::Region& region, const Good& good) const {
    const media::TiledLevel& read = *texels();
    // Texels of an interval of shares; what is beyond an edge shows others.
    const auto interval = [](double low, double high, int count, const scene::Extension& before,
                             const scene::Extension& after) {
        const bool beyond = (low < 0 && before.beyond != scene::Beyond::Stretch && before.reach() > 0) ||
                            (high > 1 && after.beyond != scene::Beyond::Stretch && after.reach() > 0);
        if (beyond) return std::pair(0, count - 1); // any of them may show there
        const auto at = [&](double share) {
            return static_cast<int>(std::clamp(std::floor(share * count - 0.5), 0.0, count - 1.0));
        };
        return std::pair(at(low), std::min(at(high) + 1, count - 1));
    };
    const auto [x0, x1] = interval(region.s0, region.s1, read.size.x, extensions.left, extensions.right);
    const auto [y0, y1] = interval(region.t0, region.t1, read.size.y, extensions.top, extensions.bottom);
    constexpr int side = media::Tile::cellSide, most = 64;
    for (int row = y0 / side; row <= y1 / side; ++row)
        for (int c = x0 / side; c <= x1 / side; c += most) {
            const int count = std::min(most, x1 / side + 1 - c);
            const std::uint64_t all = ~std::uint64_t{0} >> (most - count);
            if (!good(read.cells(row, c, count), all)) return false;
        }
    return true;
}

bool Coverage::Sheet::opaqueIn(const optics::Region& region) const {
    return !texels() || allCells(region, [](const media::TiledLevel::Cells& cells, std::uint64_t all) {
        return cells.opaque == all;
    });
}

bool Coverage::Sheet::clearIn(const optics::Region& region) const {
    return texels() && allCells(region, [](const media::TiledLevel::Cells& cells, std::uint64_t all) {
               return cells.clear == all;
           });
}

Coverage::~Coverage() = default;

/// A clip whose frames cannot be transparent, with nothing cut out of it.
bool Coverage::opaqueClip(const motion::Pixels& pixels) {
    const auto* footage = std::get_if<scene::Footage>(&pixels.layer->content);
    if (!footage || footage->media.path.find('#') != std::string::npos) return false;
    if (const scene::CutoutPtr& cutout = pixels.cutout;
        cutout && (cutout->key || !cutout->mattes.empty() || !(cutout->edges == scene::Edges{})))
        return false;
    const std::string& path = footage->media.path;
    if (const auto at = m_opaqueClips.find(path); at != m_opaqueClips.end()) return at->second;
    const auto frame = m_cache.clips().frame(path, footage->in);
    return m_opaqueClips[path] = !frame || !(*frame)->alpha();
}

media::PyramidPtr Coverage::ofLayer(const motion::Pixels& pixels, const std::stop_token& stop) {
    if (!pixels.others.empty()) return pixelsOf(pixels, stop); // what those cut moves with them
    const auto at = m_ofLayer.find(pixels.layer->id);
    if (at != m_ofLayer.end() && at->second.first == pixels.cutout) return at->second.second;
    auto read = pixelsOf(pixels, stop);
    if (!stop.stop_requested()) m_ofLayer[pixels.layer->id] = {pixels.cutout, read};
    return read;
}

media::PyramidPtr Coverage::pixelsOf(const motion::Pixels& pixels, const std::stop_token& stop) {
    if (opaqueClip(pixels)) return nullptr;
    if (const auto* footage = std::get_if<scene::Footage>(&pixels.layer->content);
        footage && (pixels.footage.frame != footage->in || pixels.footage.share > 0)) {
        motion::Pixels first = pixels; // of all its frames one is read
        first.footage = {footage->in, footage->in, 0};
        return pixelsOf(first, stop);
    }
    // What is filled, cloned and matched stays opaque where the picture is: making it takes long.
    if (const scene::CutoutPtr& cutout = pixels.cutout;
        cutout && (!cutout->fills.empty() || !cutout->clones.empty() || cutout->match)) {
        const media::PyramidPtr plain = read(media::contentOf(*pixels.layer, pixels.footage.frame), stop);
        if (!plain || static_cast<double>(plain->levels.back().texel(0, 0)[3]) > 0.9995) {
            auto cut = std::make_shared<scene::Cutout>(*cutout);
            cut->fills.clear(), cut->clones.clear(), cut->match.reset();
            motion::Pixels without = pixels;
            without.cutout = cut;
            return pixelsOf(without, stop);
        }
    }
    return read(cutout::sourceOf(pixels), stop);
}

media::PyramidPtr Coverage::read(const media::PixelSourcePtr& source, const std::stop_token& stop) {
    if (!source) return nullptr;
    if (const auto at = m_read.find(source->key()); at != m_read.end()) return at->second;
    media::Need need(source->size());
    for (int level = coarseLevel(source->size()); level < need.levels(); ++level)
        need.add(level, media::boxOf(media::levelSize(source->size(), level)));
    auto pixels = m_cache.pyramid(source, need, {{}, stop});
    if (!pixels && pixels.error().cancelled) return nullptr; // another time
    return m_read[source->key()] = pixels ? *pixels : nullptr;
}

namespace {

/// Whether all of a flat card is behind the lens, where no ray meets it.
bool behind(const Sight& sight) {
    if (sight.card.bend != 0) return false;
    const auto around = sight.card.outline();
    return std::all_of(around.begin(), around.end(),
                       [&](const V3d& corner) { return optics::depthOf(sight.view, corner) <= 0; });
}

}

std::vector<Coverage::Sheet> Coverage::sheetsOf(const std::vector<motion::Item>& items,
                                                const Moments& moments, const std::stop_token& stop) {
    std::vector<Sheet> sheets;
    for (const motion::Item& item : items) {
        if (item.blend == scene::Blend::Add || item.opacity < leastOpen) continue;
        Sheet sheet;
        sheet.layer = item.layer->id;
        sheet.opacity = item.opacity;
        sheet.hides = item.blend == scene::Blend::Normal;
        sheet.sights = moments.of(item);
        if (item.flattened) {
            sheet.group = sheetsOf(item.items, moments, stop);
        } else {
            sheet.pixels = item.pixels, sheet.coverage = this, sheet.stop = &stop;
            sheet.extensions = item.layer->hanging.extensions;
            if (std::all_of(sheet.sights.begin(), sheet.sights.end(), behind)) continue;
        }
        sheets.push_back(std::move(sheet));
    }
    return sheets;
}

Result<std::vector<Hole>> Coverage::holes(const motion::Frame& frame, int finest,
                                          const std::stop_token& stop) {
    const std::vector<Sheet> sheets = sheetsOf(frame.items, Moments(frame), stop);
    if (stop.stop_requested()) return cancelled();
    std::vector<const Sheet*> all;
    for (const Sheet& sheet : sheets)
        all.push_back(&sheet);
    Looking looking(frame, finest, stop);
    looking.look(all, 0, 0, frame.size.x, frame.size.y);
    looking.lookCloser();
    if (stop.stop_requested()) return cancelled();
    return std::move(looking.holes);
}

std::array<bool, 4> Coverage::opaqueEdges(const motion::Item& item, const std::stop_token& stop) {
    if (item.flattened || item.opacity < 1 - leastOpen || item.blend != scene::Blend::Normal) return {};
    Sheet sheet;
    sheet.pixels = item.pixels, sheet.coverage = this, sheet.stop = &stop;
    return {sheet.opaqueIn({0, 0, 0, 1}), sheet.opaqueIn({0, 0, 1, 0}), sheet.opaqueIn({1, 0, 1, 1}),
            sheet.opaqueIn({0, 1, 1, 1})};
}
}
