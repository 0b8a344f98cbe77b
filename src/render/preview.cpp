#include "render/preview.h"

#include "core/base/numbers.h"
#include "core/project/value_range.h"
#include "core/time/frame_steps.h"
#include "io/files/folder.h"
#include "io/handoff/file_names.h"
#include "io/project/project_file.h"
#include "render/movie_frames.h"
#include "render/picture_file.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <iterator>

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
    GARLAND_CHECK(validate(order.frames));
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

namespace {

Error existing_files(const PreviewEstimate& size, const PreviewOrder& order) {
    const bool movie = movie_of(order.as).has_value();
    return Error{ErrorCode::exists, counted(size.existing, "file already exists", "files already exist")}
        .at(movie ? picture_path(order, 0) : order.folder)
        .keeping("nothing was written")
        .advise(movie ? "choose another name, or replace it"
                      : "choose another name, keep those that are there, or replace them");
}

// Everything that a movie's pictures depend on: where one word of it differs they are made anew.
std::string movie_key(const Show& show, const Project& project, const PreviewOrder& order, const PreviewLook& look) {
    std::string key =
        "These are the pictures of a movie that is not finished yet. It goes on from them when it is begun "
        "again with the same\nwords; they are removed when it is complete.\n\nmade by version " GARLAND_VERSION "\n";
    auto to = std::back_inserter(key);
    fmt::format_to(to,
                   "{} × {}, {} samples, shutter {}, {} motion steps, transparent {}, ground {}, colour {}, spread "
                   "{}, exposure {}, thickness {}, floor {} {} {}\n",
                   look.width, look.height, look.samples, look.shutter, look.motion_steps, look.transparent,
                   to_text(look.ground), to_text(look.colour), look.spread.value, look.exposure, look.thickness,
                   look.floor.x, look.floor.y, look.floor.z);
    const PreviewOverlay& o = order.overlay;
    fmt::format_to(to, "overlay {} {} {} {}\n", o.frame, o.time, o.project, o.colours);
    if (const auto& c = order.camera)
        fmt::format_to(to, "camera {} {} {}, {}, {}, {}, {}\n", c->target.x, c->target.y, c->target.z, c->distance,
                       c->azimuth, c->elevation, c->field_of_view);
    for (const ArrangementShow& a : show.arrangements) {
        if (!a.usable) continue;
        for (const std::string& file : a.sampler.source()->files()) {
            std::error_code none;
            const auto changed = std::filesystem::last_write_time(file, none).time_since_epoch().count();
            fmt::format_to(to, "{} {} {}\n", file, std::filesystem::file_size(file, none), changed);
        }
    }
    return key + project_text(project);
}

Result<std::unique_ptr<MovieWriter>> start_movie(const Project& project, std::span<const HeardSound> sounds,
                                                 const PreviewOrder& order) {
    MovieWriter::Order m;
    m.path = picture_path(order, 0), m.kind = *movie_of(order.as);
    m.width = order.look.width, m.height = order.look.height;
    m.rate = project.settings.rate;
    m.alpha = order.look.transparent;
    if (order.sound) m.sound = mixed_sound(project, sounds, order.frames);
    m.existing = existing_of(order);
    return MovieWriter::start(std::move(m));
}

// A movie as it grows: pictures go into it, and beside it until it is complete.
class MovieInWork {
  public:
    static Result<MovieInWork> start(const Show& show, const Project& project, std::span<const HeardSound> sounds,
                                     const PreviewOrder& order, const PreviewLook& look) {
        GARLAND_TRY(writer, start_movie(project, sounds, order));
        GARLAND_TRY(frames, MovieFrames::beside(picture_path(order, 0), movie_key(show, project, order, look),
                                                look.width, look.height));
        return MovieInWork(std::move(writer), std::move(frames), order.look.exposure);
    }
    // Whether the picture was made by an earlier try; it goes into the movie then.
    Result<bool> had(std::int64_t frame) {
        const auto shown = frames_.find(frame);
        if (!shown) return false;
        GARLAND_CHECK(writer_->add(*shown));
        return true;
    }
    Result<void> add(std::int64_t frame, const Picture& picture) {
        const std::vector<std::uint8_t> shown = shown_8(picture, exposure_);
        GARLAND_CHECK(frames_.keep(frame, shown));
        return writer_->add(shown);
    }
    Result<void> finish() {
        GARLAND_CHECK(writer_->finish());
        frames_.remove();
        return {};
    }
    // It is not finished; how many pictures are kept for when it is begun again.
    std::size_t stop() {
        const std::size_t kept = frames_.count();
        if (kept == 0) frames_.remove();
        return kept;
    }

