#include "output/layers.h"

#include "media/plugin.h"
#include "output/picture_writer.h"
#include "output/sink.h"
#include "output/zip_writer.h"
#include "render/take_apart.h"

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <unistd.h>

namespace stage::output {
namespace fs = std::filesystem;
namespace {

using render::FramePart;
using render::Image;

/// A frame of a scene, and the next one.
struct Taken {
    const Job& job;
    motion::Frame frame, after;
    media::PixelCache& sources;
    const Progress& progress;

    Result<void> apart(scene::Blending values, const render::Quality& quality,
                       const std::function<Result<void>(FramePart&)>& take) const {
        return render::takeApart(frame, after, values, quality, sources, progress, take);
    }
    std::size_t pixels() const { return static_cast<std::size_t>(job.size.x) * job.size.y; }
};

LayersToWrite layersFor(const Taken& taken, const fs::path& part) {
    const Encoding& encoding = taken.job.encoding;
    LayersToWrite layers;
    layers.path = part.string();
    layers.width = taken.job.size.x, layers.height = taken.job.size.y;
    layers.half = bitsOf(taken.job.format, encoding) == 16;
    const auto& compressions = infoOf(taken.job.format).compressions;
    if (!compressions.empty())
        layers.compression =
            encoding.compression.empty() ? std::string(compressions.front()) : encoding.compression;
    layers.names = render::partNames(taken.frame);
    return layers;
}

Result<void> writeParts(const Taken& taken, const fs::path& path, const fs::path& part) {
    const auto writer = media::pluginOf<PictureWriter>("picture_writer");
    if (!writer) return tl::unexpected(writer.error());
    std::string problem;
    const auto cannot = [&] { return tl::unexpected(cannotWrite(path, taken.pixels() * 2, problem)); };
    const auto file = (*writer)->openParts(layersFor(taken, part), problem);
    if (!file) return cannot();
    auto all = taken.apart(scene::Blending::Light, taken.job.quality, [&](FramePart& each) -> Result<void> {
        if (!file->add(each.picture.rgba.data(), each.depth.data(), each.motion.data(), problem))
            return cannot();
        return {};
    });
    if (!all) return all;
    if (!file->close(problem)) return cannot();
    return {};
}

/// Of rows of a frame: what each pixel has of each part.
class DeepRows {
public:
    DeepRows(int width, int top, int rows)
        : m_width(width), m_top(top), m_pixels(static_cast<std::size_t>(width) * rows) {}
    void add(const FramePart& part) {
        constexpr float behindAll = 1e6f; // metres
        for (std::size_t i = 0; i < m_pixels.size(); ++i) {
            const std::size_t at = static_cast<std::size_t>(m_top) * m_width + i;
            const float* p = part.picture.rgba.data() + 4 * at;
            if (p[0] == 0 && p[1] == 0 && p[2] == 0 && p[3] == 0) continue;
            m_pixels[i].push_back({{p[0], p[1], p[2], p[3]}, std::min(part.depth[at], behindAll)});
        }
    }
    /// How many samples each pixel has, and they, nearest first. Parts came farthest first.
    void tell(std::vector<unsigned>& counts, std::vector<float>& samples) {
        for (auto& pixel : m_pixels) {
            std::reverse(pixel.begin(), pixel.end());
            std::stable_sort(pixel.begin(), pixel.end(),
                             [](const Sample& a, const Sample& b) { return a.depth < b.depth; });
            counts.push_back(static_cast<unsigned>(pixel.size()));
            for (const Sample& each : pixel) {
                samples.insert(samples.end(), each.rgba, each.rgba + 4);
                samples.push_back(each.depth);
            }
        }
    }

private:
    struct Sample {
        float rgba[4];
        float depth;
    };
    int m_width, m_top;
    std::vector<std::vector<Sample>> m_pixels;
};

Result<void> writeDeep(const Taken& taken, const fs::path& path, const fs::path& part) {
    const auto writer = media::pluginOf<PictureWriter>("picture_writer");
    if (!writer) return tl::unexpected(writer.error());
    std::string problem;
    const auto cannot = [&] { return tl::unexpected(cannotWrite(path, taken.pixels() * 2, problem)); };
    const auto file = (*writer)->openDeep(layersFor(taken, part), problem);
    if (!file) return cannot();
    // In bands, so that memory does not grow with the layers of a large frame.
    const V2i size = taken.job.size;
    const int band =
        std::clamp(static_cast<int>((8 << 20) / std::max(1, size.x)) / render::pieceSide * render::pieceSide,
                   render::pieceSide, std::max(render::pieceSide, size.y));
    for (int y = 0; y < size.y; y += band) {
        const int rows = std::min(band, size.y - y);
        DeepRows deep(size.x, y, rows);
        render::Quality quality = taken.job.quality;
        quality.region = {0, y, size.x, y + rows};
        auto all = taken.apart(scene::Blending::Light, quality, [&](FramePart& each) -> Result<void> {
            deep.add(each);
            return {};
        });
        if (!all) return all;
        std::vector<unsigned> counts;
        std::vector<float> samples;
        deep.tell(counts, samples);
        if (!file->add(rows, counts, samples, problem)) return cannot();
    }
    if (!file->close(problem)) return cannot();
    return {};
}

std::string forXml(const std::string& text) {
    std::string out;
    for (const char c : text)
        out += c == '&'   ? std::string("&amp;")
               : c == '<' ? std::string("&lt;")
               : c == '"' ? std::string("&quot;")
                          : std::string(1, static_cast<unsigned char>(c) < 32 ? ' ' : c);
    return out;
}

/// Straight values of a box of premultiplied sRGB-encoded ones.
Pixels straight(const Image& picture, const media::Box& box, int bits) {
    const V2i size = box.size();
    Pixels pixels;
    pixels.size = size;
    const auto fill = [&](auto& values, float most) {
        using Value = typename std::decay_t<decltype(values)>::value_type;
        values.reserve(static_cast<std::size_t>(size.x) * size.y * 4);
        for (int y = box.y0; y < box.y1; ++y)
            for (int x = box.x0; x < box.x1; ++x) {
                const float *p = picture.row(y) + 4 * x, alpha = p[3];
                for (int c = 0; c < 4; ++c) {
                    const float v = c == 3 ? alpha : alpha > 0 ? p[c] / alpha : 0;
                    values.push_back(static_cast<Value>(std::clamp(v, 0.f, 1.f) * most + 0.5f));
                }
            }
    };
    if (bits == 8)
        fill(pixels.rgba.emplace<0>(), 255.f);
    else
        fill(pixels.rgba.emplace<1>(), 65535.f);
    return pixels;
}

media::Box boxOfWhatIsThere(const Image& picture) {
    media::Box box{picture.size.x, picture.size.y, 0, 0};
    for (int y = 0; y < picture.size.y; ++y)
        for (int x = 0; x < picture.size.x; ++x)
            if (picture.row(y)[4 * x + 3] > 0) {
                box.x0 = std::min(box.x0, x), box.x1 = std::max(box.x1, x + 1);
                box.y0 = std::min(box.y0, y), box.y1 = std::max(box.y1, y + 1);
            }
    return box.empty() ? media::Box{0, 0, 1, 1} : box;
}

/// The mean of squares of pixels.
Image smaller(const Image& picture, int most) {
    const int by = (std::max(picture.size.x, picture.size.y) + most - 1) / most;
    if (by <= 1) return picture;
    Image small({std::max(1, picture.size.x / by), std::max(1, picture.size.y / by)});
    for (int y = 0; y < small.size.y; ++y)
        for (int x = 0; x < small.size.x; ++x)
            for (int c = 0; c < 4; ++c) {
                float sum = 0;
                int count = 0;
                for (int j = y * by; j < std::min(picture.size.y, (y + 1) * by); ++j)
                    for (int i = x * by; i < std::min(picture.size.x, (x + 1) * by); ++i, ++count)
                        sum += picture.row(j)[4 * i + c];
                small.row(y)[4 * x + c] = sum / static_cast<float>(count);
            }
    return small;
}

class OpenRasterFile {
public:
    OpenRasterFile(V2i size, int bits, const fs::path& path)
        : m_size(size), m_bits(bits), m_zip(path), m_whole(size) {
        std::fill(m_whole.rgba.begin(), m_whole.rgba.end(), 0.f);
    }
    Result<void> begin() {
        if (auto ok = m_zip.open(); !ok) return ok;
        return m_zip.add("mimetype", "image/openraster");
    }
    Result<void> add(FramePart& part) {
        for (std::size_t i = 0; i < part.picture.rgba.size(); i += 4) {
            float *p = part.picture.rgba.data() + i, *whole = m_whole.rgba.data() + i;
            const bool any = p[0] != 0 || p[1] != 0 || p[2] != 0;
            for (int c = 0; c < 4; ++c)
                whole[c] = p[c] + whole[c] * (1 - p[3]);
            if (part.blend == scene::Blend::Normal || part.behindAll || !any) continue;
            // What adds light has the least alpha that it can; of what is mixed otherwise, what comes of it.
            if (part.blend == scene::Blend::Add)
                p[3] = std::clamp(std::max({p[0], p[1], p[2]}), 0.f, 1.f);
            else
                std::copy_n(whole, 4, p);
        }
        const media::Box box = boxOfWhatIsThere(part.picture);
        const std::string name = "data/layer" + std::to_string(m_count++) + ".png";
        if (auto ok = addPng(name, straight(part.picture, box, m_bits)); !ok) return ok;
        // The uppermost comes first in the list.
        m_layers.insert(0, "    <layer name=\"" + forXml(part.name) + "\" src=\"" + name + "\" x=\"" +
                               std::to_string(box.x0) + "\" y=\"" + std::to_string(box.y0) +
                               "\" opacity=\"1.0\" visibility=\"visible\" composite-op=\"" +
                               (part.blend == scene::Blend::Add ? "svg:plus" : "svg:src-over") + "\"/>\n");
        return {};
    }
    Result<void> finish() {
        const std::string list = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<image version=\"0.0.3\" w=\"" +
                                 std::to_string(m_size.x) + "\" h=\"" + std::to_string(m_size.y) +
                                 "\">\n  <stack>\n" + m_layers + "  </stack>\n</image>\n";
        if (auto ok = m_zip.add("stack.xml", list); !ok) return ok;
        if (auto ok = addPng("mergedimage.png", straight(m_whole, media::boxOf(m_size), m_bits)); !ok)
            return ok;
        const Image small = smaller(m_whole, 256);
        if (auto ok = addPng("Thumbnails/thumbnail.png", straight(small, media::boxOf(small.size), 8)); !ok)
            return ok;
        return m_zip.finish();
    }

private:
    Result<void> addPng(const std::string& name, const Pixels& pixels) {
        const std::vector<char> file = pngFile(pixels, true);
        if (file.empty()) throw std::bad_alloc();
        return m_zip.add(name, {file.data(), file.size()});
    }
    V2i m_size;
    int m_bits;
    ZipWriter m_zip;
    Image m_whole;
    int m_count = 0;
    std::string m_layers;
};

Result<void> writeOpenRaster(const Taken& taken, const fs::path& path) {
    OpenRasterFile file(taken.job.size, bitsOf(taken.job.format, taken.job.encoding), path);
    if (auto ok = file.begin(); !ok) return ok;
    if (auto ok = taken.apart(scene::Blending::Paint, taken.job.quality,
                              [&](FramePart& each) { return file.add(each); });
        !ok)
        return ok;
    return file.finish();
}

}

Result<void> writeLayers(const scene::Scene& scene, const Job& job, std::int64_t frame, const fs::path& path,
                         media::PixelCache& sources, const Progress& progress) {
    const bool exposed = job.quality.method != render::Method::Pinhole;
    const auto at = [&](std::int64_t n) {
        return motion::evaluate(scene, timeOfFrame(n, scene.output.rate), job.size, exposed);
    };
    const Taken taken{job, at(frame), at(frame + 1), sources, progress};
    if (job.format == Format::OpenRaster) return writeOpenRaster(taken, path);
    const fs::path part =
        path.parent_path() / ("." + path.stem().string() + ".part" + std::to_string(::getpid()) + ".exr");
    auto written =
        job.format == Format::ExrDeep ? writeDeep(taken, path, part) : writeParts(taken, path, part);
    if (written && ::rename(part.c_str(), path.c_str()) != 0)
        written = tl::unexpected(cannotWrite(path, errno));
    if (!written) ::unlink(part.c_str());
    return written;
}

}
