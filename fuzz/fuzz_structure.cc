// fuzz_structure edits|scenes|jobs|all COUNT [SEED], or fuzz_structure file SCENE: gives edits and scenes
// that were spoilt by structure (types swapped, members dropped or doubled, values extreme) to the reader,
// the edits, the move, the checks and the renderer, and holds their answers: nothing ends the program or
// takes longer than 10 s (80 s under a sanitizer) or more than 1 GB; a refusal is a sentence that names a
// place and leaves the scene as it was, byte by byte; what is accepted reads back equal. Ends with 1 and the
// input at the first answer that does not hold.
#include "checks/choreography.h"
#include "edit/history.h"
#include "motion/measure.h"
#include "output/job_json.h"
#include "render/render.h"
#include "scene/file.h"
#include "support/edit_examples.h"
#include "support/slower.h"

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <iostream>
#include <random>
#include <sys/resource.h>
#include <thread>

namespace {

using namespace stage;
using scene::Json;

constexpr int longest = 10 * test::slower; // s
constexpr long mostMemory = 1L << 20;      // KB

std::string current; ///< what is being tried, for a crash's message

const scene::Scene* lived = nullptr; ///< the scene that is being used

[[noreturn]] void broken(const std::string& what) {
    std::cerr << "DOES NOT HOLD: " << what << "\n" << current << std::endl;
    if (const char* keep = std::getenv("STAGE_KEEP"); keep && lived)
        test::writeAll(std::string(keep) + "/scene.ostage", scene::toJson(*lived).dump(1));
    std::_Exit(1);
}

class Spoiler {
public:
    explicit Spoiler(unsigned seed) : m_random(seed) {}
    std::size_t upTo(std::size_t n) { return n == 0 ? 0 : m_random() % n; }

    Json spoilt(Json json) {
        const std::size_t count = upTo(3) == 0 ? 2 + upTo(3) : 1;
        for (std::size_t i = 0; i < count; ++i) {
            std::vector<Json*> nodes;
            gather(json, nodes);
            spoil(*nodes[upTo(nodes.size())]);
        }
        return json;
    }

private:
    static void gather(Json& json, std::vector<Json*>& nodes) {
        nodes.push_back(&json);
        if (json.is_structured())
            for (Json& each : json)
                gather(each, nodes);
    }

    Json odd() {
        static const std::vector<Json> values = {nullptr,
                                                 true,
                                                 false,
                                                 0,
                                                 -1,
                                                 1,
                                                 2,
                                                 3,
                                                 0.5,
                                                 -0.5,
                                                 1e-300,
                                                 -1e-300,
                                                 1e300,
                                                 -1e300,
                                                 1e-9,
                                                 1e9,
                                                 4e9,
                                                 9007199254740993,
                                                 INT64_MAX,
                                                 INT64_MIN,
                                                 UINT64_MAX,
                                                 89.99999,
                                                 90,
                                                 -90,
                                                 360,
                                                 1e6,
                                                 100000,
                                                 2147483648,
                                                 "",
                                                 "x",
                                                 "0",
                                                 "1/3",
                                                 "-1/3",
                                                 "9223372036854775807/1",
                                                 "1/9223372036854775807",
                                                 "1e5",
                                                 "1/0",
                                                 "NaN",
                                                 std::string(2000, 'y'),
                                                 "\xc3\x28",
                                                 "Boatman",
                                                 "Bridge",
                                                 "Title",
                                                 "Cut",
                                                 "add",
                                                 "first",
                                                 Json::array(),
                                                 Json::object(),
                                                 Json::array({0, 0}),
                                                 Json::array({1, 2, 3}),
                                                 Json::array({1e9, -1e9, 1e9}),
                                                 Json::array({"Boatman", "Bridge"}),
                                                 Json::array({Json::array({0, 0}), Json::array({1, 1})}),
                                                 Json{{"x", 1}},
                                                 Json{{"layer", 1}},
                                                 Json{{"keys", Json::array()}},
                                                 Json{{"kind", "noise"}}};
        return values[upTo(values.size())];
    }

    void spoil(Json& node) {
        switch (upTo(8)) {
        case 0:
        case 1:
        case 2:
            if (node.is_number_float() || node.is_number_integer()) {
                const double was = node.get<double>();
                const double others[] = {-was,    was * 1000, was / 1000,     was + 1,
                                         was - 1, was * 1e12, was * 1.0000001};
                node = others[upTo(7)];
                return;
            }
            node = odd();
            return;
        case 3: // a member or element goes
            if (node.is_object() && !node.empty())
                node.erase(std::next(node.begin(), static_cast<std::ptrdiff_t>(upTo(node.size()))));
            else if (node.is_array() && !node.empty())
                node.erase(upTo(node.size()));
            else
                node = odd();
            return;
        case 4: // one that stands there stands there twice, or under another name
            if (node.is_array() && !node.empty())
                node.push_back(Json(node[upTo(node.size())]));
            else if (node.is_object() && !node.empty())
                node[someName()] =
                    Json(std::next(node.begin(), static_cast<std::ptrdiff_t>(upTo(node.size()))).value());
            else
                node = odd();
            return;
        case 5:
            if (node.is_object())
                node[someName()] = odd();
            else if (node.is_array())
                node.push_back(odd());
            else
                node = odd();
            return;
        case 6: { // wrapped up
            Json inner = node;
            node = upTo(2) ? Json::array({inner}) : Json{{someName(), inner}};
            return;
        }
        default:
            node = odd();
        }
    }

