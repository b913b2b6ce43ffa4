#include "media/text_picture.h"

#include <algorithm>
#include <cmath>
#include <mutex>
#include <pango/pangocairo.h>

namespace stage::media {
namespace {

template <class T> struct Unref {
    void operator()(T* object) const { g_object_unref(object); }
};

/// A layout for the text on a scratch surface. Font maps are per thread in Pango, so this needs no lock.
class Setting {
public:
    explicit Setting(const scene::Text& text) {
        m_context.reset(pango_font_map_create_context(pango_cairo_font_map_get_default()));
        m_layout.reset(pango_layout_new(m_context.get()));
        PangoFontDescription* font = pango_font_description_from_string(text.font.c_str());
        pango_font_description_set_absolute_size(font, emPixels * PANGO_SCALE);
        pango_layout_set_font_description(m_layout.get(), font);
        pango_font_description_free(font);
        pango_layout_set_text(m_layout.get(), text.text.c_str(), -1);
        const PangoAlignment align[] = {PANGO_ALIGN_LEFT, PANGO_ALIGN_CENTER, PANGO_ALIGN_RIGHT};
        pango_layout_set_alignment(m_layout.get(), align[static_cast<int>(text.align)]);
        pango_layout_set_line_spacing(m_layout.get(), static_cast<float>(text.lineHeight));
        PangoAttrList* attributes = pango_attr_list_new();
        pango_attr_list_insert(attributes, pango_attr_letter_spacing_new(
                                               static_cast<int>(text.tracking * emPixels * PANGO_SCALE)));
        pango_layout_set_attributes(m_layout.get(), attributes);
        pango_attr_list_unref(attributes);
        PangoRectangle ink;
        pango_layout_get_pixel_extents(m_layout.get(), &ink, nullptr);
        m_origin = {ink.x - 1, ink.y - 1};
        m_size = {ink.width + 2, ink.height + 2};
    }
    PangoLayout* layout() const { return m_layout.get(); }
    V2i origin() const { return m_origin; }
    V2i size() const { return m_size; }

private:
    std::unique_ptr<PangoContext, Unref<PangoContext>> m_context;
    std::unique_ptr<PangoLayout, Unref<PangoLayout>> m_layout;
    V2i m_origin, m_size;
};

Result<void> sensible(V2i size) {
    constexpr int most = 30'000; // Cairo's surfaces end at 32767
    if (size.x > most || size.y > most)
        return fail("The text is too long for one layer; split it into several.");
    return {};
}

}

Result<V2i> textPixels(const scene::Text& text) {
    const Setting setting(text);
    if (auto ok = sensible(setting.size()); !ok) return tl::unexpected(ok.error());
    return setting.size();
}

Result<Level> setText(const scene::Text& text) {
    const Setting setting(text);
    const V2i size = setting.size();
    if (auto ok = sensible(size); !ok) return tl::unexpected(ok.error());
    cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_A8, size.x, size.y);
    cairo_t* cairo = cairo_create(surface);
    cairo_translate(cairo, -setting.origin().x, -setting.origin().y);
    pango_cairo_show_layout(cairo, setting.layout());
    cairo_surface_flush(surface);
    Level level(size);
    const unsigned char* data = cairo_image_surface_get_data(surface);
    const int stride = cairo_image_surface_get_stride(surface);
    const bool drawn = data && cairo_status(cairo) == CAIRO_STATUS_SUCCESS;
    if (drawn) {
        const scene::Colour& fill = text.fill;
        const double colour[4] = {fill.r, fill.g, fill.b, fill.a}; // premultiplied already
        for (int y = 0; y < size.y; ++y) {
            Imath::half* out = level.row(y);
            for (int x = 0; x < size.x; ++x)
                for (int c = 0; c < 4; ++c)
                    out[4 * x + c] = static_cast<float>(colour[c] * data[y * stride + x] / 255.0);
        }
    }
    cairo_destroy(cairo);
    cairo_surface_destroy(surface);
    if (!drawn) return fail("The text could not be drawn.");
    return level;
}

}
