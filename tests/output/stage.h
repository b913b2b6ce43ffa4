// A scene for tests of what is written, and what other programs say of files.
#pragma once

#include "output/write.h"
#include "support/slower.h"
#include "support/support.h"

namespace stage::output {

using test::slower;

/// A picture that scrolls by in 12 frames, over the whole frame of 64:36 and beyond.
scene::Scene scrolling(const test::TempDir& dir, V2i frame);
/// To be compared with what other programs read.
template <class Sample> std::vector<Sample> plain(const render::Samples<Sample>& samples) {
    return {samples.begin(), samples.end()};
}
/// As 8-bit sRGB, rendered here.
std::vector<std::uint8_t> rendered(const scene::Scene& scene, std::int64_t frame, V2i size);
/// Puts a red frame of 8 bits in place of one that is kept for a movie.
void keepRed(const std::filesystem::path& movie, V2i size, std::int64_t frame);
std::size_t filesIn(const std::filesystem::path& folder);

/// What ffprobe says of the first stream of pictures.
struct Probed {
    std::string codec, pixels, rate, space, transfer, primaries, range;
    int width = 0, height = 0, frames = 0;
};
Probed probe(const std::filesystem::path& movie);

/// A frame of a movie of RGB, from 0, as RGBA of 16 or 8 bits, decoded by ffmpeg.
std::vector<std::uint8_t> decodedBytes(const std::filesystem::path& movie, V2i size, int frame);
std::vector<std::uint16_t> decoded(const std::filesystem::path& movie, V2i size, int frame);
/// Of one of Y'CbCr, by the formulas of ITU-R BT.709, as RGBA, 0..1. pixels: FFmpeg's name of what it holds.
/// decoder: options before the input.
std::vector<double> decodedYuv(const std::filesystem::path& movie, V2i size, int frame,
                               const std::string& pixels, const std::string& decoder = {});

}
