#include "output/frame_sink.h"

#include <OpenImageIO/imageio.h>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <unistd.h>

namespace stage::output {
namespace fs = std::filesystem;
namespace {

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
        const auto failed = [&](const Error& error) {
            std::error_code code;
            fs::remove(part, code);
            return tl::unexpected(error);
        };
        const int channels = m_spec.alpha ? 4 : 3;
        OIIO::ImageSpec spec(picture.size.x, picture.size.y, channels, OIIO::TypeDesc::UINT8);
        spec["oiio:UnassociatedAlpha"] = 1;
        spec["oiio:ColorSpace"] = "sRGB";
        spec["png:compressionLevel"] = 4;
        const auto pixels =
            render::encoded<std::uint8_t>(picture, {.overBlack = !m_spec.alpha, .dithered = true});
        auto out = OIIO::ImageOutput::create("png");
        if (!out || !out->open(part.string(), spec)) return failed(cannotWrite(path, errno));
        errno = 0;
        const bool written = out->write_image(OIIO::TypeDesc::UINT8, pixels.data(), 4);
        const int first = errno;
        if (!out->close() || !written) return failed(cannotWrite(path, first ? first : errno));
        // The PNG writer does not notice a disk that fills up while it flushes; the file's end tells.
        if (!whole(part)) return failed(cannotWrite(path, ENOSPC));
        if (::rename(part.c_str(), path.c_str()) != 0) return failed(cannotWrite(path, errno));
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

    static bool whole(const fs::path& path) {
        std::ifstream in(path, std::ios::binary | std::ios::ate);
        if (!in || in.tellg() < 20) return false;
        in.seekg(-8, std::ios::end);
        char kind[4] = {};
        in.read(kind, 4);
        return in && std::memcmp(kind, "IEND", 4) == 0;
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
