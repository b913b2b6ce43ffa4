#include "render/canvas.h"

#include <cstring>
#include <memory>

namespace stage::render {

void Canvas::clear(int w, int h) {
    width = w, height = h;
    std::memset(rgba, 0, static_cast<std::size_t>(h) * side * 4 * sizeof(float));
    std::memset(full, 0, sizeof full);
}

bool Canvas::allFull() const {
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; x += group)
            if (!full[(y * side + x) / group]) return false;
    return true;
}

void paintByParts(const media::Box& box, Canvas& canvas,
                  const std::function<void(const media::Box&, Canvas&)>& paint) {
    canvas.clear(box.x1 - box.x0, box.y1 - box.y0);
    const auto part = std::make_unique<Canvas>();
    const int side = std::max(smallestPart, (std::max(canvas.width, canvas.height) / 2 + 7) / 8 * 8);
    for (int y = box.y0; y < box.y1; y += side)
        for (int x = box.x0; x < box.x1; x += side) {
            paint(media::Box{x, y, x + side, y + side}.within(box), *part);
            for (int row = 0; row < part->height; ++row)
                std::copy_n(part->row(row), 4 * part->width, canvas.row(y - box.y0 + row) + 4 * (x - box.x0));
        }
}

}
