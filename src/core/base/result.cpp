#include "core/base/result.h"

#include <fmt/format.h>

namespace garland {

std::string advice_of(const Error& error) {
    if (!error.advice.empty() || error.path.empty()) return error.advice;
    switch (error.code) {
    case ErrorCode::not_found: return "check the name, and that its folder or disk is there";
    case ErrorCode::unreadable: return "check who may read and write it, or use another folder";
    case ErrorCode::malformed: return "the file may be damaged or cut short: write it again, or take another";
    case ErrorCode::too_large: return "use a smaller file, or leave out what is not needed";
    case ErrorCode::unsupported: return "bring it in another format; the guide's page Formats lists what is read";
    case ErrorCode::exists: return "give another name or folder, or let it be replaced";
    case ErrorCode::disk_full: return "make room on that disk, or use another folder";
    case ErrorCode::newer_version: return "open it with the version that wrote it, or a later one";
    case ErrorCode::changed: return "open it again, or save under another name";
    case ErrorCode::invalid:
    case ErrorCode::cancelled: return {};
    }
    return {};
}

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
    if (const std::string advice = advice_of(error); !advice.empty()) text += " Try: " + advice + ".";
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
