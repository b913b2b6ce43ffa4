// What presenceOf says of a box without sampling, held against sampling every pixel of it.
#include "render/brush.h"
#include "render/reach.h"
#include "render/sampler.h"

#include <gtest/gtest.h>
#include <random>

namespace stage::render::presence_test {
namespace {

TEST(Presence, NeverContradictsThePixels) {
    std::mt19937 random(5);
    const auto in = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    int nothing = 0, opaque = 0;
    for (int round = 0; round < 600; ++round) {
        // a picture of nothing, something soft, or solid, with holes and specks
        media::Raster level(V2i(static_cast<int>(in(3, 90)), static_cast<int>(in(3, 90))));
        const int kind = round % 3;
        for (std::size_t i = 0; i < level.rgba.size(); i += 4) {
            const float alpha = kind == 0 ? 0.f : kind == 1 ? 1.f : random() % 2 ? 1.f : 0.f;
            for (std::size_t c = 0; c < 4; ++c)
                level.rgba[i + c] = alpha;
        }
        if (kind == 0 && round % 2) level.rgba[(random() % (level.rgba.size() / 4)) * 4 + 3] = 1.f;
        if (kind == 1 && round % 2) level.rgba[(random() % (level.rgba.size() / 4)) * 4 + 3] = 0.f;
        const auto pyramid = media::makePyramid(level);
        scene::Pose pose;
        pose.pan = in(-30, 30);
        pose.tilt = in(-20, 20);
        const auto view = optics::viewOf(pose, 36, {256, 144});
        const double yaw = in(-1.3, 1.3), size = in(0.5, 12);
        const V3d across = V3d(std::cos(yaw), in(-0.2, 0.2), -std::sin(yaw)) * size,
                  down = V3d(in(-0.2, 0.2), -1, in(-0.4, 0.4)) * size;
        const optics::Surface card{V3d(in(-4, 2), in(-2, 4), in(-12, 1)), across, down};
        const Plane plane = planeOf(card, view, level.size);
        const int x0 = 64 * static_cast<int>(in(0, 4)), y0 = static_cast<int>(in(0, 80));
        Reach reach = reachOf(plane, x0, y0, x0 + 64, y0 + 64, Through::Pinhole);
        reach.u0 -= 4 * reach.marginU, reach.u1 += 4 * reach.marginU;
        reach.v0 -= 4 * reach.marginV, reach.v1 += 4 * reach.marginV;
        const Presence presence = presenceOf(plane, *pyramid, reach, 0);
        if (presence == Presence::Something) continue;
        ++(presence == Presence::Nothing ? nothing : opaque);
        float row[64 * 4];
        for (int y = y0; y < y0 + 64; ++y) {
            sampleRow(plane, *pyramid, y, x0, x0 + 64, row);
            for (int x = 0; x < 64; ++x) {
                if (presence == Presence::Nothing)
                    ASSERT_EQ(row[4 * x + 3], 0.f) << round;
                else
                    ASSERT_GT(row[4 * x + 3], 0.998f) << round; // what counts as covered
            }
        }
    }
    EXPECT_GT(nothing, 40);
    EXPECT_GT(opaque, 8);
}

/// How many base texels lie under a pixel, against the way of the point under it when it moves by a little.
TEST(Footprints, CoverWhatAPixelCovers) {
    std::mt19937 random(11);
    const auto in = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    int seen = 0;
    for (int round = 0; round < 300; ++round) {
        scene::Pose pose;
        pose.pan = in(-20, 20), pose.tilt = in(-15, 15), pose.roll = in(-40, 40);
        const auto view = optics::viewOf(pose, 36, {256, 144});
        const double yaw = in(-1.1, 1.1);
        const optics::Surface card{V3d(in(-6, -2), in(2, 5), in(-14, -5)),
                                   V3d(std::cos(yaw), in(-0.4, 0.4), std::sin(yaw)) * 8,
                                   V3d(in(-0.4, 0.4), -1, in(-0.5, 0.5)) * 6};
        const Plane plane = planeOf(card, view, {700, 300});
        const V2d at(in(0, 256), in(0, 144));
        const auto texel = [&](const V2d& place) -> std::optional<V2d> {
            const auto met = optics::meet(view, place, card);
            return met ? std::optional(V2d(met->s * 700, met->t * 300)) : std::nullopt;
        };
        const double h = 1e-4;
        const auto left = texel(at - V2d(h, 0)), right = texel(at + V2d(h, 0)), above = texel(at - V2d(0, h)),
                   below = texel(at + V2d(0, h));
        if (!left || !right || !above || !below) continue;
        ++seen;
        const V2d across = (*right - *left) / (2 * h), down = (*below - *above) / (2 * h);
        const V2d covers = coversAt(plane, at.x, at.y);
        EXPECT_NEAR(covers.x, std::hypot(across.x, down.x), 1e-4 * covers.x) << round;
        EXPECT_NEAR(covers.y, std::hypot(across.y, down.y), 1e-4 * covers.y) << round;
    }
    EXPECT_GT(seen, 100);
}

/// The depths that a bent card is said to have in a box hold those at every place of it.
TEST(Presence, DepthsOfABentCardHoldAllOfABox) {
    std::mt19937 random(23);
    const auto in = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    int places = 0, narrow = 0;
    for (int round = 0; round < 150; ++round) {
        scene::Pose pose;
        pose.pan = in(-10, 10);
        const auto view = optics::viewOf(pose, 36, {256, 144});
        optics::Surface card{V3d(-4, in(2, 4), in(-14, -8)), V3d(8, 0, in(-3, 3)), V3d(0, -6, 0)};
        card.front = card.down.cross(card.across).normalized();
        card.bend = radians(in(20, 160)) * (round % 2 ? 1 : -1);
        const Plane plane = planeOf(card, view, {400, 300});
        const int x0 = static_cast<int>(in(0, 200)), y0 = static_cast<int>(in(0, 100)),
                  side = round % 3 ? 32 : 8;
        const auto [low, high] = nearnessIn(plane, x0, y0, x0 + side, y0 + side);
        narrow += high < 3 * low;
        for (int i = 0; i < 60; ++i) {
            const double nearness = nearnessAt(plane, in(x0, x0 + side), in(y0, y0 + side));
            if (!(nearness > 0)) continue;
            ++places;
            EXPECT_GE(nearness, low) << round;
            EXPECT_LE(nearness, high) << round;
        }
    }
    EXPECT_GT(places, 2000);
    EXPECT_GT(narrow, 50) << "not by saying anything at all";
}

/// What is known of blocks, and what a brush leaves out by that, against sampling every pixel.
TEST(Presence, OfBlocksNeverContradictsThePixels) {
    std::mt19937 random(17);
    const auto in = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    int clear = 0, opaque = 0, mixed = 0;
    for (int round = 0; round < 800; ++round) {
        // patches of clear and of solid, some with edges in between
        media::Raster level(V2i(static_cast<int>(in(100, 600)), static_cast<int>(in(100, 600))));
        const double scale = in(0.01, 0.12), sharp = round % 2 ? 40 : 2;
        for (int y = 0; y < level.size.y; ++y)
            for (int x = 0; x < level.size.x; ++x) {
                const double wave = std::sin(x * scale) + std::sin(y * scale * 1.3);
                const auto alpha = static_cast<float>(std::clamp(wave * sharp + 0.5, 0.0, 1.0));
                std::fill_n(level.row(y) + 4 * x, 4, alpha);
            }
        const auto pyramid = media::makePyramid(level);
        const auto view = optics::viewOf({}, 36, {256, 144});
        const double yaw = round % 4 ? in(-1.1, 1.1) : 0, size = in(3, 25);
        const V3d across = V3d(std::cos(yaw), 0, -std::sin(yaw)) * size,
                  down = V3d(0, -1, round % 4 ? in(-0.4, 0.4) : 0) * size;
        scene::Extensions on;
        if (round % 3 == 0) on.left = on.bottom = {scene::Beyond::Mirror, 0.5};
        const Plane plane =
            planeOf({V3d(in(-9, 0), in(0, 8), in(-14, -5)), across, down}, view, level.size, on);
        const V2i tile(round % 5 ? 32 : static_cast<int>(in(1, 32)),
                       round % 7 ? 32 : static_cast<int>(in(1, 32)));
        const int x0 = static_cast<int>(in(0, 256 - tile.x)), y0 = static_cast<int>(in(0, 144 - tile.y));
        const Reach reach = reachOf(plane, x0, y0, x0 + tile.x, y0 + tile.y, Through::Pinhole);
        if (reach.off || reach.behind > 0) continue;
        const Look look = lookAt(plane, *pyramid, reach, x0, y0, tile.x, tile.y);
        if (look.levels == 0) continue;
        const BlockGrid grid(plane, x0, y0, tile.x, tile.y);
        const Known known =
            knownOf(plane, *pyramid, grid, reach, look.fine, look.levels, look.spanU, look.spanV);
        ASSERT_EQ(known.clear & known.opaque, 0);
        clear += known.clear == grid.all();
        opaque += known.opaque == grid.all();
        mixed += (known.clear || known.opaque) && known.clear != grid.all() && known.opaque != grid.all();
        float row[32 * 4];
        for (int y = 0; y < tile.y; ++y) {
            sampleRow(plane, *pyramid, y0 + y, x0, x0 + tile.x, row);
            for (int x = 0; x < tile.x; ++x) {
                const int block = y / blockSide * blocksAcross + x / blockSide;
                const float alpha = row[4 * x + 3];
                const float low = known.opaque >> block & 1 ? 0.998f : 0,
                            high = known.clear >> block & 1 ? 0 : 2;
                ASSERT_TRUE(alpha >= low && alpha <= high)
                    << alpha << " in round " << round << " at " << x << ", " << y;
            }
        }
    }
    EXPECT_GT(clear, 15);
    EXPECT_GT(opaque, 15);
    EXPECT_GT(mixed, 60);
}

/// The tiles asked for beforehand are all that sampling reads, for cards in any position.
TEST(Need, HoldsAllThatIsSampled) {
    std::mt19937 random(11);
    const auto in = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    media::Raster base(V2i(1500, 1100));
    for (std::size_t i = 0; i < base.rgba.size(); ++i)
        base.rgba[i] = static_cast<float>(0.1 + (i * 7919 % 1009) / 1200.0); // nowhere 0
    const auto whole = media::makePyramid(base);
    const V2i frame(320, 180);
    std::size_t tiles = 0, all = 0;
    int seen = 0;
    for (int round = 0; round < 300; ++round) {
        scene::Pose pose;
        pose.pan = in(-40, 40);
        pose.tilt = in(-30, 30);
        pose.focal = in(12, 120);
        const auto view = optics::viewOf(pose, 36, frame);
        // some seen flat on, some nearly edge-on, some reaching behind the eye
        const double yaw = in(-1.55, 1.55), lean = in(-1.5, 1.5), size = std::exp(in(-1, 4));
        const V3d across = V3d(std::cos(yaw), 0, -std::sin(yaw)) * size,
                  down =
                      V3d(std::sin(yaw) * std::sin(lean), -std::cos(lean), std::cos(yaw) * std::sin(lean)) *
                      size;
        const V3d centre(in(-6, 6), in(-4, 4), -std::exp(in(-0.5, 4)));
        const Plane plane = planeOf({centre - (across + down) * 0.5, across, down}, view, base.size);
        const media::Need need = needOf(plane, media::boxOf(frame), {});
        media::Pyramid part(base.size);
        for (int level = 0; level < need.levels(); ++level)
            for (const std::size_t tile : need.tiles(level)) {
                const auto n = static_cast<std::size_t>(level);
                part.levels[n].tiles[tile] = whole->levels[n].tiles[tile];
                ++tiles;
            }
        for (const auto& level : whole->levels)
            all += level.tiles.size();
        std::vector<float> got(static_cast<std::size_t>(frame.x) * 4), wanted(got.size());
        bool any = false;
        for (int y = 0; y < frame.y; ++y) {
            sampleRow(plane, part, y, 0, frame.x, got.data());
            sampleRow(plane, *whole, y, 0, frame.x, wanted.data());
            for (std::size_t i = 0; i < got.size(); ++i) {
                ASSERT_EQ(got[i], wanted[i]) << "round " << round << " at " << i / 4 << ", " << y;
                any = any || wanted[i] > 0;
            }
        }
        seen += any;
    }
    EXPECT_GT(seen, 120);
    EXPECT_LT(tiles, all / 2); // and it is far from everything
}

/// Floors and walls that run past the eye, seen from a camera that moves and turns: in boxes that their
/// horizon crosses.
TEST(Presence, BeyondWhatMovesTowardsItsHorizonThereIsNothing) {
    std::mt19937 random(5);
    const auto in = [&](double low, double high) {
        return std::uniform_real_distribution(low, high)(random);
    };
    int off = 0, met = 0;
    for (int round = 0; round < 3000; ++round) {
        const V2i frame(256, 144);
        const auto viewFrom = [&](const V3d& eye, double yaw, double pitch) {
            auto view = optics::viewOf({}, 36, frame);
            view.eye = eye;
            const V3d right(std::cos(yaw), 0, -std::sin(yaw));
            const V3d up =
                V3d(std::sin(yaw) * std::sin(pitch), std::cos(pitch), std::cos(yaw) * std::sin(pitch));
            view.right = right, view.up = up, view.forward = up.cross(right);
            view.aperture = 0.03, view.focus = 4;
            return view;
        };
        const V3d eye(in(-1, 1), in(0.5, 3), in(-1, 1)), way(in(-0.3, 0.3), in(-0.1, 0.1), in(-0.3, 0.3));
        const double yaw = in(-0.3, 0.3), pitch = in(-0.2, 0.2), turn = in(-0.02, 0.02),
                     tilt = in(-0.02, 0.02);
        const auto at = [&](double t) { return viewFrom(eye + way * t, yaw + turn * t, pitch + tilt * t); };
        const double length = in(4, 40), width = in(2, 20);
        const optics::Surface card{V3d(-width / 2, in(-0.5, 0.3), 2), V3d(width, 0, in(-1, 1)),
                                   V3d(0, in(-0.5, 0.5), -length)};
        const V2i size(400, 300);
        Plane plane = planeOf(card, at(0), size);
        expose(plane, {card, at(-1)}, {card, at(1)});
        ASSERT_FALSE(plane.still);
        const int x0 = static_cast<int>(in(0, 224)), y0 = static_cast<int>(in(0, 112));
        const Reach reach = reachOf(plane, x0, y0, x0 + 32, y0 + 32, Through::Lens);
        if (reach.behind == 0) continue;
        off += reach.off;
        for (int ray = 0; ray < 300; ++ray) {
            const double x = x0 + in(0, 32), y = y0 + in(0, 32), t = in(-1, 1), p = in(-0.7, 0.7),
                         q = in(-0.7, 0.7);
            const Projective all =
                plane.pinhole + plane.right * p + plane.up * q + plane.drift * t + plane.curve * (t * t);
            const double w = all.w.at(x, y), u = all.u.at(x, y) / w, v = all.v.at(x, y) / w;
            const bool hit = w > 1e-7 && u >= 0 && v >= 0 && u <= size.x && v <= size.y;
            met += hit;
            ASSERT_FALSE(hit && reach.off) << "in round " << round;
        }
    }
    EXPECT_GT(off, 100);
    EXPECT_GT(met, 10'000);
}

}
}
