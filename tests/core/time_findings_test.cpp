// Check of time and place: every kind of finding with a planted case that is found, and a near miss that is not.
#include "support/case.h"
#include "support/notation.h"

#include "core/project/edits.h"
#include "core/project/findings.h"
#include "core/project/source_jumps.h"

using namespace garland;
using namespace garland::testing;

namespace {

// A triangle that moves by 1 cm a frame along x, in a box of 1 m.
class Walk final : public Source {
  public:
    // Farther by `jump` from frame `jump_from` on.
    explicit Walk(std::int64_t last = 99, std::int64_t jump_from = 0, float jump = 0)
        : jump_from_(jump_from), jump_(jump) {
        facts_.last = last, facts_.points = facts_.varies.most_points = 3, facts_.faces = 1;
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {}; }
    mutable std::atomic<int> reads = 0;
    Result<PosePtr> read(std::int64_t f, Progress&) const override {
        ++reads;
        if (f == broken) return fail(ErrorCode::malformed, "this frame is cut short");
        auto pose = std::make_shared<Pose>();
        auto faces = std::make_shared<Faces>();
        faces->starts = {0, 3}, faces->corners = {0, 1, 2};
        pose->faces = faces;
        const float x = 0.01f * static_cast<float>(f) + (jump_from_ > 0 && f >= jump_from_ ? jump_ : 0);
        pose->points = {V3f(x, 0, 0), V3f(x + 1, 0, 0), V3f(x, 1, 1)};
        return PosePtr(pose);
    }

    std::int64_t broken = -1;

  private:
    SourceFacts facts_;
    std::int64_t jump_from_;
    float jump_;
};

} // namespace

class TimeFindingsTest : public QObject {
    Q_OBJECT
    PoseCache cache_{1 << 20};
    Project p_;
    OpenSources open_;
    Arrangement& first() { return p_.arrangements[0]; }
    Report found(bool crowding = false) {
        if (auto ok = validate(p_); !ok) qFatal("%s", ok.error().message.c_str());
        return *check(*make_show(p_, open_, cache_), Progress::none(), {crowding});
    }
    std::size_t count(FindingKind kind) { return found().count(kind); }
    static const Finding* of(const Report& report, FindingKind kind) {
        for (const Finding& f : report.findings) {
            if (f.kind == kind) return &f;
        }
        return nullptr;
    }
    void map(const char* keys) { p_.timings[0].map = parse_map(keys); }

