// Previews: what a frame takes with shading, ground and motion blur. Beside it the limit: the same camera rays, and two
// rays for each that hits, without any shading.
#include "timing.h"

#include "core/base/memory.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/geometry/volume.h"
#include "render/render.h"

#include <atomic>
#include <chrono>
#include <cmath>
#include <fmt/format.h>
#include <fstream>

using namespace garland;

namespace {

// A ball of 4600 triangles that swings: about what a paper lantern has.
class Swinging final : public Source {
  public:
    Swinging() {
        facts_.last = 95;
        auto faces = std::make_shared<Faces>();
        faces->starts = {0};
        auto at = [](int r, int c) { return static_cast<std::uint32_t>(r * columns + c % columns); };
        for (int r = 0; r + 1 < rows; ++r) {
            for (int c = 0; c < columns; ++c) {
                for (std::uint32_t i : {at(r, c), at(r, c + 1), at(r + 1, c + 1), at(r + 1, c)})
                    faces->corners.push_back(i);
                faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
            }
        }
        faces_ = faces;
        facts_.points = rows * columns, facts_.faces = static_cast<std::int64_t>(faces->count());
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {}; }
    Result<PosePtr> read(std::int64_t f, Progress&) const override {
        auto pose = std::make_shared<Pose>();
        pose->faces = faces_;
        const double swing = 0.3 * std::sin(2 * M_PI * static_cast<double>(f) / 96);
        for (int r = 0; r < rows; ++r) {
            for (int c = 0; c < columns; ++c) {
                const double a = M_PI * r / (rows - 1), b = 2 * M_PI * c / columns;
                const double x = 0.3 * std::sin(a) * std::cos(b), y = -0.6 + 0.3 * std::cos(a),
                             z = 0.3 * std::sin(a) * std::sin(b);
                pose->points.emplace_back(static_cast<float>(x * std::cos(swing) - y * std::sin(swing)),
                                          static_cast<float>(x * std::sin(swing) + y * std::cos(swing)),
                                          static_cast<float>(z));
            }
        }
        return PosePtr(pose);
    }

  private:
    static constexpr int rows = 49, columns = 48;
    SourceFacts facts_;
    std::shared_ptr<const Faces> faces_;
};

// A puff of smoke on 64³ voxels that grows and drifts: each frame of its own, densest in its middle.
class Smoke final : public Source {
  public:
    Smoke() {
        facts_.kind = SourceKind::volume;
        facts_.last = 95;
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {}; }
    Result<PosePtr> read(std::int64_t f, Progress&) const override {
        DenseGrid d{"density", 64, 64, 64, 0.015, V3d(-0.5, 0, -0.5)};
        d.values.reserve(std::size_t(64) * 64 * 64);
        const double reach = 22 + 6 * std::sin(2 * M_PI * static_cast<double>(f) / 96);
        for (int z = 0; z < 64; ++z) {
            for (int y = 0; y < 64; ++y) {
                for (int x = 0; x < 64; ++x) {
                    const double far = (V3d(x, y, z) - V3d(32)).length() / reach;
                    const double curl = 1 + 0.5 * std::sin(0.6 * x + 0.1 * static_cast<double>(f)) * std::cos(0.5 * y);
                    d.values.push_back(far < 1 ? static_cast<float>((1 - far) * curl) : 0.0f);
                }
            }
        }
        auto pose = std::make_shared<Pose>();
        pose->volume = volume_from({d});
        return PosePtr(pose);
    }

