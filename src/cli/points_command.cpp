// garland-cli vdb-points: what opening an OpenVDB file of points runs (io/vdb/point_grids.h). Not for people: it has
// no place in help, and says what goes wrong in one line.
#include "cli/commands.h"

#include "io/files/file.h"
#include "io/files/series.h"
#include "io/vdb/point_grids.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <sys/resource.h>

namespace garland {

namespace {

// Whoever runs this reads per cents.
class Lines final : public Progress {
  public:
    void report(double share, std::string_view) override {
        const int now = static_cast<int>(std::floor(share * 100));
        if (now == last_) return;
        last_ = now;
        fmt::print("{} %\n", now);
        std::fflush(stdout);
    }

  private:
    int last_ = -1;
};

// Damaged files claim what they like: more than this is refused by the system.
void limit_memory(const std::string& path) {
    double largest = 0;
    if (const auto series = find_series(path)) {
        for (const auto& [frame, file] : series->files) {
            std::error_code error;
            const auto bytes = std::filesystem::file_size(file, error);
            if (!error) largest = std::max(largest, static_cast<double>(bytes));
        }
    }
    const auto most = static_cast<rlim_t>(4e9 + 40 * largest);
    double pages = 0; // of addresses in use; a program under a sanitizer keeps terabytes and cannot be limited so
    std::ifstream("/proc/self/statm") >> pages;
    if (pages * 4096 > static_cast<double>(most) / 2) return;
    const rlimit limit{most, most};
    static_cast<void>(::setrlimit(RLIMIT_AS, &limit));
}

} // namespace

int points_command(const std::string& path, const std::string& out) {
    limit_memory(path);
    Lines lines;
    const auto done = write_points_of(path, out, lines);
    if (done) return 0;
    say(fmt::format("{}\n", describe(done.error())));
    return points_refused;
}

} // namespace garland
