#include "render/render.h"

#include "grade/grading.h"
#include "media/parallel.h"
#include "render/curve.h"
#include "render/glare.h"
#include "render/lens_tile.h"
#include "render/tile.h"

#include <algorithm>
#include <atomic>
#include <hwy/cache_control.h>
#include <hwy/highway.h>
#include <oneapi/tbb/enumerable_thread_specific.h>

namespace stage::render {
namespace {

/// What is looked past for glints is read as finely as a pinhole would.
constexpr int plentyOfRays = 1 << 24;

/// A draft's cards are painted for so many tiles together, across and down: discs reach far beyond each.
constexpr int tilesTogether = 2;

/// Calls with each box of a side in a region.
template <class Call> void forBoxes(const media::Box& region, int side, const Call& call) {
    for (int y = region.y0; y < region.y1; y += side)
        for (int x = region.x0; x < region.x1; x += side)
            call(media::Box{x, y, x + side, y + side}.within(region));
}

/// From the middle of the region outwards.
std::vector<media::Box> blocksOf(const media::Box& region, int side) {
    std::vector<media::Box> blocks;
    forBoxes(region, side, [&](const media::Box& box) { blocks.push_back(box); });
    const auto from = [&](const media::Box& box) {
        const double dx = box.x0 + box.x1 - region.x0 - region.x1,
                     dy = box.y0 + box.y1 - region.y0 - region.y1;
        return dx * dx + dy * dy;
    };
    std::stable_sort(blocks.begin(), blocks.end(),
                     [&](const media::Box& a, const media::Box& b) { return from(a) < from(b); });
    return blocks;
}

/// Copies pixels that are not looked at soon past the cache, where the machine can.
void putAway(const float* in, int pixels, float* out) {
    namespace hn = hwy::HWY_NAMESPACE;
    const hn::FixedTag<float, 4> pixel;
    for (int i = 0; i < 4 * pixels; i += 4)
        hn::Stream(hn::Load(pixel, in + i), pixel, out + i);
}

void grade(const grade::GradingPtr& grading, const Image& picture, const media::Box& box, Image& out) {
    for (int y = box.y0; y < box.y1; ++y) {
        float* row = out.row(y) + 4 * box.x0;
        if (&picture != &out) std::copy_n(picture.row(y) + 4 * box.x0, 4 * (box.x1 - box.x0), row);
        if (grading) grading->apply(row, static_cast<std::size_t>(box.x1 - box.x0));
    }
}

/// Black and clear but for a part.
void clearAround(const media::Box& part, Image& picture) {
    for (int y = 0; y < picture.size.y; ++y) {
        float *row = picture.row(y), *end = row + 4 * picture.size.x;
        if (y < part.y0 || y >= part.y1) {
            std::fill(row, end, 0.f);
            continue;
        }
        std::fill(row, row + 4 * part.x0, 0.f);
        std::fill(row + 4 * part.x1, end, 0.f);
    }
}

Result<Image> rendered(const motion::Frame& frame, const Quality& asked, media::PixelCache& cache,
                       const Progress& progress) {
    cache.beginPicture();
    Quality quality = asked;
    const int glare = reachOfGlare(frame); // what is around shines in
    if (glare > 0 && !quality.region.empty()) quality.region = regionOf(frame, asked).grown(glare);
    const auto entries = entriesOf(frame, quality, cache, progress);
    if (!entries) return tl::unexpected(entries.error());

    grade::GradingPtr grading; // of the whole picture
    if (auto made =
            grade::gradingOf({std::make_shared<const scene::Grade>(frame.grade)}, frame.viewTransform))
        grading = std::move(*made);
    else if (!quality.placeholders)
        return tl::unexpected(made.error());

    const media::Box region = regionOf(frame, quality);
    Image picture(frame.size), shown; // what is shown of one that has no glare yet
    if (glare > 0 && quality.piece) shown = Image(frame.size);
    if (region != media::boxOf(frame.size)) std::fill(picture.rgba.begin(), picture.rgba.end(), 0.f);
    const bool paint = frame.blending == scene::Blending::Paint;
    const Air air = airOf(frame);
    const scene::Colour& bg = frame.background;
    float ground[4] = {static_cast<float>(bg.r), static_cast<float>(bg.g), static_cast<float>(bg.b),
                       static_cast<float>(bg.a)};
    if (air.density > 0) // infinitely far away
        for (int c = 0; c < 3; ++c)
            ground[c] = air.colour[c] * ground[3];
    if (paint && ground[3] > 0)
        for (int c = 0; c < 3; ++c)
            ground[c] = encode(ground[c] / ground[3]) * ground[3];

    const Opening opening{frame.iris.blades, static_cast<float>(radians(frame.iris.turn))};
    RayPoints points = rayPoints(quality.samples);
    const bool draft = quality.method == Method::Draft;
    Effort effort{.rays = draft ? plentyOfRays : raysRead(quality), .width = frame.size.x};
    if (quality.method == Method::Final) effort.noise = quality.noise;
    if (effort.noise > 0) aimFirst(opening, points);
    effort.truth = quality.method == Method::Traced;
    if (quality.counts) {
        quality.counts->assign(static_cast<std::size_t>(frame.size.x) * frame.size.y, 0);
        if (quality.method != Method::Pinhole && !draft) effort.counts = quality.counts->data();
    }
    struct Worker {
        TilePainter layers;
        LensPainter lens;
        Canvas canvas;
    };
    oneapi::tbb::enumerable_thread_specific<Worker> workers([&] {
        return Worker{TilePainter(draft, opening, air, frame.blending),
                      LensPainter(points, effort, opening, air, frame.blending),
                      {}};
    });
    const std::vector<media::Box> blocks =
        blocksOf(region, draft ? tilesTogether * Canvas::side : Canvas::side);
    std::size_t tiles = 0;
    forBoxes(region, Canvas::side, [&](const media::Box&) { ++tiles; });
    std::atomic<std::size_t> next = 0, done = 0;
    const auto paintTile = [&](const media::Box& box, Worker& worker) {
        if (progress.stopped()) return;
        if (quality.method == Method::Pinhole || draft) {
            worker.layers.paint(*entries, box, ground, worker.canvas);
            if (draft) worker.lens.addGlints(*entries, box, worker.canvas);
        } else {
            worker.lens.paint(*entries, box, ground, worker.canvas, progress.stop);
        }
        if (progress.stopped()) return;
        if (grading && glare == 0)
            for (int y = 0; y < box.y1 - box.y0; ++y)
                grading->apply(worker.canvas.row(y), static_cast<std::size_t>(box.x1 - box.x0));
        for (int y = box.y0; y < box.y1; ++y) {
            float* out = picture.row(y) + 4 * box.x0;
            const float* in = worker.canvas.rgba + 4 * (y - box.y0) * Canvas::side;
            if (quality.piece)
                std::copy_n(in, 4 * (box.x1 - box.x0), out);
            else
                putAway(in, box.x1 - box.x0, out);
        }
        if (quality.piece && glare > 0) grade(grading, picture, box, shown);
        if (quality.piece) quality.piece(glare > 0 ? shown : picture, box);
        progress.done(static_cast<double>(++done) / static_cast<double>(tiles));
    };
    // Each takes the next block, so that they come in order.
    media::inParallel(0, media::cores(), [&](int) {
        Worker& worker = workers.local();
        struct Flush { // what was put away is there for all before the others hear of it
            ~Flush() { hwy::FlushStream(); }
        } const flush;
        for (std::size_t i; (i = next++) < blocks.size() && !progress.stopped();) {
            worker.layers.startBlock(blocks[i]);
            forBoxes(blocks[i], Canvas::side, [&](const media::Box& box) { paintTile(box, worker); });
        }
    });
    if (progress.stopped()) return cancelled();
    if (glare == 0) return picture;
    addGlare(frame, region, draft, picture);
    const media::Box part = regionOf(frame, asked);
    if (part != media::boxOf(frame.size)) clearAround(part, picture);
    const std::vector<media::Box> strips = blocksOf(part, 4 * Canvas::side);
    media::inParallel(std::size_t{0}, strips.size(), [&](std::size_t i) {
        grade(grading, picture, strips[i], picture);
        if (quality.piece)
            forBoxes(strips[i], Canvas::side, [&](const media::Box& box) { quality.piece(picture, box); });
    });
    return picture;
}

}

Result<Image> render(const motion::Frame& frame, const Quality& quality, media::PixelCache& cache,
                     const Progress& progress) {
    return guarded([&] { return rendered(frame, quality, cache, progress); });
}

}
