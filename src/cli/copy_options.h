// Options of garland-cli edit arrange and spread: each with its name, what it is for, and what it does.
#pragma once

#include "core/project/project.h"

#include <functional>
#include <string>
#include <vector>

namespace garland {

template <class T>
struct Option {
    const char* name;
    const char* help;
    std::function<Result<void>(T&, const Project&, const std::string&)> set;
};

const std::vector<Option<Arrangement>>& arrangement_options();
const std::vector<Option<Spread>>& spread_options();

// Numbers and names as written; errors say what was written.
Result<double> real(const std::string& text);
Result<std::int64_t> whole(const std::string& text);
Result<SourceId> source_called(const Project& project, const std::string& text);

} // namespace garland
