// Work on other threads, and the way back.
#include "desk/jobs/workers.h"

#include <QTest>
#include <gtest/gtest.h>
#include <memory>
#include <thread>

namespace stage::desk {
namespace {

TEST(Workers, WorkRunsElsewhereAndItsCallComesBack) {
    const auto here = std::this_thread::get_id();
    std::thread::id worked, called;
    bool done = false;
    onWorker([&] {
        worked = std::this_thread::get_id();
        onInterface([&] {
            called = std::this_thread::get_id();
            done = true;
        });
    });
    ASSERT_TRUE(QTest::qWaitFor([&] { return done; }));
    EXPECT_NE(worked, here);
    EXPECT_EQ(called, here);
}

TEST(Workers, CallsComeInTheirOrder) {
    std::vector<int> came;
    for (int i = 0; i < 100; ++i)
        onInterface([&came, i] { came.push_back(i); });
    EXPECT_TRUE(came.empty()); // after what is done now
    ASSERT_TRUE(QTest::qWaitFor([&] { return came.size() == 100; }));
    EXPECT_TRUE(std::is_sorted(came.begin(), came.end()));
}

TEST(Workers, WhatWorkHoldsGoesWithIt) {
    auto held = std::make_shared<int>(7);
    const std::weak_ptr<int> watch = held;
    int got = 0;
    onWorker([held = std::move(held), &got] { got = *held; });
    workers().waitForDone();
    EXPECT_EQ(got, 7);
    EXPECT_TRUE(watch.expired());
}

}
}
