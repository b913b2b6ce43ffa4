#include "output/frame_sink.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <png.h>
#include <unistd.h>
#include <vector>

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
        const auto bytes = file(picture);
        if (!bytes) return fail("Cannot write " + path.string() + ": " + bytes.error().sentence + ".");
        if (!write(part, *bytes) || ::rename(part.c_str(), path.c_str()) != 0) {
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

    Result<std::vector<char>> file(const render::Image& picture) const {
        auto pixels = render::encoded<std::uint8_t>(picture, {.overBlack = !m_spec.alpha, .dithered = true});
        if (!m_spec.alpha)
            for (std::size_t from = 0, to = 0; from < pixels.size(); from += 4, to += 3)
                std::copy_n(pixels.data() + from, 3, pixels.data() + to);
        png_image image = {};
        image.version = PNG_IMAGE_VERSION;
        image.width = static_cast<png_uint_32>(picture.size.x);
        image.height = static_cast<png_uint_32>(picture.size.y);
        image.format = m_spec.alpha ? PNG_FORMAT_RGBA : PNG_FORMAT_RGB;
        image.flags = PNG_IMAGE_FLAG_FAST;
        png_alloc_size_t bytes = PNG_IMAGE_PNG_SIZE_MAX(image);
        std::vector<char> out(bytes);
        if (!png_image_write_to_memory(&image, out.data(), &bytes, 0, pixels.data(), 0, nullptr))
            return fail(image.message);
        out.resize(bytes);
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
