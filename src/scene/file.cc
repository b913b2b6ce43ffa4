#include "scene/file.h"

#include "scene/scene_json.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fstream>
#include <functional>
#include <sys/stat.h>
#include <unistd.h>

namespace stage::scene {
namespace fs = std::filesystem;
namespace {

std::string systemReason(int code) {
    switch (code) {
    case ENOENT:
        return "it does not exist";
    case EACCES:
    case EPERM:
    case EROFS:
        return "permission is missing";
    case ENOSPC:
    case EDQUOT:
        return "the disk is full";
    default:
        return std::strerror(code);
    }
}

}

namespace {

void changePaths(std::vector<LayerPtr>& layers,
                 const std::function<std::string(const std::string&)>& change) {
    for (LayerPtr& slot : layers) {
        auto copy = std::make_shared<Layer>(*slot);
        if (copy->cutout && copy->cutout->key) {
            auto cutout = std::make_shared<Cutout>(*copy->cutout);
            if (auto* difference = std::get_if<DifferenceKey>(&*cutout->key))
                difference->plate = change(difference->plate);
            copy->cutout = std::move(cutout);
        }
        if (copy->grade && !copy->grade->look.path.empty()) {
            auto grade = std::make_shared<Grade>(*copy->grade);
            grade->look.path = change(grade->look.path);
            copy->grade = std::move(grade);
        }
        if (auto* picture = std::get_if<Picture>(&copy->content)) {
            picture->media.path = change(picture->media.path);
        } else if (auto* footage = std::get_if<Footage>(&copy->content)) {
            footage->media.path = change(footage->media.path);
        } else if (auto* group = std::get_if<Group>(&copy->content)) {
            changePaths(group->children, change);
            if (group->pattern) {
                std::vector<LayerPtr> pattern{group->pattern};
                changePaths(pattern, change);
                group->pattern = pattern.front();
            }
        }
        slot = std::move(copy);
    }
}

}

Result<std::string> readFile(const fs::path& path, std::size_t most) {
    const std::string name = path.string();
    struct stat info = {};
    if (::stat(path.c_str(), &info) != 0)
        return fail("Cannot read " + name + ": " + systemReason(errno) + ".");
    if (!S_ISREG(info.st_mode)) return fail("Cannot read " + name + ": it is not a file.");
    if (static_cast<std::uint64_t>(info.st_size) > most)
        return fail("Cannot read " + name + ": it is larger than " + std::to_string(most >> 20) + " MB.");
    std::ifstream in(path, std::ios::binary);
    std::string text(static_cast<std::size_t>(info.st_size), '\0');
    if (!in.read(text.data(), static_cast<std::streamsize>(text.size())))
        return fail("Cannot read " + name + ": " + (errno ? systemReason(errno) : "it ends early") + ".");
    return text;
}

fs::path behindLinks(const fs::path& path) {
    fs::path place = path;
    std::error_code code;
    for (int links = 0; links < 40 && fs::is_symlink(place, code); ++links) {
        const fs::path target = fs::read_symlink(place, code);
        if (code) break;
        place = target.is_absolute() ? target : place.parent_path() / target;
    }
    return place;
}

Result<void> writeFileAtomically(const fs::path& named, std::string_view contents) {
    const fs::path path = behindLinks(named);
    const std::string beside = path.string() + ".writing-" + std::to_string(::getpid());
    const auto failed = [&](int code) {
        ::unlink(beside.c_str());
        return fail("Cannot write " + path.string() + ": " + systemReason(code) +
                    ". What was there before is unchanged.");
    };
    const int fd = ::open(beside.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
    if (fd < 0) return failed(errno);
    while (!contents.empty()) {
        const ssize_t written = ::write(fd, contents.data(), contents.size());
        if (written < 0 && errno == EINTR) continue;
        if (written < 0) {
            const int code = errno;
            ::close(fd);
            return failed(code);
        }
        contents.remove_prefix(static_cast<std::size_t>(written));
    }
    if (::fsync(fd) != 0) {
        const int code = errno;
        ::close(fd);
        return failed(code);
    }
    if (::close(fd) != 0) return failed(errno);
    if (::rename(beside.c_str(), path.c_str()) != 0) return failed(errno);
    const fs::path folder = path.parent_path().empty() ? fs::path(".") : path.parent_path();
    if (const int dir = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC); dir >= 0) {
        ::fsync(dir); // makes the rename itself last; some file systems refuse, which is no loss
        ::close(dir);
    }
    return {};
}

Scene withMediaPaths(Scene scene, const std::function<std::string(const std::string&)>& change) {
    changePaths(scene.layers, change);
    const auto changeOne = [&](std::string& path) {
        if (!path.empty()) path = change(path);
    };
    changeOne(scene.grade.look.path);
    for (DepthGrade& each : scene.depthGrades)
        changeOne(each.grade.look.path);
    changeOne(scene.viewTransform.config);
    return scene;
}

Result<Scene> load(const fs::path& path) {
    const auto text = readFile(path);
    if (!text) return tl::unexpected(text.error());
    const auto because = [&](const std::string& reason) {
        return fail("Cannot open " + path.string() + ": " + reason + ".");
    };
    const auto json = parseJson(*text);
    if (!json) return because(json.error().sentence);
    auto scene = sceneFromJson(*json);
    if (!scene) return because(scene.error().sentence);
    const fs::path folder = fs::absolute(path).parent_path();
    return withMediaPaths(std::move(*scene), [&](const std::string& media) {
        return (folder / media).lexically_normal().string();
    });
}

Result<void> save(const Scene& scene, const fs::path& path) {
    const fs::path folder = fs::absolute(path).parent_path();
    const Scene relative = withMediaPaths(scene, [&](const std::string& media) {
        const fs::path shorter = fs::path(media).lexically_relative(folder);
        return shorter.empty() ? media : shorter.string();
    });
    return writeFileAtomically(path,
                               toJson(relative).dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
}

}
