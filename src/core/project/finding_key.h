// What tells a finding from every other one as long as its kind and arrangement are the same (Finding::key).
#pragma once

#include "core/project/findings.h"

#include <fmt/format.h>

namespace garland {

inline std::string key_of(FindingKind kind, const ArrangementShow& a, const std::string& what = {}) {
    std::string text = fmt::format("{}/{}", to_text(kind), a.id.value);
    return what.empty() ? text : text + "/" + what;
}

} // namespace garland
