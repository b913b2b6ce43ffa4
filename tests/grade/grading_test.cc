// Grades against published formulas, and looks against values worked out by hand.
#include "grade/grading.h"
#include "support/support.h"

#include <cmath>
#include <gtest/gtest.h>
#include <limits>

namespace stage::grade {
namespace {

using scene::Grade;

V3d graded(const Grade& grade, const V3d& colour, float alpha = 1) {
    const auto grading = gradingOf({std::make_shared<const Grade>(grade)});
    EXPECT_TRUE(grading) << (grading ? "" : grading.error().sentence);
    float rgba[4] = {static_cast<float>(colour.x) * alpha, static_cast<float>(colour.y) * alpha,
                     static_cast<float>(colour.z) * alpha, alpha};
    if (grading && *grading) (*grading)->apply(rgba, 1);
    EXPECT_EQ(rgba[3], alpha);
    const double by = alpha > 0 ? alpha : 1;
    return {rgba[0] / by, rgba[1] / by, rgba[2] / by};
}

void expectNear(const V3d& is, const V3d& should, double within = 1e-4) {
    for (int i = 0; i < 3; ++i)
        EXPECT_NEAR(is[i], should[i], within * std::max(1.0, std::abs(should[i]))) << i;
}

double encodedBySrgb(double v) {
    return v <= 0.0031308 ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055;
}
double linearBySrgb(double v) {
    return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
}

std::string written(const std::string& name, const std::string& text) {
    static const test::TempDir folder;
    const std::string path = (folder / name).string();
    test::writeAll(path, text);
    return path;
}

Grade looking(const std::string& path, const std::string& part = "") {
    Grade grade;
    grade.look.path = path;
    grade.look.part = part;
    return grade;
}

std::string refused(const Grade& grade) {
    const auto grading = gradingOf({std::make_shared<const Grade>(grade)});
    return grading ? "taken" : grading.error().sentence;
}

const V3d colours[] = {{0.18, 0.18, 0.18}, {0.02, 0.4, 0.9}, {3, 1.5, 0.25}, {0, 0, 0}};

}

TEST(Grading, ChangesNothingWhereNothingIsSet) {
    EXPECT_FALSE(*gradingOf({std::make_shared<const Grade>()}));
    Grade off;
    off.exposure = 3;
    off.on = false;
    EXPECT_FALSE(*gradingOf({std::make_shared<const Grade>(off)}));
}

TEST(Grading, FollowsThePublishedFormulas) {
    for (const V3d& colour : colours) {
        Grade grade;
        grade.exposure = 1.5;
        expectNear(graded(grade, colour), colour * std::pow(2, 1.5));
        grade = {};
        grade.slope = {1.2, 0.9, 1}, grade.offset = {0.02, 0, 0.1}, grade.power = {1.1, 0.8, 2};
        V3d should;
        for (int i = 0; i < 3; ++i)
            should[i] = std::pow(colour[i] * grade.slope[i] + grade.offset[i], grade.power[i]);
        expectNear(graded(grade, colour), should, 1e-3);
        grade = {};
        grade.saturation = 0.4;
        const double luminance = 0.2126 * colour.x + 0.7152 * colour.y + 0.0722 * colour.z;
        expectNear(graded(grade, colour), V3d(luminance) + (colour - V3d(luminance)) * 0.4);
        grade = {};
        grade.contrast = 1.6, grade.pivot = 0.3;
        for (int i = 0; i < 3; ++i)
            should[i] = 0.3 * std::pow(colour[i] / 0.3, 1.6);
        expectNear(graded(grade, colour), should, 1e-3);
    }
    // Below black the power does not count, as ASC CDL has it where nothing is clamped.
    Grade below;
    below.offset = {-0.1, -0.1, -0.1}, below.power = {2, 2, 2};
    expectNear(graded(below, {0.05, 0.3, 0.1}), {-0.05, 0.04, 0}, 1e-4);
}

TEST(Grading, IsDoneInTheOrderThatItIsToldIn) {
    Grade grade;
    grade.exposure = 1, grade.offset = {0.1, 0.1, 0.1}, grade.contrast = 2, grade.pivot = 0.2;
    // 0.2 x 2 + 0.1, then 0.2 (0.5 / 0.2)^2.
    expectNear(graded(grade, {0.2, 0.2, 0.2}), V3d(1.25), 1e-3);
    Grade next;
    next.exposure = -1;
    const auto both = gradingOf({std::make_shared<const Grade>(grade), std::make_shared<const Grade>(next)});
    float rgba[4] = {0.2f, 0.2f, 0.2f, 1};
    (*both)->apply(rgba, 1);
    EXPECT_NEAR(rgba[1], 0.625, 1e-3);
}

TEST(Grading, WarmthMovesWhiteAlongThePlanckianLocus) {
    // Differences in CIE 1960 UCS of black bodies of 6504 K and of so many mired more, from Planck's law and
    // the observer of 1931, integrated elsewhere.
    const struct {
        double warmth, u, v;
    } cases[] = {{-60, 0.189434 - 0.200349, 0.291209 - 0.310365},
                 {50, 0.212119 - 0.200349, 0.324112 - 0.310365},
                 {100, 0.225668 - 0.200349, 0.335212 - 0.310365},
                 {200, 0.255880 - 0.200349, 0.350069 - 0.310365}};
    const auto placed = [](const V3d& rgb) {
        const double x = 0.4124 * rgb.x + 0.3576 * rgb.y + 0.1805 * rgb.z,
                     y = 0.2126 * rgb.x + 0.7152 * rgb.y + 0.0722 * rgb.z,
                     z = 0.0193 * rgb.x + 0.1192 * rgb.y + 0.9505 * rgb.z, sum = x + 15 * y + 3 * z;
        EXPECT_NEAR(y, 1, 1e-3); // it stays as bright
        return V2d(4 * x / sum, 6 * y / sum);
    };
    for (const auto& each : cases) {
        Grade grade;
        grade.warmth = each.warmth;
        const V2d uv = placed(graded(grade, V3d(1)));
        // The observer was integrated by a fit of its own.
        EXPECT_NEAR(uv.x, 0.19783 + each.u, 0.0015) << each.warmth;
        EXPECT_NEAR(uv.y, 0.31233 + each.v, 0.0015) << each.warmth;
    }
    Grade tinted;
    tinted.tint = 10;
    const V2d uv = placed(graded(tinted, V3d(1)));
    EXPECT_NEAR(uv.x, 0.19783, 2e-4);
    EXPECT_NEAR(uv.y, 0.31233 - 0.010, 2e-4);
    EXPECT_LT(graded(tinted, V3d(1)).y, 1) << "towards magenta there is less green";
}

TEST(Grading, CurvesGoThroughTheirPointsAndStraightOn) {
    Grade grade;
    grade.curves[0] = {{0, 0}, {0.3, 0.2}, {0.7, 0.85}, {1, 1}};
    for (const auto& point : grade.curves[0])
        expectNear(graded(grade, V3d(linearBySrgb(point.in))), V3d(linearBySrgb(point.out)), 2e-3);
    double before = -1;
    for (int i = 0; i <= 100; ++i) {
        const double now = graded(grade, V3d(linearBySrgb(i / 100.0))).x;
        EXPECT_GT(now, before) << i;
        before = now;
    }
    const auto beyond = [&](double in) { return encodedBySrgb(graded(grade, V3d(linearBySrgb(in))).x); };
    EXPECT_GT(beyond(1.2), 1.01) << "what is brighter than white stays so";
    EXPECT_NEAR(beyond(1.8) - beyond(1.5), beyond(1.5) - beyond(1.2), 1e-3);
    grade = {};
    grade.curves[3] = {{0, 0.2}, {1, 0.8}};
    const V3d half = graded(grade, V3d(linearBySrgb(0.5)));
    EXPECT_NEAR(half.x, linearBySrgb(0.5), 1e-4);
    EXPECT_NEAR(encodedBySrgb(half.z), 0.5, 1e-3);
    EXPECT_NEAR(encodedBySrgb(graded(grade, V3d(linearBySrgb(0.25))).z), 0.35, 1e-3);
}

TEST(Grading, StraightColoursAreMeantAndLightWithoutAlphaToo) {
    Grade grade;
    grade.offset = {0.1, 0.1, 0.1};
    expectNear(graded(grade, {0.2, 0.4, 0.6}, 0.25f), {0.3, 0.5, 0.7}, 1e-4);
    expectNear(graded(grade, V3d(0), 0.0f), V3d(0));
    grade = {};
    grade.exposure = 1;
    const auto grading = gradingOf({std::make_shared<const Grade>(grade)});
    float light[4] = {0.5f, 0.25f, 0, 0};
    (*grading)->apply(light, 1);
    EXPECT_NEAR(light[0], 1, 1e-5);
    EXPECT_NEAR(light[1], 0.5, 1e-5);
}

TEST(Looks, CubesAreReadByTetrahedra) {
    // Corners of 2 x 2 x 2, red first; in between by the tetrahedron that red > green > blue chooses.
    const std::string path = written("own.cube", "TITLE \"own\"\nLUT_3D_SIZE 2\n"
                                                 "0 0 0\n0.9 0.1 0\n0 0.8 0.2\n1 1 0\n"
                                                 "0.1 0 1\n0.8 0 0.9\n0 1 1\n1 1 1\n");
    Grade grade = looking(path);
    grade.look.values = scene::Look::Values::Light;
    const double r = 0.75, g = 0.5, b = 0.25;
    const V3d c000(0, 0, 0), c100(0.9, 0.1, 0), c110(1, 1, 0), c111(1, 1, 1);
    const V3d should = c000 * (1 - r) + c100 * (r - g) + c110 * (g - b) + c111 * b;
    expectNear(graded(grade, {r, g, b}), should, 1e-3);
    // Made for values as they are shown.
    grade.look.values = scene::Look::Values::Shown;
    const V3d in(linearBySrgb(r), linearBySrgb(g), linearBySrgb(b));
    const V3d shown(linearBySrgb(should.x), linearBySrgb(should.y), linearBySrgb(should.z));
    expectNear(graded(grade, in), shown, 2e-3);
    // A share of it, mixed as light.
    grade.look.strength = 0.25;
    expectNear(graded(grade, in), in + (shown - in) * 0.25, 2e-3);
    EXPECT_TRUE(partsOf(path)->empty());
}

TEST(Looks, CorrectionsOfAListAreChosenByTheirIds) {
    const auto correction = [](const char* id, const char* slope) {
        return std::string("<ColorCorrection id=\"") + id + "\"><SOPNode><Slope>" + slope +
               "</Slope><Offset>0 0 0</Offset><Power>1 1 1</Power></SOPNode>"
               "<SatNode><Saturation>1</Saturation></SatNode></ColorCorrection>";
    };
    const std::string path = written(
        "list.ccc", "<ColorCorrectionCollection xmlns=\"urn:ASC:CDL:v1.01\">" + correction("dusk", "2 1 1") +
                        correction("dawn", "1 1 3") + "</ColorCorrectionCollection>");
    EXPECT_EQ(*partsOf(path), (std::vector<std::string>{"dusk", "dawn"}));
    Grade dawn = looking(path, "dawn");
    dawn.look.values = scene::Look::Values::Light;
    expectNear(graded(dawn, {0.2, 0.2, 0.2}), {0.2, 0.2, 0.6});
    Grade dusk = dawn;
    dusk.look.part = "";
    expectNear(graded(dusk, {0.2, 0.2, 0.2}), {0.4, 0.2, 0.2});
    const std::string single = written("single.cc", correction("only", "1 5 1")),
                      listed =
                          written("listed.cdl",
                                  "<ColorDecisionList xmlns=\"urn:ASC:CDL:v1.01\">"
                                  "<ColorDecision>" +
                                      correction("first", "4 1 1") + "</ColorDecision><ColorDecision>" +
                                      correction("second", "1 1 4") + "</ColorDecision></ColorDecisionList>");
    for (const auto& [file, part, should] :
         std::vector<std::tuple<std::string, std::string, V3d>>{{single, "", {0.2, 1, 0.2}},
                                                                {listed, "", {0.8, 0.2, 0.2}},
                                                                {listed, "second", {0.2, 0.2, 0.8}}}) {
        Grade other = looking(file, part);
        other.look.values = scene::Look::Values::Light;
        expectNear(graded(other, {0.2, 0.2, 0.2}), should);
    }
    dawn.look.part = "noon";
    EXPECT_NE(refused(dawn).find("list.ccc"), std::string::npos) << refused(dawn);
}

TEST(Looks, AChangedFileIsReadAgain) {
    const auto cube = [](const char* last) {
        return std::string("LUT_3D_SIZE 2\n0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n") + last + "\n";
    };
    Grade grade = looking(written("changing.cube", cube("1 1 1")));
    expectNear(graded(grade, V3d(1)), V3d(1), 1e-3);
    written("changing.cube", cube("0.25 0.25 0.250"));
    expectNear(graded(grade, V3d(1)), V3d(linearBySrgb(0.25)), 1e-3);
}

TEST(Looks, BrokenFilesAreRefusedWithASentence) {
    const std::string cases[] = {
        written("empty.cube", ""),
        written("short.cube", "LUT_3D_SIZE 2\n0 0 0\n"),
        written("huge.cube", "LUT_3D_SIZE 100000\n0 0 0\n"),
        written("words.cube", "LUT_3D_SIZE 2\n" + std::string(8, 'x') + "\n"),
        written("cut.ccc",
                "<ColorCorrectionCollection xmlns=\"urn:ASC:CDL:v1.01\"><ColorCorrection id=\"a\">"),
        written("other.cdl", "<svg/>"),
        written("binary.cdl", std::string("\0\1\2\xff\xfe", 5)),
        written("picture.png", "no look at all"),
        "/tmp/there/is/no/such.cube"};
    for (const std::string& path : cases) {
        const std::string told = refused(looking(path));
        EXPECT_EQ(told.find("The look '" + path + "'"), 0u) << told;
    }
}

TEST(Looks, NumbersThatAreNoneDoNotComeOut) {
    const std::string path = written("wild.cube", "LUT_3D_SIZE 2\n0 0 0\n1e38 0 0\n0 -1e38 0\n1 1e38 0\n"
                                                  "0 0 1\n1 0 1\n0 1 1\n1 1 1\n");
    const auto grading = gradingOf({std::make_shared<const Grade>(looking(path))});
    ASSERT_TRUE(grading) << grading.error().sentence;
    for (const float v : {0.f, 0.3f, 1.f, -5.f, 1e30f, std::numeric_limits<float>::quiet_NaN(),
                          std::numeric_limits<float>::infinity()}) {
        float rgba[8] = {v, v, v, 1, v, 0.5f, v, 0.5f};
        (*grading)->apply(rgba, 2);
        for (const float out : rgba)
            EXPECT_TRUE(std::isfinite(out)) << v;
    }
}

TEST(ViewTransform, ShowsWhatItsConfigurationSays) {
    const test::TempDir dir;
    // A display whose view shows half the light by a gamma of 2, and one that shows it by the curve of sRGB.
    test::writeAll(dir / "config.ocio", R"(ocio_profile_version: 2
roles:
  scene_linear: rec709
  default: rec709
file_rules:
  - !<Rule> {name: Default, colorspace: default}
displays:
  screen:
    - !<View> {name: half, colorspace: gamma2half}
    - !<View> {name: plain, colorspace: gamma2}
active_displays: []
active_views: []
colorspaces:
  - !<ColorSpace>
    name: rec709
  - !<ColorSpace>
    name: gamma2
    from_scene_reference: !<ExponentTransform> {value: 2, direction: inverse}
  - !<ColorSpace>
    name: gamma2half
    from_scene_reference: !<GroupTransform>
      children:
        - !<MatrixTransform> {matrix: [0.5, 0, 0, 0, 0, 0.5, 0, 0, 0, 0, 0.5, 0, 0, 0, 0, 1]}
        - !<ExponentTransform> {value: 2, direction: inverse}
)");
    scene::ViewTransform view;
    view.config = (dir / "config.ocio").string();
    const auto shown = [&](double light) {
        const auto grading = gradingOf({}, view);
        EXPECT_TRUE(grading) << grading.error().sentence;
        float rgba[4] = {static_cast<float>(light), 0.f, static_cast<float>(2 * light), 1.f};
        if (grading) (*grading)->apply(rgba, 1);
        EXPECT_NEAR(encodedBySrgb(static_cast<double>(rgba[2])),
                    encodedBySrgb(static_cast<double>(rgba[0])) * std::sqrt(2), 1e-3);
        return encodedBySrgb(static_cast<double>(rgba[0]));
    };
    EXPECT_NEAR(shown(0.3), std::sqrt(0.15), 1e-3) << "the first view of the first display";
    view.display = "screen", view.view = "plain";
    EXPECT_NEAR(shown(0.3), std::sqrt(0.3), 1e-3);
    const auto views = viewsOf(view.config);
    ASSERT_TRUE(views) << views.error().sentence;
    ASSERT_EQ(views->displays.size(), 1u);
    EXPECT_EQ(views->displays[0].views, (std::vector<std::string>{"half", "plain"}));
    EXPECT_EQ(views->spaces.size(), 3u);
}

TEST(ViewTransform, TellsWhatIsWrong) {
    const test::TempDir dir;
    test::writeAll(dir / "broken.ocio", "ocio_profile_version: 2\nroles: [");
    scene::ViewTransform view;
    for (const std::string& path :
         {(dir / "broken.ocio").string(), (dir / "none.ocio").string(), dir.path().string()}) {
        view.config = path;
        const auto grading = gradingOf({}, view);
        ASSERT_FALSE(grading);
        EXPECT_NE(grading.error().sentence.find(path), std::string::npos) << grading.error().sentence;
        EXPECT_FALSE(viewsOf(path));
    }
}

}
