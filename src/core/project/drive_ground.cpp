#include "core/project/drive_ground.h"

#include "core/base/numbers.h"
#include "core/copies/attitude.h"
#include "core/geometry/path.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

bool rides_on_source(const Zone& z) {
    return z.ride == ZoneRide::part || z.ride == ZoneRide::particle;
}

// Only what decides about the ground counts: a zone that is dragged needs no new one.
Zone ground_part(const Zone& z) {
    Zone out;
    if (z.shape == ZoneShape::mesh) out.shape = z.shape, out.mesh = z.mesh, out.outer = std::max(z.outer, 1.0);
    if (rides_on_source(z))
        out.ride = z.ride, out.ride_source = z.ride_source, out.ride_part = z.ride_part,
        out.ride_particle = z.ride_particle;
    return out;
}

// The arrangement without anything that plays it: where its copies stand does not depend on that.
Arrangement unplayed(Arrangement a) {
    a.play = {};
    a.pulses.clear();
    return a;
}

Project without_playing(const Project& project) {
    Project p = project;
    for (Arrangement& a : p.arrangements) a = unplayed(std::move(a));
    p.zones.clear();
    p.sounds.clear();
    return p;
}

bool plays_in_place(const Arrangement& a) {
    return (a.play.by != PlayBy::clock && a.play.level.kind == LevelKind::zones) ||
           std::any_of(a.spreads.begin(), a.spreads.end(),
                       [](const Spread& s) { return s.on && s.by.kind == Driver::zone; });
}

std::uint64_t serial_of(const OpenSources& sources, SourceId id) {
    const auto open = sources.find(id);
    return open == sources.end() || !open->second.source ? 0 : open->second.serial;
}

bool zone_known(const Zone& z, const Project& project, const OpenSources& sources) {
    if (z.shape != ZoneShape::mesh && !rides_on_source(z)) return true;
    const auto known = sources.zones.find(z.id);
    const SourceId from = z.shape == ZoneShape::mesh ? z.mesh : z.ride_source;
    return known != sources.zones.end() && known->second.zone == ground_part(z) &&
           known->second.serial == serial_of(sources, from) && known->second.range == project.settings.range;
}

bool sound_known(const SoundSpec& s, const Project& project, const OpenSources& sources) {
    const auto known = sources.sounds.find(s.id);
    if (known == sources.sounds.end() || !known->second.samples) return true; // nothing can be learned
    SoundSpec own = s;
    own.name.clear(), own.extra.clear();
    return known->second.levels_of == own && known->second.levels_rate == project.settings.rate;
}

// Only what plays in place asks where its copies are; those that stand still are where they are.
bool moving_known(const Arrangement& written, const Project& project, const OpenSources& sources) {
    const Arrangement a = resolved(project, written);
    if (!plays_in_place(a)) return true;
    const bool carried = is_carried(a.layout.kind) && serial_of(sources, a.layout.carried.source) != 0;
    const bool own = written.single_out && !written.place_keys.empty();
    if (!carried && a.place_keys.empty() && !own) return true;
    const auto known = sources.moving.find(a.id);
    return known != sources.moving.end() && known->second.arrangement == unplayed(a) &&
           known->second.own_keys == (own ? written.place_keys : std::vector<PlaceKey>{}) &&
           known->second.range == project.settings.range;
}

