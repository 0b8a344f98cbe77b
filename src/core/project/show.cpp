#include "core/project/show.h"

#include "core/base/numbers.h"
#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>
#include <atomic>
#include <fmt/format.h>
#include <mutex>

namespace garland {

const ArrangementShow* Show::find(std::int64_t number, std::size_t& index) const {
    for (const ArrangementShow& a : arrangements) {
        if (a.numbers.empty()) {
            const std::int64_t i = number - a.first_copy;
            if (i < 0 || i >= static_cast<std::int64_t>(a.places.size())) continue;
            index = static_cast<std::size_t>(i);
            return &a;
        }
        const auto at = std::lower_bound(a.numbers.begin(), a.numbers.end(), number);
        if (at == a.numbers.end() || *at != number) continue;
        index = static_cast<std::size_t>(at - a.numbers.begin());
        return &a;
    }
    return nullptr;
}

namespace {

// A single-out has the other arrangement's rules, and its own on top.
Arrangement resolved(const Project& project, const Arrangement& a) {
    if (!a.single_out) return a;
    const Arrangement* from = project.arrangement(a.single_out->from);
    if (!from) return a;
    Arrangement r = *from;
    r.id = a.id;
    r.name = a.name;
    r.source = a.source;
    r.timing = a.timing;
    r.hidden = a.hidden;
    r.single_out = a.single_out;
    r.hidden_copies = a.hidden_copies;
    r.start = a.start;
    r.start_frame = a.start_frame;
    r.passes = a.passes;
    r.hidden_until_start = a.hidden_until_start;
    r.spreads.insert(r.spreads.end(), a.spreads.begin(), a.spreads.end());
    for (const Nudge& n : a.nudges) { // on top of the other's
        const auto at = std::lower_bound(r.nudges.begin(), r.nudges.end(), n.copy, [](const Nudge& x, CopyId c) { return x.copy < c; });
        if (at != r.nudges.end() && at->copy == n.copy) {
            at->frames += n.frames;
        } else {
            r.nudges.insert(at, n);
        }
    }
    r.wobble = a.wobble;
    return r;
}

struct Maker {
    const Project& project;
    const OpenSources& sources;
    PoseCache& cache;
    const Show* before;
    Show& show;

    const ArrangementShow* earlier(ArrangementId id, SourceId source = {}) const {
        for (std::size_t i = 0; before && i < before->arrangements.size(); ++i) {
            const ArrangementShow& a = before->arrangements[i];
            if (a.id == id && (!source || a.source == source)) return &a;
        }
        return nullptr;
    }

    CopyGroundwork ground_of(const Arrangement& a, std::string& problem) const {
        if (!is_carried(a.kind)) return {};
        const auto open = sources.find(a.carrier);
        const SourceSpec* spec = project.source(a.carrier);
        if (open == sources.end() || !spec) {
            problem = "what carries the copies is not open";
            return {};
        }
        if (!(open->second.ground_taking == taking_of(*spec))) return {};
        if (open->second.ground_problem) problem = describe(*open->second.ground_problem);
        CopyGroundwork g = open->second.ground;
        if (a.kind == ArrangementKind::points) g.surface = nullptr;
        if (a.kind == ArrangementKind::scatter) g.carriers = nullptr;
        return g;
    }

    std::shared_ptr<const CopySet> copies_of(const Arrangement& a) const {
        std::string problem;
        const CopyGroundwork ground = ground_of(a, problem);
        const ArrangementShow* same = earlier(a.id);
        const CopySet* old = same ? same->set.get() : nullptr;
        if (old && old->spec == a && old->ground == ground && problem.empty()) return same->set;
        auto set = std::make_shared<CopySet>(make_copies(a, ground, old));
        if (!problem.empty() && set->places.empty()) set->problem = problem;
        return set;
    }

