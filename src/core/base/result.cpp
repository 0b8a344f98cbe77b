#include "core/base/result.h"

#include <fmt/format.h>

namespace garland {

std::string describe(const Error& error) {
    std::string where = error.path;
    auto add = [&](const char* word, std::int64_t number) {
        if (!where.empty()) where += ", ";
        where += fmt::format("{} {}", word, number);
    };
    if (error.frame) add("frame", *error.frame);
    if (error.line) add("line", *error.line);
    if (error.offset) add("byte", *error.offset);

    std::string text = where.empty() ? error.message : where + ": " + error.message;
    text += '.';
    if (error.kept.rfind("nothing", 0) == 0) { // a sentence of its own
        text += " N" + error.kept.substr(1) + ".";
    } else if (!error.kept.empty()) {
        text += " Unchanged: " + error.kept + ".";
    }
    if (!error.advice.empty()) text += " Try: " + error.advice + ".";
    return text;
}

const char* name_of(ErrorCode code) {
    switch (code) {
    case ErrorCode::not_found: return "not_found";
    case ErrorCode::unreadable: return "unreadable";
    case ErrorCode::malformed: return "malformed";
    case ErrorCode::too_large: return "too_large";
    case ErrorCode::unsupported: return "unsupported";
    case ErrorCode::invalid: return "invalid";
    case ErrorCode::exists: return "exists";
    case ErrorCode::disk_full: return "disk_full";
    case ErrorCode::cancelled: return "cancelled";
    case ErrorCode::newer_version: return "newer_version";
    case ErrorCode::changed: return "changed";
    }
    return "invalid";
}

} // namespace garland
