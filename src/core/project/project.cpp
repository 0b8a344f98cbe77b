#include "core/project/project.h"

#include "core/base/measure.h"

#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace garland {

namespace {
template <class List, class IdType>
auto find_in(List& list, IdType id) -> decltype(list.data()) {
    auto at = std::find_if(list.begin(), list.end(), [&](const auto& item) { return item.id == id; });
    return at == list.end() ? nullptr : &*at;
}

Error named(Error error, std::string_view what, const std::string& name) {
    error.message = fmt::format("{} \"{}\": {}", what, name, error.message);
    return error;
}
// What an arrangement names besides its source and timing is there.
Result<void> validate_links(const Project& p, const Arrangement& a) {
    auto wrong = [&](std::string words) {
        return fail(Error{ErrorCode::invalid, fmt::format("the arrangement \"{}\" {}", a.name, words)}.advise(
            "change that number"));
    };
    if (is_carried(a.layout.kind) && a.layout.carried.source && !p.source(a.layout.carried.source))
        return wrong(fmt::format("stands on a source that is not there ({})", a.layout.carried.source.value));
    if (a.layout.carried.timing && !p.timing(a.layout.carried.timing))
        return wrong(fmt::format("is carried by a timing that is not there ({})", a.layout.carried.timing.value));
    for (const Variant& v : a.choice.variants) {
        if (!p.source(v.source)) return wrong(fmt::format("shows a source that is not there ({})", v.source.value));
    }
    for (ZoneId id : a.play.level.zones) {
        if (!p.zone(id)) return wrong(fmt::format("is played by a zone that is not there ({})", id.value));
    }
    for (const Spread& s : a.spreads) {
        for (ZoneId id : s.by.level.zones) {
            if (!p.zone(id)) return wrong(fmt::format("has a spread by a zone that is not there ({})", id.value));
        }
        if (s.by.kind == Driver::sound && !p.sound(s.by.level.hearing.sound))
            return wrong("has a spread by a sound that is not there");
    }
    const bool hears = a.play.by != PlayBy::clock && a.play.level.kind == LevelKind::sound;
    if (hears && !p.sound(a.play.level.hearing.sound)) return wrong("is played by a sound that is not there");
    auto rising = [](const std::vector<CopyId>& ids) {
        return std::adjacent_find(ids.begin(), ids.end(), [](CopyId x, CopyId y) { return x >= y; }) == ids.end();
    };
    if (!rising(a.hidden_copies)) return wrong("hides copies that are not in order");
    if (!a.single_out) return {};
    const Arrangement* from = p.arrangement(a.single_out->from);
    if (!from || from->single_out || from->id == a.id)
        return wrong("was singled out of an arrangement that is not there, or that was singled out itself");
    if (a.single_out->copies.empty() == a.single_out->part.empty())
        return wrong("must single out either copies or one part");
    if (!rising(a.single_out->copies)) return wrong("singles out copies that are not in order");
    return {};
}
} // namespace

const SourceSpec* Project::source(SourceId id) const {
    return find_in(sources, id);
}
const Timing* Project::timing(TimingId id) const {
    return find_in(timings, id);
}
const Arrangement* Project::arrangement(ArrangementId id) const {
    return find_in(arrangements, id);
}
const Zone* Project::zone(ZoneId id) const {
    return find_in(zones, id);
}
const SoundSpec* Project::sound(SoundId id) const {
    return find_in(sounds, id);
}
Zone* Project::zone(ZoneId id) {
    return find_in(zones, id);
}
SoundSpec* Project::sound(SoundId id) {
    return find_in(sounds, id);
}
SourceSpec* Project::source(SourceId id) {
    return find_in(sources, id);
}
Timing* Project::timing(TimingId id) {
    return find_in(timings, id);
}
Arrangement* Project::arrangement(ArrangementId id) {
    return find_in(arrangements, id);
}

std::int64_t Project::copies() const {
    std::int64_t n = 0;
    for (const Arrangement& a : arrangements) n += copies_in(a);
    return n;
}

namespace {

Result<void> validate(const Settings& s) {
    if (!s.range.valid())
        return fail(
            Error{ErrorCode::invalid, "the output range ends before it starts"}.advise("give the first frame first"));
    auto frame = [](std::string name, double value) {
        return Measure{std::move(name), value, -frame_limit, frame_limit, "f"};
    };
    GARLAND_CHECK(within({frame("the first frame of the output range", static_cast<double>(s.range.first)),
                          frame("the last frame of the output range", static_cast<double>(s.range.last))}));
    if (s.range.count() > range_limit) {
        return fail(Error{ErrorCode::invalid, fmt::format("the output range has {} frames", s.range.count())}.advise(
            fmt::format("use {} frames at most", range_limit)));
    }
    if (!std::isfinite(s.alike_below) || s.alike_below <= 0 || s.alike_below > 1e6) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("twins are alike below {:g} source frames", s.alike_below)}.advise(
                "use more than 0 and up to 1000000"));
    }
    if (!std::isfinite(s.twin_share) || s.twin_share < 0 || s.twin_share >= 1) {
        return fail(Error{ErrorCode::invalid,
                          fmt::format("the share of the range above which copies are twins is {:g}", s.twin_share)}
                        .advise("use 0 to below 1"));
    }
    GARLAND_CHECK(validate(s.camera_keys));
    GARLAND_CHECK(validate(s.tempo));
    for (const Marker& m : s.markers)
        GARLAND_CHECK(within({frame(fmt::format("the output frame of the marker \"{}\"", m.name), m.at.value)}));
    return {};
}

