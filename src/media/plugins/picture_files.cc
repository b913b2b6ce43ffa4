#include "media/picture_file.h"

#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imageio.h>

namespace stage::media {
namespace {

class OiioFile : public PictureFile {
public:
    bool open(const std::string& name, const std::string* bytes) {
        OIIO::ImageSpec config;
        config["oiio:UnassociatedAlpha"] = 1; // premultiplying is done later, after the curve is taken off
        if (bytes) {
            m_memory = std::make_unique<OIIO::Filesystem::IOMemReader>(const_cast<char*>(bytes->data()),
                                                                       bytes->size());
            // Handed over in the configuration: readers take it from there and forget the argument of open().
            OIIO::Filesystem::IOProxy* proxy = m_memory.get();
            config.attribute("oiio:ioproxy", OIIO::TypeDesc::PTR, &proxy);
            m_input = OIIO::ImageInput::open(name, &config, proxy);
        } else {
            m_input = OIIO::ImageInput::open(name, &config);
        }
        return m_input != nullptr;
    }

    Spec spec() override {
        const OIIO::ImageSpec& from = m_input->spec();
        Spec spec;
        spec.size = {from.width, from.height}, spec.offset = {from.x, from.y};
        spec.full = {from.full_width, from.full_height}, spec.fullOffset = {from.full_x, from.full_y};
        spec.flat = from.depth <= 1;
        spec.isFloat = from.format.is_floating_point();
        spec.isByte = from.format == OIIO::TypeDesc::UINT8;
        spec.associated = from.get_int_attribute("oiio:UnassociatedAlpha", 0) == 0;
        spec.movie = from.get_int_attribute("oiio:Movie", 0) != 0;
        spec.tileHeight = from.tile_height;
        spec.orientation = from.get_int_attribute("Orientation", 1);
        spec.alpha = from.alpha_channel;
        spec.channels = from.channelnames;
        spec.channels.resize(static_cast<std::size_t>(std::max(0, from.nchannels)));
        spec.colourSpace = from.get_string_attribute("oiio:ColorSpace");
        for (const char* each : {"oiio:subimagename", "tiff:PageName", "name"})
            if (spec.name.empty()) spec.name = from.get_string_attribute(each);
        if (const OIIO::ParamValue* profile = from.find_attribute("ICCProfile"))
            spec.profile.assign(static_cast<const char*>(profile->data()),
                                static_cast<std::size_t>(profile->datasize()));
        return spec;
    }

    bool seek(int picture) override { return m_input->seek_subimage(picture, 0); }

    bool read(int y0, int y1, float* to) override { return read(y0, y1, OIIO::TypeDesc::FLOAT, to); }
    bool readBytes(int y0, int y1, std::uint8_t* to) override {
        return read(y0, y1, OIIO::TypeDesc::UINT8, to);
    }
    std::string problem() override { return m_input->geterror(); }

private:
    bool read(int y0, int y1, OIIO::TypeDesc type, void* to) {
        const OIIO::ImageSpec& spec = m_input->spec();
        const int picture = m_input->current_subimage();
        return spec.tile_width
                   ? m_input->read_tiles(picture, 0, spec.x, spec.x + spec.width, spec.y + y0, spec.y + y1,
                                         spec.z, spec.z + 1, 0, spec.nchannels, type, to)
                   : m_input->read_scanlines(picture, 0, spec.y + y0, spec.y + y1, spec.z, 0, spec.nchannels,
                                             type, to);
    }

    std::unique_ptr<OIIO::Filesystem::IOMemReader> m_memory;
    std::unique_ptr<OIIO::ImageInput> m_input;
};

std::unique_ptr<PictureFile> open(const std::string& name, const std::string* bytes, std::string& problem) {
    auto file = std::make_unique<OiioFile>();
    if (file->open(name, bytes)) return file;
    problem = OIIO::geterror();
    return nullptr;
}

}

extern "C" __attribute__((visibility("default"))) const PictureFiles stagePlugin;
const PictureFiles stagePlugin{&open};

}
