#include "support/support.h"

#include <OpenImageIO/imageio.h>
#include <archive.h>
#include <archive_entry.h>
#include <array>
#include <cstdio>
#include <fstream>
#include <stdexcept>
#include <sys/wait.h>
#include <unistd.h>

namespace stage::test {
namespace fs = std::filesystem;

TempDir::TempDir() {
    std::string name = (fs::temp_directory_path() / "open-stage-XXXXXX").string();
    if (!::mkdtemp(name.data())) throw std::runtime_error("no temporary folder");
    m_path = name;
}

TempDir::~TempDir() {
    std::error_code ignored;
    fs::permissions(m_path, fs::perms::owner_all, ignored);
    fs::remove_all(m_path, ignored);
}

void writePicture(const fs::path& path, V2i size, const Paint& paint, int orientation) {
    std::vector<std::uint8_t> pixels;
    for (int y = 0; y < size.y; ++y)
        for (int x = 0; x < size.x; ++x) {
            const Rgba8 c = paint(x, y);
            for (const int v : {c.r, c.g, c.b, c.a})
                pixels.push_back(static_cast<std::uint8_t>(v));
        }
    OIIO::ImageSpec spec(size.x, size.y, 4, OIIO::TypeDesc::UINT8);
    spec["oiio:UnassociatedAlpha"] = 1;
    spec["CompressionQuality"] = 100;
    if (orientation != 1) spec["Orientation"] = orientation;
    auto out = OIIO::ImageOutput::create(path.string());
    if (!out || !out->open(path.string(), spec) || !out->write_image(OIIO::TypeDesc::UINT8, pixels.data()) ||
        !out->close())
        throw std::runtime_error("cannot write " + path.string());
}

std::string readAll(const fs::path& path) {
    std::ifstream in(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(in), {}};
}

void writeAll(const fs::path& path, const std::string& bytes) {
    std::ofstream(path, std::ios::binary) << bytes;
}

void writeZip(const fs::path& path, const std::vector<Member>& members) {
    archive* zip = archive_write_new();
    archive_write_set_format_zip(zip);
    archive_write_open_filename(zip, path.c_str());
    for (const Member& member : members) {
        archive_entry* entry = archive_entry_new();
        archive_entry_set_pathname(entry, member.name.c_str());
        archive_entry_set_size(entry, static_cast<la_int64_t>(member.bytes.size()));
        archive_entry_set_filetype(entry, AE_IFREG);
        archive_entry_set_perm(entry, 0644);
        archive_write_header(zip, entry);
        archive_write_data(zip, member.bytes.data(), member.bytes.size());
        archive_entry_free(entry);
    }
    archive_write_close(zip);
    archive_write_free(zip);
}

Member pngMember(const std::string& name, V2i size, const Paint& paint) {
    const TempDir dir;
    writePicture(dir / "m.png", size, paint);
    return {name, readAll(dir / "m.png")};
}

void writeOra(const fs::path& path, const std::string& xml, std::vector<Member> members) {
    members.insert(members.begin(), {{"mimetype", "image/openraster"}, {"stack.xml", xml}});
    writeZip(path, members);
}

Ran run(const std::string& command) {
    FILE* pipe = ::popen((command + " 2>&1").c_str(), "r");
    if (!pipe) throw std::runtime_error("cannot run " + command);
    std::string printed;
    std::array<char, 4096> buffer;
    while (const std::size_t got = std::fread(buffer.data(), 1, buffer.size(), pipe))
        printed.append(buffer.data(), got);
    const int status = ::pclose(pipe);
    return {WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status), printed};
}

void make(const std::string& command) {
    const Ran ran = run(command);
    ASSERT_EQ(ran.code, 0) << command << '\n' << ran.printed;
}

std::vector<std::uint8_t> pixelsOf(const fs::path& path, V2i& size, int& channels) {
    OIIO::ImageSpec config;
    config["oiio:UnassociatedAlpha"] = 1;
    auto in = OIIO::ImageInput::open(path.string(), &config);
    if (!in) throw std::runtime_error("cannot read " + path.string());
    size = {in->spec().width, in->spec().height};
    channels = in->spec().nchannels;
    std::vector<std::uint8_t> pixels(static_cast<std::size_t>(size.x) * static_cast<std::size_t>(size.y) *
                                     static_cast<std::size_t>(channels));
    if (!in->read_image(0, 0, 0, channels, OIIO::TypeDesc::UINT8, pixels.data()))
        throw std::runtime_error("cannot read " + path.string());
    return pixels;
}

scene::LayerPtr pictureLayer(std::int64_t id, const std::string& name, const fs::path& file, V2i pixels,
                             double width, V3d position) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = id;
    layer->name = name;
    layer->pixels = pixels;
    layer->metresPerPixel = width / pixels.x;
    layer->placement.position = position;
    layer->content = scene::Picture{{file.string(), 0, ""}, ""};
    return layer;
}

}
