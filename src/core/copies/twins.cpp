#include "core/copies/twins.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <mutex>
#include <numeric>

namespace garland {

namespace {

constexpr double gone = std::numeric_limits<double>::quiet_NaN(); // an absent copy is alike to nobody

double distance(double a, double b, double period) {
    const double d = std::abs(a - b);
    return period > 0 ? std::min(std::fmod(d, period), period - std::fmod(d, period)) : d;
}

std::vector<double> sampled(FrameRange range, std::size_t m) {
    std::vector<double> times(m);
    for (std::size_t k = 0; k < m; ++k) {
        const double share = m > 1 ? static_cast<double>(k) / static_cast<double>(m - 1) : 0;
        times[k] = std::round(static_cast<double>(range.first) + share * static_cast<double>(range.count() - 1));
    }
    return times;
}

// One row a copy of the source frames it shows.
std::vector<double> signatures(const TimingPlan& plan, const SourceClock& source, const CopyClocks& copies, const std::vector<double>& times) {
    const std::size_t m = times.size();
    std::vector<double> shown(copies.size() * m);
    parallel_for(copies.size(), 256, [&](std::size_t from, std::size_t to) {
        std::vector<CopyMoment> row(m);
        for (std::size_t i = from; i < to; ++i) {
            row_moments(plan, source, copies, i, times, row);
            for (std::size_t k = 0; k < m; ++k) shown[i * m + k] = row[k].has(mark_absent) ? gone : row[k].source;
        }
    });
    return shown;
}

struct Groups { // union-find
    std::vector<std::uint32_t> parent;
    explicit Groups(std::size_t n) : parent(n) { std::iota(parent.begin(), parent.end(), 0u); }
    std::uint32_t root(std::uint32_t i) {
        while (parent[i] != i) i = parent[i] = parent[parent[i]];
        return i;
    }
    void join(std::uint32_t a, std::uint32_t b) {
        a = root(a), b = root(b);
        parent[std::max(a, b)] = std::min(a, b);
    }
};

struct Pair {
    std::uint32_t a, b;
    int alike;
};

} // namespace

std::size_t TwinReport::twin_copies() const {
    std::size_t n = 0;
    for (const TwinGroup& g : groups) n += g.copies.size();
    return n;
}

std::int64_t capacity(double period, double alike_below) {
    return alike_below > 0 ? static_cast<std::int64_t>(std::floor(period / alike_below)) : 0;
}

Result<std::int64_t> near_twins(const TimingPlan& plan, const SourceClock& source, const CopyClocks& copies, FrameRange range,
                                const TwinRule& rule, std::span<const std::uint32_t> near, std::size_t k, Progress& progress) {
    const auto m = static_cast<std::size_t>(std::clamp<std::int64_t>(range.count(), 1, std::max(rule.most_samples, 1)));
    const std::vector<double> shown = signatures(plan, source, copies, sampled(range, m));
    std::vector<std::uint8_t> twin(copies.size());
    for (std::uint32_t i = 0; i < copies.size(); ++i) {
        if (i % 1024 == 0 && progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        for (std::size_t j = 0; j < k; ++j) {
            const std::uint32_t other = near[i * k + j];
            if (other == i) continue;
            std::size_t alike = 0;
            for (std::size_t f = 0; f < m; ++f) alike += distance(shown[i * m + f], shown[other * m + f], rule.period) < rule.alike_below;
            if (static_cast<double>(alike) > rule.share * static_cast<double>(m)) twin[i] = twin[other] = 1;
        }
    }
    return std::count(twin.begin(), twin.end(), std::uint8_t(1));
}

Result<TwinReport> find_twins(const TimingPlan& plan, const SourceClock& source, const CopyClocks& copies,
                              FrameRange range, const TwinRule& rule, Progress& progress) {
    TwinReport report;
    report.copies = static_cast<std::int64_t>(copies.size());
    const auto n = copies.size();
    const auto m = static_cast<std::size_t>(std::clamp<std::int64_t>(range.count(), 1, std::max(rule.most_samples, 1)));
    report.samples = static_cast<std::int64_t>(m);
    if (n < 2) return report;

    const std::vector<double> times = sampled(range, m);
    const std::vector<double> shown = signatures(plan, source, copies, times);
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");

    auto alike_count = [&](std::uint32_t a, std::uint32_t b) {
        int count = 0;
        for (std::size_t k = 0; k < m; ++k) {
            count += distance(shown[a * m + k], shown[b * m + k], rule.period) < rule.alike_below;
        }
        return count;
    };
    const double enough = rule.share * static_cast<double>(m);

    // Copies that agree throughout are one for the search: all of them are twins at once.
    std::map<std::vector<double>, std::uint32_t> known;
    std::vector<std::uint32_t> same(n), distinct;
    for (std::uint32_t i = 0; i < n; ++i) {
        std::vector<double> row(shown.begin() + static_cast<std::ptrdiff_t>(i * m),
                                shown.begin() + static_cast<std::ptrdiff_t>((i + 1) * m));
        for (double& value : row) value = std::isnan(value) ? -1e300 : value; // so that rows can be ordered
        auto [at, is_new] = known.emplace(std::move(row), i);
        same[i] = at->second;
        if (is_new) distinct.push_back(i);
    }
    known.clear();

    // At each sample, the copies by what they show; on a loop its start is laid once more behind its end.
    using Order = std::vector<std::pair<double, std::uint32_t>>;
    auto order_at = [&](std::size_t k) {
        Order order;
        for (std::uint32_t i : distinct) {
            const double s = shown[i * m + k];
            if (std::isnan(s)) continue;
            const double place = rule.period > 0 ? s - std::floor(s / rule.period) * rule.period : s;
            order.emplace_back(place, i);
            if (rule.period > 0 && place < rule.alike_below) order.emplace_back(place + rule.period, i);
        }
        std::sort(order.begin(), order.end());
        return order;
    };
    // Any m − floor(share·m) samples will do: those with the fewest alike pairs make the least work.
    std::vector<std::pair<std::uint64_t, std::size_t>> crowd(m);
    parallel_for(m, 1, [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; k < to; ++k) {
            const Order order = order_at(k);
            std::uint64_t alike = 0;
            for (std::size_t x = 0, y = 0; x < order.size(); ++x) {
                while (y < order.size() && order[y].first - order[x].first < rule.alike_below) ++y;
                alike += y - x - 1;
            }
            crowd[k] = {alike, k};
        }
    });
    std::sort(crowd.begin(), crowd.end());
    const std::size_t searched = m - static_cast<std::size_t>(std::floor(enough));

    std::vector<Pair> pairs;
    std::mutex mutex;
    std::size_t done = 0;
    parallel_for(searched, 1, [&](std::size_t from, std::size_t to) {
        for (std::size_t at = from; at < to && !progress.cancelled(); ++at) {
            const Order order = order_at(crowd[at].second);
            std::vector<Pair> mine;
            for (std::size_t x = 0; x < order.size(); ++x) {
                if (x % 1024 == 0 && progress.cancelled()) break;
                for (std::size_t y = x + 1; y < order.size() && order[y].first - order[x].first < rule.alike_below;
                     ++y) {
                    const auto a = std::min(order[x].second, order[y].second);
                    const auto b = std::max(order[x].second, order[y].second);
                    if (a == b) continue;
                    bool seen = false; // at a sample searched before: counted there
                    for (std::size_t e = 0; e < at && !seen; ++e) {
                        const std::size_t k = crowd[e].second;
                        seen = distance(shown[a * m + k], shown[b * m + k], rule.period) < rule.alike_below;
                    }
                    if (seen) continue;
                    const int alike = alike_count(a, b);
                    if (alike > enough) mine.push_back({a, b, alike});
                }
            }
            std::lock_guard lock(mutex);
            pairs.insert(pairs.end(), mine.begin(), mine.end());
            progress.report(static_cast<double>(++done) / static_cast<double>(searched), "looking for twins");
        }
    });
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");

    for (std::uint32_t i = 0; i < n; ++i) {
        if (same[i] == i) continue;
        const int alike = alike_count(same[i], i); // absent all the time is not alike
        if (alike > enough) pairs.push_back({same[i], i, alike});
    }
    std::sort(pairs.begin(), pairs.end(), [](const Pair& x, const Pair& y) {
        return std::tuple(-x.alike, x.a, x.b) < std::tuple(-y.alike, y.a, y.b);
    });
    Groups groups(n);
    for (const Pair& pair : pairs) groups.join(pair.a, pair.b);
    std::map<std::uint32_t, TwinGroup> found;
    for (const Pair& pair : pairs) {
        TwinGroup& group = found[groups.root(pair.a)];
        if (!group.copies.empty()) continue;
        group.copies.push_back(pair.a); // marks the group as begun; the full list follows
        group.share = static_cast<double>(pair.alike) / static_cast<double>(m);
        for (std::size_t k = 0; k < m; ++k) {
            if (distance(shown[pair.a * m + k], shown[pair.b * m + k], rule.period) < rule.alike_below) {
                group.first_alike = static_cast<std::int64_t>(times[k]);
                break;
            }
        }
    }
    for (auto& [root, group] : found) group.copies.clear();
    for (std::uint32_t i = 0; i < n; ++i) {
        if (auto at = found.find(groups.root(i)); at != found.end()) at->second.copies.push_back(i);
    }
    for (auto& [root, group] : found) report.groups.push_back(std::move(group));
    std::stable_sort(report.groups.begin(), report.groups.end(),
                     [](const TwinGroup& x, const TwinGroup& y) { return x.share > y.share; });
    return report;
}

} // namespace garland
