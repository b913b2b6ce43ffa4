#include "media/open_raster.h"

#include "media/still.h"
#include "scene/fields.h"
#include "scene/utf8.h"

#include <algorithm>
#include <archive.h>
#include <archive_entry.h>
#include <functional>
#include <map>
#include <pugixml.hpp>

namespace stage::media {
namespace {

constexpr std::size_t mostXml = 16u << 20;
constexpr std::size_t mostMember = 1u << 30;

using Archive = std::unique_ptr<archive, decltype(&archive_read_free)>;

/// Calls take(name, archive) for each member until it returns false.
Result<void> walk(const std::filesystem::path& path,
                  const std::function<bool(const std::string&, archive*)>& take) {
    std::error_code code;
    if (!std::filesystem::is_regular_file(path, code))
        return fail("Cannot read " + path.string() + ": there is no such file.");
    Archive reader(archive_read_new(), archive_read_free);
    archive_read_support_format_zip_seekable(reader.get());
    if (archive_read_open_filename(reader.get(), path.c_str(), 1u << 16) != ARCHIVE_OK)
        return fail("Cannot read " + path.string() + ": it is not an OpenRaster file (not a zip archive).");
    archive_entry* entry = nullptr;
    for (;;) {
        const int status = archive_read_next_header(reader.get(), &entry);
        if (status == ARCHIVE_EOF) return {};
        if (status != ARCHIVE_OK && status != ARCHIVE_WARN)
            return fail("Cannot read " + path.string() + ": its archive is damaged.");
        const char* name = archive_entry_pathname(entry);
        if (name && !take(name, reader.get())) return {};
    }
}

Result<std::string> drain(archive* reader, std::size_t most, const std::string& where) {
    std::string bytes;
    char buffer[1 << 16];
    for (;;) {
        const la_ssize_t got = archive_read_data(reader, buffer, sizeof buffer);
        if (got == 0) return bytes;
        if (got < 0) return fail("Cannot read " + where + ": its data is damaged.");
        if (bytes.size() + static_cast<std::size_t>(got) > most)
            return fail("Cannot read " + where + ": it is too large.");
        bytes.append(buffer, static_cast<std::size_t>(got));
    }
}

bool leavesArchive(const std::string& part) {
    const std::filesystem::path path(part);
    return path.is_absolute() || part.find('\\') != std::string::npos ||
           std::any_of(path.begin(), path.end(), [](const auto& piece) { return piece == ".."; });
}

scene::Blend blendOf(const std::string& op) {
    std::string name = op.starts_with("svg:") ? op.substr(4) : op;
    if (name == "plus") return scene::Blend::Add;
    const auto found = std::find(scene::blendNames.begin(), scene::blendNames.end(), name);
    return found == scene::blendNames.end() ? scene::Blend::Normal
                                            : static_cast<scene::Blend>(found - scene::blendNames.begin());
}

class StackReader {
public:
    explicit StackReader(std::map<std::string, V2i> sizes) : m_sizes(std::move(sizes)) {}

