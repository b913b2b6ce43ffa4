// Zip files, whose members are stored as they are: pictures and clips are packed already.
#pragma once

#include "scene/error.h"

#include <filesystem>
#include <functional>
#include <string>

struct archive;

namespace stage::output {

/// Written beside its name and there when it is whole; removed where it is not finished. Not thread-safe.
class ZipWriter {
public:
    explicit ZipWriter(std::filesystem::path path);
    ~ZipWriter();
    ZipWriter(const ZipWriter&) = delete;
    ZipWriter& operator=(const ZipWriter&) = delete;

    // Errors: it cannot be written, with its path.
    Result<void> open();
    Result<void> add(const std::string& name, std::string_view bytes);
    /// passed: told how many bytes more are done; false stops. Errors: also that the file cannot be read.
    Result<void> addFile(const std::string& name, const std::filesystem::path& from,
                         const std::function<bool(std::int64_t)>& passed);
    Result<void> finish();

private:
    Result<void> begin(const std::string& name, std::int64_t size);
    Result<void> write(const void* bytes, std::size_t count);
    Error because() const;
    std::filesystem::path m_path, m_part;
    ::archive* m_archive;
    bool m_finished = false;
};

}
