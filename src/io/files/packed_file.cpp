#include "io/files/packed_file.h"

#include "core/base/numbers.h"
#include "io/files/file.h"

#include <archive.h>
#include <archive_entry.h>
#include <fmt/format.h>
#include <memory>

namespace garland {

namespace {

constexpr std::size_t step = std::size_t(1) << 16;

struct Closes {
    void operator()(archive* a) const { archive_read_free(a); }
};
using Archive = std::unique_ptr<archive, Closes>;

tl::unexpected<Error> broken(archive* a, const std::string& path) {
    const char* words = archive_error_string(a);
    return fail(Error{ErrorCode::malformed, fmt::format("cannot be unpacked ({})", words ? words : "it is damaged")}
                    .at(path)
                    .advise("the file may be damaged or cut short; pack it again"));
}

// A packed file whose bytes are read in pieces.
class Unpacker {
  public:
    static Result<Unpacker> open(const std::string& path) {
        std::uint64_t size = 0;
        GARLAND_TRY(file, open_regular(path, size));
        Unpacker out;
        out.path_ = path;
        out.file_ = std::move(file);
        out.archive_.reset(archive_read_new());
        archive* a = out.archive_.get();
        const bool gzip = extension(path) == ".gz";
        archive_entry* entry = nullptr;
        const bool fine =
            (gzip ? archive_read_support_filter_gzip(a) : archive_read_support_filter_zstd(a)) == ARCHIVE_OK &&
            archive_read_support_format_raw(a) == ARCHIVE_OK &&
            archive_read_open_fd(a, out.file_.number(), step) == ARCHIVE_OK &&
            archive_read_next_header(a, &entry) == ARCHIVE_OK;
        if (!fine) return broken(a, path);
        // Without its filter the bytes would be taken as they are.
        if (archive_filter_count(a) < 2)
            return fail(
                Error{ErrorCode::malformed, fmt::format("this is not packed by {}", gzip ? "gzip" : "Zstandard")}
                    .at(path)
                    .advise("give it the ending of what it holds"));
        return out;
    }
    // Up to `count` bytes behind `to`; how many there were.
    Result<std::size_t> next(char* to, std::size_t count) {
        const la_ssize_t got = archive_read_data(archive_.get(), to, count);
        if (got < 0) return broken(archive_.get(), path_);
        return static_cast<std::size_t>(got);
    }

  private:
    std::string path_;
    OpenFile file_;
    Archive archive_;
};

} // namespace

bool is_packed(const std::string& path) {
    const std::string ending = extension(path);
    return ending == ".gz" || ending == ".zst";
}

std::string without_packing(const std::string& path) {
    return is_packed(path) ? path.substr(0, path.size() - extension(path).size()) : path;
}

std::string content_ending(const std::string& path) {
    return extension(without_packing(path));
}

Result<void> read_contents(const std::string& path, std::vector<char>& bytes, std::uint64_t most) {
    if (!is_packed(path)) return read_file(path, bytes, most);
    most = std::min(most, most_unpacked);
    GARLAND_TRY(file, Unpacker::open(path));
    std::size_t done = 0;
    for (;;) {
        if (bytes.size() < done + step) bytes.resize(std::max(done + step, done + done / 2));
        GARLAND_TRY(got, file.next(bytes.data() + done, bytes.size() - done));
        if (got == 0) break;
        done += got;
        if (done > most)
            return fail(Error{ErrorCode::too_large,
                              fmt::format("holds more than {} when unpacked", byte_count(static_cast<double>(most)))}
                            .at(path)
                            .advise("unpack it beforehand"));
    }
    bytes.resize(done);
    return {};
}

Result<std::string> read_contents_head(const std::string& path, std::size_t count) {
    std::uint64_t size = 0;
    if (!is_packed(path)) return read_head(path, count, size);
    GARLAND_TRY(file, Unpacker::open(path));
    std::string head(count, '\0');
    std::size_t done = 0;
    while (done < count) {
        GARLAND_TRY(got, file.next(head.data() + done, count - done));
        if (got == 0) break;
        done += got;
    }
    head.resize(done);
    return head;
}

Result<void> read_archive(const std::string& path, const ArchiveReader& reader, Progress& progress) {
    std::uint64_t size = 0;
    GARLAND_TRY(file, open_regular(path, size));
    Archive owned(archive_read_new());
    archive* a = owned.get();
    if (archive_read_support_format_zip(a) != ARCHIVE_OK || archive_read_open_fd(a, file.number(), step) != ARCHIVE_OK)
        return broken(a, path);
    std::vector<char> bytes(step * 16);
    for (;;) {
        archive_entry* entry = nullptr;
        const int next = archive_read_next_header(a, &entry);
        if (next == ARCHIVE_EOF) return {};
        if (next != ARCHIVE_OK) return broken(a, path);
        const char* name = archive_entry_pathname(entry);
        const la_int64_t says = archive_entry_size_is_set(entry) ? archive_entry_size(entry) : 0;
        GARLAND_TRY(wanted, reader.start(name ? name : "", static_cast<std::uint64_t>(std::max<la_int64_t>(says, 0))));
        while (wanted) {
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            const la_ssize_t got = archive_read_data(a, bytes.data(), bytes.size());
            if (got < 0) return broken(a, path);
            if (got == 0) break;
            GARLAND_CHECK(reader.piece({bytes.data(), static_cast<std::size_t>(got)}));
            progress.report(static_cast<double>(archive_filter_bytes(a, -1)) /
                                static_cast<double>(std::max<std::uint64_t>(size, 1)),
                            fmt::format("unpacking {}", file_name(path)));
        }
    }
}

} // namespace garland
