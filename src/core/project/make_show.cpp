// The project at work: which copies show which source, where they stand and on which clock.
#include "core/project/drive_ground.h"
#include "core/project/show.h"

#include <algorithm>
#include <cmath>

namespace garland {

Arrangement resolved(const Project& project, const Arrangement& a) {
    if (!a.single_out) return a;
    const Arrangement* from = project.arrangement(a.single_out->from);
    if (!from) return a;
    Arrangement r = *from; // where its copies stand and what moves them there
    r.id = a.id;
    r.name = a.name;
    r.source = a.source;
    r.timing = a.timing;
    r.hidden = a.hidden;
    r.single_out = a.single_out;
    r.hidden_copies = a.hidden_copies;
    r.begins = a.begins;
    r.spreads.insert(r.spreads.end(), a.spreads.begin(), a.spreads.end());
    for (const Nudge& n : a.by_hand.nudges) { // on top of the other's
        const auto at = std::lower_bound(r.by_hand.nudges.begin(), r.by_hand.nudges.end(), n.copy,
                                         [](const Nudge& x, CopyId c) { return x.copy < c; });
        if (at != r.by_hand.nudges.end() && at->copy == n.copy) {
            at->frames += n.frames;
        } else {
            r.by_hand.nudges.insert(at, n);
        }
    }
    r.wobble = a.wobble;
    if (a.play.by != PlayBy::clock) r.play = a.play;
    r.pulses.insert(r.pulses.end(), a.pulses.begin(), a.pulses.end());
    return r;
}

namespace {

struct Maker {
    const Project& project;
    const OpenSources& sources;
    PoseCache& cache;
    const Show* before;
    Show& show;
    const Solving& solving;

    const ArrangementShow* earlier(ArrangementId id, SourceId source = {}) const {
        for (std::size_t i = 0; before && i < before->arrangements.size(); ++i) {
            const ArrangementShow& a = before->arrangements[i];
            if (a.id == id && (!source || a.source == source)) return &a;
        }
        return nullptr;
    }

    CopyGroundwork ground_of(const Arrangement& a, std::string& problem) const {
        if (!is_carried(a.layout.kind)) return {};
        const auto open = sources.find(a.layout.carried.source);
        const SourceSpec* spec = project.source(a.layout.carried.source);
        if (open == sources.end() || !spec) {
            problem = "what carries the copies is not open";
            return {};
        }
        if (!(open->second.ground_settings == spec->import_settings && open->second.ground_closing == spec->closing))
            return {};
        if (open->second.ground_problem) problem = describe(*open->second.ground_problem);
        CopyGroundwork g = open->second.ground;
        if (a.layout.kind == ArrangementKind::points) g.surface = nullptr;
        if (a.layout.kind == ArrangementKind::scatter) g.carriers = nullptr;
        return g;
    }

    std::shared_ptr<const CopySet> copies_of(const Arrangement& a) const {
        std::string problem;
        const CopyGroundwork ground = ground_of(a, problem);
        const ArrangementShow* same = earlier(a.id);
        const CopySet* old = same ? same->shown.set.get() : nullptr;
        if (old && old->spec == a && old->ground == ground && problem.empty()) return same->shown.set;
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
        if (a.begins.passes > 0 &&
            (timing.after.mode == OutsideMode::repeat || timing.after.mode == OutsideMode::there_and_back)) {
            if (a.begins.passes == 1) {
                timing.after = {OutsideMode::hold, 0};
            } else {
                timing.after.count = a.begins.passes - 1;
            }
        }
        out.plan = TimingPlan(timing);
        out.timing.form = timing.form;
        out.timing.name = timing.name;
        if (timing.form == TimingForm::phrases) {
            out.timing.phrase_starts = boundaries(timing.phrases, timing.turn_twice);
            const Settings& s = project.settings;
            if (s.tempo.on && !timing.slider)
                out.timing.off_beats = off_beats(timing.phrases, timing.turn_twice, s.tempo, s.rate);
        }
        out.rate = project.settings.rate;
        for (const Wobble* w : {&project.source(source)->wobble, &a.wobble}) {
            if (w->on) out.about.wobbles.push_back(*w);
        }
        for (const Pulse& p : a.pulses) {
            if (p.on) out.about.pulses.push_back(p);
        }
        out.usable = false;
        out.clock = {};
        out.sampler = {};
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
        out.sampler = sampler_of(a, source, sampler->second);
    }

