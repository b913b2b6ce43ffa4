#include "media/parallel.h"
#include "media/plugin.h"
#include "output/picture_writer.h"
#include "output/sample_rows.h"
#include "output/sink.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <csetjmp>
#include <cstring>
#include <fcntl.h>
#include <isa-l/igzip_lib.h>
#include <lcms2.h>
#include <memory>
#include <png.h>
#include <sys/statvfs.h>
#include <unistd.h>
#include <vector>
#include <zlib.h>

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

/// A row of samples as PNG has it, the higher byte first. rgba: four a pixel.
void laidOut(const std::uint16_t* rgba, std::size_t width, int channels, std::uint8_t* out) {
    for (std::size_t x = 0; x < width; ++x, rgba += 4)
        for (int c = 0; c < channels; ++c) {
            *out++ = static_cast<std::uint8_t>(rgba[c] >> 8);
            *out++ = static_cast<std::uint8_t>(rgba[c]);
        }
}

using Bytes = std::vector<std::uint8_t>;

/// Rows of a strip as PNG has them, each as differences of neighbours after a byte that says so.
template <int channels, class Sample>
Bytes differences(const render::Samples<Sample>& rgba, int width, int y0, int y1) {
    constexpr std::size_t pixel = channels * sizeof(Sample);
    const auto across = static_cast<std::size_t>(width), stride = across * pixel + 1;
    Bytes rows(stride * static_cast<std::size_t>(y1 - y0)), row(across * pixel);
    std::uint8_t* out = rows.data();
    for (int y = y0; y < y1; ++y) {
        const Sample* const from = rgba.data() + static_cast<std::size_t>(y) * across * 4;
        *out++ = PNG_FILTER_VALUE_SUB;
        if constexpr (sizeof(Sample) == 1) {
            differencesAlong(from, width, channels, out);
        } else {
            laidOut(from, across, channels, row.data());
            std::copy_n(row.data(), pixel, out);
            for (std::size_t i = pixel; i < row.size(); ++i)
                out[i] = static_cast<std::uint8_t>(row[i] - row[i - pixel]);
        }
        out += row.size();
    }
    return rows;
}
template <class Sample>
Bytes differences(const render::Samples<Sample>& rgba, int width, int y0, int y1, bool alpha) {
    return alpha ? differences<4>(rgba, width, y0, y1) : differences<3>(rgba, width, y0, y1);
}
Bytes differences(const Pixels& pixels, int y0, int y1, bool alpha) {
    if (const auto* bytes = std::get_if<0>(&pixels.rgba))
        return differences(*bytes, pixels.size.x, y0, y1, alpha);
    return differences(std::get<1>(pixels.rgba), pixels.size.x, y0, y1, alpha);
}

/// Adds bytes as blocks of DEFLATE (RFC 1951). last: no more follow. False: there is no memory.
bool deflate(Bytes& bytes, bool last, Bytes& out) {
    Bytes room(ISAL_DEF_LVL2_DEFAULT);
    isal_zstream stream;
    isal_deflate_init(&stream);
    stream.level = 2, stream.level_buf = room.data();
    stream.level_buf_size = static_cast<std::uint32_t>(room.size());
    stream.flush = last ? NO_FLUSH : FULL_FLUSH, stream.end_of_stream = last;
    stream.next_in = bytes.data(), stream.avail_in = static_cast<std::uint32_t>(bytes.size());
    const std::size_t before = out.size();
    do {
        out.resize(out.size() + bytes.size() / 2 + 1024);
        stream.next_out = out.data() + before + stream.total_out;
        stream.avail_out = static_cast<std::uint32_t>(out.size() - before - stream.total_out);
        if (isal_deflate(&stream) != COMP_OK) return false;
    } while (stream.avail_out == 0);
    out.resize(before + stream.total_out);
    return true;
}

