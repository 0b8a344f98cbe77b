// A USD stage: the layers of a file and of all it refers to, composed into one tree of prims (Alliance for OpenUSD,
// "Core Specification", composition; PcpPrimIndex's order of strength: local, inherits, variants, references, payloads,
// specializes). Nothing is fetched: only files are read, and only those that the layers name.
#pragma once

#include "io/usd/layer.h"

#include <map>
#include <set>

namespace garland {

// Values of one attribute that lie in clips: which file is active when, and which of its times is meant.
struct UsdClips {
    struct File {
        UsdLayerPtr layer{}; // null: it could not be read
        const UsdProperty* property = nullptr;
    };
    std::vector<File> files{};
    std::vector<std::pair<double, double>> active{}; // stage time, index into files; rising
    std::vector<std::pair<double, double>> times{};  // stage time, clip time; rising
    // Which file holds at a stage time, and its time there; the second of two entries on one time holds from it on.
    std::size_t file_at(double time) const;
    double clip_time(double time) const;
    std::vector<double> sample_times{}; // stage time, rising
    // Where the value goes over from one file to the next: the sample before, in one, and the time from which the other
    // holds. Between them it is straight (as the reference library does).
    struct Over {
        double lower = 0, upper = 0, weight = 0;
    };
    std::optional<Over> over(double time) const;
    void find_sample_times();
};

struct UsdAttribute {
    std::string_view name{}, type{}, interpolation{};
    int element_size = 1;
    bool connected = false;
    const UsdLayer* layer = nullptr; // of the strongest opinion with a value; null: there is no value
    const UsdProperty* property = nullptr;
    double offset = 0, scale = 1; // stage time = offset + scale · layer time
    std::shared_ptr<const UsdClips> clips{};

    bool moves() const; // it has two samples at least
    bool has_samples() const;
    std::vector<double> sample_times() const; // stage time, rising
    // What holds at a stage time: the samples on both sides and the weight of the second (0: only the first). No value
    // at all: layer is null.
    struct At {
        const UsdLayer* layer = nullptr;
        UsdRef a{}, b{};
        double weight = 0;
    };
    At at(double time) const;
    bool interpolates() const; // by its type; others hold
};

struct UsdPrim {
    std::string name{}, path{}, type{};
    int parent = -1;                      // always an earlier prim
    bool drawn = true;                    // defined, and no class
    std::vector<std::int64_t> inactive{}; // ids of a point instancer that are not there at any time; rising
    std::vector<UsdAttribute> attributes{};
    std::vector<std::pair<std::string_view, std::vector<std::string>>> relationships{}; // targets: paths of the stage
    // What attributes are connected to: paths of attributes of the stage.
    std::vector<std::pair<std::string_view, std::vector<std::string>>> connections{};
    std::vector<int> children{};

    const UsdAttribute* find(std::string_view name) const;
    const std::vector<std::string>* targets(std::string_view name) const;
    const std::vector<std::string>* connected_to(std::string_view name) const; // null where it is not
};

struct UsdVariants { // of one prim
    std::string prim, set, chosen;
    std::vector<std::string> choices;
};

struct UsdStageNote {
    std::string what, instead;
};

// What the user chose in place of the file's own choices: "/quay/lantern{colour}" → "red".
using UsdChoices = std::map<std::string, std::string>;

struct UsdStage {
    std::string path;
    UsdLayerPtr root;
    std::vector<UsdPrim> prims; // parents first
    std::vector<UsdVariants> variants;
    std::vector<UsdStageNote> notes;                       // what was passed over, or could not be read
    std::vector<std::shared_ptr<const MappedFile>> mapped; // behind all layers
    std::vector<UsdLayerPtr> layers;
    std::vector<std::string> files; // paths, each once

    int prim_at(std::string_view path) const; // −1: none
    Result<void> unchanged() const;           // of all files, since they were opened
    std::unordered_map<std::string_view, int> by_path{};
};

// Errors: those of reading the file itself; too_large. Files it refers to that cannot be read are notes.
Result<std::shared_ptr<const UsdStage>> open_usd_stage(const std::string& path, const UsdChoices& choices = {});

} // namespace garland
