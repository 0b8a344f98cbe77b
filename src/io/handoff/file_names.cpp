#include "io/handoff/file_names.h"

#include "io/files/series.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

bool separates(char c) {
    return c == '.' || c == '_' || c == '-' || c == ' ';
}

} // namespace

FileNames::FileNames(const std::string& name) : before_(name + "."), separator_("."), stem_(name) {
    const auto at = name.find("##");
    if (at == name.npos) return;
    const auto end = std::min(name.find_first_not_of('#', at), name.size());
    before_ = name.substr(0, at), after_ = name.substr(end);
    digits_ = static_cast<int>(end - at);
    if (!before_.empty() && separates(before_.back())) separator_ = before_.back();
    stem_ = before_;
    while (!stem_.empty() && separates(stem_.back())) stem_.pop_back();
    stem_ += after_;
    if (before_.empty()) stem_.erase(0, std::min(stem_.find_first_not_of("._- "), stem_.size()));
    if (stem_.empty()) stem_ = "frames";
}

std::string FileNames::of(const FrameMoment& moment, const std::string& ending) const {
    if (moment.whole()) return numbered(before_, moment.frame, digits_, after_ + ending);
    const auto thousandths = static_cast<std::int64_t>(std::llround(moment.at.value * 1000));
    const std::int64_t part = (thousandths % 1000 + 1000) % 1000;
    return numbered(before_, (thousandths - part) / 1000, digits_, fmt::format(".{:03}{}{}", part, after_, ending));
}

std::string FileNames::of(const std::string& copy, const FrameMoment& moment, const std::string& ending) const {
    FileNames own = *this;
    if (!own.before_.empty() && !separates(own.before_.back())) own.before_ += separator_;
    own.before_ += copy + separator_;
    return own.of(moment, ending);
}

Result<void> validate_name(const std::string& name, bool in_frames) {
    auto wrong = [&](const std::string& what, const char* instead) {
        return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" {}", name, what)}
                        .keeping("nothing was written")
                        .advise(instead));
    };
    if (name.empty() || name.find('/') != name.npos || name == "." || name == "..")
        return wrong("is not a name for files", "give a name without a slash");
    const auto at = name.find("##");
    if (at == name.npos) return {};
    if (!in_frames)
        return wrong("has a place for a frame's number, but all frames are one file", "give a name without ##");
    const auto end = std::min(name.find_first_not_of('#', at), name.size());
    if (name.find("##", end) != name.npos)
        return wrong("has several places for a frame's number", "give one, as in lanterns_####");
    if (end - at > 9) return wrong("wants a number of more than 9 digits", "give at most #########");
    return {};
}

} // namespace garland
