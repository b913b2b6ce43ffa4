// What the plugin "picture_writer" gives: pictures written by OpenImageIO, which takes long to load.
#pragma once

#include <memory>
#include <string>
#include <vector>

namespace stage::output {

struct PictureToWrite {
    std::string path; ///< its suffix tells the format
    int width = 0, height = 0;
    int bits = 8;               ///< of a channel in `rgba`: 8, 16: whole numbers; 32: floats
    const void* rgba = nullptr; ///< rows from the top
    bool half = false;          ///< floats are written as halfs
    bool alpha = false;         ///< written
    bool associated = false;    ///< colours are times their alpha
    std::string compression;    ///< with a quality after a colon where there is one
    std::string profile;        ///< ICC, bytes
};

/// An OpenEXR file of scene-linear Rec. 709, in which layers stay apart.
struct LayersToWrite {
    std::string path;
    int width = 0, height = 0;
    bool half = false;       ///< colours are written as halfs, else as floats
    std::string compression; ///< of a file of parts
    std::vector<std::string> names;
};
/// Destroyed before it is closed, it leaves what it has. Not thread-safe. False: `problem` says why.
class PartsFile {
public:
    virtual ~PartsFile() = default;
    /// The next part: RGBA premultiplied, metres, and px right and down for each pixel, rows from the top.
    virtual bool add(const float* rgba, const float* depth, const float* motion, std::string& problem) = 0;
    virtual bool close(std::string& problem) = 0;
};
class DeepFile {
public:
    virtual ~DeepFile() = default;
    /// The next rows: how many samples each of their pixels has, and of these, one pixel after the other,
    /// nearest first, RGBA premultiplied and metres.
    virtual bool add(int rows, const std::vector<unsigned>& counts, const std::vector<float>& samples,
                     std::string& problem) = 0;
    virtual bool close(std::string& problem) = 0;
};

struct PictureWriter {
    /// False: `problem` says why, in the library's words. Thread-safe.
    bool (*write)(const PictureToWrite& picture, std::string& problem);
    /// Null: `problem` says why. Thread-safe.
    std::unique_ptr<PartsFile> (*openParts)(const LayersToWrite& layers, std::string& problem);
    std::unique_ptr<DeepFile> (*openDeep)(const LayersToWrite& layers, std::string& problem);
};

}
