#include "io/vdb/volume_archive.h"

#include "io/files/file.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>
#include <fmt/format.h>
#include <fstream>
#include <map>
#include <openvdb/io/Compression.h>
#include <openvdb/io/GridDescriptor.h>
#include <openvdb/io/io.h>
#include <sstream>

namespace garland {

namespace {

constexpr std::uint32_t longest_name = 1 << 16, most_grids = 1 << 16, most_metadata = 1 << 16;
constexpr std::uint32_t lists_places = 222; // format versions from this on are walked; from 2013

struct FixedType {
    const char* name;
    std::uint32_t bytes;
};
constexpr FixedType fixed_types[] = {{"bool", 1},   {"int32", 4},  {"int64", 8},  {"float", 4},
                                     {"double", 8}, {"vec2i", 8},  {"vec2s", 8},  {"vec2d", 16},
                                     {"vec3i", 12}, {"vec3s", 12}, {"vec3d", 24}, {"vec4i", 16},
                                     {"vec4s", 16}, {"vec4d", 32}, {"mat4s", 64}, {"mat4d", 128}};

// Walks heads without the library, which asks for memory by what a file says.
class Walk {
  public:
    Walk(std::istream& stream, std::int64_t size, const std::string& path)
        : stream_(stream), size_(size), path_(path) {}

    // All before the grids.
    Result<void> head() {
        std::array<char, 8> magic{};
        const std::array<char, 8> wanted{0x20, 0x42, 0x44, 0x56, 0, 0, 0, 0}; // " BDV", as the library writes it
        if (size_ >= 8) stream_.read(magic.data(), 8);
        if (magic != wanted) return fail(Error{ErrorCode::malformed, "this is not an OpenVDB file"}.at(path_));
        GARLAND_TRY(version, number<std::uint32_t>());
        if (version < lists_places || version > 1000)
            return bad(fmt::format("the format's version {} is not read", version));
        GARLAND_CHECK(pass(8)); // the library's version
        GARLAND_TRY(offsets, number<std::uint8_t>());
        offsets_ = offsets != 0;
        GARLAND_CHECK(pass(36)); // the file's own name
        GARLAND_CHECK(metadata());
        GARLAND_TRY(grids, number<std::int32_t>());
        if (grids < 0 || grids > static_cast<std::int32_t>(most_grids))
            return bad(fmt::format("claims {} grids", grids));
        return {};
    }
    bool offsets() const { return offsets_; }

    // From a grid's name to its frame, wherever that lies.
    Result<void> grid() {
        for (int i = 0; i < 3; ++i) GARLAND_CHECK(name()); // name, type, what it shares a tree with
        std::array<std::int64_t, 3> places{};              // of the grid, its values, its end
        for (std::int64_t& place : places) {
            GARLAND_TRY(value, number<std::int64_t>());
            if (value < 0 || value > size_) return bad(fmt::format("points to byte {} of {}", value, size_));
            place = value;
        }
        if (offsets_) {
            if (places[2] < places[0]) return bad("a grid ends before it begins");
            stream_.seekg(places[0]);
        }
        GARLAND_CHECK(pass(4)); // how it is packed
        GARLAND_CHECK(metadata());
        return name(); // of its frame's kind
    }

  private:
    std::int64_t at() { return static_cast<std::int64_t>(stream_.tellg()); }
    tl::unexpected<Error> bad(std::string what) {
        Error error{ErrorCode::malformed, std::move(what)};
        error.path = path_;
        error.offset = at();
        return fail(std::move(error).advise("the file may be damaged or cut short; write it again"));
    }
    template <class T>
    Result<T> number() {
        T value{};
        if (size_ - at() < static_cast<std::int64_t>(sizeof value)) return bad("the file is cut short");
        stream_.read(reinterpret_cast<char*>(&value), sizeof value);
        return value;
    }
    Result<void> pass(std::int64_t bytes) {
        if (bytes < 0 || bytes > size_ - at())
            return bad(fmt::format("{} bytes are claimed, but only {} are left", bytes, size_ - at()));
        stream_.seekg(bytes, std::ios::cur);
        return {};
    }
    Result<std::string> text() {
        GARLAND_TRY(length, number<std::uint32_t>());
        if (length > longest_name) return bad(fmt::format("claims a name of {} letters", length));
        if (length > size_ - at())
            return bad(fmt::format("{} bytes are claimed, but only {} are left", length, size_ - at()));
        std::string out(length, ' ');
        if (length > 0) stream_.read(out.data(), length);
        return out;
    }
    Result<void> name() {
        GARLAND_CHECK(text());
        return {};
    }
    Result<void> metadata() {
        GARLAND_TRY(count, number<std::uint32_t>());
        if (count > most_metadata) return bad(fmt::format("claims {} notes", count));
        for (std::uint32_t i = 0; i < count; ++i) {
            GARLAND_CHECK(name());
            GARLAND_TRY(type, text());
            GARLAND_TRY(length, number<std::uint32_t>());
            // The library reads as many bytes as the type has, whatever the length says, and goes on from there.
            for (const FixedType& fixed : fixed_types) {
                if (type == fixed.name && length != fixed.bytes)
                    return bad(
                        fmt::format("a note of the type {} has {} bytes instead of {}", type, length, fixed.bytes));
            }
            const std::int64_t value = at();
            GARLAND_CHECK(pass(length));
            if (type == "__delayedload") {
                const std::int64_t after = at();
                stream_.seekg(value);
                GARLAND_CHECK(leaf_note(after));
                stream_.seekg(after);
            }
        }
        return {};
    }

