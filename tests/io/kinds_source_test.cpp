// Sources of particles, volumes, shapes and grouped pieces from their files; frames left out; gaps and made poses.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "core/project/ahead.h"
#include "core/project/project.h"
#include "core/source/sampler.h"
#include "demo/quay.h"
#include "io/files/series.h"
#include "io/npy/npy.h"
#include "io/obj/obj.h"
#include "io/ply/ply.h"
#include "io/project/open_project.h"
#include "io/sources/open_source.h"
#include "io/vdb/volume_file.h"

#include <fmt/format.h>
#include <random>
#include <set>

using namespace garland;
using namespace garland::testing;

namespace {
Sampler sampler_of(const SourcePtr& source, ImportSettings settings, PoseCache& cache,
                   std::uint64_t serial = PoseCache::new_serial()) {
    const SourceFacts& f = source->facts();
    return Sampler(source, make_clock(f.first, f.last, f.first, {24, 1}, Join::frame_for_frame, {24, 1}), settings,
                   serial, &cache);
}
ImportSettings settings(SubFrame how) {
    ImportSettings t;
    t.how = how;
    return t;
}
} // namespace

class KindsSourceTest : public QObject {
    Q_OBJECT
  private slots:
    void particles_from_ply() {
        Folder folder;
        for (int f = 30; f < 40; ++f)
            QVERIFY(write_ply(folder / numbered("petals.", f, 4, ".ply"), *drift_petals(f), PlyForm::little_endian,
                              Existing::refuse));
        const auto source = open_source(folder / "petals.0033.ply");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().kind, SourceKind::particles);
        QVERIFY((*source)->facts().carries.velocities && (*source)->facts().carries.colours);
        const PosePtr pose = *(*source)->read(33, Progress::none()), made = drift_petals(33);
        QCOMPARE(pose->ids, made->ids);
        QVERIFY(pose->points == made->points);
        PoseCache cache(1 << 28);
        const SampledPose between = *sampler_of(*source, settings(SubFrame::smooth), cache).at(SourceFrame(33.5));
        QVERIFY(between.pose->ids.size() > 50 && !between.nearest_instead);
    }
    void particles_from_tables() {
        Folder folder;
        folder.write("p.0001.csv", "id;x;y;z;vx;vy;vz;heat\n5;0;0;0;1;0;0;0.5\n7;1;2;3;0;0;0;1e-3\n");
        folder.write("p.0002.csv", "id;x;y;z;vx;vy;vz;heat\n7;1;2;4;0;0;0;1\n");
        const auto source = open_source(folder / "p.0001.csv");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const PosePtr first = *(*source)->read(1, Progress::none());
        QCOMPARE(first->ids, (std::vector<std::int64_t>{5, 7}));
        QCOMPARE(first->attributes[0].name, std::string("heat"));
        auto refused = [&](const char* text, const char* words, std::int64_t line) {
            folder.write("q.0001.csv", text);
            const auto bad = open_source(folder / "q.0001.csv");
            return !bad && describe(bad.error()).find(words) != std::string::npos &&
                   bad.error().line.value_or(0) == line && bad.error().frame == 1;
        };
        QVERIFY(refused("id,x,y,z\n1,0,0,0\n1,1,1,1\n", "comes twice", 0));
        QVERIFY(refused("id,x,y,z\n1,0,0,0\n2,1,zero,1\n", "\"zero\"", 3));
        QVERIFY(refused("id,x,y,z\n1,0,0\n", "3 cells", 2));
        QVERIFY(refused("x,y,z\n1,0,0\n", "id", 1));
        QVERIFY(refused("id,x,y,z\n1.5,0,0,0\n", "whole number", 2));
        QVERIFY(refused("id,x,y,z\n1,0,5,0,25,1,5\n", "decimal commas", 2)); // 0,5 and 0,25 and 1,5
        // As tables of floats, and other programs' heads, have them.
        folder.write("r.0001.csv", "ID,X,Y,Z,Heat\n7.0,1,2,3,4\n8.000000,1,2,3,5\n");
        const auto floats = open_source(folder / "r.0001.csv");
        QVERIFY2(floats, floats ? "" : qPrintable(said(floats.error())));
        const PosePtr read = *(*floats)->read(1, Progress::none());
        QCOMPARE(read->ids, (std::vector<std::int64_t>{7, 8}));
        QCOMPARE(read->attributes.at(0).name, std::string("Heat"));
    }
    void particles_from_arrays() {
        Folder folder;
        auto points = NpyWriter::create(folder / "spray.npy", 2, 3, NpyType::f32, Existing::refuse);
        points->add({V3f(0), V3f(1), V3f(2)});
        points->add({V3f(5), V3f(6), V3f(7)});
        QVERIFY(points->commit());
        auto ids = NpyWriter::create_wholes(folder / "spray_ids.npy", 2, 3, Existing::refuse);
        ids->add(std::vector<std::int64_t>{10, -1, 12});
        ids->add(std::vector<std::int64_t>{10, 13, -1});
        QVERIFY(ids->commit());
        const auto source = open_source(folder / "spray.npy");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const PosePtr second = *(*source)->read(1, Progress::none());
        QCOMPARE(second->ids, (std::vector<std::int64_t>{10, 13})); // ids below 0 are empty places
        QCOMPARE(second->points[1], V3f(6));
        auto wrong = NpyWriter::create_wholes(folder / "spray_ids.npy", 2, 4, Existing::replace);
        wrong->add(std::vector<std::int64_t>{1, 2, 3, 4});
        wrong->add(std::vector<std::int64_t>{1, 2, 3, 4});
        QVERIFY(wrong->commit());
        QVERIFY(describe(open_source(folder / "spray_ids.npy").error()).find("(2, 3)") != std::string::npos);
    }
    void volumes_from_files() {
        Folder folder;
        for (int f = 1; f <= 3; ++f) {
            DenseGrid d{"density", 8, 8, 8, 0.5, V3d(0), true};
            d.values.assign(512, static_cast<float>(f));
            DenseGrid v{"velocity", 8, 8, 8, 0.5, V3d(0)};
            v.vectors.assign(512, V3f(1, 0, 0));
            QVERIFY(write_volume(folder / numbered("smoke.", f, 4, ".vdb"), *volume_from({d, v}), Existing::refuse));
        }
        const auto source = open_source(folder / "smoke.0002.vdb");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const SourceFacts& f = (*source)->facts();
        QCOMPARE(f.kind, SourceKind::volume);
        QCOMPARE(f.frames(), 3);
        QVERIFY(f.carries.velocities);
        QVERIFY(f.format.find("half") != std::string::npos);
        PoseCache cache(1 << 28);
        for (SubFrame how : {SubFrame::linear, SubFrame::carried}) {
            const SampledPose pose = *sampler_of(*source, settings(how), cache).at(SourceFrame(2.25));
            QVERIFY(std::abs(value_at(*pose.pose->volume, "density", V3f(2)) - 2.25f) < 1e-3f);
            QVERIFY(pose.pose->volume->facts()[0].half);
        }
        folder.write("not.0001.vdb", "no volume at all");
        QVERIFY(describe(open_source(folder / "not.0001.vdb").error()).find("not an OpenVDB") != std::string::npos);
        const std::string whole = folder.read("smoke.0001.vdb");
        // Lengths that reach beyond the file are found before anything is asked for.
        std::string lying = whole;
        const auto name_at = lying.find("density");
        QVERIFY(name_at != lying.npos);
        lying[name_at - 1] = '\x7f'; // two thousand million letters
        folder.write("lying.0001.vdb", lying);
        const auto lie = open_source(folder / "lying.0001.vdb");
        QVERIFY(!lie && describe(lie.error()).find("claims a name of") != std::string::npos && lie.error().offset);
        folder.write("cut.0001.vdb", whole.substr(0, whole.size() / 2));
        const auto cut = open_source(folder / "cut.0001.vdb");
        QVERIFY(!cut && cut.error().frame == 1);
    }
    void shapes_are_stepped_or_blended() {
        Folder folder;
        std::vector<std::string> files;
        const auto fans = fan_shapes();
        for (std::size_t i = 0; i < fans.size(); ++i) {
            files.push_back(folder / ("fan " + std::string(1, static_cast<char>('a' + i)) + ".obj"));
            QVERIFY(write_obj(files.back(), *fans[i], Existing::refuse));
        }
        const auto source = open_shapes(files, 10);
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().kind, SourceKind::shapes);
        QCOMPARE((*source)->facts().frames(), 50);
        auto at = [&](double frame, SubFrame how) {
            return (*(*source)->exact_at(frame, how, Progress::none()))->points;
        };
        QVERIFY(at(0, SubFrame::nearest) == at(9.9, SubFrame::nearest)); // each shape is shown ten frames
        QVERIFY(at(10, SubFrame::nearest) == at(10, SubFrame::smooth));
        QVERIFY(at(10, SubFrame::linear) == fans[1]->points);
        QVERIFY(at(49, SubFrame::smooth) == fans[4]->points);
        const auto half = at(15, SubFrame::linear);
        for (std::size_t i = 0; i < half.size(); ++i)
            QVERIFY((half[i] - (fans[1]->points[i] + fans[2]->points[i]) * 0.5f).length() < 1e-6f);
        QVERIFY(!(at(15, SubFrame::smooth) == half));
        QVERIFY(write_obj(folder / "other.obj", tetrahedron(), Existing::refuse));
        files.push_back(folder / "other.obj");
        const auto bad = open_shapes(files, 10);
        QVERIFY(!bad && bad.error().path == files.back() &&
                describe(bad.error()).find("4 points") != std::string::npos);
        QCOMPARE(open_shapes({}, 10).error().code, ErrorCode::invalid);
    }
    void pieces_from_the_groups_of_an_obj() {
        Folder folder;
        folder.write("jar.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 5 0 0\nv 6 0 0\nv 5 1 0\no lid\nusemtl clay\nf 1 2 3\no "
                                "foot\nusemtl glaze\nf 4 5 6\n");
        folder.write("jar_pieces.csv", "frame,piece,tx,ty,tz,qx,qy,qz,qw\n0,0,0,0,0,0,0,0,1\n0,1,0,0,0,0,0,0,1\n1,0,0,"
                                       "2,0,0,0,0,1\n1,1,0,0,4,0,0,0,1\n");
        const auto source = open_source(folder / "jar.obj");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().kind, SourceKind::pieces);
        const PosePtr pose = *(*source)->read(1, Progress::none());
        QCOMPARE(pose->points[0], V3f(0, 2, 0));
        QCOMPARE(pose->points[3], V3f(5, 0, 4));
        QCOMPARE(pose->faces->materials, (std::vector<std::string>{"clay", "glaze"}));
        QCOMPARE(pose->faces->material_of, (std::vector<std::uint32_t>{0, 1}));
        folder.write("jar.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 5 0 0\no lid\nf 1 2 3\no foot\nf 2 3 4\n");
        QVERIFY(describe(open_source(folder / "jar.obj").error()).find("must not share points") != std::string::npos);
    }
    // Velocities of a table's pieces are the change of their places, at whatever rate the table joins the project.
    void pieces_of_a_table_have_velocities() {
        Folder folder;
        folder.write("jar.obj",
                     "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 5 0 0\nv 6 0 0\nv 5 1 0\no lid\nf 1 2 3\no foot\nf 4 5 6\n");
        std::string table = "frame,piece,tx,ty,tz,qx,qy,qz,qw\n";
        for (int f = 0; f <= 6; ++f) {
            const double a = 0.1 * f * f, h = a / 2;
            table += fmt::format("{},0,{},{},0,0,{},0,{}\n", f, 0.5 * f, 0.1 * f * f, std::sin(h), std::cos(h));
            table += fmt::format("{},1,0,{},0,{},0,0,{}\n", f, -0.2 * f, std::sin(h),
                                 -std::cos(h) * (f % 2 ? 1 : -1) * (f % 2 ? 1 : -1));
        }
        folder.write("jar_pieces.csv", table);
        const SourcePtr source = *open_source(folder / "jar.obj");
        QVERIFY(source->facts().carries.velocities && source->facts().carries.velocities_a_frame);
        PoseCache cache(1 << 26);
        for (const Rate rate : {Rate{24, 1}, Rate{30000, 1001}}) {
            for (SubFrame how : {SubFrame::linear, SubFrame::smooth}) {
                const Sampler s(source, make_clock(0, 6, 0, rate, Join::by_clock, rate), settings(how), 7, &cache);
                for (double frame : {1.5, 2.25, 4.7}) {
                    const double h = 1e-3;
                    const PosePtr before = s.at(SourceFrame(frame - h))->pose, now = s.at(SourceFrame(frame))->pose,
                                  after = s.at(SourceFrame(frame + h))->pose;
                    QCOMPARE(now->velocities.size(), std::size_t(6));
                    for (std::size_t i = 0; i < 6; ++i) {
                        const V3d speed =
                            (V3d(after->points[i]) - V3d(before->points[i])) * (rate.per_second() / (2 * h));
                        QVERIFY2((speed - V3d(now->velocities[i])).length() < 0.02 * speed.length() + 0.02,
                                 qPrintable(QString("%1 at %2").arg(i).arg(frame)));
                    }
                }
                // At a frame both sides count alike: x moves half a unit a frame.
                QVERIFY(std::abs(s.at(SourceFrame(3))->pose->velocities[0].x - 0.5 * rate.per_second()) < 1e-3);
            }
        }
        // Smooth still goes through the frames on both sides, though there are velocities now.
        const Sampler smooth(source, make_clock(0, 6, 0, {24, 1}, Join::by_clock, {24, 1}), settings(SubFrame::smooth),
                             8, &cache);
        QVERIFY(smooth.recipe(SourceFrame(2.5)).before == 1 && smooth.recipe(SourceFrame(2.5)).after == 4);
    }
    void attributes_of_points_and_faces_stay() {
        Folder folder;
        Pose pose = tetrahedron();
        pose.attributes = {{"heat", 1, {1, 2, 3, 4.5f}}, {"knot", 1, {}, {7, -8, 2000000001, 10}}};
        auto faces = std::make_shared<Faces>(*pose.faces);
        faces->attributes = {{"pane", 1, {}, {1, 2, 3, 4}}, {"glow", 1, {0.5f, 0.25f, 0, 1}}};
        pose.faces = faces;
        for (PlyForm form : {PlyForm::ascii, PlyForm::little_endian, PlyForm::big_endian}) {
            QVERIFY(write_ply(folder / "a.ply", pose, form, Existing::replace));
            const auto back = read_ply(folder / "a.ply");
            QVERIFY(back);
            QCOMPARE((*back)->attributes, pose.attributes);
            QCOMPARE((*back)->faces->attributes, faces->attributes);
        }
    }
    void a_frame_left_out_is_missing() {
        Folder folder;
        for (int f = 1; f <= 5; ++f)
            QVERIFY(write_ply(folder / numbered("a.", f, 4, ".ply"),
                              f == 3 ? *fan_shapes()[0] : tetrahedron(static_cast<float>(f)), PlyForm::ascii,
                              Existing::refuse));
        const SourcePtr source = *open_source(folder / "a.0001.ply");
        QCOMPARE(source->facts().kind, SourceKind::mesh_sequence);
        QCOMPARE(source->facts().varies.odd_frames, (std::vector<std::int64_t>{3}));
        PoseCache cache(1 << 26);
        ImportSettings t = settings(SubFrame::linear);
        const Sampler plain = sampler_of(source, t, cache);
        QVERIFY(plain.recipe(SourceFrame(2.5)).may_be_nearest);
        QVERIFY(plain.at(SourceFrame(2.5))->nearest_instead);
        t.dropped = {3};
        t.gaps = GapFix::blend;
        const Sampler mended = sampler_of(source, t, cache);
        QCOMPARE(mended.source()->facts().kind, SourceKind::mesh_cache); // what is left has equal faces
        QVERIFY(!mended.source()->facts().varies.faces_change_at);
        const SampledPose pose = *mended.at(SourceFrame(3));
        QVERIFY(pose.recipe.missing && !pose.nearest_instead);
        QVERIFY(std::abs(pose.pose->points[0].y - 3) < 1e-6f); // between 2 and 4
    }
    // The same frame asked for in another way is another pose, whatever the cache holds.
    void ways_between_frames_do_not_mix_in_the_cache() {
        Folder folder;
        for (int f = 0; f < 4; ++f)
            QVERIFY(write_ply(folder / numbered("a.", f, 4, ".ply"), tetrahedron(static_cast<float>(f * f)),
                              PlyForm::ascii, Existing::refuse));
        const SourcePtr source = *open_source(folder / "a.0000.ply");
        PoseCache cache(1 << 26);
        const float linear =
            sampler_of(source, settings(SubFrame::linear), cache, 5).at(SourceFrame(1.5))->pose->points[0].y;
        const float smooth =
            sampler_of(source, settings(SubFrame::smooth), cache, 5).at(SourceFrame(1.5))->pose->points[0].y;
        QCOMPARE(linear, 2.5f);
        QCOMPARE(smooth, 2.25f);
    }
    void half_arrays_are_mixed_as_they_are_mapped() {
        Folder folder;
        QVERIFY(write_ply(folder / "a.ply", tetrahedron(), PlyForm::ascii, Existing::refuse));
        auto out = NpyWriter::create(folder / "a.npy", 4, 4, NpyType::f16, Existing::refuse);
        for (int f = 0; f < 4; ++f) out->add(tetrahedron(static_cast<float>(f * f)).points);
        QVERIFY(out->commit());
        const SourcePtr source = *open_source(folder / "a.ply");
        QVERIFY(source->makes_between(SubFrame::linear));
        PoseCache cache(1 << 26);
        QCOMPARE(sampler_of(source, settings(SubFrame::linear), cache, 6).at(SourceFrame(1.5))->pose->points[0].y,
                 2.5f);
        QCOMPARE(sampler_of(source, settings(SubFrame::smooth), cache, 6).at(SourceFrame(1.5))->pose->points[0].y,
                 2.25f);
        std::string bytes = folder.read("a.npy");
        folder.write("a.npy", bytes.substr(0, bytes.size() - 8)); // cut while it is open
        QVERIFY(describe(source->read(3, Progress::none()).error()).find("cut short") != std::string::npos);
    }
    void frames_are_read_ahead_in_the_direction_of_use() {
        Folder folder;
        for (int f = 0; f <= 20; ++f)
            QVERIFY(write_ply(folder / numbered("a.", f, 4, ".ply"), tetrahedron(static_cast<float>(f)), PlyForm::ascii,
                              Existing::refuse));
        Project p;
        p.settings.range = {1, 60};
        add_source(p, "a", folder / "a.0000.ply", {0, 20, {24, 1}});
        OpenSources sources;
        sources[p.sources[0].id] = {*open_source(folder / "a.0000.ply"), PoseCache::new_serial()};
        PoseCache cache(1 << 20);
        auto wanted = [&](const char* map, double t, double step) {
            p.timings[0].map = parse_map(map);
            std::vector<std::int64_t> frames;
            for (const WantedFrame& w : wanted_next(*make_show(p, sources, cache), OutputFrame(t), step, 4, 64))
                frames.push_back(w.file_frame);
            return frames;
        };
        using Frames = std::vector<std::int64_t>;
        QCOMPARE(wanted("1:0 21:20", 5, 1), (Frames{5, 6, 7, 8}));
        QCOMPARE(wanted("1:0 21:20", 5, -1), (Frames{3, 2, 1, 0}));
        QCOMPARE(wanted("1:20 21:0", 5, 1), (Frames{15, 14, 13, 12})); // reversed: falling, though the playhead goes on
        QCOMPARE(wanted("1:7 21:7", 5, 1), (Frames{7}));               // held: one frame, once
        QCOMPARE(wanted("1:0 41:20", 5, 1), (Frames{2, 3, 4}));        // half speed: two for each four
        const ShowPtr show = make_show(p, sources, cache);
        const auto list = wanted_next(*show, OutputFrame(5), 1, 4, 64);
        QCOMPARE(read_ahead(*show, list, 1 << 20, Progress::none()), list.size());
        QVERIFY(wanted_next(*show, OutputFrame(5), 1, 4, 64).empty()); // all there now
        QVERIFY(read_ahead(*show, {{p.sources[0].id, 1}, {p.sources[0].id, 9}}, 1, Progress::none()) <=
                1); // never more than half the limit
    }
    void the_quay_opens_whole() {
        Folder folder;
        const auto path = write_quay(folder.path());
        QVERIFY2(path, path ? "" : qPrintable(said(path.error())));
        const auto opened = open_project(*path);
        QVERIFY2(opened, opened ? "" : qPrintable(said(opened.error())));
        QVERIFY2(opened->missing.empty(),
                 opened->missing.empty() ? "" : describe(opened->missing.front().error).c_str());
        std::set<SourceKind> kinds;
        for (const auto& [id, open] : opened->sources) kinds.insert(open.source->facts().kind);
        QCOMPARE(kinds.size(), std::size_t(7)); // all but a plain mesh cache, which the festival has
        PoseCache cache(std::size_t(1) << 30);
        const ShowPtr show = make_show(opened->project, opened->sources, cache);
        for (double t : {1.0, 60.5, 144.0}) {
            const auto all = pose_all(*show, OutputFrame(t));
            QVERIFY2(all, all ? "" : qPrintable(said(all.error())));
        }
    }
};
GARLAND_TEST_CASE(KindsSourceTest)
#include "kinds_source_test.moc"
