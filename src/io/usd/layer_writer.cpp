#include "io/usd/layer_writer.h"

#include "core/geometry/pose.h"

#include <algorithm>

namespace garland {

namespace {

// What is straight between samples stays right, and so does what is held.
void without_repeats(UsdOutProperty& p) {
    auto& s = p.samples;
    if (s.empty()) return;
    if (std::all_of(s.begin(), s.end(), [&](const UsdOutSample& one) { return one.value == s.front().value; })) {
        p.value = s.front().value;
        s.clear();
        return;
    }
    std::size_t kept = 0;
    for (std::size_t i = 0; i < s.size(); ++i) {
        const bool inside = i > 0 && i + 1 < s.size() && s[i].value == s[i - 1].value && s[i].value == s[i + 1].value;
        if (!inside) s[kept++] = s[i];
    }
    s.resize(kept);
}

void without_repeats(UsdOutPrim& prim) {
    for (auto& p : prim.properties) without_repeats(*p);
    for (auto& c : prim.children) without_repeats(*c);
}

} // namespace

UsdOutPrim& UsdOutPrim::child(Kind k, std::string t, std::string n) {
    children.push_back(std::make_unique<UsdOutPrim>());
    children.back()->kind = k;
    children.back()->type = std::move(t);
    children.back()->name = std::move(n);
    return *children.back();
}

UsdOutProperty& UsdOutPrim::property(std::string t, std::string n) {
    for (auto& p : properties) {
        if (p->name == n) return *p;
    }
    properties.push_back(std::make_unique<UsdOutProperty>());
    properties.back()->type = std::move(t);
    properties.back()->name = std::move(n);
    return *properties.back();
}

Result<UsdLayerWriter> UsdLayerWriter::create(const std::string& path, UsdForm form, Existing existing) {
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    if (form == UsdForm::binary) return UsdLayerWriter(make_crate_store(std::move(file)));
    return UsdLayerWriter(make_text_store(std::move(file)));
}

UsdLayerWriter::KeptFaces UsdLayerWriter::keep(const std::shared_ptr<const Faces>& faces) {
    // Owners are compared, not addresses: these may be used again.
    for (const KnownFaces& known : faces_) {
        if (!known.faces.owner_before(faces) && !faces.owner_before(known.faces) && !known.faces.expired())
            return known.kept;
    }
    std::vector<std::int32_t> counts;
    counts.reserve(faces->count());
    for (std::size_t f = 0; f < faces->count(); ++f)
        counts.push_back(static_cast<std::int32_t>(faces->starts[f + 1] - faces->starts[f]));
    KeptFaces kept;
    kept.counts = keep(usd_array(counts));
    kept.corners = keep(usd_numbers(UsdType::int32, faces->corners.data(), faces->corners.size()));
    constexpr std::size_t most = 32;
    std::erase_if(faces_, [](const KnownFaces& known) { return known.faces.expired(); });
    if (faces_.size() >= most) faces_.erase(faces_.begin());
    faces_.push_back({faces, kept});
    return kept;
}

void UsdLayerWriter::about(UsdOutPrim& prim, std::string name, const UsdValue& value) {
    const bool prepend = value.type == UsdType::references || value.type == UsdType::token_list;
    prim.about.push_back({std::move(name), prepend, keep(value)});
}

void UsdLayerWriter::set(UsdOutPrim& prim, std::string type, std::string name, const UsdValue& value) {
    prim.property(std::move(type), std::move(name)).value = keep(value);
}

void UsdLayerWriter::set_uniform(UsdOutPrim& prim, std::string type, std::string name, const UsdValue& value) {
    UsdOutProperty& p = prim.property(std::move(type), std::move(name));
    p.value = keep(value);
    p.uniform = true;
}

UsdOutProperty& UsdLayerWriter::sample(UsdOutPrim& prim, std::string type, std::string name, double time,
                                       const UsdValue& value) {
    UsdOutProperty& p = prim.property(std::move(type), std::move(name));
    p.samples.push_back({time, keep(value)});
    return p;
}

void UsdLayerWriter::relate(UsdOutPrim& prim, std::string name, std::vector<std::string> targets) {
    prim.property("rel", std::move(name)).targets = std::move(targets);
}

Result<void> UsdLayerWriter::finish() {
    without_repeats(*root_);
    GARLAND_CHECK(store_->finish(*root_));
    return store_->file().finish();
}

UsdForm usd_form(const std::string& path) {
    return extension(path) == ".usdc" ? UsdForm::binary : UsdForm::text;
}

const char* ending_of(UsdForm form) {
    return form == UsdForm::binary ? ".usdc" : ".usda";
}

} // namespace garland
