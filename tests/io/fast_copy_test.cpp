// Fast copies of every kind of source, and the values that move beside positions.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "demo/quay.h"
#include "io/files/series.h"
#include "io/handoff/fast_copy.h"
#include "io/npy/npy.h"
#include "io/ply/ply.h"
#include "io/sources/moving_values.h"
#include "io/sources/open_source.h"
#include "io/vdb/volume_file.h"

#include <cmath>

using namespace garland;
using namespace garland::testing;

namespace {

PosePtr read_of(const SourcePtr& source, std::int64_t frame) {
    return *source->read(frame, Progress::none());
}

const Attribute* named(const Pose& pose, const std::string& name) {
    for (const Attribute& a : pose.attributes) {
        if (a.name == name) return &a;
    }
    return nullptr;
}

void write_smoke(const Folder& folder, std::initializer_list<int> frames) {
    for (int f : frames) {
        DenseGrid d{"density", 12, 12, 12, 0.5, V3d(0)}, heat{"temperature", 12, 12, 12, 0.5, V3d(0)};
        for (int i = 0; i < 1728; ++i)
            d.values.push_back(i % 5 ? 0.001f * static_cast<float>(i + f) : 0.0f),
                heat.values.push_back(300.123f + static_cast<float>(f));
        DenseGrid v{"velocity", 12, 12, 12, 0.5, V3d(0)};
        v.vectors.assign(1728, V3f(1, 0.3333f, 0));
        if (!write_volume(folder / numbered("smoke.", f, 4, ".vdb"), *volume_from({d, heat, v}), Existing::refuse))
            qFatal("no room");
    }
}

} // namespace

