#include "render/smoke_light.h"

#include "core/base/parallel.h"
#include "core/base/portable_math.h"

#include <algorithm>
#include <atomic>
#include <cmath>

namespace garland {

namespace {

constexpr double most_points = 8e6; // of light in all clouds together

// Blocks of `every` cells along each axis that hold anything, with one more around them.
class Occupied {
  public:
    Occupied(const VolumeCells& cells, int every) : nx_((cells.nx - 1) / every + 1), ny_((cells.ny - 1) / every + 1) {
        const int nz = (cells.nz - 1) / every + 1;
        nz_ = nz;
        blocks_.assign(static_cast<std::size_t>(nx_) * static_cast<std::size_t>(ny_) * static_cast<std::size_t>(nz), 0);
        std::size_t at = 0;
        for (int k = 0; k < cells.nz; ++k) {
            for (int j = 0; j < cells.ny; ++j) {
                for (int i = 0; i < cells.nx; ++i) {
                    if (cells.values[at++] > 0) blocks_[number(i / every, j / every, k / every)] = 1;
                }
            }
        }
    }
    // Whether light is asked for at a corner of blocks: a cell counts as far as to the next one.
    bool around(int x, int y, int z) const {
        for (int k = std::max(z - 1, 0); k <= std::min(z + 1, nz_ - 1); ++k) {
            for (int j = std::max(y - 1, 0); j <= std::min(y + 1, ny_ - 1); ++j) {
                for (int i = std::max(x - 1, 0); i <= std::min(x + 1, nx_ - 1); ++i) {
                    if (blocks_[number(i, j, k)]) return true;
                }
            }
        }
        return false;
    }

  private:
    std::size_t number(int x, int y, int z) const {
        return static_cast<std::size_t>(x) +
               static_cast<std::size_t>(nx_) *
                   (static_cast<std::size_t>(y) + static_cast<std::size_t>(ny_) * static_cast<std::size_t>(z));
    }
    int nx_, ny_, nz_ = 0;
    std::vector<std::uint8_t> blocks_;
};

} // namespace

double light_through(const TraceScene& scene, const V3d& from, const V3d& way, double thickness) {
    thread_local std::vector<TraceScene::CloudSpan> spans;
    scene.clouds_along(from, way, spans);
    double depth = 0;
    for (const TraceScene::CloudSpan& s : spans) {
        const TraceScene::Cloud& c = scene.clouds()[s.cloud];
        const int steps = std::clamp(static_cast<int>((s.high - s.low) / (c.step * 3)), 1, 48); // a shadow is soft
        const double step = (s.high - s.low) / steps;
        const V3d on = c.cells_along(way);
        V3d cell = c.cell(from + way * (s.low + 0.5 * step));
        for (int i = 0; i < steps; ++i, cell += on * step) depth += c.density(cell) * step;
    }
    return depth > 0 ? portable::exp(-depth * thickness) : 1.0;
}

SmokeLight::SmokeLight(const TraceScene& scene, const V3d& key_way, double thickness, double near, Progress& progress) {
    const auto& clouds = scene.clouds();
    double points = 0;
    for (const TraceScene::Cloud& c : clouds)
        points += std::pow(std::min(std::max({c.cells->nx, c.cells->ny, c.cells->nz}), 32) + 1, 3);
    const int finest = points > most_points ? 16 : 32; // along the longest axis
    struct Slice {
        std::size_t cloud;
        int z;
    };
    std::vector<Slice> slices;
    std::vector<Occupied> occupied;
    for (const TraceScene::Cloud& c : clouds) {
        const VolumeCells& cells = *c.cells;
        Grid g;
        g.every = (std::max({cells.nx, cells.ny, cells.nz}) + finest - 1) / finest;
        auto count = [&](int n) { return (n - 1 + g.every - 1) / g.every + 3; }; // one more on each side: rims are lit
        g.nx = count(cells.nx), g.ny = count(cells.ny), g.nz = count(cells.nz);
        g.light.assign(static_cast<std::size_t>(g.nx) * static_cast<std::size_t>(g.ny) * static_cast<std::size_t>(g.nz),
                       1);
        for (int z = 0; z < g.nz; ++z) slices.push_back({grids_.size(), z});
        occupied.emplace_back(cells, g.every);
        grids_.push_back(std::move(g));
    }
    std::atomic<std::size_t> done{0};
    parallel_for(slices.size(), 1, [&](std::size_t from, std::size_t to) {
        for (std::size_t s = from; s < to && !progress.cancelled(); ++s) {
            const auto [number, z] = slices[s];
            Grid& g = grids_[number];
            const TraceScene::Cloud& c = clouds[number];
            std::size_t at =
                static_cast<std::size_t>(z) * static_cast<std::size_t>(g.nx) * static_cast<std::size_t>(g.ny);
            for (int y = 0; y < g.ny; ++y) {
                for (int x = 0; x < g.nx; ++x, ++at) {
                    if (!occupied[number].around(x - 1, y - 1, z - 1)) continue;
                    const V3d place = c.place(V3d(x - 1, y - 1, z - 1) * g.every);
                    const double lit =
                        scene.blocked(place, key_way, near, 0.5) ? 0 : light_through(scene, place, key_way, thickness);
                    g.light[at] = static_cast<float>(lit);
                }
            }
            progress.report(static_cast<double>(++done) / static_cast<double>(slices.size()), "lighting smoke");
        }
    });
}

double SmokeLight::key(std::size_t cloud, const V3d& cell) const {
    const Grid& g = grids_[cloud];
    auto along = [&](double v, int n, int& first) { // the way from that point of light to the next
        const double at = std::clamp(v / g.every + 1, 0.0, static_cast<double>(n - 1));
        first = std::min(static_cast<int>(at), n - 2);
        return at - first;
    };
    int i = 0, j = 0, k = 0;
    const double u = along(cell.x, g.nx, i), v = along(cell.y, g.ny, j), w = along(cell.z, g.nz, k);
    const std::size_t row = static_cast<std::size_t>(g.nx), slice = row * static_cast<std::size_t>(g.ny);
    const float* at =
        &g.light[static_cast<std::size_t>(i) + row * static_cast<std::size_t>(j) + slice * static_cast<std::size_t>(k)];
    auto line = [&](const float* from) {
        return static_cast<double>(from[0]) * (1 - u) + static_cast<double>(from[1]) * u;
    };
    const double near = line(at) * (1 - v) + line(at + row) * v,
                 far = line(at + slice) * (1 - v) + line(at + slice + row) * v;
    return near * (1 - w) + far * w;
}

} // namespace garland
