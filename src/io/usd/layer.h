// A USD layer as it is read: specs of prims with their properties, whatever form the file has (text, binary). Names and
// times are in memory; values stay in the mapped file until they are asked for.
#pragma once

#include "core/base/result.h"
#include "io/files/mapped_file.h"

#include <cstdint>
#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace garland {

// Where a value is: a piece of text, or a crate's value representation.
struct UsdRef {
    std::string_view text{};
    std::uint64_t rep = 0;
};

// Samples in time: by rising time, as many refs as times. Times are shared where a file shares them.
struct UsdSamples {
    std::shared_ptr<const std::vector<double>> times{};
    std::vector<std::string_view> texts{}; // of text
    const char* reps = nullptr;            // of a crate: 8 bytes each, inside the mapped file

    std::size_t size() const { return times ? times->size() : 0; }
    bool empty() const { return size() == 0; }
    UsdRef ref(std::size_t i) const;
};

template <class T>
struct UsdList { // a list that adds to, or replaces, what weaker layers say
    bool replaces = false;
    std::vector<T> items{}, prepended{}, appended{}, deleted{};
    bool empty() const { return !replaces && prepended.empty() && appended.empty() && deleted.empty(); }
    // Puts this opinion over a weaker one's result.
    void apply(std::vector<T>& list) const {
        if (replaces) {
            list = items;
            return;
        }
        auto remove = [&list](const T& one) { std::erase(list, one); };
        for (const T& one : deleted) remove(one);
        for (const T& one : prepended) remove(one);
        for (const T& one : appended) remove(one);
        list.insert(list.begin(), prepended.begin(), prepended.end());
        list.insert(list.end(), appended.begin(), appended.end());
    }
};

struct UsdArc { // to a prim of another file, or of this one where `asset` is empty
    std::string asset{};
    std::string prim{}; // empty: the file's default prim
    double offset = 0, scale = 1;
    bool operator==(const UsdArc&) const = default;
};

// One clip set (the attribute's values lie in other files, each of them active for a time).
struct UsdClipSet {
    std::string name{};
    std::vector<std::string> assets{};
    std::string prim{}, manifest{};
    std::vector<std::pair<double, double>> active{}; // time, index into assets; rising
    std::vector<std::pair<double, double>> times{};  // time, time in the clip; rising, jumps as double entries
    std::string pattern{};                           // "flag.###.usdc": assets by whole number
    double first = 0, last = 0, stride = 1, active_offset = 0;
    bool interpolates_missing = false;
};

struct UsdProperty {
    std::string_view type{}, name{}; // "point3f[]", "primvars:st"; relationships have the type "rel"
    bool uniform = false;
    UsdRef value{}; // a default
    bool has_value = false;
    UsdSamples samples{};
    std::string_view interpolation{}; // of a primvar: "vertex" …; empty: not said
    int element_size = 0;             // numbers per element; 0: not said
    UsdList<std::string> targets{};   // of a relationship, or what an attribute is connected to
    bool connected = false;
    const char* where = nullptr; // for errors: in the text
};

struct UsdSpec {
    enum Kind : std::uint8_t { def, over, kind_class };
    std::string path{}; // "/quay/lantern", "/quay{colour=red}lantern"; "/" is the layer itself
    Kind kind = over;
    std::string_view type{};
    std::vector<std::string> children{}; // names, in order
    std::vector<std::string> order{};    // "reorder nameChildren"
    std::vector<UsdProperty> properties{};

    struct About { // what few prims have
        UsdList<UsdArc> references{}, payloads{};
        UsdList<std::string> inherits{}, specializes{}, variant_sets{}, clip_sets{};
        std::map<std::string, std::string> choices{};               // of variants
        std::map<std::string, std::vector<std::string>> variants{}; // by set
        std::optional<bool> active{}, instanceable{};
        UsdList<std::int64_t> inactive_ids{}; // of a point instancer
        std::vector<UsdClipSet> clips{};
    };
    std::unique_ptr<About> about{};
    About& more() {
        if (!about) about = std::make_unique<About>();
        return *about;
    }
    const UsdProperty* find(std::string_view name) const;
};

enum class UsdFileForm { text, crate };

// Bytes of a layer: a whole mapped file or, in a package, a piece of one.
struct UsdBytes {
    std::shared_ptr<const MappedFile> file{};
    std::string path{};   // of the file
    std::string inside{}; // of the piece in a package; empty: the whole file
    std::size_t from = 0, size = 0;
    std::string_view view() const { return {file->data() + from, size}; }
    std::string name() const { return inside.empty() ? path : path + "[" + inside + "]"; }
};

class UsdLayer {
  public:
    virtual ~UsdLayer() = default;
    UsdLayer(const UsdLayer&) = delete;
    UsdLayer& operator=(const UsdLayer&) = delete;

    UsdBytes bytes;
    double codes_a_second = 24, metres = 0.01; // the format's own defaults
    bool said_codes = false, said_metres = false, said_axis = false, z_up = false;
    std::optional<double> start, end; // time codes
    std::string default_prim;
    struct Sublayer {
        std::string asset;
        double offset = 0, scale = 1;
    };
    std::vector<Sublayer> sublayers; // strongest first
    std::vector<std::string> notes;  // what was passed over

    const std::deque<UsdSpec>& specs() const { return specs_; }
    const UsdSpec* spec(std::string_view path) const;

    // Values. Errors: malformed, unsupported, with the file and the line or the byte. Of a text or a crate's value of
    // another type: malformed.
    virtual bool blocked(const UsdRef& ref) const = 0; // None: there is no value
    virtual Result<std::vector<float>> floats(const UsdRef& ref, std::size_t width) const = 0;
    virtual Result<std::vector<double>> numbers(const UsdRef& ref) const = 0; // every number, one after another
    virtual Result<std::vector<std::int64_t>> wholes(const UsdRef& ref) const = 0;
    virtual Result<std::vector<std::string>> words(const UsdRef& ref) const = 0; // strings, tokens, files
    virtual std::optional<std::size_t> count(const UsdRef& ref) const = 0; // of an array, where it is cheap to know

    UsdSpec& add(std::string path); // the one of that path, or a new one
  protected:
    UsdLayer() = default;
    std::deque<UsdSpec> specs_; // parents first
    std::unordered_map<std::string_view, UsdSpec*> by_path_;
};
using UsdLayerPtr = std::shared_ptr<const UsdLayer>;

inline constexpr int usd_depth = 200; // prims and brackets inside each other

// Reads a layer's specs. Errors: malformed, with the line or byte; too_large, for more than usd_depth prims inside each
// other or counts beyond what the bytes can hold; unsupported: a version of the binary form that is not read.
Result<UsdLayerPtr> read_usd_layer(UsdBytes bytes);
Result<UsdLayerPtr> read_text_layer(UsdBytes bytes);
Result<UsdLayerPtr> read_crate_layer(UsdBytes bytes);

// The parent's path and the last name: "/a/b" → "/a", "b"; "/a{x=y}b" → "/a{x=y}", "b".
std::string_view usd_parent(std::string_view path);
std::string_view usd_name(std::string_view path);
std::string usd_child(std::string_view path, std::string_view name);

// Values of text. Errors: malformed.
Result<std::vector<float>> usd_text_floats(std::string_view value, std::size_t width);
Result<std::vector<std::int64_t>> usd_text_wholes(std::string_view value);
Result<std::vector<double>> usd_text_numbers(std::string_view value);
std::vector<std::string> usd_text_words(std::string_view value); // every text in quotes and file between @
std::int64_t usd_line_of(std::string_view text, const char* at); // from 1

} // namespace garland
