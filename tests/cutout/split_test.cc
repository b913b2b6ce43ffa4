// Photographs split and filled, held against what is known to be behind.
#include "cutout/source.h"
#include "edit/edit.h"
#include "media/file_state.h"
#include "media/pixel_cache.h"
#include "media/still.h"
#include "support/photographs.h"
#include "support/support.h"

#include <cmath>
#include <cstdlib>
#include <gtest/gtest.h>

namespace stage::cutout {
namespace {

using media::Raster;

std::array<double, 3> encodedOver(const Imath::half* p) {
    std::array<double, 3> c{};
    for (std::size_t i = 0; i < 3; ++i)
        c[i] = std::round(255 * std::clamp(media::srgbFromLinear(float(p[i])), 0.f, 1.f));
    return c;
}

void save(const Raster& raster, const std::filesystem::path& path, bool checks = false) {
    test::writePicture(path, raster.size, [&](int x, int y) {
        const Imath::half* p = raster.row(y) + 4 * x;
        const float a = p[3];
        Imath::half straight[3];
        const float under = checks ? ((x / 16 + y / 16) % 2 ? 0.3f : 0.15f) : 0;
        for (int c = 0; c < 3; ++c)
            straight[c] = checks ? float(p[c]) + under * (1 - a) : a > 0 ? float(p[c]) / a : 0.f;
        const auto c = encodedOver(straight);
        return test::Rgba8{static_cast<int>(c[0]), static_cast<int>(c[1]), static_cast<int>(c[2]),
                           checks ? 255 : static_cast<int>(std::lround(a * 255))};
    });
}

/// Peak signal to noise of display values where weight is at least 0.5, dB.
double psnr(const Raster& a, const Raster& b, const std::function<double(std::size_t)>& weight) {
    double sum = 0, count = 0;
    for (std::size_t i = 0; i < a.rgba.size() / 4; ++i) {
        if (weight(i) < 0.5) continue;
        const auto ca = encodedOver(a.rgba.data() + 4 * i), cb = encodedOver(b.rgba.data() + 4 * i);
        for (std::size_t c = 0; c < 3; ++c)
            sum += (ca[c] - cb[c]) * (ca[c] - cb[c]);
        count += 3;
    }
    return count > 0 ? 10 * std::log10(255 * 255 / std::max(sum / count, 1e-9)) : 0;
}

edit::Edit loopJson(const std::vector<V2d>& loop) {
    edit::Edit list = edit::Edit::array();
    for (const V2d& p : loop)
        list.push_back({p.x, p.y});
    return {{"loop", list}};
}

TEST(Split, FillsWhatIsBehindAndLooksAsBefore) {
    const test::TempDir dir;
    // Where to put the pictures for looking at them.
    const char* keep = std::getenv("STAGE_KEEP");
    const std::filesystem::path kept = keep ? keep : dir.path().string();
    for (const test::Photograph& photo : test::photographs({800, 534})) {
        save(photo.picture, dir / (photo.name + ".png"));
        auto scene = edit::apply(scene::emptyScene(),
                                 {{"edit", "bring-in"}, {"files", {(dir / (photo.name + ".png")).string()}}});
        ASSERT_TRUE(scene);
        edit::Edit split = {{"edit", "split"}, {"layer", photo.name}, {"near", {loopJson(photo.nearLoop)}}};
        if (!photo.middleLoop.empty()) split["middle"] = {loopJson(photo.middleLoop)};
        scene = edit::apply(*scene, split);
        ASSERT_TRUE(scene) << scene.error().sentence;
        ASSERT_EQ(scene->layers.size(), photo.middleLoop.empty() ? 2u : 3u);
        media::PixelCache cache;
        std::vector<Raster> layers;
        for (const scene::LayerPtr& layer : scene->layers) {
            const auto pixels = motion::pixelsAt(*scene, layer, Rational(0));
            const auto source = sourceOf(*pixels);
            auto raster = cache.read(source, 0, media::boxOf(source->size()));
            ASSERT_TRUE(raster) << raster.error().sentence;
            layers.push_back(std::move(*raster));
            save(layers.back(), kept / (layer->name + ".png"), true);
        }
        const bool three = layers.size() == 3;
        const Raster& near = layers.back();
        // The cut: share of pixels whose alpha is off by more than a quarter.
        double wrong = 0, covered = 0;
        for (std::size_t i = 0; i < photo.near.size(); ++i) {
            wrong += std::abs(float(near.rgba[4 * i + 3]) - photo.near[i]) > 0.25f;
            covered += photo.near[i] > 0.5f;
        }
        const double fill = psnr(layers[0], photo.far,
                                 [&](std::size_t i) { return std::max(photo.near[i], photo.middle[i]); });
        // Laid over each other they are the photograph.
        Raster flat = layers[0];
        for (std::size_t n = 1; n < layers.size(); ++n)
            for (std::size_t i = 0; i < flat.rgba.size(); i += 4)
                for (std::size_t c = 0; c < 4; ++c)
                    flat.rgba[i + c] = float(layers[n].rgba[i + c]) +
                                       float(flat.rgba[i + c]) * (1 - float(layers[n].rgba[i + 3]));
        save(flat, kept / (photo.name + " flat.png"));
        const double same = psnr(flat, photo.picture, [](std::size_t) { return 1.0; });
        std::printf("%s: cut wrong at %.2f %% of the thing, filling %.1f dB, laid together %.1f dB",
                    photo.name.c_str(), 100 * wrong / covered, fill, same);
        if (three) {
            const double middle = psnr(layers[1], photo.behind, [&](std::size_t i) {
                return std::min<double>(photo.near[i], photo.middle[i]);
            });
            std::printf(", filling in the middle %.1f dB", middle);
            EXPECT_GT(middle, 10);
        }
        std::printf("\n");
        EXPECT_LT(wrong / covered, 0.05) << photo.name;
        EXPECT_GT(fill, 14) << photo.name;
        EXPECT_GT(same, 30) << photo.name;
    }
}

/// Two discs before a box before a ground, all of plain colours, and a scene that is split by loops.
struct Parts {
    test::TempDir dir;
    std::optional<scene::Scene> before, after;
    Parts(const edit::Edit& match, const edit::Edit& more) {
        test::writePicture(dir / "p.png", {300, 200}, [](int x, int y) {
            const int grain = (x * 7 + y * 13) % 9;
            if (std::hypot(x - 110, y - 110) < 36) return test::Rgba8{210 + grain, 60, 50};
            if (std::hypot(x - 230, y - 130) < 26) return test::Rgba8{220 + grain, 190, 60};
            if (x > 60 && x < 180 && y > 40 && y < 160) return test::Rgba8{60, 130 + grain, 70};
            return test::Rgba8{50 + grain, 70, 150};
        });
        auto scene =
            edit::apply(scene::emptyScene(), {{"edit", "bring-in"}, {"files", {(dir / "p.png").string()}}});
        if (scene && !match.is_null())
            scene = edit::apply(*scene, {{"edit", "cut-out"}, {"layers", {"p"}}, {"match", match}});
        if (!scene) return;
        before = *scene;
        const auto round = [](double cx, double cy, double r) {
            std::vector<V2d> loop;
            for (int i = 0; i < 12; ++i)
                loop.emplace_back(cx + r * std::cos(i * 0.5236), cy + r * std::sin(i * 0.5236));
            return loopJson(loop);
        };
        edit::Edit split = {{"edit", "split"},
                            {"layer", "p"},
                            {"near", {round(110, 110, 46), round(230, 130, 36)}},
                            {"middle", {loopJson({{50, 30}, {190, 30}, {190, 170}, {50, 170}})}}};
        split.update(more);
        auto made = edit::apply(*scene, split);
        EXPECT_TRUE(made) << made.error().sentence;
        if (made) after = *made;
    }
    Raster shown(const scene::Scene& scene, const std::string& name) {
        for (const scene::LayerPtr& layer : scene.layers)
            if (layer->name == name) {
                const auto source = sourceOf(*motion::pixelsAt(scene, layer, Rational(0)));
                auto raster = cache.read(source, 0, media::boxOf(source->size()));
                EXPECT_TRUE(raster);
                return raster ? *raster : Raster();
            }
        ADD_FAILURE() << "no layer " << name;
        return {};
    }
    media::PixelCache cache;
};

TEST(Split, EachLoopIsALayerUnlessJoined) {
    const Parts apart(nullptr, edit::Edit::object());
    ASSERT_TRUE(apart.after);
    std::vector<std::string> names;
    for (const scene::LayerPtr& layer : apart.after->layers)
        names.push_back(layer->name);
    EXPECT_EQ(names, (std::vector<std::string>{"p far", "p middle", "p near 2", "p near 1"}));
    const Parts joined(nullptr, {{"join", true}});
    ASSERT_TRUE(joined.after);
    EXPECT_EQ(joined.after->layers.size(), 3u);
    EXPECT_EQ(joined.after->layers.back()->name, "p near");
}

/// Where the near disc was, the box goes on solidly, its edge included: nothing shines through the seam.
TEST(Split, NoSeamStaysInTheMiddle) {
    for (const bool join : {false, true}) {
        Parts parts(nullptr, {{"join", join}});
        ASSERT_TRUE(parts.after);
        const Raster middle = parts.shown(*parts.after, "p middle");
        float least = 1;
        for (int y = 60; y < 150; ++y)
            for (int x = 70; x < 170; ++x)
                least = std::min(least, float(middle.row(y)[4 * x + 3]));
        EXPECT_GT(least, 0.98) << join;
        EXPECT_LT(float(middle.row(20)[4 * 250 + 3]), 0.02);
    }
}

TEST(Split, AMatchedPictureStaysAsItWas) {
    Parts parts({{"automatic", true}}, edit::Edit::object());
    ASSERT_TRUE(parts.after);
    Raster flat = parts.shown(*parts.after, "p far");
    for (const char* name : {"p middle", "p near 2", "p near 1"}) {
        const Raster above = parts.shown(*parts.after, name);
        for (std::size_t i = 0; i < flat.rgba.size(); i += 4)
            for (std::size_t c = 0; c < 4; ++c)
                flat.rgba[i + c] =
                    float(above.rgba[i + c]) + float(flat.rgba[i + c]) * (1 - float(above.rgba[i + 3]));
    }
    EXPECT_GT(psnr(flat, parts.shown(*parts.before, "p"), [](std::size_t) { return 1.0; }), 34);
}

/// What was filled is kept on disk by its key: another cache, as of another start, takes it from there.
TEST(Fills, AreKeptBetweenStarts) {
    Parts parts(nullptr, {{"join", true}});
    ASSERT_TRUE(parts.after);
    const scene::LayerPtr far = parts.after->layers.front();
    const auto source = sourceOf(*motion::pixelsAt(*parts.after, far, Rational(0)));
    media::Halfs once;
    {
        media::PixelCache cache; // its end waits for what is being kept
        const auto read = cache.read(source, 0, media::boxOf(source->size()));
        ASSERT_TRUE(read);
        once = read->rgba;
    }
    const auto stored = media::StoredPyramid::open(media::contentKey(source->key()), source->size());
    ASSERT_TRUE(stored);
    media::PixelCache cache;
    const auto again = cache.read(source, 0, media::boxOf(source->size()));
    ASSERT_TRUE(again);
    EXPECT_EQ(again->rgba, once);
}

}
}
