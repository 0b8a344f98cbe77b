#include "cli/opened.h"

#include "core/base/numbers.h"
#include "core/project/drive_ground.h"
#include "render/contact.h"
#include "render/picture_file.h"
#include "render/preview.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <sstream>

namespace garland {

namespace {

template <class T>
std::optional<T> word_in(const std::string& word, std::initializer_list<T> all) {
    for (T one : all) {
        if (word == to_text(one)) return one;
    }
    return {};
}

constexpr const char *colour_words = "materials, \"source frame\", delay, speed, level, copy, twins or spread",
                     *alone_words = "materials, \"source frame\", delay, speed, level or copy"; // of a copy alone

// The number of a spread over all arrangements, from 1.
Result<SpreadId> spread_of(const Project& project, int number) {
    int n = 0;
    for (const Arrangement& a : project.arrangements) {
        for (const Spread& s : a.spreads) {
            if (++n == number) return s.id;
        }
    }
    return fail(Error{ErrorCode::not_found, n == 0 ? std::string("the project has no spread to colour by")
                                                   : fmt::format("there is no spread {}: there are {}", number, n)}
                    .advise("they are counted over all arrangements from 1, as they stand in Vary")
                    .keeping("nothing was written"));
}

Result<PreviewColour> colour_of(const std::string& word, bool alone = false) {
    using C = PreviewColour;
    const auto colour =
        word_in(word, {C::look, C::source_frame, C::delay, C::speed, C::level, C::copy, C::twins, C::spread});
    if (colour && !(alone && (*colour == C::twins || *colour == C::spread))) return *colour;
    return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" is nothing to colour by", word)}
                    .keeping("nothing was written")
                    .advise(fmt::format("use {}", alone ? alone_words : colour_words)));
}

Result<PreviewOrder> order_of(const PreviewWords& w) {
    auto wrong = [](std::string message, std::string advice) {
        return fail(
            Error{ErrorCode::invalid, std::move(message)}.keeping("nothing was written").advise(std::move(advice)));
    };
    PreviewOrder order;
    order.folder = w.folder, order.name = w.name;
    const auto as = preview_as(w.as);
    if (!as)
        return wrong(fmt::format("\"{}\" is no kind of preview", w.as),
                     "use png, png-16, exr, exr-float, mp4, webm, mov or mkv");
    order.as = *as;
    GARLAND_TRY(frames, whole_steps(w.frames));
    order.frames = frames;
    order.look = w.look;
    using enum PreviewGround;
    const auto ground = word_in(w.ground, {shown, shadow, none});
    if (!ground) return wrong(fmt::format("\"{}\" is no ground", w.ground), "use shown, shadow or none");
    order.look.ground = *ground;
    GARLAND_TRY(colour, colour_of(w.colour));
    order.look.colour = colour;
    if (w.size.size() > 0) {
        const auto x = w.size.find('x');
        const auto width = parse_number(w.size.substr(0, x)),
                   height = x == w.size.npos ? std::nullopt : parse_number(w.size.substr(x + 1));
        if (!width || !height || *width != std::floor(*width) || *height != std::floor(*height) ||
            std::abs(*width) > 1e9 || std::abs(*height) > 1e9)
            return wrong(fmt::format("\"{}\" is no size of a picture", w.size),
                         "write 960x540: width and height in pixels");
        order.look.width = static_cast<int>(*width), order.look.height = static_cast<int>(*height);
    }
    if (w.quick) {
        order.look.width = std::max(2, order.look.width / 4 * 2),
        order.look.height = std::max(2, order.look.height / 4 * 2);
        order.look.samples = 1;
        order.look.shutter = 0;
    }
    GARLAND_TRY(overlay, overlay_of(w.overlay));
    order.overlay = overlay;
    if (w.replace && w.keep) return wrong("files cannot be kept and replaced", "use --keep or --replace");
    order.existing = w.replace ? PreviewExisting::replace : w.keep ? PreviewExisting::keep : PreviewExisting::refuse;
    order.sound = !w.silent;
    return order;
}

