// The changes of garland-cli edit: each changes a project and says in words what it did.
#pragma once

#include "core/project/project.h"
#include "core/time/operations.h"

#include <CLI/App.hpp>
#include <functional>
#include <string>
#include <vector>

namespace garland {

struct Done { // what a change did, in words
    std::string words, note{};
};
using Change = std::function<Result<Done>(Project&)>;

// What the command line gives, for all changes together; each uses its own part.
struct Words {
    std::string project, timing, arrangement, source, out, range, source_range, toward = "linear", form, before, after,
                                                                                name, file, slider, target;
    double at = 1, frames = 12, speed = 1, to = 1, source_frame = 0, ramps = 0, start = 1, bpm = 120, offset = 1;
    double leave = 0, arrive = 0;
    std::vector<std::string> phrases;
    int phrase = 1, beats_per_bar = 4;
    bool absorb = false, dry_run = false, off = false, remove = false, replace = false;
    std::string last_is_first, turn_twice;
    CameraMove move;
    Camera camera;
    Wobble wobble;
    std::string wobble_position, wobble_turn, settle_turn;
    std::string end = "never", settle, rate, join, between, gaps, up;
    double scale = 1, voxel = 0;
    std::string root, normals;
    std::vector<std::string> choices; // NAME=OPTION
    std::vector<std::int64_t> leave_out;
    bool take_back = false, shapes = false;
    std::int64_t changes_from = 0, shape_frames = 12;
    std::vector<std::string> files;
    WaterSpec water;
    Closing closing;
    std::string closing_way, closing_mix, closing_fade, closing_fade_out;
    double alike_below = 0.5, twin_share = 0.5, from_speed = 1;
    std::string only_moving, finding, reason;
};

// The timing meant by --timing, or the only one.
Result<TimingId> timing_of(const Project& project, const Words& words);

// A change of one timing.
Change on_timing(const Words& w, std::function<Result<Done>(Timing&, const Project&)> change);
Change operation(const Words& w, OperationKind kind);
Change lengthen_to_source(const Words& w); // opens the source to learn its frames
Result<Done> set_key(Timing& t, const Words& w, bool speed);
Result<Done> drop_key(Timing& t, const Words& w);
Result<Done> set_form(Timing& t, const Words& w);
Result<Done> set_phrases(Timing& t, const Project& p, const Words& w);
Result<Done> to_the_beat(Timing& t, const Project& p, const Words& w);
Result<Done> set_outside(Timing& t, const Words& w);
Result<Done> set_slider(Timing& t, const Words& w);
Result<Done> take_curve(Timing& t, const Words& w);
Result<Done> set_settings(Project& p, const Words& w, const CLI::App& given);
Result<Done> ignore_finding(Project& p, const Words& w); // checks the project to find it
Result<Done> set_tempo(Project& p, const Words& w);
Result<Done> set_marker(Project& p, const Words& w);
Result<Done> share(Project& p, const Words& w);
Result<Done> separate(Project& p, const Words& w);
Result<Done> camera_key(Project& p, const Words& w, const CLI::App& given);
Result<Done> camera_move(Project& p, const Words& w);
Result<Done> set_wobble(Project& p, const Words& w);
Result<Done> take_source(Project& p, const Words& w, const CLI::App& given);
Result<Done> gather(Project& p, const Words& w);                               // opens files to learn their frames
Result<Done> repeat_source(Project& p, const Words& w);                        // of a source that loops as it is
Result<Done> close_loop_of(Project& p, const Words& w, const CLI::App& given); // opens the source to look at its frames
Result<Done> set_water(Project& p, const Words& w, const CLI::App& given);     // of a source, or a new one

} // namespace garland