Result<void> validate(const SourceSpec& s) {
    GARLAND_CHECK(within(
        {{fmt::format("the scale of the source \"{}\"", s.name), s.import_settings.scale, 1e-9, 1e9, "m per unit"}}));
    if (auto ok = validate(s.wobble); !ok) return fail(named(ok.error(), "the source", s.name));
    if (!std::isfinite(s.import_settings.voxel) || s.import_settings.voxel < 0) {
        return fail(Error{ErrorCode::invalid, fmt::format("the source \"{}\" has a voxel size below 0", s.name)}.advise(
            "use 0 m to choose it by itself"));
    }
    if (!std::is_sorted(s.import_settings.dropped.begin(), s.import_settings.dropped.end())) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("the source \"{}\": left-out frames must rise", s.name)}.advise(
                "order them, each once"));
    }
    if (s.shape_frames < 1 || s.shape_frames > 100'000) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("the source \"{}\": a shape is shown 1 to 100 000 frames", s.name)}
                .advise("use 1 for each frame"));
    }
    for (const Timing& t : s.before_closing) {
        if (auto ok = validate(t); !ok)
            return fail(named(named(ok.error(), "the timing before closing", t.name), "the source", s.name));
    }
    if (s.water) {
        if (auto ok = validate(*s.water); !ok) return fail(named(ok.error(), "the source", s.name));
    }
    return {};
}

Result<void> validate_in(const Project& p, const Zone& z) {
    GARLAND_CHECK(validate(z));
    for (SourceId id : {z.shape == ZoneShape::mesh ? z.mesh : SourceId{},
                        z.ride == ZoneRide::none || z.ride == ZoneRide::path ? SourceId{} : z.ride_source}) {
        if (id && !p.source(id))
            return fail(Error{ErrorCode::invalid,
                              fmt::format("the zone \"{}\" goes by a source that is not there ({})", z.name, id.value)}
                            .advise("choose a source that is in the project"));
    }
    return {};
}

} // namespace

Result<void> validate(const Project& p) {
    GARLAND_CHECK(validate(p.settings));
    std::set<std::uint64_t> ids;
    auto fresh = [&](std::uint64_t id) { return id != 0 && id < p.next_id && ids.insert(id).second; };
    auto bad_id = [&](std::string_view what, const std::string& name, std::uint64_t id) {
        return fail(
            Error{ErrorCode::invalid,
                  fmt::format("{} \"{}\" has the id {}, which is 0, used twice, or not below next_id", what, name, id)}
                .advise("give every part of the project an id of its own, below next_id"));
    };
    for (const SourceSpec& s : p.sources) {
        if (!fresh(s.id.value)) return bad_id("the source", s.name, s.id.value);
        GARLAND_CHECK(validate(s));
    }
    for (const Timing& t : p.timings) {
        if (!fresh(t.id.value)) return bad_id("the timing", t.name, t.id.value);
        if (auto ok = validate(t); !ok) return fail(named(ok.error(), "the timing", t.name));
    }
    for (const Arrangement& a : p.arrangements) {
        if (!fresh(a.id.value)) return bad_id("the arrangement", a.name, a.id.value);
        if (!p.source(a.source)) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("the arrangement \"{}\" shows a source that is not there ({})",
                                                      a.name, a.source.value)}
                    .advise("choose a source that is in the project"));
        }
        if (!p.timing(a.timing)) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("the arrangement \"{}\" follows a timing that is not there ({})",
                                                      a.name, a.timing.value)}
                    .advise("choose a timing that is in the project"));
        }
        GARLAND_CHECK(validate_links(p, a));
        for (const Spread& s : a.spreads) {
            if (!fresh(s.id.value)) return bad_id("a spread of", a.name, s.id.value);
        }
        for (const Pulse& pulse : a.pulses) {
            if (!fresh(pulse.id.value)) return bad_id("a pulse of", a.name, pulse.id.value);
        }
        if (auto ok = validate(a); !ok) return fail(named(ok.error(), "the arrangement", a.name));
    }
    if (p.zones.size() > zone_limit)
        return fail(Error{ErrorCode::too_large, fmt::format("a project has at most {} zones", zone_limit)}.advise(
            "remove zones that reach no copy"));
    for (const Zone& z : p.zones) {
        if (!fresh(z.id.value)) return bad_id("the zone", z.name, z.id.value);
        GARLAND_CHECK(validate_in(p, z));
    }
    for (const SoundSpec& s : p.sounds) {
        if (!fresh(s.id.value)) return bad_id("the sound", s.name, s.id.value);
        GARLAND_CHECK(validate(s));
    }
    return {};
}

