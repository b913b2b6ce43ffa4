#include "edit/camera_file.h"

#include "edit/gltf_reader.h"
#include "media/plugin.h"

#include <algorithm>
#include <cmath>

namespace stage::edit {
namespace {

/// The angle that is nearest to another, by whole turns.
double near(double angle, double to) {
    return angle - 360 * std::round((angle - to) / 360);
}

/// What view.cc makes of pan, tilt and roll, the other way round.
scene::Pose poseFrom(const GltfCamera::Sample& sample, const scene::Scene& scene, double metres,
                     const scene::Pose& before) {
    const double* m = sample.toWorld;
    scene::Pose pose = before;
    pose.position = V3d(m[12], m[13], m[14]) * metres;
    const V3d right = V3d(m[0], m[1], m[2]).normalized(), forward = -V3d(m[8], m[9], m[10]).normalized();
    const double tilt = std::asin(std::clamp(forward.y, -1.0, 1.0));
    // Straight up or down pan is as before.
    const double pan =
        std::hypot(forward.x, forward.z) > 1e-9 ? std::atan2(forward.x, -forward.z) : radians(before.pan);
    const V3d level(std::cos(pan), 0, std::sin(pan)), above = level.cross(forward);
    const double roll = std::atan2(-right.dot(above), right.dot(level));
    constexpr double degree = 180 / 3.14159265358979323846;
    pose.pan = near(pan * degree, before.pan);
    pose.tilt = tilt * degree;
    pose.roll = near(roll * degree, before.roll);
    if (sample.angle > 1e-4 && sample.angle < 3.14) {
        const V2d frame(scene.output.frame);
        pose.focal = frame.y / 2 / std::tan(sample.angle / 2) * scene.camera.gate / frame.x;
    }
    return pose;
}

}

Result<Edit> cameraFrom(const scene::Scene& scene, const std::filesystem::path& file,
                        const CameraFileOptions& options) {
    const std::string cannot = "Cannot take a camera from " + file.string() + ": ";
    const auto reader = media::pluginOf<GltfReader>("gltf_reader");
    if (!reader) return tl::unexpected(reader.error());
    GltfCamera camera;
    std::string problem;
    const double rate = scene.output.rate.toDouble();
    if (!(*reader)->readCamera(file.string(), options.camera, rate, scene::Limits::keys, camera, problem))
        return fail(cannot + problem + ".");
    Edit poses = Edit::array();
    scene::Pose pose = scene.camera.marks.front().pose;
    for (std::size_t n = 0; n < camera.samples.size(); ++n) {
        pose = poseFrom(camera.samples[n], scene, options.metresPerUnit, pose);
        for (const double value : {pose.position.x, pose.position.y, pose.position.z, pose.pan, pose.roll})
            if (!(std::abs(value) <= scene::Limits::metres))
                return fail(cannot + "it goes beyond what a scene can hold.");
        const Rational time = options.at + timeOfFrame(static_cast<std::int64_t>(n), scene.output.rate);
        poses.push_back({{"time", time.text()},
                         {"position", {pose.position.x, pose.position.y, pose.position.z}},
                         {"pan", pose.pan},
                         {"tilt", pose.tilt},
                         {"roll", pose.roll},
                         {"focal", std::clamp(pose.focal, 0.1, 10'000.0)}});
    }
    return Edit{
        {"edit", "camera-path"}, {"as", options.marks ? "marks" : "tracks"}, {"poses", std::move(poses)}};
}

}
