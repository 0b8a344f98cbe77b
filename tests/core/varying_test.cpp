// Whole arrangements: meeting, parting twins, single-outs, several sources, copies on points that move.
#include "support/case.h"
#include "support/notation.h"

#include "core/base/chance.h"
#include "core/project/findings.h"
#include "core/project/varying.h"
#include "core/source/motion_box.h"

#include <set>

using namespace garland;
using namespace garland::testing;

namespace {

// Three dots with ids that come and go, one unit to the right every frame; frame f has dot i while i·5 ≤ f < i·5 + 20.
class Dots final : public Source {
  public:
    Dots() {
        facts_.kind = SourceKind::particles;
        facts_.last = 40;
        facts_.points = 1;
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {}; }
    Result<PosePtr> read(std::int64_t f, Progress&) const override {
        auto pose = std::make_shared<Pose>();
        Attribute mass{"mass", 1};
        for (std::int64_t i = 0; i < 3; ++i) {
            if (f < i * 5 || f >= i * 5 + 20) continue;
            pose->ids.push_back(10 + i);
            pose->points.emplace_back(static_cast<float>(f), 0.0f, static_cast<float>(i));
            mass.values.push_back(static_cast<float>(i) * 2);
        }
        pose->attributes.push_back(mass);
        return PosePtr(pose);
    }

  private:
    SourceFacts facts_;
};

// A triangle for each of two parts, "wheel" below "stick".
class TwoParts final : public Source {
  public:
    TwoParts() { facts_.last = 99, facts_.points = 6, facts_.faces = 2; }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {}; }
    std::vector<PartName> parts() const override { return {{"stick", -1}, {"wheel", 0}}; }
    Result<PosePtr> read(std::int64_t f, Progress&) const override {
        static const auto faces = [] {
            auto f = std::make_shared<Faces>();
            f->starts = {0, 3, 6}, f->corners = {0, 1, 2, 3, 4, 5};
            return f;
        }();
        auto pose = std::make_shared<Pose>();
        for (int i = 0; i < 6; ++i) pose->points.emplace_back(static_cast<float>(i), static_cast<float>(f), 0.0f);
        Attribute part{"part", 1};
        part.whole = {0, 0, 0, 1, 1, 1};
        pose->attributes.push_back(part);
        pose->faces = faces;
        return PosePtr(pose);
    }

  private:
    SourceFacts facts_;
};

} // namespace

