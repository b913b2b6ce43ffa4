#include "output/picture_writer.h"

#include <OpenImageIO/imageio.h>

namespace stage::output {
namespace {

bool write(const PictureToWrite& picture, std::string& problem) {
    const auto file = OIIO::ImageOutput::create(picture.path);
    if (!file) {
        problem = OIIO::geterror();
        return false;
    }
    using OIIO::TypeDesc;
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

}

extern "C" __attribute__((visibility("default"))) const PictureWriter stagePlugin;
const PictureWriter stagePlugin{&write};

}
