#include "edit/gltf_reader.h"

#include <Imath/ImathMatrix.h>
#include <Imath/ImathQuat.h>
#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <tiny_gltf.h>

namespace stage::edit {
namespace {

using Imath::M44d;
using Imath::Quatd;
using Imath::V3d;

/// Thrown with what is wrong with a file.
struct Wrong {
    std::string sentence;
};

/// The numbers of an accessor, each of so many parts.
std::vector<double> numbers(const tinygltf::Model& model, int index, std::size_t parts) {
    const auto at = [](const auto& list, int i) -> const auto& {
        if (i < 0 || static_cast<std::size_t>(i) >= list.size())
            throw Wrong{"it names something that is not in it"};
        return list[static_cast<std::size_t>(i)];
    };
    const tinygltf::Accessor& accessor = at(model.accessors, index);
    if (accessor.sparse.isSparse) throw Wrong{"its animation is stored sparsely, which is not read"};
    if (static_cast<std::size_t>(
            tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(accessor.type))) != parts)
        throw Wrong{"the values of its animation are of the wrong kind"};
    const tinygltf::BufferView& view = at(model.bufferViews, accessor.bufferView);
    const std::vector<unsigned char>& bytes = at(model.buffers, view.buffer).data;
    const int size = tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(accessor.componentType));
    if (size <= 0) throw Wrong{"the values of its animation are of the wrong kind"};
    const std::size_t each = parts * static_cast<std::size_t>(size),
                      stride = view.byteStride ? view.byteStride : each,
                      begin = view.byteOffset + accessor.byteOffset;
    if (accessor.count == 0 || accessor.count > 10'000'000 || stride > 4096 || begin > bytes.size() ||
        (accessor.count - 1) * stride + each > bytes.size() - begin)
        throw Wrong{"its animation goes beyond its data"};
    std::vector<double> values;
    values.reserve(accessor.count * parts);
    for (std::size_t i = 0; i < accessor.count; ++i)
        for (std::size_t c = 0; c < parts; ++c) {
            const unsigned char* from =
                bytes.data() + begin + i * stride + c * static_cast<std::size_t>(size);
            const auto as = [&](auto value) {
                std::memcpy(&value, from, sizeof value);
                return value;
            };
            double value = 0;
            switch (accessor.componentType) { // whole numbers are normalised
            case TINYGLTF_COMPONENT_TYPE_FLOAT:
                value = static_cast<double>(as(0.f));
                break;
            case TINYGLTF_COMPONENT_TYPE_BYTE:
                value = std::max(as(std::int8_t{}) / 127.0, -1.0);
                break;
            case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE:
                value = as(std::uint8_t{}) / 255.0;
                break;
            case TINYGLTF_COMPONENT_TYPE_SHORT:
                value = std::max(as(std::int16_t{}) / 32767.0, -1.0);
                break;
            case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT:
                value = as(std::uint16_t{}) / 65535.0;
                break;
            default:
                throw Wrong{"the values of its animation are of the wrong kind"};
            }
            if (!std::isfinite(value)) throw Wrong{"it holds values that are no numbers"};
            values.push_back(value);
        }
    return values;
}

/// A value over time.
class Curve {
public:
    Curve(const tinygltf::Model& model, const tinygltf::AnimationSampler& sampler, std::size_t parts)
        : m_parts(parts), m_times(numbers(model, sampler.input, 1)),
          m_values(numbers(model, sampler.output, parts)), m_step(sampler.interpolation == "STEP"),
          m_cubic(sampler.interpolation == "CUBICSPLINE") {
        if (m_values.size() < m_times.size() * parts * (m_cubic ? 3 : 1))
            throw Wrong{"its animation lacks values"};
        if (!std::is_sorted(m_times.begin(), m_times.end()))
            throw Wrong{"the times of its animation are not in order"};
    }
    double begin() const { return m_times.front(); }
    double end() const { return m_times.back(); }
    /// turn: by the short way over the sphere.
    std::array<double, 4> at(double seconds, bool turn) const {
        const auto after = std::upper_bound(m_times.begin(), m_times.end(), seconds);
        const std::size_t b = std::min(static_cast<std::size_t>(after - m_times.begin()), m_times.size() - 1),
                          a = after == m_times.begin()
                                  ? 0
                                  : static_cast<std::size_t>(after - m_times.begin()) - 1;
        std::array<double, 4> from = key(a), to = key(b);
        const double span = m_times[b] - m_times[a];
        const double u = span > 0 ? std::clamp((seconds - m_times[a]) / span, 0.0, 1.0) : 0;
        if (m_step || a == b) return from;
        if (turn && !m_cubic) {
            const Quatd p(from[3], from[0], from[1], from[2]), q(to[3], to[0], to[1], to[2]);
            const Quatd mid = Imath::slerpShortestArc(p.normalized(), q.normalized(), u);
            return {mid.v.x, mid.v.y, mid.v.z, mid.r};
        }
        for (std::size_t c = 0; c < m_parts; ++c) {
            if (m_cubic) { // cubic Hermite spline, glTF 2.0, appendix C
                const double out = m_values[(3 * a + 2) * m_parts + c] * span,
                             in = m_values[3 * b * m_parts + c] * span;
                const double u2 = u * u, u3 = u2 * u;
                from[c] = (2 * u3 - 3 * u2 + 1) * from[c] + (u3 - 2 * u2 + u) * out +
                          (3 * u2 - 2 * u3) * to[c] + (u3 - u2) * in;
            } else {
                from[c] += (to[c] - from[c]) * u;
            }
        }
        return from;
    }

private:
    std::array<double, 4> key(std::size_t i) const {
        std::array<double, 4> value{};
        for (std::size_t c = 0; c < m_parts; ++c)
            value[c] = m_values[(m_cubic ? 3 * i + 1 : i) * m_parts + c];
        return value;
    }
    std::size_t m_parts;
    std::vector<double> m_times, m_values;
    bool m_step, m_cubic;
};

