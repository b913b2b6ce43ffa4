// fuzz READER SECONDS [SEED]: gives a reader of ours broken files, made from good ones by small and large
// damage, for that many seconds. Built with the sanitizers (preset asan), it must end without a finding. What
// a reader says of a file is of no account here, only that it says something and comes back.
#include "edit/camera_file.h"
#include "grade/grading.h"
#include "media/content.h"
#include "media/drawing.h"
#include "media/open_raster.h"
#include "media/probe.h"
#include "scene/cutout_json.h"
#include "scene/file.h"
#include "scene/scene_json.h"
#include "support/support.h"

#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <random>

namespace {

using namespace stage;

struct Reader {
    const char* name;
    std::string suffix;
    std::vector<std::string> seeds;
    std::function<void(const std::filesystem::path&)> read;
};

std::string damaged(std::string bytes, std::mt19937& random, const std::vector<std::string>& seeds) {
    const auto upTo = [&](std::size_t n) { return n == 0 ? 0 : random() % n; };
    const int count = 1 + static_cast<int>(random() % 6);
    for (int i = 0; i < count; ++i) {
        const std::size_t at = upTo(bytes.size() + 1);
        switch (random() % 9) {
        case 0:
            if (!bytes.empty()) bytes[upTo(bytes.size())] = static_cast<char>(random());
            break;
        case 1:
            if (!bytes.empty()) bytes[upTo(bytes.size())] ^= static_cast<char>(1 << random() % 8);
            break;
        case 2:
            bytes.resize(at);
            break;
        case 3:
            bytes.erase(at, upTo(40));
            break;
        case 4:
            bytes.insert(at, bytes.substr(upTo(bytes.size()), upTo(60)));
            break;
        case 5: { // a number becomes an awkward one
            static const char* numbers[] = {"0",   "-1",     "1e999",      "99999999999999999999",
                                            "NaN", "1e-320", "2147483648", "\"\""};
            std::size_t digit = bytes.find_first_of("0123456789", at);
            if (digit != std::string::npos) {
                std::size_t end = bytes.find_first_not_of("0123456789.eE+-", digit);
                bytes.replace(digit, (end == std::string::npos ? bytes.size() : end) - digit,
                              numbers[random() % 8]);
            }
            break;
        }
        case 6:
            for (int k = 0; k < 8 && !bytes.empty(); ++k)
                bytes[upTo(bytes.size())] = static_cast<char>(random());
            break;
        case 7: {
            const std::string& other = seeds[random() % seeds.size()];
            bytes.insert(at, other.substr(upTo(other.size()), upTo(200)));
            break;
        }
        default: // nesting
            bytes.insert(at, std::string(upTo(300), "[{<("[random() % 4]));
        }
    }
    return bytes;
}

std::string archive(const std::filesystem::path& folder, const std::string& xml) {
    const auto path = folder / "seed.ora";
    test::writeOra(path, xml,
                   {test::pngMember("data/a.png", {8, 6},
                                    [](int x, int) {
                                        return test::Rgba8{x * 20, 0, 0};
                                    }),
                    test::pngMember("mergedimage.png", {8, 6}, [](int, int) {
                        return test::Rgba8{1, 2, 3};
                    })});
    return test::readAll(path);
}

std::vector<Reader> readers(const std::filesystem::path& folder) {
    const auto probe = [](const std::filesystem::path& path) {
        const auto contents = media::probe(path);
        if (!contents || !contents->stack) return;
        media::PixelCache cache(64u << 20);
        for (const media::StackItem& item : contents->stack->items) {
            if (item.isStack || item.size.x > 2000 || item.size.y > 2000) continue;
            scene::Layer layer;
            layer.pixels = item.size;
            layer.content = scene::Picture{contents->media, item.part};
            const auto source = media::contentOf(layer, 0);
            (void)cache.read(source, media::levelCount(source->size()) - 1, {0, 0, 1, 1});
        }
    };
    const auto look = [](const std::filesystem::path& path) {
        auto grade = std::make_shared<scene::Grade>();
        grade->look.path = path.string();
        (void)grade::partsOf(grade->look.path);
        const auto grading = grade::gradingOf({grade});
        if (!grading || !*grading) return;
        float rgba[] = {0, 0, 0, 1, 0.5f, 0.2f, 0.9f, 1, 7, -3, 0.1f, 0.5f};
        (*grading)->apply(rgba, 3);
        for (const float value : rgba)
            if (!std::isfinite(value)) {
                std::fputs("a look gives numbers that are none\n", stderr);
                std::abort();
            }
    };
    const std::string cube =
        "TITLE \"t\"\nLUT_3D_SIZE 2\nDOMAIN_MAX 1 1 1\n0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n"
        "1 0 1\n0 1 1\n0.9 1 1\n";
    const std::string correction =
        R"xml(<ColorCorrection id="a"><SOPNode><Description>d</Description><Slope>1.1 1 0.9</Slope><Offset>0 0.1
        0</Offset><Power>1 1.2 1</Power></SOPNode><SatNode><Saturation>0.8</Saturation></SatNode></ColorCorrection>)xml";
    const std::string stack =
        R"xml(<?xml version="1.0"?><image version="0.0.3" w="8" h="6"><stack><layer name="a" src="data/a.png" x="1" y="2"
        opacity="0.5" composite-op="svg:multiply"/><stack name="s"><layer name="b" src="data/a.png"/></stack></stack></image>)xml";
    const std::string drawing =
        R"xml(<svg xmlns="http://www.w3.org/2000/svg" width="40" height="30" viewBox="0 0 40 30"><defs><linearGradient
        id="g"><stop stop-color="red"/></linearGradient></defs><g id="a"><title>t</title><path d="M1 2C3 4 5 6 7 8z"
        fill="url(#g)"/></g><rect width="3" height="4"/><g style="display:none"><text x="3" y="9">x</text></g></svg>)xml";
    const std::string cut =
        R"({"format":"open-stage scene","version":1,"camera":{"marks":[{"id":1,"time":"0"}]},"layers":[{"id":1,"name":"a",
        "kind":"picture","pixels":[8,6],"metresPerPixel":0.1,"media":{"path":"a.png"},"cutout":{"mattes":[{"kind":"outline",
        "points":{"keys":[{"time":"0","value":[[1,2],[3,4,1,1,2,2],[5,6]]}]}},{"kind":"painted","strokes":[{"size":4,"dabs":
        [[1,2,0.5]]}]},{"kind":"subject","loop":[[1,1],[5,1],[3,5]],"hints":[]}],"key":{"kind":"colour"},"fills":[{"hole":
        [{"kind":"layer","layer":1}]}],"match":{"like":1}}}]})";
    const std::string camera =
        R"({"asset":{"version":"2.0"},"buffers":[{"byteLength":32,"uri":"data:application/octet-stream;base64,)"
        R"(AAAAAAAAgD8AAAAAAAAAAAAAAAAAAIA/AAAAAAAAAMA="}],"bufferViews":[{"buffer":0,"byteLength":8},{"buffer":0,)"
        R"("byteOffset":8,"byteLength":24}],"accessors":[{"bufferView":0,"componentType":5126,"count":2,"type":"SCALAR"},)"
        R"({"bufferView":1,"componentType":5126,"count":2,"type":"VEC3"}],"cameras":[{"type":"perspective",)"
        R"("perspective":{"yfov":0.6,"znear":0.1}}],"nodes":[{"children":[1],"rotation":[0,0.7071,0,0.7071]},)"
        R"({"camera":0,"scale":[1,1,1]}],"scenes":[{"nodes":[0]}],"animations":[{"samplers":[{"input":0,"output":1,)"
        R"("interpolation":"STEP"},{"input":0,"output":1}],"channels":[{"sampler":1,"target":{"node":1,"path":)"
        R"("translation"}},{"sampler":0,"target":{"node":0,"path":"translation"}}]}]})";
    const std::string demo = test::readAll(test::sourceFolder() + "/demo/lantern-quay.ostage");
    return {
        {"openraster", ".ora", {archive(folder, stack)}, probe},
        // the text inside, packed well each time
        {"stack",
         ".xml",
         {stack},
         [folder, probe](const std::filesystem::path& path) {
             archive(folder, test::readAll(path));
             probe(folder / "seed.ora");
         }},
        {"archive",
         ".ora",
         {archive(folder, stack)},
         [](const std::filesystem::path& path) { (void)media::readMember(path, "data/a.png", 1u << 20); }},
        {"scene",
         ".ostage",
         {demo, cut},
         [](const std::filesystem::path& path) {
             if (const auto scene = scene::load(path)) {
                 const auto again = scene::sceneFromJson(scene::toJson(*scene));
                 if (!again) {
                     std::fprintf(stderr, "a scene that was read cannot be read again: %s\n",
                                  again.error().sentence.c_str());
                     std::abort();
                 }
             }
         }},
        {"svg", ".svg", {drawing}, probe},
        {"camera",
         ".gltf",
         {camera},
         [](const std::filesystem::path& path) { (void)edit::cameraFrom(scene::emptyScene(), path); }},
        {"cube", ".cube", {cube, "LUT_1D_SIZE 3\nDOMAIN_MIN 0 0 0\n0 0 0\n0.4 0.5 0.6\n1 1 1\n"}, look},
        {"cdl",
         ".cdl",
         {"<ColorDecisionList xmlns=\"urn:ASC:CDL:v1.01\"><ColorDecision>" + correction +
          "</ColorDecision></ColorDecisionList>"},
         look},
        {"ccc",
         ".ccc",
         {"<ColorCorrectionCollection xmlns=\"urn:ASC:CDL:v1.01\">" + correction + correction +
          "</ColorCorrectionCollection>"},
         look}};
}

}

