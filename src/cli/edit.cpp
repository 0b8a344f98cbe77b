#include "cli/edit.h"

#include "cli/edit_commands.h"
#include "cli/edit_copies.h"
#include "cli/edit_drive.h"
#include "cli/edit_words.h"
#include "cli/opened.h"
#include "core/project/timings.h"
#include "io/project/project_file.h"
#include "io/tables/export_timing.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>

namespace garland {

namespace {

using Json = nlohmann::ordered_json;

// Changes a project where it is: nobody else changes it meanwhile. "-" reads standard input and writes standard output.
int run_edit(const Words& w, const Change& change, Output out) {
    const bool piped = w.project == "-" && w.out.empty();
    std::optional<ProjectLock> lock;
    if (w.project != "-" && w.out.empty() && !w.dry_run) {
        auto taken = ProjectLock::take(w.project);
        if (!taken) return report_error(taken.error(), out);
        lock.emplace(std::move(*taken));
    }
    ProjectStamp stamp;
    auto project = load(w.project, &stamp);
    if (!project) return report_error(project.error(), out);
    const Project before = *project;
    auto done = change(*project);
    if (done) {
        if (auto ok = validate(*project); !ok) done = tl::unexpected(ok.error());
    }
    if (!done) {
        Error error = done.error();
        if (error.kept.empty()) error.kept = "the project as it is";
        return report_error(error, out);
    }
    const bool same = *project == before;
    const std::string to = w.out.empty() ? w.project : w.out;
    if (!w.dry_run && piped) {
        fmt::print("{}", project_text(*project));
        say(fmt::format("{}{}\n", done->words, done->note.empty() ? "" : "; " + done->note));
        return exit_fine;
    }
    if (!w.dry_run) {
        const bool over = w.out.empty() || w.replace;
        if (auto saved = save_project(to, *project, over ? Existing::replace : Existing::refuse,
                                      w.out.empty() ? &stamp : nullptr, lock ? &*lock : nullptr);
            !saved) {
            return report_error(saved.error(), out);
        }
    }
    if (out.json) {
        Json j{{"done", done->words}, {"changed", !same}};
        if (!done->note.empty()) j["note"] = done->note;
        if (!w.dry_run) j["project"] = to;
        print_json(j);
    } else {
        fmt::print("{}{}{}\n", w.dry_run ? "would do: " : "", done->words, same ? "; no change" : "");
        if (!done->note.empty()) fmt::print("{}\n", done->note);
    }
    return exit_fine;
}

int run_curve(const Words& w, Output out) {
    auto project = load(w.project);
    if (!project) return report_error(project.error(), out);
    auto id = timing_of(*project, w);
    if (!id) return report_error(id.error(), out);
    const Timing& t = *project->timing(*id);
    auto note = export_timing(*project, *id, w.out, w.replace ? Existing::replace : Existing::refuse);
    if (!note) return report_error(note.error(), out);
    if (out.json) {
        print_json({{"file", w.out}, {"timing", t.name}, {"note", *note}});
    } else {
        fmt::print("the timing \"{}\" written to {}{}\n", t.name, w.out, note->empty() ? "" : ": " + *note);
    }
    return exit_fine;
}

} // namespace

EditCommands::EditCommands(CLI::App& app, Output& out, int& code) : app_(app), out_(out), code_(code) {
    edit_ = app.add_subcommand(
        "edit", "Change a project: retime, phrases, tempo, camera, wobble, sources, arrangements, spreads");
    common(edit_);
    edit_->add_option("--out", w_->out, "Write the changed project here instead of back to its file");
    edit_->add_flag("--dry-run", w_->dry_run, "Only say what would be done");
    edit_->require_subcommand(1);
}

void EditCommands::common(CLI::App* sub) {
    sub->add_flag("--json", out_.json, "Answer as one JSON object");
    sub->add_option("PROJECT", w_->project, "A project file")->required();
    sub->add_option("--timing", w_->timing, "Which timing, by name or id; not needed where there is only one");
    sub->add_flag("--replace", w_->replace, "Replace the file written to if it already exists");
}

CLI::App* EditCommands::add_bare(const char* name, const char* what) {
    CLI::App* sub = edit_->add_subcommand(name, what);
    sub->fallthrough();
    return sub;
}

CLI::App* EditCommands::add(const char* name, const char* what, Change change) {
    CLI::App* sub = add_bare(name, what);
    sub->callback([this, change] { run(change); });
    return sub;
}

void EditCommands::run(const Change& change) {
    code_ = run_edit(*w_, change, out_);
}

void EditCommands::add_operations() {
    using enum OperationKind;
    CLI::App* sub = nullptr;
    sub = add("hold", "Hold the pose at an output frame", operation(*w_, hold));
    at(sub);
    sub->add_option("--frames", w_->frames, "For how many output frames")->required();
    sub->add_flag("--keep-end", w_->absorb, "Keep the end where it is: the rest plays faster");
    at(add("freeze", "Hold the pose at an output frame from there on", operation(*w_, freeze)));
    range(add("reverse", "Play backward", operation(*w_, reverse)), "Output frames P:Q; the whole timing if not given");
    sub = add("fit", "Play source frames onto output frames at one speed", operation(*w_, fit));
    sub->add_option("--source-range", w_->source_range, "Source frames A:B")->required();
    range(sub, "Output frames P:Q; the timing's own span if not given");
    sub = add("speed", "Multiply the speed; what follows shifts", operation(*w_, speed));
    sub->add_option("--speed", w_->speed, "1 is as it is, 0.5 half as fast")->required();
    range(sub, "Output frames P:Q; the whole timing if not given");
    sub = add("slow", "Another speed between two output frames, with ramps", operation(*w_, slow));
    sub->add_option("--speed", w_->speed, "The speed between them")->required();
    sub->add_option("--ramps", w_->ramps, "Output frames that each ramp lasts")->capture_default_str();
    range(sub, "Output frames P:Q")->required();
    sub = add("ramp", "Change evenly from one speed to another", operation(*w_, ramp));
    sub->add_option("--to-speed", w_->to, "The speed at the end; 0 comes to a stop")->required();
    sub->add_option("--from-speed", w_->from_speed, "The speed at the start")->capture_default_str();
    range(sub, "Output frames P:Q")->required();
    at(add("start", "Hold the first pose until an output frame, then play", operation(*w_, start)));
    add("lengthen", "Go on at the end as it goes there, until the source's last frame is shown",
        lengthen_to_source(*w_))
        ->add_option("--source", w_->source, "Of a timing that several sources follow: which one");
    range(add("hide-between", "Show nothing at some output frames", operation(*w_, OperationKind::hide)),
          "Output frames P:Q, both included")
        ->required();
    range(add("trim", "Keep only some output frames", operation(*w_, trim)), "Output frames P:Q")->required();
}

void EditCommands::add_keys() {
    // set_key needs to know which of the two was given.
    CLI::App* key = add_bare("key", "Set or replace a key");
    at(key);
    auto* source_option = key->add_option("--source-frame", w_->source_frame, "The source frame, for position keys");
    auto* speed_option = key->add_option("--speed", w_->speed, "Source frames an output frame, for speed keys");
    source_option->excludes(speed_option);
    key->add_option("--leave", w_->leave, "The slope with which a free key is left");
    key->add_option("--arrive", w_->arrive, "The slope with which a free stretch arrives at it");
    toward(key);
    key->callback([this, speed_option, source_option] {
        if (speed_option->count() + source_option->count() == 0) {
            report_error(Error{ErrorCode::invalid, "give --source-frame or --speed"}.advise("add one of them"), out_);
            code_ = exit_usage;
            return;
        }
        const bool speed_key = speed_option->count() > 0;
        code_ =
            run_edit(*w_, on_timing(*w_, [&](Timing& t, const Project&) { return set_key(t, *w_, speed_key); }), out_);
    });
    at(add("remove-key", "Remove a key",
           on_timing(*w_, [this](Timing& t, const Project&) { return drop_key(t, *w_); })));
    add("form", "Keep the timing as position keys or as speed keys",
        on_timing(*w_, [this](Timing& t, const Project&) { return set_form(t, *w_); }))
        ->add_option("--to", w_->form, "positions or speeds")
        ->required();
}

void EditCommands::add_lists() {
    CLI::App* sub = nullptr;
    sub = add("phrases", "Play a list of phrases",
              on_timing(*w_, [this](Timing& t, const Project& p) { return set_phrases(t, p, *w_); }));
    sub->add_option(
           "--phrase", w_->phrases,
           "One phrase: \"first:last\", then backward, there-and-back, passes N, speed V, fade N; may be given again")
        ->required();
    sub->add_option("--start", w_->start, "The output frame the list starts at")->capture_default_str();
    sub = add("to-beat", "Stretch a phrase so that it ends on a beat",
              on_timing(*w_, [this](Timing& t, const Project& p) { return to_the_beat(t, p, *w_); }));
    sub->add_option("--phrase", w_->phrase, "Which phrase, counted from 1")->required();
    sub = add("before-after", "What comes before and after the timing",
              on_timing(*w_, [this](Timing& t, const Project&) { return set_outside(t, *w_); }));
    sub->add_option("--before", w_->before, "hold, repeat, there-and-back, continue or hidden; :N for N more passes");
    sub->add_option("--after", w_->after, "The same");
    sub->add_option("--last-is-first", w_->last_is_first, "on or off: the last pose is the first one again");
    sub->add_option("--turn-twice", w_->turn_twice, "on or off: turning frames are shown twice");
    sub = add("slider", "Play the whole timing with a slider from 0 to 100 %",
              on_timing(*w_, [this](Timing& t, const Project&) { return set_slider(t, *w_); }));
    sub->add_option("--keys", w_->slider, "Output frame:per cent, as in \"1:0 50:100\"");
    sub->add_flag("--off", w_->off, "Remove it");
    toward(sub);
    sub = add("curve", "Take a timing from a file (.csv, .json)",
              on_timing(*w_, [this](Timing& t, const Project&) { return take_curve(t, *w_); }));
    sub->add_option("--from", w_->file, "The file")->required();
}

void EditCommands::add_settings() {
    CLI::App* sub = nullptr;
    CLI::App* settings =
        edit_->add_subcommand("settings", "The project's name, rate and range, and when copies count as twins");
    settings->fallthrough();
    settings->add_option("--name", w_->name, "What it is called");
    settings->add_option("--rate", w_->rate, "Output frames per second, as in 24 or 24000/1001");
    settings->add_option("--range", w_->range, "Output frames A:B");
    settings->add_option("--alike-below", w_->alike_below,
                         "Twins: two copies are alike where they differ by less; source frames");
    settings->add_option("--twins-above", w_->twin_share, "Twins: alike for more than this share of the range, 0 to 1");
    settings->add_option("--only-moving", w_->only_moving, "Twins: on or off: only frames at which copies move count");
    settings->callback([this, settings] { run([&](Project& p) { return set_settings(p, *w_, *settings); }); });

    sub = add("ignore", "Leave a finding of check as it is, or report it again",
              [this](Project& p) { return ignore_finding(p, *w_); });
    sub->add_option("--finding", w_->finding, "Its key, as check prints it")->required();
    sub->add_option("--reason", w_->reason, "Why it stays");
    sub->add_flag("--remove", w_->remove, "Report it again");
    sub = add("tempo", "Set the tempo grid", [this](Project& p) { return set_tempo(p, *w_); });
    sub->add_option("--beats-per-minute", w_->bpm, "Beats per minute")->capture_default_str();
    sub->add_option("--first-beat", w_->offset, "The output frame of the first beat")->capture_default_str();
    sub->add_option("--beats-per-bar", w_->beats_per_bar, "Beats in a bar")->capture_default_str();
    sub->add_flag("--off", w_->off, "Turn the grid off");
    sub = add("marker", "Set or remove a named marker", [this](Project& p) { return set_marker(p, *w_); });
    at(sub);
    sub->add_option("--name", w_->name, "Its name");
    sub->add_flag("--remove", w_->remove, "Remove it");
}

void EditCommands::add_timings() {
    CLI::App* sub = nullptr;
    sub = add("use-timing", "Let an arrangement follow a timing", [this](Project& p) { return share(p, *w_); });
    sub->add_option("--arrangement", w_->arrangement, "Which arrangement, by name or id");
    sub = add("make-independent", "Give an arrangement a copy of its timing to itself",
              [this](Project& p) { return separate(p, *w_); });
    sub->add_option("--arrangement", w_->arrangement, "Which arrangement, by name or id");
    sub = add("rename", "Name a timing", [this](Project& p) -> Result<Done> {
        GARLAND_TRY(id, timing_of(p, *w_));
        GARLAND_CHECK(rename_timing(p, id, w_->name));
        return Done{fmt::format("Name the timing \"{}\"", w_->name)};
    });
    sub->add_option("--name", w_->name, "Its new name")->required();
    add("remove-timing", "Remove a timing that nobody uses", [this](Project& p) -> Result<Done> {
        GARLAND_TRY(id, timing_of(p, *w_));
        const std::string name = p.timing(id)->name;
        GARLAND_CHECK(remove_timing(p, id));
        return Done{fmt::format("Remove the timing \"{}\"", name)};
    });
}

void EditCommands::add_camera() {
    CLI::App* sub = nullptr;
    CLI::App* camera = add_bare("camera-key", "Set or remove a key of the camera");
    at(camera);
    camera->add_option("--target", w_->target, "Where it looks: x,y,z");
    camera->add_option("--distance", w_->camera.distance, "From the target, in m");
    camera->add_option("--azimuth", w_->camera.azimuth, "Degrees around the target");
    camera->add_option("--elevation", w_->camera.elevation, "Degrees above the horizon");
    camera->add_option("--field-of-view", w_->camera.field_of_view, "Vertical field of view in degrees");
    camera->add_flag("--remove", w_->remove, "Remove it");
    toward(camera);
    camera->callback([this, camera] { run([&](Project& p) { return camera_key(p, *w_, *camera); }); });
    sub = add("camera-move", "Turn around the target, dolly, along an arc",
              [this](Project& p) { return camera_move(p, *w_); });
    range(sub, "Output frames P:Q")->required();
    sub->add_option("--turn", w_->move.turn, "Degrees around the target");
    sub->add_option("--rise", w_->move.rise, "Degrees of elevation");
    sub->add_option("--dolly", w_->move.dolly, "The distance at the end, over that at the start");
    sub->add_option("--move-target", w_->target, "How far the target moves: x,y,z");
    toward(sub);
    add("camera-clear", "Remove all keys of the camera", [](Project& p) -> Result<Done> {
        p.settings.camera_keys.clear();
        return Done{"Remove all camera keys"};
    });
}

void EditCommands::add_wobble() {
    CLI::App* sub = nullptr;
    sub = add("wobble", "Seeded smooth noise on where copies stand", [this](Project& p) { return set_wobble(p, *w_); });
    sub->add_option("--arrangement", w_->arrangement, "Which arrangement, by name or id");
    sub->add_option("--source", w_->source, "Or a source: all its copies");
    sub->add_option("--place", w_->wobble_position, "Largest offset on each axis, or x,y,z; m [0.1]");
    sub->add_option("--turn", w_->wobble_turn,
                    "Largest turn about the vertical axis, or x,y,z: pitch, turn and bank; degrees [0]");
    sub->add_option("--size", w_->wobble.size, "Up to this share larger or smaller")->capture_default_str();
    sub->add_option("--changes", w_->wobble.rate, "Changes per second")->capture_default_str();
    sub->add_option("--seed", w_->wobble.seed, "Each seed gives another wobble")->capture_default_str();
    sub->add_flag("--all-alike", w_->wobble.together, "All copies move alike");
    sub->add_option("--end", w_->end, "never, \"fade out\", freeze or settle")->capture_default_str();
    sub->add_option("--at", w_->at, "The output frame at which it ends");
    sub->add_option("--ease", w_->wobble.ease, "Output frames that letting go and settling take")
        ->capture_default_str();
    sub->add_option("--settle-place", w_->settle, "Where it settles, from the copy's own place: x,y,z");
    sub->add_option("--settle-turn", w_->settle_turn, "The same in degrees, or x,y,z");
    sub->add_option("--settle-size", w_->wobble.settle_size, "The same as a share of the size");
    sub->add_flag("--off", w_->off, "Turn it off");
}

void EditCommands::add_all() {
    add_operations();
    add_keys();
    add_lists();
    add_settings();
    add_timings();
    add_camera();
    add_wobble();
    add_source();
    add_loops();
    add_sources();
    const RunChange run_it = [this](const Change& change) { run(change); };
    add_copy_commands(*edit_, w_, run_it);
    add_drive_commands(*edit_, w_, run_it);

    CLI::App* curve = app_.add_subcommand("curve", "Write a timing as a curve: .csv, .json, or phrases as .otio");
    common(curve);
    curve->add_option("--out", w_->out, "The file to write")->required();
    // Holding itself here, it lives as long as the parser.
    curve->callback([self = shared_from_this()] { self->code_ = run_curve(*self->w_, self->out_); });
}

void add_edit_commands(CLI::App& app, Output& out, int& code) {
    std::make_shared<EditCommands>(app, out, code)->add_all();
}

} // namespace garland
