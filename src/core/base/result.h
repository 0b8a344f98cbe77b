// Errors as values, for everything that a file or a user can cause.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <tl/expected.hpp>

namespace garland {

enum class ErrorCode {
    not_found,     // a file or an id that is not there
    unreadable,    // there, but the system will not let us read or write it
    malformed,     // the bytes do not say what the format says they should
    too_large,     // more than the stated limit, or more than the file can hold
    unsupported,   // understood, but not something Garland works with
    invalid,       // a value out of its range
    exists,        // would overwrite something
    disk_full,     //
    cancelled,     // by the user; not a failure
    newer_version, // written by a later Garland
    changed,       // by somebody else since it was opened
};

// What happened, where, what was kept and what to do. `message` is a sentence without a full stop.
struct Error {
    ErrorCode code = ErrorCode::invalid;
    std::string message;
    std::string path{};
    std::optional<std::int64_t> frame{};  // source frame, as the file counts
    std::optional<std::int64_t> line{};   // text files, from 1
    std::optional<std::int64_t> offset{}; // binary files, in bytes from the start
    std::string kept{};                   // "the old file is unchanged"
    std::string advice{};                 // "choose another folder"

    Error&& at(std::string where) && { return path = std::move(where), std::move(*this); }
    Error&& at_frame(std::int64_t f) && { return frame = f, std::move(*this); }
    Error&& at_line(std::int64_t l) && { return line = l, std::move(*this); }
    Error&& at_offset(std::int64_t o) && { return offset = o, std::move(*this); }
    Error&& keeping(std::string what) && { return kept = std::move(what), std::move(*this); }
    Error&& advise(std::string what) && { return advice = std::move(what), std::move(*this); }
};

template <class T>
using Result = tl::expected<T, Error>;

inline tl::unexpected<Error> fail(Error error) {
    return tl::unexpected<Error>(std::move(error));
}
inline tl::unexpected<Error> fail(ErrorCode code, std::string message) {
    return tl::unexpected<Error>(Error{code, std::move(message)});
}

// What to try: the error's own advice, or what holds for every file of its kind of trouble; "" where nothing does.
std::string advice_of(const Error& error);

// One paragraph for people: "lantern.0007.ply, frame 7, line 12: …. Unchanged: …. Try: …."
std::string describe(const Error& error);

// The code's name as written in --json output: "not_found", "malformed", …
const char* name_of(ErrorCode code);

} // namespace garland

// Passes an error on: GARLAND_TRY(mesh, read_mesh(path)) declares `mesh` or returns the error.
#define GARLAND_JOIN2(a, b) a##b
#define GARLAND_JOIN(a, b) GARLAND_JOIN2(a, b)
#define GARLAND_TRY(name, expression)                                                                                  \
    auto GARLAND_JOIN(result_, __LINE__) = (expression);                                                               \
    if (!GARLAND_JOIN(result_, __LINE__)) return tl::unexpected(std::move(GARLAND_JOIN(result_, __LINE__).error()));   \
    auto name = std::move(*GARLAND_JOIN(result_, __LINE__))
#define GARLAND_CHECK(expression)                                                                                      \
    if (auto checked = (expression); !checked) return tl::unexpected(std::move(checked.error()))
