#include "output/gltf.h"

#include "cutout/source.h"
#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "output/sink.h"

#include <Imath/ImathMatrixAlgo.h>
#include <Imath/ImathQuat.h>
#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <fstream>
#include <map>
#include <set>
#include <unistd.h>

namespace stage::output {
namespace fs = std::filesystem;
namespace {

using scene::Json;
using Quat = Imath::Quatd;

constexpr int mostSide = 4096;
constexpr int floatComponent = 5126, shortComponent = 5123; // of the specification: FLOAT, UNSIGNED_SHORT
constexpr int verticesTarget = 34962, indicesTarget = 34963;

/// Where something is in one frame.
struct Place {
    V3d at{0};
    Quat turn;
    V3d size{1};
};

/// From its axes, of length 1, in the world.
Quat turnOf(const V3d& x, const V3d& y, const V3d& z) {
    Imath::M44d m;
    for (int i = 0; i < 3; ++i)
        m[0][i] = x[i], m[1][i] = y[i], m[2][i] = z[i];
    return Imath::extractQuat(m).normalized();
}

Place placeOf(const optics::Surface& card) {
    Place place;
    place.at = card.centre();
    const double wide = card.across.length(), high = card.down.length();
    place.size = {wide, high, std::sqrt(wide * high)};
    const V3d x = card.across / wide, z = x.cross(-card.down).normalized();
    place.turn = turnOf(x, z.cross(x), z);
    return place;
}

Place placeOf(const optics::View& view) {
    return {view.eye, turnOf(view.right, view.up, -view.forward), V3d(1)};
}

/// The JSON of a file and what its accessors read.
class File {
public:
    File() {
        m_json = {{"asset", {{"version", "2.0"}, {"generator", "Open Stage"}}},
                  {"scene", 0},
                  {"scenes", Json::array({{{"nodes", Json::array()}}})}};
    }
    Json& json() { return m_json; }
    /// Index of what is added to a list.
    int add(const char* list, Json value) {
        Json& to = m_json[list];
        to.push_back(std::move(value));
        return static_cast<int>(to.size()) - 1;
    }
    int addNode(Json node) {
        const int index = add("nodes", std::move(node));
        m_json["scenes"][0]["nodes"].push_back(index);
        return index;
    }
    int bytes(const void* from, std::size_t count, int target = 0) {
        while (m_bytes.size() % 4)
            m_bytes.push_back(0);
        Json view = {{"buffer", 0}, {"byteOffset", m_bytes.size()}, {"byteLength", count}};
        if (target) view["target"] = target;
        const auto* begin = static_cast<const char*>(from);
        m_bytes.insert(m_bytes.end(), begin, begin + count);
        return add("bufferViews", std::move(view));
    }
    /// type: SCALAR, VEC2 and so on, of so many floats.
    int floats(const std::vector<float>& values, const char* type, std::size_t each, int target = 0) {
        Json accessor = {{"bufferView", bytes(values.data(), values.size() * sizeof(float), target)},
                         {"componentType", floatComponent},
                         {"count", values.size() / each},
                         {"type", type}};
        Json low = Json::array(), high = Json::array();
        for (std::size_t c = 0; c < each; ++c) {
            float least = values[c], most = values[c];
            for (std::size_t i = c; i < values.size(); i += each)
                least = std::min(least, values[i]), most = std::max(most, values[i]);
            low.push_back(least), high.push_back(most);
        }
        accessor["min"] = std::move(low), accessor["max"] = std::move(high);
        return add("accessors", std::move(accessor));
    }
    int indices(const std::vector<std::uint16_t>& values) {
        return add("accessors", {{"bufferView", bytes(values.data(), values.size() * 2, indicesTarget)},
                                 {"componentType", shortComponent},
                                 {"count", values.size()},
                                 {"type", "SCALAR"}});
    }
    /// How a node goes over the frames, where it does. times: accessor; -1: one frame.
    void animate(int node, const std::vector<Place>& places, int times) {
        const Place& first = places.front();
        m_json["nodes"][static_cast<std::size_t>(node)].update(
            {{"translation", {first.at.x, first.at.y, first.at.z}},
             {"rotation", {first.turn.v.x, first.turn.v.y, first.turn.v.z, first.turn.r}},
             {"scale", {first.size.x, first.size.y, first.size.z}}});
        if (times < 0) return;
        std::vector<float> at, turn, size;
        bool moves = false, turns = false, grows = false;
        Quat before = first.turn;
        for (const Place& each : places) {
            // The same turn the short way from the one before.
            Quat by = each.turn;
            if ((by ^ before) < 0) by = Quat(-by.r, -by.v.x, -by.v.y, -by.v.z);
            before = by;
            for (int i = 0; i < 3; ++i)
                at.push_back(static_cast<float>(each.at[i])),
                    size.push_back(static_cast<float>(each.size[i]));
            for (const double v : {by.v.x, by.v.y, by.v.z, by.r})
                turn.push_back(static_cast<float>(v));
            moves = moves || (each.at - first.at).length() > 1e-9;
            turns = turns || std::abs((by ^ first.turn)) < 1 - 1e-14;
            grows = grows || (each.size - first.size).length() > 1e-9;
        }
        if (moves) channel({{"node", node}, {"path", "translation"}}, times, floats(at, "VEC3", 3));
        if (turns) channel({{"node", node}, {"path", "rotation"}}, times, floats(turn, "VEC4", 4));
        if (grows) channel({{"node", node}, {"path", "scale"}}, times, floats(size, "VEC3", 3));
    }
    void channel(Json target, int times, int values) {
        Json& animations = m_json["animations"];
        if (animations.empty())
            animations.push_back(
                {{"name", "Move"}, {"samplers", Json::array()}, {"channels", Json::array()}});
        Json& own = animations[0];
        own["samplers"].push_back({{"input", times}, {"output", values}, {"interpolation", "LINEAR"}});
        own["channels"].push_back({{"sampler", own["samplers"].size() - 1}, {"target", std::move(target)}});
    }
    void use(const char* extension) {
        Json& used = m_json["extensionsUsed"];
        if (std::find(used.begin(), used.end(), extension) == used.end()) used.push_back(extension);
    }

