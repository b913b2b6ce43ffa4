#include "media/drawing.h"

#include "scene/timing.h"

#include <algorithm>
#include <archive.h>
#include <archive_entry.h>
#include <charconv>
#include <cmath>
#include <fstream>
#include <librsvg/rsvg.h>
#include <map>
#include <mutex>
#include <pugixml.hpp>
#include <sstream>

namespace stage::media {
namespace {

constexpr std::size_t mostBytes = 64u << 20;

struct Unref {
    void operator()(RsvgHandle* handle) const { g_object_unref(handle); }
};
using Handle = std::unique_ptr<RsvgHandle, Unref>;

/// A drawing with an id on every layer.
struct Prepared {
    std::string xml;
    struct Layer {
        std::string id, name;
        bool visible = true;
    };
    std::vector<Layer> layers;
};

std::string localName(const char* name) {
    const std::string text = name;
    const auto colon = text.rfind(':');
    return colon == std::string::npos ? text : text.substr(colon + 1);
}

std::string nameOf(const pugi::xml_node& group) {
    for (const pugi::xml_node& child : group.children())
        if (localName(child.name()) == "title" && *child.child_value()) return child.child_value();
    for (const pugi::xml_attribute& attribute : group.attributes())
        if (localName(attribute.name()) == "label" && *attribute.value()) return attribute.value();
    return group.attribute("id").value();
}

bool hidden(const pugi::xml_node& node) {
    const std::string style = node.attribute("style").value();
    return std::string(node.attribute("display").value()) == "none" ||
           style.find("display:none") != std::string::npos ||
           style.find("display: none") != std::string::npos;
}

bool isDrawn(const pugi::xml_node& node) {
    static const char* drawn[] = {"path", "rect",  "circle", "ellipse", "line", "polyline", "polygon",
                                  "text", "image", "use",    "svg",     "a",    "switch"};
    const std::string name = localName(node.name());
    return std::any_of(std::begin(drawn), std::end(drawn), [&](const char* d) { return name == d; });
}

/// Octaves of noise beyond this change less than a step of 8 bits, and each takes as long as the first.
constexpr int mostOctaves = 10;

/// The error is the end of a sentence.
Result<std::string> gunzipped(const std::string& packed, std::size_t most) {
    const std::unique_ptr<archive, decltype(&archive_read_free)> reader(archive_read_new(),
                                                                        archive_read_free);
    archive_read_support_filter_gzip(reader.get());
    archive_read_support_format_raw(reader.get());
    archive_entry* entry = nullptr;
    if (archive_read_open_memory(reader.get(), packed.data(), packed.size()) != ARCHIVE_OK ||
        archive_read_next_header(reader.get(), &entry) != ARCHIVE_OK)
        return fail("it cannot be unpacked");
    std::string text;
    char buffer[1 << 16];
    for (;;) {
        const la_ssize_t got = archive_read_data(reader.get(), buffer, sizeof buffer);
        if (got == 0) return text;
        if (got < 0) return fail("it cannot be unpacked to its end");
        if (text.size() + static_cast<std::size_t>(got) > most) return fail("it is too large for a drawing");
        text.append(buffer, static_cast<std::size_t>(got));
    }
}

Result<Prepared> prepare(const std::filesystem::path& path) {
    const auto wrong = [&](const std::string& reason) {
        return fail("Cannot read " + path.string() + ": " + reason + ".");
    };
    std::error_code code;
    const auto bytes = std::filesystem::file_size(path, code);
    if (code) return wrong("it does not exist");
    if (bytes > mostBytes) return wrong("it is too large for a drawing");
    std::ifstream in(path, std::ios::binary);
    std::string text((std::istreambuf_iterator<char>(in)), {});
    if (text.starts_with("\x1F\x8B")) {
        auto unpacked = gunzipped(text, mostBytes);
        if (!unpacked) return wrong(unpacked.error().sentence);
        text = std::move(*unpacked);
    }
    pugi::xml_document document;
    const auto parsed =
        document.load_buffer(text.data(), text.size(), pugi::parse_default | pugi::parse_ws_pcdata_single);
    if (!parsed) return wrong(std::string("it is not valid XML (") + parsed.description() + ")");
    pugi::xml_node root = document.document_element();
    if (localName(root.name()) != "svg") return wrong("it is not an SVG drawing");
    std::size_t nodes = 0;
    struct Count : pugi::xml_tree_walker {
        std::size_t* count;
        bool for_each(pugi::xml_node& node) override {
            if (pugi::xml_attribute octaves = node.attribute("numOctaves"); octaves.as_int() > mostOctaves)
                octaves.set_value(mostOctaves);
            return ++*count < 2'000'000 && depth() < 500;
        }
    } count;
    count.count = &nodes;
    if (!root.traverse(count)) return wrong("it is nested too deep or has too many parts");

    Prepared prepared;
    std::vector<pugi::xml_node> children(root.children().begin(), root.children().end());
    pugi::xml_node loose; // gathers what lies between groups
    const std::string prefix = std::string(root.name()).substr(0, std::string(root.name()).size() - 3);
    const auto add = [&](pugi::xml_node node, std::string name) {
        Prepared::Layer layer;
        layer.id = "open-stage-" + std::to_string(prepared.layers.size());
        layer.name = name.empty() ? "Group " + std::to_string(prepared.layers.size() + 1) : std::move(name);
        layer.visible = !hidden(node);
        if (!layer.visible) { // shown when the layer is
            node.remove_attribute("display");
            std::string style = node.attribute("style").value();
            for (const char* none : {"display:none", "display: none"})
                if (const auto at = style.find(none); at != std::string::npos)
                    style.erase(at, std::string(none).size());
            if (node.attribute("style")) node.attribute("style").set_value(style.c_str());
        }
        // Styles and references go by the old id, so it stays where it is and a group with ours is put
        // around.
        pugi::xml_node around = root.insert_child_before((prefix + "g").c_str(), node);
        around.append_attribute("id").set_value(layer.id.c_str());
        around.append_move(node);
        prepared.layers.push_back(std::move(layer));
        return around;
    };
    for (const pugi::xml_node& child : children) {
        if (localName(child.name()) == "g") {
            add(child, nameOf(child));
            loose = {};
        } else if (isDrawn(child)) {
            if (loose)
                loose.append_move(child);
            else
                loose = add(child, nameOf(child));
        }
        if (prepared.layers.size() > scene::Limits::layers) return wrong("it has too many groups");
    }
    std::ostringstream out;
    document.remove_child(document.child("!DOCTYPE"));
    document.save(out, "", pugi::format_raw | pugi::format_no_declaration);
    prepared.xml = out.str();
    return prepared;
}

/// librsvg's handles may only be used by one thread at a time.
struct Drawing {
    std::mutex lock;
    Handle handle;
    Prepared prepared;
    double width = 0, height = 0; ///< natural size, px
};

Result<std::shared_ptr<Drawing>> openDrawing(const std::filesystem::path& path) {
    auto prepared = prepare(path);
    if (!prepared) return tl::unexpected(prepared.error());
    auto drawing = std::make_shared<Drawing>();
    GError* problem = nullptr;
    const auto* data = reinterpret_cast<const guint8*>(prepared->xml.data());
    drawing->handle.reset(rsvg_handle_new_from_data(data, prepared->xml.size(), &problem));
    if (!drawing->handle) {
        const std::string reason = problem ? problem->message : "it is not an SVG drawing";
        g_clear_error(&problem);
        return fail("Cannot read " + path.string() + ": " + reason + ".");
    }
    rsvg_handle_set_dpi(drawing->handle.get(), 96);
    gboolean hasBox = FALSE, hasWidth = FALSE, hasHeight = FALSE;
    RsvgLength width, height;
    RsvgRectangle box;
    rsvg_handle_get_intrinsic_dimensions(drawing->handle.get(), &hasWidth, &width, &hasHeight, &height,
                                         &hasBox, &box);
    if (!rsvg_handle_get_intrinsic_size_in_pixels(drawing->handle.get(), &drawing->width, &drawing->height)) {
        drawing->width = hasBox ? box.width : 0;
        drawing->height = hasBox ? box.height : 0;
    }
    if (!(drawing->width >= 1 && drawing->height >= 1 && drawing->width <= 32'000 &&
          drawing->height <= 32'000))
        return fail("Cannot read " + path.string() + ": the size of its canvas is not usable.");
    drawing->prepared = std::move(*prepared);
    return drawing;
}

std::size_t indexOf(const std::string& part) {
    std::size_t index = 0;
    if (part.size() > 1) std::from_chars(part.data() + 1, part.data() + part.size(), index);
    return index;
}

/// The box of a part's ink on the canvas, whole px.
Box inkOf(Drawing& drawing, const std::string& id) {
    RsvgRectangle viewport = {0, 0, drawing.width, drawing.height}, ink = {}, logical = {};
    const std::string hash = "#" + id;
    if (!rsvg_handle_get_geometry_for_layer(drawing.handle.get(), hash.c_str(), &viewport, &ink, &logical,
                                            nullptr))
        return {};
    if (!(ink.width > 0 && ink.height > 0)) return {};
    const auto bound = [](double v) { return static_cast<int>(std::clamp(v, -32'000.0, 32'000.0)); };
    return {bound(std::floor(ink.x)) - 1, bound(std::floor(ink.y)) - 1,
            bound(std::ceil(ink.x + ink.width)) + 1, bound(std::ceil(ink.y + ink.height)) + 1};
}

/// Parsed drawings stay while a few are in use: a source is made anew for every frame.
Result<std::shared_ptr<Drawing>> sharedDrawing(const std::string& key, const std::filesystem::path& path) {
    static std::mutex lock;
    static std::map<std::string, std::shared_ptr<Drawing>> open;
    std::lock_guard guard(lock);
    if (const auto found = open.find(key); found != open.end()) return found->second;
    auto drawing = openDrawing(path);
    if (!drawing) return drawing;
    if (open.size() >= 64) open.clear();
    open.emplace(key, *drawing);
    return drawing;
}

class DrawingSource : public PixelSource {
public:
    DrawingSource(const std::string& key, std::filesystem::path path, std::string part, V2i natural)
        : PixelSource(key + "\nvector", natural * (1 << finerLevels(natural)), Granularity::EveryLevel),
          m_file(key), m_path(std::move(path)), m_part(std::move(part)), m_natural(natural) {}

    Result<Raster> compute(int level, const Box& box, PixelCache&, const Progress&) const override {
        const Timed timed(Stage::Draw);
        auto drawing = sharedDrawing(m_file, m_path);
        if (!drawing) return tl::unexpected(drawing.error());
        Drawing& d = **drawing;
        std::lock_guard guard(d.lock);
        const auto& layers = d.prepared.layers;
        const std::size_t index = indexOf(m_part);
        if (!m_part.empty() && index >= layers.size())
            return fail("Cannot read " + m_path.string() + ": it has no part '" + m_part + "'.");
        V2d offset(0);
        if (!m_part.empty()) {
            const Box ink = inkOf(d, layers[index].id);
            offset = {static_cast<double>(ink.x0), static_cast<double>(ink.y0)};
        }
        const double scale = std::ldexp(1.0, finerLevels(m_natural) - level);
        const V2i size = box.size();
        cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, size.x, size.y);
        cairo_t* cairo = cairo_create(surface);
        cairo_translate(cairo, -box.x0, -box.y0);
        cairo_scale(cairo, scale, scale);
        cairo_translate(cairo, -offset.x, -offset.y);
        RsvgRectangle viewport = {0, 0, d.width, d.height};
        const std::string id = m_part.empty() ? "" : "#" + layers[index].id;
        GError* problem = nullptr;
        const bool ok = rsvg_handle_render_layer(d.handle.get(), cairo, id.empty() ? nullptr : id.c_str(),
                                                 &viewport, &problem) &&
                        cairo_status(cairo) == CAIRO_STATUS_SUCCESS;
        const std::string reason = problem ? problem->message : "it could not be drawn";
        g_clear_error(&problem);
        cairo_surface_flush(surface);
        Raster out(size);
        const unsigned char* data = cairo_image_surface_get_data(surface);
        const int stride = cairo_image_surface_get_stride(surface);
        for (int y = 0; ok && y < size.y; ++y) {
            const auto* in = reinterpret_cast<const std::uint32_t*>(data + std::ptrdiff_t{y} * stride);
            Imath::half* to = out.row(y);
            for (int x = 0; x < size.x; ++x, to += 4) {
                const float alpha = static_cast<float>(in[x] >> 24) / 255;
                for (int c = 0; c < 3; ++c) {
                    const float v = static_cast<float>(in[x] >> (16 - 8 * c) & 255) / 255;
                    to[c] = alpha > 0 ? linearFromSrgb(std::min(v / alpha, 1.f)) * alpha : 0.f;
                }
                to[3] = alpha;
            }
        }
        cairo_destroy(cairo);
        cairo_surface_destroy(surface);
        if (!ok) return fail("Cannot read " + m_path.string() + ": " + reason + ".");
        return out;
    }

private:
    std::string m_file;
    std::filesystem::path m_path;
    std::string m_part;
    V2i m_natural;
};

}

int finerLevels(V2i natural) {
    int levels = 0;
    while (levels < 5 && std::max(natural.x, natural.y) << (levels + 1) <= 16'384)
        ++levels;
    return levels;
}

Result<Stack> readDrawing(const std::filesystem::path& path) {
    auto drawing = openDrawing(path);
    if (!drawing) return tl::unexpected(drawing.error());
    Drawing& d = **drawing;
    Stack stack;
    stack.canvas = {static_cast<int>(std::ceil(d.width)), static_cast<int>(std::ceil(d.height))};
    for (std::size_t n = 0; n < d.prepared.layers.size(); ++n) {
        const Box ink = inkOf(d, d.prepared.layers[n].id);
        if (ink.empty() || ink.size().x > 32'000 || ink.size().y > 32'000) continue;
        StackItem item;
        item.name = d.prepared.layers[n].name;
        item.visible = d.prepared.layers[n].visible;
        item.offset = {ink.x0, ink.y0};
        item.size = ink.size();
        item.part = "#" + std::to_string(n);
        stack.items.push_back(std::move(item));
    }
    if (stack.items.empty()) return fail("Cannot read " + path.string() + ": nothing is drawn in it.");
    return stack;
}

PixelSourcePtr drawingSource(const std::string& key, const std::filesystem::path& path,
                             const std::string& part, V2i size) {
    return std::make_shared<DrawingSource>(key, path, part, size);
}

}
