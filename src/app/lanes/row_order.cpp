#include "app/lanes/row_order.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace garland {

namespace {

constexpr std::size_t samples = 16;

// Where each copy lies along the direction in which what they show differs most.
void by_likeness(const Show& show, std::vector<double>& value) {
    const FrameRange range = show.settings.range;
    std::vector<double> frames(samples);
    for (std::size_t k = 0; k < samples; ++k) {
        frames[k] = static_cast<double>(range.first) +
                    (static_cast<double>(k) + 0.5) / samples * static_cast<double>(range.count() - 1);
    }
    std::vector<double> shown(value.size() * samples);
    for (const ArrangementShow& a : show.arrangements) {
        parallel_for(a.clocks.size(), 512, [&](std::size_t from, std::size_t to) {
            std::vector<CopyMoment> row(samples);
            for (std::size_t i = from; i < to; ++i) {
                row_of(a, i, frames, row);
                double* out = &shown[static_cast<std::size_t>(a.number(i)) * samples];
                for (std::size_t k = 0; k < samples; ++k)
                    out[k] = row[k].has(mark_absent) ? a.clock.first.value - 1 : row[k].source;
            }
        });
    }
    double mean[samples] = {};
    for (std::size_t i = 0; i < shown.size(); ++i)
        mean[i % samples] += shown[i] / static_cast<double>(std::max<std::size_t>(value.size(), 1));
    double spread[samples][samples] = {};
    for (std::size_t i = 0; i < value.size(); ++i) {
        for (std::size_t k = 0; k < samples; ++k) {
            for (std::size_t l = 0; l <= k; ++l)
                spread[k][l] += (shown[i * samples + k] - mean[k]) * (shown[i * samples + l] - mean[l]);
        }
    }
    double axis[samples];
    for (std::size_t k = 0; k < samples; ++k) axis[k] = 1 + 0.1 * static_cast<double>(k);
    for (int step = 0; step < 60; ++step) { // power iteration
        double next[samples] = {}, length = 0;
        for (std::size_t k = 0; k < samples; ++k) {
            for (std::size_t l = 0; l < samples; ++l) next[k] += (l <= k ? spread[k][l] : spread[l][k]) * axis[l];
            length += next[k] * next[k];
        }
        if (length <= 0) break;
        for (std::size_t k = 0; k < samples; ++k) axis[k] = next[k] / std::sqrt(length);
    }
    for (std::size_t i = 0; i < value.size(); ++i) {
        value[i] = 0;
        for (std::size_t k = 0; k < samples; ++k) value[i] += (shown[i * samples + k] - mean[k]) * axis[k];
    }
}

} // namespace

std::vector<std::int64_t> row_order(const Show& show, LaneSort sort, OutputFrame at) {
    std::vector<std::int64_t> order(static_cast<std::size_t>(show.copies()));
    std::iota(order.begin(), order.end(), 0);
    if (sort == LaneSort::order) return order;
    std::vector<double> value(order.size());
    if (sort == LaneSort::likeness) {
        by_likeness(show, value);
    } else {
        for (const ArrangementShow& a : show.arrangements) {
            const std::vector<CopyMoment> moments =
                sort == LaneSort::now ? moments_at(a, at) : std::vector<CopyMoment>{};
            for (std::size_t i = 0; i < a.clocks.size(); ++i) {
                double& v = value[static_cast<std::size_t>(a.number(i))];
                switch (sort) {
                case LaneSort::x: v = a.places[i].position.x; break;
                case LaneSort::height: v = a.places[i].position.y; break;
                case LaneSort::z: v = a.places[i].position.z; break;
                case LaneSort::delay: v = a.clocks[i].delay; break;
                case LaneSort::speed: v = a.clocks[i].rate; break;
                case LaneSort::size: v = a.places[i].size; break;
                case LaneSort::turn: v = a.places[i].turn; break;
                case LaneSort::now: v = moments[i].has(mark_absent) ? -1e300 : moments[i].source; break;
                default: break;
                }
            }
        }
    }
    std::stable_sort(order.begin(), order.end(), [&](std::int64_t x, std::int64_t y) {
        return value[static_cast<std::size_t>(x)] < value[static_cast<std::size_t>(y)];
    });
    return order;
}

} // namespace garland