// The middle of a part, or a particle, as the first copy that shows the source has it.
Result<V3d> ridden_place(const ArrangementShow& a, const Zone& z, const Sampler& sampler, OutputFrame t,
                         Progress& progress) {
    std::vector<CopyMoment> moments = moments_at(a, t);
    GARLAND_TRY(standing, places_at(a, t, moments, false, progress));
    GARLAND_TRY(posed, sampler.at(SourceFrame(moments.front().source), progress));
    const Pose& pose = *posed.pose;
    V3d here(0);
    if (z.ride == ZoneRide::particle) {
        std::size_t at = static_cast<std::size_t>(z.ride_particle);
        if (!pose.ids.empty())
            at = static_cast<std::size_t>(std::find(pose.ids.begin(), pose.ids.end(), z.ride_particle) -
                                          pose.ids.begin());
        if (at >= pose.points.size())
            return fail(
                Error{ErrorCode::not_found,
                      fmt::format("the zone \"{}\" rides on particle {}, which is not there", z.name, z.ride_particle)}
                    .advise("choose a particle that is there at the first output frame")
                    .at_frame(static_cast<std::int64_t>(moments.front().source)));
        here = V3d(pose.points[at]);
    } else {
        const Imath::Box3f box = bounds(pose);
        if (box.isEmpty())
            return fail(
                Error{ErrorCode::not_found, fmt::format("the zone \"{}\" rides on a part without points", z.name)}
                    .advise("choose another part"));
        here = (V3d(box.min) + V3d(box.max)) / 2;
    }
    const Placement& place = standing.places.front();
    return axes_of(place).scene(here * place.size) + place.position;
}

Result<void> learn_ride(const Zone& z, const Show& show, ZoneGround& ground, Progress& progress) {
    const ArrangementShow* shown = nullptr;
    for (const ArrangementShow& a : show.arrangements) {
        if (a.source == z.ride_source && a.usable && !a.places.empty() && !shown) shown = &a;
    }
    if (!shown)
        return fail(Error{ErrorCode::not_found,
                          fmt::format("the zone \"{}\" rides on a source of which no copy is shown", z.name)}
                        .advise("arrange the source, or let the zone ride on another one"));
    Sampler sampler = shown->sampler;
    PoseCache own(64u << 20);
    if (z.ride == ZoneRide::part) {
        ImportSettings settings = sampler.import_settings();
        settings.part_of_it = true;
        settings.parts = parts_called(*sampler.source(), z.ride_part);
        if (settings.parts.empty())
            return fail(
                Error{ErrorCode::not_found,
                      fmt::format("the zone \"{}\" rides on the part \"{}\", which is not there", z.name, z.ride_part)}
                    .advise("choose one of the source's parts"));
        sampler = Sampler(sampler.source(), sampler.clock(), settings, PoseCache::new_serial(), &own);
    }
    ground.carriage.first = ground.range.first;
    for (std::int64_t f = ground.range.first; f <= ground.range.last; ++f) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        GARLAND_TRY(place, ridden_place(*shown, z, sampler, OutputFrame(static_cast<double>(f)), progress));
        ground.carriage.places.push_back(place);
    }
    return {};
}

Result<void> learn_zone(const Zone& z, const Show& show, ZoneGround& ground, Progress& progress) {
    if (z.shape == ZoneShape::mesh) {
        const auto sampler = show.samplers.find(z.mesh);
        if (sampler == show.samplers.end())
            return fail(
                Error{ErrorCode::not_found, fmt::format("the shape of the zone \"{}\" is not open", z.name)}.advise(
                    "find its source's files again, or choose another shape"));
        GARLAND_TRY(pose, sampler->second.at(sampler->second.clock().first, progress));
        auto grid = DistanceGrid::make(*pose.pose, std::max(z.outer, 1.0), progress);
        if (!grid) {
            grid.error().message = fmt::format("the zone \"{}\": {}", z.name, grid.error().message);
            return fail(grid.error());
        }
        ground.grid = std::move(*grid);
    }
    if (rides_on_source(z)) return learn_ride(z, show, ground, progress);
    return {};
}

Result<void> learn_moving(const Arrangement& a, const Show& show, MovingGround& ground, Progress& progress) {
    const ArrangementShow* shown = nullptr;
    for (const ArrangementShow& s : show.arrangements) {
        if (s.id == a.id && !shown) shown = &s;
    }
    if (!shown) return {};
    const std::size_t n = shown->shown.set->places.size();
    std::vector<std::vector<V3f>> places(n);
    const CopyPlaces standing(*shown->shown.set, show.settings.rate);
    ArrangementShow whole = *shown; // of all copies, whatever they show
    whole.standing = standing;
    whole.places = standing.still();
    for (std::int64_t f = ground.range.first; f <= ground.range.last; ++f) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(f - ground.range.first) / static_cast<double>(ground.range.count()),
                        "following what carries the copies");
        GARLAND_TRY(now, sensed_places_at(whole, OutputFrame(static_cast<double>(f)), progress));
        for (std::size_t i = 0; i < n; ++i) places[i].push_back(V3f(now[i].position));
    }
    auto tracks = std::make_shared<std::vector<PlaceTrack>>();
    for (auto& own : places) tracks->emplace_back(ground.range.first, std::move(own));
    ground.tracks = std::move(tracks);
    return {};
}

} // namespace