    Result<void> save(const fs::path& path) {
        while (m_bytes.size() % 4)
            m_bytes.push_back(0);
        if (!m_bytes.empty()) m_json["buffers"] = Json::array({{{"byteLength", m_bytes.size()}}});
        std::string text = m_json.dump(-1, ' ', false, Json::error_handler_t::replace);
        text.append((4 - text.size() % 4) % 4, ' ');
        const std::size_t total = 12 + 8 + text.size() + (m_bytes.empty() ? 0 : 8 + m_bytes.size());
        if (total > 0xffffffffu) return fail("The set is too large for one glTF file: 4 GB at most.");
        std::string head;
        const auto number = [&](std::size_t value) {
            const auto v = static_cast<std::uint32_t>(value);
            for (int i = 0; i < 4; ++i)
                head += static_cast<char>(v >> (8 * i) & 0xff);
        };
        head += "glTF", number(2), number(total), number(text.size()), head += "JSON";
        const fs::path part = path.string() + ".part";
        errno = 0;
        std::ofstream out(part, std::ios::binary);
        out << head << text;
        if (!m_bytes.empty()) {
            head.clear();
            number(m_bytes.size()), head += std::string("BIN\0", 4);
            out << head;
            out.write(m_bytes.data(), static_cast<std::streamsize>(m_bytes.size()));
        }
        out.close();
        if (out && ::rename(part.c_str(), path.c_str()) == 0) return {};
        const int code = errno;
        ::unlink(part.c_str());
        return tl::unexpected(cannotWrite(path, code));
    }

private:
    Json m_json;
    std::vector<char> m_bytes;
};

/// A layer over the frames.
struct Hung {
    motion::Item first; ///< in the frame in which it is first there
    std::vector<Place> places;
};

class Writer {
public:
    Writer(const scene::Scene& scene, media::PixelCache& sources, const Progress& progress)
        : m_scene(scene), m_sources(sources), m_progress(progress) {}

