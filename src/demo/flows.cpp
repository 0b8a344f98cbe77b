// Syrup, petals and smoke.
#include "demo/quay.h"

#include "core/base/chance.h"
#include "core/base/parallel.h"
#include "core/geometry/level_set.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace garland {

namespace {

constexpr double pi = std::numbers::pi;
constexpr double frame_rate = 24;

struct Blob {
    V3d at, speed;
    double radius;
};

// A blob leaves the ladle every 24th of a second, falls, and spreads on the plate.
std::vector<Blob> blobs_at(double t) {
    std::vector<Blob> out;
    const double top = 0.34, gravity = 3.2; // thick syrup is held back by its own thread
    for (int n = 0; n < 56; ++n) {
        const double born = n / 24.0, age = t - born;
        if (age < 0) break;
        const double fall = std::sqrt(2 * (top - 0.02) / gravity);
        const double swing = 0.02 * std::sin(2.2 * born), drift = 0.015 * std::cos(1.7 * born);
        Blob b{V3d(swing, top, drift), V3d(0), 0.016};
        if (age < fall) {
            b.at.y = top - 0.5 * gravity * age * age;
            b.speed.y = -gravity * age;
        } else {
            const double on = age - fall, reach = 0.035 + 0.075 * chance(31, 1, static_cast<std::uint64_t>(n));
            const double angle = 2 * pi * chance(31, 2, static_cast<std::uint64_t>(n)),
                         spread = 1 - std::exp(-1.4 * on);
            const V3d way(std::cos(angle), 0, std::sin(angle));
            b.at = V3d(swing, 0.02 - 0.009 * spread, drift) + way * (reach * spread);
            b.speed = way * (reach * 1.4 * std::exp(-1.4 * on)) - V3d(0, 0.009 * 1.4 * std::exp(-1.4 * on), 0);
            b.radius = 0.019 + 0.006 * spread;
        }
        out.push_back(b);
    }
    return out;
}

} // namespace

PosePtr pour_syrup(int frame) {
    const std::vector<Blob> blobs = blobs_at(frame / frame_rate + 1.0 / 24);
    DenseGrid grid;
    grid.voxel = 0.006;
    grid.nx = 56, grid.ny = 66, grid.nz = 56;
    grid.origin = V3d(-0.165, -0.02, -0.165);
    grid.values.assign(static_cast<std::size_t>(grid.nx * grid.ny * grid.nz), 0);
    // (1 − d²/r²)³ within twice the radius: smooth, and nothing beyond (B. Wyvill, C. McPheeters and G. Wyvill, 1986,
    // use a field of this kind).
    auto field = [&](const V3d& p, V3d* speed) {
        double sum = 0;
        V3d moving(0);
        for (const Blob& b : blobs) {
            const double reach = 2 * b.radius, q = 1 - (p - b.at).length2() / (reach * reach);
            if (q <= 0) continue;
            sum += q * q * q;
            moving += b.speed * (q * q * q);
        }
        if (speed) *speed = sum > 0 ? moving / sum : V3d(0);
        return sum;
    };
    parallel_for(static_cast<std::size_t>(grid.nz), 4, [&](std::size_t from, std::size_t to) {
        for (std::size_t z = from; z < to; ++z) {
            for (int y = 0; y < grid.ny; ++y) {
                for (int x = 0; x < grid.nx; ++x) {
                    const V3d p = grid.origin + V3d(x, y, static_cast<double>(z)) * grid.voxel;
                    grid.values[(z * static_cast<std::size_t>(grid.ny) + static_cast<std::size_t>(y)) *
                                    static_cast<std::size_t>(grid.nx) +
                                static_cast<std::size_t>(x)] = static_cast<float>(field(p, nullptr));
                }
            }
        }
    });
    auto pose = std::make_shared<Pose>(*surface_of(grid, 0.42));
    for (const V3f& p : pose->points) {
        V3d speed;
        field(V3d(p), &speed);
        pose->velocities.emplace_back(speed);
    }
    pose->colours.assign(pose->points.size(), V3f(0.78f, 0.44f, 0.12f));
    return pose;
}

