#include "output/kept_frames.h"

#include "media/packed.h"
#include "output/sample_rows.h"
#include "output/sink.h"
#include "scene/file.h"

#include <array>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fstream>
#include <unistd.h>

namespace stage::output {
namespace fs = std::filesystem;
namespace {

constexpr const char* jobFile = "job.txt";

/// What a file ends with, in the order of this machine's bytes. Before it come, packed, the rows from the
/// top: of each the lowest bytes of all samples, then the next ones; a sample, as a whole number of its bits,
/// less that of the same channel of the pixel to the left.
struct Footer {
    std::array<char, 8> kind{'f', 'r', 'a', 'm', 'e', ' ', '1', '\n'};
    std::int32_t width = 0, height = 0, bits = 0, channels = 0;
    bool operator==(const Footer&) const = default;
};
static_assert(sizeof(Footer) == 24);

template <class Bits> Bits bitsAt(const void* samples, std::size_t i) {
    Bits bits;
    std::memcpy(&bits, static_cast<const char*>(samples) + i * sizeof(Bits), sizeof(Bits));
    return bits;
}

template <class Bits> void takeApart(const void* rgba, V2i size, int channels, std::uint8_t* out) {
    if constexpr (sizeof(Bits) == 1) {
        const auto* row = static_cast<const std::uint8_t*>(rgba);
        for (int y = 0; y < size.y; ++y, row += 4 * size.x, out += channels * size.x)
            differencesAlong(row, size.x, channels, out);
        return;
    }
    const auto count = static_cast<std::size_t>(size.x) * channels;
    for (int y = 0; y < size.y; ++y, out += count * sizeof(Bits)) {
        std::array<Bits, 4> left{};
        std::size_t pixel = static_cast<std::size_t>(y) * size.x * 4, n = 0;
        for (int x = 0; x < size.x; ++x, pixel += 4)
            for (std::size_t c = 0; c < static_cast<std::size_t>(channels); ++c, ++n) {
                const auto bits = bitsAt<Bits>(rgba, pixel + c);
                const auto apart = static_cast<Bits>(bits - left[c]);
                left[c] = bits;
                for (std::size_t b = 0; b < sizeof(Bits); ++b)
                    out[b * count + n] = static_cast<std::uint8_t>(apart >> (8 * b));
            }
    }
}

/// rgba: all of whose samples are those of full alpha.
template <class Bits> void putTogether(const std::uint8_t* in, V2i size, int channels, void* rgba) {
    const auto count = static_cast<std::size_t>(size.x) * channels;
    for (int y = 0; y < size.y; ++y, in += count * sizeof(Bits)) {
        std::array<Bits, 4> left{};
        std::size_t pixel = static_cast<std::size_t>(y) * size.x * 4, n = 0;
        for (int x = 0; x < size.x; ++x, pixel += 4)
            for (std::size_t c = 0; c < static_cast<std::size_t>(channels); ++c, ++n) {
                Bits apart = 0;
                for (std::size_t b = 0; b < sizeof(Bits); ++b)
                    apart = static_cast<Bits>(apart | static_cast<Bits>(in[b * count + n]) << (8 * b));
                left[c] = static_cast<Bits>(left[c] + apart);
                std::memcpy(static_cast<char*>(rgba) + (pixel + c) * sizeof(Bits), &left[c], sizeof(Bits));
            }
    }
}

std::size_t bytesOf(V2i size, int bits, int channels) {
    return static_cast<std::size_t>(size.x) * size.y * channels * (bits / 8);
}

/// Empty: there is no memory.
media::PackedBytes fileOf(const Pixels& pixels, bool alpha) {
    Footer footer;
    footer.width = pixels.size.x, footer.height = pixels.size.y;
    footer.bits = pixels.bits(), footer.channels = alpha ? 4 : 3;
    render::Samples<std::uint8_t> apart(bytesOf(pixels.size, footer.bits, footer.channels));
    const auto take = [&](const auto& samples) {
        const void* const from = samples.data();
        switch (sizeof(samples.front())) {
        case 1:
            return takeApart<std::uint8_t>(from, pixels.size, footer.channels, apart.data());
        case 2:
            return takeApart<std::uint16_t>(from, pixels.size, footer.channels, apart.data());
        default:
            return takeApart<std::uint32_t>(from, pixels.size, footer.channels, apart.data());
        }
    };
    std::visit(take, pixels.rgba);
    constexpr int level = -16; // rendered frames are noisy: more effort saves little
    media::PackedBytes file = media::packed(apart.data(), apart.size(), level);
    if (!file.empty()) {
        const auto* const bytes = reinterpret_cast<const char*>(&footer);
        file.insert(file.end(), bytes, bytes + sizeof footer);
    }
    return file;
}

std::optional<Pixels> pixelsIn(const std::string& file, V2i size, int bits, bool alpha) {
    Footer wanted, footer;
    wanted.width = size.x, wanted.height = size.y, wanted.bits = bits, wanted.channels = alpha ? 4 : 3;
    if (file.size() < sizeof footer) return std::nullopt;
    const std::size_t packed = file.size() - sizeof footer;
    std::memcpy(&footer, file.data() + packed, sizeof footer);
    if (footer != wanted) return std::nullopt;
    render::Samples<std::uint8_t> apart(bytesOf(size, bits, wanted.channels));
    if (!media::unpack(file.data(), packed, apart.data(), apart.size())) return std::nullopt;
    Pixels pixels;
    pixels.size = size;
    const std::size_t count = static_cast<std::size_t>(size.x) * size.y * 4;
    if (bits == 8) {
        render::Samples<std::uint8_t> rgba(count, 255);
        putTogether<std::uint8_t>(apart.data(), size, wanted.channels, rgba.data());
        pixels.rgba = std::move(rgba);
    } else if (bits == 16) {
        render::Samples<std::uint16_t> rgba(count, 65535);
        putTogether<std::uint16_t>(apart.data(), size, wanted.channels, rgba.data());
        pixels.rgba = std::move(rgba);
    } else {
        render::Samples<float> rgba(count, 1.f);
        putTogether<std::uint32_t>(apart.data(), size, wanted.channels, rgba.data());
        pixels.rgba = std::move(rgba);
    }
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
    return KeptFrames(std::move(folder), bits, alpha);
}

fs::path KeptFrames::fileOf(std::int64_t frame) const {
    return numbered(m_folder / "######.frame", frame);
}

bool KeptFrames::has(std::int64_t frame) const {
    return ::access(fileOf(frame).c_str(), R_OK) == 0;
}

Result<void> KeptFrames::keep(std::int64_t frame, const Pixels& pixels) const {
    const fs::path file = fileOf(frame),
                   part = m_folder / ("." + file.stem().string() + ".part" + std::to_string(::getpid()));
    const media::PackedBytes bytes = output::fileOf(pixels, m_alpha);
    if (bytes.empty()) return tl::unexpected(cannotWrite(file, ENOMEM));
    if (writeBytes(part, bytes) && ::rename(part.c_str(), file.c_str()) == 0) return {};
    const int code = errno;
    ::unlink(part.c_str());
    return tl::unexpected(cannotWrite(file, code));
}

std::optional<Pixels> KeptFrames::read(std::int64_t frame, V2i size) const {
    const fs::path file = fileOf(frame);
    // What cannot be packed becomes a little larger.
    const std::size_t most = bytesOf(size, m_bits, 4) + bytesOf(size, m_bits, 4) / 64 + 4096;
    const auto bytes = scene::readFile(file, most);
    auto pixels = bytes ? pixelsIn(*bytes, size, m_bits, m_alpha) : std::nullopt;
    if (!pixels) ::unlink(file.c_str());
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
    return m_folder / (std::to_string(number) + ".written");
}

void KeptFrames::removeEmpty() const {
    const fs::path folder = m_folder;
    std::error_code code;
    for (const fs::directory_entry& entry : fs::directory_iterator(folder, code))
        if (entry.path().filename() != jobFile) return;
    fs::remove_all(folder, code);
}

void KeptFrames::remove() const {
    drop(m_folder);
}

void KeptFrames::drop(const fs::path& folder) {
    std::error_code code;
    if (fs::exists(folder / jobFile, code)) fs::remove_all(folder, code);
}

}
