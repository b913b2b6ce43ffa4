// The queue: jobs in processes of their own, which outlast who queued them.
#include "output/job_json.h"
#include "output/kept_frames.h"
#include "output/queue_runner.h"
#include "scene/file.h"
#include "stage.h"

#include <csignal>
#include <functional>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace stage::output {
namespace {

using test::TempDir;
using State = QueuedJob::State;
constexpr V2i size(64, 36);

bool until(const std::function<bool()>& done) {
    for (int n = 0; n < 1200 * slower && !done(); ++n)
        std::this_thread::sleep_for(std::chrono::milliseconds(50));
    return done();
}

constexpr V2i slowSize = slower > 1 ? V2i(96, 54) : V2i(320, 180);

/// A job that takes long enough to be caught at work.
Job slow(const std::filesystem::path& path) {
    Job job{path, *formatOf(path), slowSize, 0, 11};
    job.quality = {.method = render::Method::Traced, .samples = 512};
    return job;
}

/// A runner in a process of its own.
struct Runner {
    explicit Runner(const Queue& queue) : process(::fork()) {
        if (process != 0) return;
        ::execl(test::cli().c_str(), "cli", "queue", "--folder", queue.folder().c_str(), "run",
                static_cast<char*>(nullptr));
        ::_exit(127);
    }
    ~Runner() { end(SIGKILL); }
    void end(int signal) {
        if (process <= 0) return;
        ::kill(process, signal);
        ::waitpid(process, nullptr, 0);
        process = 0;
    }
    pid_t process;
};

TEST(Queue, RunsJobsInOrderAndGoesOnAfterOneThatFails) {
    const TempDir dir;
    const auto scene = scrolling(dir, size);
    auto missing = scene;
    missing.layers = {test::pictureLayer(1, "Boat", "/nowhere/b.png", {4, 4}, 1, {0, 0, -3})};
    const Queue queue(dir / "queue");
    EXPECT_TRUE(queue.jobs().empty());
    const auto first = queue.add(missing, {dir / "a.mp4", Format::H264, size, 0, 3});
    const auto second = queue.add(scene, {dir / "b.mp4", Format::H264, size, 0, 3});
    const auto third = queue.add(scene, {dir / "none/c.mp4", Format::H264, size, 0, 3});
    const auto fourth = queue.add(scene, {dir / "d.mkv", Format::Ffv1, size, 2, 5});
    ASSERT_TRUE(first && second && third && fourth);
    ASSERT_TRUE(runQueue(queue, test::cli(), {}));
    const auto jobs = queue.jobs();
    ASSERT_EQ(jobs.size(), 4u);
    EXPECT_EQ(jobs[0].state, State::Failed);
    EXPECT_NE(jobs[0].problem.find("/nowhere/b.png"), std::string::npos) << jobs[0].problem;
    EXPECT_EQ(jobs[1].state, State::Done);
    EXPECT_EQ(jobs[1].share, 1);
    EXPECT_EQ(jobs[2].state, State::Failed);
    EXPECT_EQ(jobs[2].problem,
              "Cannot write " + (dir / "none/c.mp4").string() + ": its folder does not exist.");
    EXPECT_EQ(jobs[3].state, State::Done);
    EXPECT_EQ(probe(dir / "b.mp4").frames, 4);
    EXPECT_EQ(probe(dir / "d.mkv").frames, 4);
    // It has its own copy of the scene; what is done can be taken off the list, what failed tried again.
    std::filesystem::create_directory(dir / "none");
    ASSERT_TRUE(queue.remove(*second));
    ASSERT_TRUE(queue.retry(*third));
    EXPECT_EQ(queue.find(*third)->state, State::Waiting);
    ASSERT_TRUE(runQueue(queue, test::cli(), {}));
    EXPECT_EQ(queue.find(*third)->state, State::Done);
    EXPECT_EQ(queue.jobs().size(), 3u);
    EXPECT_TRUE(std::filesystem::exists(dir / "b.mp4"));
}

TEST(Queue, PausedGoesOnWhereItWas) {
    const TempDir dir;
    const auto scene = scrolling(dir, size);
    const Queue queue(dir / "queue");
    const std::string id = *queue.add(scene, slow(dir / "a.mkv"));
    Runner runner(queue);
    ASSERT_TRUE(until([&] { return queue.find(id)->share > 0.1; }));
    ASSERT_TRUE(queue.pause(id, true));
    EXPECT_EQ(queue.find(id)->state, State::Paused);
    std::this_thread::sleep_for(std::chrono::milliseconds(400));
    const double share = queue.find(id)->share;
    std::this_thread::sleep_for(std::chrono::milliseconds(1200));
    EXPECT_EQ(queue.find(id)->share, share);
    EXPECT_FALSE(std::filesystem::exists(dir / "a.mkv"));
    ASSERT_TRUE(queue.pause(id, false));
    EXPECT_TRUE(until([&] { return queue.find(id)->state == State::Done; }));
    EXPECT_EQ(probe(dir / "a.mkv").frames, 12);
}

TEST(Queue, CancelledLeavesNothingHalf) {
    const TempDir dir;
    const auto scene = scrolling(dir, size);
    const Queue queue(dir / "queue");
    const std::string id = *queue.add(scene, slow(dir / "a.mkv")),
                      next = *queue.add(scene, slow(dir / "b.mkv"));
    ASSERT_TRUE(queue.cancel(next));
    EXPECT_EQ(queue.find(next)->state, State::Cancelled);
    Runner runner(queue);
    ASSERT_TRUE(until([&] { return queue.find(id)->share > 0.1; }));
    EXPECT_TRUE(isRun(queue));
    ASSERT_TRUE(queue.cancel(id));
    EXPECT_TRUE(until([&] { return queue.find(id)->state == State::Cancelled; }));
    EXPECT_TRUE(until([&] { return !isRun(queue); }));
    EXPECT_EQ(filesIn(dir.path()), 2u) << "the picture and the queue";
}

TEST(Queue, ResumesAfterItWasKilledOrAskedToEnd) {
    const TempDir dir;
    const auto scene = scrolling(dir, size);
    const Queue queue(dir / "queue");
    for (const int signal : {SIGKILL, SIGTERM}) {
        const auto path = dir / (signal == SIGKILL ? "killed.mkv" : "ended.mkv");
        const std::string id = *queue.add(scene, slow(path));
        {
            Runner runner(queue);
            ASSERT_TRUE(until([&] { return queue.find(id)->share > 0.3; }));
            runner.end(signal);
        }
        // The job's own process ends with its runner.
        ASSERT_TRUE(until([&] {
            return test::run("pgrep -f '[q]ueue --folder " + queue.folder().string() + "'")
                       .printed.find('\n') == std::string::npos;
        })) << test::run("pgrep -af queue").printed;
        EXPECT_FALSE(std::filesystem::exists(path));
        const std::size_t kept = filesIn(keptFramesOf(path)) - 1;
        EXPECT_GE(kept, 3u);
        // Those that are there are used: one that is put there is found in the movie.
        keepRed(path, slowSize, 1);
        ASSERT_TRUE(runQueue(queue, test::cli(), {}));
        EXPECT_EQ(queue.find(id)->state, State::Done);
        EXPECT_EQ(probe(path).frames, 12);
        const auto values = decodedBytes(path, slowSize, 1);
        EXPECT_EQ(values[0], 255);
        EXPECT_EQ(values[1], 0);
    }
}

TEST(Queue, AJobThatCrashesIsToldOfAndTheNextIsRun) {
    const TempDir dir;
    const auto scene = scrolling(dir, size);
    const Queue queue(dir / "queue");
    const std::string id = *queue.add(scene, slow(dir / "a.mkv"));
    const std::string next = *queue.add(scene, {dir / "b.mkv", Format::Ffv1, size, 0, 3});
    Runner runner(queue);
    ASSERT_TRUE(until([&] { return queue.find(id)->share > 0.1; }));
    test::run("pkill -KILL -f '[q]ueue --folder " + queue.folder().string() + " work " + id + "'");
    EXPECT_TRUE(until([&] { return queue.find(next)->state == State::Done; }));
    EXPECT_EQ(queue.find(id)->state, State::Failed);
    EXPECT_NE(queue.find(id)->problem.find("Killed"), std::string::npos) << queue.find(id)->problem;
    EXPECT_TRUE(std::filesystem::exists(keptFramesOf(dir / "a.mkv")));
    ASSERT_TRUE(queue.remove(id));
    EXPECT_FALSE(std::filesystem::exists(keptFramesOf(dir / "a.mkv")));
}

TEST(Queue, FramesThatAnotherJobOfTheSameFileHasKeptStay) {
    const TempDir dir;
    const auto scene = scrolling(dir, size);
    const Queue queue(dir / "queue");
    const Job job{dir / "a.mkv", Format::Ffv1, size, 0, 11};
    const std::string first = *queue.add(scene, job), second = *queue.add(scene, job);
    ASSERT_TRUE(queue.cancel(first));
    std::filesystem::create_directory(keptFramesOf(job.path));
    test::writeAll(keptFramesOf(job.path) / "job.txt", "as a run of the second has it");
    test::writeAll(dir / "a.mkv.part", "half");
    ASSERT_TRUE(queue.remove(first));
    EXPECT_TRUE(std::filesystem::exists(keptFramesOf(job.path)));
    EXPECT_TRUE(std::filesystem::exists(dir / "a.mkv.part"));
    // Nobody else goes on with them.
    ASSERT_TRUE(queue.cancel(second));
    EXPECT_FALSE(std::filesystem::exists(keptFramesOf(job.path)));
    EXPECT_FALSE(std::filesystem::exists(dir / "a.mkv.part"));
}

TEST(Queue, LookingWhetherItIsRunKeepsNobodyFromRunningIt) {
    const TempDir dir;
    const auto scene = scrolling(dir, size);
    const Queue queue(dir / "queue");
    const std::jthread looking([&](const std::stop_token& stop) {
        while (!stop.stop_requested())
            isRun(queue);
    });
    for (int n = 0; n < 8; ++n) {
        const std::string id = *queue.add(scene, {dir / "b.png", Format::Png, {4, 4}, 0, 0});
        ASSERT_TRUE(runQueue(queue, test::cli(), {}));
        ASSERT_EQ(queue.find(id)->state, State::Done) << n;
    }
}

TEST(Queue, JobsChangePlaces) {
    const TempDir dir;
    const auto scene = scrolling(dir, size);
    const Queue queue(dir / "queue");
    std::vector<std::string> ids;
    for (const char* name : {"a.mp4", "b.mp4", "c.mp4"})
        ids.push_back(*queue.add(scene, {dir / name, Format::H264, size, 0, 3}));
    ASSERT_TRUE(queue.move(ids[2], -1));
    ASSERT_TRUE(queue.move(ids[2], -1));
    ASSERT_TRUE(queue.move(ids[2], -1));
    ASSERT_TRUE(queue.move(ids[0], 1));
    std::string order;
    for (const QueuedJob& job : queue.jobs())
        order += job.job.path.stem().string();
    EXPECT_EQ(order, "cba");
    // Damaged folders are left out, and do no harm.
    test::writeAll(dir / "queue" / ids[1] / "job.json", "{\"path\": 3}");
    test::writeAll(dir / "queue" / ids[0] / "status.json", "[1, 2");
    EXPECT_EQ(queue.jobs().size(), 2u);
    EXPECT_EQ(queue.find(ids[0])->state, State::Waiting);
    EXPECT_FALSE(queue.find("../queue"));
}

TEST(Jobs, AreTheSameReadAgain) {
    Job job{"/somewhere/a.exr", Format::Exr, {300, 200}, 5, 9};
    job.encoding.bits = 32, job.encoding.compression = "piz", job.encoding.alpha = false;
    job.loop = {Loop::Kind::Dissolve, 2};
    job.wipe = Wipe{0.25, 0.75, {}};
    job.framesOnly = true;
    const auto again = jobFromJson(toJson(job));
    ASSERT_TRUE(again) << again.error().sentence;
    EXPECT_EQ(toJson(*again), toJson(job));
    EXPECT_EQ(again->encoding, job.encoding);
    EXPECT_EQ(again->loop, job.loop);
    for (const auto& [key, value] : std::vector<std::pair<std::string, scene::Json>>{{"format", "mpeg"},
                                                                                     {"size", {1, 2, 3}},
                                                                                     {"size", {0, 2}},
                                                                                     {"frames", "all"},
                                                                                     {"encoding", 3},
                                                                                     {"wipe", {0, 2}},
                                                                                     {"mood", "good"},
                                                                                     {"path", 7}}) {
        scene::Json wrong = toJson(job);
        wrong[key] = value;
        const auto read = jobFromJson(wrong);
        ASSERT_FALSE(read) << key << ' ' << value;
        EXPECT_NE(read.error().sentence.find(key), std::string::npos) << read.error().sentence;
    }
}

TEST(Presets, OnesOwnAreKept) {
    const TempDir dir;
    EXPECT_TRUE(loadPresets(dir / "none.json")->empty());
    auto presets = usualPresets();
    EXPECT_GE(presets.size(), 6u);
    for (const Preset& preset : presets)
        EXPECT_EQ(complaintAbout(preset.format, preset.encoding), "") << preset.name;
    presets[0].name = "Für \"den\" Verleih", presets[0].encoding.rate = 12;
    ASSERT_TRUE(savePresets(dir / "own/presets.json", presets));
    const auto again = loadPresets(dir / "own/presets.json");
    ASSERT_TRUE(again);
    ASSERT_EQ(again->size(), presets.size());
    EXPECT_EQ((*again)[0].name, presets[0].name);
    EXPECT_EQ((*again)[0].encoding, presets[0].encoding);
    EXPECT_EQ((*again)[0].quality.noise, presets[0].quality.noise);
    test::writeAll(dir / "bad.json",
                   "{\"presets\": [{\"name\": \"x\", \"format\": \"png\", \"encoding\": {\"bits\": 9}, "
                   "\"quality\": {\"method\": \"draft\"}}]}");
    const auto bad = loadPresets(dir / "bad.json");
    ASSERT_FALSE(bad);
    EXPECT_NE(bad.error().sentence.find("9 bits"), std::string::npos) << bad.error().sentence;
}

}
}