    std::vector<StackItem> items(const pugi::xml_node& stack, V2i offset, int depth) {
        if (depth > scene::Limits::groupDepth) throw scene::Misread{"its stacks are nested too deep"};
        std::vector<StackItem> result;
        for (const pugi::xml_node& node : stack.children()) {
            const std::string kind = node.name();
            if (kind != "layer" && kind != "stack")
                continue; // other elements are allowed and mean nothing here
            if (++m_count > scene::Limits::layers) throw scene::Misread{"it has too many layers"};
            StackItem item;
            item.name = node.attribute("name").as_string(kind == "layer" ? "Layer" : "Group");
            item.name = scene::asUtf8(item.name, 1000);
            item.offset = offset + V2i(whole(node, "x"), whole(node, "y"));
            item.opacity = std::clamp(node.attribute("opacity").as_double(1.0), 0.0, 1.0);
            if (!(item.opacity >= 0)) item.opacity = 1;
            item.visible = std::string(node.attribute("visibility").as_string("visible")) != "hidden";
            item.blend = blendOf(node.attribute("composite-op").as_string("svg:src-over"));
            if (kind == "stack") {
                item.isStack = true;
                item.items = items(node, item.offset, depth + 1);
            } else {
                item.part = node.attribute("src").as_string();
                if (leavesArchive(item.part))
                    throw scene::Misread{"its layer '" + item.name + "' points outside the archive ('" +
                                         item.part + "')"};
                const auto size = m_sizes.find(item.part);
                if (size == m_sizes.end())
                    throw scene::Misread{"the picture of its layer '" + item.name + "' ('" + item.part +
                                         "') is missing or broken"};
                item.size = size->second;
            }
            result.push_back(std::move(item));
        }
        std::reverse(result.begin(), result.end()); // the file lists the topmost first
        return result;
    }

private:
    int whole(const pugi::xml_node& node, const char* name) const {
        const double value = node.attribute(name).as_double(0);
        if (!(std::abs(value) <= scene::Limits::pictureSide))
            throw scene::Misread{"an offset in it is out of range"};
        return static_cast<int>(value);
    }

    std::map<std::string, V2i> m_sizes;
    std::size_t m_count = 0;
};

}

Result<std::string> readMember(const std::filesystem::path& path, const std::string& member,
                               std::size_t most) {
    const std::string where = path.string() + " (" + member + ")";
    Result<std::string> bytes = fail("Cannot read " + where + ": it is not in the archive.");
    const auto walked = walk(path, [&](const std::string& name, archive* reader) {
        if (name != member) return true;
        bytes = drain(reader, most, where);
        return false;
    });
    if (!walked) return tl::unexpected(walked.error());
    return bytes;
}

Result<Stack> readStack(const std::filesystem::path& path) {
    const std::string file = path.string();
    std::map<std::string, V2i> sizes;
    Result<std::string> xml =
        fail("Cannot read " + file + ": it has no stack.xml, so it is not an OpenRaster file.");
    Result<void> damaged;
    const auto walked = walk(path, [&](const std::string& name, archive* reader) {
        if (name == "stack.xml") {
            xml = drain(reader, mostXml, file + " (stack.xml)");
        } else if (name.size() > 4 && !leavesArchive(name) && name != "mergedimage.png" &&
                   !name.starts_with("Thumbnails/")) {
            auto bytes = drain(reader, mostMember, file + " (" + name + ")");
            if (!bytes)
                damaged = tl::unexpected(bytes.error());
            else if (const auto info = probeStill(*bytes, name))
                sizes[name] = info->size;
        }
        return damaged.has_value();
    });
    if (!walked) return tl::unexpected(walked.error());
    if (!damaged) return tl::unexpected(damaged.error());
    if (!xml) return tl::unexpected(xml.error());

    pugi::xml_document document;
    const auto parsed =
        document.load_buffer(xml->data(), xml->size(), pugi::parse_default | pugi::parse_doctype);
    if (!parsed)
        return fail("Cannot read " + file + ": its stack.xml is malformed (" + parsed.description() + ").");
    for (const pugi::xml_node& node : document.children())
        if (node.type() == pugi::node_doctype)
            return fail("Cannot read " + file +
                        ": its stack.xml declares a document type or entities, which is not allowed.");
    const pugi::xml_node image = document.child("image");
    Stack stack;
    stack.canvas = {image.attribute("w").as_int(), image.attribute("h").as_int()};
    if (stack.canvas.x < 1 || stack.canvas.y < 1 || stack.canvas.x > scene::Limits::pictureSide ||
        stack.canvas.y > scene::Limits::pictureSide)
        return fail("Cannot read " + file + ": its stack.xml gives no usable canvas size.");
    try {
        stack.items = StackReader(std::move(sizes)).items(image.child("stack"), V2i(0, 0), 0);
    } catch (const scene::Misread& misread) {
        return fail("Cannot read " + file + ": " + misread.sentence + ".");
    }
    return stack;
}

}