/// Rows as a stream of zlib (RFC 1950), strip by strip: several at a time. Empty: there is no memory.
std::vector<Bytes> packed(const Pixels& pixels, bool alpha) {
    const int width = pixels.size.x, height = pixels.size.y;
    constexpr int most = 1 << 19; // bytes of a strip, or one row
    const int rows = std::max(1, most / (width * 4 * pixels.bits() / 8)), count = (height + rows - 1) / rows;
    std::vector<Bytes> strips(static_cast<std::size_t>(count));
    struct Sum {
        uLong sum;
        z_off_t bytes;
    };
    std::vector<Sum> sums(strips.size());
    std::atomic<bool> ok = true;
    media::inParallel(std::size_t{0}, strips.size(), [&](std::size_t i) {
        const int y0 = static_cast<int>(i) * rows, y1 = std::min(height, y0 + rows);
        Bytes bytes = differences(pixels, y0, y1, alpha);
        sums[i] = {adler32_z(adler32(0, nullptr, 0), bytes.data(), bytes.size()),
                   static_cast<z_off_t>(bytes.size())};
        if (i == 0) strips[i] = {0x78, 0x01}; // a window of 32 KB, packed fast
        if (!deflate(bytes, y1 == height, strips[i])) ok = false;
    });
    if (!ok) return {};
    uLong sum = adler32(0, nullptr, 0);
    for (const Sum& each : sums)
        sum = adler32_combine(sum, each.sum, each.bytes);
    for (int shift = 24; shift >= 0; shift -= 8)
        strips.back().push_back(static_cast<std::uint8_t>(sum >> shift));
    return strips;
}

/// A PNG file of sRGB around packed strips of rows. False: no memory. No object may need its destructor in
/// here, because libpng leaves by a long jump.
bool pngOf(const std::vector<Bytes>& strips, V2i size, int bits, bool alpha, std::vector<char>& out) {
    png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
    png_infop info = png ? png_create_info_struct(png) : nullptr;
    if (!info || setjmp(png_jmpbuf(png))) {
        png_destroy_write_struct(&png, &info);
        return false;
    }
    png_set_write_fn(png, &out, &append, nullptr);
    png_set_IHDR(png, info, static_cast<png_uint_32>(size.x), static_cast<png_uint_32>(size.y), bits,
                 alpha ? PNG_COLOR_TYPE_RGB_ALPHA : PNG_COLOR_TYPE_RGB, PNG_INTERLACE_NONE,
                 PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
    png_set_sRGB_gAMA_and_cHRM(png, info, PNG_sRGB_INTENT_PERCEPTUAL);
    png_write_info(png, info);
    for (const Bytes& strip : strips)
        png_write_chunk(png, reinterpret_cast<png_const_bytep>("IDAT"), strip.data(), strip.size());
    png_write_chunk(png, reinterpret_cast<png_const_bytep>("IEND"), nullptr, 0);
    png_destroy_write_struct(&png, &info);
    return true;
}

/// 0, or a code of errno.
int writePng(const fs::path& path, const Pixels& pixels, bool alpha) {
    const std::vector<char> file = pngFile(pixels, alpha);
    if (file.empty()) return ENOMEM;
    return writeBytes(path, file) ? 0 : errno;
}

const std::string& srgbProfile() {
    static const std::string made = [] {
        std::string bytes;
        const std::unique_ptr<void, cmsBool (*)(cmsHPROFILE)> profile(cmsCreate_sRGBProfile(),
                                                                      &cmsCloseProfile);
        cmsUInt32Number size = 0;
        if (!profile || !cmsSaveProfileToMem(profile.get(), nullptr, &size)) return bytes;
        bytes.resize(size);
        if (!cmsSaveProfileToMem(profile.get(), bytes.data(), &size)) bytes.clear();
        return bytes;
    }();
    return made;
}

Result<void> writeOther(const SinkSpec& spec, const fs::path& path, const fs::path& part,
                        const Pixels& pixels) {
    const auto writer = media::pluginOf<PictureWriter>("picture_writer");
    if (!writer) return tl::unexpected(writer.error());
    PictureToWrite picture;
    picture.path = part.string();
    picture.width = pixels.size.x, picture.height = pixels.size.y;
    picture.bits = pixels.bits();
    picture.rgba = std::visit([](const auto& values) -> const void* { return values.data(); }, pixels.rgba);
    picture.half = picture.bits == 32 && bitsOf(spec.format, spec.encoding) == 16;
    picture.alpha = spec.alpha;
    picture.associated = picture.bits == 32;
    const FormatInfo& info = infoOf(spec.format);
    if (spec.format == Format::Jpeg)
        picture.compression =
            "jpeg:" + std::to_string(static_cast<int>(spec.encoding.rate.value_or(info.rate.usual)));
    else
        picture.compression = spec.encoding.compression.empty() ? std::string(info.compressions.front())
                                                                : spec.encoding.compression;
    if (picture.bits != 32) picture.profile = srgbProfile();
    std::string problem;
    if ((*writer)->write(picture, problem)) return {};
    const std::size_t bytes = static_cast<std::size_t>(pixels.size.x) * pixels.size.y * 2;
    return tl::unexpected(cannotWrite(path, bytes, problem));
}

class Pictures : public Sink {
public:
    explicit Pictures(SinkSpec spec) : m_spec(std::move(spec)) {}

    Result<void> begin() {
        const fs::path folder = fs::absolute(m_spec.path).parent_path();
        std::error_code code;
        fs::create_directories(folder, code);
        if (code) return tl::unexpected(cannotWrite(m_spec.path, code.value()));
        if (::access(folder.c_str(), W_OK) != 0) return tl::unexpected(cannotWrite(m_spec.path, errno));
        return {};
    }
    Result<void> add(std::int64_t number, const Pixels& pixels) override {
        return writePicture(m_spec, numbered(m_spec.path, number), pixels);
    }
    Result<bool> endPass() override { return false; }

private:
    SinkSpec m_spec;
};

}

