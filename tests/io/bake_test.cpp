#include "support/assimp_reading.h"
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/files/series.h"
#include "io/handoff/bake.h"
#include "io/ply/ply.h"
#include "io/project/open_project.h"
#include "io/project/project_file.h"
#include "io/tables/timing_table.h"

using namespace garland;
using namespace garland::testing;

namespace {
// A source that rises by one unit a frame, with velocities of 24 units a second.
struct Scene {
    Folder folder;
    OpenedProject project;
    PoseCache cache{1 << 24};
    ShowPtr show;

    Scene() {
        for (int f = 0; f < 20; ++f) {
            Pose pose = tetrahedron(f);
            pose.velocities.assign(4, V3f(0, 24, 0));
            if (!write_ply(folder / numbered("s", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::refuse))
                qFatal("no room");
        }
        Project p;
        p.settings.range = {1, 40};
        add_source(p, "s, the \"riser\"", "s0000.ply", {0, 19, {24, 1}});
        p.timings[0].map = parse_map("1:0 11:10 21:10 30:19");
        p.timings[0].after.mode = OutsideMode::there_and_back;
        Arrangement& a = p.arrangements[0];
        a.layout.kind = ArrangementKind::ring;
        a.layout.count = 5;
        a.layout.radius = 4;
        a.attitude.facing = Facing::outward;
        a.size = 2;
        Spread s;
        s.id = SpreadId(p.next_id++);
        s.by.kind = Driver::order_step;
        s.to = 1.5;
        s.whole_frames = false;
        a.spreads = {s};
        if (!save_project(folder / "p.garland", p, Existing::refuse)) qFatal("no room");
        project = *open_project(folder / "p.garland");
        show = make_show(project.project, project.sources, cache);
    }
    BakeOrder order(std::int64_t first, std::int64_t last) const {
        return {folder / "out", "copies", {first, last}, Existing::refuse};
    }
};
} // namespace

class BakeTest : public QObject {
    Q_OBJECT
  private slots:
    void written_frames_are_what_the_trace_says() {
        Scene s;
        const auto done = bake(*s.show, s.order(8, 36));
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->files.size(), std::size_t(29));
        const auto source = open_project(s.folder / "p.garland")->sources.begin()->second.source;
        for (std::int64_t f : {8, 15, 29, 36}) {
            const auto back = read_ply(s.folder / ("out/" + numbered("copies.", f, 4, ".ply")));
            QVERIFY(back);
            const Pose& pose = **back;
            QCOMPARE(pose.points.size(), std::size_t(20));
            QCOMPARE(pose.faces->count(), std::size_t(20));
            QCOMPARE(pose.attributes.size(), std::size_t(1));
            QCOMPARE(pose.attributes[0].name, std::string("copy"));
            for (int c = 0; c < 5; ++c) {
                const auto t = trace(*s.show, c, OutputFrame(static_cast<double>(f)));
                const Placement& place = s.show->arrangements[0].places[c];
                for (int k = 0; k < 4; ++k) {
                    const int i = c * 4 + k;
                    QCOMPARE(pose.attributes[0].whole[i], c + 1);
                    // The point by hand: the pose at the traced source frame, sized, turned about y, moved.
                    const V3f p = tetrahedron(t->values.moment.source).points[k] * 2;
                    const double angle = place.turn * M_PI / 180;
                    QVERIFY(close(pose.points[i].x, p.x * std::cos(angle) + p.z * std::sin(angle) + place.position.x,
                                  1e-4));
                    QVERIFY(close(pose.points[i].y, p.y, 1e-4));
                    QVERIFY(close(pose.points[i].z, -p.x * std::sin(angle) + p.z * std::cos(angle) + place.position.z,
                                  1e-4));
                    QVERIFY(
                        close(pose.velocities[i].y, 48 * t->values.moment.speed, 1e-3)); // zero held, negative backward
                }
            }
        }
        const AssimpReading theirs = read_with_assimp(s.folder / "out/copies.0008.ply");
        QVERIFY(theirs.ok && theirs.triangles == 20);
    }
    void velocity_is_the_motion_between_frames() { // held against the written positions themselves
        Scene s;
        QVERIFY(bake(*s.show, s.order(1, 40)));
        for (int f : {4, 24, 33}) {
            const auto before = *read_ply(s.folder / ("out/" + numbered("copies.", f - 1, 4, ".ply")));
            const auto here = *read_ply(s.folder / ("out/" + numbered("copies.", f, 4, ".ply")));
            const auto after = *read_ply(s.folder / ("out/" + numbered("copies.", f + 1, 4, ".ply")));
            const double moved = (after->points[0].y - before->points[0].y) * 24.0 / 2;
            QVERIFY(close(here->velocities[0].y, moved, 1e-3));
        }
    }
    void absent_copies_are_left_out() {
        Scene s;
        Project p = s.project.project;
        p.timings[0].before.mode = OutsideMode::absent;
        const ShowPtr show = make_show(p, s.project.sources, s.cache);
        const auto done = bake(*show, s.order(1, 7));
        QVERIFY(done);
        QCOMPARE((*read_ply(s.folder / "out/copies.0001.ply"))->points.size(),
                 std::size_t(4)); // the others start later
        QCOMPARE((*read_ply(s.folder / "out/copies.0007.ply"))->points.size(), std::size_t(20));
    }
    void existing_files_are_not_touched() {
        Scene s;
        QVERIFY(bake(*s.show, s.order(5, 6)));
        s.folder.write("out/copies.0006.ply", "precious");
        const auto again = bake(*s.show, s.order(6, 9));
        QVERIFY(!again);
        QCOMPARE(again.error().code, ErrorCode::exists);
        QVERIFY(said(again.error()).contains("1 of the 4 files to write already exists"));
        QCOMPARE(s.folder.read("out/copies.0006.ply"), std::string("precious"));
        QVERIFY(!file_exists(s.folder / "out/copies.0007.ply"));
        BakeOrder replace = s.order(6, 7);
        replace.existing = Existing::replace;
        QVERIFY(bake(*s.show, replace));
        QVERIFY(read_ply(s.folder / "out/copies.0006.ply"));
    }
    void sizes_are_told_before() {
        Scene s;
        const auto e = estimate(*s.show, s.order(1, 10));
        const auto done = bake(*s.show, s.order(1, 10));
        QCOMPARE(e->files, 10);
        QVERIFY(std::abs(e->bytes - done->bytes) < 0.5 * done->bytes);
        QVERIFY(e->free > 0);
    }
    void stopping_keeps_whole_files_only() {
        struct Stop : Progress {
            mutable int asked = 0;
            std::string last;
            void report(double, std::string_view what) override { last = what; }
            bool cancelled() const override { return last == "frame 12"; }
        } stop;
        Scene s;
        const auto done = bake(*s.show, s.order(10, 30), stop);
        QVERIFY(!done && done.error().code == ErrorCode::cancelled);
        QVERIFY(said(done.error()).contains("the 2 files written so far"));
        QCOMPARE(QDir(QString::fromStdString(s.folder / "out")).entryList(QDir::Files | QDir::Hidden).size(), 2);
    }
    void a_source_that_breaks_is_told_with_its_frame() {
        Scene s;
        s.folder.write("s0009.ply", "ply\nformat ascii 1.0\n");
        const auto done = bake(*s.show, s.order(1, 20));
        QVERIFY(!done);
        QVERIFY2(said(done.error()).contains("s0009.ply, frame 9"), qPrintable(said(done.error())));
        QVERIFY(said(done.error()).contains("files written so far"));
    }
    void the_timing_table_reads_back() {
        Scene s;
        QVERIFY(write_timing_table(s.folder / "t.csv", *s.show, s.project.project, {{1, 40}}, Existing::refuse));
        const auto rows = read_timing_table(s.folder / "t.csv");
        QVERIFY2(rows, rows ? "" : qPrintable(said(rows.error())));
        QCOMPARE(rows->size(), std::size_t(200));
        for (const TableRow& r : *rows) {
            const auto t = trace(*s.show, r.copy - 1, OutputFrame(static_cast<double>(r.frame)));
            QCOMPARE(r.source_frame, t->values.moment.source); // exact
            QCOMPARE(r.delay, t->values.delay);
            QCOMPARE(r.visible, !t->values.moment.has(mark_absent));
        }
        QVERIFY(s.folder.read("t.csv").find("\"s, the \"\"riser\"\"\"") !=
                std::string::npos); // quoted as RFC 4180 says
        s.folder.write("bad.csv", TimingTable::header() + "1,1,c01,a,s,1,5,1,1,0\n");
        QVERIFY(said(read_timing_table(s.folder / "bad.csv").error()).contains("line 2"));
    }
    void fades_and_wobbles_have_the_velocity_they_move_with() { // held against poses a hundredth of a frame apart
        Scene s;
        Project p = s.project.project;
        p.timings[0] = phrases_of("0-6+5 12-19@0.5+3 19-2", 1, OutsideMode::hold, OutsideMode::repeat);
        p.timings[0].id = s.project.project.timings[0].id;
        Arrangement& a = p.arrangements[0];
        a.spreads.push_back(a.spreads[0]);
        a.spreads[1].id = SpreadId(p.next_id++);
        a.spreads[1].target = Target::speed;
        a.spreads[1].to = 7;
        a.wobble = {true, V3d(0.4), V3d(0, 30, 0), 0.2, 1.5};
        p.sources[0].wobble = {true, V3d(0.3), V3d(0), 0, 2};
        p.sources[0].wobble.together = true;
        const ShowPtr show = make_show(p, s.project.sources, s.cache);
        const BakeOrder order{s.folder / "moving", "copies", {1, 60}, Existing::refuse};
        QVERIFY(bake(*show, order));
        auto point_at = [&](double t, std::size_t copy, std::size_t k) {
            const auto all = pose_all(*show, OutputFrame(t));
            const Posed& posed = (*all)[0];
            const Pose& pose = *posed.poses[posed.picks.copies[copy]].pose;
            const Placement& place = posed.places()[copy];
            const double angle = place.turn * M_PI / 180, c = std::cos(angle), n = std::sin(angle);
            const V3d q(pose.points[k]);
            return V3d(q.x * c + q.z * n, q.y, q.z * c - q.x * n) * place.size + place.position;
        };
        int compared = 0, fading = 0;
        for (int f = 1; f <= 60; ++f) {
            const auto here = *read_ply(s.folder / ("moving/" + numbered("copies.", f, 4, ".ply")));
            for (std::size_t copy = 0; copy < 5; ++copy) {
                const ArrangementShow& shown = show->arrangements[0];
                auto local = [&](double t) { return local_time(shown.plan, shown.clocks[copy], OutputFrame(t)); };
                const double h = 0.004;
                // Not across a corner of the curve, where there are two velocities.
                const auto before = shown.plan.at(local(f - h)), after = shown.plan.at(local(f + h));
                if (std::abs(before.slope - after.slope) > 1e-9 || std::abs(after.source - before.source) > 1) continue;
                const double wa = shown.plan.fading(local(f - h)).weight, wb = shown.plan.fading(local(f + h)).weight;
                if ((wa > 0) != (wb > 0)) continue;
                fading += wa > 0;
                const V3d moved = (point_at(f + h, copy, 3) - point_at(f - h, copy, 3)) * (24 / (2 * h));
                const V3f written = here->velocities[copy * 4 + 3];
                for (int k = 0; k < 3; ++k) QVERIFY(close(written[k], moved[k], 0.02 * (1 + std::abs(moved[k]))));
                ++compared;
            }
        }
        QVERIFY(compared > 200);
        QVERIFY(fading > 20);
    }
    void rates_that_differ_keep_velocities_right() {
        Scene s;
        Project p = s.project.project;
        p.sources[0].rate = {12, 1}; // by clock: one file frame lasts two output frames
        p.timings[0].map = parse_map("1:0 39:38");
        p.arrangements[0].spreads.clear();
        const ShowPtr show = make_show(p, s.project.sources, s.cache);
        QVERIFY(bake(*show, s.order(10, 12)));
        const auto a = *read_ply(s.folder / "out/copies.0010.ply"), b = *read_ply(s.folder / "out/copies.0012.ply");
        QVERIFY(close((b->points[0].y - a->points[0].y) / 2, 1, 1e-5)); // sized by 2: one unit an output frame
        // 24 units a second in the files, although they move 12 a second at this rate: taken as the files say.
        QVERIFY(close(a->velocities[0].y, 48, 1e-4));
        p.sources[0].join = Join::frame_for_frame;
        const ShowPtr faster = make_show(p, s.project.sources, s.cache);
        QVERIFY(bake(*faster, s.order(14, 14)));
        QVERIFY(
            close((*read_ply(s.folder / "out/copies.0014.ply"))->velocities[0].y, 96, 1e-4)); // played twice as fast
    }
};
GARLAND_TEST_CASE(BakeTest)
#include "bake_test.moc"
