#include "desk/kit/shipped.h"

#include <QCoreApplication>

namespace stage::desk {

std::filesystem::path shipped(const std::filesystem::path& part) {
    const std::filesystem::path programs = QCoreApplication::applicationDirPath().toStdString();
    std::error_code code;
    for (const std::filesystem::path& folder :
         {programs / ".." / "share" / "open-stage", std::filesystem::path(STAGE_SOURCE_DIR)})
        if (const auto place = (folder / part).lexically_normal(); std::filesystem::exists(place, code))
            return place;
    return {};
}

}