bool writeBytes(const fs::path& path, std::span<const char> bytes) {
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

std::vector<char> pngFile(const Pixels& pixels, bool alpha) {
    const std::vector<Bytes> strips = packed(pixels, alpha);
    std::vector<char> file;
    if (strips.empty()) return file;
    std::size_t all = 1024;
    for (const Bytes& strip : strips)
        all += strip.size();
    file.reserve(all);
    if (!pngOf(strips, pixels.size, pixels.bits(), alpha, file)) file.clear();
    return file;
}

fs::path numbered(const fs::path& path, std::int64_t number) {
    std::string name = path.filename().string();
    for (auto hash = name.find('#'); hash != std::string::npos; hash = name.find('#')) {
        auto end = name.find_first_not_of('#', hash);
        if (end == std::string::npos) end = name.size();
        std::string digits = std::to_string(number);
        if (digits.size() < end - hash) digits.insert(0, end - hash - digits.size(), '0');
        name.replace(hash, end - hash, digits);
    }
    return path.parent_path() / name;
}

Result<void> writePicture(const SinkSpec& spec, const fs::path& path, const Pixels& pixels) {
    // Of its own: several programs may write one picture, and the last one's stays.
    const fs::path part = path.parent_path() / ("." + path.stem().string() + ".part" +
                                                std::to_string(::getpid()) + path.extension().string());
    Result<void> written;
    if (spec.format == Format::Png) {
        if (const int code = writePng(part, pixels, spec.alpha))
            written = tl::unexpected(cannotWrite(path, code));
    } else {
        written = writeOther(spec, path, part, pixels);
    }
    if (written && ::rename(part.c_str(), path.c_str()) != 0)
        written = tl::unexpected(cannotWrite(path, errno));
    if (!written) ::unlink(part.c_str());
    return written;
}

Error cannotWrite(const fs::path& path, std::size_t bytes, const std::string& problem) {
    struct statvfs disk {};
    if (::statvfs(fs::absolute(path).parent_path().c_str(), &disk) == 0 &&
        static_cast<std::size_t>(disk.f_bavail) * disk.f_frsize < bytes)
        return cannotWrite(path, ENOSPC);
    if (problem.empty()) return cannotWrite(path, -1);
    return {"Cannot write " + path.string() + ": " + problem + "."};
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

Result<SinkPtr> openPictures(const SinkSpec& spec) {
    auto pictures = std::make_unique<Pictures>(spec);
    if (auto ok = pictures->begin(); !ok) return tl::unexpected(ok.error());
    return SinkPtr(std::move(pictures));
}

int pixelBits(Format format, const Encoding& encoding) {
    const int bits = bitsOf(format, encoding);
    if (format == Format::Exr || format == Format::ExrParts || format == Format::ExrDeep) return 32;
    return bits <= 8 ? 8 : bits <= 16 ? 16 : 32;
}

Result<SinkPtr> openSink(const SinkSpec& spec) {
    if (!infoOf(spec.format).movie) return openPictures(spec);
    return spec.format == Format::Gif ? openGif(spec) : openMovie(spec);
}

}
