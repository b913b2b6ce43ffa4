#include "output/zip_writer.h"

#include "output/sink.h"

#include <archive.h>
#include <archive_entry.h>
#include <cerrno>
#include <fstream>
#include <memory>
#include <unistd.h>
#include <vector>

namespace stage::output {
namespace fs = std::filesystem;

ZipWriter::ZipWriter(fs::path path)
    : m_path(std::move(path)), m_part(m_path.string() + ".part"), m_archive(archive_write_new()) {}

ZipWriter::~ZipWriter() {
    if (m_archive) archive_write_free(m_archive);
    if (!m_finished) ::unlink(m_part.c_str());
}

Error ZipWriter::because() const {
    const int code = archive_errno(m_archive);
    if (code == ENOSPC || code == EACCES || code == EROFS || code == ENOENT) return cannotWrite(m_path, code);
    const char* said = archive_error_string(m_archive);
    return {"Cannot write " + m_path.string() + ": " + (said ? said : "writing failed") + "."};
}

Result<void> ZipWriter::open() {
    if (!m_archive) throw std::bad_alloc();
    archive_write_set_format_zip(m_archive);
    archive_write_zip_set_compression_store(m_archive);
    if (archive_write_open_filename(m_archive, m_part.c_str()) != ARCHIVE_OK)
        return tl::unexpected(because());
    return {};
}

Result<void> ZipWriter::begin(const std::string& name, std::int64_t size) {
    const std::unique_ptr<archive_entry, decltype(&archive_entry_free)> entry(archive_entry_new(),
                                                                              archive_entry_free);
    archive_entry_set_pathname(entry.get(), name.c_str());
    archive_entry_set_size(entry.get(), size);
    archive_entry_set_filetype(entry.get(), AE_IFREG);
    archive_entry_set_perm(entry.get(), 0644);
    if (archive_write_header(m_archive, entry.get()) != ARCHIVE_OK) return tl::unexpected(because());
    return {};
}

Result<void> ZipWriter::write(const void* bytes, std::size_t count) {
    if (archive_write_data(m_archive, bytes, count) != static_cast<la_ssize_t>(count))
        return tl::unexpected(because());
    return {};
}

Result<void> ZipWriter::add(const std::string& name, std::string_view bytes) {
    if (auto ok = begin(name, static_cast<std::int64_t>(bytes.size())); !ok) return ok;
    return write(bytes.data(), bytes.size());
}

Result<void> ZipWriter::addFile(const std::string& name, const fs::path& from,
                                const std::function<bool(std::int64_t)>& passed) {
    std::ifstream in(from, std::ios::binary);
    std::error_code code;
    const auto size = fs::file_size(from, code);
    if (!in || code) return fail("Cannot read " + from.string() + ".");
    if (auto ok = begin(name, static_cast<std::int64_t>(size)); !ok) return ok;
    std::vector<char> buffer(1u << 20);
    std::uintmax_t done = 0;
    while (in.read(buffer.data(), static_cast<std::streamsize>(buffer.size())) || in.gcount() > 0) {
        const auto got = static_cast<std::size_t>(in.gcount());
        if (auto ok = write(buffer.data(), got); !ok) return ok;
        done += got;
        if (!passed(static_cast<std::int64_t>(got))) return cancelled();
    }
    if (done != size) return fail(from.string() + " changed while it was read.");
    return {};
}

Result<void> ZipWriter::finish() {
    if (archive_write_close(m_archive) != ARCHIVE_OK) return tl::unexpected(because());
    if (::rename(m_part.c_str(), m_path.c_str()) != 0) return tl::unexpected(cannotWrite(m_path, errno));
    m_finished = true;
    return {};
}

}
