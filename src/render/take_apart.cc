#include "render/take_apart.h"

#include "media/parallel.h"
#include "render/curve.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <set>

namespace stage::render {
namespace {

constexpr float infinite = std::numeric_limits<float>::infinity();

/// Indices of the items, farthest first; of those as far the lower first.
std::vector<std::size_t> farthestFirst(const motion::Frame& frame) {
    std::vector<std::size_t> order(frame.items.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        const double da = optics::depthOf(frame.view, frame.items[a].card.centre()),
                     db = optics::depthOf(frame.view, frame.items[b].card.centre());
        return da > db + 1e-9 * std::abs(db);
    });
    return order;
}

std::string nameOf(const motion::Item& item) {
    const std::string name = item.layer ? item.layer->name : std::string();
    if (item.shadow) return name.empty() ? "Shadows on the ground" : name + ", shadows";
    return name.empty() ? "Layer" : name;
}

/// The item of another frame that shows the same.
const motion::Item* sameIn(const motion::Frame& frame, const motion::Item& item) {
    for (const motion::Item& each : frame.items)
        if (each.shadow == item.shadow && each.layer && item.layer && each.layer->id == item.layer->id)
            return &each;
    return nullptr;
}

/// Where a place of the frame meets a card, beyond its edges too where it is flat.
std::optional<optics::Meeting> meetPlane(const optics::View& view, const V2d& place,
                                         const optics::Surface& card) {
    if (card.bend != 0) return optics::meet(view, place, card);
    const auto point = optics::meet(view, place, card.corner, card.normal());
    if (!point) return std::nullopt;
    const V3d by = *point - card.corner;
    return optics::Meeting{by.dot(card.across) / card.across.length2(),
                           by.dot(card.down) / card.down.length2(), optics::depthOf(view, *point)};
}

/// Depth and motion wherever a part has something.
void measure(const motion::Frame& frame, const motion::Frame& after, const motion::Item& item,
             FramePart& part) {
    const motion::Item* next = sameIn(after, item);
    const optics::Surface& card = item.card;
    const double middle = optics::depthOf(frame.view, card.centre());
    const auto middleAt = optics::project(frame.view, card.centre());
    const V2i size = part.picture.size;
    media::inParallel(0, size.y, [&](int y) {
        for (int x = 0; x < size.x; ++x) {
            const float* p = part.picture.row(y) + 4 * x;
            if (p[0] == 0 && p[1] == 0 && p[2] == 0 && p[3] == 0) continue;
            const std::size_t i = static_cast<std::size_t>(y) * size.x + x;
            const V2d place(x + 0.5, y + 0.5);
            // What fills a box is told by its middle.
            const auto met = item.box ? std::nullopt : meetPlane(frame.view, place, card);
            part.depth[i] = static_cast<float>(met ? met->depth : std::max(0.0, middle));
            if (!next) continue;
            const auto to =
                optics::project(after.view, met ? next->card.at(met->s, met->t) : next->card.centre());
            if (!to || (!met && !middleAt)) continue;
            const V2d by = *to - (met ? place : *middleAt);
            part.motion[2 * i] = static_cast<float>(by.x), part.motion[2 * i + 1] = static_cast<float>(by.y);
        }
    });
}

/// Premultiplied colours from light to sRGB-encoded values.
void toPaint(Image& picture) {
    media::inParallel(0, picture.size.y, [&](int y) {
        float* p = picture.row(y);
        for (int x = 0; x < picture.size.x; ++x, p += 4) {
            const float share = p[3] > 0 ? p[3] : 1;
            for (int c = 0; c < 3; ++c)
                p[c] = encode(p[c] / share) * share;
        }
    });
}

/// What has to be laid over `below` for it to become `with`; `below` becomes what that gives.
void difference(const Image& with, const Image* alone, Image& below, Image& part) {
    media::inParallel(0, with.size.y, [&](int y) {
        const float *w = with.row(y), *a = alone ? alone->row(y) : nullptr;
        float *b = below.row(y), *to = part.row(y);
        for (int x = 0; x < with.size.x; ++x, w += 4, b += 4, to += 4) {
            const float alpha = a ? std::clamp(a[4 * x + 3], 0.f, 1.f) : 0;
            bool any = alpha > 0;
            for (int c = 0; c < 4; ++c) {
                to[c] = w[c] - b[c] * (1 - alpha);
                // What rounding leaves where the layer is not; the next part takes it up.
                any = any || std::abs(to[c]) > 1e-4f;
            }
            // Alpha of the whole follows from those of the parts.
            to[3] = alpha;
            if (!any) std::fill_n(to, 4, 0.f);
            for (int c = 0; c < 4; ++c)
                b[c] = to[c] + b[c] * (1 - to[3]);
        }
    });
}

}

