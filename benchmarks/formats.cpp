// What reading, mixing and computing sources costs, each beside its physical limit measured in the same run: formats
// [GIGABYTES] adds a fast copy of that size, played with a limit of a tenth of it.
#include "core/base/memory.h"
#include "core/base/parallel.h"
#include "core/geometry/blend.h"
#include "core/geometry/halves.h"
#include "core/geometry/volume.h"
#include "core/loop/pose_distance.h"
#include "core/source/sampler.h"
#include "core/source/water_waves.h"
#include "io/npy/npy.h"
#include "io/obj/obj.h"
#include "io/ply/ply.h"
#include "io/sources/open_source.h"
#include "io/usd/layer.h"

#include <Imath/half.h>
#include <chrono>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <functional>
#include <tbb/global_control.h>

using namespace garland;

namespace {

// Seconds, the best of five.
double best(const std::function<void()>& work, int rounds = 5) {
    double least = 1e30;
    for (int i = 0; i < rounds; ++i) {
        const auto start = std::chrono::steady_clock::now();
        work();
        least = std::min(least, std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
    }
    return least;
}

float kept = 0;

void keep(float value) { // so that nothing is left out as unused
    asm volatile("" : : "g"(&value) : "memory");
    kept = value;
}

void row(const char* what, double seconds, const char* limit, double limit_seconds, const char* goal) {
    fmt::print("{:<44} {:>9.3f} ms   {:<34} {:>9.3f} ms   {:>6.2f} of the limit's speed   goal {}\n", what,
               seconds * 1e3, limit, limit_seconds * 1e3, limit_seconds / seconds, goal);
}

Pose grid(std::size_t side) {
    Pose pose;
    auto faces = std::make_shared<Faces>();
    faces->starts.push_back(0);
    for (std::size_t y = 0; y < side; ++y) {
        for (std::size_t x = 0; x < side; ++x)
            pose.points.emplace_back(static_cast<float>(x) * 0.01234f, std::sin(static_cast<float>(x + y)),
                                     static_cast<float>(y) * 0.0421f);
    }
    for (std::uint32_t y = 0; y + 1 < side; ++y) {
        for (std::uint32_t x = 0; x + 1 < side; ++x) {
            const auto n = static_cast<std::uint32_t>(side), i = y * n + x;
            for (std::uint32_t c : {i, i + 1, i + n + 1, i + n}) faces->corners.push_back(c);
            faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
        }
    }
    pose.faces = faces;
    return pose;
}

void blending() {
    const std::size_t n = 6'000'000;
    std::vector<float> a(n, 1.5f), b(n, 2.5f), out(n);
    const double triad = best([&] {
        for (std::size_t i = 0; i < n; ++i) out[i] = a[i] + 0.3f * b[i];
        keep(out[n / 2]);
    });
    row("linear blend, 2 M points", best([&] {
            mix(a.data(), b.data(), 0.3f, out.data(), n);
            keep(out[n / 2]);
        }),
        "triad, the same bytes, one thread", triad, "0.9");
    std::vector<std::uint16_t> ha(n, Imath::half(1.5f).bits()), hb(n, Imath::half(2.5f).bits());
    const std::size_t same = n * 2 / 3; // halves: 2 + 2 + 4 bytes where floats have 12
    const double triad_same = best([&] {
        for (std::size_t i = 0; i < same; ++i) out[i] = a[i] + 0.3f * b[i];
        keep(out[same / 2]);
    });
    row("half-float blend, 2 M points", best([&] {
            mix_halves(ha.data(), hb.data(), 0.3f, out.data(), n);
            keep(out[n / 2]);
        }),
        "triad over as many bytes", triad_same, "0.75");
    fmt::print("  (this processor {} half floats by itself)\n", halves_are_fast() ? "converts" : "does not convert");
}

void water() {
    WaterSpec spec;
    spec.resolution = 256, spec.size = spec.patch = 50;
    const WaterPatch patch(spec, 50, 1, 1, 0);
    WaterFields fields;
    std::vector<float> touched(5 * 256 * 256);
    const double limit = best([&] {
        for (float& v : touched) v += 1;
        keep(touched[77]);
    });
    double t = 0;
    const tbb::global_control alone(tbb::global_control::max_allowed_parallelism, 1); // one core, as the goal says
    row("water 256², height and sideways (3 fields)", best([&] {
            patch.fields(t += 0.1, false, fields);
            keep(fields.height[9]);
        }),
        "five fields touched once", limit, "≤ 3 ms for 5");
    row("water 256², with velocities (6 fields)", best([&] {
            patch.fields(t += 0.1, true, fields);
            keep(fields.height[9]);
        }),
        "five fields touched once", limit, "≤ 3 ms for 5");
    const SourcePtr source = make_water(spec, {24, 1});
    row("water 256², a whole pose with normals",
        best([&] { keep((*source->exact_at(t += 1, SubFrame::linear, Progress::none()))->points[5].y); }),
        "five fields touched once", limit, "–");
}

void volumes() {
    DenseGrid d{"density", 128, 128, 128, 0.1, V3d(0)};
    for (int z = 0; z < 128; ++z) {
        for (int y = 0; y < 128; ++y) {
            for (int x = 0; x < 128; ++x)
                d.values.push_back((V3d(x, y, z) - V3d(64)).length() < 46.5 ? 1.0f : 0.0f); // a fifth of it
        }
    }
    const VolumePtr a = volume_from({d}), b = volume_from({d});
    // Leaves of 8³ that are touched at all.
    const std::size_t floats = a->bytes() / sizeof(float);
    std::vector<float> x(floats, 1), y(floats, 2), out(floats);
    const tbb::global_control alone(tbb::global_control::max_allowed_parallelism, 1);
    const double limit = best([&] {
        mix(x.data(), y.data(), 0.5f, out.data(), floats);
        keep(out[5]);
    });
    row("sparse mix, 128³ with a fifth active", best([&] { keep(static_cast<float>(mix(*a, *b, 0.5)->bytes())); }),
        "flat lerp of the leaves' bytes", limit, "0.4");
}

// Every pose against every other, as loops are looked for.
void poses_against_poses() {
    Signatures rows;
    rows.points = true;
    for (int f = 0; f < 250; ++f) {
        std::vector<float>& row = rows.rows.emplace_back();
        for (int i = 0; i < 30'000; ++i) row.push_back(std::sin(static_cast<float>(f) * 0.1f + static_cast<float>(i)));
    }
    const double limit = best(
        [&] { // the same arithmetic on two rows that stay near
            double sum = 0;
            for (int pair = 0; pair < 250 * 249 / 2; ++pair)
                for (int piece = 0; piece < 30; ++piece)
                    sum += squared_difference(rows.rows[0].data(), rows.rows[1].data(), 1000);
            keep(static_cast<float>(sum));
        },
        3);
    row("250 poses of 10 000 points, two cores", best([&] { keep(distances(rows, false)->values[77]); }, 3),
        "the arithmetic alone, one core", limit, "≤ 0.12 s");
}

void parsing(const std::filesystem::path& folder) {
    const Pose pose = grid(1000);
    const std::string obj = folder / "g.obj", ply = folder / "g.ply";
    if (!write_obj(obj, pose, Existing::replace) || !write_ply(ply, pose, PlyForm::little_endian, Existing::replace))
        return;
    std::vector<char> bytes;
    if (!read_file(obj, bytes)) return;
    std::vector<char> copy(bytes.size());
    double limit = best([&] {
        std::memcpy(copy.data(), bytes.data(), bytes.size());
        keep(copy[100]);
    });
    double seconds = best([&] { keep((*parse_obj(bytes.data(), bytes.size(), obj))->points[3].x); }, 3);
    row("OBJ text", seconds, "copy of the same bytes", limit, "250 MB/s");
    fmt::print("  {:.0f} MB/s\n", static_cast<double>(bytes.size()) / seconds / 1e6);
    std::string usda = "[";
    for (const V3f& p : pose.points) fmt::format_to(std::back_inserter(usda), "({}, {}, {}), ", p.x, p.y, p.z);
    usda += "]";
    seconds = best([&] { keep((*usd_text_floats(usda, 3))[5]); }, 3);
    copy.resize(std::max(copy.size(), usda.size()));
    limit = best([&] {
        std::memcpy(copy.data(), usda.data(), usda.size());
        keep(copy[100]);
    });
    row("USD text, points", seconds, "copy of the same bytes", limit, "250 MB/s");
    fmt::print("  {:.0f} MB/s\n", static_cast<double>(usda.size()) / seconds / 1e6);
    if (!read_file(ply, bytes)) return;
    limit = best([&] {
        std::memcpy(copy.data(), bytes.data(), std::min(copy.size(), bytes.size()));
        keep(copy[100]);
    });
    row("binary PLY, in memory", best([&] { keep((*parse_ply(bytes.data(), bytes.size(), ply))->points[3].x); }),
        "copy of the same bytes", limit, "0.5");
}

double peak_gigabytes() {
    std::ifstream status("/proc/self/status");
    for (std::string line; std::getline(status, line);) {
        if (line.starts_with("VmHWM:")) return std::stod(line.substr(6)) / 1e6;
    }
    return 0;
}

void large_copy(const std::filesystem::path& folder, double gigabytes) {
    const std::size_t points = 1'000'000;
    const auto frames = static_cast<std::uint64_t>(gigabytes * 1e9 / (points * 12));
    const std::string stem = folder / "large";
    Pose mesh = grid(1000);
    if (!write_ply(stem + ".ply", mesh, PlyForm::little_endian, Existing::replace)) return;
    auto out = NpyWriter::create(stem + ".npy", frames, points, NpyType::f32, Existing::replace);
    for (std::uint64_t f = 0; f < frames; ++f) {
        mesh.points[f % points].y += 1;
        out->add(mesh.points);
    }
    if (auto ok = out->commit(); !ok) {
        fmt::print("{}\n", describe(ok.error()));
        return;
    }
    mesh = {};
    give_back_memory();
    std::ofstream("/proc/self/clear_refs") << "5"; // the peak counts from here
    const double before = peak_gigabytes(), limit = gigabytes / 10;
    const auto source = open_source(stem + ".ply");
    if (!source) return;
    PoseCache cache(static_cast<std::size_t>(limit * 1e9));
    const SourceFacts& facts = (*source)->facts();
    const Sampler sampler(*source, make_clock(0, facts.last, 0, {24, 1}, Join::frame_for_frame, {24, 1}), {},
                          PoseCache::new_serial(), &cache);
    const auto start = std::chrono::steady_clock::now();
    std::uint64_t poses = 0;
    for (double s = 0; s <= static_cast<double>(facts.last); s += 0.75, ++poses) {
        if (!sampler.at(SourceFrame(s))) return;
    }
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    fmt::print("fast copy of {:.1f} GB, limit {:.1f} GB: {} poses of a million points in {:.1f} s, {:.2f} GB/s; peak "
               "memory {:.2f} GB ({:.2f} of it the program)\n",
               static_cast<double>(frames * points * 12) / 1e9, limit, poses, seconds,
               static_cast<double>(frames * points * 12) / 1e9 / seconds, peak_gigabytes(), before);
}

} // namespace

int main(int argc, char** argv) {
    garland::keep_freed_memory();
    const FlushDenormals flush;
    const auto folder = std::filesystem::temp_directory_path() / "garland-benchmark";
    std::filesystem::create_directories(folder);
    if (argc > 1) {
        large_copy(folder, std::stod(argv[1]));
    } else {
        blending();
        water();
        volumes();
        poses_against_poses();
        parsing(folder);
    }
    std::filesystem::remove_all(folder);
}
