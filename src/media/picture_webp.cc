#include "media/picture_file.h"

#include <algorithm>
#include <webp/decode.h>
#include <webp/demux.h>

namespace stage::media {
namespace {

class WebpFile : public PictureFile {
public:
    bool open(std::string_view bytes) {
        m_bytes = bytes;
        const auto* data = reinterpret_cast<const std::uint8_t*>(bytes.data());
        if (WebPGetFeatures(data, bytes.size(), &m_features) != VP8_STATUS_OK || m_features.has_animation)
            return false;
        const WebPData whole{data, bytes.size()};
        WebPDemuxer* parts = WebPDemux(&whole);
        if (!parts) return false;
        const std::uint32_t flags = WebPDemuxGetI(parts, WEBP_FF_FORMAT_FLAGS);
        WebPDemuxDelete(parts);
        return (flags & (ICCP_FLAG | EXIF_FLAG)) == 0;
    }

    Spec spec() override {
        Spec spec;
        spec.size = spec.full = {m_features.width, m_features.height};
        spec.isByte = true, spec.associated = false;
        spec.channels = {"R", "G", "B"};
        if (m_features.has_alpha) {
            spec.channels.emplace_back("A");
            spec.alpha = 3;
        }
        spec.colourSpace = "sRGB";
        return spec;
    }
    bool seek(int picture) override { return picture == 0; }

    bool read(int, int, float*) override { return false; }
    bool readBytes(int y0, int y1, std::uint8_t* to) override {
        const std::size_t row = static_cast<std::size_t>(m_features.width) * (m_features.has_alpha ? 4 : 3);
        if (m_pixels.empty() && !decode(row)) return false;
        std::copy_n(m_pixels.data() + row * static_cast<std::size_t>(y0),
                    row * static_cast<std::size_t>(y1 - y0), to);
        return true;
    }
    std::string problem() override { return "it is broken, or ends early"; }

private:
    bool decode(std::size_t row) {
        WebPDecoderConfig config;
        if (!WebPInitDecoderConfig(&config)) return false;
        std::vector<std::uint8_t> pixels(row * static_cast<std::size_t>(m_features.height));
        config.options.use_threads = 1;
        config.output.colorspace = m_features.has_alpha ? MODE_RGBA : MODE_RGB;
        config.output.is_external_memory = 1;
        config.output.u.RGBA = {pixels.data(), static_cast<int>(row), pixels.size()};
        if (WebPDecode(reinterpret_cast<const std::uint8_t*>(m_bytes.data()), m_bytes.size(), &config) !=
            VP8_STATUS_OK)
            return false;
        m_pixels = std::move(pixels);
        return true;
    }

    std::string_view m_bytes;
    WebPBitstreamFeatures m_features{};
    std::vector<std::uint8_t> m_pixels;
};

}

std::unique_ptr<PictureFile> openWebp(std::string_view bytes) {
    auto file = std::make_unique<WebpFile>();
    return bytes.starts_with("RIFF") && file->open(bytes) ? std::move(file) : nullptr;
}

}
