#include "core/copies/parting.h"

#include "core/base/circle.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numeric>
#include <queue>

namespace garland {

namespace {

double step_of(const PartRule& r) {
    return r.whole_frames ? std::max(1.0, std::ceil(r.apart - 1e-9)) : r.apart;
}

// The rising sequence with the least sum of absolute differences from `a`.
std::vector<double> isotonic(const std::vector<double>& a) {
    std::priority_queue<double> heap;
    std::vector<double> y(a.size());
    for (std::size_t i = 0; i < a.size(); ++i) {
        heap.push(a[i]);
        if (heap.top() > a[i]) {
            heap.pop();
            heap.push(a[i]);
        }
        y[i] = heap.top();
    }
    for (std::size_t i = a.size() - 1; i-- > 0;) y[i] = std::min(y[i], y[i + 1]);
    return y;
}

double cost(const std::vector<double>& y, const std::vector<double>& a, double low, double high) {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i) sum += std::abs(std::clamp(y[i], low, high) - a[i]);
    return sum;
}

// Delays in order, at least `step` apart, inside low … high, the last no more than `span` after the first. The changes.
std::vector<double> part_line(const std::vector<double>& d, double step, double low, double high, double span,
                              bool whole) {
    const auto n = static_cast<double>(d.size());
    std::vector<double> a(d.size());
    for (std::size_t i = 0; i < d.size(); ++i) a[i] = d[i] - static_cast<double>(i) * step;
    std::vector<double> y = isotonic(a);
    double from = low, to = high - (n - 1) * step; // of y
    const double room = span - (n - 1) * step;
    if (std::clamp(y.back(), from, to) - std::clamp(y.front(), from, to) > room) { // too long: where to cut it off
        double left = std::max(from, y.front() - room), right = std::min(to - room, y.back());
        for (int k = 0; k < 200 && right - left > 1e-9; ++k) {
            const double p = left + (right - left) / 3, q = right - (right - left) / 3;
            (cost(y, a, p, p + room) <= cost(y, a, q, q + room) ? right : left) =
                cost(y, a, p, p + room) <= cost(y, a, q, q + room) ? q : p;
        }
        double best = (left + right) / 2;
        if (whole) {
            const double down = std::floor(best), up = std::ceil(best);
            best = cost(y, a, down, down + room) <= cost(y, a, up, up + room) ? down : up;
        }
        from = best, to = best + room;
    }
    for (std::size_t i = 0; i < d.size(); ++i) y[i] = std::clamp(y[i], from, to) + static_cast<double>(i) * step;
    return y;
}

tl::unexpected<Error> no_room(std::size_t wanted, std::int64_t room, const PartRule& r) {
    return fail(
        Error{ErrorCode::too_large,
              r.period > 0 && !(r.high - r.low < r.period)
                  ? fmt::format("this loop can hold {} copies so far apart, and there are {}", room, wanted)
                  : fmt::format("between the allowed delays there is room for {} copies so far apart, and there are {}",
                                room, wanted)}
            .keeping("all delays as they are")
            .advise("part near neighbours only, let the speed vary, or allow more"));
}

Parted changes(std::span<const double> before, std::vector<double> after) {
    Parted out;
    for (std::size_t i = 0; i < after.size(); ++i) {
        const double by = std::abs(after[i] - before[i]);
        out.moved += by > 1e-9;
        out.total += by;
        out.most = std::max(out.most, by);
    }
    out.delays = std::move(after);
    return out;
}

} // namespace

std::int64_t room_for(const PartRule& r) {
    const double step = step_of(r);
    double room = std::numeric_limits<double>::infinity();
    if (r.period > 0) room = std::floor(r.period / step + 1e-9);
    if (std::isfinite(r.low) && std::isfinite(r.high))
        room = std::min(room, std::floor((r.high - r.low) / step + 1e-9) + 1);
    return std::isfinite(room) ? static_cast<std::int64_t>(std::max(room, 0.0)) : -1;
}

