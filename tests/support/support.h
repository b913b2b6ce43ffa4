// Helpers that tests of several modules share: files made on the spot.
#pragma once

#include "scene/scene.h"

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

namespace stage::test {

/// A folder that lives as long as this does.
class TempDir {
public:
    TempDir();
    ~TempDir();
    TempDir(const TempDir&) = delete;
    TempDir& operator=(const TempDir&) = delete;
    std::filesystem::path operator/(const std::string& name) const { return m_path / name; }
    const std::filesystem::path& path() const { return m_path; }

private:
    std::filesystem::path m_path;
};

struct Rgba8 {
    int r = 0, g = 0, b = 0, a = 255;
};
using Paint = std::function<Rgba8(int x, int y)>;

/// Straight sRGB. The suffix chooses the format.
void writePicture(const std::filesystem::path& path, V2i size, const Paint& paint, int orientation = 1);
std::string readAll(const std::filesystem::path& path);
/// Of the checkout.
std::string sourceFolder();
/// The command-line program that was built.
std::string cli();
void writeAll(const std::filesystem::path& path, const std::string& bytes);

struct Member {
    std::string name, bytes;
};
void writeZip(const std::filesystem::path& path, const std::vector<Member>& members);
/// A member that is a PNG.
Member pngMember(const std::string& name, V2i size, const Paint& paint);
/// An OpenRaster file with this stack.xml and members.
void writeOra(const std::filesystem::path& path, const std::string& xml, std::vector<Member> members);

/// Runs a shell command; gives its exit code and what it printed on both streams.
struct Ran {
    int code;
    std::string printed;
};
Ran run(const std::string& command);
/// Runs what makes a file; the test fails where it does not end with 0.
void make(const std::string& command);

/// 8-bit RGBA of a picture file, read by OpenImageIO without any conversion.
std::vector<std::uint8_t> pixelsOf(const std::filesystem::path& path, V2i& size, int& channels);

/// A picture layer for scenes made by hand.
scene::LayerPtr pictureLayer(std::int64_t id, const std::string& name, const std::filesystem::path& file,
                             V2i pixels, double width, V3d position);

}