class FastCopyTest : public QObject {
    Q_OBJECT
  private slots:
    void particles_keep_ids_births_and_attributes() {
        Folder folder;
        for (int f = 30; f < 42; ++f)
            QVERIFY(write_ply(folder / numbered("petals.", f, 4, ".ply"), *drift_petals(f), PlyForm::little_endian,
                              Existing::refuse));
        const SourcePtr source = *open_source(folder / "petals.0030.ply");
        QVERIFY(!source->facts().carries.attributes.empty());
        for (NpyType type : {NpyType::f32, NpyType::f16}) {
            const std::string stem = folder / (type == NpyType::f32 ? "full" : "half");
            const auto done = make_fast_copy(*source, {stem, type});
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            QCOMPARE(done->frames, 12);
            QVERIFY(type == NpyType::f16 ? done->worst < 0.02 : done->worst == 0);
            const auto copy = open_source(done->files.front());
            QVERIFY2(copy, copy ? "" : qPrintable(said(copy.error())));
            QCOMPARE((*copy)->facts().kind, SourceKind::particles);
            QVERIFY((*copy)->facts().carries.velocities && (*copy)->facts().carries.colours);
            for (int f : {30, 35, 41}) {
                const PosePtr a = read_of(source, f), b = read_of(*copy, f);
                QCOMPARE(b->ids, a->ids);
                for (const Attribute& wanted : a->attributes) {
                    const Attribute* found = named(*b, wanted.name);
                    QVERIFY(found);
                    QCOMPARE(found->values.size(), wanted.values.size());
                    if (type == NpyType::f32) QVERIFY(found->values == wanted.values && found->whole == wanted.whole);
                    for (std::size_t i = 0; i < wanted.values.size(); ++i)
                        QVERIFY(std::abs(found->values[i] - wanted.values[i]) <=
                                1e-3f * std::max(1.0f, std::abs(wanted.values[i])));
                }
                if (type == NpyType::f32) QVERIFY(b->points == a->points && b->velocities == a->velocities);
            }
        }
        FastCopyOrder bare{folder / "bare", NpyType::f32, false};
        bare.keep.emplace();
        const auto done = make_fast_copy(*source, bare);
        QVERIFY(done);
        QCOMPARE(done->files.size(), std::size_t(3)); // places, ids and the note
        const PosePtr pose = read_of(*open_source(folder / "bare.npy"), 35);
        QVERIFY(pose->attributes.empty() && pose->colours.empty() && pose->velocities.empty());
    }
    void volumes_keep_the_grids_one_wants() {
        Folder folder;
        write_smoke(folder, {3, 4, 6});
        const SourcePtr source = *open_source(folder / "smoke.0003.vdb");
        QCOMPARE(can_keep(source->facts()), (std::vector<std::string>{"density", "temperature", "velocity"}));
        FastCopyOrder order{folder / "copy", NpyType::f32};
        order.keep = {"density"};
        const auto done = make_fast_copy(*source, order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->files.size(), std::size_t(4)); // and the note; the missing frame stays missing
        QCOMPARE(done->worst, 0.0);
        const SourcePtr copy = *open_source(done->files.front());
        QCOMPARE(copy->facts().first, 3);
        QCOMPARE(copy->facts().missing, (std::vector<std::int64_t>{5}));
        QCOMPARE(read_of(copy, 4)->volume->facts().size(), std::size_t(1));
        for (const V3f& at : {V3f(1.1f, 2, 3), V3f(5, 0.2f, 4)}) {
            QCOMPARE(value_at(*read_of(copy, 4)->volume, "density", at),
                     value_at(*read_of(source, 4)->volume, "density", at));
        }
        // Halves: eleven bits of a number (IEEE 754, binary16), so that the error is told.
        const auto half = make_fast_copy(*source, {folder / "half", NpyType::f16});
        QVERIFY(half);
        QVERIFY2(half->worst > 0 && half->worst <= 306.123 / 2048, qPrintable(QString::number(half->worst)));
        QVERIFY(read_of(*open_source(half->files.front()), 3)->volume->facts()[0].half);
        order.keep = {"glow"};
        QVERIFY(said(make_fast_copy(*source, order).error()).contains("it has density, temperature, velocity"));
        order.keep = {"velocity"};
        order.velocities = false;
        QVERIFY(said(make_fast_copy(*source, order).error()).contains("no grid would be left"));
        QCOMPARE(make_fast_copy(*source, {folder / "smoke", NpyType::f32, true, Existing::replace}).error().code,
                 ErrorCode::invalid); // itself
        struct StopAfter : Progress {
            int reports = 0;
            void report(double, std::string_view) override { ++reports; }
            bool cancelled() const override { return reports > 2; }
        } stop;
        QCOMPARE(make_fast_copy(*source, {folder / "stopped", NpyType::f32}, stop).error().code, ErrorCode::cancelled);
        QVERIFY(folder.names().filter("stopped").isEmpty());
    }
    // What moves besides the points is kept in arrays of its own, and what stands still is not.
    void colours_and_attributes_that_move_stay_moving() {
        Folder folder;
        for (int f = 1; f <= 4; ++f) {
            Pose pose = tetrahedron(static_cast<float>(f));
            pose.colours.assign(4, V3f(1, 0.2f, f < 3 ? 0.0f : 1.0f));
            pose.normals.assign(4, V3f(0, f % 2 ? 1.0f : -1.0f, 0));
            pose.attributes = {{"heat", 1, {1, 2, 3, static_cast<float>(f)}},
                               {"still", 1, {9, 9, 9, 9}},
                               {"knot", 1, {}, {1, 2, 3, f}}};
            QVERIFY(write_ply(folder / numbered("l.", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::refuse));
        }
        const SourcePtr source = *open_source(folder / "l.0001.ply");
        const auto done = make_fast_copy(*source, {folder / "fast"});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QVERIFY(folder.names().contains("fast_heat.npy") && folder.names().contains("fast_colour.npy") &&
                folder.names().contains("fast_normal.npy") && folder.names().contains("fast_knot.npy"));
        QVERIFY(!folder.names().contains("fast_still.npy"));
        const SourcePtr copy = *open_source(folder / "fast.ply");
        for (int f = 1; f <= 4; ++f) {
            const PosePtr a = read_of(source, f), b = read_of(copy, f);
            QCOMPARE(b->points, a->points);
            QCOMPARE(b->colours, a->colours);
            QCOMPARE(b->normals, a->normals);
            for (const Attribute& wanted : a->attributes)
                QVERIFY2(named(*b, wanted.name) && *named(*b, wanted.name) == wanted, wanted.name.c_str());
        }
        // Another source's arrays beside it are not taken for its own.
        QVERIFY(write_ply(folder / "fast_post.ply", tetrahedron(), PlyForm::ascii, Existing::refuse));
        auto other = NpyWriter::create(folder / "fast_post.npy", 4, 4, NpyType::f32, Existing::refuse);
        for (int f = 0; f < 4; ++f) other->add(tetrahedron(1).points);
        QVERIFY(other->commit());
        QVERIFY(!named(*read_of(*open_source(folder / "fast.ply"), 1), "post"));
    }
    // Half arrays are mixed as they are mapped, and so is what lies beside them.
    void moving_values_are_mixed_between_frames() {
        Folder folder;
        for (int f = 0; f < 3; ++f) {
            Pose pose = tetrahedron(static_cast<float>(f));
            pose.attributes = {{"heat", 1, {0, 1, 2, 4.0f * static_cast<float>(f)}}};
            QVERIFY(write_ply(folder / numbered("l.", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::refuse));
        }
        QVERIFY(make_fast_copy(**open_source(folder / "l.0000.ply"), {folder / "fast", NpyType::f16}));
        const SourcePtr copy = *open_source(folder / "fast.ply");
        QVERIFY(copy->makes_between(SubFrame::linear));
        const auto pose = copy->between({1, 2, 1, 2, 0.25, false, 1.0 / 24}, Progress::none());
        QVERIFY(pose);
        QCOMPARE(named(**pose, "heat")->values[3], 5.0f);
    }
    void texture_coordinates_of_corners_and_materials_survive() {
        Folder folder;
        folder.write("lid.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nvt 0.25 0.75\nusemtl red "
                                "clay\nf 1/1 2/2 3/3\nusemtl glaze\nf 2/4 4/2 3/3\n");
        const SourcePtr source = *open_source(folder / "lid.obj");
        QVERIFY(make_fast_copy(*source, {folder / "fast"}));
        const PosePtr a = read_of(source, source->facts().first), b = read_of(*open_source(folder / "fast.ply"), 0);
        QCOMPARE(a->faces->corner_uvs.size(), std::size_t(6));
        QCOMPARE(b->faces->corner_uvs, a->faces->corner_uvs);
        QCOMPARE(b->faces->materials, (std::vector<std::string>{"red clay", "glaze"}));
        QCOMPARE(b->faces->material_of, a->faces->material_of);
        for (PlyForm form : {PlyForm::ascii, PlyForm::big_endian}) {
            QVERIFY(write_ply(folder / "again.ply", *a, form, Existing::replace));
            const PosePtr c = *read_ply(folder / "again.ply");
            QCOMPARE(c->faces->corner_uvs, a->faces->corner_uvs);
            QCOMPARE(c->faces->material_of, a->faces->material_of);
        }
    }
};
GARLAND_TEST_CASE(FastCopyTest)
#include "fast_copy_test.moc"