SourceClock clock_of(const SourceSpec& spec, std::int64_t file_first, std::int64_t file_last, Rate project) {
    return make_clock(file_first, file_last, spec.first.value_or(file_first), spec.rate, spec.join, project);
}

SourceLength length_of(const SourceFacts& f, Rate rate) {
    return {f.first, f.last, f.says.rate.value_or(rate), f.says.up, f.says.scale};
}

SourceId add_source(Project& p, std::string name, std::string path, const SourceLength& length) {
    SourceSpec source;
    source.id = SourceId(p.next_id++);
    source.name = name;
    source.path = std::move(path);
    source.rate = length.rate;
    source.import_settings.up = length.up;
    source.import_settings.scale = length.scale;
    const SourceClock clock = clock_of(source, length.file_first, length.file_last, p.settings.rate);

    Timing timing;
    timing.id = TimingId(p.next_id++);
    timing.name = name;
    timing.map = plain_map(OutputFrame(static_cast<double>(p.settings.range.first)), clock.first, clock.last());

    Arrangement arrangement;
    arrangement.id = ArrangementId(p.next_id++);
    arrangement.name = name;
    arrangement.source = source.id;
    arrangement.timing = timing.id;
    arrangement.layout.spacing = arrangement.layout.row_spacing = arrangement.layout.layer_spacing = length.spacing;

    const SourceId id = source.id;
    p.sources.push_back(std::move(source));
    p.timings.push_back(std::move(timing));
    p.arrangements.push_back(std::move(arrangement));
    return id;
}

SourceId add_water(Project& p, std::string name, const WaterSpec& water) {
    const SourceId id = add_source(p, std::move(name), {}, {0, last_frame(water), p.settings.rate});
    p.source(id)->water = water;
    if (water.loop > 0) {
        Timing& timing = *p.timing(p.arrangements.back().timing);
        timing.before.mode = timing.after.mode = OutsideMode::repeat;
        timing.last_is_first = true;
    }
    return id;
}

void remove_zone(Project& p, ZoneId id) {
    std::erase_if(p.zones, [&](const Zone& z) { return z.id == id; });
    for (Arrangement& a : p.arrangements) {
        std::vector<ZoneId>& own = a.play.level.zones;
        if (std::erase(own, id) > 0 && own.empty() && a.play.level.kind == LevelKind::zones) a.play.by = PlayBy::clock;
        for (Spread& s : a.spreads) {
            if (std::erase(s.by.level.zones, id) > 0 && s.by.level.zones.empty()) s.on = false;
        }
    }
}

void remove_sound(Project& p, SoundId id) {
    std::erase_if(p.sounds, [&](const SoundSpec& s) { return s.id == id; });
    for (Arrangement& a : p.arrangements) {
        std::erase_if(a.spreads,
                      [&](const Spread& s) { return s.by.kind == Driver::sound && s.by.level.hearing.sound == id; });
        if (a.play.level.hearing.sound != id) continue;
        if (a.play.level.kind == LevelKind::sound) a.play.by = PlayBy::clock;
        a.play.level.hearing.sound = {};
    }
}

void remove_arrangement(Project& p, ArrangementId id) {
    std::erase_if(p.arrangements,
                  [&](const Arrangement& a) { return a.id == id || (a.single_out && a.single_out->from == id); });
}

void remove_source(Project& p, SourceId id) {
    std::set<std::uint64_t> freed;
    std::vector<ArrangementId> gone;
    for (const Arrangement& a : p.arrangements) {
        if (a.source == id) freed.insert(a.timing.value);
        if (a.source == id || (is_carried(a.layout.kind) && a.layout.carried.source == id)) gone.push_back(a.id);
    }
    for (ArrangementId a : gone) remove_arrangement(p, a);
    for (Arrangement& a : p.arrangements) {
        std::erase_if(a.choice.variants, [&](const Variant& v) { return v.source == id; });
        if (a.layout.carried.source == id) a.layout.carried.source = {};
    }
    for (Zone& z : p.zones) { // a zone stays, without what it had of the source
        if (z.mesh == id) z.mesh = {}, z.shape = z.shape == ZoneShape::mesh ? ZoneShape::ball : z.shape;
        if (z.ride_source == id) {
            z.ride_source = {};
            if (z.ride == ZoneRide::part || z.ride == ZoneRide::particle) z.ride = ZoneRide::none;
        }
    }
    std::erase_if(p.sources, [&](const SourceSpec& s) { return s.id == id; });
    for (const Arrangement& a : p.arrangements) freed.erase(a.timing.value), freed.erase(a.layout.carried.timing.value);
    std::erase_if(p.timings, [&](const Timing& t) { return freed.count(t.id.value) > 0; });
}

} // namespace garland
