#include "media/picture_file.h"

#include <algorithm>
#include <csetjmp>
#include <cstring>
#include <png.h>

namespace stage::media {
namespace {

class PngFile : public PictureFile {
public:
    PngFile() {
        m_png = png_create_read_struct(PNG_LIBPNG_VER_STRING, this, &PngFile::leave, &PngFile::keepStill);
        m_info = m_png ? png_create_info_struct(m_png) : nullptr;
    }
    ~PngFile() override { png_destroy_read_struct(&m_png, &m_info, nullptr); }
    PngFile(const PngFile&) = delete;
    PngFile& operator=(const PngFile&) = delete;

    bool open(std::string_view bytes) {
        if (!m_info) return false;
        m_left = bytes;
        if (setjmp(png_jmpbuf(m_png))) return false;
        png_set_read_fn(m_png, this, &PngFile::take);
        png_set_user_limits(m_png, 1 << 20, 1 << 20);
        png_read_info(m_png, m_info);
        double gamma = 0;
        // Values that are not sRGB-encoded, what is turned, and rows that come in seven passes.
        if (png_get_valid(m_png, m_info, PNG_INFO_gAMA) && !png_get_valid(m_png, m_info, PNG_INFO_sRGB) &&
            png_get_gAMA(m_png, m_info, &gamma) && std::abs(gamma - 0.45455) > 0.001)
            return false;
        if (png_get_valid(m_png, m_info, PNG_INFO_eXIf) ||
            png_get_interlace_type(m_png, m_info) != PNG_INTERLACE_NONE)
            return false;
        png_set_expand(m_png);
        if (png_get_bit_depth(m_png, m_info) == 16) png_set_swap(m_png);
        png_read_update_info(m_png, m_info);
        return true;
    }

    Spec spec() override {
        Spec spec;
        spec.size = spec.full = {static_cast<int>(png_get_image_width(m_png, m_info)),
                                 static_cast<int>(png_get_image_height(m_png, m_info))};
        spec.isByte = png_get_bit_depth(m_png, m_info) == 8, spec.associated = false;
        const int channels = png_get_channels(m_png, m_info);
        if (channels < 3)
            spec.channels = {"Y"};
        else
            spec.channels = {"R", "G", "B"};
        if (channels % 2 == 0) {
            spec.alpha = channels - 1;
            spec.channels.emplace_back("A");
        }
        spec.colourSpace = "sRGB";
        png_charp name = nullptr;
        png_bytep profile = nullptr;
        png_uint_32 size = 0;
        int kind = 0;
        if (png_get_iCCP(m_png, m_info, &name, &kind, &profile, &size) == PNG_INFO_iCCP)
            spec.profile.assign(reinterpret_cast<const char*>(profile), size);
        return spec;
    }
    bool seek(int picture) override { return picture == 0; }

    bool readBytes(int y0, int y1, std::uint8_t* to) override {
        if (setjmp(png_jmpbuf(m_png))) return false;
        const std::size_t row = png_get_rowbytes(m_png, m_info);
        for (int y = y0; y < y1; ++y)
            png_read_row(m_png, to + row * static_cast<std::size_t>(y - y0), nullptr);
        return true;
    }
    bool read(int y0, int y1, float* to) override {
        const std::size_t row = png_get_rowbytes(m_png, m_info), values = row / 2;
        std::vector<std::uint8_t> bytes(row);
        for (int y = y0; y < y1; ++y) {
            if (!readBytes(y, y + 1, bytes.data())) return false;
            for (std::size_t i = 0; i < values; ++i) {
                std::uint16_t value;
                std::memcpy(&value, bytes.data() + 2 * i, 2);
                *to++ = static_cast<float>(value) / 65535.f;
            }
        }
        return true;
    }
    std::string problem() override { return m_problem; }

private:
    static void take(png_structp png, png_bytep to, std::size_t bytes) {
        auto& self = *static_cast<PngFile*>(png_get_io_ptr(png));
        if (bytes > self.m_left.size()) png_error(png, "it ends early");
        std::memcpy(to, self.m_left.data(), bytes);
        self.m_left.remove_prefix(bytes);
    }
    [[noreturn]] static void leave(png_structp png, png_const_charp text) {
        auto& self = *static_cast<PngFile*>(png_get_error_ptr(png));
        std::strncpy(self.m_problem, text, sizeof self.m_problem - 1);
        png_longjmp(png, 1);
    }
    static void keepStill(png_structp, png_const_charp) {}

    png_structp m_png = nullptr;
    png_infop m_info = nullptr;
    std::string_view m_left;
    char m_problem[200] = {};
};

}

std::unique_ptr<PictureFile> openPng(std::string_view bytes) {
    if (!bytes.starts_with("\x89PNG\r\n\x1A\n")) return nullptr;
    auto file = std::make_unique<PngFile>();
    return file->open(bytes) ? std::move(file) : nullptr;
}

}