int main(int argc, char** argv) {
    if (argc < 3) {
        std::fputs("usage: fuzz READER|all SECONDS [SEED]\n", stderr);
        return 2;
    }
    const test::TempDir dir;
    std::mt19937 random(argc > 3 ? static_cast<unsigned>(std::atoi(argv[3])) : std::random_device()());
    bool known = false;
    for (const Reader& reader : readers(dir.path())) {
        if (std::string(argv[1]) != "all" && std::string(argv[1]) != reader.name) continue;
        known = true;
        const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(std::atoi(argv[2]));
        long count = 0;
        const auto file = dir / ("input" + reader.suffix);
        double slowest = 0;
        while (std::chrono::steady_clock::now() < end) {
            const std::string bytes =
                damaged(reader.seeds[random() % reader.seeds.size()], random, reader.seeds);
            test::writeAll(file, bytes);
            const char* keep = std::getenv("STAGE_KEEP");
            if (keep) test::writeAll(std::string(keep) + "/last" + reader.suffix, bytes);
            const auto before = std::chrono::steady_clock::now();
            reader.read(file);
            slowest = std::max(
                slowest, std::chrono::duration<double>(std::chrono::steady_clock::now() - before).count());
            ++count;
        }
        std::printf("%s: %ld files, slowest %.2f s\n", reader.name, count, slowest);
    }
    return known ? 0 : 2;
}