  private:
    MovieInWork(std::unique_ptr<MovieWriter> writer, MovieFrames frames, double exposure)
        : writer_(std::move(writer)), frames_(std::move(frames)), exposure_(exposure) {}
    std::unique_ptr<MovieWriter> writer_;
    MovieFrames frames_;
    double exposure_;
};

} // namespace

Result<PreviewDone> preview(const Show& show, const Project& project, std::span<const HeardSound> sounds,
                            const PreviewOrder& order, Progress& progress,
                            const std::function<void(std::int64_t, const Picture&)>& finished) {
    GARLAND_TRY(size, estimate(order, progress));
    PreviewLook look = order.look;
    GARLAND_CHECK(mark_twins(show, look, progress));
    const auto movie = movie_of(order.as);
    if (size.existing > 0 && order.existing == PreviewExisting::refuse) return fail(existing_files(size, order));
    if (movie && size.existing > 0 && order.existing == PreviewExisting::keep)
        return PreviewDone{{}, 0, order.frames.count(), 0}; // a movie is complete or not there
    GARLAND_CHECK(make_folder(order.folder));
    std::optional<MovieInWork> growing;
    if (movie) {
        GARLAND_TRY(started, MovieInWork::start(show, project, sounds, order, look));
        growing.emplace(std::move(started));
    }
    PreviewDone done;
    const std::int64_t count = order.frames.count();
    std::int64_t n = 0;
    auto stopped = [&](Error error) -> tl::unexpected<Error> {
        auto pictures = [](std::int64_t n) { return counted(n, "picture is", "pictures are"); };
        if (const std::size_t kept = growing ? growing->stop() : 0; kept > 0) {
            error.kept = fmt::format("no movie was written; {} kept for when it is begun again",
                                     pictures(static_cast<std::int64_t>(kept)));
        } else {
            error.kept = movie ? std::string("nothing was written")
                               : fmt::format("{} complete", pictures(done.frames + done.kept));
        }
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
        if (movie) {
            if (progress.cancelled())
                return stopped(Error{ErrorCode::cancelled, fmt::format("stopped before frame {}", f)});
            auto had = growing->had(f);
            if (!had) return stopped(had.error());
            done.kept += *had;
            if (*had) continue;
        }
        auto picture = render_frame(show, project, OutputFrame(static_cast<double>(f)), look, one, order.camera);
        if (!picture) return stopped(picture.error());
        lay_over(*picture, show, project, order, f);
        auto written = growing ? growing->add(f, *picture) : write_picture(project, order, f, *picture);
        if (!written) return stopped(written.error());
        ++done.frames;
        if (!movie) {
            done.files.push_back(path);
            std::error_code none;
            done.bytes += static_cast<double>(std::filesystem::file_size(path, none));
        }
        if (finished) finished(f, *picture);
    }
    if (growing) {
        if (auto finish = growing->finish(); !finish) return stopped(finish.error());
        done.files.push_back(picture_path(order, 0));
        std::error_code none;
        done.bytes = static_cast<double>(std::filesystem::file_size(done.files.front(), none));
    }
    return done;
}

} // namespace garland
