#include "cutout/shapes.h"

#include <cairo.h>
#include <cmath>
#include <functional>
#include <numbers>

namespace stage::cutout {
namespace {

/// Draws a closed shape, given in the shape's pixels, and reads its coverage.
Mask drawn(double scale, const Box& box, const std::function<void(cairo_t*)>& shape) {
    Mask mask(box);
    if (box.empty()) return mask;
    const V2i size = box.size();
    cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_A8, size.x, size.y);
    cairo_t* cairo = cairo_create(surface);
    cairo_set_antialias(cairo, CAIRO_ANTIALIAS_BEST);
    cairo_set_tolerance(cairo, 0.02);
    cairo_translate(cairo, -box.x0, -box.y0);
    cairo_scale(cairo, scale, scale);
    shape(cairo);
    cairo_fill(cairo);
    cairo_surface_flush(surface);
    const unsigned char* data = cairo_image_surface_get_data(surface);
    const int stride = cairo_image_surface_get_stride(surface);
    if (data && cairo_status(cairo) == CAIRO_STATUS_SUCCESS)
        for (int y = 0; y < size.y; ++y)
            for (int x = 0; x < size.x; ++x)
                mask.row(y + box.y0)[x + box.x0] =
                    static_cast<float>(data[std::ptrdiff_t{y} * stride + x]) / 255;
    cairo_destroy(cairo);
    cairo_surface_destroy(surface);
    return mask;
}

void turnAround(cairo_t* cairo, const scene::Area& area) {
    cairo_translate(cairo, area.centre.x, area.centre.y);
    cairo_rotate(cairo, radians(area.turn));
}

}

Mask coverOf(const scene::Outline& outline, double scale, const Box& box) {
    const auto& points = outline.points.value;
    return drawn(scale, box, [&](cairo_t* cairo) {
        for (std::size_t i = 0; i <= points.size() && points.size() >= 3; ++i) {
            const scene::PathPoint& to = points[i % points.size()];
            if (i == 0) {
                cairo_move_to(cairo, to.place.x, to.place.y);
                continue;
            }
            const scene::PathPoint& from = points[i - 1];
            if (from.out == V2d(0) && to.in == V2d(0)) {
                cairo_line_to(cairo, to.place.x, to.place.y);
            } else {
                const V2d a = from.place + from.out, b = to.place + to.in;
                cairo_curve_to(cairo, a.x, a.y, b.x, b.y, to.place.x, to.place.y);
            }
        }
        cairo_close_path(cairo);
    });
}

Mask coverOf(const scene::Rectangle& rectangle, double scale, const Box& box) {
    const scene::Area& area = rectangle.area.value;
    return drawn(scale, box, [&](cairo_t* cairo) {
        turnAround(cairo, area);
        cairo_rectangle(cairo, -area.size.x / 2, -area.size.y / 2, area.size.x, area.size.y);
    });
}

Mask coverOf(const scene::Ellipse& ellipse, double scale, const Box& box) {
    const scene::Area& area = ellipse.area.value;
    return drawn(scale, box, [&](cairo_t* cairo) {
        if (area.size.x <= 0 || area.size.y <= 0) return;
        cairo_save(cairo);
        turnAround(cairo, area);
        cairo_scale(cairo, area.size.x / 2, area.size.y / 2);
        cairo_arc(cairo, 0, 0, 1, 0, 2 * std::numbers::pi);
        cairo_restore(cairo);
    });
}

double brushProfile(double share, double hardness) {
    if (share >= 1) return 0;
    if (share <= hardness) return 1;
    return 0.5 * (1 + std::cos(std::numbers::pi * (share - hardness) / (1 - hardness)));
}

Box boxOf(const scene::Stroke& stroke) {
    if (stroke.dabs.empty()) return {};
    V2d low(1e9), high(-1e9);
    for (const auto& dab : stroke.dabs) {
        low = {std::min(low.x, dab.place.x), std::min(low.y, dab.place.y)};
        high = {std::max(high.x, dab.place.x), std::max(high.y, dab.place.y)};
    }
    const double r = stroke.size / 2 + 1;
    return {static_cast<int>(std::floor(low.x - r)), static_cast<int>(std::floor(low.y - r)),
            static_cast<int>(std::ceil(high.x + r)), static_cast<int>(std::ceil(high.y + r))};
}

void paint(Mask& mask, const scene::Stroke& stroke, double scale) {
    if (stroke.dabs.empty()) return;
    const double radius = std::max(stroke.size / 2 * scale, 0.5);
    // A hard rim still fades over a pixel.
    const double hardness = std::min(stroke.hardness, 1 - std::min(1.0, 1 / radius));
    Mask cover(mask.box);
    Box touched;
    for (std::size_t i = 0; i < stroke.dabs.size(); ++i) {
        if (i == 0 && stroke.dabs.size() > 1) continue;
        const auto &from = stroke.dabs[i > 0 ? i - 1 : 0], &to = stroke.dabs[i];
        const V2d a = from.place * scale, way = to.place * scale - a;
        const double square = way.dot(way);
        const V2d b = a + way;
        const Box box = Box{static_cast<int>(std::floor(std::min(a.x, b.x) - radius)),
                            static_cast<int>(std::floor(std::min(a.y, b.y) - radius)),
                            static_cast<int>(std::ceil(std::max(a.x, b.x) + radius)),
                            static_cast<int>(std::ceil(std::max(a.y, b.y) + radius))}
                            .within(mask.box);
        if (box.empty()) continue;
        touched = touched.with(box);
        for (int y = box.y0; y < box.y1; ++y) {
            float* row = cover.row(y);
            for (int x = box.x0; x < box.x1; ++x) {
                const V2d p = V2d(x + 0.5, y + 0.5) - a;
                const double f = square > 0 ? std::clamp(p.dot(way) / square, 0.0, 1.0) : 1.0;
                const double pressure = from.pressure + (to.pressure - from.pressure) * f;
                const double reach = radius * pressure;
                if (reach <= 0) continue;
                const double share = (p - way * f).length() / reach;
                if (share >= 1) continue;
                row[x] = std::max(row[x],
                                  static_cast<float>(brushProfile(share, hardness) * stroke.flow * pressure));
            }
        }
    }
    for (int y = touched.y0; y < touched.y1; ++y) {
        float* row = mask.row(y);
        const float* s = cover.row(y);
        for (int x = touched.x0; x < touched.x1; ++x)
            row[x] = stroke.erase ? row[x] * (1 - s[x]) : row[x] + s[x] - row[x] * s[x];
    }
}

}