PosePtr drift_petals(int frame) {
    auto pose = std::make_shared<Pose>();
    Attribute age{"age", 1}, life{"life", 1}, size{"size", 1};
    const double now = frame / frame_rate;
    for (std::uint64_t n = 0; n < 260; ++n) {
        const double born = -2 + 7.5 * (static_cast<double>(n) + chance(51, 1, n)) / 260,
                     span = 2.2 + 2.2 * chance(51, 2, n);
        const double t = now - born;
        if (t < 0 || t >= span) continue;
        // A glide along the canal with a flutter of its own.
        const double pace = 0.55 + 0.5 * chance(51, 3, n), beat = 3.2 + 2.6 * chance(51, 4, n),
                     phase = 2 * pi * chance(51, 5, n);
        const double swing = 0.09 + 0.08 * chance(51, 6, n), sink = 0.34 + 0.22 * chance(51, 7, n);
        const V3d from(-1.8 + 0.9 * chance(51, 8, n), 1.9 + 0.7 * chance(51, 9, n), 1.4 * (chance(51, 10, n) - 0.5));
        const V3d at =
            from + V3d(pace * t + swing * std::sin(beat * t + phase),
                       -sink * t + 0.4 * swing * std::cos(2 * beat * t + phase), swing * std::cos(beat * t + phase));
        const V3d speed(pace + swing * beat * std::cos(beat * t + phase),
                        -sink - 0.8 * swing * beat * std::sin(2 * beat * t + phase),
                        -swing * beat * std::sin(beat * t + phase));
        pose->ids.push_back(static_cast<std::int64_t>(n) + 1);
        pose->points.emplace_back(at);
        pose->velocities.emplace_back(speed);
        const auto pink = static_cast<float>(chance(51, 11, n));
        pose->colours.emplace_back(0.98f, 0.70f + 0.18f * pink, 0.78f + 0.12f * pink);
        age.values.push_back(static_cast<float>(t));
        life.values.push_back(static_cast<float>(span));
        size.values.push_back(static_cast<float>(0.018 + 0.014 * chance(51, 12, n)));
    }
    pose->attributes = {age, life, size};
    return pose;
}

namespace {

// Air in a box of cells, with what it carries.
class Air {
  public:
    static constexpr int nx = 28, ny = 56, nz = 28, count = nx * ny * nz;
    static constexpr double cell = 0.025;
    std::vector<float> density = std::vector<float>(count), heat = std::vector<float>(count);
    std::vector<float> u = std::vector<float>(count), v = u, w = u; // cells a second

    static std::size_t at(int x, int y, int z) {
        return static_cast<std::size_t>((std::clamp(z, 0, nz - 1) * ny + std::clamp(y, 0, ny - 1)) * nx +
                                        std::clamp(x, 0, nx - 1));
    }

    void step(double seconds, double time) {
        const auto dt = static_cast<float>(seconds);
        for (int z = -1; z <= 1; ++z) {
            for (int x = -1; x <= 1; ++x) { // the glowing tip
                const std::size_t i = at(nx / 2 + x, 3, nz / 2 + z);
                density[i] = std::min(1.6f, density[i] + 14 * dt);
                heat[i] = std::min(1.5f, heat[i] + 8 * dt);
            }
        }
        for (std::size_t i = 0; i < count; ++i) v[i] += heat[i] * 42 * dt;
        const auto breath = static_cast<float>(9 * std::sin(1.9 * time) + 6 * std::sin(4.3 * time + 1)),
                   cross = static_cast<float>(7 * std::cos(2.6 * time));
        for (int z = 0; z < nz; ++z) {
            for (int y = 12; y < ny; ++y) {
                for (int x = 0; x < nx; ++x) u[at(x, y, z)] += breath * dt, w[at(x, y, z)] += cross * dt;
            }
        }
        swirl(dt);
        project();
        const auto u0 = u, v0 = v, w0 = w;
        for (auto* field : {&u, &v, &w, &density, &heat}) carry(*field, u0, v0, w0, dt);
        project();
        for (std::size_t i = 0; i < count; ++i) {
            heat[i] *= 1 - 0.9f * dt, density[i] *= 1 - 0.12f * dt;
            for (auto* field : {&u, &v, &w}) (*field)[i] *= 1 - 0.35f * dt;
        }
    }

  private:
    static void each(const std::function<void(int, int, int, std::size_t)>& body) {
        parallel_for(nz, 4, [&](std::size_t from, std::size_t to) {
            for (int z = static_cast<int>(from); z < static_cast<int>(to); ++z) {
                for (int y = 0; y < ny; ++y) {
                    for (int x = 0; x < nx; ++x) body(x, y, z, at(x, y, z));
                }
            }
        });
    }

    static float sample(const std::vector<float>& f, float x, float y, float z) {
        const int i = static_cast<int>(std::floor(x)), j = static_cast<int>(std::floor(y)),
                  k = static_cast<int>(std::floor(z));
        const float a = x - static_cast<float>(i), b = y - static_cast<float>(j), c = z - static_cast<float>(k);
        auto line = [&](int jj, int kk) { return f[at(i, jj, kk)] * (1 - a) + f[at(i + 1, jj, kk)] * a; };
        return (line(j, k) * (1 - b) + line(j + 1, k) * b) * (1 - c) +
               (line(j, k + 1) * (1 - b) + line(j + 1, k + 1) * b) * c;
    }