namespace {

// The delay nearest to `wanted` that is at least `step` from all `taken`, round the loop if there is one; NaN: none.
double nearest_free(double wanted, std::vector<double>& taken, double step, const PartRule& r) {
    if (r.period > 0) { // others are met at every turn near by
        const std::size_t n = taken.size();
        for (std::size_t i = 0; i < n; ++i) {
            const double turn = std::round((wanted - taken[i]) / r.period) * r.period;
            taken[i] += turn;
            taken.push_back(taken[i] - r.period);
            taken.push_back(taken[i] + r.period);
        }
    }
    auto free = [&](double x) {
        if (x < r.low - 1e-9 || x > r.high + 1e-9) return false;
        return std::all_of(taken.begin(), taken.end(),
                           [&](double t) { return apart_on_circle(x, t, r.period) >= step - 1e-9; });
    };
    double best = std::numeric_limits<double>::quiet_NaN();
    auto offer = [&](double x) {
        if (free(x) && !(std::abs(x - wanted) >= std::abs(best - wanted))) best = x;
    };
    offer(std::clamp(wanted, r.low, r.high));
    for (double t : taken) {
        double before = t - step, after = t + step;
        if (r.whole_frames) before = std::floor(before + 1e-9), after = std::ceil(after - 1e-9);
        offer(before);
        offer(after);
    }
    return best;
}

// Every delay once more to the nearest place that the others leave free, until none comes closer to where it was.
void come_closer(std::span<const double> wanted, std::vector<double>& delays, double step, const PartRule& r) {
    if (delays.size() > 2000) return; // as many tries as pairs
    std::vector<double> taken;
    for (int pass = 0; pass < 8; ++pass) {
        bool changed = false;
        for (std::size_t i = 0; i < delays.size(); ++i) {
            if (std::abs(delays[i] - wanted[i]) <= 1e-9) continue;
            taken.clear();
            for (std::size_t j = 0; j < delays.size(); ++j) {
                if (j != i) taken.push_back(delays[j]);
            }
            const double to = nearest_free(r.whole_frames ? std::round(wanted[i]) : wanted[i], taken, step, r);
            if (std::isnan(to) || std::abs(to - wanted[i]) >= std::abs(delays[i] - wanted[i]) - 1e-9) continue;
            delays[i] = to;
            changed = true;
        }
        if (!changed) return;
    }
}

} // namespace

namespace {

// All copies as they stand one after another, on a line or round a loop.
struct Row {
    std::span<const double> delays;
    const PartRule& rule;
    double step;                    // between neighbours
    bool round;                     // on a loop, with no limits to meet first
    std::vector<double> at;         // where each copy stands: on the loop, or as it is
    std::vector<std::size_t> order; // rising
    std::vector<double> best{};     // delays that change least, so far
    double least = std::numeric_limits<double>::infinity();

    Row(std::span<const double> d, const PartRule& r)
        : delays(d), rule(r), step(step_of(r)), round(r.period > 0 && !(r.high - r.low < r.period)), at(d.size()),
          order(d.size()) {
        for (std::size_t i = 0; i < d.size(); ++i) {
            const double own = rounded(i);
            at[i] = round ? own - std::floor(own / r.period) * r.period : own;
        }
        std::iota(order.begin(), order.end(), std::size_t(0));
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return at[a] < at[b]; });
    }
    double rounded(std::size_t copy) const { return rule.whole_frames ? std::round(delays[copy]) : delays[copy]; }
    double span() const { return rule.period > 0 ? rule.period - step : std::numeric_limits<double>::infinity(); }

    // Where a loop may be cut open: everywhere, or before the widest gaps of many.
    std::vector<std::size_t> cuts() const {
        if (!round) return {0};
        const std::size_t n = order.size();
        std::vector<std::size_t> out(n);
        std::iota(out.begin(), out.end(), std::size_t(0));
        if (n <= 64) return out;
        auto gap = [&](std::size_t k) {
            return k == 0 ? at[order[0]] + rule.period - at[order[n - 1]] : at[order[k]] - at[order[k - 1]];
        };
        std::partial_sort(out.begin(), out.begin() + 3, out.end(),
                          [&](std::size_t a, std::size_t b) { return gap(a) > gap(b); });
        out.resize(3);
        return out;
    }
    void offer(double sum, std::vector<double> after) {
        if (sum < least) least = sum, best = std::move(after);
    }
    void try_cut(std::size_t cut) {
        constexpr double none = std::numeric_limits<double>::infinity();
        const std::size_t n = order.size();
        std::vector<double> line(n), after(n);
        for (std::size_t i = 0; i < n; ++i) {
            const std::size_t k = (cut + i) % n;
            line[i] = at[order[k]] + (cut + i >= n ? rule.period : 0);
        }
        const std::vector<double> y =
            part_line(line, step, round ? -none : rule.low, round ? none : rule.high, span(), rule.whole_frames);
        double sum = 0;
        for (std::size_t i = 0; i < n; ++i) {
            const std::size_t copy = order[(cut + i) % n];
            after[copy] = rounded(copy) + (y[i] - line[i]);
            if (round) { // a whole loop earlier or later is the same; inside the limits is better
                while (after[copy] > rule.high && after[copy] - rule.period >= rule.low) after[copy] -= rule.period;
                while (after[copy] < rule.low && after[copy] + rule.period <= rule.high) after[copy] += rule.period;
            }
            sum += std::abs(after[copy] - delays[copy]);
        }
        offer(sum, std::move(after));
    }
    // Without going round at all, inside the limits: where these are near, a whole loop back into them costs more.
    void try_as_a_line() {
        const std::size_t n = delays.size();
        std::vector<std::size_t> by_delay(n);
        std::iota(by_delay.begin(), by_delay.end(), std::size_t(0));
        std::stable_sort(by_delay.begin(), by_delay.end(),
                         [&](std::size_t a, std::size_t b) { return delays[a] < delays[b]; });
        std::vector<double> line(n), after(n);
        for (std::size_t i = 0; i < n; ++i) line[i] = rounded(by_delay[i]);
        const std::vector<double> y = part_line(line, step, rule.low, rule.high, span(), rule.whole_frames);
        double sum = 0;
        for (std::size_t i = 0; i < n; ++i) after[by_delay[i]] = y[i], sum += std::abs(y[i] - delays[by_delay[i]]);
        offer(sum, std::move(after));
    }
};

} // namespace

