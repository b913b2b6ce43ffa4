#include "media/text_picture.h"

#include "media/drawing.h"
#include "scene/scene_json.h"
#include "scene/timing.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <pango/pangocairo.h>

namespace stage::media {
namespace {

template <class T> struct Unref {
    void operator()(T* object) const { g_object_unref(object); }
};

/// A layout for the text. Font maps are per thread in Pango, so this needs no lock.
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
        // What spreads around the letters.
        const auto em = [](double v) { return static_cast<int>(std::ceil(v * emPixels)); };
        const int line = em(text.outline), around = line + em(text.glow);
        int left = around, right = around, top = around, bottom = around;
        if (text.shadowColour.a > 0) {
            const int soft = line + em(text.shadow), x = em(text.shadowBy.x), y = em(text.shadowBy.y);
            left = std::max(left, soft - x), right = std::max(right, soft + x);
            top = std::max(top, soft - y), bottom = std::max(bottom, soft + y);
        }
        m_origin = {ink.x - 1 - left, ink.y - 1 - top};
        m_size = {ink.width + 2 + left + right, ink.height + 2 + top + bottom};
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

/// Coverage of the letters, widened by `line` px of natural size, over a box of a level.
Result<std::vector<float>> letters(const Setting& setting, const Box& box, double scale, double line,
                                   V2d by) {
    const V2i size = box.size();
    cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_A8, size.x, size.y);
    cairo_t* cairo = cairo_create(surface);
    cairo_translate(cairo, -box.x0, -box.y0);
    cairo_scale(cairo, scale, scale);
    cairo_translate(cairo, by.x - setting.origin().x, by.y - setting.origin().y);
    if (line > 0) {
        pango_cairo_layout_path(cairo, setting.layout());
        cairo_set_line_width(cairo, 2 * line);
        cairo_set_line_join(cairo, CAIRO_LINE_JOIN_ROUND);
        cairo_stroke(cairo);
    }
    pango_cairo_show_layout(cairo, setting.layout());
    cairo_surface_flush(surface);
    std::vector<float> coverage(static_cast<std::size_t>(size.x) * size.y);
    const unsigned char* data = cairo_image_surface_get_data(surface);
    const int stride = cairo_image_surface_get_stride(surface);
    const bool drawn = data && cairo_status(cairo) == CAIRO_STATUS_SUCCESS;
    for (int y = 0; drawn && y < size.y; ++y)
        for (int x = 0; x < size.x; ++x)
            coverage[static_cast<std::size_t>(y) * size.x + x] =
                static_cast<float>(data[std::ptrdiff_t{y} * stride + x]) / 255;
    cairo_destroy(cairo);
    cairo_surface_destroy(surface);
    if (!drawn) return fail("The text could not be drawn.");
    return coverage;
}

/// Three box blurs along rows and columns: a Gaussian to the eye. radius: where it ends, px.
void soften(std::vector<float>& values, V2i size, double radius) {
    const int half = static_cast<int>(std::lround(radius / 3));
    if (half < 1) return;
    std::vector<float> line;
    const auto pass = [&](int count, int length, auto&& at) {
        line.resize(static_cast<std::size_t>(length));
        for (int n = 0; n < count; ++n) {
            double sum = 0;
            for (int i = 0; i <= std::min(half, length - 1); ++i)
                sum += values[at(n, i)];
            for (int i = 0; i < length; ++i) {
                line[static_cast<std::size_t>(i)] = static_cast<float>(sum / (2 * half + 1));
                if (i + half + 1 < length) sum += values[at(n, i + half + 1)];
                if (i - half >= 0) sum -= values[at(n, i - half)];
            }
            for (int i = 0; i < length; ++i)
                values[at(n, i)] = line[static_cast<std::size_t>(i)];
        }
    };
    const auto width = static_cast<std::size_t>(size.x);
    for (int turn = 0; turn < 3; ++turn) {
        pass(size.y, size.x, [&](int row, int i) { return static_cast<std::size_t>(row) * width + i; });
        pass(size.x, size.y, [&](int column, int i) { return static_cast<std::size_t>(i) * width + column; });
    }
}

class TextSource : public PixelSource {
public:
    TextSource(const scene::Text& text, V2i natural)
        : PixelSource("text\n" + keyOf(text), natural * (1 << finerLevels(natural)), Granularity::EveryLevel),
          m_text(text), m_finer(finerLevels(natural)) {}

    Result<Raster> compute(int level, const Box& box, PixelCache&, const Progress&) const override {
        const Timed timed(Stage::Draw);
        const Setting setting(m_text);
        const double scale = std::ldexp(1.0, m_finer - level);
        Raster out(box.size());
        const double line = m_text.outline * emPixels;
        // From the back: shadow, glow, line, letters. Colours are premultiplied already.
        const auto lay = [&](double width, double soft, V2d by, const scene::Colour& c,
                             double gain) -> Result<void> {
            const double reach = soft * emPixels * scale;
            const Box wide = box.grown(static_cast<int>(std::ceil(reach)) + 1);
            auto coverage = letters(setting, wide, scale, width, by * emPixels);
            if (!coverage) return tl::unexpected(coverage.error());
            soften(*coverage, wide.size(), reach);
            const std::array<double, 4> colour = {c.r, c.g, c.b, c.a};
            for (int y = box.y0; y < box.y1; ++y) {
                Imath::half* to = out.row(y - box.y0);
                const float* in = coverage->data() + static_cast<std::size_t>(y - wide.y0) * wide.size().x +
                                  (box.x0 - wide.x0);
                for (int x = box.x0; x < box.x1; ++x, ++in, to += 4) {
                    const double a = std::min(1.0, gain * *in);
                    const double rest = 1 - colour[3] * a;
                    for (std::size_t i = 0; i < 4; ++i)
                        to[i] = static_cast<float>(colour[i] * a + float(to[i]) * rest);
                }
            }
            return {};
        };
        Result<void> ok;
        if (m_text.shadowColour.a > 0) ok = lay(line, m_text.shadow, m_text.shadowBy, m_text.shadowColour, 1);
        if (ok && m_text.glow > 0) ok = lay(line, m_text.glow, V2d(0), m_text.glowColour, 1.6);
        if (ok && line > 0) ok = lay(line, 0, V2d(0), m_text.outlineColour, 1);
        if (ok) ok = lay(0, 0, V2d(0), m_text.fill, 1);
        if (!ok) return tl::unexpected(ok.error());
        return out;
    }

private:
    static std::string keyOf(const scene::Text& text) { return scene::toJson(text).dump(); }
    scene::Text m_text;
    int m_finer;
};

}

Result<V2i> textPixels(const scene::Text& text) {
    const Setting setting(text);
    if (auto ok = sensible(setting.size()); !ok) return tl::unexpected(ok.error());
    return setting.size();
}

PixelSourcePtr textSource(const scene::Text& text, V2i natural) {
    return std::make_shared<TextSource>(text, natural);
}

}
