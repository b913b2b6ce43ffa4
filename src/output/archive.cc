#include "output/archive.h"

#include "output/sink.h"
#include "output/zip_writer.h"
#include "scene/file.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <archive.h>
#include <archive_entry.h>
#include <cerrno>
#include <fcntl.h>
#include <fstream>
#include <map>
#include <memory>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>

namespace stage::output {
namespace fs = std::filesystem;
namespace {

constexpr const char *sceneName = "scene.ostage", *mediaName = "media", *fontsName = "fonts.txt";
constexpr std::size_t mostMembers = 200'000;

using Reader = std::unique_ptr<archive, decltype(&archive_read_free)>;
using Entry = std::unique_ptr<archive_entry, decltype(&archive_entry_free)>;

/// Files that a path of a scene stands for, with what they are called in the archive.
class Members {
public:
    /// The path as it is in the archive.
    std::string add(const std::string& path) {
        if (const auto known = m_paths.find(path); known != m_paths.end()) return known->second;
        const fs::path from(path);
        std::string name;
        std::error_code there;
        if (from.filename().string().find('#') != std::string::npos && !fs::exists(from, there)) {
            // Pictures in sequence keep their names, in a folder of their own.
            const std::string folder =
                free(from.stem().string().substr(0, from.stem().string().find('#')) + "sequence");
            for (const fs::path& each : sequence(from))
                m_files[folder + "/" + each.filename().string()] = each;
            name = folder + "/" + from.filename().string();
        } else if (from.extension() == ".ocio") {
            // A configuration reads tables beside it.
            const std::string folder = free(from.stem().string());
            std::error_code code;
            for (const auto& each : fs::recursive_directory_iterator(from.parent_path(), code))
                if (each.is_regular_file(code))
                    m_files[folder + "/" + each.path().lexically_relative(from.parent_path()).string()] =
                        each.path();
            name = folder + "/" + from.filename().string();
        } else {
            name = free(from.filename().string());
            m_files[name] = from;
        }
        return m_paths[path] = std::string(mediaName) + "/" + name;
    }
    const std::map<std::string, fs::path>& files() const { return m_files; }

private:
    /// A name that is not used yet, whatever its case.
    std::string free(const std::string& wanted) {
        const fs::path name(wanted);
        for (int n = 1;; ++n) {
            const std::string next =
                n == 1 ? wanted : name.stem().string() + "-" + std::to_string(n) + name.extension().string();
            std::string lower = next;
            std::transform(lower.begin(), lower.end(), lower.begin(),
                           [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
            if (m_names.insert(lower).second) return next;
        }
    }
    static std::vector<fs::path> sequence(const fs::path& pattern) {
        const std::string name = pattern.filename().string(), before = name.substr(0, name.find('#')),
                          after = name.substr(name.find_last_of('#') + 1);
        std::vector<fs::path> files;
        std::error_code code;
        for (const auto& each : fs::directory_iterator(pattern.parent_path(), code)) {
            const std::string is = each.path().filename().string();
            if (is.size() <= before.size() + after.size() || !is.starts_with(before) || !is.ends_with(after))
                continue;
            const std::string digits = is.substr(before.size(), is.size() - before.size() - after.size());
            if (std::all_of(digits.begin(), digits.end(), [](char c) { return c >= '0' && c <= '9'; }))
                files.push_back(each.path());
        }
        return files;
    }
    std::map<std::string, std::string> m_paths;
    std::map<std::string, fs::path> m_files; ///< by name in media/
    std::set<std::string> m_names;
};

/// Where a member comes to lie; nothing: outside.
std::optional<fs::path> placeOf(const fs::path& folder, const char* name) {
    if (!name || !*name) return std::nullopt;
    const fs::path path(name);
    if (path.is_absolute() || std::string_view(name).find('\\') != std::string_view::npos)
        return std::nullopt;
    for (const fs::path& part : path)
        if (part == ".." || part == ".") return std::nullopt;
    return folder / path;
}

/// A new folder, which goes with all that is in it unless it is kept.
struct NewFolder {
    fs::path path;
    bool kept = false;
    ~NewFolder() {
        std::error_code code;
        if (!kept) fs::remove_all(path, code);
    }
};

}

Result<Archived> writeArchive(const scene::Scene& scene, const fs::path& archive, const Progress& progress) {
    return guarded([&]() -> Result<Archived> {
        Members members;
        Archived archived;
        const scene::Scene inside =
            scene::withMediaPaths(scene, [&](const std::string& path) { return members.add(path); });
        scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
            if (const auto* text = std::get_if<scene::Text>(&layer->content); text && !text->font.empty())
                archived.fonts.insert(text->font);
        });
        for (const auto& [name, from] : members.files()) {
            std::error_code code;
            const auto size = fs::file_size(from, code);
            if (code) return fail("Cannot read " + from.string() + ": " + code.message() + ".");
            ++archived.files, archived.bytes += static_cast<std::int64_t>(size);
        }
        ZipWriter writer(archive);
        if (auto ok = writer.open(); !ok) return tl::unexpected(ok.error());
        const std::string json =
            scene::toJson(inside).dump(2, ' ', false, scene::Json::error_handler_t::replace) + '\n';
        if (auto ok = writer.add(sceneName, json); !ok) return tl::unexpected(ok.error());
        if (!archived.fonts.empty()) {
            std::string list;
            for (const std::string& font : archived.fonts)
                list += font + '\n';
            if (auto ok = writer.add(fontsName, list); !ok) return tl::unexpected(ok.error());
        }
        std::int64_t done = 0;
        for (const auto& [name, from] : members.files()) {
            const auto ok = writer.addFile(std::string(mediaName) + "/" + name, from, [&](std::int64_t more) {
                done += more;
                progress.done(static_cast<double>(done) /
                              static_cast<double>(std::max<std::int64_t>(1, archived.bytes)));
                return !progress.stopped();
            });
            if (!ok) return tl::unexpected(ok.error());
        }
        if (auto ok = writer.finish(); !ok) return tl::unexpected(ok.error());
        return archived;
    });
}

Result<fs::path> unpackArchive(const fs::path& archive, const fs::path& folder, const Progress& progress) {
    return guarded([&]() -> Result<fs::path> {
        const std::string cannot = "Cannot unpack " + archive.string() + ": ";
        std::error_code code;
        const fs::path whole = fs::absolute(folder).lexically_normal();
        const fs::path target = whole.has_filename() ? whole : whole.parent_path();
        if (fs::exists(target, code))
            return fail(cannot + "there is something at " + target.string() + " already.");
        const Reader reader(archive_read_new(), archive_read_free);
        archive_read_support_format_zip_seekable(reader.get());
        if (archive_read_open_filename(reader.get(), archive.c_str(), 1u << 16) != ARCHIVE_OK)
            return fail(cannot + "it cannot be read, or is no zip file.");
        NewFolder made{target.parent_path() /
                       ("." + target.filename().string() + ".part" + std::to_string(::getpid()))};
        if (!fs::create_directory(made.path, code)) return tl::unexpected(cannotWrite(target, code.value()));
        struct statvfs disk {};
        const std::int64_t room =
            ::statvfs(made.path.c_str(), &disk) == 0
                ? static_cast<std::int64_t>(disk.f_bavail) * static_cast<std::int64_t>(disk.f_frsize)
                : std::int64_t{1} << 62;
        const auto packed = static_cast<double>(fs::file_size(archive, code));
        std::set<std::string> names;
        std::int64_t bytes = 0;
        std::vector<char> buffer(1u << 20);
        archive_entry* entry = nullptr;
        for (int status; (status = archive_read_next_header(reader.get(), &entry)) != ARCHIVE_EOF;) {
            if (status != ARCHIVE_OK && status != ARCHIVE_WARN) return fail(cannot + "it is damaged.");
            const char* name = archive_entry_pathname(entry);
            const auto place = placeOf(made.path, name);
            if (!place)
                return fail(cannot + "'" + std::string(name ? name : "") +
                            "' would lie outside of the folder.");
            if (archive_entry_filetype(entry) == AE_IFDIR) continue;
            if (archive_entry_filetype(entry) != AE_IFREG || archive_entry_hardlink(entry))
                return fail(cannot + "'" + name + "' is no plain file.");
            if (!names.insert(name).second) return fail(cannot + "'" + name + "' is in it twice.");
            if (names.size() > mostMembers) return fail(cannot + "it has too many files.");
            fs::create_directories(place->parent_path(), code);
            const int file =
                ::open(place->c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, 0666);
            if (file < 0) return fail(cannot + "'" + name + "' cannot be written there.");
            std::unique_ptr<const int, void (*)(const int*)> closing(&file,
                                                                     [](const int* f) { ::close(*f); });
            for (;;) {
                const la_ssize_t got = archive_read_data(reader.get(), buffer.data(), buffer.size());
                if (got == 0) break;
                if (got < 0) return fail(cannot + "it is damaged.");
                bytes += got;
                if (bytes > room / 20 * 19) return fail(cannot + "the disk is full.");
                for (la_ssize_t done = 0; done < got;) {
                    const ssize_t wrote =
                        ::write(file, buffer.data() + done, static_cast<std::size_t>(got - done));
                    if (wrote < 0 && errno == EINTR) continue;
                    if (wrote <= 0) return tl::unexpected(cannotWrite(target, errno));
                    done += wrote;
                }
                if (progress.stopped()) return cancelled();
                progress.done(std::min(1.0, static_cast<double>(bytes) / std::max(1.0, packed)));
            }
        }
        if (!names.contains(sceneName)) return fail(cannot + "there is no " + sceneName + " in it.");
        if (const auto scene = scene::load(made.path / sceneName); !scene)
            return fail(cannot + scene.error().sentence);
        // It is called as the archive is, which is how it will be known.
        std::string name = archive.stem().string() + fs::path(sceneName).extension().string();
        if (archive.stem().empty() || fs::exists(made.path / name, code))
            name = sceneName;
        else if (fs::rename(made.path / sceneName, made.path / name, code); code)
            return tl::unexpected(cannotWrite(target, code.value()));
        fs::rename(made.path, target, code);
        if (code) return tl::unexpected(cannotWrite(target, code.value()));
        made.kept = true;
        return target / name;
    });
}

}
