#include "render/preview.h"

#include "core/base/numbers.h"
#include "core/project/value_range.h"
#include "io/handoff/file_names.h"
#include "render/picture_file.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>

namespace garland {

namespace {

struct As {
    PreviewAs as;
    const char *word, *ending;
    double bytes_a_pixel; // about, packed
};
const As kinds[] = {{PreviewAs::png, "png", ".png", 1.4},  {PreviewAs::png16, "png-16", ".png", 5},
                    {PreviewAs::exr, "exr", ".exr", 5},    {PreviewAs::exr_float, "exr-float", ".exr", 11},
                    {PreviewAs::mp4, "mp4", ".mp4", 0.03}, {PreviewAs::webm, "webm", ".webm", 0.03},
                    {PreviewAs::mov, "mov", ".mov", 0.6},  {PreviewAs::mkv, "mkv", ".mkv", 1.2}};

const As& kind(PreviewAs as) {
    return kinds[static_cast<int>(as)];
}

Result<void> check(const PreviewOrder& order) {
    GARLAND_CHECK(validate(order.look));
    if (order.frames.range.last < order.frames.range.first || order.frames.step < 1)
        return fail(Error{ErrorCode::invalid, "the range of frames is empty"}.advise(
            "give first:last, with last at or after first"));
    const auto movie = movie_of(order.as);
    GARLAND_CHECK(validate_name(order.name, !movie));
    if (!movie) return {};
    if (order.look.passes)
        return fail(Error{ErrorCode::invalid, "a movie has no passes"}.advise("choose EXR for passes"));
    return can_make(*movie, order.look.width, order.look.height, order.look.transparent);
}

Existing existing_of(const PreviewOrder& order) {
    return order.existing == PreviewExisting::replace ? Existing::replace : Existing::refuse;
}

Result<void> write_picture(const Project& project, const PreviewOrder& order, std::int64_t frame, const Picture& p) {
    const std::string path = picture_path(order, frame);
    switch (order.as) {
    case PreviewAs::exr:
    case PreviewAs::exr_float:
        return write_exr(path, p, order.as == PreviewAs::exr, project.settings.rate, existing_of(order));
    default:
        return write_png(path, p, order.as == PreviewAs::png16 ? 16 : 8, order.look.transparent, order.look.exposure,
                         existing_of(order));
    }
}

std::vector<float> mixed_sound(const Project& project, std::span<const HeardSound> sounds, const FrameSteps& frames) {
    if (sounds.empty() || frames.step != 1) return {};
    const double rate = project.settings.rate.per_second();
    const double seconds = static_cast<double>(frames.range.count()) / rate;
    std::vector<float> out(static_cast<std::size_t>(std::llround(seconds * 48'000)));
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] =
            heard_at(sounds, static_cast<double>(frames.range.first) + static_cast<double>(i) / 48'000 * rate, rate);
    return out;
}

} // namespace

const char* to_text(PreviewAs as) {
    return kind(as).word;
}
std::optional<PreviewAs> preview_as(std::string_view word) {
    for (const As& k : kinds) {
        if (word == k.word) return k.as;
    }
    return {};
}
const char* ending(PreviewAs as) {
    return kind(as).ending;
}
std::optional<MovieKind> movie_of(PreviewAs as) {
    switch (as) {
    case PreviewAs::mp4: return MovieKind::mp4;
    case PreviewAs::webm: return MovieKind::webm;
    case PreviewAs::mov: return MovieKind::mov;
    case PreviewAs::mkv: return MovieKind::mkv;
    default: return {};
    }
}

std::string picture_path(const PreviewOrder& order, std::int64_t frame) {
    if (movie_of(order.as)) return order.folder + "/" + order.name + ending(order.as);
    const FrameMoment moment{frame, OutputFrame(static_cast<double>(frame))};
    return order.folder + "/" + FileNames(order.name).of(moment, ending(order.as));
}

namespace {

std::optional<OverlayLegend> legend_of(const Show& show, const Project& project, const PreviewLook& look) {
    auto number = [](double v) { return short_number(v, 2); };
    const ValueRange source = source_range(show), delay = delay_range(show), rate = rate_range(show);
    switch (look.colour) {
    case PreviewColour::spread: {
        const GivenValues* given = shown_spread(show, project, look);
        if (!given) return {};
        const ValueRange range = range_of(given->values);
        const Spread& s = given->spread;
        return OverlayLegend{fmt::format("{} by {}", to_text(s.target), to_text(s.by.kind)),
                             given_words(s.target, range.low), given_words(s.target, range.high)};
    }
    case PreviewColour::source_frame: {
        auto same = [&](const ArrangementShow& a) {
            return a.clock.first.value == source.low && a.clock.last().value == source.high;
        };
        const bool all = std::all_of(show.arrangements.begin(), show.arrangements.end(), same),
                   loops = std::all_of(show.arrangements.begin(), show.arrangements.end(), seamless);
        if (!all) return OverlayLegend{"source frame", "first", "last"}; // each by its own source
        return OverlayLegend{"source frame", number(source.low), number(source.high),
                             loops ? RampKind::cyclic : RampKind::sequential};
    }
    case PreviewColour::delay: return OverlayLegend{"delay", number(delay.low) + " f", number(delay.high) + " f"};
    case PreviewColour::speed: return OverlayLegend{"speed", "×" + number(rate.low), "×" + number(rate.high)};
    case PreviewColour::level: return OverlayLegend{"level", "0 %", "100 %"};
    default: return {};
    }
}

} // namespace

void lay_over(Picture& picture, const Show& show, const Project& project, const PreviewOrder& order,
              std::int64_t frame) {
    if (!order.overlay.any()) return;
    OverlayWords words;
    if (order.overlay.frame) words.right = fmt::format("frame {}", frame);
    if (order.overlay.time) {
        const double seconds = project.settings.rate.start_of(static_cast<double>(frame)).value;
        words.right += fmt::format("{}{:.3f} s", words.right.empty() ? "" : "   ", seconds);
    }
    if (order.overlay.project) words.left = project.settings.name;
    if (order.overlay.colours && order.look.marked.empty()) words.legend = legend_of(show, project, order.look);
    lay_words(picture, words, order.look.exposure);
}

Result<PreviewEstimate> estimate(const PreviewOrder& order, Progress& progress) {
    GARLAND_CHECK(check(order));
    PreviewEstimate out;
    const double pixels = static_cast<double>(order.look.width) * order.look.height;
    const auto frames = static_cast<double>(order.frames.count());
    out.bytes = pixels * (kind(order.as).bytes_a_pixel + (order.look.passes ? 12 : 0)) * frames;
    out.free = free_space(order.folder);
    if (movie_of(order.as)) {
        out.files = 1;
        out.existing = file_exists(picture_path(order, 0)) ? 1 : 0;
        return out;
    }
    for (std::int64_t f = order.frames.range.first; f <= order.frames.range.last; f += order.frames.step) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        ++out.files;
        out.existing += file_exists(picture_path(order, f)) ? 1 : 0;
    }
    return out;
}

Result<PreviewDone> preview(const Show& show, const Project& project, std::span<const HeardSound> sounds,
                            const PreviewOrder& order, Progress& progress,
                            const std::function<void(std::int64_t, const Picture&)>& finished) {
    GARLAND_TRY(size, estimate(order, progress));
    PreviewLook look = order.look;
    GARLAND_CHECK(mark_twins(show, look, progress));
    const auto movie = movie_of(order.as);
    if (size.existing > 0 && order.existing == PreviewExisting::refuse)
        return fail(Error{ErrorCode::exists, counted(size.existing, "file already exists", "files already exist")}
                        .at(movie ? picture_path(order, 0) : order.folder)
                        .keeping("nothing was written")
                        .advise(movie ? "choose another name, or replace it"
                                      : "choose another name, keep those that are there, or replace them"));
    if (movie && size.existing > 0 && order.existing == PreviewExisting::keep)
        return PreviewDone{{}, 0, order.frames.count(), 0}; // a movie is complete or not there
    std::error_code made;
    std::filesystem::create_directories(order.folder, made);
    if (made)
        return fail(Error{ErrorCode::unreadable, fmt::format("the folder cannot be made ({})", made.message())}.at(
            order.folder));
    std::unique_ptr<MovieWriter> writer;
    if (movie) {
        MovieWriter::Order m;
        m.path = picture_path(order, 0), m.kind = *movie;
        m.width = order.look.width, m.height = order.look.height;
        m.rate = project.settings.rate;
        m.alpha = order.look.transparent;
        m.exposure = order.look.exposure;
        if (order.sound) m.sound = mixed_sound(project, sounds, order.frames);
        m.existing = existing_of(order);
        GARLAND_TRY(started, MovieWriter::start(std::move(m)));
        writer = std::move(started);
    }
    PreviewDone done;
    const std::int64_t count = order.frames.count();
    std::int64_t n = 0;
    auto stopped = [&](Error error) -> tl::unexpected<Error> {
        error.kept = movie ? "nothing was written"
                           : fmt::format("{} complete", counted(done.frames + done.kept, "picture is", "pictures are"));
        return tl::unexpected(std::move(error));
    };
    for (std::int64_t f = order.frames.range.first; f <= order.frames.range.last; f += order.frames.step, ++n) {
        const std::string path = picture_path(order, f);
        if (!movie && order.existing == PreviewExisting::keep && file_exists(path)) {
            ++done.kept;
            continue;
        }
        PartOf one(progress, static_cast<double>(n) / static_cast<double>(count),
                   static_cast<double>(n + 1) / static_cast<double>(count));
        one.report(0, fmt::format("frame {}", f));
        auto picture = render_frame(show, project, OutputFrame(static_cast<double>(f)), look, one, order.camera);
        if (!picture) return stopped(picture.error());
        lay_over(*picture, show, project, order, f);
        auto written = writer ? writer->add(*picture) : write_picture(project, order, f, *picture);
        if (!written) return stopped(written.error());
        ++done.frames;
        if (!movie) {
            done.files.push_back(path);
            std::error_code none;
            done.bytes += static_cast<double>(std::filesystem::file_size(path, none));
        }
        if (finished) finished(f, *picture);
    }
    if (writer) {
        if (auto finish = writer->finish(); !finish) return stopped(finish.error());
        done.files.push_back(picture_path(order, 0));
        std::error_code none;
        done.bytes = static_cast<double>(std::filesystem::file_size(done.files.front(), none));
    }
    return done;
}

} // namespace garland
