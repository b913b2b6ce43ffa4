// What the cut-out view shows, made off the interface thread. Thread-safe.
#pragma once

#include "media/pixel_cache.h"
#include "motion/pixels.h"
#include "scene/fields.h"

#include <QImage>
#include <QRectF>
#include <functional>
#include <memory>
#include <optional>

namespace stage::desk {

struct CutPictureRequest {
    motion::PixelsPtr pixels;
    std::shared_ptr<media::PixelCache> cache;
    int show = 0;        ///< 0 veil, 1 cut, 2 matte, 3 before
    double perPixel = 1; ///< device pixels per pixel of the layer
    QRectF visible;      ///< layer px
};
struct CutPicture {
    QImage image;
    QRectF place; ///< layer px
};
/// Where holes are still to be filled, a coarse filling is shown meanwhile: interim gets that picture first.
Result<CutPicture> cutPicture(const CutPictureRequest& request, const Progress& progress,
                              const std::function<void(CutPicture)>& interim = {});

}
