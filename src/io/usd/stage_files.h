// The files of a stage: each opened once, found from where another one names it.
#pragma once

#include "io/usd/stage.h"

namespace garland {

inline constexpr std::size_t usd_file_limit = 2000; // files of one stage

class UsdFiles {
  public:
    // Errors: those of reading.
    Result<UsdLayerPtr> open(const std::string& path);
    // `asset` as a layer names it: a path beside that layer, an absolute one, a file inside its package, or a file
    // inside another package ("lamps.usdz[red.usdc]").
    Result<UsdLayerPtr> open_from(const UsdLayer& from, const std::string& asset);

    const std::vector<UsdLayerPtr>& layers() const { return layers_; }
    const std::vector<std::shared_ptr<const MappedFile>>& mapped() const { return mapped_; }
    const std::vector<std::string>& paths() const { return paths_; }

  private:
    Result<UsdLayerPtr> layer(const std::string& path, const std::string& inside);
    Result<std::shared_ptr<const MappedFile>> file(const std::string& path);
    std::map<std::string, UsdLayerPtr> known_;
    std::map<std::string, Error> failed_;
    std::map<std::string, std::shared_ptr<const MappedFile>> by_path_;
    std::vector<UsdLayerPtr> layers_;
    std::vector<std::shared_ptr<const MappedFile>> mapped_;
    std::vector<std::string> paths_;
};

// What lies in a package (.usdz: a zip file whose files are stored as they are): names and where their bytes are, in
// order. Errors: malformed, with the byte; unsupported: packed or encrypted files, more than 4 GB.
struct UsdPackageEntry {
    std::string name;
    std::size_t from = 0, size = 0;
};
Result<std::vector<UsdPackageEntry>> read_usd_package(std::string_view bytes, const std::string& path);

} // namespace garland
