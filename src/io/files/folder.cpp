#include "io/files/folder.h"

#include <filesystem>
#include <fmt/format.h>

namespace garland {

Result<void> make_folder(const std::string& folder) {
    std::error_code wrong;
    std::filesystem::create_directories(folder, wrong);
    if (!wrong) return {};
    return fail(
        Error{ErrorCode::unreadable, fmt::format("the folder cannot be made ({})", wrong.message())}.at(folder));
}

} // namespace garland
