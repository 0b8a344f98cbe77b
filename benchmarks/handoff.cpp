// What writing a hand-off costs, beside a plain write of the same bytes in the same run: handoff [FOLDER [.ply]]
#include "core/base/memory.h"
#include "io/handoff/outputs.h"
#include "io/npy/npy.h"
#include "io/ply/ply.h"
#include "io/project/open_project.h"

#include <chrono>
#include <cmath>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <functional>
#include <stop_token>
#include <string_view>
#include <thread>
#include <unistd.h>

using namespace garland;

namespace {

double seconds_of(const std::function<void()>& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

double status_gigabytes(std::string_view word) {
    std::ifstream status("/proc/self/status");
    for (std::string line; std::getline(status, line);)
        if (line.starts_with(word)) return std::stod(line.substr(word.size() + 1)) / 1e6;
    return 0;
}

// The most memory of the program's own while this lives, looked at two hundred times a second. Pages of files that are
// mapped, as arrays are, do not count: the system has them in memory as long as it likes.
class OwnMemory {
  public:
    double stop() {
        watch_.request_stop();
        watch_.join();
        return most_;
    }

  private:
    double most_ = 0;
    std::jthread watch_{[this](const std::stop_token& stop) {
        while (!stop.stop_requested()) {
            most_ = std::max(most_, status_gigabytes("RssAnon"));
            std::this_thread::sleep_for(std::chrono::milliseconds(5));
        }
    }};
};

// Files of these sizes, each on the disk before the next one: the least that writing them safely costs.
double plain_write(const std::string& folder, const std::vector<double>& sizes) {
    std::vector<char> block(std::size_t(1) << 22, 'x');
    for (std::size_t i = 0; i < block.size(); i += 64) block[i] = static_cast<char>(i * 7);
    return seconds_of([&] {
        for (std::size_t k = 0; k < sizes.size(); ++k) {
            const std::string path = fmt::format("{}/plain.{}", folder, k);
            const int file = ::open(path.c_str(), O_CREAT | O_TRUNC | O_WRONLY, 0644);
            for (double left = sizes[k]; left > 0; left -= static_cast<double>(block.size())) {
                const auto now = static_cast<std::size_t>(std::min(left, static_cast<double>(block.size())));
                if (::write(file, block.data(), now) < 0) std::abort();
            }
            ::fsync(file);
            ::close(file);
        }
    });
}

// A sheet of side² points that waves for `frames` frames: NAME.npy with NAME.ply.
void write_sheet(const std::string& stem, std::size_t side, std::size_t frames) {
    Pose pose;
    auto faces = std::make_shared<Faces>();
    faces->starts.push_back(0);
    for (std::uint32_t y = 0; y + 1 < side; ++y) {
        for (std::uint32_t x = 0; x + 1 < side; ++x) {
            const auto n = static_cast<std::uint32_t>(side), i = y * n + x;
            for (const std::uint32_t c : {i, i + 1, i + n + 1, i + n}) faces->corners.push_back(c);
            faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
        }
    }
    pose.faces = faces;
    auto array = NpyWriter::create(stem + ".npy", frames, side * side, NpyType::f32, Existing::replace);
    if (!array) std::abort();
    for (std::size_t f = 0; f < frames; ++f) {
        pose.points.clear();
        for (std::size_t i = 0; i < side * side; ++i) {
            const auto x = static_cast<float>(i % side) * 0.01f, z = static_cast<float>(i / side) * 0.01f;
            pose.points.emplace_back(x, 0.2f * std::sin(3 * x + 0.3f * static_cast<float>(f)), z);
        }
        array->add(pose.points);
        if (f == 0 && !write_ply(stem + ".ply", pose, PlyForm::little_endian, Existing::replace)) std::abort();
    }
    if (!array->commit()) std::abort();
}

struct Shot {
    OpenedProject opened;
    PoseCache cache;
    ShowPtr show;
    Shot(const std::string& npy, std::int64_t frames, int columns, int rows, std::size_t limit) : cache(limit) {
        Project p;
        p.settings.range = {1, 240};
        add_source(p, "sheet", npy, {0, frames - 1, {24, 1}});
        Arrangement& a = p.arrangements[0];
        a.layout.kind = ArrangementKind::grid, a.layout.columns = columns, a.layout.rows = rows;
        Spread late;
        late.id = SpreadId(p.next_id++), late.to = 90, late.whole_frames = false;
        a.spreads = {late};
        p.timings[0].before.mode = p.timings[0].after.mode = OutsideMode::repeat;
        auto open = open_project(std::move(p), npy + ".garland");
        if (!open) fmt::print("{}\n", describe(open.error())), std::abort();
        opened = std::move(*open);
        show = make_show(opened.project, opened.sources, cache);
    }
    HandoffInput input() { return {opened.project, opened.sources, show, cache}; }
};

void row(const std::string& folder, Shot& shot, HandoffOrder order, double goal) {
    order.folder = folder + "/out", order.existing = WhatIsThere::replace;
    double best = 1e30, plain = 1e30;
    HandoffDone done;
    for (int round = 0; round < 3; ++round) {
        std::filesystem::remove_all(order.folder);
        ::sync(); // what others have to write is no part of it
        best = std::min(best, seconds_of([&] {
                            auto written = hand_off(shot.input(), order);
                            if (!written) fmt::print("{}\n", describe(written.error())), std::abort();
                            done = std::move(*written);
                        }));
        std::vector<double> sizes;
        for (const std::string& file : done.files)
            sizes.push_back(static_cast<double>(std::filesystem::file_size(file)));
        std::filesystem::remove_all(order.folder);
        std::filesystem::create_directories(order.folder);
        ::sync();
        plain = std::min(plain, plain_write(order.folder, sizes));
    }
    fmt::print(
        "{:<16} {:<6} {:>8.2f} GB {:>8.2f} s   {:>6.0f} MB/s   {:>5.2f} of a plain write's speed ({:.2f} s)   {}\n",
        order.output, order.ending, done.bytes / 1e9, best, done.bytes / 1e6 / best, plain / best, plain,
        goal > 1 ? fmt::format("goal {:.0f} MB/s", goal) : fmt::format("goal {:.2f}", goal));
    std::filesystem::remove_all(order.folder);
}

} // namespace

int main(int argc, char** argv) {
    keep_freed_memory();
    const bool own = argc < 2;
    const std::string folder = own ? (std::filesystem::temp_directory_path() / "garland-handoff").string() : argv[1];
    std::filesystem::create_directories(folder);
    constexpr std::size_t frame_points = 4 * 500 * 500, limit = std::size_t(200) << 20;
    write_sheet(folder + "/sheet", 500, 24);
    {
        const double before = status_gigabytes("RssAnon");
        OwnMemory memory;
        Shot shot(folder + "/sheet.npy", 24, 2, 2, limit);
        const std::string only = argc > 2 ? argv[2] : "";
        const std::tuple<const char*, std::int64_t, double> rows[] = {
            {".ply", 24, 0.8}, {".npy", 24, 0.9}, {".usdc", 24, 0.6}, {".usda", 4, 250}, {".obj", 4, 250}};
        for (const auto& [ending, frames, goal] : rows) {
            if (only.empty() || only == ending)
                row(folder, shot, {"posed-copies", ending, {}, "copies", {{1, frames}, 1}}, goal);
        }
        if (!only.empty()) return 0;
        fmt::print("memory while writing: {:.2f} GB at most, {:.2f} of it before; the cache may hold {:.2f}, and two "
                   "frames are {:.2f}\n",
                   memory.stop(), before, static_cast<double>(limit) / 1e9,
                   2 * static_cast<double>(frame_points) * 24 / 1e9);
    }
    write_sheet(folder + "/small", 48, 96); // as many points as a lantern of the festival
    Shot field(folder + "/small.npy", 96, 100, 100, limit);
    HandoffOrder order{"shared-poses", ".usdc", folder + "/out", "copies", {{1, 240}, 1}};
    order.existing = WhatIsThere::replace;
    const double took = seconds_of([&] {
        if (auto done = hand_off(field.input(), order); !done) fmt::print("{}\n", describe(done.error())), std::abort();
    });
    fmt::print("10 000 copies over 240 frames as shared poses: {:.1f} s   goal 10 s\n", took);
    std::filesystem::remove_all(folder + "/out");
    if (own) std::filesystem::remove_all(folder);
    return 0;
}
