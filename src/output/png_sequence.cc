#include "output/frame_sink.h"

#include <algorithm>
#include <cerrno>
#include <csetjmp>
#include <cstring>
#include <fcntl.h>
#include <libdeflate.h>
#include <memory>
#include <png.h>
#include <unistd.h>
#include <vector>

namespace stage::output {
namespace fs = std::filesystem;
namespace {

/// What libpng is given to write to; it must not be thrown through.
void append(png_structp png, png_bytep from, std::size_t bytes) {
    auto& out = *static_cast<std::vector<char>*>(png_get_io_ptr(png));
    try {
        out.insert(out.end(), from, from + bytes);
    } catch (const std::bad_alloc&) {
        png_error(png, "memory");
    }
}

/// Rows as PNG has them, each as differences of neighbours after a byte that says so. rgba: four bytes a
/// pixel.
template <int channels> std::vector<std::uint8_t> differences(const std::uint8_t* rgba, V2i size) {
    const auto width = static_cast<std::size_t>(size.x), height = static_cast<std::size_t>(size.y),
               stride = width * channels + 1;
    std::vector<std::uint8_t> rows(stride * height);
    for (std::size_t y = 0; y < height; ++y) {
        const std::uint8_t* in = rgba + y * width * 4;
        std::uint8_t* out = rows.data() + y * stride;
        *out++ = PNG_FILTER_VALUE_SUB;
        for (int c = 0; c < channels; ++c)
            out[c] = in[c];
        for (std::size_t x = 1; x < width; ++x)
            for (std::size_t c = 0; c < channels; ++c)
                out[x * channels + c] = static_cast<std::uint8_t>(in[4 * x + c] - in[4 * (x - 1) + c]);
    }
    return rows;
}

/// Empty: no memory.
std::vector<std::uint8_t> packed(const std::vector<std::uint8_t>& rows) {
    constexpr int level = 1;
    const std::unique_ptr<libdeflate_compressor, void (*)(libdeflate_compressor*)> compressor(
        libdeflate_alloc_compressor(level), &libdeflate_free_compressor);
    if (!compressor) return {};
    std::vector<std::uint8_t> bytes(libdeflate_zlib_compress_bound(compressor.get(), rows.size()));
    bytes.resize(
        libdeflate_zlib_compress(compressor.get(), rows.data(), rows.size(), bytes.data(), bytes.size()));
    return bytes;
}

/// A PNG file of 8-bit sRGB around packed rows. False: no memory. No object may need its destructor in here,
/// because libpng leaves by a long jump.
bool pngOf(const std::vector<std::uint8_t>& rows, V2i size, bool alpha, std::vector<char>& out) {
    png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
    png_infop info = png ? png_create_info_struct(png) : nullptr;
    if (!info || setjmp(png_jmpbuf(png))) {
        png_destroy_write_struct(&png, &info);
        return false;
    }
    png_set_write_fn(png, &out, &append, nullptr);
    png_set_IHDR(png, info, static_cast<png_uint_32>(size.x), static_cast<png_uint_32>(size.y), 8,
                 alpha ? PNG_COLOR_TYPE_RGB_ALPHA : PNG_COLOR_TYPE_RGB, PNG_INTERLACE_NONE,
                 PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
    png_set_sRGB_gAMA_and_cHRM(png, info, PNG_sRGB_INTENT_PERCEPTUAL);
    png_write_info(png, info);
    // What one chunk may hold.
    constexpr std::size_t most = std::size_t{1} << 30;
    for (std::size_t done = 0; done < rows.size(); done += most)
        png_write_chunk(png, reinterpret_cast<png_const_bytep>("IDAT"), rows.data() + done,
                        std::min(most, rows.size() - done));
    png_write_chunk(png, reinterpret_cast<png_const_bytep>("IEND"), nullptr, 0);
    png_destroy_write_struct(&png, &info);
    return true;
}

class Pngs : public FrameSink {
public:
    Pngs(SinkSpec spec, std::int64_t first) : m_spec(std::move(spec)), m_next(first) {}

    Result<void> begin() {
        const fs::path folder = fs::absolute(m_spec.path).parent_path();
        std::error_code code;
        fs::create_directories(folder, code);
        if (code) return tl::unexpected(cannotWrite(m_spec.path, code.value()));
        if (::access(folder.c_str(), W_OK) != 0) return tl::unexpected(cannotWrite(m_spec.path, errno));
        return {};
    }

    Result<void> add(const render::Image& picture) override {
        const fs::path path = numbered(m_next++);
        const fs::path part = path.parent_path() / ("." + path.filename().string() + ".part.png");
        const auto bytes = file(picture);
        if (bytes.empty()) return tl::unexpected(cannotWrite(path, ENOMEM));
        if (!write(part, bytes) || ::rename(part.c_str(), path.c_str()) != 0) {
            const int code = errno;
            ::unlink(part.c_str());
            return tl::unexpected(cannotWrite(path, code));
        }
        return {};
    }

    Result<void> finish() override { return {}; }

private:
    fs::path numbered(std::int64_t frame) const {
        std::string name = m_spec.path.filename().string();
        for (auto hash = name.find('#'); hash != std::string::npos; hash = name.find('#')) {
            auto end = name.find_first_not_of('#', hash);
            if (end == std::string::npos) end = name.size();
            std::string digits = std::to_string(frame);
            if (digits.size() < end - hash) digits.insert(0, end - hash - digits.size(), '0');
            name.replace(hash, end - hash, digits);
        }
        return m_spec.path.parent_path() / name;
    }

    std::vector<char> file(const render::Image& picture) const {
        const auto pixels =
            render::encoded<std::uint8_t>(picture, {.overBlack = !m_spec.alpha, .dithered = true});
        const auto rows = packed(m_spec.alpha ? differences<4>(pixels.data(), picture.size)
                                              : differences<3>(pixels.data(), picture.size));
        std::vector<char> out;
        out.reserve(rows.size() + 1024);
        if (rows.empty() || !pngOf(rows, picture.size, m_spec.alpha, out)) out.clear();
        return out;
    }

    /// False: errno says why.
    static bool write(const fs::path& path, const std::vector<char>& bytes) {
        const int file = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
        if (file < 0) return false;
        bool ok = true;
        for (std::size_t done = 0; ok && done < bytes.size();) {
            const ssize_t wrote = ::write(file, bytes.data() + done, bytes.size() - done);
            if (wrote < 0 && errno == EINTR) continue;
            ok = wrote > 0;
            if (ok) done += static_cast<std::size_t>(wrote);
        }
        const int code = errno;
        if (::close(file) != 0) return false;
        errno = code;
        return ok;
    }

    SinkSpec m_spec;
    std::int64_t m_next;
};

}

Error cannotWrite(const fs::path& path, int code) {
    std::string reason = std::strerror(code);
    if (code == ENOSPC || code == EDQUOT)
        reason = "the disk is full";
    else if (code == EACCES || code == EPERM || code == EROFS)
        reason = "permission is missing";
    else if (code == ENOENT)
        reason = "its folder does not exist";
    else if (code <= 0 || code > 200)
        reason = "writing failed";
    return {"Cannot write " + path.string() + ": " + reason + "."};
}

Result<std::unique_ptr<FrameSink>> openPngs(const SinkSpec& spec, std::int64_t firstFrame) {
    auto pngs = std::make_unique<Pngs>(spec, firstFrame);
    if (auto ok = pngs->begin(); !ok) return tl::unexpected(ok.error());
    return std::unique_ptr<FrameSink>(std::move(pngs));
}

}