Result<Parted> part_all(std::span<const double> delays, const PartRule& r) {
    const std::size_t n = delays.size();
    if (!(r.apart > 0) || !(r.high >= r.low))
        return fail(
            Error{ErrorCode::invalid, "copies can only be parted by more than nothing, between rising limits"}.advise(
                "use delays from 0 on, with the first below the last"));
    if (n < 2) return changes(delays, {delays.begin(), delays.end()});
    if (const std::int64_t room = room_for(r); room >= 0 && room < static_cast<std::int64_t>(n))
        return no_room(n, room, r);
    Row row(delays, r);
    for (std::size_t cut : row.cuts()) row.try_cut(cut);
    if (row.round) {
        row.try_as_a_line();
        come_closer(delays, row.best, row.step, r);
    }
    return changes(delays, std::move(row.best));
}

Result<Parted> part_near(std::span<const double> delays, std::span<const std::uint32_t> near, std::size_t k,
                         const PartRule& r) {
    const std::size_t n = delays.size();
    if (!(r.apart > 0) || !(r.high >= r.low))
        return fail(
            Error{ErrorCode::invalid, "copies can only be parted by more than nothing, between rising limits"}.advise(
                "use delays from 0 on, with the first below the last"));
    const double step = step_of(r);
    std::vector<std::vector<std::uint32_t>> around(n); // both ways
    for (std::uint32_t i = 0; i < n; ++i) {
        for (std::size_t j = 0; j < k; ++j) {
            const std::uint32_t other = near[i * k + j];
            if (other == i) continue;
            around[i].push_back(other);
            around[other].push_back(i);
        }
    }
    for (auto& list : around) {
        std::sort(list.begin(), list.end());
        list.erase(std::unique(list.begin(), list.end()), list.end());
    }
    std::vector<double> after(delays.begin(), delays.end());
    if (r.whole_frames) {
        for (double& d : after) d = std::round(d);
    }
    const std::vector<double> wanted = after;
    std::vector<double> taken;
    for (int pass = 0; pass < 4; ++pass) {
        bool changed = false;
        for (std::uint32_t i = 0; i < n; ++i) {
            if (pass > 0 && after[i] == wanted[i]) continue;
            taken.clear();
            for (std::uint32_t j : around[i]) {
                if (pass > 0 || j < i) taken.push_back(after[j]);
            }
            const double to = nearest_free(wanted[i], taken, step, r);
            if (std::isnan(to)) {
                return fail(Error{ErrorCode::too_large,
                                  fmt::format("copy {} has {} near neighbours, and not all of them fit so far apart",
                                              i + 1, around[i].size())}
                                .keeping("all delays as they are")
                                .advise("ask for fewer neighbours, let the speed vary, or allow more"));
            }
            changed = changed || to != after[i];
            after[i] = to;
        }
        if (!changed) break;
    }
    return changes(delays, std::move(after));
}

} // namespace garland
