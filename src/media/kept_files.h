// Files in the cache folder, each under a key: what takes long to make and can be made again. Those not used
// for longest go when they are together more than the budget. Thread-safe, also between programs. A file is
// there whole or not at all; what a program that was killed left half done is removed after an hour.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

namespace stage::media {

/// Bytes of all of them; 0: 8 GB, but at most half of what would be free on the disk without them.
void setKeptFilesBudget(std::int64_t bytes);

/// Open for reading, or -1: there is none. It counts as used. The caller closes it.
int openKept(const std::string& key);
/// Also where somebody has it open, who can read on.
void removeKept(const std::string& key);

/// A file on its way into the folder; not thread-safe. What fails is remembered until keep().
class KeptFileWriter {
public:
    explicit KeptFileWriter(const std::string& key);
    ~KeptFileWriter(); ///< without keep() the file is dropped
    KeptFileWriter(const KeptFileWriter&) = delete;
    KeptFileWriter& operator=(const KeptFileWriter&) = delete;

    /// Adds to the end. False: the disk did not take it, now or before.
    bool write(const void* from, std::size_t bytes);
    std::int64_t size() const { return m_size; } ///< bytes until now
    /// Puts it under its key, makes room if need be, and gives it open for reading, for the caller to close;
    /// -1: it could not be written.
    int keep();

private:
    std::string m_key, m_path;
    int m_file = -1;
    std::int64_t m_size = 0;
    bool m_ok = false;
};

/// Short ones, at most eight megabytes.
std::optional<std::string> keptText(const std::string& key);
/// Without a word where the disk does not take it.
void keepText(const std::string& key, const std::string& text);

}
