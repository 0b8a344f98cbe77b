#include "io/usd/stage_files.h"

#include "io/files/file.h"

#include <filesystem>
#include <fmt/format.h>

namespace garland {

Result<std::shared_ptr<const MappedFile>> UsdFiles::file(const std::string& path) {
    if (const auto known = by_path_.find(path); known != by_path_.end()) return known->second;
    if (mapped_.size() >= usd_file_limit)
        return fail(Error{ErrorCode::too_large, fmt::format("it is one of more than {} files", usd_file_limit)}
                        .advise("write it in fewer files")
                        .at(path));
    GARLAND_TRY(opened, MappedFile::open(path));
    auto shared = std::make_shared<const MappedFile>(std::move(opened));
    by_path_.emplace(path, shared);
    mapped_.push_back(shared);
    paths_.push_back(path);
    return shared;
}

Result<UsdLayerPtr> UsdFiles::layer(const std::string& path, const std::string& inside) {
    const std::string key = inside.empty() ? path : path + "[" + inside + "]";
    if (const auto known = known_.find(key); known != known_.end()) return known->second;
    if (const auto failed = failed_.find(key); failed != failed_.end()) return fail(Error(failed->second));
    auto read = [&]() -> Result<UsdLayerPtr> {
        GARLAND_TRY(bytes, file(path));
        UsdBytes piece{bytes, path, inside, 0, bytes->size()};
        if (piece.view().starts_with("PK")) {
            GARLAND_TRY(entries, read_usd_package(piece.view(), path));
            const UsdPackageEntry* wanted = inside.empty() ? &entries.front() : nullptr;
            for (const UsdPackageEntry& e : entries) {
                if (!wanted && e.name == inside) wanted = &e;
            }
            if (!wanted)
                return fail(Error{ErrorCode::not_found, fmt::format("there is no \"{}\" in the package", inside)}
                                .advise("make the package again")
                                .at(path));
            piece.inside = wanted->name, piece.from = wanted->from, piece.size = wanted->size;
        }
        return read_usd_layer(std::move(piece));
    };
    auto got = read();
    if (!got) {
        failed_.emplace(key, got.error());
        return got;
    }
    known_.emplace(key, *got);
    layers_.push_back(*got);
    return got;
}

Result<UsdLayerPtr> UsdFiles::open(const std::string& path) {
    return layer(path, {});
}

Result<UsdLayerPtr> UsdFiles::open_from(const UsdLayer& from, const std::string& asset) {
    namespace fs = std::filesystem;
    std::string name = asset.substr(0, asset.find(":SDF_FORMAT_ARGS:")), inside;
    if (name.find("://") != name.npos)
        return fail(Error{ErrorCode::unsupported, "nothing is fetched from elsewhere"}
                        .advise("bring the file onto this machine, and name it there")
                        .at(name));
    if (const std::size_t open = name.find('['); open != name.npos && name.back() == ']') {
        inside = name.substr(open + 1, name.size() - open - 2);
        name.resize(open);
    }
    const bool in_package = !from.bytes.inside.empty() && !fs::path(name).is_absolute();
    if (in_package && inside.empty()) {
        const fs::path beside = fs::path(from.bytes.inside).parent_path();
        return layer(from.bytes.path, (beside / name).lexically_normal().generic_string());
    }
    const fs::path path =
        fs::path(name).is_absolute() ? fs::path(name) : fs::path(from.bytes.path).parent_path() / name;
    return layer(path.lexically_normal().string(), inside);
}

} // namespace garland
