#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "core/source/sampler.h"
#include "io/files/series.h"
#include "io/handoff/fast_copy.h"
#include "io/npy/npy.h"
#include "io/obj/obj.h"
#include "io/ply/ply.h"
#include "io/sources/open_source.h"
#include "io/tables/piece_table.h"

#include <Eigen/Geometry>
#include <random>

using namespace garland;
using namespace garland::testing;

namespace {
void write_series(const Folder& folder, const std::string& prefix, std::initializer_list<int> frames,
                  bool obj = false) {
    for (int f : frames) {
        const std::string path = folder / numbered(prefix, f, 4, obj ? ".obj" : ".ply");
        if (obj)
            QVERIFY(write_obj(path, tetrahedron(f), Existing::refuse));
        else
            QVERIFY(write_ply(path, tetrahedron(f), PlyForm::little_endian, Existing::refuse));
    }
}
void write_array(const Folder& folder, const std::string& name, int frames, std::uint64_t points = 4) {
    auto out =
        NpyWriter::create(folder / name, static_cast<std::uint64_t>(frames), points, NpyType::f32, Existing::refuse);
    for (int f = 0; f < frames; ++f) {
        auto p = tetrahedron(f).points;
        p.resize(points);
        out->add(p);
    }
    QVERIFY(out->commit());
}
} // namespace

