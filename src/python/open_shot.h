// A project in a program of one's own: opened or made, edited as JSON, asked, and handed off. What the Python module
// binds.
#pragma once

#include "core/project/findings.h"
#include "core/project/show.h"
#include "io/handoff/outputs.h"
#include "io/project/open_project.h"

#include <memory>
#include <string>
#include <vector>

namespace garland {

class OpenShot {
  public:
    // Errors: those of open_project; sources that are not there are listed in missing().
    static Result<OpenShot> open(const std::string& path, Progress& progress);
    static Result<OpenShot> create(const std::string& name, const std::string& rate, FrameRange range);

    const Project& project() const { return project_; }
    const Show& show() const { return *show_; }
    const std::string& path() const { return path_; } // empty: never saved
    const std::vector<MissingSource>& missing() const { return missing_; }

    std::string text() const; // as the project file
    // Takes the place of the project; sources that are new are opened. Nothing changes on an error.
    Result<void> set_text(const std::string& text, Progress& progress);

    // A source with a timing that plays it once, and an arrangement of one copy. Its id.
    // choices: "animation=gust", as open_chosen takes them.
    Result<std::uint64_t> add_source(const std::string& path, const std::string& name,
                                     const std::vector<std::string>& choices, Progress& progress);
    // One made in memory: points of each frame, faces that stay. It is not in the file: see save(). Errors: invalid,
    // for frames of different lengths, corners past the points, or no frame.
    Result<std::uint64_t> add_frames(const std::string& name, std::vector<PosePtr> frames, Rate rate, bool velocities);

    // Errors: unsupported, where a source is in memory only; those of save_project.
    Result<void> save(const std::string& path, bool replace);

    struct CopyState {
        std::vector<CopyMoment> moments;
        std::vector<Placement> places;
    };
    // All copies at an output frame, by number. Errors: those of reading what carries them.
    Result<CopyState> at(double frame, Progress& progress) const;
    // Source frames, frames · copies of them; NaN where a copy is not shown.
    std::vector<double> times(const std::vector<double>& frames) const;

    struct PosedCopy {
        PosePtr pose; // null: not shown
        std::vector<V3f> points, normals, corner_normals, velocities;
    };
    // A copy's geometry in the scene. Errors: not_found; those of reading.
    Result<PosedCopy> copy_at(std::int64_t number, double frame, Progress& progress) const;
    // A source's pose at a source frame, in its own space. Errors: not_found; those of reading.
    Result<PosePtr> source_at(std::uint64_t source, double source_frame, Progress& progress) const;

    HandoffInput input() const { return {project_, sources_, show_, *cache_}; }

  private:
    OpenShot() : cache_(std::make_unique<PoseCache>(std::size_t(1) << 30)) {}
    Result<void> take(Project project, Progress& progress);
    Project project_;
    std::string path_;
    OpenSources sources_;
    std::vector<MissingSource> missing_;
    std::unique_ptr<PoseCache> cache_;
    ShowPtr show_;
};

} // namespace garland