/// A camera in the tree of a file's nodes.
class Hung {
public:
    /// json: the file's, for what the library does not read.
    Hung(const tinygltf::Model& model, const nlohmann::json& json, const std::string& wanted)
        : m_model(model) {
        for (std::size_t i = 0; i < model.nodes.size() && m_chain.empty(); ++i) {
            const tinygltf::Node& node = model.nodes[i];
            if (node.camera < 0 || static_cast<std::size_t>(node.camera) >= model.cameras.size()) continue;
            const tinygltf::Camera& camera = model.cameras[static_cast<std::size_t>(node.camera)];
            if (!wanted.empty() && node.name != wanted && camera.name != wanted) continue;
            m_name = node.name.empty() ? camera.name : node.name;
            m_camera = node.camera;
            if (camera.type == "perspective") m_angle = camera.perspective.yfov;
            m_chain = {static_cast<int>(i)};
        }
        if (m_chain.empty())
            throw Wrong{wanted.empty() ? "there is no camera in it"
                                       : "there is no camera '" + wanted + "' in it"};
        for (;;) { // up to the root
            const int child = m_chain.back();
            int parent = -1;
            for (std::size_t i = 0; i < model.nodes.size(); ++i)
                if (std::find(model.nodes[i].children.begin(), model.nodes[i].children.end(), child) !=
                    model.nodes[i].children.end())
                    parent = static_cast<int>(i);
            if (parent < 0) break;
            if (m_chain.size() > 1000 || std::find(m_chain.begin(), m_chain.end(), parent) != m_chain.end())
                throw Wrong{"its nodes hold each other in a circle"};
            m_chain.push_back(parent);
        }
        for (const tinygltf::Animation& animation : model.animations)
            for (const tinygltf::AnimationChannel& channel : animation.channels)
                take(animation, channel);
        takeAngles(json);
    }
    const std::string& name() const { return m_name; }
    /// Of all that moves it; the same twice: nothing does.
    std::pair<double, double> range() const {
        std::pair<double, double> all(1e300, -1e300);
        const auto add = [&](const Curve& curve) {
            all.first = std::min(all.first, curve.begin()), all.second = std::max(all.second, curve.end());
        };
        for (const auto& [key, curve] : m_curves)
            add(curve);
        if (m_angles) add(*m_angles);
        return all.first > all.second ? std::pair(0.0, 0.0) : all;
    }
    GltfCamera::Sample at(double seconds) const {
        M44d whole; // rows, as Imath has it: the nearest first
        for (const int node : m_chain)
            whole = whole * matrixOf(node, seconds);
        GltfCamera::Sample sample;
        sample.seconds = seconds;
        for (int i = 0; i < 4; ++i)
            for (int j = 0; j < 4; ++j)
                sample.toWorld[4 * i + j] = whole[i][j];
        sample.angle = m_angles ? m_angles->at(seconds, false)[0] : m_angle;
        return sample;
    }

private:
    void take(const tinygltf::Animation& animation, const tinygltf::AnimationChannel& channel) {
        if (channel.sampler < 0 || static_cast<std::size_t>(channel.sampler) >= animation.samplers.size())
            return;
        const tinygltf::AnimationSampler& sampler =
            animation.samplers[static_cast<std::size_t>(channel.sampler)];
        if (std::find(m_chain.begin(), m_chain.end(), channel.target_node) == m_chain.end()) return;
        const char path = channel.target_path == "translation" ? 't'
                          : channel.target_path == "rotation"  ? 'r'
                          : channel.target_path == "scale"     ? 's'
                                                               : 0;
        if (path)
            m_curves.insert_or_assign({channel.target_node, path},
                                      Curve(m_model, sampler, path == 'r' ? 4 : 3));
    }
    /// By KHR_animation_pointer, whose channels have no node.
    void takeAngles(const nlohmann::json& json) {
        const nlohmann::json pointer = "/cameras/" + std::to_string(m_camera) + "/perspective/yfov";
        const nlohmann::json none = nlohmann::json::array();
        const auto list = [&](const nlohmann::json& of, const char* key) -> const nlohmann::json& {
            return of.is_object() && of.contains(key) && of[key].is_array() ? of[key] : none;
        };
        const nlohmann::json& animations = list(json, "animations");
        for (std::size_t i = 0; i < std::min(animations.size(), m_model.animations.size()); ++i)
            for (const nlohmann::json& channel : list(animations[i], "channels")) {
                static const nlohmann::json::json_pointer way(
                    "/target/extensions/KHR_animation_pointer/pointer");
                if (!channel.is_object() || !channel.contains(way) || channel[way] != pointer) continue;
                const auto& samplers = m_model.animations[i].samplers;
                const nlohmann::json& sampler = channel.value("sampler", nlohmann::json());
                if (sampler.is_number_unsigned() && sampler.get<std::size_t>() < samplers.size())
                    m_angles.emplace(m_model, samplers[sampler.get<std::size_t>()], 1);
            }
    }
    M44d matrixOf(int index, double seconds) const {
        const tinygltf::Node& node = m_model.nodes[static_cast<std::size_t>(index)];
        M44d m;
        if (node.matrix.size() == 16) {
            for (int i = 0; i < 4; ++i) // columns one after the other are rows to Imath
                for (int j = 0; j < 4; ++j)
                    m[i][j] = node.matrix[static_cast<std::size_t>(4 * i + j)];
            return m;
        }
        const auto value = [&](char path, const std::vector<double>& own, std::array<double, 4> usual) {
            if (const auto curve = m_curves.find({index, path}); curve != m_curves.end())
                return curve->second.at(seconds, path == 'r');
            std::copy_n(own.begin(), std::min<std::size_t>(own.size(), 4), usual.begin());
            return usual;
        };
        const auto s = value('s', node.scale, {1, 1, 1, 0}), r = value('r', node.rotation, {0, 0, 0, 1}),
                   t = value('t', node.translation, {0, 0, 0, 0});
        M44d scale, move;
        scale.setScale(V3d(s[0], s[1], s[2]));
        move.setTranslation(V3d(t[0], t[1], t[2]));
        return scale * Quatd(r[3], r[0], r[1], r[2]).normalized().toMatrix44() * move;
    }