class SourceTest : public QObject {
    Q_OBJECT
  private slots:
    void any_file_of_a_series_is_the_series() {
        Folder folder;
        write_series(folder, "lantern.", {7, 8, 9, 10});
        write_series(folder, "other.", {1});
        for (const char* name : {"lantern.0007.ply", "lantern.0009.ply", "lantern.0099.ply"}) { // the last is not there
            const auto source = open_source(folder / name);
            QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
            QCOMPARE((*source)->facts().first, 7);
            QCOMPARE((*source)->facts().last, 10);
            QCOMPARE((*source)->facts().kind, SourceKind::mesh_cache);
            QCOMPARE((*source)->files().size(), std::size_t(4));
            QCOMPARE((*(*source)->read(9, Progress::none()))->points[0].y, 9.0f);
        }
    }
    void faces_are_shared_between_frames() {
        Folder folder;
        write_series(folder, "a", {1, 2}, true);
        const auto source = open_source(folder / "a0001.obj");
        const auto one = (*source)->read(1, Progress::none()), two = (*source)->read(2, Progress::none());
        QCOMPARE((*one)->faces.get(), (*two)->faces.get());
    }
    void gaps_are_told_and_bridged() {
        Folder folder;
        write_series(folder, "gap_", {1, 2, 5, 6});
        const auto source = open_source(folder / "gap_0001.ply");
        QCOMPARE((*source)->facts().missing, (std::vector<std::int64_t>{3, 4}));
        QCOMPARE(QString::fromStdString((*source)->facts().problems[0].what), "frames 3 to 4 are missing");
        QCOMPARE((*(*source)->read(4, Progress::none()))->points[0].y, 2.0f);
    }
    void changing_faces_are_seen() {
        Folder folder;
        write_series(folder, "s", {1, 2, 3});
        Pose more = tetrahedron();
        more.points.push_back({5, 5, 5});
        QVERIFY(write_ply(folder / "s0003.ply", more, PlyForm::ascii, Existing::replace));
        const auto source = open_source(folder / "s0001.ply");
        QCOMPARE((*source)->facts().kind, SourceKind::mesh_sequence);
        QCOMPARE(*(*source)->facts().varies.faces_change_at, 3);
        QCOMPARE((*source)->facts().varies.most_points, std::size_t(5));
    }
    void same_counts_but_other_faces_are_a_sequence() {
        Folder folder;
        write_series(folder, "s", {1, 2});
        Pose other = tetrahedron();
        auto faces = std::make_shared<Faces>(*other.faces);
        std::swap(faces->corners[0], faces->corners[1]);
        other.faces = faces;
        QVERIFY(write_ply(folder / "s0002.ply", other, PlyForm::ascii, Existing::replace));
        QCOMPARE((*open_source(folder / "s0001.ply"))->facts().kind, SourceKind::mesh_sequence);
    }
    void a_bad_frame_does_not_take_the_others() {
        Folder folder;
        write_series(folder, "s", {1, 2, 3});
        folder.write("s0002.ply", "garbage");
        const auto source = open_source(folder / "s0001.ply");
        QVERIFY(source);
        QVERIFY(QString::fromStdString((*source)->facts().problems[0].what).contains("frame 2 cannot be read"));
        const auto bad = (*source)->read(2, Progress::none());
        QVERIFY(!bad);
        QCOMPARE(*bad.error().frame, 2);
        QVERIFY((*source)->read(3, Progress::none()));
    }
    void a_mesh_beside_an_array() {
        Folder folder;
        Pose base = tetrahedron();
        base.colours.assign(4, V3f(1, 0, 0));
        QVERIFY(write_ply(folder / "jar.ply", base, PlyForm::ascii, Existing::refuse));
        write_array(folder, "jar.npy", 12);
        write_array(folder, "jar_velocity.npy", 12);
        for (const char* name : {"jar.ply", "jar.npy", "jar_velocity.npy"}) {
            const auto source = open_source(folder / name);
            QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
            QCOMPARE((*source)->facts().last, 11);
            QVERIFY((*source)->facts().carries.velocities && (*source)->facts().carries.colours);
            QCOMPARE((*(*source)->read(5, Progress::none()))->points[3].y, 6.0f);
        }
    }
    void arrays_that_do_not_fit() {
        Folder folder;
        write_array(folder, "alone.npy", 3);
        QVERIFY(said(open_source(folder / "alone.npy").error()).contains("no mesh beside this array"));
        QVERIFY(write_ply(folder / "five.ply", tetrahedron(), PlyForm::ascii, Existing::refuse));
        write_array(folder, "five.npy", 3, 5);
        QVERIFY(said(open_source(folder / "five.npy").error())
                    .contains("has 5 points in every frame, but the mesh five.ply has 4"));
        QVERIFY(write_ply(folder / "v.ply", tetrahedron(), PlyForm::ascii, Existing::refuse));
        write_array(folder, "v.npy", 3);
        write_array(folder, "v_velocity.npy", 2);
        const auto source = open_source(folder / "v.ply");
        QVERIFY(source && !(*source)->facts().carries.velocities && (*source)->facts().problems.size() == 1);
    }
    void not_finite_points_name_their_frame() {
        Folder folder;
        QVERIFY(write_ply(folder / "n.ply", tetrahedron(), PlyForm::ascii, Existing::refuse));
        auto out = NpyWriter::create(folder / "n.npy", 2, 4, NpyType::f32, Existing::refuse);
        out->add(tetrahedron().points);
        auto bad = tetrahedron().points;
        bad[2].z = std::nanf("");
        out->add(bad);
        QVERIFY(out->commit());
        const auto source = open_source(folder / "n.ply");
        QVERIFY(source);
        const auto pose = (*source)->read(1, Progress::none());
        QVERIFY(!pose);
        QVERIFY2(said(pose.error()).contains("n.npy, frame 1: point 2 is not finite"), qPrintable(said(pose.error())));
    }
    void names_of_all_kinds() {
        Folder folder;
        write_series(folder, "Лампа 3 .", {1, 2});
        QCOMPARE((*open_source(folder / "Лампа 3 .0001.ply"))->facts().frames(), 2);
        QVERIFY(write_ply(folder / "single.ply", tetrahedron(), PlyForm::ascii, Existing::refuse));
        QCOMPARE((*open_source(folder / "single.ply"))->facts().frames(), 1);
        QCOMPARE(numbered("a.", 7, 4, ".ply"), "a.0007.ply");
        QCOMPARE(find_series(folder / "Лампа 3 .0002.ply")->pattern(), "Лампа 3 .####.ply");
    }
    void other_files_are_refused_in_words() {
        Folder folder;
        folder.write("notes.txt", "hello");
        QVERIFY(said(open_source(folder / "notes.txt").error()).contains("files ending in \".txt\" are not read"));
        QCOMPARE(open_source(folder / "none.ply").error().code, ErrorCode::not_found);
        folder.write("a00000001.ply", "");
        folder.write("a99999999.ply", "");
        QCOMPARE(open_source(folder / "a00000001.ply").error().code, ErrorCode::too_large);
    }
    void reading_can_be_cancelled() {
        struct Never : Progress {
            bool cancelled() const override { return true; }
        } never;
        Folder folder;
        write_series(folder, "s", {1, 2, 3});
        QCOMPARE(open_source(folder / "s0001.ply", never).error().code, ErrorCode::cancelled);
    }
    void fast_copies_are_the_same_source() {
        Folder folder;
        write_series(folder, "lantern.", {3, 4, 5, 7});
        const auto source = open_source(folder / "lantern.0003.ply");
        for (NpyType type : {NpyType::f32, NpyType::f16}) {
            const std::string stem = folder / (type == NpyType::f32 ? "full" : "half");
            const auto done = make_fast_copy(**source, {stem, type});
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            QCOMPARE(done->frames, 5);
            QCOMPARE(done->bridged, 1);
            QCOMPARE(done->worst, 0.0); // small whole numbers fit into halves as well
            const auto copy = open_source(stem + ".ply");
            QVERIFY(copy);
            QCOMPARE((*copy)->facts().frames(), 5);
            for (std::int64_t f = 3; f <= 7; ++f) {
                const auto a = *(*source)->read((*source)->present(f), Progress::none()),
                           b = *(*copy)->read(f, Progress::none());
                QCOMPARE(b->points, a->points);
                QVERIFY(b->faces->same_shape(*a->faces));
            }
            QVERIFY(!make_fast_copy(**source, {stem, type})); // there already
        }
        QCOMPARE(fast_copy_bytes((*source)->facts(), {{}, NpyType::f16}), 5.0 * 4 * 3 * 2);
        // Not over itself, not what does not fit, nothing left behind when stopped.
        const auto own = open_source(folder / "full.ply");
        QCOMPARE(make_fast_copy(**own, {folder / "full", NpyType::f16, true, Existing::replace}).error().code,
                 ErrorCode::invalid);
        QVERIFY(write_ply(folder / "far.0001.ply", tetrahedron(1e6), PlyForm::little_endian, Existing::refuse));
        const auto far = open_source(folder / "far.0001.ply");
        QVERIFY(said(make_fast_copy(**far, {folder / "far_copy", NpyType::f16}).error())
                    .contains("too large for half floats"));
        Pose more = tetrahedron(2);
        more.points.push_back(V3f(0));
        QVERIFY(write_ply(folder / "far.0002.ply", more, PlyForm::little_endian, Existing::refuse));
        QVERIFY(said(make_fast_copy(**open_source(folder / "far.0001.ply"), {folder / "far_copy"}).error())
                    .contains("frame 2"));
        struct Stop : Progress {
            void report(double, std::string_view) override {}
            bool cancelled() const override { return true; }
        } stop;
        QVERIFY(!make_fast_copy(**source, {folder / "stopped"}, stop));
        QVERIFY(!file_exists(folder / "stopped.npy") && !file_exists(folder / "stopped.ply") &&
                !file_exists(folder / "far_copy.npy"));
    }
    void pieces_turn_along_the_shortest_arc() { // against Eigen
        Folder folder;
        Pose rest = tetrahedron(0);
        rest.normals.assign(4, V3f(0, 1, 0));
        rest.attributes.push_back({"piece", 1, {0, 1, 1, 0}});
        QVERIFY(write_ply(folder / "jar.ply", rest, PlyForm::little_endian, Existing::refuse));
        std::mt19937 random(12);
        std::normal_distribution<double> normal;
        std::vector<std::vector<std::pair<Eigen::Vector3d, Eigen::Quaterniond>>> frames;
        std::string csv = "frame,piece,tx,ty,tz,qx,qy,qz,qw\n";
        for (int f = 0; f < 6; ++f) {
            auto& list = frames.emplace_back();
            for (int piece = 0; piece < 2; ++piece) {
                const Eigen::Quaterniond q =
                    Eigen::Quaterniond(normal(random), normal(random), normal(random), normal(random)).normalized();
                const Eigen::Vector3d t(normal(random), normal(random), f * f);
                list.emplace_back(t, q);
                const double k = 1 + f; // any length: it is made unit
                csv += QString("%1,%2,%3,%4,%5,%6,%7,%8,%9\n")
                           .arg(10 + f)
                           .arg(piece)
                           .arg(t.x(), 0, 'g', 17)
                           .arg(t.y(), 0, 'g', 17)
                           .arg(t.z(), 0, 'g', 17)
                           .arg(q.x() * k, 0, 'g', 17)
                           .arg(q.y() * k, 0, 'g', 17)
                           .arg(q.z() * k, 0, 'g', 17)
                           .arg(q.w() * k, 0, 'g', 17)
                           .toStdString();
            }
        }
        folder.write("jar_pieces.csv", csv);
        const auto source = open_source(folder / "jar.ply");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().kind, SourceKind::pieces);
        QCOMPARE((*source)->facts().first, 10);
        QCOMPARE((*source)->facts().last, 15);
        PoseCache cache(1 << 20);
        const Sampler linear(*source, clock_of_frames(10, 15), {}, 3, &cache);
        const Sampler smooth(*source, clock_of_frames(10, 15), {SubFrame::smooth}, 4, &cache);
        for (double f : {10.0, 10.25, 11.5, 13.875, 15.0}) {
            const auto low = std::min(static_cast<std::size_t>(f - 10), std::size_t(4));
            const double w = f - 10 - static_cast<double>(low);
            const auto at_linear = linear.at(SourceFrame(f)), at_smooth = smooth.at(SourceFrame(f));
            QVERIFY(at_linear && at_smooth);
            for (std::size_t i = 0; i < 4; ++i) {
                const int piece = i == 1 || i == 2;
                const auto& [ta, qa] = frames[low][static_cast<std::size_t>(piece)];
                const auto& [tb, qb] = frames[low + 1][static_cast<std::size_t>(piece)];
                const Eigen::Vector3d p(rest.points[i].x, rest.points[i].y, rest.points[i].z);
                const Eigen::Vector3d want = qa.slerp(w, qb) * p + ta + (tb - ta) * w; // Eigen takes the shortest arc
                const Eigen::Vector3d up = qa.slerp(w, qb) * Eigen::Vector3d(0, 1, 0);
                for (int k = 0; k < 3; ++k) {
                    QVERIFY(close(at_linear->pose->points[i][k], want[k], 2e-5));
                    QVERIFY(close(at_linear->pose->normals[i][k], up[k], 1e-5));
                }
                // Smooth turns alike and moves along the parabola z = f² between whole frames inside.
                if (low == 0 || low == 4) continue;
                const double z = want.z() - (ta.z() + (tb.z() - ta.z()) * w) + (f - 10) * (f - 10);
                QVERIFY(close(at_smooth->pose->points[i].z, z, 2e-5));
            }
        }
        QCOMPARE((*open_source(folder / "jar_pieces.csv"))->facts().points,
                 std::size_t(4)); // either file is the source
    }
    void bad_piece_tables_say_where() {
        auto refused = [](const std::string& text) {
            const auto table = parse_piece_table(text, "p.csv");
            return table ? QString("read") : said(table.error());
        };
        const std::string head = "frame,piece,tx,ty,tz,qx,qy,qz,qw\n", unit = ",0,0,0,0,0,0,1\n";
        QCOMPARE(refused(head + "1,0" + unit), "read");
        QVERIFY(refused("frame,piece\n").contains("line 1: the column \"tx\" is not there"));
        QVERIFY(refused(head + "1,0,0,x,0,0,0,0,1\n").contains("line 2: there is no number for \"ty\""));
        QVERIFY(refused(head + "1,0" + unit + "1,0" + unit).contains("line 3: piece 0 comes twice in frame 1"));
        QVERIFY(refused(head + "1,0,0,0,0,0,0,0,0\n").contains("no length"));
        QVERIFY(refused(head + "1,0" + unit + "1,1" + unit + "2,0" + unit).contains("frame 2: piece 1 is not there"));
        QVERIFY(refused(head + "1,999999" + unit).contains("comes after only 1 row"));
        QVERIFY(refused(head + "1.5,0" + unit).contains("whole number"));
        QVERIFY(refused(head).contains("there is no row"));
        Folder folder;
        QVERIFY(write_ply(folder / "jar.ply", tetrahedron(0), PlyForm::little_endian, Existing::refuse));
        folder.write("jar_pieces.csv", head + "1,0" + unit);
        QVERIFY(said(open_source(folder / "jar.ply").error()).contains("do not say which piece"));
        Pose pose = tetrahedron(0);
        pose.attributes.push_back({"piece", 1, {0, 0, 0, 5}});
        QVERIFY(write_ply(folder / "jar.ply", pose, PlyForm::little_endian, Existing::replace));
        QVERIFY(said(open_source(folder / "jar.ply").error()).contains("belongs to piece 5"));
        // Damage never crashes.
        std::mt19937 random(21);
        int read = 0;
        for (int round = 0; round < 4000; ++round) {
            std::string bad = head + "1,0" + unit + "1,1" + unit + "2,0" + unit + "2,1" + unit;
            for (int wound = 0; wound < 1 + round % 3; ++wound) {
                const std::size_t at = random() % bad.size();
                if (random() % 2)
                    bad[at] = static_cast<char>(random());
                else
                    bad.insert(at, bad.substr(random() % bad.size(), 9));
            }
            read += parse_piece_table(bad, "p.csv").has_value();
        }
        QVERIFY2(read > 5,
                 qPrintable(QString::number(read))); // some damage is harmless, so the reader was really reached
    }
};
GARLAND_TEST_CASE(SourceTest)
#include "source_test.moc"
