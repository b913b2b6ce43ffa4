// Choosing what comes in, and the time of what has come.
#include "desk/kit/number_field.h"
#include "desk_fixture.h"

#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QTimer>
#include <QTreeWidget>

namespace stage::desk {
namespace {

using test::Rgba8;

class BringingIn : public Desk {
protected:
    /// Works in the dialog once it is there, then accepts it.
    void inDialog(std::function<void(QTreeWidget&, QDialog&)> work) {
        auto* wait = new QTimer(&window);
        connect(wait, [this, wait, work] {
            auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
            auto* tree = dialog ? dialog->findChild<QTreeWidget*>(QStringLiteral("offered")) : nullptr;
            if (!tree) return;
            wait->deleteLater();
            worked = true;
            work(*tree, *dialog);
            dialog->accept();
        });
        wait->start(50);
    }
    static void connect(QTimer* timer, std::function<void()> run) {
        QObject::connect(timer, &QTimer::timeout, timer, std::move(run));
    }
    bool offer(const std::vector<std::string>& names) {
        std::vector<std::filesystem::path> files;
        for (const auto& name : names)
            files.push_back(dir / name);
        QSignalSpy in(&window.media(), &MediaFiles::broughtIn);
        window.media().offer(files);
        return (!in.isEmpty() || in.wait(20000)) && in.at(0).at(0).toBool();
    }
    bool worked = false;
};

TEST_F(BringingIn, OnlyTheLayersTicked) {
    const auto red = [](int, int) { return Rgba8{200, 0, 0}; };
    test::writeOra(
        dir / "o.ora",
        R"xml(<?xml version="1.0"?><image version="0.0.3" w="20" h="10"><stack><layer name="Top" src="data/a.png"/>
                   <layer name="Middle" src="data/b.png"/><layer name="Low" src="data/c.png"/></stack></image>)xml",
        {test::pngMember("data/a.png", {20, 10}, red), test::pngMember("data/b.png", {20, 10}, red),
         test::pngMember("data/c.png", {20, 10}, red), test::pngMember("mergedimage.png", {20, 10}, red)});
    inDialog([&](QTreeWidget& tree, QDialog& dialog) {
        ASSERT_EQ(tree.topLevelItem(0)->childCount(), 3);
        EXPECT_EQ(tree.topLevelItem(0)->child(0)->text(0), QStringLiteral("Top"));
        // its picture appears by itself
        EXPECT_TRUE(QTest::qWaitFor(
            [&] {
                const QImage image = tree.topLevelItem(0)->child(0)->icon(0).pixmap(48, 48).toImage();
                return qRed(image.pixel(image.width() / 2, image.height() / 2)) > 150;
            },
            10000));
        tree.topLevelItem(0)->child(1)->setCheckState(0, Qt::Unchecked);
        dialog.findChild<QComboBox*>()->setCurrentIndex(1);
    });
    ASSERT_TRUE(offer({"o.ora"}));
    EXPECT_TRUE(worked);
    ASSERT_EQ(scene().layers.size(), 1u);
    const scene::Group* group = scene().layers[0]->group();
    ASSERT_TRUE(group);
    ASSERT_EQ(group->children.size(), 2u);
    EXPECT_EQ(group->children[0]->name, "Low");
    EXPECT_EQ(group->children[1]->name, "Top");
}

TEST_F(BringingIn, NumberedPicturesAsAClipWhoseTimeIsSetAtTheSide) {
    for (int n = 1; n <= 8; ++n)
        test::writePicture(dir / ("rain.0" + std::to_string(n) + ".png"), {16, 16}, [&](int, int) {
            return Rgba8{n * 20, 0, 0};
        });
    inDialog([](QTreeWidget& tree, QDialog&) {
        ASSERT_EQ(tree.topLevelItem(0)->childCount(), 1);
        tree.topLevelItem(0)->child(0)->setCheckState(0, Qt::Checked);
    });
    ASSERT_TRUE(offer({"rain.03.png"}));
    ASSERT_EQ(scene().layers.size(), 1u);
    const auto footage = [&] { return std::get<scene::Footage>(scene().layers[0]->content); };
    EXPECT_EQ(footage().frames, 8);
    EXPECT_EQ(footage().number, 1);
    session().selection.select({scene().layers[0]->id});
    const auto type = [&](const char* name, const char* text) {
        NumberField* number = nullptr;
        for (NumberField* each : window.findChildren<NumberField*>())
            if (each->isVisibleTo(&window) && each->accessibleName() == QLatin1String(name)) number = each;
        ASSERT_TRUE(number) << name;
        number->setFocus();
        number->selectAll();
        QTest::keyClicks(number, QLatin1String(text));
        QTest::keyClick(number, Qt::Key_Return);
    };
    type("In", "2");
    type("Out", "5");
    type("Speed", "-50");
    type("Starts at", "12");
    EXPECT_EQ(footage().in, 2);
    EXPECT_EQ(footage().out, 6);
    EXPECT_EQ(footage().speed, Rational(-1, 2));
    EXPECT_EQ(footage().start, Rational(1, 2));
    // speed that changes: keys where it is set
    const auto box = [&](const char* text) {
        for (QCheckBox* each : window.findChildren<QCheckBox*>())
            if (each->text() == QLatin1String(text)) return each;
        return static_cast<QCheckBox*>(nullptr);
    };
    session().playhead.setFrame(12);
    box("Speed changes")->click();
    session().playhead.setFrame(24);
    type("Speed", "150");
    ASSERT_EQ(footage().speeds.size(), 2u);
    EXPECT_EQ(footage().speeds[0].time, Rational(0));
    EXPECT_EQ(footage().speeds[0].value, -0.5);
    EXPECT_EQ(footage().speeds[1].time, Rational(1, 2));
    EXPECT_EQ(footage().speeds[1].value, 1.5);
    box("Speed changes")->click();
    EXPECT_TRUE(footage().speeds.empty());
    QCheckBox* freeze = box("Freeze");
    ASSERT_TRUE(freeze);
    session().playhead.setFrame(14); // one frame after it began to run backwards from 5
    freeze->click();
    EXPECT_EQ(footage().freeze, 4);
    freeze->click();
    EXPECT_FALSE(footage().freeze);
}

TEST_F(BringingIn, APictureFromTheClipboardIsKept) {
    QImage image(12, 8, QImage::Format_ARGB32);
    image.fill(QColor(10, 200, 30));
    QGuiApplication::clipboard()->setImage(image);
    QSignalSpy in(&window.media(), &MediaFiles::broughtIn);
    window.clipboard().paste();
    ASSERT_TRUE(!in.isEmpty() || in.wait(20000));
    ASSERT_EQ(scene().layers.size(), 1u);
    EXPECT_EQ(scene().layers[0]->pixels, V2i(12, 8));
    const auto file = std::get<scene::Picture>(scene().layers[0]->content).media.path;
    EXPECT_TRUE(std::filesystem::exists(file));
    QGuiApplication::clipboard()->clear();
    window.clipboard().paste(); // nothing there: says so, changes nothing
    EXPECT_EQ(scene().layers.size(), 1u);
}

TEST_F(BringingIn, PlainPicturesComeWithoutAQuestion) {
    test::writePicture(dir / "a.png", {16, 16}, [](int, int) { return Rgba8{}; });
    ASSERT_TRUE(offer({"a.png"}));
    EXPECT_EQ(scene().layers.size(), 1u);
}

}
}