    Result<GltfWritten> write(const fs::path& path, GltfContent content) {
        const motion::CameraMove move(m_scene);
        std::vector<Place> camera;
        std::vector<float> seconds, angles;
        for (std::int64_t n = 0; n < m_scene.output.frames; ++n) {
            if (m_progress.stopped()) return cancelled();
            const Rational time = timeOfFrame(n, m_scene.output.rate);
            const motion::Frame frame = motion::evaluate(m_scene, time, m_scene.output.frame, move, false);
            seconds.push_back(static_cast<float>(time.toDouble()));
            camera.push_back(placeOf(frame.view));
            angles.push_back(static_cast<float>(2 * std::atan(frame.size.y / 2.0 / frame.view.slope)));
            if (content == GltfContent::Set) hang(frame.items, static_cast<std::size_t>(n));
            m_progress.done(0.3 * static_cast<double>(n + 1) / static_cast<double>(m_scene.output.frames));
        }
        m_written.frames = static_cast<int>(seconds.size());
        m_times = seconds.size() > 1 ? m_file.floats(seconds, "SCALAR", 1) : -1;
        addCamera(camera, angles);
        std::size_t done = 0;
        for (const std::int64_t id : m_order) {
            Hung& hung = m_hung[id];
            hung.places.resize(seconds.size(), hung.places.back());
            if (auto ok = addCard(hung); !ok) return tl::unexpected(ok.error());
            m_progress.done(0.3 + 0.7 * static_cast<double>(++done) / static_cast<double>(m_order.size()));
        }
        m_written.layers = static_cast<int>(m_order.size());
        m_written.leftOut.assign(m_leftOut.begin(), m_leftOut.end());
        if (auto ok = m_file.save(path); !ok) return tl::unexpected(ok.error());
        return m_written;
    }

private:
    void hang(const std::vector<motion::Item>& items, std::size_t frame) {
        for (const motion::Item& item : items) {
            if (item.shadow) continue;
            if (item.flattened) {
                hang(item.items, frame);
                continue;
            }
            if (item.box || !item.pixels) {
                m_leftOut.insert(item.layer->name);
                continue;
            }
            const auto [at, fresh] = m_hung.try_emplace(item.layer->id);
            if (fresh) m_order.push_back(item.layer->id), at->second.first = item;
            const Place place = placeOf(item.card);
            std::vector<Place>& places = at->second.places;
            places.resize(frame, places.empty() ? place : places.back()); // while it is not visible
            places.push_back(place);
        }
    }

    void addCamera(const std::vector<Place>& places, const std::vector<float>& angles) {
        const scene::Pose& first = m_scene.camera.marks.front().pose;
        const V2d frame(m_scene.output.frame);
        const int camera = m_file.add(
            "cameras",
            {{"type", "perspective"},
             {"name", "Camera"},
             {"perspective", {{"yfov", angles.front()}, {"aspectRatio", frame.x / frame.y}, {"znear", 0.01}}},
             {"extras",
              {{"focalLength", first.focal},
               {"gate", m_scene.camera.gate},
               {"fStop", first.fstop},
               {"focusDistance", first.focus},
               {"shift", {m_scene.camera.shift.x, m_scene.camera.shift.y}}}}});
        const int node = m_file.addNode({{"name", "Camera"}, {"camera", camera}});
        m_file.animate(node, places, m_times);
        m_file.json()["nodes"][static_cast<std::size_t>(node)].erase("scale");
        if (std::all_of(angles.begin(), angles.end(),
                        [&](float a) { return std::abs(a - angles[0]) < 1e-7f; }))
            return;
        m_file.use("KHR_animation_pointer");
        m_file.channel({{"path", "pointer"},
                        {"extensions",
                         {{"KHR_animation_pointer",
                           {{"pointer", "/cameras/" + std::to_string(camera) + "/perspective/yfov"}}}}}},
                       m_times, m_file.floats(angles, "SCALAR", 1));
    }

