// Frames of a movie, kept losslessly beside it until it is whole, so that none is rendered twice when writing
// was interrupted, wants several passes, or is done by several machines.
#pragma once

#include "output/pixels.h"
#include "scene/error.h"

#include <filesystem>
#include <optional>
#include <string>

namespace stage::output {

/// A folder of frames, in files of the program's own. Thread-safe, also between programs that keep frames of
/// one job.
class KeptFrames {
public:
    /// job: all that the frames depend on; those of another one are removed. bits: of the pixels.
    static Result<KeptFrames> open(std::filesystem::path folder, const std::string& job, int bits,
                                   bool alpha);

    bool has(std::int64_t frame) const;
    Result<void> keep(std::int64_t frame, const Pixels& pixels) const;
    /// Nothing where it is not there, damaged, or of another size; then it is no longer kept.
    std::optional<Pixels> read(std::int64_t frame, V2i size) const;
    /// That a picture of the job is written, under whichever name.
    Result<void> mark(std::int64_t number) const;
    bool marked(std::int64_t number) const;
    /// The folder and all that is in it.
    void remove() const;
    /// The same of any job; nothing where the folder is not one of these.
    static void drop(const std::filesystem::path& folder);
    /// The same where no frame is in it.
    void removeEmpty() const;

private:
    KeptFrames(std::filesystem::path folder, int bits, bool alpha)
        : m_folder(std::move(folder)), m_bits(bits), m_alpha(alpha) {}
    std::filesystem::path fileOf(std::int64_t frame) const;
    std::filesystem::path markOf(std::int64_t number) const;
    std::filesystem::path m_folder;
    int m_bits;
    bool m_alpha;
};

/// Where those of a movie are.
std::filesystem::path keptFramesOf(const std::filesystem::path& movie);

}
