// One program a reader: what libFuzzer gives is written to a file with the reader's ending and opened as a source, with
// a few of its frames read. A reader may refuse; it must not crash, hang, or take memory beyond the limit it runs
// under.
//   GARLAND_FUZZ_NAME: the file's name, ending included
#include "io/handoff/job_file.h"
#include "io/handoff/manifest.h"
#include "io/project/open_project.h"
#include "io/project/project_file.h"
#include "io/sources/converted.h"
#include "io/sources/open_source.h"

#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <string>
#include <unistd.h>

namespace {

const std::string& folder() {
    static const std::string& made = *[] { // outlives what removes it
        char name[] = "/tmp/garland-fuzz-XXXXXX";
        if (!mkdtemp(name)) std::abort();
        std::atexit([] {
            std::error_code none;
            std::filesystem::remove_all(folder(), none);
        });
        return new std::string(name);
    }();
    return made;
}

} // namespace

// OpenVDB 10.0 loses the node it was reading when what a file holds cannot be unpacked: RootNode::readTopology throws
// between making it and keeping it. Some 0.3 MB for each such file; nothing here can free it.
extern "C" const char* __lsan_default_suppressions() {
    return "leak:*RootNode*readTopology*\n";
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace garland;
    const std::string name = GARLAND_FUZZ_NAME, path = folder() + "/" + name;
    std::FILE* file = std::fopen(path.c_str(), "wb");
    if (!file) std::abort();
    std::fwrite(data, 1, size, file);
    std::fclose(file);
    if (name.ends_with(".garland")) {
        const auto project = load_project(path);
        if (project) project_text(*project);
        return 0;
    }
    if (name.ends_with(".handoff")) {
        if (const auto job = read_job(path)) (void)state_of(*job);
        (void)verify_handoff(path);
        return 0;
    }
    if (name.ends_with(".npz")) { // what the run before unpacked
        setenv("XDG_CACHE_HOME", folder().c_str(), 1);
        clear_converted();
    }
    if (name.ends_with(".npy")) { // an array needs its mesh
        std::FILE* mesh = std::fopen((folder() + "/f.obj").c_str(), "wb");
        std::fputs("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", mesh);
        std::fclose(mesh);
    }
    const auto source = open_source(path);
    if (!source) return 0;
    const SourceFacts& f = (*source)->facts();
    for (std::int64_t frame = f.first; frame <= f.last && frame < f.first + 3; ++frame)
        (void)(*source)->read(frame, Progress::none());
    if ((*source)->any_time())
        (void)(*source)->exact_at(static_cast<double>(f.first) + 0.5, SubFrame::linear, Progress::none());
    return 0;
}
