// What is kept in the cache folder between runs.
#include "media/cache_folder.h"
#include "media/content.h"
#include "media/file_state.h"
#include "media/kept_files.h"
#include "media/pixel_cache.h"
#include "media/stored_pyramid.h"
#include "support/support.h"

#include <chrono>
#include <fcntl.h>
#include <fstream>
#include <gtest/gtest.h>
#include <random>
#include <sys/mount.h>
#include <thread>
#include <unistd.h>

namespace stage::media {
namespace {

namespace fs = std::filesystem;
using test::Rgba8;
using test::TempDir;

const fs::path kept = cacheFolder() / "kept";

std::vector<fs::path> filesKept() {
    std::error_code code;
    std::vector<fs::path> files;
    for (const auto& each : fs::directory_iterator(kept, code))
        files.push_back(each.path());
    return files;
}

/// Each test begins with nothing kept.
struct Kept : testing::Test {
    Kept() {
        for (const fs::path& file : filesKept())
            fs::remove(file);
    }
    ~Kept() override { setKeptFilesBudget(0); }
};
using StoredPyramids = Kept;
using KeptFiles = Kept;
using ContentKeys = Kept;

/// Noise in the middle, clear around it.
Raster noisy(V2i size) {
    Raster out(size);
    std::mt19937 random(7);
    for (int y = size.y / 4; y < size.y * 3 / 4; ++y)
        for (int x = size.x / 4; x < size.x * 3 / 4; ++x)
            for (int c = 0; c < 4; ++c)
                out.row(y)[4 * x + c] = static_cast<float>(random() % 1000) / 1000.f;
    return out;
}

TEST_F(StoredPyramids, GiveEveryTileBack) {
    for (const V2i& size : {V2i(1, 1), V2i(256, 256), V2i(257, 255), V2i(1300, 700), V2i(3, 900)}) {
        const auto pyramid = makePyramid(noisy(size));
        ASSERT_TRUE(store("noise", *pyramid));
        const auto stored = StoredPyramid::open("noise", size);
        ASSERT_TRUE(stored);
        for (std::size_t level = 0; level < pyramid->levels.size(); ++level)
            for (std::size_t i = 0; i < pyramid->levels[level].tiles.size(); ++i) {
                const auto tile = stored->tile(static_cast<int>(level), i);
                ASSERT_TRUE(tile);
                const Tile& wanted = *pyramid->levels[level].tiles[i];
                ASSERT_EQ((*tile)->size, wanted.size);
                ASSERT_EQ((*tile)->rgba, wanted.rgba) << size << level << ' ' << i;
                ASSERT_EQ((*tile)->clear, wanted.clear);
            }
        EXPECT_FALSE(StoredPyramid::open("noise", size + V2i(1, 0))) << "another size";
        EXPECT_FALSE(StoredPyramid::open("silence", size));
    }
}

TEST_F(StoredPyramids, StripsGiveTheSameAsAWhole) {
    for (const V2i& size : {V2i(700, 513), V2i(1, 300), V2i(300, 1)}) {
        const Raster base = noisy(size);
        const auto stored = storeStrips("strips", "noise", size, [&](const TakeStrip& take) -> Result<void> {
            for (int y = 0; y < size.y; y += 37) {
                Raster strip(V2i(size.x, std::min(37, size.y - y)));
                std::copy_n(base.row(y), strip.rgba.size(), strip.rgba.data());
                EXPECT_TRUE(take(y, strip));
            }
            return {};
        });
        ASSERT_TRUE(stored) << stored.error().sentence;
        const auto pyramid = makePyramid(base);
        for (std::size_t level = 0; level < pyramid->levels.size(); ++level)
            for (std::size_t i = 0; i < pyramid->levels[level].tiles.size(); ++i)
                ASSERT_EQ((*(*stored)->tile(static_cast<int>(level), i))->rgba,
                          pyramid->levels[level].tiles[i]->rgba)
                    << size << level << ' ' << i;
    }
}

TEST_F(StoredPyramids, AnotherSizeIsTold) {
    const auto stored =
        storeStrips("strips", "The wall", {64, 64}, [&](const TakeStrip& take) -> Result<void> {
            take(0, Raster(V2i(64, 60)));
            return {};
        });
    ASSERT_FALSE(stored);
    EXPECT_EQ(stored.error().sentence,
              "Cannot show The wall: it has another size than when it was brought in, 64 x 64 pixels.");
    EXPECT_TRUE(filesKept().empty());
}

/// A source that tells how often it was made, slowly enough to be kept.
struct Slow : PixelSource {
    explicit Slow(const std::string& key, V2i size = {600, 600})
        : PixelSource(key, size, Granularity::Whole) {}
    Result<Raster> compute(int, const Box&, PixelCache&, const Progress&) const override {
        ++made;
        std::this_thread::sleep_for(std::chrono::milliseconds(40));
        return noisy(size());
    }
    mutable std::atomic<int> made = 0;
};

TEST_F(StoredPyramids, ASlowSourceIsMadeOnceForAllRuns) {
    const auto source = std::make_shared<Slow>("slow");
    const Raster wanted = noisy(source->size());
    for (int run = 0; run < 3; ++run) {
        PixelCache cache; // its end waits for what is being kept
        const auto read = cache.read(source, 0, boxOf(source->size()));
        ASSERT_TRUE(read);
        EXPECT_EQ(read->rgba, wanted.rgba);
        EXPECT_EQ(source->made, 1);
        if (run > 0) {
            EXPECT_LT(cache.bytesKept(), source->size().x * source->size().y * 8 * 5 / 4)
                << "only what was read";
        }
    }
}

/// Bits may fall over, and a file may be cut off: then it is made again, and kept again.
TEST_F(StoredPyramids, DamageIsNoticed) {
    const auto source = std::make_shared<Slow>("slow");
    const Raster wanted = noisy(source->size());
    const auto readAll = [&] {
        PixelCache cache;
        const auto read = cache.read(source, 0, boxOf(source->size()));
        return read && read->rgba == wanted.rgba;
    };
    ASSERT_TRUE(readAll());
    ASSERT_EQ(filesKept().size(), 1u);
    const fs::path file = filesKept().front();
    const std::string whole = test::readAll(file);
    int made = 1;
    for (std::size_t at = 16; at < whole.size(); at += whole.size() / 23) {
        std::string bytes = whole;
        bytes[at] = static_cast<char>(bytes[at] ^ 0x20);
        test::writeAll(file, bytes);
        ASSERT_TRUE(readAll()) << at;
        ASSERT_LE(source->made, made + 1);
        made = source->made;
    }
    EXPECT_GT(made, 10);
    for (const std::size_t length : {std::size_t{0}, std::size_t{20}, whole.size() / 2, whole.size() - 1}) {
        test::writeAll(file, whole.substr(0, length));
        ASSERT_TRUE(readAll()) << length;
        EXPECT_EQ(source->made, ++made);
    }
    ASSERT_TRUE(readAll());
    EXPECT_EQ(source->made, made);
}

TEST_F(StoredPyramids, AFullDiskIsNoHarm) {
    fs::create_directories(kept);
    if (::mount("tmpfs", kept.c_str(), "tmpfs", 0, "size=64k") != 0)
        GTEST_SKIP() << "no permission to mount a small file system";
    const auto source = std::make_shared<Slow>("slow");
    for (int run = 1; run <= 2; ++run) {
        PixelCache cache;
        const auto read = cache.read(source, 0, boxOf(source->size()));
        EXPECT_TRUE(read && read->rgba == noisy(source->size()).rgba);
        EXPECT_EQ(source->made, run);
    }
    EXPECT_TRUE(filesKept().empty());
    const auto stored =
        storeStrips("strips", "The wall", {600, 600}, [&](const TakeStrip& take) -> Result<void> {
            take(0, noisy({600, 600}));
            return {};
        });
    EXPECT_FALSE(stored);
    if (!stored) {
        EXPECT_EQ(stored.error().sentence, "Cannot lay out The wall in " + cacheFolder().string() +
                                               ": there is no room, or it cannot be written to.");
    }
    EXPECT_TRUE(filesKept().empty());
    ::umount(kept.c_str());
}

TEST_F(StoredPyramids, WhatWasNotUsedForLongestGoes) {
    const auto pyramid = makePyramid(noisy({300, 300}));
    ASSERT_TRUE(store("0", *pyramid));
    const auto bytes = static_cast<std::int64_t>(fs::file_size(filesKept().front()));
    setKeptFilesBudget(3 * bytes + bytes / 2);
    const auto use = [](int n) { return StoredPyramid::open(std::to_string(n), {300, 300}) != nullptr; };
    const auto pause = [] {
        std::this_thread::sleep_for(std::chrono::milliseconds(15));
    }; // clocks of files are coarse
    for (const int n : {1, 2}) {
        pause();
        ASSERT_TRUE(store(std::to_string(n), *pyramid));
    }
    pause();
    const auto held = StoredPyramid::open("1", {300, 300});
    EXPECT_TRUE(use(0));
    pause();
    ASSERT_TRUE(store("3", *pyramid));
    pause();
    EXPECT_TRUE(use(0) && use(1) && !use(2) && use(3));
    pause();
    setKeptFilesBudget(1);
    ASSERT_TRUE(store("4", *pyramid));
    EXPECT_TRUE(!use(0) && !use(1) && !use(3));
    EXPECT_TRUE(use(4)) << "the newest stays";
    const auto tile = held->tile(0, 0);
    ASSERT_TRUE(tile) << "who has it open reads on";
    EXPECT_EQ((*tile)->rgba, pyramid->levels[0].tiles[0]->rgba);
}

TEST_F(KeptFiles, WhatAKilledProgramLeftIsRemovedAfterAnHour) {
    { KeptFileWriter gone("gone"); }
    EXPECT_TRUE(filesKept().empty());
    test::writeAll(kept / "writing-abc123", "half");
    test::writeAll(kept / "writing-def456", "half");
    fs::last_write_time(kept / "writing-abc123", fs::file_time_type::clock::now() - std::chrono::hours(2));
    keepText("a", "text");
    EXPECT_EQ(keptText("a"), "text");
    EXPECT_FALSE(fs::exists(kept / "writing-abc123"));
    EXPECT_TRUE(fs::exists(kept / "writing-def456")) << "somebody may be at it";
}

TEST_F(ContentKeys, SayTheSameOfACopyAndOtherOfAChange) {
    const TempDir dir;
    test::writeAll(dir / "a", "one");
    test::writeAll(dir / "b", "one");
    test::writeAll(dir / "c", "two");
    const auto keyOf = [&](const std::string& file) {
        return contentKey("before " + fileState((dir / file).string()) + " after");
    };
    EXPECT_EQ(keyOf("a"), keyOf("b"));
    EXPECT_NE(keyOf("a"), keyOf("c"));
    // sha256sum of "one"
    EXPECT_EQ(keyOf("a"), "before 7692c3ad3540bb803c020b3aee66cd8887123234ea0c6e7143c0add73ff431ed after");
    const std::string old = fileState((dir / "a").string());
    test::writeAll(dir / "a", "two");
    EXPECT_EQ(contentKey(old), "") << "not what the key was made for";
    EXPECT_EQ(keyOf("a"), keyOf("c"));
    EXPECT_EQ(keyOf("missing"), "");
    EXPECT_EQ(contentKey("no file at all"), "no file at all");
}

/// A picture that is replaced while the program is away must not show what it was.
TEST_F(ContentKeys, AReplacedPictureIsReadAnew) {
    const TempDir dir;
    const auto show = [&](int grey) {
        test::writePicture(dir / "a.png", {1500, 1500}, [&](int x, int y) {
            return Rgba8{grey, (x * 7919 + y * 104729) % 256, (x * 31 + y * 17) * 97 % 256, 255};
        });
        PixelCache cache;
        const auto read =
            cache.read(contentOf(*test::pictureLayer(1, "a", dir / "a.png", {1500, 1500}, 1, V3d(0)), 0), 3,
                       {0, 0, 9, 9});
        return read ? static_cast<int>(std::lround(srgbFromLinear(read->row(4)[4 * 4]) * 255)) : -1;
    };
    for (const int grey : {40, 200, 40, 90})
        EXPECT_EQ(show(grey), grey);
}

}
}
