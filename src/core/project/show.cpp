#include "core/project/show.h"

#include <algorithm>
#include <fmt/format.h>

namespace garland {

const ArrangementShow* Show::find(std::int64_t number, std::size_t& index) const {
    for (const ArrangementShow& a : arrangements) {
        if (a.shown.numbers.empty()) {
            const std::int64_t i = number - a.shown.first;
            if (i < 0 || i >= static_cast<std::int64_t>(a.places.size())) continue;
            index = static_cast<std::size_t>(i);
            return &a;
        }
        const auto at = std::lower_bound(a.shown.numbers.begin(), a.shown.numbers.end(), number);
        if (at == a.shown.numbers.end() || *at != number) continue;
        index = static_cast<std::size_t>(at - a.shown.numbers.begin());
        return &a;
    }
    return nullptr;
}

const GivenValues* given_by(const Show& show, ArrangementId arrangement, SpreadId spread) {
    for (const ArrangementShow& a : show.arrangements) {
        if (a.id != arrangement) continue;
        for (const GivenValues& g : a.shown.set->given) {
            if (g.spread.id == spread) return &g;
        }
    }
    return nullptr;
}

std::string copy_name(std::int64_t number, std::int64_t count) {
    return fmt::format("c{:0{}}", number + 1, std::max<std::size_t>(2, fmt::format("{}", count).size()));
}

} // namespace garland
