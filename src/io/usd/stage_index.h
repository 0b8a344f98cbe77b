// Which specs speak of a prim, from where, and how strong: the tree of a prim's sites.
#pragma once

#include "io/usd/stage_files.h"

#include <functional>

namespace garland {

struct UsdLayerStack { // a layer and those below it, strongest first
    struct Entry {
        UsdLayerPtr layer;
        double offset = 0, scale = 1; // time of the stack = offset + scale · the layer's
    };
    std::vector<Entry> layers;
    double codes_a_second = 24;
    const UsdLayer& root() const { return *layers.front().layer; }
};
using UsdLayerStackPtr = std::shared_ptr<const UsdLayerStack>;

struct UsdSite {
    enum Arc : std::uint8_t { inherit, variant, reference, payload, specialize, root } arc = root;
    UsdLayerStackPtr stack{};
    std::string path{};           // in the stack, variants included
    std::string from{}, to{};     // where the arc led, and the stage's path of it (both without variants)
    double offset = 0, scale = 1; // stage time = offset + scale · time of the stack
    int depth = 0;                // how many names the path had where the arc was said
    int id = 0;                   // the same in the sites of prims below
    bool silent = false;          // its specs do not count (what is below an instance)
    bool keeps = false;           // clips are said here
    bool heir = false;            // reached by inheriting
    std::vector<UsdSite> below{};
};

class UsdIndexer {
  public:
    UsdIndexer(UsdFiles& files, const UsdChoices& choices, std::vector<UsdStageNote>& notes,
               std::vector<UsdVariants>& variants)
        : files_(files), choices_(choices), notes_(notes), variants_(variants) {}

    Result<UsdLayerStackPtr> stack_of(const UsdLayerPtr& root);
    UsdSite root(UsdLayerStackPtr stack);
    // The sites of a prim below another one, whose sites are known and whose stage path is `parent`.
    UsdSite child(const UsdSite& of, const std::string& parent, std::string_view name, bool of_instance);

    void note(std::string what, std::string instead);

  private:
    struct Said { // an arc, and the layer that says it
        UsdArc arc;
        const UsdLayerStack::Entry* entry;
        bool operator==(const Said& other) const { return arc == other.arc; }
    };
    using Stack = std::vector<std::pair<const UsdLayerStack*, std::string>>;

    bool add_sublayers(UsdLayerStack& stack, const UsdLayerPtr& layer, double offset, double scale, int depth);
    UsdSite extended(const UsdSite& of, std::string_view name, bool of_instance);
    bool speaks(const UsdSite& site) const;
    // The index of a path in a stack by itself. whole: with the variants of the prim itself; those above are always
    // chosen.
    const UsdSite* index(const UsdLayerStackPtr& stack, const std::string& path, bool whole);
    void add_arcs(UsdSite& site, const std::string& stage_path);
    void add_all_arcs(UsdSite& site, const std::string& stage_path);
    void add_variants(UsdSite& whole, const std::string& stage_path, bool of_stage);
    void imply_classes(UsdSite& site, const std::string& stage_path);
    void attach(UsdSite& to, UsdSite::Arc arc, const UsdLayerStackPtr& stack, const std::string& path, double offset,
                double scale, const std::string& stage_path);
    template <class List>
    std::vector<Said> arcs(const UsdSite& site, List&& list);
    void follow(UsdSite& site, UsdSite::Arc arc, const Said& said, const std::string& stage_path);

    UsdFiles& files_;
    const UsdChoices& choices_;
    std::vector<UsdStageNote>& notes_;
    std::vector<UsdVariants>& variants_;
    std::map<const UsdLayer*, UsdLayerStackPtr> stacks_;
    std::map<std::pair<const UsdLayerStack*, std::string>, std::unique_ptr<UsdSite>> whole_, bare_;
    Stack open_;                        // indexes that are being made, against arcs in circles
    std::vector<const UsdSite*> chain_; // sites above the one whose arcs are followed
    std::set<std::string> noted_;
    int next_id_ = 1;
};

// All sites with their specs, strongest first; specialized ones last.
void each_usd_site(const UsdSite& site, const std::function<void(const UsdSite&)>& see);

// A path said at a site, in the stage's terms; empty where it leads out of what was referred to.
std::string usd_mapped(const UsdSite& site, std::string_view path);
std::string usd_without_variants(std::string_view path);

} // namespace garland
