#include "media/picture_file.h"

#include <csetjmp>
#include <cstdio>
#include <cstdlib>
#include <jpeglib.h>

namespace stage::media {
namespace {

/// Errors of libjpeg come back by a long jump to `place`.
struct Errors {
    jpeg_error_mgr manager;
    std::jmp_buf place;
    char text[JMSG_LENGTH_MAX] = {};
};

extern "C" {
static void leave(j_common_ptr file) {
    auto* errors = reinterpret_cast<Errors*>(file->err);
    file->err->format_message(file, errors->text);
    std::longjmp(errors->place, 1);
}
static void keepStill(j_common_ptr) {}
}

/// The orientation in an EXIF segment (JEITA CP-3451, a TIFF of its own); 1 where it says none.
int orientationIn(std::string_view exif) {
    constexpr std::string_view head("Exif\0\0", 6);
    if (!exif.starts_with(head)) return 1;
    exif.remove_prefix(head.size());
    const bool large = exif.starts_with("MM"); // the high byte first
    const auto number = [&](std::size_t at, std::size_t bytes) {
        std::size_t value = 0;
        for (std::size_t i = 0; i < bytes; ++i) {
            const std::size_t from = large ? at + i : at + bytes - 1 - i;
            value = value << 8 | (from < exif.size() ? static_cast<unsigned char>(exif[from]) : 0u);
        }
        return value;
    };
    const std::size_t directory = number(4, 4), count = number(directory, 2);
    for (std::size_t i = 0; i < count && directory + 14 + 12 * i <= exif.size(); ++i)
        if (const std::size_t entry = directory + 2 + 12 * i; number(entry, 2) == 0x0112)
            return static_cast<int>(number(entry + 8, 2));
    return 1;
}

class JpegFile : public PictureFile {
public:
    JpegFile() {
        m_file.err = jpeg_std_error(&m_errors.manager);
        m_errors.manager.error_exit = leave;
        m_errors.manager.output_message = keepStill; // warnings
        jpeg_create_decompress(&m_file);
    }
    ~JpegFile() override {
        jpeg_destroy_decompress(&m_file);
        std::free(m_profile);
    }
    JpegFile(const JpegFile&) = delete;
    JpegFile& operator=(const JpegFile&) = delete;

    bool open(std::string_view bytes) {
        if (setjmp(m_errors.place)) return false;
        jpeg_mem_src(&m_file, reinterpret_cast<const unsigned char*>(bytes.data()), bytes.size());
        jpeg_save_markers(&m_file, JPEG_APP0 + 1, 0xFFFF);
        jpeg_save_markers(&m_file, JPEG_APP0 + 2, 0xFFFF);
        jpeg_read_header(&m_file, TRUE);
        jpeg_read_icc_profile(&m_file, &m_profile, &m_profileBytes);
        return m_file.num_components == 1 || m_file.jpeg_color_space == JCS_YCbCr ||
               m_file.jpeg_color_space == JCS_RGB;
    }

    Spec spec() override {
        Spec spec;
        spec.size = spec.full = {static_cast<int>(m_file.image_width), static_cast<int>(m_file.image_height)};
        spec.isByte = true, spec.associated = false;
        if (m_file.num_components == 1)
            spec.channels = {"Y"};
        else
            spec.channels = {"R", "G", "B"};
        spec.colourSpace = "sRGB";
        for (auto* each = m_file.marker_list; each && spec.orientation == 1; each = each->next)
            if (each->marker == JPEG_APP0 + 1)
                spec.orientation =
                    orientationIn({reinterpret_cast<const char*>(each->data), each->data_length});
        if (m_profile) spec.profile.assign(reinterpret_cast<const char*>(m_profile), m_profileBytes);
        return spec;
    }
    bool seek(int picture) override { return picture == 0; }

    bool read(int, int, float*) override { return false; }
    bool readBytes(int y0, int y1, std::uint8_t* to) override {
        if (setjmp(m_errors.place)) return false;
        if (!m_started) {
            m_file.out_color_space = m_file.num_components == 1 ? JCS_GRAYSCALE : JCS_RGB;
            jpeg_start_decompress(&m_file);
            m_started = true;
        }
        const std::size_t row =
            std::size_t{m_file.image_width} * static_cast<std::size_t>(m_file.num_components);
        for (int y = y0; y < y1; ++y) {
            JSAMPROW rows[] = {to + row * static_cast<std::size_t>(y - y0)};
            if (jpeg_read_scanlines(&m_file, rows, 1) != 1) return false;
        }
        return true;
    }
    std::string problem() override { return m_errors.text; }

private:
    jpeg_decompress_struct m_file{};
    Errors m_errors{};
    JOCTET* m_profile = nullptr;
    unsigned m_profileBytes = 0;
    bool m_started = false;
};

}

std::unique_ptr<PictureFile> openJpeg(std::string_view bytes) {
    if (!bytes.starts_with("\xFF\xD8\xFF")) return nullptr;
    auto file = std::make_unique<JpegFile>();
    return file->open(bytes) ? std::move(file) : nullptr;
}

}
