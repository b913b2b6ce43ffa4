// Every matte operation against a plain formula, pixel by pixel.
#include "cutout/source.h"

#include "cutout/shapes.h"
#include "scene/cutout_json.h"
#include "support/support.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace stage::cutout {
namespace {

Mask random(const Box& box, int seed) {
    std::mt19937 engine(static_cast<unsigned>(seed));
    Mask mask(box);
    // blobs of solid and clear with some in between
    for (int y = box.y0; y < box.y1; ++y)
        for (int x = box.x0; x < box.x1; ++x) {
            const double wave = std::sin(x * 0.37 + seed) + std::sin(y * 0.29 - seed);
            mask.row(y)[x] = wave > 0.6 ? 1.f : wave < 0.2 ? 0.f : static_cast<float>(engine() % 256) / 255.f;
        }
    return mask;
}

TEST(Mask, GrowsByTheFormula) {
    const Box wanted{3, -4, 40, 31};
    for (const double by : {0.5, 1.0, 2.3, 4.0, 7.75, -0.5, -1.0, -3.4, -6.0}) {
        const Mask in = random(wanted.grown(reachOfGrow(by)), static_cast<int>(by * 10) + 100);
        const Mask out = grown(in, by, wanted);
        const int reach = reachOfGrow(by);
        for (int y = wanted.y0; y < wanted.y1; ++y)
            for (int x = wanted.x0; x < wanted.x1; ++x) {
                double most = 0;
                for (int dy = -reach; dy <= reach; ++dy)
                    for (int dx = -reach; dx <= reach; ++dx) {
                        const double a = in.at(x + dx, y + dy), v = by > 0 ? a : 1 - a;
                        most =
                            std::max(most, v * std::clamp(std::abs(by) + 1 - std::hypot(dx, dy), 0.0, 1.0));
                    }
                ASSERT_NEAR(out.at(x, y), by > 0 ? most : 1 - most, 1e-5) << by << " at " << x << ", " << y;
            }
    }
    // a straight edge moves by exactly that much
    Mask half(Box{-20, 0, 20, 1}.grown(9));
    for (int y = half.box.y0; y < half.box.y1; ++y)
        for (int x = half.box.x0; x < 0; ++x)
            half.row(y)[x] = 1;
    double sum = 0;
    const Mask moved = grown(half, 2.25, {-20, 0, 20, 1});
    for (const float v : moved.values)
        sum += v;
    EXPECT_NEAR(sum, 22.25, 1e-5);
}

TEST(Mask, FeatherIsAGaussianOfHalfItsWidth) {
    const Box wanted{0, 0, 24, 20};
    for (const double feather : {1.0, 3.0, 6.5}) {
        const int reach = reachOfFeather(feather);
        const Mask in = random(wanted.grown(reach), 7);
        const Mask out = feathered(in, feather, wanted);
        const double deviation = feather / 2;
        for (int y = wanted.y0; y < wanted.y1; ++y)
            for (int x = wanted.x0; x < wanted.x1; ++x) {
                double sum = 0, weights = 0;
                for (int dy = -reach; dy <= reach; ++dy)
                    for (int dx = -reach; dx <= reach; ++dx) {
                        const double w = std::exp(-(dx * dx + dy * dy) / (2 * deviation * deviation));
                        sum += w * in.at(x + dx, y + dy);
                        weights += w;
                    }
                ASSERT_NEAR(out.at(x, y), sum / weights, 2e-4) << feather;
            }
    }
}

scene::Area area(double x, double y, double w, double h, double turn = 0) {
    return {{x, y}, {w, h}, turn};
}

/// Cairo tells the coverage of a pixel from a grid of points; in acute corners it is off by up to this.
constexpr double edgeError = 0.08;

TEST(Shapes, CoverWhatTheirAreaSays) {
    const Box box{-3, -2, 30, 22};
    // a rectangle between pixels: exact shares
    const Mask straight = coverOf(scene::Rectangle{area(10.25, 8.5, 12.5, 6)}, 1, box);
    for (int y = box.y0; y < box.y1; ++y)
        for (int x = box.x0; x < box.x1; ++x) {
            const auto share = [](double a0, double a1, int p) {
                return std::clamp(std::min(a1, p + 1.0) - std::max(a0, static_cast<double>(p)), 0.0, 1.0);
            };
            ASSERT_NEAR(straight.at(x, y), share(4, 16.5, x) * share(5.5, 11.5, y), 0.01) << x << ", " << y;
        }
    // others: many points in each pixel
    const scene::Outline outline{std::vector<scene::PathPoint>{V2d(2, 2), V2d(25, 5), V2d(8, 18)}};
    const Mask triangle = coverOf(outline, 1, box),
               ellipse = coverOf(scene::Ellipse{area(12, 9, 16, 8, 30)}, 1, box),
               twice = coverOf(scene::Ellipse{area(6, 4.5, 8, 4, 30)}, 2, box);
    const auto inTriangle = [](double x, double y) {
        const V2d p[3] = {{2, 2}, {25, 5}, {8, 18}};
        for (int i = 0; i < 3; ++i) {
            const V2d e = p[(i + 1) % 3] - p[i], q = V2d(x, y) - p[i];
            if (e.x * q.y - e.y * q.x < 0) return false;
        }
        return true;
    };
    const auto inEllipse = [](double x, double y) {
        const double c = std::cos(radians(30)), s = std::sin(radians(30)), dx = x - 12, dy = y - 9;
        return std::pow((dx * c + dy * s) / 8, 2) + std::pow((dy * c - dx * s) / 4, 2) < 1;
    };
    for (int y = box.y0; y < box.y1; ++y)
        for (int x = box.x0; x < box.x1; ++x) {
            int triangles = 0, ellipses = 0;
            for (int i = 0; i < 256; ++i) {
                const double u = x + (i % 16 + 0.5) / 16, v = y + (i / 16 + 0.5) / 16;
                triangles += inTriangle(u, v);
                ellipses += inEllipse(u, v);
            }
            ASSERT_NEAR(triangle.at(x, y), triangles / 256.0, edgeError) << x << ", " << y;
            ASSERT_NEAR(ellipse.at(x, y), ellipses / 256.0, edgeError) << x << ", " << y;
        }
    for (std::size_t i = 0; i < ellipse.values.size(); ++i)
        ASSERT_NEAR(ellipse.values[i], twice.values[i], 0.02);
}

TEST(Shapes, CurvesFollowTheirHandles) {
    // a quarter of a circle, within what four handles can do (0.03 %)
    const double k = 0.5522847498 * 20;
    scene::Outline circle;
    circle.points.value = {{{45, 25}, {0, -k}, {0, k}},
                           {{25, 45}, {k, 0}, {-k, 0}},
                           {{5, 25}, {0, k}, {0, -k}},
                           {{25, 5}, {-k, 0}, {k, 0}}};
    const Mask mask = coverOf(circle, 1, {0, 0, 50, 50});
    double sum = 0;
    for (const float v : mask.values)
        sum += v;
    EXPECT_NEAR(sum, std::numbers::pi * 400, 3);
}

TEST(Brush, CoversByItsProfileAndStrokesAddUp) {
    scene::Stroke stroke;
    stroke.size = 16;
    stroke.hardness = 0.5;
    stroke.flow = 0.8;
    stroke.dabs = {{{10, 10}, 1}, {{30, 10}, 0.5}};
    Mask mask(Box{0, 0, 40, 24});
    paint(mask, stroke, 1);
    const auto wanted = [&](int x, int y) {
        const double px = x + 0.5 - 10, py = y + 0.5 - 10, f = std::clamp(px / 20, 0.0, 1.0);
        const double pressure = 1 - 0.5 * f, share = std::hypot(px - 20 * f, py) / (8 * pressure);
        const double profile = share <= 0.5 ? 1
                               : share >= 1 ? 0
                                            : 0.5 * (1 + std::cos(std::numbers::pi * (share - 0.5) / 0.5));
        return profile * 0.8 * pressure;
    };
    for (int y = 0; y < 24; ++y)
        for (int x = 0; x < 40; ++x)
            ASSERT_NEAR(mask.at(x, y), wanted(x, y), 1e-5);
    paint(mask, stroke, 1);
    EXPECT_NEAR(mask.at(12, 10), 1 - std::pow(1 - wanted(12, 10), 2), 1e-5);
    stroke.erase = true;
    paint(mask, stroke, 1);
    EXPECT_NEAR(mask.at(12, 10), (1 - std::pow(1 - wanted(12, 10), 2)) * (1 - wanted(12, 10)), 1e-5);
}

TEST(Brush, IsAsLargeAsTheScaleSays) {
    scene::Stroke stroke{{{{8, 12}, 1}, {{40, 20}, 0.6}}, 12, 0.4, 0.9, false};
    scene::Stroke half{{{{4, 6}, 1}, {{20, 10}, 0.6}}, 6, 0.4, 0.9, false};
    Mask scaled(Box{0, 0, 32, 16}), wanted(scaled.box);
    paint(scaled, stroke, 0.5);
    paint(wanted, half, 1);
    double sum = 0;
    for (int y = 0; y < 16; ++y)
        for (int x = 0; x < 32; ++x) {
            ASSERT_NEAR(scaled.at(x, y), wanted.at(x, y), 1e-6) << x << ' ' << y;
            sum += static_cast<double>(wanted.at(x, y));
        }
    EXPECT_GT(sum, 40); // about 17 px long and 4 wide, softly
}

// ---- mattes of a layer

class Mattes : public ::testing::Test {
protected:
    Mattes() {
        test::writePicture(dir / "p.png", {60, 40}, [](int x, int y) {
            return test::Rgba8{x * 4, y * 6, (x / 10 + y / 10) % 2 ? 200 : 40, 255};
        });
        layer = test::pictureLayer(1, "p", dir / "p.png", {60, 40}, 6, V3d(0, 0, -10));
    }
    motion::PixelsPtr with(const std::vector<scene::Matte>& mattes, Rational time = {}) {
        auto cut = std::make_shared<scene::Layer>(*layer);
        auto cutout = std::make_shared<scene::Cutout>();
        cutout->mattes = mattes;
        cut->cutout = cutout;
        scene.layers = {cut};
        if (other) scene.layers.push_back(other);
        return motion::pixelsAt(scene, scene.layers[0], time);
    }
    media::Raster read(const motion::PixelsPtr& pixels) {
        const auto source = sourceOf(*pixels);
        auto raster = cache.read(source, 0, media::boxOf(source->size()));
        EXPECT_TRUE(raster) << (raster ? "" : raster.error().sentence);
        return raster ? *raster : media::Raster(source->size());
    }
    static scene::Matte matte(decltype(scene::Matte::shape) shape,
                              scene::Combine combine = scene::Combine::Add) {
        scene::Matte m;
        m.shape = std::move(shape);
        m.combine = combine;
        return m;
    }
    test::TempDir dir;
    scene::LayerPtr layer, other;
    scene::Scene scene = scene::emptyScene();
    media::PixelCache cache;
};

/// The two sides of one soft edge are solid together where they are summed; laid over each other they are
/// not.
TEST_F(Mattes, TwoSidesOfAnEdgeSumToSolid) {
    auto one = matte(scene::Rectangle{area(15, 20, 30, 60)});
    one.feather = 8.0;
    auto inverse = one;
    inverse.invert = true;
    const Box box{0, 0, 60, 40};
    for (const scene::Combine combine : {scene::Combine::Plus, scene::Combine::Add}) {
        inverse.combine = combine;
        const auto got = mattesOver(*with({one, inverse}), {one, inverse}, box, cache);
        ASSERT_TRUE(got);
        const float least = *std::min_element(got->values.begin(), got->values.end());
        if (combine == scene::Combine::Plus) {
            EXPECT_NEAR(least, 1, 1e-5);
        } else {
            EXPECT_NEAR(least, 0.75, 0.01); // 1 - a (1 - a) where a is a half
        }
    }
}

TEST_F(Mattes, AreCombinedAsPorterDuffSays) {
    auto a = matte(scene::Rectangle{area(20, 20, 24, 24)});
    auto b = matte(scene::Ellipse{area(30, 20, 30, 20)}, scene::Combine::Subtract);
    auto c = matte(scene::Rectangle{area(30, 20, 50, 30)}, scene::Combine::Intersect);
    auto d = matte(scene::Ellipse{area(45, 12, 12, 12)});
    a.feather = 5.0;
    b.opacity = 0.6;
    c.invert = true;
    c.opacity = 0.5;
    d.grow = 2.0;
    const Box box{0, 0, 60, 40};
    const auto pixels = with({a, b, c, d});
    const auto got = mattesOver(*pixels, {a, b, c, d}, box, cache);
    ASSERT_TRUE(got);
    const Mask ma = feathered(coverOf(std::get<scene::Rectangle>(a.shape), 1, box.grown(8)), 5, box),
               mb = coverOf(std::get<scene::Ellipse>(b.shape), 1, box),
               mc = coverOf(std::get<scene::Rectangle>(c.shape), 1, box),
               md = grown(coverOf(std::get<scene::Ellipse>(d.shape), 1, box.grown(3)), 2, box);
    const media::Raster raster = read(pixels);
    for (std::size_t i = 0; i < got->values.size(); ++i) {
        double m = ma.values[i];
        m *= 1 - 0.6 * mb.values[i];
        m *= 0.5 * (1 - mc.values[i]);
        m = m + md.values[i] - m * md.values[i];
        ASSERT_NEAR(got->values[i], m, 1e-5);
        ASSERT_NEAR(raster.rgba[4 * i + 3], m, 1e-3);
    }
}

TEST_F(Mattes, TheFirstOneDecidesFromWhatTheyStart) {
    const Box box{0, 0, 60, 40};
    const auto hole = matte(scene::Rectangle{area(30, 20, 20, 10)}, scene::Combine::Subtract);
    const auto pixels = with({hole});
    const auto got = mattesOver(*pixels, {hole}, box, cache);
    EXPECT_EQ(got->at(5, 5), 1);
    EXPECT_EQ(got->at(30, 20), 0);
    auto off = matte(scene::Rectangle{area(10, 10, 5, 5)});
    off.on = false;
    EXPECT_EQ(mattesOver(*with({off, hole}), {off, hole}, box, cache)->at(5, 5), 1);
}

TEST_F(Mattes, KeysMoveThem) {
    scene::Rectangle moving;
    moving.area.keys = {{Rational(0), area(10, 20, 10, 10), {}, false},
                        {Rational(2), area(50, 20, 20, 10), {}, false}};
    auto m = matte(moving);
    const auto at = [&](Rational time) {
        const auto now = with({m}, time)->cutout->mattes[0];
        return std::get<scene::Rectangle>(now.shape).area.value;
    };
    EXPECT_EQ(at(Rational(-1)), area(10, 20, 10, 10));
    EXPECT_EQ(at(Rational(1)), area(30, 20, 15, 10));
    EXPECT_EQ(at(Rational(9)), area(50, 20, 20, 10));
    std::get<scene::Rectangle>(m.shape).area.keys[0].hold = true;
    EXPECT_EQ(at(Rational(1)), area(10, 20, 10, 10));
    EXPECT_EQ(at(Rational(2)), area(50, 20, 20, 10));
}

TEST_F(Mattes, AlikeTakesWhatTouchesOrAll) {
    test::writePicture(dir / "p.png", {60, 40}, [](int x, int) {
        return x < 20   ? test::Rgba8{200, 30, 30}
               : x < 40 ? test::Rgba8{30, 30, 30}
                        : test::Rgba8{200, 30, 30};
    });
    scene::Alike alike;
    const double r = media::linearFromSrgb(200 / 255.f), d = media::linearFromSrgb(30 / 255.f);
    alike.colour = {r, d, d, 1};
    alike.at = {5, 5};
    alike.softness = 0;
    const Box box{0, 0, 60, 40};
    const auto cover = [&] { return *mattesOver(*with({matte(alike)}), {matte(alike)}, box, cache); };
    EXPECT_EQ(cover().at(10, 20), 1);
    EXPECT_EQ(cover().at(30, 20), 0);
    EXPECT_EQ(cover().at(50, 20), 0);
    alike.touching = false;
    EXPECT_EQ(cover().at(50, 20), 1);
    // tolerance is percent of the OKLab way from black to white; this much takes the dark too, half of it
    // softly
    const double away =
        100 * std::sqrt([&] {
            const auto lab = [](double x, double y, double z) {
                const double l = std::cbrt(0.4122214708 * x + 0.5363325363 * y + 0.0514459929 * z),
                             m = std::cbrt(0.2119034982 * x + 0.6806995451 * y + 0.1073969566 * z),
                             s = std::cbrt(0.0883024619 * x + 0.2817188376 * y + 0.6299787005 * z);
                return V3d(0.2104542553 * l + 0.7936177850 * m - 0.0040720468 * s,
                           1.9779984951 * l - 2.4285922050 * m + 0.4505937099 * s,
                           0.0259040371 * l + 0.7827717662 * m - 0.8086757660 * s);
            };
            return (lab(r, d, d) - lab(d, d, d)).length2();
        }());
    alike.tolerance = away - 10;
    alike.softness = 20;
    EXPECT_NEAR(cover().at(30, 20), 0.5, 0.01);
}

TEST_F(Mattes, AnotherLayersAlphaIsSeenFromTheFirstMark) {
    // half as far and half as large: the same picture to the eye
    test::writePicture(dir / "o.png", {60, 40}, [](int x, int y) {
        return test::Rgba8{255, 255, 255, x < 30 && y < 20 ? 255 : 0};
    });
    other = test::pictureLayer(2, "o", dir / "o.png", {60, 40}, 3, V3d(0, 0, -5));
    const Box box{0, 0, 60, 40};
    const auto m = matte(scene::OfLayer{2, false});
    const auto pixels = with({m});
    const auto got = mattesOver(*pixels, {m}, box, cache);
    ASSERT_TRUE(got);
    EXPECT_NEAR(got->at(10, 10), 1, 1e-3);
    EXPECT_NEAR(got->at(45, 10), 0, 1e-3);
    EXPECT_NEAR(got->at(10, 30), 0, 1e-3);
    // moved half its width to the right, as seen
    other = test::pictureLayer(2, "o", dir / "o.png", {60, 40}, 3, V3d(1.5, 0, -5));
    const auto right = mattesOver(*with({m}), {m}, box, cache);
    EXPECT_NEAR(right->at(10, 10), 0, 1e-3);
    EXPECT_NEAR(right->at(45, 10), 1, 1e-3);
    // a quarter of a pixel to the right: between two of its pixels
    test::writePicture(dir / "ramp.png", {60, 40}, [](int x, int y) {
        return test::Rgba8{255, 255, 255, 3 * x + y};
    });
    other = test::pictureLayer(2, "ramp", dir / "ramp.png", {60, 40}, 3, V3d(0.0125, 0, -5));
    const auto ramp = mattesOver(*with({m}), {m}, box, cache);
    EXPECT_NEAR(ramp->at(20, 10), (3 * 19.75 + 10) / 255, 1e-3);
    // where both show one picture it goes by pixels, wherever they hang
    auto twin = std::make_shared<scene::Layer>(*layer);
    twin->id = 2;
    twin->placement.position = {7, 3, -2};
    auto cut = std::make_shared<scene::Cutout>();
    cut->mattes = {matte(scene::Rectangle{area(15, 10, 30, 20)})};
    twin->cutout = cut;
    other = twin;
    const auto same = mattesOver(*with({m}), {m}, box, cache);
    EXPECT_NEAR(same->at(10, 10), 1, 1e-3);
    EXPECT_NEAR(same->at(45, 10), 0, 1e-3);
}

TEST_F(Mattes, LayersThatLookAtEachOtherComeToAnEnd) {
    auto twin = std::make_shared<scene::Layer>(*layer);
    twin->id = 2;
    auto cut = std::make_shared<scene::Cutout>();
    cut->mattes = {matte(scene::OfLayer{1, false})};
    twin->cutout = cut;
    other = twin;
    const auto raster = read(with({matte(scene::OfLayer{2, false})}));
    EXPECT_EQ(raster.size, V2i(60, 40));
}

TEST_F(Mattes, SmallerLevelsAreMeansOfTheCut) {
    const auto pixels = with({matte(scene::Ellipse{area(30, 20, 40, 30)})});
    const auto source = sourceOf(*pixels);
    const media::Raster whole = read(pixels);
    const auto half = cache.read(source, 1, {0, 0, 30, 20});
    ASSERT_TRUE(half);
    for (int y = 0; y < 20; ++y)
        for (int x = 0; x < 30; ++x)
            for (int c = 0; c < 4; ++c) {
                double sum = 0;
                for (int k = 0; k < 4; ++k)
                    sum += float(whole.row(2 * y + k / 2)[4 * (2 * x + k % 2) + c]) / 4;
                ASSERT_NEAR(half->row(y)[4 * x + c], sum, 1e-3);
            }
}

TEST_F(Mattes, SurviveBeingWritten) {
    scene::Painted painted{{scene::Stroke{{{{1, 2}, 0.5}, {{3, 4}, 1}}, 12, 0.25, 0.75, true}}};
    scene::Outline outline;
    outline.points.keys = {{Rational(1, 3), {{{1, 2}, {3, 4}, {5, 6}}, V2d(7, 8)}, {.42, 0, .58, 1}, false},
                           {Rational(2), {V2d(1, 2)}, {}, true}};
    scene::Subject subject{{{1, 1}, {9, 1}, {5, 9}}, painted.strokes, 3, 7};
    for (const auto& shape : std::vector<decltype(scene::Matte::shape)>{
             painted, outline, subject, scene::OfLayer{4, true},
             scene::Alike{{.1, .2, .3, 1}, {4, 5}, false, 6, 7}, scene::Ellipse{area(1, 2, 3, 4, 5)}}) {
        auto m = matte(shape, scene::Combine::Intersect);
        m.name = "m";
        m.grow = -2.5;
        m.feather.keys = {{Rational(0), 1.0, {}, false}, {Rational(1), 2.0, {}, false}};
        m.extra["later"] = 1;
        const auto json = scene::toJson(m);
        EXPECT_EQ(scene::toJson(scene::readMatte(json, "m")), json);
    }
}

/// A feather far wider than the picture is the Gaussian that it says, and costs no more than the picture.
TEST(Feathers, WiderThanThePicture) {
    constexpr double feather = 1000, deviation = feather / 2;
    const Box box{0, 0, 121, 121};
    for (const bool across : {true, false}) {
        Mask edge(box.grown(reachOfFeather(feather)));
        for (int y = edge.box.y0; y < edge.box.y1; ++y)
            for (int x = edge.box.x0; x < edge.box.x1; ++x)
                edge.row(y)[x] = (across ? x : y) < 60 ? 1.f : 0.f;
        const Mask soft = feathered(edge, feather, box);
        float before = 1;
        for (int at = 0; at < 121; ++at) {
            const float here = across ? soft.at(at, 40) : soft.at(40, at);
            EXPECT_NEAR(here, 0.5 * std::erfc((at + 0.5 - 60) / deviation / std::sqrt(2.0)), 0.01) << at;
            EXPECT_LE(here, before) << at; // no steps back
            before = here;
        }
    }
}

}
}