    const tinygltf::Model& m_model;
    std::string m_name;
    int m_camera = -1;
    double m_angle = 0;
    std::vector<int> m_chain; ///< nodes, the camera's first
    std::map<std::pair<int, char>, Curve> m_curves;
    std::optional<Curve> m_angles;
};

/// The text of a file: all of it, or the first chunk of a binary one.
nlohmann::json jsonOf(const std::string& path, bool binary) {
    std::ifstream in(path, std::ios::binary);
    std::string text((std::istreambuf_iterator<char>(in)), {});
    if (binary && text.size() > 20) {
        std::uint32_t size = 0;
        std::memcpy(&size, text.data() + 12, sizeof size);
        text = text.substr(20, size);
    }
    return nlohmann::json::parse(text, nullptr, false);
}

bool readCamera(const std::string& path, const std::string& name, double rate, std::size_t mostSamples,
                GltfCamera& camera, std::string& problem) {
    try {
        std::error_code code;
        const auto size = std::filesystem::file_size(path, code);
        if (code) throw Wrong{code.message()};
        constexpr std::uintmax_t most = std::uintmax_t{2} << 30;
        if (size > most) throw Wrong{"it is larger than 2 GB"};
        tinygltf::TinyGLTF reader;
        // Pictures are of no account here.
        reader.SetImageLoader([](tinygltf::Image*, int, std::string*, std::string*, int, int,
                                 const unsigned char*, int, void*) { return true; },
                              nullptr);
        tinygltf::Model model;
        std::string error, warning;
        const bool binary = path.size() > 4 && path.substr(path.size() - 4) == ".glb";
        if (!(binary ? reader.LoadBinaryFromFile(&model, &error, &warning, path)
                     : reader.LoadASCIIFromFile(&model, &error, &warning, path))) {
            while (!error.empty() && (error.back() == '\n' || error.back() == '.'))
                error.pop_back();
            throw Wrong{"it is no glTF file that can be read" + (error.empty() ? "" : " (" + error + ")")};
        }
        const Hung hung(model, jsonOf(path, binary), name);
        camera.name = hung.name();
        const auto [begin, end] = hung.range();
        if (!(end - begin < 1e6)) throw Wrong{"its animation is too long"};
        const double steps = std::floor((end - begin) * rate + 1.5);
        if (steps > static_cast<double>(mostSamples)) throw Wrong{"its animation is too long"};
        for (double n = 0; n < std::max(1.0, steps); ++n)
            camera.samples.push_back(hung.at(std::min(begin + n / rate, end)));
        return true;
    } catch (const Wrong& wrong) {
        problem = wrong.sentence;
    } catch (const std::exception& thrown) { // of the library
        problem = std::string("it cannot be read (") + thrown.what() + ")";
    }
    return false;
}

}

extern "C" __attribute__((visibility("default"))) const GltfReader stagePlugin;
const GltfReader stagePlugin{&readCamera};

}