  private:
    SourceFacts facts_;
};

Project field(int columns, int rows) {
    Project p;
    const SourceId id = add_source(p, "lantern", "lantern.ply", {0, 95, {24, 1}});
    static_cast<void>(id);
    Arrangement& a = p.arrangements[0];
    a.layout.kind = ArrangementKind::grid;
    a.layout.columns = columns, a.layout.rows = rows;
    a.layout.origin = V3d(0, 2, 0);
    Spread s;
    s.id = SpreadId(p.next_id++);
    s.target = Target::delay, s.by.kind = Driver::chance, s.from = 0, s.to = 60, s.whole_frames = true;
    a.spreads = {s};
    p.timings[0].after = {OutsideMode::repeat, 0};
    p.settings.camera = {V3d(0, 1.5, 0), 16, 20, 22, 40};
    return p;
}

double resident_bytes() {
    std::ifstream statm("/proc/self/statm");
    double all = 0, resident = 0;
    statm >> all >> resident;
    return resident * 4096;
}

void measure(int columns, int rows, int width, int height, const char* goal) {
    PoseCache cache(std::size_t(1) << 30);
    const Project p = field(columns, rows);
    OpenSources open;
    open[p.sources[0].id] = {std::make_shared<Swinging>(), PoseCache::new_serial()};
    const ShowPtr show = make_show(p, open, cache);
    PreviewLook look;
    look.width = width, look.height = height;
    const OutputFrame t(120);
    auto scene = TraceScene::make(*show, p, t, look, Progress::none());
    if (!scene) return;
    const Eye eye(p.settings.camera, width, height);
    const double limit = best_of_five([&](int) {
        std::atomic<std::int64_t> hits{0};
        parallel_for(static_cast<std::size_t>(height), 4, [&](std::size_t from, std::size_t to) {
            std::int64_t own = 0;
            for (std::size_t y = from; y < to; ++y) {
                for (int x = 0; x < width; ++x) {
                    for (int s = 0; s < look.samples; ++s) {
                        const double time = (s + 0.5) / look.samples;
                        TraceScene::Hit hit;
                        const V3d way = eye.ray(x + time, static_cast<double>(y) + 0.5);
                        if (!(*scene)->hit(eye.place(), way, 0, time, hit)) continue;
                        own += (*scene)->blocked(hit.place + hit.face * 1e-4, {0.4, 0.8, 0.4}, 0, time);
                        own += (*scene)->blocked(hit.place + hit.face * 1e-4, hit.normal, 0, time);
                    }
                }
            }
            hits += own;
        });
    });
    const double ready = best_of_five([&](int) { (void)TraceScene::make(*show, p, t, look, Progress::none()); });
    const double whole = best_of_five([&](int) { (void)render_frame(*show, p, t, look); });
    fmt::print("{} copies, {} × {}, {} samples, motion blur: {:.2f} s a frame, of which {:.2f} s posing and preparing; "
               "{:.1f} × the same rays without shading ({:.2f} s)   {}; {} in memory\n",
               columns * rows, width, height, look.samples, whole, ready, whole / limit, limit, goal,
               byte_count(resident_bytes()));
}

// Once, since it takes long; there is no limit to hold it against that would not be the march itself.
void measure_volumes(int columns, int rows, const char* goal) {
    PoseCache cache(std::size_t(1) << 30);
    Project p = field(columns, rows);
    p.settings.camera = {V3d(0, 0.5, 0), 14, 20, 18, 40};
    OpenSources open;
    const auto smoke = std::make_shared<Smoke>();
    open[p.sources[0].id] = {smoke, PoseCache::new_serial()};
    const ShowPtr show = make_show(p, open, cache);
    PreviewLook look;
    look.width = 1280, look.height = 720;
    const auto began = std::chrono::steady_clock::now();
    const auto frame = render_frame(*show, p, OutputFrame(120), look);
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
    if (!frame) {
        fmt::print("the volumes could not be drawn: {}\n", describe(frame.error()));
        return;
    }
    fmt::print("{} volumes of 64³, {} × {}, {} samples: {:.1f} s a frame   {}; {} in memory\n", columns * rows,
               look.width, look.height, look.samples, seconds, goal, byte_count(resident_bytes()));
}

} // namespace

int main() {
    keep_freed_memory();
    measure(20, 20, 960, 540, "goal 2 s");
    measure(40, 25, 1280, 720, "goal 1 GB in memory");
    measure_volumes(10, 10, "goal 20 s");
    return 0;
}