    // Everything that is the same for all copies that show one source.
    void fill(ArrangementShow& out, const Arrangement& a, SourceId source) const {
        out.id = a.id;
        out.source = source;
        out.spec = a;
        Timing timing = *project.timing(a.timing);
        if (a.passes > 0 && (timing.after.mode == OutsideMode::repeat || timing.after.mode == OutsideMode::there_and_back)) {
            if (a.passes == 1) {
                timing.after = {OutsideMode::hold, 0};
            } else {
                timing.after.count = a.passes - 1;
            }
        }
        out.plan = TimingPlan(timing);
        out.form = timing.form;
        if (timing.form == TimingForm::phrases) out.phrase_starts = boundaries(timing.phrases, timing.turn_twice);
        out.rate = project.settings.rate;
        for (const Wobble* w : {&project.source(source)->wobble, &a.wobble}) {
            if (w->on) out.wobbles.push_back(*w);
        }
        const auto sampler = show.samplers.find(source);
        if (sampler == show.samplers.end()) {
            const auto [low, high] = source_span(timing);
            out.clock.first = SourceFrame(std::floor(low.value));
            out.clock.file_first = static_cast<std::int64_t>(std::floor(low.value));
            out.clock.file_last = static_cast<std::int64_t>(std::ceil(high.value));
            return;
        }
        out.usable = true;
        out.clock = sampler->second.clock();
        out.sampler = sampler_of(a, sampler->second);
    }

    // A single-out of a part shows that part only, and the one it was taken from everything but it.
    Sampler sampler_of(const Arrangement& a, const Sampler& whole) const {
        Taking taking = whole.taking();
        if (a.single_out && !a.single_out->part.empty()) {
            taking.part_of_it = true;
            taking.parts = parts_called(*whole.source(), a.single_out->part);
        } else if (!a.single_out) {
            for (const Arrangement& other : project.arrangements) {
                if (!other.single_out || other.single_out->from != a.id || other.single_out->part.empty() || !other.single_out->copies.empty()) continue;
                taking.part_of_it = taking.parts_left_out = true;
                for (std::int32_t p : parts_called(*whole.source(), other.single_out->part)) taking.parts.push_back(p);
            }
            std::sort(taking.parts.begin(), taking.parts.end());
        }
        if (!taking.part_of_it) return whole;
        const ArrangementShow* same = earlier(a.id, a.source);
        if (same && same->usable && same->sampler.serial() == whole.serial() && same->sampler.taking() == taking) return same->sampler;
        return Sampler(whole.source(), whole.clock(), taking, whole.serial(), &cache);
    }

    // The copies that this arrangement shows itself: a single-out's own, and not those that were taken out of it.
    std::vector<std::uint32_t> shown_of(const Arrangement& a, const CopySet& set) const {
        std::vector<CopyId> out_of_it;
        for (const Arrangement& other : project.arrangements) {
            if (!other.single_out || other.single_out->from != a.id || other.single_out->copies.empty() || !other.single_out->part.empty()) continue;
            out_of_it.insert(out_of_it.end(), other.single_out->copies.begin(), other.single_out->copies.end());
        }
        std::sort(out_of_it.begin(), out_of_it.end());
        std::vector<std::uint32_t> shown;
        for (std::uint32_t i = 0; i < set.places.size(); ++i) {
            const CopyId id = set.places[i].id;
            if (a.single_out && !a.single_out->copies.empty() && !std::binary_search(a.single_out->copies.begin(), a.single_out->copies.end(), id)) continue;
            if (!a.single_out && std::binary_search(out_of_it.begin(), out_of_it.end(), id)) continue;
            shown.push_back(i);
        }
        return shown;
    }

