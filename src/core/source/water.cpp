#include "core/source/water.h"

#include "core/base/parallel.h"
#include "core/source/water_waves.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace garland {

namespace {

constexpr int most_side = 1024; // cells along the square's side

// Layers of patches smaller by the golden ratio each, of equal energy.
std::vector<WaterPatch> layers_of(const WaterSpec& w, Rate rate) {
    std::vector<WaterPatch> layers;
    const double loop = w.loop > 0 ? rate.start_of(w.loop).value : 0;
    double patch = w.patch;
    for (int i = 0; i < w.layers; ++i) {
        layers.emplace_back(w, patch, 1.0 / w.layers, w.seed + static_cast<std::uint64_t>(i) * 7919, loop);
        patch /= std::numbers::phi;
    }
    return layers;
}

// Catmull–Rom over four samples, at t between the middle two.
struct Cubic {
    float w[4];
    explicit Cubic(float t)
        : w{t * (-0.5f + t * (1 - 0.5f * t)), 1 + t * t * (-2.5f + 1.5f * t), t * (0.5f + t * (2 - 1.5f * t)),
            t * t * (-0.5f + 0.5f * t)} {}
};

// Where along one axis each column of points stands in a periodic field of n samples.
struct Places {
    std::vector<int> first;     // of four samples, before wrapping
    std::vector<Cubic> weights; // empty where every column is a sample
    Places(int side, double cell, double patch, int n) {
        const double samples = cell / patch * n;
        const bool whole = std::abs(samples - 1) < 1e-12;
        for (int i = 0; i <= side; ++i) {
            const double at = i * samples;
            first.push_back(whole ? i : static_cast<int>(std::floor(at)) - 1);
            if (!whole) weights.emplace_back(static_cast<float>(at - std::floor(at)));
        }
    }
};

void add_sampled(const std::vector<float>& field, int n, const Places& places, int side, std::vector<float>& to) {
    auto wrap = [n](int i) { return static_cast<std::size_t>(((i % n) + n) % n); };
    const auto row = static_cast<std::size_t>(side + 1);
    parallel_for(row, 16, [&](std::size_t from, std::size_t until) {
        std::vector<float> line(static_cast<std::size_t>(n));
        for (std::size_t z = from; z < until; ++z) {
            if (places.weights.empty()) {
                const std::size_t at = wrap(places.first[z]) * static_cast<std::size_t>(n);
                for (std::size_t x = 0; x < row; ++x) to[z * row + x] += field[at + wrap(places.first[x])];
                continue;
            }
            const Cubic& wz = places.weights[z];
            const float* rows[4];
            for (int k = 0; k < 4; ++k)
                rows[k] = field.data() + wrap(places.first[z] + k) * static_cast<std::size_t>(n);
            for (std::size_t i = 0; i < line.size(); ++i) {
                line[i] = rows[0][i] * wz.w[0] + rows[1][i] * wz.w[1] + rows[2][i] * wz.w[2] + rows[3][i] * wz.w[3];
            }
            for (std::size_t x = 0; x < row; ++x) {
                const Cubic& wx = places.weights[x];
                const int at = places.first[x];
                to[z * row + x] += line[wrap(at)] * wx.w[0] + line[wrap(at + 1)] * wx.w[1] +
                                   line[wrap(at + 2)] * wx.w[2] + line[wrap(at + 3)] * wx.w[3];
            }
        }
    });
}

class WaterSource final : public ExactSource {
  public:
    WaterSource(const WaterSpec& spec, Rate rate) : spec_(spec), rate_(rate), layers_(layers_of(spec, rate)) {
        side_ = std::clamp(static_cast<int>(std::lround(spec.size / spec.patch * spec.resolution)), 2, most_side);
        cell_ = spec.size / side_;
        for (const WaterPatch& layer : layers_) places_.emplace_back(side_, cell_, layer.patch(), layer.samples());
        faces_ = make_faces();
        facts_.kind = SourceKind::water;
        facts_.format = "computed";
        facts_.last = last_frame(spec);
        facts_.says.rate = rate;
        facts_.points = facts_.varies.most_points =
            static_cast<std::size_t>(side_ + 1) * static_cast<std::size_t>(side_ + 1);
        facts_.faces = faces_->count();
        facts_.carries.velocities = facts_.carries.normals = facts_.carries.uvs = facts_.carries.colours = true;
        const auto half = static_cast<float>(spec.size / 2), high = static_cast<float>(spec.height);
        facts_.box = Imath::Box3f(V3f(-half, -high, -half), V3f(half, high, half));
    }

    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {}; }
    Result<PosePtr> exact_at(double frame, SubFrame, Progress&) const override {
        const auto row = static_cast<std::size_t>(side_ + 1);
        std::vector<float> sums[6];
        for (auto& sum : sums) sum.assign(row * row, 0.0f);
        WaterFields fields;
        for (std::size_t i = 0; i < layers_.size(); ++i) {
            layers_[i].fields(moment(frame), true, fields);
            const std::vector<float>* from[] = {&fields.height,      &fields.aside_x,      &fields.aside_z,
                                                &fields.height_rate, &fields.aside_x_rate, &fields.aside_z_rate};
            for (int k = 0; k < 6; ++k) add_sampled(*from[k], layers_[i].samples(), places_[i], side_, sums[k]);
        }
        auto pose = std::make_shared<Pose>();
        pose->faces = faces_;
        pose->points.resize(row * row);
        pose->velocities.resize(row * row);
        pose->uvs.resize(row * row);
        const auto chop = static_cast<float>(spec_.choppiness);
        for (std::size_t z = 0; z < row; ++z) {
            for (std::size_t x = 0; x < row; ++x) {
                const std::size_t i = z * row + x;
                const V2f rest = rest_place(x, z);
                pose->points[i] = V3f(rest.x + chop * sums[1][i], sums[0][i], rest.y + chop * sums[2][i]);
                pose->velocities[i] = V3f(chop * sums[4][i], sums[3][i], chop * sums[5][i]);
                pose->uvs[i] = V2f(static_cast<float>(x) / static_cast<float>(side_),
                                   static_cast<float>(z) / static_cast<float>(side_));
            }
        }
        pose->normals = grid_normals(pose->points);
        pose->colours.resize(row * row); // darker in the troughs
        const auto high = static_cast<float>(std::max(spec_.height, 1e-6));
        for (std::size_t i = 0; i < row * row; ++i) {
            const float up = std::clamp(0.5f + pose->points[i].y / high * 0.5f, 0.0f, 1.0f);
            pose->colours[i] = V3f(0.09f, 0.27f, 0.32f) + V3f(0.18f, 0.33f, 0.33f) * up;
        }
        return PosePtr(pose);
    }