// "1,5,20:24": numbers from 1.
Result<std::vector<std::int64_t>> copies_listed(const std::string& text) {
    std::vector<std::int64_t> out;
    std::istringstream words(text);
    for (std::string one; std::getline(words, one, ',');) {
        const auto colon = one.find(':');
        const auto first = parse_number(one.substr(0, colon)),
                   last = colon == one.npos ? first : parse_number(one.substr(colon + 1));
        if (!first || !last || *first < 1 || *last < *first || *last > 1e9 || *first != std::floor(*first))
            return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" is no copy", one)}.advise("write 1,5,20:24"));
        for (double n = *first; n <= *last && out.size() < 100'000; ++n)
            out.push_back(static_cast<std::int64_t>(n) - 1);
    }
    return out;
}

} // namespace

void preview_options(CLI::App& app, PreviewWords& w) {
    app.add_option("PROJECT", w.project, "A project file")->required();
    app.add_option("--out", w.folder, "The folder to write into")->required();
    frames_option(&app, w.frames)->required();
    app.add_option("--name", w.name, "What files are called before their number")->capture_default_str();
    app.add_option("--as", w.as, "png, png-16, exr, exr-float; mp4, webm, mov or mkv: one movie")
        ->capture_default_str();
    app.add_option("--size", w.size, "Width and height in pixels [960x540]");
    app.add_option("--samples", w.look.samples, "Samples a pixel, 1 to 4096")->capture_default_str();
    app.add_option("--shutter", w.look.shutter, "Degrees of a frame it is open, 0 to 360; 0: no motion blur")
        ->capture_default_str();
    app.add_option("--motion-steps", w.look.motion_steps, "Moments over the shutter: 3, 5 … 15")->capture_default_str();
    app.add_flag("--transparent", w.look.transparent, "No sky: alpha is what is covered");
    app.add_option("--ground", w.ground, "shown, shadow (only where shadows fall) or none")->capture_default_str();
    app.add_option("--colour", w.colour, colour_words)->capture_default_str();
    app.add_option("--spread", w.spread, "With --colour spread: which one, counted over all arrangements from 1")
        ->capture_default_str();
    app.add_option("--exposure", w.look.exposure, "Stops")->capture_default_str();
    app.add_option("--thickness", w.look.thickness, "Of volumes: extinction a metre at a density of 1")
        ->capture_default_str();
    app.add_flag("--passes", w.look.passes, "EXR: depth, motion, normals and numbers too");
    app.add_option("--overlay", w.overlay,
                   "Words over the picture: frame, time, project, colours; with commas between them");
    app.add_flag("--quick", w.quick, "A quick look: half the size, one sample, no blur");
    app.add_flag("--silent", w.silent, "A movie without the project's sounds");
    app.add_flag("--keep", w.keep, "Keep pictures that are there: go on where it was stopped");
    app.add_flag("--replace", w.replace, "Replace files that already exist");
    app.add_flag("--dry-run", w.dry_run, "Only say how much would be written");
}

void contact_options(CLI::App& app, ContactWords& w) {
    app.add_option("PROJECT", w.project, "A project file")->required();
    app.add_option("--out", w.file, "The PNG file to write")->required();
    frames_option(&app, w.frames)->required();
    app.add_option("--copies", w.copies, "Their numbers, as in 3,5,9:12 [twelve, evenly over all]");
    app.add_option("--tile", w.tile, "Pixels of a picture's side")->capture_default_str();
    app.add_option("--samples", w.samples, "Samples a pixel")->capture_default_str();
    app.add_option("--colour", w.colour, alone_words)->capture_default_str();
    app.add_flag("--replace", w.replace, "Replace the file if it already exists");
}