    // A single-out of a part shows that part only, and the one it was taken from everything but it.
    Sampler sampler_of(const Arrangement& a, SourceId source, const Sampler& whole) const {
        ImportSettings settings = whole.import_settings();
        if (a.single_out && !a.single_out->part.empty()) {
            settings.part_of_it = true;
            settings.parts = parts_called(*whole.source(), a.single_out->part);
        } else if (!a.single_out) {
            for (const Arrangement& other : project.arrangements) {
                if (!other.single_out || other.single_out->from != a.id || other.single_out->part.empty() ||
                    !other.single_out->copies.empty())
                    continue;
                settings.part_of_it = settings.parts_left_out = true;
                for (std::int32_t p : parts_called(*whole.source(), other.single_out->part))
                    settings.parts.push_back(p);
            }
            std::sort(settings.parts.begin(), settings.parts.end());
        }
        if (!settings.part_of_it) return whole;
        const ArrangementShow* same = earlier(a.id, source);
        if (same && same->usable && same->sampler.serial() == whole.serial() &&
            same->sampler.import_settings() == settings)
            return same->sampler;
        return Sampler(whole.source(), whole.clock(), settings, whole.serial(), &cache);
    }

    // The copies that this arrangement shows itself: a single-out's own, and not those that were taken out of it.
    std::vector<std::uint32_t> shown_of(const Arrangement& a, const CopySet& set) const {
        std::vector<CopyId> out_of_it;
        for (const Arrangement& other : project.arrangements) {
            if (!other.single_out || other.single_out->from != a.id || other.single_out->copies.empty() ||
                !other.single_out->part.empty())
                continue;
            out_of_it.insert(out_of_it.end(), other.single_out->copies.begin(), other.single_out->copies.end());
        }
        std::sort(out_of_it.begin(), out_of_it.end());
        std::vector<std::uint32_t> shown;
        for (std::uint32_t i = 0; i < set.places.size(); ++i) {
            const CopyId id = set.places[i].id;
            if (a.single_out && !a.single_out->copies.empty() &&
                !std::binary_search(a.single_out->copies.begin(), a.single_out->copies.end(), id))
                continue;
            if (!a.single_out && std::binary_search(out_of_it.begin(), out_of_it.end(), id)) continue;
            shown.push_back(i);
        }
        return shown;
    }

    // Where copies are sensed: where they stand, or where what carries them takes them.
    CopyTracks tracks_of(const Arrangement& a, const CopySet& set, const SharedList<Placement>& still) const {
        CopyTracks tracks{still, nullptr};
        const auto known = sources.moving.find(a.id);
        const bool learned = known != sources.moving.end() && known->second.tracks;
        if (learned && known->second.tracks->size() == set.places.size()) tracks.moving = known->second.tracks;
        return tracks;
    }

    SpreadLevels spread_levels(const Arrangement& a, const CopySet& set) const {
        SpreadLevels out;
        for (const Spread& s : a.spreads) {
            if (s.by.kind != Driver::zone && s.by.kind != Driver::sound) continue;
            LevelRule rule = s.by.level;
            rule.kind = s.by.kind == Driver::zone ? LevelKind::zones : LevelKind::sound;
            out[s.id] = std::make_shared<CopyLevels>(rule, show.levels, tracks_of(a, set, set.places), set);
        }
        return out;
    }

    // Solved at once; taken over from an earlier show where nothing it goes by has changed.
    CopyPlayingPtr playing_of(const Arrangement& a, const CopySet& set, const CopyClocks& clocks,
                              const TimingPlan& plan, const CopyPlaces& standing) const {
        if (a.play.by == PlayBy::clock || set.places.empty()) return nullptr;
        CopyLevels levels(a.play.level, show.levels, tracks_of(a, set, standing.still()), set);
        if (!levels.there()) return nullptr;
        const double pass = plan.loop() > 0 ? plan.period() : plan.length();
        const PlayedSpan span{plan.first().value, plan.length(), pass};
        std::vector<double> starts = clocks.starts(plan);
        const bool own_in_time = std::any_of(a.spreads.begin(), a.spreads.end(), [](const Spread& s) {
            return s.on && s.target == Target::speed && changes_in_time(s.by);
        });
        if (const ArrangementShow* old = own_in_time ? nullptr : earlier(a.id);
            old && old->shown.set.get() == &set && old->clocks.playing_whole()) {
            const CopyPlayingPtr& same = old->clocks.playing_whole();
            const CopyLevels& was = same->levels();
            if (same->span() == span && std::ranges::equal(same->starts(), starts) &&
                std::ranges::equal(was.zones(), levels.zones()) && was.sound() == levels.sound() &&
                was.tracks().moving == levels.tracks().moving && before->levels.range == show.levels.range)
                return same;
        }
        const auto as_before = [&]() -> CopyPlayingPtr {
            show.unsolved = true;
            const ArrangementShow* old = earlier(a.id);
            const CopyPlayingPtr was = old ? old->clocks.playing_whole() : nullptr;
            return was && was->levels().size() == set.places.size() ? was : nullptr;
        };
        // A level needs no solving; an integral takes some three times what entries take (docs/speed.md).
        const std::size_t work =
            a.play.by == PlayBy::level ? 0 : set.places.size() * (a.play.by == PlayBy::speed ? 3 : 1);
        if (work > solving.at_once) return as_before();
        auto playing =
            CopyPlaying::make(a.play, std::move(levels), span, clocks.own_rate(), std::move(starts), *solving.progress);
        if (!playing) return as_before();
        return *playing;
    }

