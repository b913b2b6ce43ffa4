// A desk on which two pictures are staged: one behind at 24 m, and one with a thing in its middle at 10 m.
#pragma once

#include "desk/kit/number_field.h"
#include "desk_fixture.h"
#include "optics/placing.h"

#include <QDialog>
#include <QTimer>
#include <functional>

namespace stage::desk {

using test::Rgba8;

class Staged : public Desk {
protected:
    void SetUp() override {
        test::writePicture(dir / "back.png", {192, 108}, [](int x, int) { return Rgba8{x, 80, 120}; });
        test::writePicture(dir / "front.png", {192, 108}, [](int x, int y) {
            return Rgba8{250, 200, 60, x > 60 && x < 130 && y > 30 && y < 80 ? 255 : 0};
        });
        ASSERT_TRUE(drop({"back.png", "front.png"}));
        ASSERT_TRUE(session().document.apply({{"edit", "push"}, {"layers", {"back"}}, {"depth", 24}}));
        session().selection.select({});
        back = scene().layers[0]->id;
        front = scene().layers[1]->id;
        // so that the views know the layers' pixels
        const auto known = [&](int n) {
            return !session()
                        .swatches()
                        .of(scene(), scene().layers[static_cast<std::size_t>(n)])
                        .cover.isNull();
        };
        ASSERT_TRUE(QTest::qWaitFor([&] { return known(0) && known(1); }, 20000));
    }
    double depth(std::int64_t id) { return optics::depthOf(scene(), scene::find(scene(), id)); }
    NumberField* field(const char* name) {
        for (NumberField* f : window.findChildren<NumberField*>())
            if (f->isVisible() && f->accessibleName() == QLatin1String(name)) return f;
        return nullptr;
    }
    void type(const char* name, const char* text) {
        NumberField* f = field(name);
        ASSERT_TRUE(f) << name;
        f->setFocus();
        f->selectAll();
        QTest::keyClicks(f, text);
        QTest::keyClick(f, Qt::Key_Return);
    }
    /// Runs a command by its name in the settings.
    void run(const char* command) {
        QAction* action = window.commands().find(QLatin1String(command));
        ASSERT_TRUE(action) << command;
        action->trigger();
    }
    /// The same, with hands in the dialog that it opens.
    void run(const char* command, std::function<void(QDialog*)> hands) {
        bool opened = false;
        QTimer::singleShot(150, &window, [&opened, hands = std::move(hands)] {
            auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
            if (!dialog) return;
            opened = true;
            hands(dialog);
        });
        run(command);
        EXPECT_TRUE(opened) << command;
    }
    const scene::Layer& layer(std::int64_t id) { return *scene::find(scene(), id).layer; }
    std::int64_t back = 0, front = 0;
};

}
