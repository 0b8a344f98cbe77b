// Ids are small numbers of their own type: a SourceId is never taken for a TimingId. 0 means "none".
#pragma once

#include <compare>
#include <cstddef>
#include <cstdint>
#include <functional>

namespace garland {

template <class Tag>
struct Id {
    std::uint64_t value = 0;
    constexpr Id() = default;
    constexpr explicit Id(std::uint64_t v) : value(v) {}
    constexpr auto operator<=>(const Id&) const = default;
    constexpr explicit operator bool() const { return value != 0; }
};

using SourceId = Id<struct SourceTag>;
using TimingId = Id<struct TimingTag>;
using ArrangementId = Id<struct ArrangementTag>;
using SpreadId = Id<struct SpreadTag>;
using ZoneId = Id<struct ZoneTag>;
using SoundId = Id<struct SoundTag>;

// A copy's own name within its arrangement. It depends only on the copy's place in the rule that made it (see
// arrangement.h), never on how many copies there are, so values drawn from it stay when the count changes. Counts from
// 0.
struct CopyId {
    std::uint64_t value = 0;
    constexpr CopyId() = default;
    constexpr explicit CopyId(std::uint64_t v) : value(v) {}
    constexpr auto operator<=>(const CopyId&) const = default;
};

} // namespace garland

template <class Tag>
struct std::hash<garland::Id<Tag>> {
    std::size_t operator()(garland::Id<Tag> id) const noexcept { return std::hash<std::uint64_t>{}(id.value); }
};
