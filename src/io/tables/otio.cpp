#include "io/tables/otio.h"

#include "core/base/numbers.h"
#include "io/files/json_part.h"

namespace garland {

namespace {

constexpr std::size_t clip_limit = 100'000;

Json rational(double value, Rate rate) {
    return {{"OTIO_SCHEMA", "RationalTime.1"}, {"rate", rate.per_second()}, {"value", value}};
}

Json range(double start, double duration, Rate rate) {
    return {
        {"OTIO_SCHEMA", "TimeRange.1"}, {"duration", rational(duration, rate)}, {"start_time", rational(start, rate)}};
}

Json warp(double scalar) {
    const bool freeze = scalar == 0;
    return {{"OTIO_SCHEMA", freeze ? "FreezeFrame.1" : "LinearTimeWarp.1"},
            {"metadata", Json::object()},
            {"name", freeze ? "hold" : "speed"},
            {"effect_name", freeze ? "FreezeFrame" : "LinearTimeWarp"},
            {"time_scalar", scalar}};
}

// One clip: `frames` source frames from `from` on, at `speed` (0: the pose stays for `frames` output frames).
Json clip(const std::string& name, double from, double output_frames, double speed, const OtioInfo& info) {
    Json media{{"OTIO_SCHEMA", "ExternalReference.1"},
               {"metadata", Json::object()},
               {"name", info.source},
               {"available_range", range(info.first.value, info.last - info.first + 1, info.rate)},
               {"target_url", info.url}};
    return {{"OTIO_SCHEMA", "Clip.1"},
            {"metadata", Json::object()},
            {"name", name},
            {"source_range", range(from, output_frames, info.rate)},
            {"effects", speed == 1 ? Json::array() : Json::array({warp(speed)})},
            {"markers", Json::array()},
            {"media_reference", std::move(media)}};
}

void add_phrase(const Phrase& p, std::size_t index, bool turn_twice, const OtioInfo& info, Json& children) {
    const double span = p.last - p.first;
    const std::string name = "phrase " + std::to_string(index + 1);
    if (p.holds()) {
        children.push_back(clip(name, p.first.value, phrase_length(p, turn_twice), 0, info));
        return;
    }
    for (std::int64_t pass = 0; pass < p.passes; ++pass) {
        const bool folds = p.direction == Direction::there_and_back;
        const bool back = folds ? pass % 2 == 1 : p.direction == Direction::backward;
        const bool turned = folds && pass > 0 && !turn_twice; // the turning frame has been shown
        const double frames = span + (turned ? 0 : 1), skip = turned ? 1 : 0;
        const double from = back ? p.last.value - skip : p.first.value + skip;
        children.push_back(clip(p.passes > 1 ? name + ", pass " + std::to_string(pass + 1) : name, from,
                                frames / p.speed, back ? -p.speed : p.speed, info));
    }
}

Json composition(const char* schema, const std::string& name, Json children) {
    return {{"OTIO_SCHEMA", schema},          {"metadata", Json::object()}, {"name", name},
            {"source_range", nullptr},        {"effects", Json::array()},   {"markers", Json::array()},
            {"children", std::move(children)}};
}

} // namespace

Result<OtioText> otio_text(const Timing& timing, const OtioInfo& info) {
    if (timing.form != TimingForm::phrases || timing.slider) {
        return fail(Error{ErrorCode::unsupported, timing.slider
                                                      ? "a slider cannot be written as clips"
                                                      : "only phrases can be written as clips; this timing has keys"}
                        .advise("write the curve as CSV or JSON"));
    }
    OtioText out;
    std::size_t times = 1;
    if (timing.after.mode == OutsideMode::repeat && timing.after.count > 0)
        times += static_cast<std::size_t>(timing.after.count);
    if (timing.after.mode == OutsideMode::repeat && timing.after.count == 0)
        out.note = "the endless repeat is written once";
    if (timing.after.mode == OutsideMode::there_and_back) out.note = "the way back after the phrases is not written";
    std::size_t clips = 0;
    for (const Phrase& p : timing.phrases.list) clips += p.holds() ? 1 : static_cast<std::size_t>(p.passes);
    if (clips > clip_limit / times) {
        return fail(Error{ErrorCode::too_large, fmt::format("this would be more than {} clips", clip_limit)}.advise(
            "let the list repeat fewer times, or without end"));
    }
    out.clips = clips * times;
    Json children = Json::array();
    for (std::size_t round = 0; round < times; ++round) {
        for (std::size_t i = 0; i < timing.phrases.list.size(); ++i) {
            add_phrase(timing.phrases.list[i], i, timing.turn_twice, info, children);
            const bool last = i + 1 == timing.phrases.list.size() && round + 1 == times;
            if (timing.phrases.list[i].fade > 0 && !last) {
                children.push_back({{"OTIO_SCHEMA", "Transition.1"},
                                    {"metadata", Json::object()},
                                    {"name", "cross-fade"},
                                    {"transition_type", "SMPTE_Dissolve"},
                                    {"in_offset", rational(0, info.rate)},
                                    {"out_offset", rational(timing.phrases.list[i].fade, info.rate)}});
            }
        }
    }
    Json track = composition("Track.1", timing.name, std::move(children));
    track["kind"] = "Video";
    Json stack = composition("Stack.1", "tracks", Json::array({std::move(track)}));
    for (const Marker& m : info.markers) {
        stack["markers"].push_back({{"OTIO_SCHEMA", "Marker.2"},
                                    {"metadata", Json::object()},
                                    {"name", m.name},
                                    {"color", "GREEN"},
                                    {"marked_range", range(m.at - timing.phrases.start, 0, info.rate)}});
    }
    const Json timeline{{"OTIO_SCHEMA", "Timeline.1"},
                        {"metadata", Json::object()},
                        {"name", timing.name},
                        {"global_start_time", rational(timing.phrases.start.value, info.rate)},
                        {"tracks", std::move(stack)}};
    out.text = timeline.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
    return out;
}

} // namespace garland
