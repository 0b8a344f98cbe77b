#include "core/loop/pose_distance.h"

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/geometry/volume.h"
#include "core/loop/rigid_fit.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

// How often the cells of a box are hit, as a share of all.
std::vector<float> cells_of(const std::vector<V3f>& places, const std::vector<float>* weights, const Imath::Box3f& box,
                            std::size_t side) {
    std::vector<float> out(side * side * side, 0.0f);
    const V3f size = box.size();
    double sum = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
        std::size_t cell = 0;
        for (int k = 2; k >= 0; --k) {
            const float share = size[k] > 0 ? (places[i][k] - box.min[k]) / size[k] : 0.0f;
            cell = cell * side +
                   std::min(side - 1, static_cast<std::size_t>(std::max(share, 0.0f) * static_cast<float>(side)));
        }
        const float w = weights ? (*weights)[i] : 1.0f;
        out[cell] += w;
        sum += w;
    }
    if (!weights && sum > 0) {
        for (float& v : out) v /= static_cast<float>(sum);
    }
    return out;
}

} // namespace

double FrameMatrix::usual_step(std::int64_t from, std::int64_t to) const {
    std::vector<float> steps;
    for (std::int64_t f = from; f < to; ++f) {
        if (has(f) && has(f + 1)) steps.push_back(between(f, f + 1));
    }
    if (steps.empty()) return 0;
    std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
    return steps[steps.size() / 2];
}

Result<Signatures> signatures_of(const Sampler& sampler, std::int64_t first, std::int64_t last, std::size_t most_points,
                                 Progress& progress) {
    Signatures out;
    out.first = first;
    const SourceFacts& facts = sampler.source()->facts();
    const bool volume = facts.kind == SourceKind::volume;
    const auto count = static_cast<std::size_t>(last - first + 1);
    auto read = [&](std::size_t i) -> Result<PosePtr> {
        progress.report(static_cast<double>(i) / static_cast<double>(count),
                        fmt::format("looking at frame {}", first + static_cast<std::int64_t>(i)));
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        GARLAND_TRY(sampled, sampler.at(sampler.clock().first + static_cast<double>(first - sampler.clock().file_first +
                                                                                    static_cast<std::int64_t>(i)) /
                                                                    sampler.clock().files_per_frame,
                                        progress));
        return sampled.pose;
    };
    GARLAND_TRY(begin, read(0));
    bool points = !volume && begin->ids.empty() && !begin->points.empty() && !facts.varies.faces_change_at;
    const std::size_t n = begin->points.size();
    const auto fitting = static_cast<std::size_t>(signature_bytes / (12 * static_cast<double>(count)));
    const std::size_t kept = std::max<std::size_t>(1, most_points > 0 ? std::min(most_points, fitting) : fitting);
    const std::size_t step = std::max<std::size_t>(1, (n + kept - 1) / kept);
    out.rows.reserve(count);
    for (std::size_t i = 0; points && i < count; ++i) {
        GARLAND_TRY(pose, read(i));
        if (pose->points.size() != n) {
            points = false; // they change after all
            break;
        }
        std::vector<float>& row = out.rows.emplace_back();
        row.reserve((n / step + 1) * 3);
        for (std::size_t p = 0; p < n; p += step) row.insert(row.end(), &pose->points[p].x, &pose->points[p].x + 3);
    }
    if (points) {
        out.points = true;
        out.every = step;
        out.unit = "m";
        return out;
    }
    // What stands in for points: cells of the box that holds all frames.
    out.rows.clear();
    out.width = 1;
    Imath::Box3f box;
    for (std::size_t i = 0; i < count; ++i) {
        GARLAND_TRY(pose, read(i));
        box.extendBy(bounds(*pose));
    }
    if (box.isEmpty())
        return fail(Error{ErrorCode::unsupported, "there is nothing in any of these frames"}.advise(
            "choose frames in which something is there"));
    float most = 0;
    for (std::size_t i = 0; i < count; ++i) {
        GARLAND_TRY(pose, read(i));
        if (pose->volume) {
            const VolumeDots dots = dots_of(*pose->volume, 200'000, false);
            out.rows.push_back(cells_of(dots.places, &dots.strength, box, 24));
        } else {
            out.rows.push_back(cells_of(pose->points, nullptr, box, 16));
        }
        for (float v : out.rows.back()) most = std::max(most, v);
    }
    for (auto& row : out.rows) {
        for (float& v : row) v /= std::max(most, 1e-30f);
    }
    return out;
}

Result<FrameMatrix> distances(const Signatures& s, bool rigid, Progress& progress) {
    FrameMatrix out;
    out.first = s.first;
    out.frames = s.rows.size();
    out.unit = s.unit;
    out.values.assign(out.frames * out.frames, 0.0f);
    const bool fit = rigid && s.points;
    constexpr std::size_t tile = 8; // rows that are compared while they are near
    const std::size_t tiles = (out.frames + tile - 1) / tile;
    std::atomic<std::size_t> done{0};
    parallel_for(tiles, 1, [&](std::size_t from, std::size_t until) {
        for (std::size_t a = from; a < until; ++a) {
            for (std::size_t b = a; b < tiles; ++b) {
                if (progress.cancelled()) return;
                const std::size_t a0 = a * tile, b0 = b * tile, na = std::min(tile, out.frames - a0),
                                  nb = std::min(tile, out.frames - b0);
                double sums[tile * tile] = {};
                if (!fit) {
                    const float *rows[tile], *columns[tile];
                    for (std::size_t i = 0; i < na; ++i) rows[i] = s.rows[a0 + i].data();
                    for (std::size_t j = 0; j < nb; ++j) columns[j] = s.rows[b0 + j].data();
                    squared_differences(rows, na, columns, nb, s.rows[a0].size(), sums);
                }
                for (std::size_t i = 0; i < na; ++i) {
                    for (std::size_t j = 0; j < nb; ++j) {
                        if (a0 + i >= b0 + j) continue;
                        const std::vector<float>&x = s.rows[a0 + i], &y = s.rows[b0 + j];
                        double d = 0;
                        if (fit) {
                            const auto *p = reinterpret_cast<const V3f*>(x.data()),
                                       *q = reinterpret_cast<const V3f*>(y.data());
                            d = rigid_fit({p, x.size() / 3}, {q, y.size() / 3}).rms;
                        } else {
                            d = std::sqrt(sums[i * nb + j] /
                                          static_cast<double>(std::max<std::size_t>(x.size() / s.width, 1)));
                        }
                        out.values[(a0 + i) * out.frames + b0 + j] = out.values[(b0 + j) * out.frames + a0 + i] =
                            static_cast<float>(d);
                    }
                }
            }
            progress.report(static_cast<double>(++done) / static_cast<double>(tiles), "comparing poses");
        }
    });
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    return out;
}

} // namespace garland