std::vector<std::string> partNames(const motion::Frame& frame) {
    std::vector<std::string> names{"Background"};
    std::set<std::string> taken(names.begin(), names.end());
    for (const std::size_t i : farthestFirst(frame)) {
        const std::string name = nameOf(frame.items[i]);
        std::string own = name;
        for (int n = 2; !taken.insert(own).second; ++n)
            own = name + " " + std::to_string(n);
        names.push_back(own);
    }
    return names;
}

Result<void> takeApart(const motion::Frame& frame, const motion::Frame& after, scene::Blending values,
                       const Quality& quality, media::PixelCache& cache, const Progress& progress,
                       const std::function<Result<void>(FramePart&)>& take) {
    const std::vector<std::string> names = partNames(frame);
    const std::vector<std::size_t> order = farthestFirst(frame);
    motion::Frame with = frame;
    with.glare = {};
    with.grade = {};
    with.viewTransform = {};
    with.items.clear();
    motion::Frame alone = with;
    alone.mist = {};
    alone.haze = {};
    alone.lamps.clear(); // that show in haze
    alone.background = {0, 0, 0, 0};
    // As many rays everywhere: else what is not of a layer would differ by the noise of either picture.
    Quality even = quality;
    even.noise = 0;
    if (quality.noise > 0) even.samples = std::min(quality.samples, 64);
    const double steps = static_cast<double>(2 * order.size() + 1);
    double done = 0;
    const auto rendered = [&](const motion::Frame& of) {
        const double from = done;
        done += 1;
        return render(of, even, cache,
                      {[&, from](double share) { progress.done((from + share) / steps); }, progress.stop});
    };
    auto below = rendered(with);
    if (!below) return tl::unexpected(below.error());
    if (values == scene::Blending::Paint) toPaint(*below);
    FramePart part;
    part.name = names.front();
    part.behindAll = true;
    part.picture = *below;
    const std::size_t pixels = static_cast<std::size_t>(frame.size.x) * frame.size.y;
    part.depth.assign(pixels, infinite);
    part.motion.assign(2 * pixels, 0.f);
    if (auto ok = take(part); !ok) return ok;
    part.behindAll = false;
    for (std::size_t n = 0; n < order.size(); ++n) {
        const motion::Item& item = frame.items[order[n]];
        // In the scene's order, which counts where two lie in one plane.
        std::vector<std::size_t> some(order.begin(), order.begin() + static_cast<std::ptrdiff_t>(n) + 1);
        std::sort(some.begin(), some.end());
        with.items.clear();
        for (const std::size_t i : some)
            with.items.push_back(frame.items[i]);
        auto whole = rendered(with);
        if (!whole) return tl::unexpected(whole.error());
        if (values == scene::Blending::Paint) toPaint(*whole);
        std::optional<Image> own;
        if (item.blend == scene::Blend::Normal) {
            alone.items = {item};
            auto picture = rendered(alone);
            if (!picture) return tl::unexpected(picture.error());
            own = std::move(*picture);
        } else {
            done += 1;
        }
        part.name = names[n + 1];
        part.blend = item.blend;
        part.picture = Image(frame.size);
        difference(*whole, own ? &*own : nullptr, *below, part.picture);
        part.depth.assign(pixels, infinite);
        part.motion.assign(2 * pixels, 0.f);
        measure(frame, after, item, part);
        if (auto ok = take(part); !ok) return ok;
    }
    return {};
}

}
