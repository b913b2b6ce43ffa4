#include "output/picture_writer.h"

#include <OpenImageIO/deepdata.h>
#include <OpenImageIO/imageio.h>

namespace stage::output {
namespace {

using OIIO::TypeDesc;

bool write(const PictureToWrite& picture, std::string& problem) {
    const auto file = OIIO::ImageOutput::create(picture.path);
    if (!file) {
        problem = OIIO::geterror();
        return false;
    }
    const TypeDesc in = picture.bits == 8    ? TypeDesc::UINT8
                        : picture.bits == 16 ? TypeDesc::UINT16
                                             : TypeDesc::FLOAT;
    OIIO::ImageSpec spec(picture.width, picture.height, picture.alpha ? 4 : 3,
                         picture.half ? TypeDesc(TypeDesc::HALF) : in);
    if (!picture.compression.empty()) spec.attribute("compression", picture.compression);
    if (picture.alpha && !picture.associated) spec.attribute("oiio:UnassociatedAlpha", 1);
    if (picture.bits == 32) {
        const float rec709[8] = {0.64f, 0.33f, 0.3f, 0.6f, 0.15f, 0.06f, 0.3127f, 0.329f};
        spec.attribute("chromaticities", TypeDesc(TypeDesc::FLOAT, 8), rec709);
        spec.attribute("oiio:ColorSpace", "Linear");
    } else {
        spec.attribute("oiio:ColorSpace", "sRGB");
    }
    if (!picture.profile.empty())
        spec.attribute("ICCProfile", TypeDesc(TypeDesc::UINT8, static_cast<int>(picture.profile.size())),
                       picture.profile.data());
    spec.attribute("jpeg:subsampling", "4:4:4");
    const OIIO::stride_t pixel = 4 * picture.bits / 8;
    const bool written = file->open(picture.path, spec) && file->write_image(in, picture.rgba, pixel);
    const bool closed = file->close();
    if (written && closed) return true;
    problem = file->geterror();
    return false;
}

const TypeDesc halfs(TypeDesc::HALF), floats(TypeDesc::FLOAT);

void describe(OIIO::ImageSpec& spec, const std::string& part) {
    const float rec709[8] = {0.64f, 0.33f, 0.3f, 0.6f, 0.15f, 0.06f, 0.3127f, 0.329f};
    spec.attribute("chromaticities", TypeDesc(TypeDesc::FLOAT, 8), rec709);
    spec.attribute("oiio:ColorSpace", "Linear");
    spec.alpha_channel = 3;
    spec.z_channel = 4;
    if (!part.empty()) spec.attribute("oiio:subimagename", part);
}

class Parts : public PartsFile {
public:
    static std::unique_ptr<PartsFile> open(const LayersToWrite& layers, std::string& problem) {
        auto made = std::make_unique<Parts>();
        made->m_path = layers.path;
        made->m_file = OIIO::ImageOutput::create(layers.path);
        const TypeDesc colour = layers.half ? halfs : floats;
        for (const std::string& name : layers.names) {
            OIIO::ImageSpec spec(layers.width, layers.height, channels, floats);
            spec.channelnames = {"R", "G", "B", "A", "Z", "motion.X", "motion.Y"};
            spec.channelformats = {colour, colour, colour, colour, floats, floats, floats};
            spec.attribute("compression", layers.compression);
            describe(spec, name);
            made->m_specs.push_back(std::move(spec));
        }
        if (made->m_file &&
            made->m_file->open(layers.path, static_cast<int>(made->m_specs.size()), made->m_specs.data()))
            return made;
        problem = made->m_file ? made->m_file->geterror() : OIIO::geterror();
        return nullptr;
    }
    bool add(const float* rgba, const float* depth, const float* motion, std::string& problem) override {
        const OIIO::ImageSpec& spec = m_specs[m_next];
        if (m_next > 0 && !m_file->open(m_path, spec, OIIO::ImageOutput::AppendSubimage))
            return told(problem);
        ++m_next;
        std::vector<float> row(static_cast<std::size_t>(spec.width) * channels);
        for (int y = 0; y < spec.height; ++y) {
            float* to = row.data();
            for (int x = 0; x < spec.width; ++x, rgba += 4, motion += 2) {
                for (int c = 0; c < 4; ++c)
                    *to++ = rgba[c];
                *to++ = *depth++;
                *to++ = motion[0], *to++ = motion[1];
            }
            if (!m_file->write_scanline(y, 0, floats, row.data())) return told(problem);
        }
        return true;
    }
    bool close(std::string& problem) override { return m_file->close() || told(problem); }

private:
    static constexpr int channels = 7;
    bool told(std::string& problem) const {
        problem = m_file->geterror();
        return false;
    }
    std::string m_path;
    std::unique_ptr<OIIO::ImageOutput> m_file;
    std::vector<OIIO::ImageSpec> m_specs;
    std::size_t m_next = 0;
};

class Deep : public DeepFile {
public:
    static std::unique_ptr<DeepFile> open(const LayersToWrite& layers, std::string& problem) {
        auto made = std::make_unique<Deep>();
        made->m_file = OIIO::ImageOutput::create(layers.path);
        OIIO::ImageSpec& spec = made->m_spec;
        spec = OIIO::ImageSpec(layers.width, layers.height, channels, floats);
        const TypeDesc colour = layers.half ? halfs : floats;
        spec.channelnames = {"R", "G", "B", "A", "Z"};
        spec.channelformats = {colour, colour, colour, colour, floats};
        spec.deep = true;
        spec.attribute("compression", "zips"); // what deep files can have
        describe(spec, "");
        if (made->m_file && made->m_file->open(layers.path, spec)) return made;
        problem = made->m_file ? made->m_file->geterror() : OIIO::geterror();
        return nullptr;
    }
    bool add(int rows, const std::vector<unsigned>& counts, const std::vector<float>& samples,
             std::string& problem) override {
        OIIO::DeepData data;
        data.init(static_cast<std::int64_t>(counts.size()), channels, m_spec.channelformats,
                  m_spec.channelnames);
        data.set_all_samples(counts);
        const float* from = samples.data();
        for (std::size_t pixel = 0; pixel < counts.size(); ++pixel)
            for (unsigned n = 0; n < counts[pixel]; ++n)
                for (int c = 0; c < channels; ++c)
                    data.set_deep_value(static_cast<std::int64_t>(pixel), c, static_cast<int>(n), *from++);
        if (m_file->write_deep_scanlines(m_row, m_row + rows, 0, data)) {
            m_row += rows;
            return true;
        }
        problem = m_file->geterror();
        return false;
    }
    bool close(std::string& problem) override {
        if (m_file->close()) return true;
        problem = m_file->geterror();
        return false;
    }

private:
    static constexpr int channels = 5;
    std::unique_ptr<OIIO::ImageOutput> m_file;
    OIIO::ImageSpec m_spec;
    int m_row = 0;
};

}

extern "C" __attribute__((visibility("default"))) const PictureWriter stagePlugin;
const PictureWriter stagePlugin{&write, &Parts::open, &Deep::open};

}