    std::string someName() {
        static const char* names[] = {
            "layer", "layers",  "time",        "times",    "value",   "mark",   "marks",   "by",    "to",
            "at",    "depth",   "ratio",       "keys",     "link",    "noise",  "seed",    "scale", "turn",
            "bend",  "pivot",   "follows",     "cutout",   "mattes",  "fills",  "kind",    "name",  "id",
            "pace",  "handles", "corner",      "aim",      "pixels",  "places", "content", "add",   "frame",
            "rate",  "frames",  "holdFraming", "property", "multiply"};
        return names[upTo(std::size(names))];
    }

    std::mt19937 m_random;
};

void holdMemory() {
    rusage used{};
    getrusage(RUSAGE_SELF, &used);
    if (used.ru_maxrss > mostMemory) broken("more than 1 GB is used");
}

/// The scene is lived in: what a window does with it at once.
void use(const scene::Scene& scene, media::PixelCache& cache, bool rendered) {
    lived = &scene;
    const motion::CameraMove move(scene);
    const double last = timeOfFrame(scene.output.frames - 1, scene.output.rate).toDouble();
    (void)move.at(last / 2);
    if (scene.layers.size() < 50) (void)motion::measureAll(scene, move, Rational(0));
    if (scene.output.frames < 2000) (void)checks::choreography(scene);
    if (!rendered) return;
    for (const render::Method way : {render::Method::Pinhole, render::Method::Draft, render::Method::Final}) {
        render::Quality quality;
        quality.method = way;
        quality.samples = 16;
        quality.placeholders = true;
        const auto picture =
            render::render(motion::evaluate(scene, Rational(1, 2), {32, 18}, true), quality, cache);
        if (!picture && picture.error().sentence.empty()) broken("a render fails without a sentence");
        if (picture)
            for (std::size_t i = 0; i < picture->rgba.size(); ++i)
                if (!(picture->rgba[i] == picture->rgba[i]))
                    broken("a pixel of " + std::string(render::methodNames[static_cast<std::size_t>(way)]) +
                           " is not a number");
    }
}

void holdSentence(const Error& error) {
    const std::string& said = error.sentence;
    if (said.size() < 8 || said.find(' ') == std::string::npos) broken("no sentence: '" + said + "'");
    if (said.find("parse_error") != std::string::npos || said.find("type_error") != std::string::npos ||
        said.find("json.exception") != std::string::npos || said.find("basic_string") != std::string::npos ||
        said.find("vector::") != std::string::npos)
        broken("a library's words: " + said);
}

void holdReadsBack(const scene::Scene& scene) {
    const Json json = scene::toJson(scene);
    const auto again = scene::sceneFromJson(json);
    if (!again) broken("what was accepted cannot be read again: " + again.error().sentence);
    if (scene::toJson(*again).dump() != json.dump()) broken("what was accepted reads back as something else");
}

class Watch {
public:
    Watch()
        : m_thread([this](const std::stop_token& over) {
              while (!over.stop_requested()) {
                  std::this_thread::sleep_for(std::chrono::milliseconds(200));
                  const auto since = m_since.load();
                  const auto now = std::chrono::steady_clock::now().time_since_epoch().count();
                  if (since != 0 && static_cast<double>(now - since) * 1e-9 > longest)
                      broken("it takes longer than " + std::to_string(longest) + " s");
              }
          }) {}
    void begin() { m_since = std::chrono::steady_clock::now().time_since_epoch().count(); }

private:
    std::atomic<std::chrono::steady_clock::rep> m_since{0};
    std::jthread m_thread;
};

void edits(long count, unsigned seed, const test::TempDir& dir, Watch& watch) {
    Spoiler spoiler(seed);
    const scene::Scene base = test::exampleScene(dir);
    const auto examples = test::editExamples(dir);
    media::PixelCache cache(64u << 20);
    long accepted = 0;
    edit::History history(base);
    for (long i = 0; i < count; ++i) {
        Json example = examples[spoiler.upTo(examples.size())];
        if (example.is_array()) example = example[spoiler.upTo(example.size())];
        const Json spoilt = spoiler.spoilt(example);
        current = spoilt.dump(-1, ' ', false, Json::error_handler_t::replace);
        // Some on top of each other, so that later ones meet what earlier ones made.
        if (i % 12 == 0) history = edit::History(base);
        const std::string before = scene::toJson(*history.scene()).dump();
        const std::size_t step = history.step();
        watch.begin();
        const auto done = history.apply(spoilt);
        if (!done) {
            holdSentence(done.error());
            if (done.error().sentence.find('\'') == std::string::npos && !spoilt.is_object())
                continue; // not an edit at all
            if (history.step() != step || scene::toJson(*history.scene()).dump() != before)
                broken("a refused edit changed the scene");
            continue;
        }
        ++accepted;
        holdReadsBack(*history.scene());
        use(*history.scene(), cache, i % 4 == 0);
        holdMemory();
    }
    std::printf("edits: %ld, of which %ld accepted\n", count, accepted);
}

void scenes(long count, unsigned seed, const test::TempDir& dir, Watch& watch) {
    Spoiler spoiler(seed);
    std::vector<Json> seeds = {scene::toJson(test::exampleScene(dir))};
    if (const auto demo = scene::parseJson(test::readAll(test::sourceFolder() + "/demo/lantern-quay.ostage")))
        seeds.push_back(*demo);
    scene::Scene scene = test::exampleScene(dir);
    for (const Json& example : test::editExamples(dir)) // a scene in which much has been done
        for (const Json& one : example.is_array() ? example : Json::array({example}))
            if (auto made = edit::apply(scene, one); made && made->layers.size() < 40)
                scene = std::move(*made);
    seeds.push_back(scene::toJson(scene));
    media::PixelCache cache(64u << 20);
    long accepted = 0;
    for (long i = 0; i < count; ++i) {
        const Json spoilt = spoiler.spoilt(seeds[spoiler.upTo(seeds.size())]);
        current = spoilt.dump(-1, ' ', false, Json::error_handler_t::replace);
        watch.begin();
        const auto read = scene::sceneFromJson(spoilt);
        if (!read) {
            holdSentence(read.error());
            continue;
        }
        ++accepted;
        holdReadsBack(*read);
        use(*read, cache, i % 8 == 0);
        holdMemory();
    }
    std::printf("scenes: %ld, of which %ld accepted\n", count, accepted);
}

/// Jobs, as a queue's folder holds them.
void jobs(long count, unsigned seed, const test::TempDir& dir, Watch& watch) {
    Spoiler spoiler(seed);
    const scene::Scene scene = test::exampleScene(dir);
    output::Job job = output::wholeScene(scene, dir / "move.mp4", output::Format::H264);
    job.encoding = {.rate = 20, .bits = 8};
    job.loop = {output::Loop::Kind::Dissolve, 3};
    output::Job pictures = output::wholeScene(scene, dir / "f.####.exr", output::Format::ExrParts);
    pictures.encoding.compression = "piz";
    pictures.wipe.emplace();
    const std::vector<Json> seeds = {output::toJson(job), output::toJson(pictures)};
    long accepted = 0;
    for (long i = 0; i < count; ++i) {
        const Json spoilt = spoiler.spoilt(seeds[spoiler.upTo(seeds.size())]);
        current = spoilt.dump(-1, ' ', false, Json::error_handler_t::replace);
        watch.begin();
        const auto read = output::jobFromJson(spoilt);
        if (!read) {
            holdSentence(read.error());
            continue;
        }
        ++accepted;
        if (const auto again = output::jobFromJson(output::toJson(*read));
            !again || output::toJson(*again) != output::toJson(*read))
            broken("a job that was read is not read back equal");
        (void)output::complaintAbout(scene, *read);
        (void)output::spaceFor(scene, *read);
        (void)output::sizeNote(*read);
        holdMemory();
    }
    std::printf("jobs: %ld, of which %ld accepted\n", count, accepted);
}

}

int main(int argc, char** argv) {
    if (argc < 3) {
        std::fputs(
            "usage: fuzz_structure edits|scenes|jobs|all COUNT [SEED]\n       fuzz_structure file SCENE\n",
            stderr);
        return 2;
    }
    const std::string which = argv[1];
    if (which == "file") { // one that did not hold, again
        const auto scene = scene::load(argv[2]);
        media::PixelCache cache(64u << 20);
        if (scene) use(*scene, cache, true);
        std::puts(scene ? "holds" : scene.error().sentence.c_str());
        return 0;
    }
    const long count = std::atol(argv[2]);
    const unsigned seed = argc > 3 ? static_cast<unsigned>(std::atoi(argv[3])) : std::random_device()();
    const test::TempDir dir;
    Watch watch;
    std::printf("seed %u\n", seed);
    const auto wanted = [&](const char* what) { return which == "all" || which == what; };
    if (wanted("edits")) edits(count, seed, dir, watch);
    if (wanted("scenes")) scenes(count, seed + 1, dir, watch);
    if (wanted("jobs")) jobs(count, seed + 2, dir, watch);
    return 0;
}