    static void carry(std::vector<float>& field, const std::vector<float>& u0, const std::vector<float>& v0,
                      const std::vector<float>& w0, float dt) {
        const std::vector<float> old = field;
        each([&](int x, int y, int z, std::size_t i) {
            field[i] = sample(old, static_cast<float>(x) - u0[i] * dt, static_cast<float>(y) - v0[i] * dt,
                              static_cast<float>(z) - w0[i] * dt);
        });
    }

    // Vorticity confinement (R. Fedkiw, J. Stam and H. W. Jensen, "Visual simulation of smoke", 2001).
    void swirl(float dt) {
        std::vector<V3f> curl(count);
        each([&](int x, int y, int z, std::size_t i) {
            auto d = [&](const std::vector<float>& f, int axis) {
                return 0.5f * (f[at(x + (axis == 0), y + (axis == 1), z + (axis == 2))] -
                               f[at(x - (axis == 0), y - (axis == 1), z - (axis == 2))]);
            };
            curl[i] = V3f(d(w, 1) - d(v, 2), d(u, 2) - d(w, 0), d(v, 0) - d(u, 1));
        });
        each([&](int x, int y, int z, std::size_t i) {
            V3f slope(curl[at(x + 1, y, z)].length() - curl[at(x - 1, y, z)].length(),
                      curl[at(x, y + 1, z)].length() - curl[at(x, y - 1, z)].length(),
                      curl[at(x, y, z + 1)].length() - curl[at(x, y, z - 1)].length());
            const V3f force = slope.normalize().cross(curl[i]) * (0.8f * dt);
            u[i] += force.x, v[i] += force.y, w[i] += force.z;
        });
    }

    void project() {
        std::vector<float> divergence(count), pressure(count), next(count);
        each([&](int x, int y, int z, std::size_t i) {
            divergence[i] = -0.5f * (u[at(x + 1, y, z)] - u[at(x - 1, y, z)] + v[at(x, y + 1, z)] - v[at(x, y - 1, z)] +
                                     w[at(x, y, z + 1)] - w[at(x, y, z - 1)]);
        });
        for (int k = 0; k < 30; ++k) {
            each([&](int x, int y, int z, std::size_t i) {
                const float around = pressure[at(x + 1, y, z)] + pressure[at(x - 1, y, z)] + pressure[at(x, y + 1, z)] +
                                     pressure[at(x, y - 1, z)] + pressure[at(x, y, z + 1)] + pressure[at(x, y, z - 1)];
                next[i] = (divergence[i] + around) / 6;
            });
            std::swap(pressure, next);
        }
        each([&](int x, int y, int z, std::size_t i) {
            u[i] -= 0.5f * (pressure[at(x + 1, y, z)] - pressure[at(x - 1, y, z)]);
            v[i] -= 0.5f * (pressure[at(x, y + 1, z)] - pressure[at(x, y - 1, z)]);
            w[i] -= 0.5f * (pressure[at(x, y, z + 1)] - pressure[at(x, y, z - 1)]);
            if (y == 0) v[i] = std::max(v[i], 0.0f);
        });
    }
};

} // namespace

Result<std::vector<VolumePtr>> burn_incense(Progress& progress) {
    const FlushDenormals flush;
    std::vector<VolumePtr> out;
    Air air;
    constexpr int settle = 24, frames = 60, steps = 2;
    for (int f = -settle; f < frames; ++f) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(f + settle) / (frames + settle), "burning incense");
        for (int s = 0; s < steps; ++s)
            air.step(1 / (frame_rate * steps), (f + static_cast<double>(s) / steps) / frame_rate);
        if (f < 0) continue;
        DenseGrid density{
            "density", Air::nx, Air::ny, Air::nz, Air::cell, V3d(-0.5 * Air::nx, 0, -0.5 * Air::nz) * Air::cell, true};
        DenseGrid heat = density, velocity = density;
        heat.name = "temperature", velocity.name = "velocity";
        density.values.resize(Air::count), heat.values.resize(Air::count), velocity.vectors.assign(Air::count, V3f(0));
        for (std::size_t i = 0; i < Air::count; ++i) {
            if (air.density[i] < 0.004f) continue; // clear air is left out
            density.values[i] = air.density[i], heat.values[i] = air.heat[i];
            velocity.vectors[i] = V3f(air.u[i], air.v[i], air.w[i]) * static_cast<float>(Air::cell);
        }
        out.push_back(volume_from({density, heat, velocity}));
    }
    return out;
}

} // namespace garland