class VaryingTest : public QObject {
    Q_OBJECT
    PoseCache cache_{1 << 20};
    Project p_;
    OpenSources open_;
    SourceId parts_, dots_;
    Arrangement& first() { return p_.arrangements[0]; }
    ShowPtr show() {
        if (auto ok = validate(p_); !ok) qFatal("%s", ok.error().message.c_str());
        if (!find_groundwork(p_, open_, cache_)) qFatal("no groundwork");
        return make_show(p_, open_, cache_);
    }
    Spread spread(Target target, Driver driver, double from, double to) {
        Spread s;
        s.id = SpreadId(p_.next_id++);
        s.target = target, s.by.kind = driver, s.from = from, s.to = to;
        return s;
    }
    static double shown(const Show& show, std::int64_t copy, double t) {
        return trace(show, copy, OutputFrame(t))->values.moment.source;
    }
  private slots:
    void init() {
        p_ = Project{};
        open_.clear();
        parts_ = add_source(p_, "pinwheel", "pinwheel.glb", {0, 99, {24, 1}});
        dots_ = add_source(p_, "petals", "petals.csv", {0, 40, {24, 1}});
        open_[parts_] = {std::make_shared<TwoParts>(), PoseCache::new_serial()};
        open_[dots_] = {std::make_shared<Dots>(), PoseCache::new_serial()};
        p_.arrangements[1].hidden = true;
        first().layout.count = 12;
    }
    void copies_meet_at_the_source_frame_that_is_asked_for() {
        first().spreads = {spread(Target::delay, Driver::chance, 0, 30)};
        p_.timings[0].before = p_.timings[0].after = {OutsideMode::repeat, 0};
        p_.arrangements[1].timing = p_.timings[0].id; // others follow it too
        const Timing shared = p_.timings[0];
        const std::size_t timings = p_.timings.size();
        const auto met = meet_in(p_, first().id, {OutputFrame(90), 48, 4, SourceFrame(40)});
        QVERIFY(met);
        QCOMPARE(met->words, "Meet at frame 90, at source frame 40");
        const ShowPtr s = show();
        for (std::int64_t c = 0; c < 12; ++c) QCOMPARE(shown(*s, c, 90), 40.0);
        QCOMPARE(p_.timings.size(), timings + 1);
        QVERIFY(*p_.timing(shared.id) == shared);
        QVERIFY(met->note.find("a timing of its own") != std::string::npos &&
                met->note.find("frames") != std::string::npos);
        // By the least there is: at 90 the timing shows 89 by itself, so 49 frames later is nearer than 51 earlier.
        QVERIFY2(met->note.find("plays 49 frames later") != std::string::npos, met->note.c_str());
        const Project before = p_;
        const auto never = meet_in(p_, first().id, {OutputFrame(90), 48, 4, SourceFrame(500)});
        QVERIFY(!never &&
                never.error().message.find("never shows source frame 500: it shows 0 to 99") != std::string::npos);
        QVERIFY(p_ == before);
        // Between two frames of a timing that runs at half speed.
        p_.timing(first().timing)->map = timing_of("1:0 199:99").map;
        QVERIFY(meet_in(p_, first().id, {OutputFrame(60), 24, 0, SourceFrame(33.25)}));
        QVERIFY(std::abs(shown(*show(), 5, 60) - 33.25) < 1e-6);
    }
    void chance_in_whole_frames_knows_its_direction() {
        Spread up = spread(Target::delay, Driver::chance, 0, 24), down = up;
        std::swap(down.from, down.to);
        for (std::uint64_t c = 0; c < 200; ++c)
            QCOMPARE(value_of(up, CopyId(c), 0, 1) + value_of(down, CopyId(c), 0, 1), 24.0);
    }
    void findings_are_ignored_one_by_one() {
        first().layout.count = 4;                         // all move alike: twins
        p_.timings[0].map = timing_of("1:0 150:149").map; // and the source ends at 99
        Report report = *check(*show());
        QCOMPARE(report.findings.size(), std::size_t(2));
        const Finding twins = report.findings[0];
        QCOMPARE(twins.kind, FindingKind::twins);
        QVERIFY(ignore(p_.settings, twins, "they are one flock"));
        report = *check(*show());
        QCOMPARE(report.findings.size(), std::size_t(1));
        QCOMPARE(report.findings[0].kind, FindingKind::clamped);
        QCOMPARE(report.ignored.size(), std::size_t(1));
        QCOMPARE(report.ignored[0].reason, "they are one flock");
        QCOMPARE(report.ignored[0].key, twins.key);
        // Another set of copies is another finding.
        first().layout.count = 5;
        report = *check(*show());
        QCOMPARE(report.count(FindingKind::twins), std::size_t(1));
        QVERIFY(report.findings[0].key != twins.key);
        QVERIFY(report_again(p_.settings, twins.key));
        QVERIFY(!report_again(p_.settings, twins.key));
        first().layout.count = 4;
        QCOMPARE(check(*show())->findings.size(), std::size_t(2));
        // Large groups have a key of bounded length.
        first().layout.count = 400;
        QVERIFY(check(*show())->findings[0].key.size() < 64);
    }
    void a_source_taken_otherwise_is_another_one() {
        PoseCache cache(std::size_t(1) << 20);
        const auto source = std::make_shared<Dots>();
        const SourceClock clock = make_clock(0, 40, 0, Rate{24, 1}, Join::frame_for_frame, Rate{24, 1});
        auto identity = [&](const ImportSettings& settings, std::uint64_t serial = 7) {
            return Sampler(source, clock, settings, serial, &cache).identity();
        };
        ImportSettings up, scaled, dropped, between, gaps;
        up.up = UpAxis::z, scaled.scale = 2, dropped.dropped = {3}, between.how = SubFrame::nearest,
        gaps.gaps = GapFix::blend;
        const std::set<std::uint64_t> all{identity({}),      identity(up),   identity(scaled), identity(dropped),
                                          identity(between), identity(gaps), identity({}, 8)};
        QCOMPARE(all.size(), std::size_t(7));
        QCOMPARE(identity({}), identity({}));
    }
    void the_box_of_a_whole_motion() {
        // Three dots one unit to the right every frame, 0 … 40, of which the last is there until 29.
        PoseCache cache(std::size_t(1) << 20);
        const Sampler sampler(std::make_shared<Dots>(),
                              make_clock(0, 40, 0, Rate{24, 1}, Join::frame_for_frame, Rate{24, 1}), {},
                              PoseCache::new_serial(), &cache);
        const auto all = motion_box(sampler, 100);
        QVERIFY(all && all->all && all->frames == 41);
        QCOMPARE(all->box.min.x, 0.0f);
        QCOMPARE(all->box.max.x, 29.0f);
        QCOMPARE(all->box.max.z, 2.0f);
        const auto some = motion_box(sampler, 5);
        QVERIFY(some && !some->all && some->frames == 5 && some->box.max.x <= 29);
        QCOMPARE(usual_spacing(all->box), 40.0); // 1.1 × 29 is 31.9
        QCOMPARE(usual_spacing(Imath::Box3f(V3f(0), V3f(0.1f, 9, 0.2f))), 0.25);
        QCOMPARE(usual_spacing(Imath::Box3f(V3f(0), V3f(100, 10, 900)), true, 0.01),
                 1.5); // z is up: 1 m wide and 0.1 m deep
        QCOMPARE(usual_spacing(Imath::Box3f()), 1.0);
    }
    void all_copies_meet() {
        first().spreads = {spread(Target::delay, Driver::chance, 0, 30),
                           spread(Target::speed, Driver::chance, -10, 10)};
        first().by_hand.nudges = {{CopyId(3), 9}};
        const auto met = meet_at(first(), {OutputFrame(90), 48, 4});
        first() = met->arrangement;
        QVERIFY(met->note.find("different speeds") != std::string::npos);
        const ShowPtr s = show();
        for (std::int64_t c = 1; c < 12; ++c) QCOMPARE(shown(*s, c, 90), shown(*s, 0, 90));
        std::set<double> apart;
        for (std::int64_t c = 0; c < 12; ++c) apart.insert(shown(*s, c, 30));
        QVERIFY(apart.size() > 9);
        QVERIFY(!meet_at(first(), {OutputFrame(90), 0, 0}));
        first().begins.kind = StartKind::at_birth;
        QVERIFY(!meet_at(first(), {OutputFrame(90), 10, 0}));
        const auto out = without_meeting(first())->arrangement;
        QVERIFY(out.spreads[0].strength.keys.empty() && !out.spreads[1].meets && out.by_hand.amount.empty());
    }
    void running_backward_is_told_and_a_longer_ease_mends_it() {
        first().spreads = {spread(Target::delay, Driver::order_total, 0, 40)};
        const Arrangement plain = first();
        first() = meet_at(plain, {OutputFrame(80), 20, 0})->arrangement;
        const auto run = backward_by_amounts(show()->arrangements[0], {1, 240});
        QVERIFY(run && run->copies > 0 && run->first.value > 80 && run->last.value < 100);
        QVERIFY(close(run->steepest, 1.5 * 40 / 20, 0.01)); // the steepest an eased way gets is 1.5 over its length
        const double longer = run->longer_ease(20);
        first() = meet_at(plain, {OutputFrame(80), longer, 0})->arrangement;
        QVERIFY(!backward_by_amounts(show()->arrangements[0], {1, 240}));
        // and what is shown says the same: time runs backward only with the short ease
        int backward = 0;
        first() = meet_at(plain, {OutputFrame(80), 20, 0})->arrangement;
        const ShowPtr s = show();
        for (double t = 80; t < 100; ++t) backward += trace(*s, 11, OutputFrame(t))->values.moment.has(mark_backward);
        QVERIFY(backward > 3);
    }
    void twins_are_counted_and_parted() {
        first().layout.count = 20;
        first().layout.spacing = 1;
        first().spreads = {spread(Target::delay, Driver::chance, 0, 10)};
        Timing& t = *p_.timing(first().timing);
        t.after.mode = t.before.mode = OutsideMode::repeat;
        const ShowPtr before = show();
        const auto state = twin_state(*before, first().id, 48);
        QVERIFY(state->twins >= 12 && state->near_twins > 0); // twenty copies on eleven delays
        QCOMPARE(state->room, std::int64_t(200));             // a loop of 100 frames, half a frame apart
        QCOMPARE(state->loop, 100.0);
        const auto done = part_twins(*before, p_, first().id, {});
        QVERIFY(done);
        first().by_hand.nudges = done->nudges;
        const ShowPtr after = show();
        QCOMPARE(twin_state(*after, first().id, 240)->twins, std::int64_t(0));
        double total = 0;
        for (const Nudge& n : first().by_hand.nudges) total += std::abs(n.frames);
        QVERIFY(total > 0 && total < 20 * 10);
        QVERIFY(done->words.find("of 20 copies moved") != std::string::npos);
        first().by_hand.nudges.clear();
        const auto near = part_twins(*before, p_, first().id, {4, true, {}, {}});
        first().by_hand.nudges = near->nudges;
        const auto left = twin_state(*show(), first().id, 48);
        QVERIFY(left->near_twins < state->near_twins && near->nudges.size() < done->nudges.size() + 1);
    }
    void copies_that_a_zone_starts_are_parted() { // a wall that passes five of them in every output frame
        first().layout.count = 20;
        first().layout.spacing = 1;
        Timing& t = *p_.timing(first().timing);
        t.after.mode = OutsideMode::repeat;
        Zone wall;
        wall.id = ZoneId(p_.next_id++);
        wall.shape = ZoneShape::wall;
        wall.keys = {{OutputFrame(1), V3d(-60, 0, 0)}, {OutputFrame(101), V3d(440, 0, 0)}};
        p_.zones = {wall};
        first().play.by = PlayBy::starts;
        const ShowPtr before = show();
        QCOMPARE(before->arrangements[0].clocks.playing()->visits(7).size(), std::size_t(1));
        QVERIFY(twin_state(*before, first().id, 240)->twins > 15);
        for (const bool whole : {true, false}) {
            first().by_hand.nudges.clear();
            const auto done = part_twins(*before, p_, first().id, {0, whole, {}, {}});
            QVERIFY2(done, done ? "" : describe(done.error()).c_str());
            QCOMPARE(done->left, std::int64_t(0));
            first().by_hand.nudges = done->nudges;
            for (const Nudge& n : done->nudges) QVERIFY(!whole || n.frames == std::round(n.frames));
            QCOMPARE(twin_state(*show(), first().id, 240)->twins, std::int64_t(0));
        }
        // Speeds that differ too little, and a zone that reaches the first few only: those that nothing starts stand
        // still, are nobody's twins, and stay where they are.
        first().by_hand.nudges.clear();
        first().spreads = {spread(Target::speed, Driver::order_step, 0, 0.01)};
        p_.zones[0].shape = ZoneShape::box;
        p_.zones[0].size = V3d(8, 4, 4);
        p_.zones[0].inner = p_.zones[0].outer = 0;
        p_.zones[0].keys = {{OutputFrame(1), V3d(-8, 0, -20)}, {OutputFrame(41), V3d(-8, 0, 0)}};
        const ShowPtr few = show();
        const CopyPlaying& playing = *few->arrangements[0].clocks.playing();
        std::set<CopyId> reached;
        for (std::size_t i = 0; i < 20; ++i) {
            if (!playing.visits(i).empty()) reached.insert(few->arrangements[0].places[i].id);
        }
        QVERIFY(reached.size() > 3 && reached.size() < 10);
        QVERIFY(twin_state(*few, first().id, 240)->twins > 3);
        const auto parted = part_twins(*few, p_, first().id, {});
        QVERIFY2(parted, parted ? "" : describe(parted.error()).c_str());
        QVERIFY(!parted->nudges.empty());
        for (const Nudge& n : parted->nudges) QVERIFY(reached.count(n.copy) > 0);
        first().by_hand.nudges = parted->nudges;
        QCOMPARE(twin_state(*show(), first().id, 240)->twins, std::int64_t(0));
        first().spreads.clear();
        // Where what plays them begins again and again, nothing can be promised.
        first().by_hand.nudges.clear();
        first().play.start_again = true;
        const auto refused = part_twins(*show(), p_, first().id, {});
        QVERIFY(!refused && refused.error().message.find("no delays can be worked out") != std::string::npos);
    }
    void copies_that_stand_together_cannot_be_parted() { // played once in 100 of 400 frames, and held
        p_.settings.range = {1, 400};
        p_.settings.twins_only_moving = false;
        const auto out = part_twins(*show(), p_, first().id, {});
        QVERIFY(!out && out.error().message.find("stand still together") != std::string::npos);
    }
    void twins_of_different_speeds_are_told_apart_from_those() { // 0.01 % faster from copy to copy: twins all the same
        first().spreads = {spread(Target::speed, Driver::order_step, 0, 0.01)};
        Timing& t = *p_.timing(first().timing);
        t.after.mode = t.before.mode = OutsideMode::repeat;
        QVERIFY(twin_state(*show(), first().id, 240)->twins > 0);
        const auto out = part_twins(*show(), p_, first().id, {});
        QVERIFY2(out, out ? "" : out.error().message.c_str());
        first().by_hand.nudges = out->nudges;
        QCOMPARE(twin_state(*show(), first().id, 240)->twins, std::int64_t(0));
        QCOMPARE(out->left, std::int64_t(0));
    }
    void a_loop_that_is_too_short_says_so() {
        first().layout.count = 150;
        Timing& t = *p_.timing(first().timing);
        t.after.mode = t.before.mode = OutsideMode::repeat;
        const auto out = part_twins(*show(), p_, first().id, {});
        QVERIFY(!out && out.error().message.find("can hold 100 copies") != std::string::npos); // whole frames
    }
    void single_outs_keep_the_same_values() {
        first().spreads = {spread(Target::delay, Driver::chance, 0, 50)};
        first().wobble.on = true;
        const ShowPtr whole = show();
        const auto id = single_out(p_, first().id, {CopyId(7), CopyId(2)}, {});
        QVERIFY(id);
        const ShowPtr split = show();
        QCOMPARE(split->copies(), std::int64_t(12));
        QCOMPARE(split->arrangements[0].places.size(), std::size_t(10));
        const ArrangementShow& out = split->arrangements[1];
        QCOMPARE(out.id, *id);
        QCOMPARE(out.places[0].id, CopyId(2));
        QCOMPARE(out.places[0].position, whole->arrangements[0].places[2].position);
        QCOMPARE(out.clocks[1].delay, whole->arrangements[0].clocks[7].delay);
        for (std::size_t i = 0; i < 10; ++i) QVERIFY(split->arrangements[0].places[i].id != CopyId(2));
        p_.timing(p_.arrangement(*id)->timing)->map.keys[1].source = SourceFrame(10); // its own timing
        QVERIFY(shown(*show(), 10, 100) <= 10);
        first().spreads[0].by.seed = 77; // the other's values are its own, whatever becomes of them
        const ShowPtr later = show();
        QCOMPARE(later->arrangements[1].clocks[0].delay, value_of(first().spreads[0], CopyId(2), 2, 12));
        QVERIFY(!single_out(p_, *id, {CopyId(7)}, {}));
        QVERIFY(!single_out(p_, first().id, {}, {}));
        remove_arrangement(p_, first().id);
        QVERIFY(!p_.arrangement(*id));
    }
    void a_part_is_singled_out() {
        first().spreads = {spread(Target::delay, Driver::chance, 0, 50)};
        const auto id = single_out(p_, first().id, {}, "wheel");
        QVERIFY(id);
        const ShowPtr s = show();
        QCOMPARE(s->copies(), std::int64_t(24));
        const auto posed = pose_all(*s, OutputFrame(40));
        QVERIFY(posed && posed->size() == 2);
        const Pose &stick = *(*posed)[0].poses[0].pose, &wheel = *(*posed)[1].poses[0].pose;
        QCOMPARE(stick.points.size(), std::size_t(3));
        QCOMPARE(wheel.points.size(), std::size_t(3));
        QCOMPARE(stick.points[0].x, 0.0f);
        QCOMPARE(wheel.points[0].x, 3.0f);
        QCOMPARE(wheel.faces->count(), std::size_t(1));
        QVERIFY((*posed)[1].poses[0].pose->faces == (*posed)[1].poses[1].pose->faces); // shared between poses
        for (std::size_t i = 0; i < 12; ++i)
            QCOMPARE(s->arrangements[0].clocks[i].delay, s->arrangements[1].clocks[i].delay);
        QCOMPARE(parts_called(TwoParts(), "stick"), (std::vector<std::int32_t>{0, 1})); // with what hangs on it
        QVERIFY(parts_called(TwoParts(), "mast").empty());
    }
    void several_sources_share_the_numbers() {
        first().choice.variants = {{dots_, 1}};
        first().choice.in_turn = true;
        const ShowPtr s = show();
        QCOMPARE(s->copies(), std::int64_t(12));
        QCOMPARE(s->arrangements.size(), std::size_t(2));
        std::size_t i = 0;
        for (std::int64_t n = 0; n < 12; ++n) {
            const ArrangementShow* a = s->find(n, i);
            QVERIFY(a && a->number(i) == n);
            QCOMPARE(a->source, n % 2 ? dots_ : parts_);
            QCOMPARE(a->places[i].id, CopyId(static_cast<std::uint64_t>(n)));
        }
        QVERIFY(!s->find(12, i));
        open_.erase(
            dots_); // a further source that is not there: its copies are kept, and nothing is shown in their place
        const ShowPtr without = show();
        QCOMPARE(without->copies(), std::int64_t(12));
        QVERIFY(without->arrangements[0].usable && !without->arrangements[1].usable);
        QCOMPARE(pose_all(*without, OutputFrame(5))->size(), std::size_t(1));
    }
    void copies_ride_on_what_moves() {
        Arrangement& a = first();
        a.layout.kind = ArrangementKind::points;
        a.layout.carried.source = dots_;
        a.layout.origin = V3d(0, 2, 0);
        a.attitude.facing = Facing::velocity;
        a.begins.kind = StartKind::at_birth;
        const ShowPtr s = show();
        QCOMPARE(s->copies(), std::int64_t(3));
        QCOMPARE(s->arrangements[0].places[1].id, CopyId(11));
        const auto standing = places_at(s->arrangements[0], OutputFrame(12.5), true);
        QVERIFY((standing->places[1].position - V3d(12.5, 2, 1)).length() < 1e-6);
        QVERIFY(close(standing->places[1].turn, 90, 1e-6)); // it goes along +x
        QVERIFY(close(standing->motion[1].move.x, 1, 1e-4));
        for (double t : {3.0, 7.0, 12.0, 22.0, 27.0, 31.0, 40.0}) { // there exactly while their carriers are
            const auto posed = pose_all(*s, OutputFrame(t));
            for (int i = 0; i < 3; ++i) {
                const bool there = t >= i * 5 && t < i * 5 + 20;
                QCOMPARE((*posed)[0].picks.copies[static_cast<std::size_t>(i)] != no_pose, there);
                QCOMPARE(!moments_at(s->arrangements[0], OutputFrame(t))[static_cast<std::size_t>(i)].has(mark_absent),
                         there);
            }
        }
        QCOMPARE(shown(*s, 1, 5), 0.0); // its own time starts when it is born
        a.spreads = {spread(Target::size, Driver::attribute, 0, 100)};
        a.spreads[0].by.carrier.attribute = "mass";
        QCOMPARE(show()->arrangements[0].places[2].size, 2.0);
        a.layout.kind = ArrangementKind::scatter; // particles have no faces
        const ShowPtr none = show();
        QCOMPARE(none->copies(), std::int64_t(0));
        QVERIFY(none->arrangements[0].shown.set->problem.find("no faces") != std::string::npos);
    }
    void places_that_are_no_numbers_are_left_out() {
        class Strange final : public Source {
          public:
            Strange() { facts_.points = 3; }
            const SourceFacts& facts() const override { return facts_; }
            std::vector<std::string> files() const override { return {}; }
            Result<PosePtr> read(std::int64_t, Progress&) const override {
                auto pose = std::make_shared<Pose>();
                pose->points = {V3f(1, 0, 0), V3f(NAN, 0, 0), V3f(0, INFINITY, 2)};
                return PosePtr(pose);
            }

          private:
            SourceFacts facts_;
        };
        open_[dots_] = {std::make_shared<Strange>(), PoseCache::new_serial()};
        first().layout.kind = ArrangementKind::points;
        first().layout.carried.source = dots_;
        const ShowPtr s = show();
        QCOMPARE(s->copies(), std::int64_t(1));
        QCOMPARE(s->arrangements[0].shown.set->note,
                 std::string("2 points are left out, as their place is not a number"));
    }
    void passes_end_for_all() {
        Timing& t = *p_.timing(first().timing);
        t.after.mode = OutsideMode::repeat;
        first().begins.passes = 3;
        first().spreads = {spread(Target::delay, Driver::order_step, 0, 10)};
        const ShowPtr s = show();
        for (std::int64_t c = 0; c < 12; ++c) {
            const double end = 301 + 10 * static_cast<double>(c);
            QVERIFY(!trace(*s, c, OutputFrame(end - 5))->values.moment.has(mark_held));
            for (double t2 : {end + 1, end + 500}) {
                const auto m = trace(*s, c, OutputFrame(t2))->values.moment;
                QVERIFY(m.has(mark_held) && m.source == 99);
            }
        }
    }
    void links_that_lead_nowhere_are_refused() {
        auto refused = [&](auto change) {
            Project p = p_;
            change(p.arrangements[0]);
            return !validate(p);
        };
        QVERIFY(refused([](Arrangement& a) { a.choice.variants = {{SourceId(99), 1}}; }));
        QVERIFY(refused(
            [](Arrangement& a) { a.layout.kind = ArrangementKind::points, a.layout.carried.source = SourceId(99); }));
        QVERIFY(refused([](Arrangement& a) { a.layout.carried.timing = TimingId(99); }));
        QVERIFY(refused([](Arrangement& a) { a.single_out = SingleOut{a.id, {CopyId(1)}, {}}; }));
        QVERIFY(refused([](Arrangement& a) { a.hidden_copies = {CopyId(4), CopyId(2)}; }));
        QVERIFY(!refused([](Arrangement& a) { a.hidden_copies = {CopyId(2), CopyId(4)}; }));
        first().layout.kind = ArrangementKind::points;
        first().layout.carried.source = dots_;
        remove_source(p_, dots_); // takes what stands on it along
        QVERIFY(validate(p_) && p_.arrangements.empty());
    }
};
GARLAND_TEST_CASE(VaryingTest)
#include "varying_test.moc"
