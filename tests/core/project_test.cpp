#include "support/case.h"
#include "support/notation.h"

#include "core/project/edits.h"
#include "core/project/findings.h"

#include <random>

using namespace garland;
using namespace garland::testing;

namespace {
class StillSource : public Source {
  public:
    SourceFacts known;
    const SourceFacts& facts() const override { return known; }
    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        return std::make_shared<const Pose>(tetrahedron(static_cast<double>(frame)));
    }
    std::vector<std::string> files() const override { return {}; }
};

Project small_project() {
    Project p;
    p.settings.range = {1, 48};
    add_source(p, "lantern", "lantern.ply", {0, 47, {24, 1}});
    p.arrangements[0].layout.count = 3;
    return p;
}
OpenSources opened(const Project& p, std::int64_t last = 47, std::vector<std::int64_t> missing = {}) {
    auto source = std::make_shared<StillSource>();
    source->known.last = last;
    source->known.missing = std::move(missing);
    return {{p.sources[0].id, {source, PoseCache::new_serial()}}};
}
} // namespace

class ProjectTest : public QObject {
    Q_OBJECT
  private slots:
    void adding_a_source_makes_a_whole() {
        const Project p = small_project();
        QVERIFY(validate(p).has_value());
        QCOMPARE(map_text(p.timings[0].map), "1:0 48:47");
        QCOMPARE(p.copies(), 3);
    }
    void broken_references_are_refused() {
        Project p = small_project();
        p.arrangements[0].timing = TimingId(77);
        QVERIFY(QString::fromStdString(validate(p).error().message).contains("timing that is not there"));
        p = small_project();
        p.timings[0].id = TimingId(p.sources[0].id.value);
        QVERIFY(!validate(p));
        p = small_project();
        p.settings.range = {9, 3};
        QVERIFY(!validate(p));
    }
    // Undo and redo over long random histories give back byte-identical projects.
    void edits_revert_exactly() {
        std::mt19937 random(4);
        Project p = small_project();
        std::vector<Edit> history;
        std::vector<Project> states{p};
        for (int step = 0; step < 200; ++step) {
            Project next = p;
            switch (std::uniform_int_distribution<int>(0, 5)(random)) {
            case 0: add_source(next, "s" + std::to_string(step), "x.ply", {0, 9, {24, 1}}); break;
            case 1:
                if (!next.sources.empty()) {
                    remove_source(next, next.sources[random() % next.sources.size()].id);
                }
                break;
            case 2: next.settings.range.last += 1; break;
            case 3:
                if (!next.timings.empty()) next.timings[random() % next.timings.size()].turn_twice ^= true;
                break;
            case 4:
                if (!next.arrangements.empty())
                    next.arrangements[random() % next.arrangements.size()].layout.count += 1;
                break;
            default:
                if (!next.arrangements.empty()) {
                    Spread s;
                    s.id = SpreadId(next.next_id++);
                    next.arrangements[0].spreads.push_back(s);
                }
            }
            history.push_back(difference(p, next, "step"));
            Project applied = p;
            apply(applied, history.back());
            QVERIFY(applied == next);
            p = next;
            states.push_back(p);
        }
        for (std::size_t i = history.size(); i-- > 0;) {
            revert(p, history[i]);
            QVERIFY(p == states[i]);
        }
        for (std::size_t i = 0; i < history.size(); ++i) apply(p, history[i]);
        QVERIFY(p == states.back());
    }
    void joined_edits_are_both() {
        const Project a = small_project();
        Project b = a, c;
        b.arrangements[0].layout.count = 5;
        c = b;
        c.arrangements[0].layout.count = 9;
        const Edit both = joined(difference(a, b, "x"), difference(b, c, "y"), a);
        Project p = a;
        apply(p, both);
        QVERIFY(p == c);
        revert(p, both);
        QVERIFY(p == a);
        QVERIFY(difference(a, a, "").empty());
    }
    void trace_names_every_stage() {
        Project p = small_project();
        Spread s;
        s.id = SpreadId(p.next_id++);
        s.by.kind = Driver::order_step;
        s.from = 0, s.to = 12;
        p.arrangements[0].spreads = {s};
        PoseCache cache(1 << 20);
        const ShowPtr show = make_show(p, opened(p), cache);
        const auto t = trace(*show, 1, OutputFrame(23.5));
        QVERIFY(t);
        QStringList names;
        for (const auto& stage : t->stages) names << QString::fromStdString(stage.name);
        QCOMPARE(names.join(" > "),
                 QString("strength > delay and rate > timing > before / after > source range > sub-frame"));
        QCOMPARE(t->values.moment.source, 10.5);
        QCOMPARE(t->recipe.frame_a, 10);
        QCOMPARE(t->recipe.weight, 0.5);
        QVERIFY(QString::fromStdString(t->stages[1].words).contains("12 frames later"));
        p.sources[0].import_settings.how =
            SubFrame::smooth; // no velocities to follow: through the frames on both sides
        const auto smooth = trace(*make_show(p, opened(p), cache), 1, OutputFrame(23.5));
        QVERIFY(QString::fromStdString(smooth->stages[5].words).endsWith("smooth through 9 to 12"));
        QVERIFY(!trace(*show, 3, OutputFrame(1)));
        QVERIFY(!trace(*show, -1, OutputFrame(1)));
    }
    void delays_are_worded() {
        QCOMPARE(delay_words(12), "12 frames later");
        QCOMPARE(delay_words(-1), "1 frame ahead");
        QCOMPARE(delay_words(0), "on time");
        QCOMPARE(copy_name(6, 60), "c07");
        QCOMPARE(copy_name(6, 4000), "c0007");
    }
    void poses_follow_the_trace() {
        Project p = small_project();
        p.arrangements[0].layout.count = 20;
        Spread s;
        s.id = SpreadId(p.next_id++);
        s.to = 7;
        p.arrangements[0].spreads = {s};
        PoseCache cache(1 << 20);
        const ShowPtr show = make_show(p, opened(p), cache);
        const auto all = pose_all(*show, OutputFrame(30));
        QVERIFY(all && all->size() == 1);
        QVERIFY((*all)[0].poses.size() <= 8); // 20 copies, at most 8 distinct poses
        for (std::size_t i = 0; i < 20; ++i) {
            const auto t = trace(*show, static_cast<std::int64_t>(i), OutputFrame(30));
            const auto& pose = (*all)[0].poses[(*all)[0].picks.copies[i]].pose;
            QCOMPARE(static_cast<double>(pose->points[0].y), t->values.moment.source);
        }
    }
    void check_finds_twins_ends_and_gaps() {
        Project p = small_project();
        PoseCache cache(1 << 20);
        const auto report = check(*make_show(p, opened(p), cache));
        QCOMPARE(report->count(FindingKind::twins), std::size_t(1)); // three copies without any spread
        QCOMPARE(report->findings[0].copies.size(), std::size_t(3));
        QCOMPARE(report->count(FindingKind::clamped), std::size_t(0));
        const auto shorter = check(*make_show(p, opened(p, 40), cache));
        QCOMPARE(shorter->count(FindingKind::clamped), std::size_t(1));
        const auto gaps = check(*make_show(p, opened(p, 47, {7, 8}), cache));
        QCOMPARE(gaps->count(FindingKind::missing), std::size_t(1));
        QVERIFY(QString::fromStdString(gaps->findings.back().words).startsWith("2 frames"));
        QCOMPARE(gaps->findings.back().frame, 8); // source frame 7 is shown at output frame 8
    }
    void a_project_works_without_its_files() {
        const Project p = small_project();
        PoseCache cache(1 << 20);
        const ShowPtr show = make_show(p, {}, cache);
        QCOMPARE(show->copies(), 3);
        QVERIFY(trace(*show, 0, OutputFrame(10)));
        QVERIFY(pose_all(*show, OutputFrame(10))->empty());
    }
};
GARLAND_TEST_CASE(ProjectTest)
#include "project_test.moc"
