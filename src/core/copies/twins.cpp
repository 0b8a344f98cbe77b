#include "core/copies/twins.h"

#include "core/base/circle.h"
#include "core/base/parallel.h"
#include "core/copies/pair_grid.h"

#include <algorithm>
#include <atomic>
#include <bit>
#include <cmath>
#include <limits>
#include <map>
#include <mutex>
#include <numeric>
#include <xxhash.h>

namespace garland {

namespace {

constexpr std::uint64_t crowded_pairs = 2'000'000;                // alike at one sample
constexpr double gone = std::numeric_limits<double>::quiet_NaN(); // an absent copy is alike to nobody

std::vector<double> sampled(FrameRange range, std::size_t m) {
    std::vector<double> times(m);
    for (std::size_t k = 0; k < m; ++k) {
        const double share = m > 1 ? static_cast<double>(k) / static_cast<double>(m - 1) : 0;
        times[k] = std::round(static_cast<double>(range.first) + share * static_cast<double>(range.count() - 1));
    }
    return times;
}

// One row a copy of the source frames it shows at `times`; those that do not count are not a number. Times at which
// nobody moves are taken out where only moving counts.
std::vector<double> signatures(const TimingPlan& plan, const SourceClock& source, const CopyClocks& copies,
                               const TwinRule& rule, std::vector<double>& times) {
    const std::size_t m = times.size(), n = copies.size();
    std::vector<double> shown(n * m);
    std::vector<std::uint8_t> moves(m, rule.only_moving ? 0 : 1);
    std::mutex mutex;
    const std::vector<CopyClocks::Now> nows = nows_of(copies, times);
    parallel_for(n, 256, [&](std::size_t from, std::size_t to) {
        std::vector<CopyMoment> row(m);
        std::vector<std::uint8_t> some(m, 0);
        for (std::size_t i = from; i < to; ++i) {
            row_moments(plan, source, copies, i, times, nows, row);
            for (std::size_t k = 0; k < m; ++k) {
                const bool counts = !row[k].has(mark_absent) && (!rule.only_moving || row[k].speed != 0);
                shown[i * m + k] = counts ? row[k].source : gone;
                some[k] |= counts;
            }
        }
        std::lock_guard lock(mutex);
        for (std::size_t k = 0; k < m; ++k) moves[k] |= some[k];
    });
    const auto kept = static_cast<std::size_t>(std::count(moves.begin(), moves.end(), std::uint8_t(1)));
    if (kept == m) return shown;
    std::vector<double> fewer(n * kept), fewer_times;
    for (std::size_t k = 0; k < m; ++k) {
        if (!moves[k]) continue;
        for (std::size_t i = 0; i < n; ++i) fewer[i * kept + fewer_times.size()] = shown[i * m + k];
        fewer_times.push_back(times[k]);
    }
    times = std::move(fewer_times);
    return fewer;
}

// Alike below so many source frames, less what rounding may add: copies exactly that far apart are not alike.
double below(const TwinRule& rule) {
    return rule.alike_below - std::min(1e-9, rule.alike_below * 1e-6);
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

struct AlikePair {
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

Result<std::vector<std::uint8_t>> have_twins(const TimingPlan& plan, const SourceClock& source,
                                             const CopyClocks& copies, FrameRange range, const TwinRule& rule,
                                             Progress& progress) {
    const std::size_t n = copies.size();
    std::vector<std::uint8_t> twin(n);
    if (n < 2) return twin;
    auto m = static_cast<std::size_t>(std::clamp<std::int64_t>(range.count(), 1, std::max(rule.most_samples, 1)));
    if (rule.share < 0.5 || m < 2) {
        GARLAND_TRY(report, find_twins(plan, source, copies, range, rule, progress));
        for (const TwinGroup& group : report.groups) {
            for (std::uint32_t i : group.copies) twin[i] = 1;
        }
        return twin;
    }
    std::vector<double> times = sampled(range, m);
    std::vector<double> shown = signatures(plan, source, copies, rule, times);
    if (times.empty()) return twin;
    m = times.size();
    const double enough = rule.share * static_cast<double>(m);
    auto alike = [&](std::uint32_t a, std::uint32_t b) {
        std::size_t count = 0;
        for (std::size_t k = 0; k < m; ++k) {
            count += apart_on_circle(shown[a * m + k], shown[b * m + k], rule.period) < below(rule);
            if (static_cast<double>(count + (m - 1 - k)) <= enough) return false; // it cannot come to enough any more
        }
        return static_cast<double>(count) > enough;
    };
    std::vector<std::uint32_t> all(n);
    std::iota(all.begin(), all.end(), 0u);
    std::vector<std::uint32_t> alone = all; // those without a twin so far
    auto mark = [&](std::uint32_t i) { std::atomic_ref(twin[i]).store(1, std::memory_order_relaxed); };
    auto marked = [&](std::uint32_t i) { return std::atomic_ref(twin[i]).load(std::memory_order_relaxed) != 0; };
    const std::size_t half = m / 2, pairs = half + m % 2; // an odd sample is a pair with itself
    for (std::size_t p = 0; p < pairs && !alone.empty(); ++p) {
        const std::size_t first = p < half ? p : m - 1, second = p < half ? p + half : m - 1;
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(p) / static_cast<double>(pairs), "looking for twins");
        // Those that are alone look among all; once they are few, all look among them, whose grid is made at once.
        const bool few = alone.size() < n / 8;
        const std::vector<std::uint32_t>& looking = few ? all : alone;
        const PairGrid grid(shown, m, first, second, rule, few ? alone : all);
        parallel_for(looking.size(), 1024, [&](std::size_t from, std::size_t to) {
            for (std::size_t k = from; k < to; ++k) {
                const std::uint32_t i = looking[k];
                const double a = shown[i * m + first], b = shown[i * m + second];
                if (std::isnan(a) || std::isnan(b) || (!few && marked(i))) continue;
                grid.any_near(a, b, [&](std::uint32_t j) {
                    if (j == i || (few && marked(j)) || !alike(i, j)) return false;
                    mark(i);
                    mark(j);
                    return !few;
                });
            }
        });
        std::erase_if(alone, [&](std::uint32_t i) { return twin[i] != 0; });
    }
    return twin;
}

Result<std::int64_t> near_twins(const TimingPlan& plan, const SourceClock& source, const CopyClocks& copies,
                                FrameRange range, const TwinRule& rule, std::span<const std::uint32_t> near,
                                std::size_t k, Progress& progress) {
    std::vector<double> times = sampled(
        range, static_cast<std::size_t>(std::clamp<std::int64_t>(range.count(), 1, std::max(rule.most_samples, 1))));
    const std::vector<double> shown = signatures(plan, source, copies, rule, times);
    const std::size_t m = times.size();
    std::vector<std::uint8_t> twin(copies.size());
    if (m == 0) return 0;
    for (std::uint32_t i = 0; i < copies.size(); ++i) {
        if (i % 1024 == 0 && progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        for (std::size_t j = 0; j < k; ++j) {
            const std::uint32_t other = near[i * k + j];
            if (other == i) continue;
            std::size_t alike = 0;
            for (std::size_t f = 0; f < m; ++f)
                alike += apart_on_circle(shown[i * m + f], shown[other * m + f], rule.period) < below(rule);
            if (static_cast<double>(alike) > rule.share * static_cast<double>(m)) twin[i] = twin[other] = 1;
        }
    }
    return std::count(twin.begin(), twin.end(), std::uint8_t(1));
}

namespace {

// Pairs of copies that are alike for more than `enough` of m samples.
struct Search {
    const std::vector<double>& shown; // m values a copy
    std::size_t m, n;
    const TwinRule& rule;
    double enough;
    const std::vector<std::uint32_t>& distinct; // the copies looked at

    bool alike_at(std::uint32_t a, std::uint32_t b, std::size_t k) const {
        return apart_on_circle(shown[a * m + k], shown[b * m + k], rule.period) < below(rule);
    }
    int alike_count(std::uint32_t a, std::uint32_t b) const {
        int count = 0;
        for (std::size_t k = 0; k < m; ++k) count += alike_at(a, b, k);
        return count;
    }
    // The count, or 0 as soon as it cannot come to enough any more.
    int alike_enough(std::uint32_t a, std::uint32_t b) const {
        int count = 0;
        for (std::size_t k = 0; k < m; ++k) {
            count += alike_at(a, b, k);
            if (static_cast<double>(count) + static_cast<double>(m - 1 - k) <= enough) return 0;
        }
        return count;
    }
    // The copies by what they show at a sample; on a loop its start is laid once more behind its end.
    using Order = std::vector<std::pair<double, std::uint32_t>>;
    Order order_at(std::size_t k) const;
    std::uint64_t pairs_alike_at(std::size_t k) const; // how many
    std::vector<AlikePair> by_two_samples(Progress& progress) const;
    std::vector<AlikePair> by_samples(Progress& progress) const;
};

// For shares of a half and above: two copies alike at more than half of the samples are alike at both of some two that
// are half the range apart, however the samples are put into twos; so only neighbours in a grid over those two are
// counted.
std::vector<AlikePair> Search::by_two_samples(Progress& progress) const {
    const std::size_t half = m / 2, twos = half + m % 2; // an odd sample is two by itself
    auto first_of = [&](std::size_t p) { return p < half ? p : m - 1; };
    auto second_of = [&](std::size_t p) { return p < half ? p + half : m - 1; };
    std::vector<AlikePair> pairs;
    std::mutex mutex;
    std::size_t done = 0;
    parallel_for(twos, 1, [&](std::size_t from, std::size_t to) {
        for (std::size_t p = from; p < to && !progress.cancelled(); ++p) {
            const PairGrid grid(shown, m, first_of(p), second_of(p), rule, distinct);
            std::vector<AlikePair> mine;
            Groups joined(n);
            std::uint64_t looked = 0;
            for (std::size_t x = 0; x < distinct.size(); ++x) {
                if (x % 1024 == 0 && progress.cancelled()) break;
                const std::uint32_t a = distinct[x];
                const double here = shown[a * m + first_of(p)], there = shown[a * m + second_of(p)];
                if (std::isnan(here) || std::isnan(there)) continue;
                grid.any_near(here, there, [&](std::uint32_t b) {
                    if (b <= a || !alike_at(a, b, first_of(p)) || !alike_at(a, b, second_of(p))) return false;
                    // Copies in lockstep make pairs quadratic: where there are very many, those already joined are not
                    // paired again.
                    if (++looked > crowded_pairs && joined.root(a) == joined.root(b)) return false;
                    for (std::size_t q = 0; q < p; ++q) { // found by two samples before these
                        if (alike_at(a, b, first_of(q)) && alike_at(a, b, second_of(q))) return false;
                    }
                    if (const int alike = alike_enough(a, b); alike > 0) {
                        mine.push_back({a, b, alike});
                        joined.join(a, b);
                    }
                    return false;
                });
            }
            std::lock_guard lock(mutex);
            pairs.insert(pairs.end(), mine.begin(), mine.end());
            progress.report(static_cast<double>(++done) / static_cast<double>(twos), "looking for twins");
        }
    });
    return pairs;
}

Search::Order Search::order_at(std::size_t k) const {
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
}

std::uint64_t Search::pairs_alike_at(std::size_t k) const {
    const Order order = order_at(k);
    std::uint64_t alike = 0;
    for (std::size_t x = 0, y = 0; x < order.size(); ++x) {
        while (y < order.size() && order[y].first - order[x].first < rule.alike_below) ++y;
        alike += y - x - 1;
    }
    return alike;
}

// For any share: a pair that is alike for more than `enough` samples is alike in at least one of any m − enough of
// them.
std::vector<AlikePair> Search::by_samples(Progress& progress) const {
    // Any m − floor(share·m) samples will do: those with the fewest alike pairs make the least work.
    std::vector<std::pair<std::uint64_t, std::size_t>> crowd(m);
    parallel_for(m, 1, [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; k < to; ++k) crowd[k] = {pairs_alike_at(k), k};
    });
    std::sort(crowd.begin(), crowd.end());
    const std::size_t searched = m - static_cast<std::size_t>(std::floor(enough));

    // Pairs at the sample `at` of those searched that are alike for more than `enough`.
    auto pairs_at = [&](std::size_t at) {
        const Order order = order_at(crowd[at].second);
        std::vector<AlikePair> mine;
        // Copies in lockstep make pairs quadratic: where there are very many, those already joined are not paired
        // again.
        const bool crowded = crowd[at].first > crowded_pairs;
        Groups joined(crowded ? n : 0);
        auto seen = [&](std::uint32_t a, std::uint32_t b) { // at a sample searched before: counted there
            for (std::size_t e = 0; e < at; ++e) {
                const std::size_t k = crowd[e].second;
                if (apart_on_circle(shown[a * m + k], shown[b * m + k], rule.period) < below(rule)) return true;
            }
            return false;
        };
        for (std::size_t x = 0; x < order.size(); ++x) {
            if (x % 1024 == 0 && progress.cancelled()) break;
            for (std::size_t y = x + 1; y < order.size() && order[y].first - order[x].first < rule.alike_below; ++y) {
                const auto a = std::min(order[x].second, order[y].second);
                const auto b = std::max(order[x].second, order[y].second);
                if (a == b || (crowded && joined.root(a) == joined.root(b)) || seen(a, b)) continue;
                const int alike = alike_count(a, b);
                if (alike <= enough) continue;
                mine.push_back({a, b, alike});
                if (crowded) joined.join(a, b);
            }
        }
        return mine;
    };
    std::vector<AlikePair> pairs;
    std::mutex mutex;
    std::size_t done = 0;
    parallel_for(searched, 1, [&](std::size_t from, std::size_t to) {
        for (std::size_t at = from; at < to && !progress.cancelled(); ++at) {
            const std::vector<AlikePair> mine = pairs_at(at);
            std::lock_guard lock(mutex);
            pairs.insert(pairs.end(), mine.begin(), mine.end());
            progress.report(static_cast<double>(++done) / static_cast<double>(searched), "looking for twins");
        }
    });
    return pairs;
}

// For each row of m values the first row that has the same ones, absence (NaN) counted as a value.
std::vector<std::uint32_t> first_alike_rows(const std::vector<double>& rows, std::size_t m) {
    const std::size_t n = rows.size() / m;
    auto same = [](double a, double b) { return a == b || (std::isnan(a) && std::isnan(b)); };
    std::vector<std::uint64_t> hashes(n);
    parallel_for(n, 4096, [&](std::size_t from, std::size_t to) {
        std::vector<double> row(m);
        for (std::size_t i = from; i < to; ++i) {
            for (std::size_t k = 0; k < m; ++k) {
                const double v = rows[i * m + k];
                row[k] = std::isnan(v) ? gone : v + 0.0; // −0 is 0, and all absences are one
            }
            hashes[i] = XXH64(row.data(), m * sizeof row[0], 0);
        }
    });
    constexpr std::uint32_t none = UINT32_MAX;
    std::vector<std::uint32_t> table(std::bit_ceil(2 * n + 1), none), first(n);
    for (std::uint32_t i = 0; i < n; ++i) {
        std::size_t at = hashes[i] & (table.size() - 1);
        auto alike = [&](std::uint32_t other) {
            return hashes[other] == hashes[i] && std::equal(&rows[i * m], &rows[i * m] + m, &rows[other * m], same);
        };
        while (table[at] != none && !alike(table[at])) at = (at + 1) & (table.size() - 1);
        if (table[at] == none) table[at] = i;
        first[i] = table[at];
    }
    return first;
}

} // namespace

Result<TwinReport> find_twins(const TimingPlan& plan, const SourceClock& source, const CopyClocks& copies,
                              FrameRange range, const TwinRule& rule, Progress& progress) {
    TwinReport report;
    report.copies = static_cast<std::int64_t>(copies.size());
    const auto n = copies.size();
    std::vector<double> times = sampled(
        range, static_cast<std::size_t>(std::clamp<std::int64_t>(range.count(), 1, std::max(rule.most_samples, 1))));
    report.samples = static_cast<std::int64_t>(times.size());
    if (n < 2) return report;

    const std::vector<double> shown = signatures(plan, source, copies, rule, times);
    const std::size_t m = times.size();
    if (m == 0) return report;
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");

    const double enough = rule.share * static_cast<double>(m);

    // Copies that agree throughout are one for the search: all of them are twins at once.
    const std::vector<std::uint32_t> same = first_alike_rows(shown, m);
    std::vector<std::uint32_t> distinct;
    for (std::uint32_t i = 0; i < n; ++i) {
        if (same[i] == i) distinct.push_back(i);
    }

    const Search search{shown, m, n, rule, enough, distinct};
    std::vector<AlikePair> pairs =
        rule.share >= 0.5 && m >= 2 ? search.by_two_samples(progress) : search.by_samples(progress);
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");

    for (std::uint32_t i = 0; i < n; ++i) {
        if (same[i] == i) continue;
        const int alike = search.alike_count(same[i], i); // absent all the time is not alike
        if (alike > enough) pairs.push_back({same[i], i, alike});
    }
    std::sort(pairs.begin(), pairs.end(), [](const AlikePair& x, const AlikePair& y) {
        return std::tuple(-x.alike, x.a, x.b) < std::tuple(-y.alike, y.a, y.b);
    });
    Groups groups(n);
    for (const AlikePair& pair : pairs) groups.join(pair.a, pair.b);
    std::map<std::uint32_t, TwinGroup> found;
    for (const AlikePair& pair : pairs) {
        TwinGroup& group = found[groups.root(pair.a)];
        if (!group.copies.empty()) continue;
        group.copies.push_back(pair.a); // marks the group as begun; the full list follows
        group.share = static_cast<double>(pair.alike) / static_cast<double>(m);
        for (std::size_t k = 0; k < m; ++k) {
            if (apart_on_circle(shown[pair.a * m + k], shown[pair.b * m + k], rule.period) < below(rule)) {
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
