// What the plugin "picture_writer" gives: pictures written by OpenImageIO, which takes long to load.
#pragma once

#include <string>

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

struct PictureWriter {
    /// False: `problem` says why, in the library's words. Thread-safe.
    bool (*write)(const PictureToWrite& picture, std::string& problem);
};

}
