// Speed beside its physical limit, measured in the same run: best of five, ratios to what the machine can do.
// Goals and limits: docs/speed.md. Run build/release/benchmarks/benchmarks; with --benchmark… Google Benchmark's own
// tables.
#include "timing.h"

#include "core/base/memory.h"
#include "core/copies/copy_times.h"
#include "core/copies/twins.h"
#include "core/geometry/blend.h"
#include "io/obj/obj.h"
#include "io/ply/ply.h"

#include <benchmark/benchmark.h>
#include <cstring>
#include <fmt/format.h>
#include <random>

using namespace garland;

namespace {

void line(const std::string& what, const std::string& figure, double ratio, const std::string& of,
          const std::string& goal) {
    fmt::print("{:<46} {:>16}   {:>6.2f} of {:<34} goal {}\n", what, figure, ratio, of, goal);
}

struct Times {
    TimingPlan plan;
    SourceClock source;
    std::vector<CopyClock> copies;
    std::vector<CopyMoment> out;

    explicit Times(int keys, std::size_t count) : out(count) {
        std::mt19937 random(1);
        Timing timing;
        for (int k = 0; k < keys; ++k) {
            timing.map.keys.push_back({OutputFrame(1 + 8.0 * k), SourceFrame(static_cast<double>(random() % 200)),
                                       k % 3 == 2 ? Toward::smooth : Toward::linear});
        }
        timing.before.mode = timing.after.mode = OutsideMode::repeat;
        plan = TimingPlan(timing);
        source.file_last = 199;
        std::uniform_real_distribution<double> delay(0, 400), rate(0.9, 1.1);
        for (std::size_t i = 0; i < count; ++i) copies.push_back({delay(random), rate(random)});
    }
};

void copy_times(int keys) {
    Times t(keys, 100'000);
    int frame = 0;
    const double took =
        best_of_five([&](int) { copy_moments(t.plan, t.source, t.copies, OutputFrame(200 + frame++), t.out); });
    // The limit: the same bytes read and written, with one multiplication a copy.
    const double limit = best_of_five([&](int) {
        for (std::size_t i = 0; i < t.copies.size(); ++i) {
            CopyMoment m;
            m.source = t.copies[i].rate * (200.0 + frame - t.copies[i].delay);
            t.out[i] = m;
        }
        benchmark::DoNotOptimize(t.out.data());
    });
    line(fmt::format("times of 100 000 copies, {} keys, one core", keys),
         fmt::format("{:.1f} ns a copy", took / 100'000 * 1e9), limit / took,
         fmt::format("reading and writing alone ({:.1f} ns)", limit / 100'000 * 1e9), "≤ 3 × of it");
}

void blending() {
    constexpr std::size_t n = 3'000'000;
    std::vector<float> a(n, 1.5f), b(n, 2.5f), out(n);
    const double triad = best_of_five([&](int) {
        const float* x = a.data();
        const float* y = b.data();
        float* z = out.data();
        for (std::size_t i = 0; i < n; ++i) z[i] = x[i] + 0.37f * y[i];
        benchmark::DoNotOptimize(z);
    });
    const double mixed = best_of_five([&](int) {
        mix(a.data(), b.data(), 0.37f, out.data(), n);
        benchmark::DoNotOptimize(out.data());
    });
    line("blend of two poses of 1 M points, one core", fmt::format("{:.2f} ms", mixed * 1e3), triad / mixed,
         "a triad over the same bytes", "≥ 0.80");
}

void twins() {
    Times t(30, 10'000);
    const double took = best_of_five([&](int) {
        auto report = find_twins(t.plan, t.source, t.copies, {1, 240}, TwinRule{0.5, 0.5, 0, 48});
        benchmark::DoNotOptimize(report);
    });
    fmt::print("{:<46} {:>13.0f} ms\n", "twins among 10 000 copies, 48 samples", took * 1e3);
}

void parsing() {
    std::string obj;
    std::mt19937 random(2);
    std::uniform_real_distribution<float> value(-10, 10);
    for (int i = 0; i < 200'000; ++i)
        obj += fmt::format("v {:.6f} {:.6f} {:.6f}\n", value(random), value(random), value(random));
    const std::string path = "memory.obj";
    std::vector<char> copy(obj.size());
    const double limit = best_of_five([&](int) { std::memcpy(copy.data(), obj.data(), obj.size()); });
    const double took = best_of_five([&](int) { benchmark::DoNotOptimize(parse_obj(obj.data(), obj.size(), path)); });
    line("OBJ text, points", fmt::format("{:.0f} MB/s", static_cast<double>(obj.size()) / took / 1e6), limit / took,
         "a copy of the same bytes", "≥ 250 MB/s");
}

} // namespace

static void copy_times_table(benchmark::State& state) {
    Times t(static_cast<int>(state.range(0)), 100'000);
    for (auto _ : state) copy_moments(t.plan, t.source, t.copies, OutputFrame(200), t.out);
    state.SetItemsProcessed(state.iterations() * 100'000);
}
BENCHMARK(copy_times_table)->Arg(8)->Arg(30)->Arg(1000);

int main(int argc, char** argv) {
    garland::keep_freed_memory();
    if (argc > 1) {
        benchmark::Initialize(&argc, argv);
        benchmark::RunSpecifiedBenchmarks();
        return 0;
    }
    for (int keys : {8, 30, 1000}) copy_times(keys);
    blending();
    twins();
    parsing();
}