    // Cells turned over, at a choppiness of choice.
    double folded(double choppiness) const {
        const auto row = static_cast<std::size_t>(side_ + 1);
        if (rest_aside_[0].empty()) {
            for (auto& sum : rest_aside_) sum.assign(row * row, 0.0f);
            WaterFields fields;
            for (std::size_t i = 0; i < layers_.size(); ++i) {
                layers_[i].fields(moment(0), false, fields);
                add_sampled(fields.aside_x, layers_[i].samples(), places_[i], side_, rest_aside_[0]);
                add_sampled(fields.aside_z, layers_[i].samples(), places_[i], side_, rest_aside_[1]);
            }
        }
        const auto chop = static_cast<float>(choppiness);
        std::size_t turned = 0;
        auto place = [&](std::size_t x, std::size_t z) {
            const std::size_t i = z * row + x;
            return rest_place(x, z) + V2f(rest_aside_[0][i], rest_aside_[1][i]) * chop;
        };
        for (std::size_t z = 0; z + 1 < row; ++z) {
            for (std::size_t x = 0; x + 1 < row; ++x) {
                const V2f across = place(x + 1, z + 1) - place(x, z), other = place(x, z + 1) - place(x + 1, z);
                turned += across.x * other.y - across.y * other.x <= 0;
            }
        }
        return static_cast<double>(turned) / static_cast<double>(facts_.faces);
    }

  private:
    // A loop's moment is the part of it that is over, so frame 0 and the last are the same to the last bit.
    double moment(double frame) const {
        if (spec_.loop <= 0) return frame * static_cast<double>(rate_.den) / static_cast<double>(rate_.num);
        const auto loop = static_cast<double>(spec_.loop);
        double over = std::fmod(frame, loop);
        if (over < 0) over += loop;
        return over / loop;
    }

    V2f rest_place(std::size_t x, std::size_t z) const {
        return V2f(static_cast<float>(static_cast<double>(x) * cell_ - spec_.size / 2),
                   static_cast<float>(static_cast<double>(z) * cell_ - spec_.size / 2));
    }

