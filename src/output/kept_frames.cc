#include "output/kept_frames.h"

#include "media/picture_file.h"
#include "media/plugin.h"
#include "scene/file.h"

#include <cerrno>
#include <cmath>
#include <fcntl.h>
#include <fstream>
#include <unistd.h>

namespace stage::output {
namespace fs = std::filesystem;
namespace {

constexpr const char* jobFile = "job.txt";

std::optional<Pixels> readPixels(const fs::path& path, int bits, V2i size) {
    const auto files = media::pluginOf<media::PictureFiles>("picture_files");
    std::string problem;
    const auto file = files ? (*files)->open(path.string(), nullptr, problem) : nullptr;
    if (!file) return std::nullopt;
    const auto spec = file->spec();
    const std::size_t channels = spec.channels.size();
    if (spec.size != size || channels < 3 || channels > 4 || (bits == 8) != spec.isByte) return std::nullopt;
    const std::size_t count = static_cast<std::size_t>(size.x) * size.y;
    const auto fourOf = [&](const auto& values, auto full, const auto& made) {
        std::vector<decltype(full)> rgba(count * 4, full);
        for (std::size_t i = 0; i < count; ++i)
            for (std::size_t c = 0; c < channels; ++c)
                rgba[4 * i + c] = made(values[channels * i + c]);
        return rgba;
    };
    Pixels pixels;
    pixels.size = size;
    if (bits == 8) {
        std::vector<std::uint8_t> bytes(count * channels);
        if (!file->readBytes(0, size.y, bytes.data())) return std::nullopt;
        pixels.rgba = fourOf(bytes, std::uint8_t{255}, [](std::uint8_t v) { return v; });
        return pixels;
    }
    std::vector<float> floats(count * channels);
    if (!file->read(0, size.y, floats.data())) return std::nullopt;
    if (bits == 16)
        pixels.rgba = fourOf(floats, std::uint16_t{65535},
                             [](float v) { return static_cast<std::uint16_t>(std::lround(v * 65535)); });
    else
        pixels.rgba = fourOf(floats, 1.f, [](float v) { return v; });
    return pixels;
}

}

fs::path keptFramesOf(const fs::path& movie) {
    return movie.parent_path() / ("." + movie.filename().string() + ".frames");
}

Result<KeptFrames> KeptFrames::open(fs::path folder, const std::string& job, int bits, bool alpha) {
    // What is in it, where nothing says that frames are kept there, is somebody's own.
    const fs::path named = folder / jobFile;
    std::error_code code;
    if (fs::exists(folder, code)) {
        const auto there = scene::readFile(named);
        if (!there && !fs::is_empty(folder, code))
            return fail("Cannot keep frames in " + folder.string() + ": something else is in it.");
        if (there && *there != job) fs::remove_all(folder, code);
    }
    fs::create_directory(folder, code);
    if (code) return tl::unexpected(cannotWrite(folder, code.value()));
    if (!fs::exists(named, code)) {
        const fs::path part = folder / (".job.part" + std::to_string(::getpid()));
        std::ofstream out(part);
        out << job;
        out.close();
        if (!out) return tl::unexpected(cannotWrite(named, ENOSPC));
        fs::rename(part, named, code);
        if (code) return tl::unexpected(cannotWrite(named, code.value()));
    }
    SinkSpec spec;
    spec.path = folder / (bits == 32 ? "######.exr" : "######.png");
    spec.format = bits == 32 ? Format::Exr : Format::Png;
    spec.encoding.bits = bits;
    if (bits == 32) spec.encoding.compression = "zips";
    spec.alpha = alpha;
    return KeptFrames(std::move(spec));
}

bool KeptFrames::has(std::int64_t frame) const {
    return ::access(numbered(m_spec.path, frame).c_str(), R_OK) == 0;
}

Result<void> KeptFrames::keep(std::int64_t frame, const Pixels& pixels) const {
    return writePicture(m_spec, numbered(m_spec.path, frame), pixels);
}

std::optional<Pixels> KeptFrames::read(std::int64_t frame, V2i size) const {
    const fs::path path = numbered(m_spec.path, frame);
    auto pixels = readPixels(path, m_spec.encoding.bits, size);
    if (!pixels) ::unlink(path.c_str());
    return pixels;
}

Result<void> KeptFrames::mark(std::int64_t number) const {
    const fs::path file = markOf(number);
    const int made = ::open(file.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0666);
    if (made < 0) return tl::unexpected(cannotWrite(file, errno));
    ::close(made);
    return {};
}

bool KeptFrames::marked(std::int64_t number) const {
    return ::access(markOf(number).c_str(), F_OK) == 0;
}

fs::path KeptFrames::markOf(std::int64_t number) const {
    return m_spec.path.parent_path() / (std::to_string(number) + ".written");
}

void KeptFrames::removeEmpty() const {
    const fs::path folder = m_spec.path.parent_path();
    std::error_code code;
    for (const fs::directory_entry& entry : fs::directory_iterator(folder, code))
        if (entry.path().filename() != jobFile) return;
    fs::remove_all(folder, code);
}

void KeptFrames::remove() const {
    drop(m_spec.path.parent_path());
}

void KeptFrames::drop(const fs::path& folder) {
    std::error_code code;
    if (fs::exists(folder / jobFile, code)) fs::remove_all(folder, code);
}

}