std::vector<HeardSound> heard_sounds(const Project& project, const OpenSources& sources) {
    std::vector<HeardSound> out;
    for (const SoundSpec& s : project.sounds) {
        const auto open = sources.sounds.find(s.id);
        if (open != sources.sounds.end() && open->second.samples) out.push_back({open->second.samples, s.start.value});
    }
    return out;
}

ZoneCarriage carriage_along_path(const Zone& z) {
    ZoneCarriage out;
    if (z.ride != ZoneRide::path) return out;
    const Path path(z.path, z.path_closed, true);
    const double first = std::floor(z.ride_first.value), last = std::ceil(z.ride_last.value);
    out.first = static_cast<std::int64_t>(first);
    for (double f = first; f <= last && out.places.size() < 1'000'000; ++f) {
        const double share = (f - z.ride_first.value) / (z.ride_last.value - z.ride_first.value);
        out.places.push_back(path.at(std::clamp(share, 0.0, 1.0)).place);
    }
    return out;
}

bool needs_drive_ground(const Project& project, const OpenSources& sources) {
    for (const Zone& z : project.zones) {
        if (z.on && !zone_known(z, project, sources)) return true;
    }
    for (const SoundSpec& s : project.sounds) {
        if (!sound_known(s, project, sources)) return true;
    }
    return std::any_of(project.arrangements.begin(), project.arrangements.end(),
                       [&](const Arrangement& a) { return !moving_known(a, project, sources); });
}

Result<bool> find_drive_ground(const Project& project, OpenSources& sources, PoseCache& cache, Progress& progress) {
    if (!needs_drive_ground(project, sources)) return false;
    for (const SoundSpec& s : project.sounds) {
        if (sound_known(s, project, sources)) continue;
        OpenSound& open = sources.sounds[s.id];
        auto levels = SoundLevels::make(*open.samples, s, project.settings.rate, progress);
        if (!levels && levels.error().code == ErrorCode::cancelled) return fail(levels.error());
        open.levels = levels ? *levels : nullptr;
        open.problem = levels ? std::nullopt : std::optional(levels.error());
        open.levels_of = s;
        open.levels_of->name.clear(), open.levels_of->extra.clear();
        open.levels_rate = project.settings.rate;
    }
    const ShowPtr show = make_show(without_playing(project), sources, cache);
    for (const Zone& z : project.zones) {
        if (!z.on || zone_known(z, project, sources)) continue;
        ZoneGround ground;
        ground.zone = ground_part(z);
        ground.serial = serial_of(sources, z.shape == ZoneShape::mesh ? z.mesh : z.ride_source);
        ground.range = project.settings.range;
        if (auto learned = learn_zone(z, *show, ground, progress); !learned) {
            if (learned.error().code == ErrorCode::cancelled) return fail(learned.error());
            ground.carriage = {}; // it stays where its keys are
            ground.problem = learned.error();
        }
        sources.zones[z.id] = std::move(ground);
    }
    for (const Arrangement& a : project.arrangements) {
        if (moving_known(a, project, sources)) continue;
        MovingGround ground;
        ground.arrangement = unplayed(resolved(project, a));
        if (a.single_out) ground.own_keys = a.place_keys;
        ground.range = project.settings.range;
        if (auto learned = learn_moving(a, *show, ground, progress); !learned) {
            if (learned.error().code == ErrorCode::cancelled) return fail(learned.error());
            ground.problem = learned.error();
        }
        sources.moving[a.id] = std::move(ground);
    }
    return true;
}

} // namespace garland
