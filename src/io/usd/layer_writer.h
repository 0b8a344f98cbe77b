// A USD layer as it is written: prims with properties, as text (.usda) or binary (.usdc, crate 0.8). Values go to the
// disk when they are kept, each once; only names and the times of samples stay in memory.
#pragma once

#include "io/files/file.h"
#include "io/usd/layer_values.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace garland {

struct Faces;

enum class UsdForm { text, binary };

using UsdKept = std::uint64_t; // a value that is on the disk; equal ones are the same

struct UsdOutSample {
    double time = 0; // time code
    UsdKept value = 0;
};

struct UsdOutProperty {
    std::string type, name; // "point3f[]", "points"; a relationship has the type "rel"
    bool uniform = false;
    std::optional<UsdKept> value{};
    std::vector<UsdOutSample> samples{};                  // by rising time
    std::vector<std::pair<std::string, UsdKept>> about{}; // interpolation, elementSize
    std::string interpolation{};                          // what about says, if it does
    std::vector<std::string> targets{};                   // of a relationship: paths
};

struct UsdOutPrim {
    enum Kind { def, over, kind_class } kind = def;
    std::string type, name;
    struct About {
        std::string name; // "clips", "references"
        bool prepend = false;
        UsdKept value = 0;
    };
    std::vector<About> about{};
    std::vector<std::unique_ptr<UsdOutProperty>> properties{};
    std::vector<std::unique_ptr<UsdOutPrim>> children{};

    UsdOutPrim& child(Kind kind, std::string type, std::string name); // the name must be an identifier, used once
    UsdOutProperty& property(std::string type, std::string name);     // the one of that name, or a new one
};

// Where kept values go, and how the layer is put together from them. Used by layer_text.cpp and layer_crate.cpp.
class UsdStore {
  public:
    virtual ~UsdStore() = default;
    virtual UsdKept keep(const UsdValue& value) = 0;
    virtual Result<void> finish(const UsdOutPrim& root) = 0;
    AtomicFile& file() { return file_; }
    std::uint64_t bytes() const { return bytes_; } // of the whole layer, once it is finished

  protected:
    explicit UsdStore(AtomicFile file) : file_(std::move(file)) {}
    AtomicFile file_;
    std::uint64_t bytes_ = 0;
};
std::unique_ptr<UsdStore> make_text_store(AtomicFile file);
std::unique_ptr<UsdStore> make_crate_store(AtomicFile file);

class UsdLayerWriter {
  public:
    // Errors: those of AtomicFile.
    static Result<UsdLayerWriter> create(const std::string& path, UsdForm form, Existing existing);

    UsdOutPrim& root() { return *root_; } // the layer itself: its `about` are the layer's metadata
    UsdKept keep(const UsdValue& value) { return store_->keep(value); }
    // Corner counts and corners of faces. Most poses have the same ones: those that are known by their address are not
    // looked at again while they live.
    struct KeptFaces {
        UsdKept counts = 0, corners = 0;
    };
    KeptFaces keep(const std::shared_ptr<const Faces>& faces);

    void about(UsdOutPrim& prim, std::string name, const UsdValue& value);
    void set(UsdOutPrim& prim, std::string type, std::string name, const UsdValue& value);         // for all times
    void set_uniform(UsdOutPrim& prim, std::string type, std::string name, const UsdValue& value); // never in time
    // A sample; times of one property must rise.
    UsdOutProperty& sample(UsdOutPrim& prim, std::string type, std::string name, double time, const UsdValue& value);
    void relate(UsdOutPrim& prim, std::string name, std::vector<std::string> targets);

    // Puts the layer together under its temporary name; samples that repeat are kept at the ends of the repetition, and
    // a property whose samples are all equal has one value. Then publish().
    Result<void> finish();
    Result<void> publish() { return store_->file().publish(); }
    const std::string& temporary() const { return store_->file().temporary(); }
    std::uint64_t bytes() const { return store_->bytes(); }
    void hash_in_any_case() { store_->file().hash_in_any_case(); } // so that written() knows it of a binary layer too
    WrittenFile written() const { return store_->file().about(); }

  private:
    UsdLayerWriter(std::unique_ptr<UsdStore> store) : store_(std::move(store)), root_(std::make_unique<UsdOutPrim>()) {}
    std::unique_ptr<UsdStore> store_;
    std::unique_ptr<UsdOutPrim> root_;
    struct KnownFaces {
        std::weak_ptr<const Faces> faces;
        KeptFaces kept;
    };
    std::vector<KnownFaces> faces_; // the latest ones
};

// The form that a path's ending asks for: .usdc is binary, all others are text.
UsdForm usd_form(const std::string& path);
const char* ending_of(UsdForm form); // ".usda", ".usdc"

} // namespace garland