    // The note on leaves has counts of its own, which the library believes (OpenVDB 10, io/DelayedLoadMetadata.cc): two
    // numbers of 32 bits, of leaves and of packed bytes; then that many packed bytes or, for 0, a byte a leaf; then
    // again packed bytes (the largest number: nothing follows) and as many or, for 0, eight bytes a leaf.
    Result<void> leaf_note(std::int64_t end) {
        if (end == at()) return {}; // of a grid without leaves
        constexpr std::uint32_t none = 0xffffffffu;
        GARLAND_TRY(leaves, number<std::uint32_t>());
        GARLAND_TRY(masks, number<std::uint32_t>());
        if (leaves > size_ / 64) return bad(fmt::format("claims {} leaves", leaves));
        const std::int64_t first = masks == none ? 0 : masks > 0 ? masks : leaves;
        if (first > end - at())
            return bad(fmt::format("{} bytes are claimed in a note that has {} left", first, end - at()));
        GARLAND_CHECK(pass(first));
        if (end - at() < 4) return {};
        GARLAND_TRY(sizes, number<std::uint32_t>());
        const std::int64_t second = sizes == none ? 0 : sizes > 0 ? sizes : std::int64_t(8) * leaves;
        if (second > end - at())
            return bad(fmt::format("{} bytes are claimed in a note that has {} left", second, end - at()));
        return {};
    }

    std::istream& stream_;
    std::int64_t size_;
    const std::string& path_;
    bool offsets_ = false;
};

// Bytes as a stream.
class Memory : public std::streambuf {
  public:
    Memory(char* data, std::size_t size) { setg(data, data, data + size); }

  protected:
    pos_type seekoff(off_type by, std::ios::seekdir from, std::ios::openmode) override {
        const off_type base = from == std::ios::beg ? 0 : from == std::ios::cur ? gptr() - eback() : egptr() - eback();
        const off_type to = base + by;
        if (to < 0 || to > egptr() - eback()) return pos_type(off_type(-1));
        setg(eback(), eback() + to, egptr());
        return to;
    }
    pos_type seekpos(pos_type to, std::ios::openmode which) override { return seekoff(to, std::ios::beg, which); }
};

// Walks a grid's tree as the library would read it (OpenVDB 10, io/Compression.h and tree/*Node.h). The library reads
// the numbers of a node into memory of the right size before it asks whether the file's count fits: here it is asked
// before.
class TreeWalk {
  public:
    // bits: of truth values, whose leaves hold a bit a voxel.
    TreeWalk(const char* from, const char* end, std::uint32_t packing, std::size_t number, int numbers, bool half,
             bool bits)
        : at_(from), end_(end), packing_(packing), value_(number * static_cast<std::size_t>(numbers)),
          stored_(half ? 2 * static_cast<std::size_t>(numbers) : value_), half_(half), bits_(bits) {}

    // Where it breaks; null: it is whole.
    const char* run() {
        std::uint32_t buffers = 0, tiles = 0, children = 0;
        if (!take(buffers) || !pass(value_)) return at_; // the background
        if (!take(tiles) || !take(children)) return at_;
        if (!pass(static_cast<std::uint64_t>(tiles) * (12 + value_ + 1))) return at_;
        for (std::uint32_t i = 0; i < children; ++i) {
            if (!pass(12) || !inner(5)) return at_;
        }
        for (std::uint64_t i = 0; i < leaves_; ++i) {
            const char* mask = at_;
            if (!pass(64) || !(bits_ ? pass(12 + 64) : numbers_of(512, mask, 64))) return at_;
        }
        return nullptr;
    }