    void add(const Arrangement& written, std::int64_t& number) const {
        const Arrangement a = resolved(project, written);
        const auto set = copies_of(a);
        ArrangementShow common;
        fill(common, a, a.source);
        common.set = set;
        if (is_carried(a.kind)) {
            if (const auto carrier = show.samplers.find(a.carrier); carrier != show.samplers.end()) {
                common.carrier_sampler = carrier->second;
                common.carrier.clock = carrier->second.clock();
            }
            if (const Timing* t = a.carrier_timing ? project.timing(a.carrier_timing) : nullptr) common.carrier.plan = TimingPlan(*t);
        }
        CopyClocks clocks(*set, common.plan, common.carrier, project.settings.rate, project.settings.range);
        CopyPlaces standing(*set, project.settings.rate);
        const std::vector<std::uint32_t> shown = shown_of(a, *set);
        const std::vector<std::uint32_t> variants = variants_of(*set);
        const std::size_t kinds = a.variants.size() + 1;
        std::vector<std::vector<std::uint32_t>> which(kinds);
        std::vector<std::vector<std::int64_t>> numbers(kinds);
        for (std::uint32_t i : shown) {
            which[variants[i]].push_back(i);
            numbers[variants[i]].push_back(number++);
        }
        for (std::size_t k = 0; k < kinds; ++k) {
            if (which[k].empty() && (kinds > 1 || !set->places.empty())) continue;
            ArrangementShow out = common;
            if (k > 0) {
                out.wobbles.clear();
                fill(out, a, a.variants[k - 1].source);
            }
            out.first_copy = numbers[k].empty() ? number : numbers[k].front();
            if (which[k].size() == set->places.size()) {
                out.clocks = clocks;
                out.standing = standing;
            } else {
                out.clocks = clocks.part(which[k]);
                out.standing = standing.part(which[k]);
                if (kinds > 1) out.numbers = numbers[k];
                out.in_set = which[k];
            }
            out.places = out.standing.still();
            show.arrangements.push_back(std::move(out));
        }
    }
};

} // namespace

ShowPtr make_show(const Project& project, const OpenSources& sources, PoseCache& cache, const Show* before) {
    auto show = std::make_shared<Show>();
    show->settings = project.settings;
    show->camera = CameraPlan(project.settings.camera_keys, project.settings.camera);
    for (const SourceSpec& spec : project.sources) {
        const auto open = sources.find(spec.id);
        if (open == sources.end() || !open->second.source) continue;
        const SourceFacts& facts = open->second.source->facts();
        show->samplers[spec.id] =
            Sampler(open->second.source, clock_of(spec, facts.first, facts.last, project.settings.rate), taking_of(spec),
                    open->second.serial, &cache);
    }
    const Maker maker{project, sources, cache, before, *show};
    for (const Arrangement& a : project.arrangements) {
        if (!a.hidden) maker.add(a, show->copy_count);
    }
    return show;
}

bool needs_groundwork(const Project& project, const OpenSources& sources) {
    for (const Arrangement& a : project.arrangements) {
        if (!is_carried(a.kind)) continue;
        const auto open = sources.find(a.carrier);
        const SourceSpec* spec = project.source(a.carrier);
        if (open == sources.end() || !open->second.source || !spec) continue;
        const bool known = a.kind == ArrangementKind::points ? open->second.ground.carriers != nullptr : open->second.ground.surface != nullptr;
        if (!(open->second.ground_taking == taking_of(*spec)) || (!known && !open->second.ground_problem)) return true;
    }
    return false;
}

Result<bool> find_groundwork(const Project& project, OpenSources& sources, PoseCache& cache, Progress& progress) {
    bool learned = false;
    for (const Arrangement& a : project.arrangements) {
        if (!is_carried(a.kind)) continue;
        const auto open = sources.find(a.carrier);
        const SourceSpec* spec = project.source(a.carrier);
        if (open == sources.end() || !open->second.source || !spec) continue;
        OpenSource& o = open->second;
        if (!(o.ground_taking == taking_of(*spec))) {
            o.ground = {};
            o.ground_problem.reset();
            o.ground_taking = taking_of(*spec);
        }
        const bool points = a.kind == ArrangementKind::points;
        if (o.ground_problem || (points ? o.ground.carriers != nullptr : o.ground.surface != nullptr)) continue;
        const SourceFacts& facts = o.source->facts();
        const Sampler sampler(o.source, clock_of(*spec, facts.first, facts.last, project.settings.rate), o.ground_taking, o.serial, &cache);
        std::optional<Error> error;
        if (points) {
            auto found = find_carriers(sampler, progress);
            if (found) {
                o.ground.carriers = std::move(*found);
            } else {
                error = found.error();
            }
        } else {
            auto pose = sampler.at(sampler.clock().first, progress);
            if (pose) {
                o.ground.surface = pose->pose;
            } else {
                error = pose.error();
            }
        }
        if (error && error->code == ErrorCode::cancelled) return fail(*error);
        o.ground_problem = error;
        learned = true;
    }
    return learned;
}

const GivenValues* given_by(const Show& show, ArrangementId arrangement, SpreadId spread) {
    for (const ArrangementShow& a : show.arrangements) {
        if (a.id != arrangement) continue;
        for (const GivenValues& g : a.set->given) {
            if (g.spread.id == spread) return &g;
        }
    }
    return nullptr;
}

std::vector<std::string> part_names(const Source& source, const Pose& pose) {
    std::vector<std::int32_t> numbers = part_numbers(pose);
    std::sort(numbers.begin(), numbers.end());
    numbers.erase(std::unique(numbers.begin(), numbers.end()), numbers.end());
    std::vector<std::string> out;
    const auto known = source.parts();
    for (std::size_t i = 0; i < known.size(); ++i) {
        if (!known[i].name.empty() && std::find(out.begin(), out.end(), known[i].name) == out.end()) out.push_back(known[i].name);
    }
    if (out.empty()) {
        for (std::int32_t n : numbers) out.push_back(fmt::format("{}", n));
    }
    return out;
}

std::vector<std::int32_t> parts_called(const Source& source, const std::string& name) {
    std::vector<std::int32_t> out;
    const auto known = source.parts();
    for (std::size_t i = 0; i < known.size(); ++i) {
        for (int p = static_cast<int>(i); p >= 0; p = known[static_cast<std::size_t>(p)].parent) {
            if (known[static_cast<std::size_t>(p)].name != name) continue;
            out.push_back(static_cast<std::int32_t>(i));
            break;
        }
    }
    if (const auto number = parse_number(name); out.empty() && number) out.push_back(static_cast<std::int32_t>(*number));
    return out;
}

std::vector<CopyMoment> moments_at(const ArrangementShow& arrangement, OutputFrame t) {
    std::vector<CopyMoment> moments(arrangement.clocks.size());
    parallel_for(moments.size(), 8192, [&](std::size_t from, std::size_t to) {
        copy_moments(arrangement.plan, arrangement.clock, arrangement.clocks, from, t, std::span(moments).subspan(from, to - from));
    });
    return moments;
}

void row_of(const ArrangementShow& a, std::size_t copy, std::span<const double> frames, std::span<CopyMoment> out) {
    row_moments(a.plan, a.clock, a.clocks, copy, frames, out);
}

namespace {

// Where copies stand without their wobble.
Result<std::vector<Placement>> standing_at(const ArrangementShow& a, double t, std::vector<std::uint8_t>* gone, Progress& progress) {
    if (!a.standing.moves()) return a.places.list();
    PosePtr carrier, later;
    if (a.standing.carried()) {
        const double s = a.carrier.at(t);
        GARLAND_TRY(now, a.carrier_sampler.at(SourceFrame(s), progress));
        carrier = now.pose;
        if (a.standing.faces_velocity()) {
            const double moment = 0.25; // output frames; at the end of its source, the way it came
            double next = a.carrier.at(t + moment);
            const bool ends = next == s;
            if (ends) next = a.carrier.at(t - moment);
            GARLAND_TRY(then, a.carrier_sampler.at(SourceFrame(next), progress));
            later = then.pose;
            if (ends) { // mirrored, so that it still looks ahead
                auto ahead = std::make_shared<Pose>(*carrier);
                const CarrierPose past(then.pose);
                for (std::size_t i = 0; i < ahead->points.size(); ++i) {
                    const V3f* p = past.find(ahead->ids.empty() ? static_cast<std::int64_t>(i) : ahead->ids[i]);
                    if (p) ahead->points[i] = ahead->points[i] * 2 - *p;
                }
                later = ahead;
            }
        }
    }
    return a.standing.at(t, carrier, later, gone);
}

} // namespace

Result<Standing> places_at(const ArrangementShow& a, OutputFrame t, bool motion, Progress& progress) {
    Standing out;
    GARLAND_TRY(places, standing_at(a, t.value, &out.gone, progress));
    out.places = std::move(places);
    const std::vector<float> amounts = a.standing.wobble_amounts(t.value);
    wobble_places(a.wobbles, t, a.rate, out.places, motion ? &out.motion : nullptr, amounts);
    if (!motion || !a.standing.moves()) return out;
    const double h = 0.125; // central differences, output frames
    std::vector<std::uint8_t> gone_before, gone_after;
    GARLAND_TRY(from, standing_at(a, t.value - h, &gone_before, progress));
    GARLAND_TRY(to, standing_at(a, t.value + h, &gone_after, progress));
    for (std::size_t i = 0; i < out.places.size(); ++i) {
        if ((!gone_before.empty() && gone_before[i]) || (!gone_after.empty() && gone_after[i])) continue;
        WobbleSample& m = out.motion[i];
        m.position_rate += (to[i].position - from[i].position) / (2 * h);
        m.turn_rate += std::remainder(to[i].turn - from[i].turn, 360.0) / (2 * h);
        m.size_rate += (to[i].size - from[i].size) / (2 * h) / std::max(out.places[i].size, 1e-12);
    }
    return out;
}

Result<SampledPose> pose_of(const Sampler& sampler, const PosePick& pick, Progress& progress) {
    if (pick.weight == 0) return sampler.at(pick.frame, progress);
    return sampler.mixed(pick.frame, {pick.other, pick.weight, pick.speed, pick.other_speed, pick.weight_speed}, progress);
}

Result<std::vector<Posed>> pose_all(const Show& show, OutputFrame t, Progress& progress) {
    std::vector<Posed> result;
    for (const ArrangementShow& a : show.arrangements) {
        if (!a.usable) continue;
        Posed& posed = result.emplace_back();
        posed.arrangement = &a;
        posed.frame = t;
        posed.moments = moments_at(a, t);
        if (a.moves()) {
            GARLAND_TRY(standing, places_at(a, t, true, progress));
            posed.moved = std::move(standing.places);
            posed.motion = std::move(standing.motion);
            for (std::size_t i = 0; i < standing.gone.size(); ++i) {
                if (standing.gone[i]) posed.moments[i].marks |= mark_absent;
            }
        }
        posed.picks = pick_poses(a.plan, a.clock, a.clocks, t, posed.moments);
        posed.poses.resize(posed.picks.poses.size());
        const Sampler& sampler = a.sampler;

        std::mutex mutex;
        std::optional<Error> error;
        std::atomic<bool> stop{false};
        parallel_for(posed.poses.size(), 1, [&](std::size_t from, std::size_t to) {
            for (std::size_t i = from; i < to && !stop; ++i) {
                auto pose = progress.cancelled() ? fail(ErrorCode::cancelled, "stopped")
                                                 : pose_of(sampler, posed.picks.poses[i], progress);
                if (pose) {
                    posed.poses[i] = std::move(*pose);
                    continue;
                }
                std::lock_guard lock(mutex);
                if (!error) error = std::move(pose.error());
                stop = true;
            }
        });
        if (error) return fail(std::move(*error));
    }
    return result;
}

std::string copy_name(std::int64_t number, std::int64_t count) {
    return fmt::format("c{:0{}}", number + 1, std::max<std::size_t>(2, fmt::format("{}", count).size()));
}

} // namespace garland