    /// A card of size 1, about its middle; in pieces across where it is bent.
    int meshOf(const motion::Item& item, int material) {
        const optics::Surface& card = item.card;
        const Place place = placeOf(card);
        const Imath::M44d back = place.turn.toMatrix44().transposed();
        const int pieces = card.bend != 0 ? 48 : 1;
        std::vector<float> at, where;
        std::vector<std::uint16_t> corners;
        for (int i = 0; i <= pieces; ++i)
            for (int j = 0; j < 2; ++j) {
                const double s = static_cast<double>(i) / pieces;
                V3d local;
                back.multDirMatrix(card.at(s, j) - place.at, local);
                local /= place.size;
                for (int c = 0; c < 3; ++c)
                    at.push_back(static_cast<float>(local[c]));
                where.push_back(static_cast<float>(s)), where.push_back(static_cast<float>(j));
                if (i == pieces || j == 1) continue;
                const auto n = static_cast<std::uint16_t>(2 * i);
                for (const int corner : {0, 1, 2, 2, 1, 3}) // against the clock as seen from its front
                    corners.push_back(static_cast<std::uint16_t>(n + corner));
            }
        return m_file.add(
            "meshes", {{"name", item.layer->name},
                       {"primitives",
                        Json::array({{{"attributes",
                                       {{"POSITION", m_file.floats(at, "VEC3", 3, verticesTarget)},
                                        {"TEXCOORD_0", m_file.floats(where, "VEC2", 2, verticesTarget)}}},
                                      {"indices", m_file.indices(corners)},
                                      {"material", material}}})}});
    }

    /// Its picture as a PNG file, and whether something shows through it.
    Result<std::pair<std::vector<char>, bool>> pictureOf(const motion::Item& item) {
        const media::PixelSourcePtr source = cutout::sourceOf(*item.pixels);
        if (!source) return fail("Layer '" + item.layer->name + "' has no picture.");
        int level = 0;
        V2i size = source->size();
        while (std::max(size.x, size.y) > mostSide)
            size = media::levelSize(source->size(), ++level);
        auto raster = m_sources.read(source, level, media::boxOf(size), {{}, m_progress.stop});
        if (!raster) {
            if (raster.error().cancelled) return tl::unexpected(raster.error());
            return fail("Layer '" + item.layer->name + "': " + raster.error().sentence);
        }
        render::Image picture(size);
        bool through = false;
        for (std::size_t i = 0; i < picture.rgba.size(); ++i) {
            picture.rgba[i] = raster->rgba[i];
            through = through || (i % 4 == 3 && picture.rgba[i] < 0.999f);
        }
        Pixels pixels{size, render::encoded<std::uint8_t>(picture)};
        std::vector<char> png = pngFile(pixels, through);
        if (png.empty()) throw std::bad_alloc();
        return std::pair(std::move(png), through);
    }

    Result<void> addCard(const Hung& hung) {
        const motion::Item& item = hung.first;
        auto picture = pictureOf(item);
        if (!picture) return tl::unexpected(picture.error());
        const auto& [png, through] = *picture;
        if (m_sampler < 0)
            m_sampler = m_file.add(
                "samplers", {{"magFilter", 9729}, {"minFilter", 9987}, {"wrapS", 33071}, {"wrapT", 33071}});
        const int image = m_file.add("images", {{"name", item.layer->name},
                                                {"mimeType", "image/png"},
                                                {"bufferView", m_file.bytes(png.data(), png.size())}});
        const int texture = m_file.add("textures", {{"source", image}, {"sampler", m_sampler}});
        m_file.use("KHR_materials_unlit");
        Json material = {{"name", item.layer->name},
                         {"doubleSided", true},
                         {"pbrMetallicRoughness",
                          {{"baseColorTexture", {{"index", texture}}},
                           {"baseColorFactor", {1.0, 1.0, 1.0, std::clamp(item.opacity, 0.0, 1.0)}},
                           {"metallicFactor", 0.0}}},
                         {"extensions", {{"KHR_materials_unlit", Json::object()}}}};
        if (through || item.opacity < 1) material["alphaMode"] = "BLEND";
        const int mesh = meshOf(item, m_file.add("materials", std::move(material)));
        const int node = m_file.addNode({{"name", item.layer->name}, {"mesh", mesh}});
        m_file.animate(node, hung.places, m_times);
        return {};
    }

    const scene::Scene& m_scene;
    media::PixelCache& m_sources;
    const Progress& m_progress;
    File m_file;
    GltfWritten m_written;
    std::map<std::int64_t, Hung> m_hung;
    std::vector<std::int64_t> m_order; ///< as they lie, lowest first
    std::set<std::string> m_leftOut;
    int m_times = -1, m_sampler = -1;
};

}

Result<GltfWritten> writeGltf(const scene::Scene& scene, const fs::path& path, GltfContent content,
                              media::PixelCache& sources, const Progress& progress) {
    return guarded([&] { return Writer(scene, sources, progress).write(path, content); });
}

}
