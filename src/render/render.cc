#include "render/render.h"

#include "render/curve.h"
#include "render/lens_tile.h"
#include "render/tile.h"

#include <algorithm>
#include <atomic>
#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>

namespace stage::render {
namespace {

/// What is looked past for glints is read as finely as a pinhole would.
constexpr int plentyOfRays = 1 << 24;

}

Result<Picture> render(const motion::Frame& frame, const Quality& quality, media::PixelCache& cache,
                       const Progress& progress) {
    const auto entries = entriesOf(frame, quality, cache, progress);
    if (!entries) return tl::unexpected(entries.error());

    Picture picture(frame.size);
    const bool paint = frame.blending == scene::Blending::Paint;
    const scene::Colour& bg = frame.background;
    float ground[4] = {static_cast<float>(bg.r), static_cast<float>(bg.g), static_cast<float>(bg.b),
                       static_cast<float>(bg.a)};
    if (paint && ground[3] > 0)
        for (int c = 0; c < 3; ++c)
            ground[c] = encode(ground[c] / ground[3]) * ground[3];

    constexpr int side = Canvas::side;
    const int across = (frame.size.x + side - 1) / side, down = (frame.size.y + side - 1) / side;
    const Air air = airOf(frame);
    const Opening opening{frame.iris.blades, static_cast<float>(radians(frame.iris.turn))};
    const RayPoints points = rayPoints(quality.samples);
    const bool draft = quality.way == Way::Draft;
    struct Hand {
        TilePainter layers;
        LensPainter lens;
        Canvas canvas;
    };
    oneapi::tbb::enumerable_thread_specific<Hand> hands([&] {
        return Hand{TilePainter(draft, opening, air, frame.blending), LensPainter(points, draft ? plentyOfRays : points.count, opening, air, frame.blending), {}};
    });
    std::atomic<int> done = 0;
    oneapi::tbb::parallel_for(0, across * down, [&](int index) {
        if (progress.stopped()) return;
        const int x0 = index % across * side, y0 = index / across * side;
        const media::Box box{x0, y0, std::min(x0 + side, frame.size.x), std::min(y0 + side, frame.size.y)};
        Hand& hand = hands.local();
        if (quality.way == Way::Pinhole || draft) {
            hand.layers.paint(*entries, box, ground, hand.canvas);
            if (draft) hand.lens.addGlints(*entries, box, hand.canvas);
        } else {
            hand.lens.paint(*entries, box, ground, hand.canvas, progress.stop);
        }
        for (int y = y0; y < box.y1; ++y) {
            float* out = picture.row(y) + 4 * x0;
            std::copy_n(hand.canvas.rgba + 4 * (y - y0) * side, 4 * (box.x1 - x0), out);
            if (paint)
                for (int x = 0; x < box.x1 - x0; ++x)
                    if (const float alpha = out[4 * x + 3]; alpha > 0)
                        for (int c = 0; c < 3; ++c)
                            out[4 * x + c] = decode(out[4 * x + c] / alpha) * alpha;
        }
        progress.done(static_cast<double>(++done) / (across * down));
    });
    if (progress.stopped()) return cancelled();
    return picture;
}

}
