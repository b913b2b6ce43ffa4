// Memory of pictures: whatever was taken is one's own, of every size, from any thread.
#include "media/buffer_pool.h"

#include <cstring>
#include <gtest/gtest.h>
#include <random>
#include <thread>
#include <vector>

namespace {

using namespace stage;

/// A buffer that is filled with its mark.
struct Marked {
    unsigned char* at;
    std::size_t bytes;
    unsigned char mark;

    Marked(std::size_t size, unsigned char with)
        : at(static_cast<unsigned char*>(media::takeBuffer(size))), bytes(size), mark(with) {
        std::memset(at, mark, bytes);
    }
    bool whole() const { return at[0] == mark && std::memcmp(at, at + 1, bytes - 1) == 0; }
    void giveBack() const { media::returnBuffer(at, bytes); }
};

/// Takes and gives back in any order; how many were changed by others meanwhile.
int changed(unsigned seed, int rounds) {
    std::mt19937 random(seed);
    std::vector<Marked> held;
    int count = 0;
    const auto giveBack = [&](std::size_t i) {
        count += !held[i].whole();
        held[i].giveBack();
        held[i] = held.back();
        held.pop_back();
    };
    for (int round = 0; round < rounds; ++round) {
        // From what the system gives by itself to more than a large page, and the limits between them.
        constexpr std::size_t limits[] = {1,         64 << 10, (64 << 10) + 1, 80 << 10,
                                          512 << 10, 1 << 20,  2 << 20,        (2 << 20) + 1};
        const std::size_t bytes =
            round % 4 == 0 ? limits[random() % std::size(limits)] : 1 + random() % (700 << 10);
        held.emplace_back(bytes, static_cast<unsigned char>(random()));
        if (held.size() > 40) giveBack(random() % held.size());
    }
    while (!held.empty())
        giveBack(random() % held.size());
    return count;
}

TEST(BufferPool, BuffersOfAllSizesAreTheirTakersAlone) {
    EXPECT_EQ(changed(1, 600), 0);
}

TEST(BufferPool, ThreadsTakeAndGiveBackAtTheSameTime) {
    int counts[3] = {-1, -1, -1};
    std::vector<std::thread> threads;
    for (unsigned n = 0; n < 3; ++n)
        threads.emplace_back([n, &counts] { counts[n] = changed(n + 2, 300); });
    for (std::thread& thread : threads)
        thread.join();
    for (const int count : counts)
        EXPECT_EQ(count, 0);
}

TEST(BufferPool, OneThreadGivesBackWhatAnotherTook) {
    std::vector<Marked> taken;
    std::thread([&] {
        for (unsigned char i = 0; i < 50; ++i)
            taken.emplace_back(std::size_t{100000} + 1000 * i, i);
    }).join();
    for (const Marked& one : taken) {
        EXPECT_TRUE(one.whole());
        one.giveBack();
    }
    EXPECT_EQ(changed(9, 100), 0);
}

TEST(BufferPool, WhatWasGivenBackIsTakenAgain) {
    const std::size_t bytes = 256 * 256 * 8;
    void* const first = media::takeBuffer(bytes);
    std::memset(first, 7, bytes);
    media::returnBuffer(first, bytes);
#ifndef __SANITIZE_ADDRESS__ // gives each its own, to see what is used too late
    void* const again = media::takeBuffer(bytes - 8);
    EXPECT_EQ(again, first);
    media::returnBuffer(again, bytes - 8);
#endif
}

}
