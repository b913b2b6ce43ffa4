// Questions that are not answered by accident.
#include "desk/kit/question.h"

#include <QApplication>
#include <QPushButton>
#include <QTest>
#include <QTimer>
#include <gtest/gtest.h>

namespace stage::desk {
namespace {

QPushButton* focused() {
    return qobject_cast<QPushButton*>(QApplication::focusWidget());
}

/// As a key comes from the window system: it waits until the interface thread has time for it.
void queueSpace() {
    for (const QEvent::Type type : {QEvent::KeyPress, QEvent::KeyRelease})
        QCoreApplication::postEvent(focused(),
                                    new QKeyEvent(type, Qt::Key_Space, Qt::NoModifier, QStringLiteral(" ")));
}

TEST(Question, KeysThatWereOnTheirWayDoNotAnswerIt) {
    bool early = false, late = false;
    QTimer::singleShot(200, [&] {
        ASSERT_TRUE(focused());
        QTest::keyClick(focused(), Qt::Key_Space);
        early = QApplication::activeModalWidget() == nullptr;
        // Pressed while the interface thread is busy, until after keys count.
        queueSpace();
        QTest::qSleep(1000);
    });
    QTimer::singleShot(1600, [&] {
        late = QApplication::activeModalWidget() == nullptr;
        if (late) return;
        ASSERT_TRUE(focused());
        QTest::keyClick(focused(), Qt::Key_Tab);
        ASSERT_TRUE(focused());
        QTest::keyClick(focused(), Qt::Key_Space);
    });
    const int answer = ask(nullptr, QStringLiteral("Unsaved changes"), QStringLiteral("Save them?"),
                           {QStringLiteral("Save"), QStringLiteral("Discard"), QStringLiteral("Cancel")});
    EXPECT_FALSE(early);
    EXPECT_FALSE(late);
    EXPECT_EQ(answer, 1);
}

TEST(Question, WhatIsClosedChangesNothing) {
    QTimer::singleShot(100, [] { QApplication::activeModalWidget()->close(); });
    EXPECT_EQ(ask(nullptr, QStringLiteral("Unsaved changes"), QStringLiteral("Save them?"),
                  {QStringLiteral("Save"), QStringLiteral("Discard"), QStringLiteral("Cancel")}),
              2);
}

}
}