    std::shared_ptr<const Faces> make_faces() const {
        auto faces = std::make_shared<Faces>();
        const auto row = static_cast<std::uint32_t>(side_ + 1);
        faces->starts.push_back(0);
        for (std::uint32_t z = 0; z + 1 < row; ++z) {
            for (std::uint32_t x = 0; x + 1 < row; ++x) {
                const std::uint32_t i = z * row + x;
                for (std::uint32_t c : {i, i + row, i + row + 1, i + 1}) faces->corners.push_back(c);
                faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
            }
        }
        return faces;
    }

    std::vector<V3f> grid_normals(const std::vector<V3f>& points) const {
        std::vector<V3f> out(points.size());
        const auto row = static_cast<std::size_t>(side_ + 1);
        parallel_for(row, 16, [&](std::size_t from, std::size_t until) {
            for (std::size_t z = from; z < until; ++z) {
                const std::size_t up = z > 0 ? z - 1 : z, down = z + 1 < row ? z + 1 : z;
                for (std::size_t x = 0; x < row; ++x) {
                    const std::size_t left = x > 0 ? x - 1 : x, right = x + 1 < row ? x + 1 : x;
                    out[z * row + x] = (points[down * row + x] - points[up * row + x])
                                           .cross(points[z * row + right] - points[z * row + left])
                                           .normalized();
                }
            }
        });
        return out;
    }

    WaterSpec spec_;
    Rate rate_;
    std::vector<WaterPatch> layers_;
    std::vector<Places> places_;
    int side_ = 0;
    double cell_ = 0;
    std::shared_ptr<const Faces> faces_;
    SourceFacts facts_;
    mutable std::vector<float> rest_aside_[2]; // for folded(), which one thread asks at a time
};

} // namespace

Result<void> validate(const WaterSpec& w) {
    auto refuse = [](const char* what) {
        return fail(Error{ErrorCode::invalid, fmt::format("water: {}", what)}.advise("change that number"));
    };
    auto within = [](double v, double low, double high) { return std::isfinite(v) && v >= low && v <= high; };
    if (!within(w.wind, 0.1, 100)) return refuse("the wind must be 0.1 to 100 m/s");
    if (!within(w.direction, -3600, 3600)) return refuse("the direction must be an angle in degrees");
    if (!within(w.height, 0, 100)) return refuse("the wave height must be 0 to 100 m");
    if (!within(w.choppiness, 0, 10)) return refuse("the choppiness must be 0 to 10");
    if (!within(w.size, 0.01, 1e5)) return refuse("the size must be 0.01 to 100 000 m");
    if (!within(w.patch, 0.01, 1e5)) return refuse("the patch must be 0.01 to 100 000 m");
    if (!within(w.smallest, 0, 1e4)) return refuse("the smallest wave must be 0 to 10 000 m");
    if (!within(w.against, 0, 1)) return refuse("the damping against the wind must be 0 to 1");
    if (w.resolution != 64 && w.resolution != 128 && w.resolution != 256 && w.resolution != 512 &&
        w.resolution != 1024) {
        return refuse("the resolution must be 64, 128, 256, 512 or 1024");
    }
    if (w.layers < 1 || w.layers > 4) return refuse("there can be 1 to 4 layers");
    if (w.frames < 1 || w.frames > 1'000'000) return refuse("there must be 1 to 1 000 000 frames");
    if (w.loop < 0 || w.loop > 1'000'000) return refuse("the loop must be 0 to 1 000 000 frames");
    return {};
}

std::int64_t last_frame(const WaterSpec& w) {
    return w.loop > 0 ? w.loop : w.frames - 1;
}

SourcePtr make_water(const WaterSpec& water, Rate rate) {
    return std::make_shared<WaterSource>(water, rate);
}

Folds folds_of(const WaterSpec& water, Rate rate) {
    const WaterSource source(water, rate);
    Folds out;
    out.share = source.folded(water.choppiness);
    double low = 0, high = std::max(water.choppiness * 2, 0.1);
    if (source.folded(high) == 0) return {out.share, high};
    while (high - low > 0.001 * std::max(high, 0.01)) {
        const double middle = (low + high) / 2;
        (source.folded(middle) > 0 ? high : low) = middle;
    }
    out.most_choppiness = low;
    return out;
}

double risen_height(double wind) {
    return 0.21 * wind * wind / water_gravity;
}

} // namespace garland