int contact_command(const ContactWords& w, Output out) {
    auto frames = whole_steps(w.frames);
    if (!frames) return usage(frames.error(), out);
    auto colour = colour_of(w.colour, true);
    if (!colour) return usage(colour.error(), out);
    auto copies = copies_listed(w.copies);
    if (!copies) return usage(copies.error(), out);
    TerminalProgress progress(out);
    auto opened = open(w.project, progress);
    if (!opened) return report_error(opened.error(), out);
    if (!opened->project.missing.empty()) return report_error(opened->project.missing.front().error, out);
    if (!w.replace && file_exists(w.file))
        return report_error(Error{ErrorCode::exists, "already exists"}
                                .at(w.file)
                                .keeping("nothing was written")
                                .advise("choose another name, or replace it with --replace"),
                            out);
    ContactOrder order;
    order.copies = copies->empty() ? some_copies(*opened->show, 12) : *copies;
    for (std::int64_t f = frames->range.first; f <= frames->range.last && order.frames.size() < 10'000;
         f += frames->step)
        order.frames.push_back(f);
    order.tile = w.tile, order.samples = w.samples, order.colour = *colour;
    auto sheet = contact_sheet(*opened->show, opened->project.project, order, progress);
    if (!sheet) return report_error(sheet.error(), out);
    if (auto ok = write_png(w.file, *sheet, 8, false, 0, w.replace ? Existing::replace : Existing::refuse); !ok)
        return report_error(ok.error(), out);
    if (out.json) {
        print_json({{"file", w.file},
                    {"width", sheet->width},
                    {"height", sheet->height},
                    {"copy_count", order.copies.size()},
                    {"frames", order.frames.size()}});
    } else {
        fmt::print("{} written: {} by {}, {} × {} pixels\n", w.file, counted(order.copies.size(), "copy", "copies"),
                   counted(order.frames.size(), "frame", "frames"), sheet->width, sheet->height);
    }
    return exit_fine;
}

int preview_command(const PreviewWords& w, Output out) {
    auto order = order_of(w);
    if (!order) return usage(order.error(), out);
    TerminalProgress progress(out);
    auto opened = open(w.project, progress);
    if (!opened) return report_error(opened.error(), out);
    if (!opened->project.missing.empty()) return report_error(opened->project.missing.front().error, out);
    const Project& project = opened->project.project;
    if (order->look.colour == PreviewColour::spread) {
        auto spread = spread_of(project, w.spread);
        if (!spread) return report_error(spread.error(), out);
        order->look.spread = *spread;
    }
    auto size = estimate(*order, progress);
    if (!size) {
        size.error().kept = "nothing was written";
        return report_error(size.error(), out);
    }
    const bool camera = opened->show->camera.keyed();
    if (w.dry_run) {
        if (out.json) {
            print_json({{"file_count", size->files},
                        {"bytes", size->bytes},
                        {"free", size->free},
                        {"existing", size->existing},
                        {"camera_keys", camera}});
        } else {
            fmt::print("{}, about {} in all; {} free{}\n", counted(size->files, "file", "files"),
                       byte_count(size->bytes), byte_count(size->free),
                       size->existing ? fmt::format("; {} already there", size->existing) : std::string());
        }
        return exit_fine;
    }
    if (!camera && !out.json) say("note: the camera has no keys: pictures are seen as the project was saved\n");
    const std::vector<HeardSound> sounds = heard_sounds(project, opened->project.sources);
    auto done = preview(*opened->show, project, sounds, *order, progress);
    if (!done) return report_error(done.error(), out);
    if (out.json) {
        print_json({{"files", done->files}, {"frames", done->frames}, {"kept", done->kept}, {"bytes", done->bytes}});
        return exit_fine;
    }
    const bool movie = movie_of(order->as).has_value();
    std::string kept;
    if (done->kept)
        kept = movie
                   ? fmt::format("; {} made before it was stopped", counted(done->kept, "of them was", "of them were"))
                   : fmt::format("; {} kept",
                                 counted(done->kept, "picture was there and is", "pictures were there and are"));
    if (done->files.empty()) {
        fmt::print("nothing to do{}\n", movie ? "; it is there" : kept);
    } else {
        fmt::print("{} in {}, {}{}\n", counted(done->frames + (movie ? done->kept : 0), "frame", "frames"),
                   done->files.size() == 1
                       ? done->files.front()
                       : fmt::format("{} files from {} on", done->files.size(), done->files.front()),
                   byte_count(done->bytes), kept);
    }
    return exit_fine;
}

} // namespace garland
