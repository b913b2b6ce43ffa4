// Cutting out with the hand, in the real window.
#include "desk/cutting/cut_picture.h"
#include "desk/cutting/cut_view.h"
#include "desk/kit/number_field.h"
#include "desk_fixture.h"
#include "motion/frame.h"
#include "render/render.h"
#include "support/photographs.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <cmath>

namespace stage::desk {
namespace {

using test::Rgba8;

class Cutting : public Desk {
protected:
    void bring(V2i size, const test::Paint& paint) {
        test::writePicture(dir / "photo.png", size, paint);
        ASSERT_TRUE(drop({"photo.png"}));
        window.views().setCutting(true);
        ASSERT_TRUE(QTest::qWaitFor([&] { return cut().isVisible() && cut().width() > 300; }));
        cut().fit();
        ASSERT_TRUE(settled());
    }
    CutView& cut() { return *window.views().cut; }
    bool settled() {
        QApplication::processEvents();
        return QTest::qWaitFor([&] { return !cut().working(); }, 60000);
    }
    void stroke(const std::vector<V2d>& places, Qt::KeyboardModifiers keys = Qt::NoModifier) {
        QTest::mousePress(&cut(), Qt::LeftButton, keys, cut().toView(places[0]).toPoint());
        for (std::size_t i = 1; i < places.size(); ++i) {
            const QPointF at = cut().toView(places[i]);
            QMouseEvent move(QEvent::MouseMove, at, cut().mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                             keys);
            QApplication::sendEvent(&cut(), &move);
        }
        QTest::mouseRelease(&cut(), Qt::LeftButton, keys, cut().toView(places.back()).toPoint());
    }
    void click(const V2d& place, Qt::KeyboardModifiers keys = Qt::NoModifier) {
        QTest::mouseClick(&cut(), Qt::LeftButton, keys, cut().toView(place).toPoint());
    }
    const scene::Cutout& made(std::size_t layer = 0) {
        static const scene::Cutout none;
        const auto& cutout = scene().layers.at(layer)->cutout;
        return cutout ? *cutout : none;
    }
    double alphaAt(const V2d& place) {
        const auto pixels = motion::pixelsAt(scene(), scene().layers[0], session().playhead.time());
        CutPictureRequest request{pixels, session().sharedSources(), 2, 1,
                                  QRectF(place.x - 1, place.y - 1, 2, 2)};
        const auto picture = cutPicture(request, {});
        if (!picture) return -1;
        const int x = static_cast<int>(place.x - picture->place.left()),
                  y = static_cast<int>(place.y - picture->place.top());
        return qRed(picture->image.pixel(x, y)) / 255.0;
    }
    static Rgba8 twoColours(int x, int y) {
        const bool disc = std::hypot(x - 200, y - 130) < 70;
        const int grain = (x * 7 + y * 13) % 17;
        return disc ? Rgba8{200 + grain, 90 + grain, 40} : Rgba8{40 + grain, 70 + grain, 120 + grain};
    }
};

TEST_F(Cutting, ALoopFindsTheThingAndStrokesCorrectIt) {
    bring({400, 260}, twoColours);
    std::vector<V2d> loop;
    for (int i = 0; i <= 40; ++i)
        loop.emplace_back(200 + 92 * std::cos(i * 0.157), 130 + 88 * std::sin(i * 0.157));
    cut().setTool(CutView::Tool::Loop);
    stroke(loop);
    ASSERT_TRUE(settled());
    ASSERT_EQ(made().mattes.size(), 1u);
    EXPECT_TRUE(std::holds_alternative<scene::Subject>(made().mattes[0].shape));
    EXPECT_GT(alphaAt({200, 130}), 0.98);
    EXPECT_LT(alphaAt({200, 50}), 0.02);
    EXPECT_LT(alphaAt({30, 30}), 0.02);
    EXPECT_EQ(cut().matte(), 0);
    // With Alt, what does not belong; it becomes a hint of the same matte.
    cut().setTool(CutView::Tool::Brush);
    cut().setBrushSize(30);
    stroke({{150, 130}, {180, 130}}, Qt::AltModifier);
    ASSERT_TRUE(settled());
    ASSERT_EQ(made().mattes.size(), 1u);
    const auto& subject = std::get<scene::Subject>(made().mattes[0].shape);
    ASSERT_EQ(subject.hints.size(), 1u);
    EXPECT_TRUE(subject.hints[0].erase);
    EXPECT_LT(alphaAt({165, 130}), 0.1);
    session().document.undo();
    session().document.undo();
    EXPECT_FALSE(scene().layers[0]->cutout);
}

TEST_F(Cutting, OutlinesAreClickedBentAndMoved) {
    bring({400, 260}, twoColours);
    cut().setTool(CutView::Tool::Outline);
    click({100, 50});
    click({300, 60});
    stroke({{300, 200}, {260, 210}, {250, 220}}); // dragged: a curve
    click({100, 210});
    click({100, 50}); // closes
    ASSERT_TRUE(settled());
    ASSERT_EQ(made().mattes.size(), 1u);
    const auto points = [&] { return std::get<scene::Outline>(made().mattes[0].shape).points.value; };
    ASSERT_EQ(points().size(), 4u);
    EXPECT_EQ(points()[1].out, V2d(0));
    EXPECT_LT(points()[2].out.x, -20);
    EXPECT_NEAR(points()[2].in.x, -points()[2].out.x, 1e-6);
    EXPECT_GT(alphaAt({200, 130}), 0.98);
    EXPECT_LT(alphaAt({350, 130}), 0.02);
    const std::size_t step = session().document.history().step();
    stroke({{300, 60}, {330, 70}, {360, 80}});
    EXPECT_NEAR(points()[1].place.x, 360, 2);
    EXPECT_EQ(session().document.history().step(), step + 1); // one drag, one step
    // a double click on a straight side adds a corner there, and begins nothing new
    const QPoint side = cut().toView({100, 130}).toPoint();
    QTest::mouseClick(&cut(), Qt::LeftButton, Qt::NoModifier, side);
    QTest::mouseDClick(&cut(), Qt::LeftButton, Qt::NoModifier, side);
    ASSERT_EQ(points().size(), 5u);
    EXPECT_NEAR(points()[4].place.y, 130, 6);
    EXPECT_EQ(points()[4].in, V2d(0));
    QTest::keyClick(&cut(), Qt::Key_Return);
    EXPECT_EQ(made().mattes.size(), 1u);
    ASSERT_TRUE(settled());
    EXPECT_GT(alphaAt({320, 110}), 0.9);
}

TEST_F(Cutting, ShapesKeysAndTheirNumbers) {
    bring({400, 260}, twoColours);
    cut().setTool(CutView::Tool::Rectangle);
    stroke({{50, 50}, {150, 100}, {250, 150}});
    cut().setTool(CutView::Tool::Ellipse);
    stroke({{300, 180}, {340, 200}, {380, 240}});
    ASSERT_EQ(made().mattes.size(), 2u);
    const auto area = std::get<scene::Rectangle>(made().mattes[0].shape).area.value;
    EXPECT_NEAR(area.centre.x, 150, 1.5);
    EXPECT_NEAR(area.size.y, 100, 2);
    cut().setMatte(0);
    // numbers at the side
    const auto field = [&](const char* name) -> NumberField* {
        for (NumberField* each : window.findChildren<NumberField*>())
            if (each->isVisible() && each->accessibleName() == QLatin1String(name)) return each;
        return nullptr;
    };
    const auto type = [&](const char* name, const char* text) {
        NumberField* number = field(name);
        ASSERT_TRUE(number) << name;
        number->setFocus();
        number->selectAll();
        QTest::keyClicks(number, QLatin1String(text));
        QTest::keyClick(number, Qt::Key_Return);
    };
    type("Feather", "6");
    EXPECT_EQ(made().mattes[0].feather.value, 6);
    type("Grow", "-1.5");
    EXPECT_EQ(made().mattes[0].grow.value, -1.5);
    type("Choke", "2");
    EXPECT_EQ(made().edges.choke, 2);
    // in time: a key here, another where the shape is moved
    QCheckBox* moves = nullptr;
    for (QCheckBox* box : window.findChildren<QCheckBox*>())
        if (box->isVisible() && box->text() == QStringLiteral("Moves in time")) moves = box;
    ASSERT_TRUE(moves);
    moves->click();
    session().playhead.setFrame(24);
    cut().setTool(CutView::Tool::Rectangle);
    stroke({{150, 100}, {170, 110}, {190, 120}});
    const auto keys = std::get<scene::Rectangle>(made().mattes[0].shape).area.keys;
    ASSERT_EQ(keys.size(), 2u);
    type("Feather", "9");
    ASSERT_EQ(made().mattes[0].feather.keys.size(), 2u);
    EXPECT_EQ(made().mattes[0].feather.keys[1].value, 9);
    EXPECT_EQ(made().mattes[0].feather.keys[0].value, 6);
    EXPECT_EQ(keys[1].time, Rational(1));
    EXPECT_NEAR(keys[1].value.centre.x, 190, 2);
    EXPECT_NEAR(keys[0].value.centre.x, 150, 2);
    QApplication::processEvents();
    QListWidget* list = nullptr;
    for (QListWidget* each : window.findChildren<QListWidget*>())
        if (each->isVisible()) list = each;
    ASSERT_TRUE(list);
    ASSERT_EQ(list->count(), 2);
    list->item(1)->setCheckState(Qt::Unchecked);
    EXPECT_FALSE(made().mattes[1].on);
}

TEST_F(Cutting, ColoursArePickedForMattesAndKeys) {
    bring({400, 260}, twoColours);
    cut().setTool(CutView::Tool::Alike);
    click({200, 130});
    ASSERT_TRUE(QTest::qWaitFor([this] { return made().mattes.size() == 1; }));
    EXPECT_TRUE(std::holds_alternative<scene::Alike>(made().mattes[0].shape));
    ASSERT_TRUE(settled());
    EXPECT_GT(alphaAt({200, 130}), 0.98);
    EXPECT_LT(alphaAt({50, 50}), 0.02);
    session().document.undo();
    QComboBox* by = nullptr;
    for (QComboBox* box : window.findChildren<QComboBox*>())
        if (box->isVisible() && box->accessibleName() == QStringLiteral("By")) by = box;
    ASSERT_TRUE(by);
    by->setCurrentIndex(1);
    Q_EMIT by->activated(1);
    QPushButton* pick = nullptr;
    QApplication::processEvents();
    for (QPushButton* button : window.findChildren<QPushButton*>())
        if (button->isVisible() && button->accessibleName() == QStringLiteral("Screen")) pick = button;
    ASSERT_TRUE(pick);
    pick->click();
    click({30, 30});
    EXPECT_TRUE(QTest::qWaitFor([this] {
        const auto& screen = std::get<scene::ColourKey>(made().key.value()).screen;
        return screen.b > screen.r * 2;
    }));
}

TEST_F(Cutting, HolesAreFilledAndCloned) {
    bring({300, 200}, [](int x, int y) { return Rgba8{(x * 5) % 90 + 60, (y * 9) % 70 + 60, 80}; });
    cut().setTool(CutView::Tool::Fill);
    stroke({{100, 80}, {140, 80}, {140, 120}, {100, 120}, {100, 82}});
    ASSERT_EQ(made().fills.size(), 1u);
    ASSERT_TRUE(settled());
    cut().setTool(CutView::Tool::Clone);
    cut().setBrushSize(20);
    click({50, 50}, Qt::AltModifier);
    stroke({{200, 150}, {205, 150}, {210, 150}});
    ASSERT_EQ(made().clones.size(), 1u);
    EXPECT_NEAR(made().clones[0].from.x, -150, 1.5);
    EXPECT_NEAR(made().clones[0].from.y, -100, 1.5);
    ASSERT_TRUE(settled());
}

/// The first chapter of the guide: from one photograph to a staged move of three layers.
TEST_F(Cutting, APhotographBecomesThreeLayersInAFewActions) {
    const auto photo = test::photographs({600, 400})[0];
    test::writePicture(dir / "photo.png", photo.picture.size, [&](int x, int y) {
        const Imath::half* p = photo.picture.row(y) + 4 * x;
        const auto byte = [](float v) {
            return static_cast<int>(std::lround(255 * media::srgbFromLinear(v)));
        };
        return Rgba8{byte(p[0]), byte(p[1]), byte(p[2])};
    });
    int actions = 0;
    ASSERT_TRUE(drop({"photo.png"}));
    ++actions;
    const auto render = [&] {
        const auto frame = motion::evaluate(scene(), Rational(0), {600, 400});
        return *render::render(frame, {}, session().sources());
    };
    const render::Image before = render();
    for (QAction* action : window.findChildren<QAction*>())
        if (action->text() == QStringLiteral("Split a photograph…")) action->trigger();
    ++actions;
    ASSERT_TRUE(cut().splitting());
    ASSERT_TRUE(QTest::qWaitFor([&] { return cut().isVisible() && cut().width() > 300; }));
    cut().fit();
    stroke(photo.nearLoop);
    QTest::keyClick(&cut(), Qt::Key_Return);
    stroke(photo.middleLoop);
    auto* split = window.findChild<QPushButton*>(QStringLiteral("guideNext"));
    ASSERT_TRUE(split && split->isVisible());
    split->click();
    actions += 4;
    ASSERT_TRUE(settled());
    ASSERT_EQ(scene().layers.size(), 3u);
    EXPECT_FALSE(cut().splitting());
    EXPECT_EQ(scene().layers[2]->name, "photo near");
    EXPECT_LT(optics::depthOf(scene(), scene::find(scene(), scene().layers[2]->id)),
              optics::depthOf(scene(), scene::find(scene(), scene().layers[0]->id)));
    // nothing seems to have happened
    const render::Image after = render();
    double sum = 0;
    for (std::size_t i = 0; i < after.rgba.size(); ++i)
        sum += i % 4 == 3 ? 0
                          : std::pow(255 * (media::srgbFromLinear(after.rgba[i]) -
                                            media::srgbFromLinear(before.rgba[i])),
                                     2);
    EXPECT_GT(10 * std::log10(255 * 255 / (sum / (600.0 * 400 * 3))), 30);
    // a move: two marks
    window.views().setCutting(false);
    QTest::keyClick(&window, Qt::Key_K);
    session().playhead.setFrame(96);
    window.views().camera->setTool(CameraView::Tool::Walk);
    drag(window.views().camera, inCamera(300, 200), inCamera(260, 200), Qt::ShiftModifier);
    session().camera.setMarkOffMove();
    actions += 4;
    EXPECT_EQ(scene().camera.marks.size(), 2u);
    EXPECT_LT(actions, 30);
    // the near layer travels more than the far one
    const auto centre = [&](const scene::LayerPtr& layer, const Rational& time) {
        const auto frame = motion::evaluate(scene(), time, {600, 400});
        return optics::project(frame.view, optics::surfaceOf(*layer, {}).centre())->x;
    };
    const auto travel = [&](std::size_t n) {
        return std::abs(centre(scene().layers[n], Rational(4)) - centre(scene().layers[n], Rational(0)));
    };
    EXPECT_GT(travel(2), 2 * travel(0));
    while (session().document.history().canUndo())
        session().document.undo();
    EXPECT_TRUE(scene().layers.empty());
}

}
}