    void add(const Arrangement& written, std::int64_t& number) const {
        const Arrangement a = resolved(project, written);
        const auto set = copies_of(a);
        ArrangementShow common;
        fill(common, a, a.source);
        common.shown.set = set;
        if (written.single_out) {
            common.about.own_keys = written.place_keys;
            common.about.own_place = PlaceCurve(written.place_keys);
        }
        if (is_carried(a.layout.kind)) {
            if (const auto carrier = show.samplers.find(a.layout.carried.source); carrier != show.samplers.end()) {
                common.carried.sampler = carrier->second;
                common.carried.time.clock = carrier->second.clock();
            }
            if (const Timing* t = a.layout.carried.timing ? project.timing(a.layout.carried.timing) : nullptr)
                common.carried.time.plan = TimingPlan(*t);
        }
        const SpreadLevels levels = spread_levels(a, *set);
        CopyClocks clocks(*set, common.plan, common.carried.time, project.settings.rate, project.settings.range,
                          levels);
        CopyPlaces standing(*set, project.settings.rate, levels);
        if (CopyPlayingPtr playing = playing_of(a, *set, clocks, common.plan, standing))
            clocks.set_playing(std::move(playing));
        const std::vector<std::uint32_t> shown = shown_of(a, *set);
        const std::vector<std::uint32_t> variants = variants_of(*set);
        const std::size_t kinds = a.choice.variants.size() + 1;
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
                out.about.wobbles.clear();
                fill(out, a, a.choice.variants[k - 1].source);
            }
            out.shown.first = numbers[k].empty() ? number : numbers[k].front();
            if (which[k].size() == set->places.size()) {
                out.clocks = clocks;
                out.standing = standing;
            } else {
                out.clocks = clocks.part(which[k]);
                out.standing = standing.part(which[k]);
                if (kinds > 1) out.shown.numbers = numbers[k];
                out.shown.in_set = which[k];
            }
            out.places = out.standing.still();
            show.arrangements.push_back(std::move(out));
        }
    }
};

} // namespace

ShowPtr make_show(const Project& project, const OpenSources& sources, PoseCache& cache, const Show* before,
                  const Solving& solving) {
    auto show = std::make_shared<Show>();
    show->settings = project.settings;
    show->camera = CameraPlan(project.settings.camera_keys, project.settings.camera);
    for (const SourceSpec& spec : project.sources) {
        const auto open = sources.find(spec.id);
        if (open == sources.end() || !open->second.source) continue;
        Sampler sampler = sampler_for(spec, open->second, project.settings.rate, cache);
        // A closed loop that is still the same keeps what it has learned about its poses.
        if (before) {
            const auto same = before->samplers.find(spec.id);
            if (same != before->samplers.end() && same->second.serial() == sampler.serial() &&
                same->second.import_settings() == sampler.import_settings() &&
                same->second.clock() == sampler.clock()) {
                sampler = same->second;
            }
        }
        show->samplers[spec.id] = std::move(sampler);
    }
    show->levels.range = project.settings.range;
    for (const Zone& z : project.zones) {
        if (!z.on) continue;
        const auto known = sources.zones.find(z.id);
        ZoneGround ground = known == sources.zones.end() ? ZoneGround{} : known->second;
        if (z.ride == ZoneRide::path) ground.carriage = carriage_along_path(z);
        auto& plan = show->levels.zones[z.id];
        if (before) {
            const auto same = before->levels.zones.find(z.id);
            if (same != before->levels.zones.end() && same->second->made_of(z, ground.grid, ground.carriage))
                plan = same->second;
        }
        if (!plan) plan = std::make_shared<ZonePlan>(z, ground.grid, ground.carriage);
    }
    for (const SoundSpec& s : project.sounds) {
        if (const auto known = sources.sounds.find(s.id); known != sources.sounds.end() && known->second.levels)
            show->levels.sounds[s.id] = known->second.levels;
    }
    const Maker maker{project, sources, cache, before, *show, solving};
    for (const Arrangement& a : project.arrangements) {
        if (!a.hidden) maker.add(a, show->copy_count);
    }
    return show;
}

} // namespace garland