  private:
    template <class T>
    bool take(T& value) {
        if (end_ - at_ < static_cast<std::ptrdiff_t>(sizeof value)) return false;
        std::memcpy(&value, at_, sizeof value);
        at_ += sizeof value;
        return true;
    }
    bool pass(std::uint64_t bytes) {
        if (bytes > static_cast<std::uint64_t>(end_ - at_)) return false;
        at_ += bytes;
        return true;
    }
    static std::uint64_t ones(const char* mask, std::size_t bytes) {
        std::uint64_t count = 0;
        for (std::size_t i = 0; i < bytes; i += 8) {
            std::uint64_t word = 0;
            std::memcpy(&word, mask + i, 8);
            count += static_cast<std::uint64_t>(std::popcount(word));
        }
        return count;
    }
    // A node of 2^(3·log2) places: which hold children, which are active, and its numbers.
    bool inner(int log2) {
        const std::size_t places = std::size_t(1) << (3 * log2), bytes = places / 8;
        const char *children = at_, *active = at_ + bytes;
        if (!pass(bytes * 2) || !numbers_of(places, active, bytes)) return false;
        const std::uint64_t count = ones(children, bytes);
        if (log2 == 4) { // its children are leaves: a mask each
            leaves_ += count;
            return pass(count * 64);
        }
        for (std::uint64_t i = 0; i < count; ++i) {
            if (!inner(4)) return false;
        }
        return true;
    }
    bool numbers_of(std::size_t places, const char* active, std::size_t mask_bytes) {
        std::int8_t kind = 0;
        if (!take(kind) || kind < 0 || kind > 6) return false;
        const bool one = kind == 2 || kind == 4 || kind == 5, two = kind == 5, selects = kind >= 3 && kind <= 5,
                   all = kind == 6;
        if ((one && !pass(value_)) || (two && !pass(value_)) || (selects && !pass(mask_bytes))) return false;
        const bool only_active = (packing_ & openvdb::io::COMPRESS_ACTIVE_MASK) && !all;
        const std::uint64_t count = only_active ? ones(active, mask_bytes) : places, wanted = count * stored_;
        if (half_ && count == 0) return true;
        if (!(packing_ & (openvdb::io::COMPRESS_ZIP | openvdb::io::COMPRESS_BLOSC))) return pass(wanted);
        std::int64_t packed = 0;
        if (!take(packed)) return false;
        if (packed <= 0) return static_cast<std::uint64_t>(-packed) == wanted && pass(wanted);
        if (packing_ & openvdb::io::COMPRESS_BLOSC) { // its head tells both sizes (Blosc, README_CHUNK_FORMAT)
            std::uint32_t plain = 0, whole = 0;
            if (end_ - at_ < 16) return false;
            std::memcpy(&plain, at_ + 4, 4);
            std::memcpy(&whole, at_ + 12, 4);
            if (plain != wanted || whole != static_cast<std::uint64_t>(packed)) return false;
        }
        return pass(static_cast<std::uint64_t>(packed));
    }

