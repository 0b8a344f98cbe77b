#include "io/usd/layer.h"

#include <algorithm>
#include <cstring>

namespace garland {

UsdRef UsdSamples::ref(std::size_t i) const {
    if (!reps) return {texts[i], 0};
    UsdRef out;
    std::memcpy(&out.rep, reps + i * 8, 8);
    return out;
}

const UsdProperty* UsdSpec::find(std::string_view wanted) const {
    for (const UsdProperty& p : properties) {
        if (p.name == wanted) return &p;
    }
    return nullptr;
}

const UsdSpec* UsdLayer::spec(std::string_view path) const {
    const auto at = by_path_.find(path);
    return at == by_path_.end() ? nullptr : at->second;
}

UsdSpec& UsdLayer::add(std::string path) {
    if (const auto known = by_path_.find(path); known != by_path_.end()) return *known->second;
    UsdSpec& spec = specs_.emplace_back();
    spec.path = std::move(path);
    by_path_.emplace(spec.path, &spec);
    return spec;
}

Result<UsdLayerPtr> read_usd_layer(UsdBytes bytes) {
    return bytes.view().starts_with("PXR-USDC") ? read_crate_layer(std::move(bytes))
                                                : read_text_layer(std::move(bytes));
}

std::string_view usd_parent(std::string_view path) {
    if (path.size() <= 1) return {};
    if (path.back() == '}') return path.substr(0, path.rfind('{'));
    const std::size_t cut = path.find_last_of("/}");
    if (path[cut] == '}') return path.substr(0, cut + 1);
    return path.substr(0, std::max<std::size_t>(cut, 1));
}

std::string_view usd_name(std::string_view path) {
    return path.substr(path.find_last_of("/}") + 1);
}

std::string usd_child(std::string_view path, std::string_view name) {
    std::string out(path);
    if (out.back() != '/' && out.back() != '}') out += '/';
    return out += name;
}

} // namespace garland
