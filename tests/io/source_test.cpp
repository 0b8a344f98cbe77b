#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/fast_copy.h"
#include "io/npy.h"
#include "io/obj.h"
#include "io/open_source.h"
#include "io/ply.h"
#include "io/series.h"

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
        QCOMPARE(*(*source)->facts().faces_change_at, 3);
        QCOMPARE((*source)->facts().most_points, std::size_t(5));
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
            QVERIFY((*source)->facts().velocities && (*source)->facts().colours);
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
        QVERIFY(source && !(*source)->facts().velocities && (*source)->facts().problems.size() == 1);
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
                const auto a = *(*source)->read((*source)->present(f), Progress::none()), b = *(*copy)->read(f - 3, Progress::none());
                QCOMPARE(b->points, a->points);
                QVERIFY(b->faces->same_shape(*a->faces));
            }
            QVERIFY(!make_fast_copy(**source, {stem, type})); // there already
        }
        QCOMPARE(fast_copy_bytes((*source)->facts(), {{}, NpyType::f16}), 5.0 * 4 * 3 * 2);
        // Not over itself, not what does not fit, nothing left behind when stopped.
        const auto own = open_source(folder / "full.ply");
        QCOMPARE(make_fast_copy(**own, {folder / "full", NpyType::f16, true, Existing::replace}).error().code, ErrorCode::invalid);
        QVERIFY(write_ply(folder / "far.0001.ply", tetrahedron(1e6), PlyForm::little_endian, Existing::refuse));
        const auto far = open_source(folder / "far.0001.ply");
        QVERIFY(said(make_fast_copy(**far, {folder / "far_copy", NpyType::f16}).error()).contains("too large for half floats"));
        Pose more = tetrahedron(2);
        more.points.push_back(V3f(0));
        QVERIFY(write_ply(folder / "far.0002.ply", more, PlyForm::little_endian, Existing::refuse));
        QVERIFY(said(make_fast_copy(**open_source(folder / "far.0001.ply"), {folder / "far_copy"}).error()).contains("frame 2"));
        struct Stop : Progress {
            void report(double, std::string_view) override {}
            bool cancelled() const override { return true; }
        } stop;
        QVERIFY(!make_fast_copy(**source, {folder / "stopped"}, stop));
        QVERIFY(!file_exists(folder / "stopped.npy") && !file_exists(folder / "stopped.ply") && !file_exists(folder / "far_copy.npy"));
    }
};
GARLAND_TEST_CASE(SourceTest)
#include "source_test.moc"