    const char *at_, *end_;
    std::uint32_t packing_;
    std::size_t value_, stored_; // bytes of a number in memory, and in nodes
    bool half_, bits_;
    std::uint64_t leaves_ = 0;
};

struct NumberKind {
    const char* type;
    std::size_t bytes;
    int numbers;
};
constexpr NumberKind number_kinds[] = {
    {"Tree_float_5_4_3", 4, 1}, {"Tree_double_5_4_3", 8, 1}, {"Tree_int32_5_4_3", 4, 1}, {"Tree_int64_5_4_3", 8, 1},
    {"Tree_vec3s_5_4_3", 4, 3}, {"Tree_vec3d_5_4_3", 8, 3},  {"Tree_vec3i_5_4_3", 4, 3}, {"Tree_bool_5_4_3", 1, 1}};

// Goes through a grid's tree from `at` before the library does. Whether numbers are halves the library takes from the
// grid's own notes, not from the kind that the file names.
Result<void> walk_tree(const char* at, const std::vector<char>& bytes, std::istream& is, const NumberKind& kind,
                       const openvdb::GridBase& grid, const std::string& name, const std::string& path) {
    TreeWalk tree(at, bytes.data() + bytes.size(), openvdb::io::getDataCompression(is), kind.bytes, kind.numbers,
                  grid.saveFloatAsHalf(), kind.bytes == 1);
    const char* broken = tree.run();
    if (!broken) return {};
    Error error{ErrorCode::malformed, fmt::format("the grid \"{}\" is damaged or cut short", name)};
    error.path = path;
    error.offset = broken - bytes.data();
    return fail(std::move(error).advise("write it again"));
}

// Null where such grids are not read; see number_kinds.
const NumberKind* kind_called(const std::string& type) {
    const auto at = std::find_if(std::begin(number_kinds), std::end(number_kinds),
                                 [&](const NumberKind& k) { return type == k.type; });
    return at == std::end(number_kinds) ? nullptr : at;
}

Error unread_kind(const openvdb::io::GridDescriptor& grid, const std::string& path) {
    return Error{ErrorCode::unsupported,
                 fmt::format("the grid \"{}\" is of the kind {}, which is not read", grid.gridName(), grid.gridType())}
        .at(path)
        .advise("write the file again without it");
}

Error not_there(const std::string& path) {
    return Error{ErrorCode::not_found, "does not exist"}.advise("check the name, or find the file again").at(path);
}

} // namespace

Result<std::vector<openvdb::GridBase::Ptr>> VolumeArchive::read(const std::string& path, GridsWanted wanted) {
    // Heads are read where they lie; whole files at once, into memory that is used again.
    GARLAND_CHECK(readable(path)); // no pipe, no folder
    std::ifstream file(path, std::ios::binary | std::ios::ate);
    if (!file) return fail(not_there(path));
    const auto size = static_cast<std::int64_t>(file.tellg());
    thread_local std::vector<char> bytes;
    if (wanted == GridsWanted::whole) GARLAND_CHECK(read_file(path, bytes));
    Memory memory(bytes.data(), bytes.size());
    std::istream in_memory(&memory);
    std::istream& is = wanted == GridsWanted::whole ? in_memory : file;
    is.seekg(0);
    // The library loops by counts without looking whether the file has ended: a read beyond its end is an exception
    // here.
    is.exceptions(std::ios::failbit | std::ios::badbit | std::ios::eofbit);
    Walk walk(is, size, path);
    GARLAND_CHECK(walk.head());
    is.seekg(0);
    readHeader(is);
    auto about = std::make_shared<openvdb::io::StreamMetadata>();
    openvdb::io::setStreamMetadataPtr(is, about, false);
    openvdb::io::setVersion(is, libraryVersion(), fileVersion());
    openvdb::io::setDataCompression(is, compression());
    openvdb::MetaMap of_file;
    of_file.readMeta(is);
    const std::int32_t count = readGridCount(is);
    std::vector<openvdb::GridBase::Ptr> grids;
    std::vector<openvdb::io::GridDescriptor> descriptors;
    NamedGridMap named;
    for (std::int32_t g = 0; g < count; ++g) {
        const auto here = is.tellg();
        GARLAND_CHECK(walk.grid());
        is.seekg(here);
        openvdb::io::GridDescriptor descriptor;
        openvdb::GridBase::Ptr grid = descriptor.read(is);
        if (walk.offsets()) descriptor.seekToGrid(is);
        const NumberKind* kind = kind_called(descriptor.gridType());
        const bool last = g + 1 == count;
        if (wanted == GridsWanted::heads && !walk.offsets() && !last) return heads_of_whole(path);
        const auto begin = is.tellg();
        readGridCompression(is);
        grid->readMeta(is);
        grid->readTransform(is);
        if (wanted == GridsWanted::whole) {
            if (!kind && !walk.offsets() && !last) return fail(unread_kind(descriptor, path));
            if (kind && !descriptor.isInstance()) {
                const char* at = bytes.data() + static_cast<std::size_t>(is.tellg());
                GARLAND_CHECK(walk_tree(at, bytes, is, *kind, *grid, descriptor.gridName(), path));
            }
            is.seekg(begin);
            if (kind) readGrid(grid, descriptor, is);
        }
        grid->setName(descriptor.gridName());
        if (walk.offsets()) descriptor.seekToEnd(is);
        named[descriptor.uniqueName()] = grid;
        if (wanted == GridsWanted::whole && !kind) continue; // see number_kinds
        descriptors.push_back(descriptor);
        grids.push_back(std::move(grid));
    }
    if (wanted == GridsWanted::whole) {
        if (bytes.capacity() > (std::size_t(64) << 20)) std::vector<char>().swap(bytes);
        for (const auto& descriptor : descriptors) connectInstance(descriptor, named);
    }
    return grids;
}

// Where a file has no list of places, a grid's end is known only by reading it.
Result<std::vector<openvdb::GridBase::Ptr>> VolumeArchive::heads_of_whole(const std::string& path) {
    return VolumeArchive().read(path, GridsWanted::whole);
}

std::string VolumeArchive::bytes_of(const std::vector<openvdb::GridBase::Ptr>& grids, bool plain) {
    if (plain) setCompression(openvdb::io::COMPRESS_ACTIVE_MASK);
    std::ostringstream out(std::ios::binary);
    Archive::write(out, openvdb::GridCPtrVec(grids.begin(), grids.end()), true);
    std::string bytes = std::move(out).str();
    // The library gives every file a random name of 36 letters behind its versions: ours is always the same.
    constexpr std::size_t name_at = 8 + 4 + 8 + 1, name_length = 36;
    if (bytes.size() >= name_at + name_length)
        bytes.replace(name_at, name_length, "00000000-0000-0000-0000-000000000000");
    return bytes;
}

} // namespace garland