  private slots:
    void init() {
        p_ = Project{};
        open_.clear();
        const SourceId id = add_source(p_, "lantern", "lantern.ply", {0, 99, {24, 1}});
        open_[id] = {std::make_shared<Walk>(), PoseCache::new_serial()};
        p_.settings.range = {1, 90};
        first().layout.count = 3, first().layout.spacing = 4;
        map("1:0 100:99");
    }
    void a_plain_project_has_none() {
        const Report r = found(true);
        for (FindingKind k : finding_kinds) {
            if (k != FindingKind::twins) QVERIFY2(r.count(k) == 0, to_text(k));
        }
    }
    void a_step_key_pops_and_a_ramp_does_not() {
        map("1:0 40:39| 41:70 60:89"); // from 39 to 70 in one frame: 31 cm
        const Report r = found();
        QCOMPARE(r.count(FindingKind::pop), std::size_t(1));
        const Finding* f = of(r, FindingKind::pop);
        QCOMPARE(f->copies.size(), std::size_t(3));
        QCOMPARE(f->frame, std::int64_t(41));
        QVERIFY2(f->words.find("by up to 0.31 m, 31 times the usual step") != std::string::npos, f->words.c_str());
        map("1:0 40:39 44:70 60:89"); // as far in four frames: fast, but every frame between is shown
        QCOMPARE(count(FindingKind::pop), std::size_t(0));
        map("1:0 40:39| 41:42 60:61"); // three steps at once are below four
        QCOMPARE(count(FindingKind::pop), std::size_t(0));
    }
    void a_phrase_border_pops_and_a_wrap_is_the_seams() {
        p_.timings[0].form = TimingForm::phrases;
        Phrase one, two;
        one.first = SourceFrame(0), one.last = SourceFrame(20);
        two.first = SourceFrame(60), two.last = SourceFrame(80);
        p_.timings[0].phrases.list = {one, two};
        QVERIFY(count(FindingKind::pop) == 1);
        two.first = SourceFrame(21); // goes on where the first ends
        p_.timings[0].phrases.list = {one, two};
        QCOMPARE(count(FindingKind::pop), std::size_t(0));
        p_.timings[0] = Timing{p_.timings[0].id};
        map("1:0 31:30");
        p_.timings[0].after = {OutsideMode::repeat, 0};
        const Report r = found();
        QCOMPARE(r.count(FindingKind::pop), std::size_t(0));
        QCOMPARE(r.count(FindingKind::seam), std::size_t(1));
    }
    void a_jump_of_places_pops_and_one_before_the_range_does_not() {
        first().place_keys = {{OutputFrame(1), V3d(0), V3d(0), 1, Toward::step},
                              {OutputFrame(30), V3d(5, 0, 0), V3d(0), 1, Toward::linear}};
        const Report r = found();
        const Finding* f = of(r, FindingKind::pop);
        QVERIFY(f && f->frame == 30);
        QVERIFY2(f->words.find("jumps 1 time, first at output frame 30") != std::string::npos, f->words.c_str());
        first().place_keys[0].toward = Toward::smooth;
        QCOMPARE(count(FindingKind::pop), std::size_t(0));
        first().place_keys[0] = {OutputFrame(-40), V3d(0), V3d(0), 1, Toward::step};
        first().place_keys[1].at = OutputFrame(0);
        QCOMPARE(count(FindingKind::pop), std::size_t(0));
    }
    void a_source_that_jumps_itself() {
        const SourceId id = p_.sources.front().id;
        auto with_jump = [&](float jump) {
            open_[id] = {std::make_shared<Walk>(99, 41, jump), PoseCache::new_serial()};
        };
        with_jump(0.08f); // nine steps at once, from 40 to 41
        const Report r = found();
        const Finding* f = of(r, FindingKind::pop);
        QVERIFY(f && r.count(FindingKind::pop) == 1);
        QCOMPARE(f->copies.size(), std::size_t(3));
        QCOMPARE(f->frame, std::int64_t(42)); // output frame 41 shows 40
        QVERIFY2(f->words.find("itself jumps from source frame 40 to 41, by 0.09 m, 9 times its usual step") !=
                     std::string::npos,
                 f->words.c_str());
        map("1:0 41:40"); // nobody comes to see it
        QCOMPARE(count(FindingKind::pop), std::size_t(0));
        map("1:90 90:42");
        QCOMPARE(count(FindingKind::pop), std::size_t(0));
        map("1:0 100:99");
        with_jump(0.025f); // three and a half steps
        QCOMPARE(count(FindingKind::pop), std::size_t(0));
        with_jump(0.035f); // four and a half
        QCOMPARE(count(FindingKind::pop), std::size_t(1));
        QVERIFY(std::any_of(r.examined.begin(), r.examined.end(), [](const std::string& e) {
            return e.find("jumps inside the source of \"lantern\"") != std::string::npos;
        }));
    }
    // A check after an edit does not read the source again; what it could not look at it does not say it did.
    void a_source_is_read_once_for_its_jumps() {
        PoseCache small(1); // holds nothing
        auto source = std::make_shared<Walk>(99, 41, 0.08f);
        open_[p_.sources.front().id] = {source, PoseCache::new_serial()};
        CheckOptions options;
        options.jumps = std::make_shared<SourceJumps>();
        auto examined = [&] {
            const Report r = *check(*make_show(p_, open_, small), Progress::none(), options);
            return std::pair(r.count(FindingKind::pop), std::any_of(r.examined.begin(), r.examined.end(), [](auto& e) {
                                 return e.find("jumps inside") != std::string::npos;
                             }));
        };
        QCOMPARE(examined(), std::pair(std::size_t(1), true));
        QVERIFY(source->reads >= 100);
        const int before = source->reads;
        first().layout.spacing = 5;
        QCOMPARE(examined(), std::pair(std::size_t(1), true));
        QVERIFY2(source->reads - before < 20, qPrintable(QString::number(source->reads - before)));
        source = std::make_shared<Walk>(99, 41, 0.08f);
        source->broken = 70;
        open_[p_.sources.front().id] = {source, PoseCache::new_serial()};
        QCOMPARE(examined(), std::pair(std::size_t(0), false));
        // Of very many jumps the farthest are told.
        class Flicker final : public Source {
          public:
            Flicker() { facts_.last = 99, facts_.points = facts_.varies.most_points = 3, facts_.faces = 1; }
            const SourceFacts& facts() const override { return facts_; }
            std::vector<std::string> files() const override { return {}; }
            Result<PosePtr> read(std::int64_t f, Progress& p) const override {
                GARLAND_TRY(pose, Walk().read(f, p));
                auto moved = std::make_shared<Pose>(*pose);
                const auto leaps = static_cast<float>(f / 5);
                for (V3f& at : moved->points) at.x += 0.1f * leaps + 0.001f * leaps * leaps;
                return PosePtr(moved);
            }

          private:
            SourceFacts facts_;
        };
        open_[p_.sources.front().id] = {std::make_shared<Flicker>(), PoseCache::new_serial()};
        QCOMPARE(examined().first, most_jumps_told - 2); // two of them lie beyond the range
    }
    void a_hand_off_larger_than_its_disk() {
        auto with = [&](double bytes, double free) {
            CheckOptions options;
            options.space = CheckOptions::Space{"posed copies", "/canal", bytes, free};
            return *check(*make_show(p_, open_, cache_), Progress::none(), options);
        };
        const Report full = with(2e9, 1.9e9);
        QCOMPARE(full.count(FindingKind::size), std::size_t(1));
        QCOMPARE(of(full, FindingKind::size)->words,
                 std::string("posed copies in /canal: about 2 GB would be written, and 1.9 GB are free on that disk"));
        QCOMPARE(with(1.9e9, 2e9).count(FindingKind::size), std::size_t(0));
        QCOMPARE(with(2e9, -1).count(FindingKind::size), std::size_t(0)); // the system does not say
    }
    void time_that_runs_backward_by_accident() {
        Spread s;
        s.id = SpreadId(p_.next_id++);
        s.target = Target::delay, s.by.kind = Driver::order_total, s.from = 0, s.to = 30;
        s.strength.keys = {{20, 0, Toward::linear}, {30, 1, Toward::linear}}; // 30 frames of delay within 10
        first().spreads = {s};
        Report r = found();
        QCOMPARE(r.count(FindingKind::backward), std::size_t(1));
        QCOMPARE(of(r, FindingKind::backward)->copies, (std::vector<std::int64_t>{1, 2})); // 15 and 30 frames
        first().spreads[0].strength.keys = {{20, 0, Toward::linear},
                                            {51, 1, Toward::linear}}; // within 31: slow, not backward
        QCOMPARE(count(FindingKind::backward), std::size_t(0));
        first().spreads.clear();
        map("1:99 90:10"); // the timing itself runs backward: that is meant
        QCOMPARE(count(FindingKind::backward), std::size_t(0));
    }
    void speeds_above_the_limit() {
        map("1:0 40:10 48:98 90:99"); // 11 source frames a frame
        const Report r = found();
        QCOMPARE(r.count(FindingKind::too_fast), std::size_t(1));
        QVERIFY2(of(r, FindingKind::too_fast)->words.find("up to 11") != std::string::npos,
                 of(r, FindingKind::too_fast)->words.c_str());
        map("1:0 40:10 51:98 90:99"); // eight
        QCOMPARE(count(FindingKind::too_fast), std::size_t(0));
    }
    void copies_never_seen() {
        p_.timings[0].before = {OutsideMode::absent, 0};
        map("200:0 299:99");
        QCOMPARE(count(FindingKind::never_seen), std::size_t(1));
        map("90:0 189:99"); // seen in the very last frame
        QCOMPARE(count(FindingKind::never_seen), std::size_t(0));
        map("1:0 100:99");
        first().hidden_copies = {make_show(p_, open_, cache_)->arrangements[0].places[1].id}; // by hand: meant
        QCOMPARE(count(FindingKind::never_seen), std::size_t(0));
    }
    void rates_that_disagree_and_their_mend() {
        p_.sources[0].rate = {25, 1};
        p_.sources[0].join = Join::frame_for_frame;
        const Report r = found();
        QCOMPARE(r.count(FindingKind::rates), std::size_t(1));
        QVERIFY(of(r, FindingKind::rates)->match_rates == p_.sources[0].id);
        p_.sources[0].join = Join::by_clock;
        QCOMPARE(count(FindingKind::rates), std::size_t(0));
        p_.sources[0].rate = {24, 1};
        p_.sources[0].join = Join::frame_for_frame;
        QCOMPARE(count(FindingKind::rates), std::size_t(0));
    }
    void both_ends_of_a_source_are_told_apart() {
        map("1:-10 100:89");
        Report r = found();
        QCOMPARE(r.count(FindingKind::clamped), std::size_t(1));
        QVERIFY(of(r, FindingKind::clamped)->words.find("begins before the source does") != std::string::npos);
        map("1:20 100:119");
        r = found();
        QCOMPARE(r.count(FindingKind::clamped), std::size_t(1));
        QVERIFY(of(r, FindingKind::clamped)->words.find("past the end of the source") != std::string::npos);
        map("1:-5 90:110");
        QCOMPARE(count(FindingKind::clamped), std::size_t(2));
    }
    void crowding_only_where_it_is_asked_for() {
        first().layout.spacing = 0.3; // boxes a metre wide share 70 %
        QCOMPARE(count(FindingKind::crowding), std::size_t(0));
        QCOMPARE(found(true).count(FindingKind::crowding), std::size_t(1));
        first().layout.spacing = 0.6; // 40 %
        QCOMPARE(found(true).count(FindingKind::crowding), std::size_t(0));
    }
    void accepted_ones_count_apart() {
        map("1:0 40:39| 41:70 60:89");
        const Report r = found();
        QVERIFY(ignore(p_.settings, *of(r, FindingKind::pop), "the clapper"));
        const Report after = found();
        QCOMPARE(after.count(FindingKind::pop), std::size_t(0));
        QCOMPARE(after.ignored.size(), std::size_t(1));
        QCOMPARE(after.ignored[0].reason, std::string("the clapper"));
    }
};
GARLAND_TEST_CASE(TimeFindingsTest)
#include "time_findings_test.moc"
