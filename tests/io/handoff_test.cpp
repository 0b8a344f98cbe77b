// What is handed off, held against readers that know nothing of it: the reference USD library, a glTF player, the
// validator of the Khronos Group, and the specifications of PointInstancer and value clips.

#include "io/handed_off.h"

#include "io/gltf/viewer_glb.h"
#include "io/handoff/manifest.h"
#include "io/sources/open_source.h"
#include "io/usd/posed_usd.h"
#include "io/usd/shared_poses.h"
#include "io/usd/timed_references.h"

#include <algorithm>
#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <cmath>
#include <random>

using namespace garland;
using namespace garland::testing;

namespace {

QStringList paths(const std::vector<std::string>& files) {
    QStringList out;
    for (const auto& f : files) out << QString::fromStdString(f);
    return out;
}

bool same_values(const UsdText& x, const UsdRef& a, const UsdText& y, const UsdRef& b) {
    const auto p = x.layer->numbers(a), q = y.layer->numbers(b);
    const auto v = x.layer->words(a), w = y.layer->words(b);
    if (p && !p->empty()) { // as text, numbers have no words, and words no numbers
        return q && std::equal(p->begin(), p->end(), q->begin(), q->end(), [](double m, double n) {
                   return m == n || static_cast<float>(m) == static_cast<float>(n); // "0.1" of a float
               });
    }
    return (v ? *v : std::vector<std::string>()) == (w ? *w : std::vector<std::string>()) && (!q || q->empty());
}

Timing of_map(const char* map, OutsideMode after = OutsideMode::hold) {
    return timing_of(map, OutsideMode::hold, after);
}

} // namespace

class HandoffTest : public QObject {
    Q_OBJECT

    // Every kind of clock at once: straight, turned at fractional frames, endless, and hidden for a while.
    static void varied(Project& p) {
        p.timings[0].map = parse_map("1:0 20:19");
        p.timings[0].after.mode = OutsideMode::there_and_back;
        Spread late;
        late.id = SpreadId(p.next_id++), late.to = 30, late.whole_frames = false, late.by.seed = 5;
        Spread slow;
        slow.id = SpreadId(p.next_id++), slow.target = Target::speed, slow.from = -40, slow.to = 20, slow.by.seed = 9;
        Arrangement& a = p.arrangements[0];
        a.spreads = {late, slow};
        Arrangement ring = a;
        for (Spread& s : ring.spreads) s.id = SpreadId(p.next_id++);
        ring.id = ArrangementId(p.next_id++), ring.name = "ring", ring.layout.count = 5, ring.layout.radius = 9;
        Timing loop = of_map("1:0 15:18", OutsideMode::repeat);
        loop.id = TimingId(p.next_id++), loop.name = "loop";
        p.timings.push_back(loop);
        ring.timing = loop.id;
        p.arrangements.push_back(ring);
    }

  private slots:
    void shared_poses_stand_where_the_copies_stand() {
        Festival f(varied);
        for (const int per_frame : {4, 64}) {
            const SharedPosesOrder order{
                f.folder / "shared.usda", "copies", {{1, 60}, 1}, per_frame, Existing::replace};
            const auto done = write_shared_poses(*f.show, order);
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            QVERIFY(done->plan.worst > 0 && done->plan.poses <= 20 * per_frame + 1);
            const UsdText usd(f.folder / "shared.usda");
            double most = 0, most_half = 0;
            for (double t : {1.0, 2.0, 17.0, 31.0, 59.0, 60.0}) {
                const double off = apart(instanced(usd, t, false), f.points(t));
                QVERIFY(off >= 0);
                most = std::max(most, off);
                most_half = std::max(most_half, apart(instanced(usd, t, true), f.points(t)));
            }
            // The stated error holds and is no empty bound: some copy comes near it.
            QVERIFY2(most <= done->plan.worst * 1.001 + 1e-5, qPrintable(QString::number(most)));
            QVERIFY2(most > done->plan.worst * 0.3, qPrintable(QString::number(most)));
            // Halves have 11 digits of two: a quaternion is then off by up to 2⁻¹² in each part, an arm of 5 m by some
            // 2.5 mm.
            QVERIFY2(most_half < most + 0.005, qPrintable(QString::number(most_half)));
        }
        QCOMPARE(plan_shared_poses(*f.show, {f.folder / "s.usda", "s", {{1, 60}, 1}, 0}).error().code,
                 ErrorCode::invalid);
    }
    void hidden_copies_and_moving_ones() {
        Festival f([](Project& p) {
            varied(p);
            p.timings[0].after.mode = OutsideMode::absent;
            Wobble sway;
            sway.on = true, sway.position = V3d(0.5, 0.2, 0.3), sway.turn = V3d(10, 40, 5);
            p.arrangements[0].wobble = sway;
        });
        const auto done =
            write_shared_poses(*f.show, {f.folder / "shared.usda", "copies", {{1, 60}, 1}, 64, Existing::refuse});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        const UsdText usd(f.folder / "shared.usda");
        bool some_hidden = false;
        for (double t = 1; t <= 60; ++t) {
            const auto is = instanced(usd, t, false), should = f.points(t);
            QCOMPARE(is.size(), should.size());
            some_hidden |= should.size() < 14;
            QVERIFY(apart(is, should) <= done->plan.worst * 1.001 + 2e-5);
        }
        QVERIFY(some_hidden);
        // Velocities: metres a second, against differences of places.
        const UsdSpec& prim = *usd.prim("PointInstancer");
        const auto v = usd.floats(prim, "velocities", 20, 3), before = usd.floats(prim, "positions", 19, 3),
                   after = usd.floats(prim, "positions", 21, 3);
        QVERIFY(!v.empty());
        for (std::size_t i = 0; i < v.size(); ++i)
            QVERIFY(std::abs(v[i] - (after[i] - before[i]) * 12) < 0.02 + 0.02 * std::abs(v[i]));
        QCOMPARE(write_shared_poses(*f.show, {f.folder / "shared.usda", "copies", {{1, 60}, 1}}).error().code,
                 ErrorCode::exists);
    }
    // The reference library reads the binary form; what it writes as text is, sample by sample, our own text form.
    void binary_is_the_text_form() {
        GARLAND_NEEDS_NODE();
        Festival f(varied);
        for (const char* name : {"a.usda", "a.usdc"}) {
            const auto done =
                write_shared_poses(*f.show, {f.folder / name, "copies", {{1, 60}, 1}, 8, Existing::refuse});
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        }
        QString error;
        run_node(
            "usd_points.cjs",
            {"convert", QString::fromStdString(f.folder / "a.usdc"), QString::fromStdString(f.folder / "back.usda")},
            &error);
        const UsdText own(f.folder / "a.usda"), back(f.folder / "back.usda"), binary(f.folder / "a.usdc");
        std::size_t samples = 0;
        for (const UsdText* other : {&back, &binary}) {
            QCOMPARE(own.layer->specs().size(), other->layer->specs().size());
            for (const UsdSpec& p : own.layer->specs()) {
                const UsdSpec* twin = other->layer->spec(p.path);
                QVERIFY2(twin && twin->type == p.type && twin->children == p.children, p.path.c_str());
                for (const UsdProperty& a : p.properties) {
                    const UsdProperty* b = twin->find(a.name);
                    QVERIFY2(b, std::string(a.name).c_str());
                    QCOMPARE(b->type, a.type);
                    QCOMPARE(b->interpolation, a.interpolation);
                    QCOMPARE(b->samples.size(), a.samples.size());
                    QCOMPARE(b->has_value, a.has_value);
                    QCOMPARE(b->targets.items, a.targets.items);
                    if (a.has_value) QVERIFY2(same_values(own, a.value, *other, b->value), std::string(a.name).c_str());
                    for (std::size_t k = 0; k < a.samples.size(); ++k, ++samples) {
                        QCOMPARE((*b->samples.times)[k], (*a.samples.times)[k]);
                        QVERIFY(same_values(own, a.samples.ref(k), *other, b->samples.ref(k)));
                    }
                }
            }
        }
        QVERIFY(samples >= 60);
        QVERIFY(f.folder.read("back.usda").find("rel prototypes = [") != std::string::npos);
        // Binary is by far the smaller one.
        QVERIFY(f.folder.read("a.usdc").size() * 2 < f.folder.read("a.usda").size());
    }
    // The reference library evaluates value clips itself, at frames that are not whole.
    void references_with_timing_move_like_the_copies() {
        GARLAND_NEEDS_NODE();
        Festival f(varied);
        std::mt19937 random(11);
        std::vector<double> times{1, 15, 20, 60};
        for (int k = 0; k < 20; ++k) times.push_back(1 + 59 * static_cast<double>(random()) / 4294967296.0);
        std::sort(times.begin(), times.end());
        for (const char* name : {"r.usda", "r.usdc"}) {
            const auto done = write_timed_references(*f.show, {f.folder / name, "copies", {1, 60}});
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            QCOMPARE(done->files.size(), std::size_t(3));
            QVERIFY(done->worst_clock < 1e-6 && done->worst_point < 1e-5); // all clocks are straight
            QStringList arguments = paths(done->files);
            arguments.insert(1, words_of(times));
            QString error;
            const QJsonArray answer = run_node("usd_points.cjs", QStringList{"points"} + arguments, &error).array();
            QVERIFY2(answer.size() == static_cast<int>(times.size()), qPrintable(error));
            for (int k = 0; k < answer.size(); ++k) {
                const double t = times[static_cast<std::size_t>(k)];
                const double off = apart(read_meshes(answer[k].toObject()["meshes"].toArray()), f.points(t));
                QVERIFY2(off >= 0 && off < 1e-4, qPrintable(QString("%1 at %2").arg(off).arg(t)));
            }
        }
    }
    // What goes out comes in again: instancers and value clips, as sources.
    void handed_off_files_are_sources() {
        Festival f(varied);
        const auto shared =
            write_shared_poses(*f.show, {f.folder / "s.usdc", "copies", {{1, 60}, 1}, 64, Existing::refuse});
        const auto references = write_timed_references(*f.show, {f.folder / "r.usdc", "copies", {1, 60}});
        QVERIFY(shared && references);
        const auto a = open_source(f.folder / "s.usdc"), b = open_source(f.folder / "r.usdc");
        QVERIFY2(a, a ? "" : qPrintable(said(a.error())));
        QVERIFY2(b, b ? "" : qPrintable(said(b.error())));
        for (const std::int64_t frame : {1, 2, 17, 31, 59, 60}) {
            std::vector<V3f> wanted;
            for (const auto& [copy, points] : f.points(static_cast<double>(frame)))
                wanted.insert(wanted.end(), points.begin(), points.end());
            for (const auto& [source, within] : {std::pair{*a, shared->plan.worst * 1.001 + 1e-4}, {*b, 1e-4}}) {
                const auto pose = source->read(frame, Progress::none());
                QVERIFY2(pose, pose ? "" : qPrintable(said(pose.error())));
                QCOMPARE((*pose)->points.size(), wanted.size());
                for (std::size_t i = 0; i < wanted.size(); ++i)
                    QVERIFY2(((*pose)->points[i] - wanted[i]).length() <= within,
                             qPrintable(QString("%1 at %2").arg(((*pose)->points[i] - wanted[i]).length()).arg(frame)));
            }
        }
    }
    void a_name_with_an_at_in_it() {
        GARLAND_NEEDS_NODE();
        Festival f(varied);
        const auto done = write_timed_references(*f.show, {f.folder / "l@n.usda", "copies", {1, 60}});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QStringList arguments = paths(done->files);
        arguments.insert(1, "7.5");
        QString error;
        const QJsonArray answer = run_node("usd_points.cjs", QStringList{"points"} + arguments, &error).array();
        QVERIFY2(answer.size() == 1, qPrintable(error));
        const double off = apart(read_meshes(answer[0].toObject()["meshes"].toArray()), f.points(7.5));
        QVERIFY(off >= 0 && off < 1e-4);
    }
    void steps_and_curves_are_held_too() {
        GARLAND_NEEDS_NODE();
        for (const SubFrame how : {SubFrame::nearest, SubFrame::smooth}) {
            Festival f([&](Project& p) {
                p.timings[0].map = parse_map("1:0 30:8~ 60:19");
                p.timings[0].map.keys[0].toward = Toward::smooth;
                p.sources[0].import_settings.how = how;
                Spread late;
                late.id = SpreadId(p.next_id++), late.to = 12, late.whole_frames = false;
                p.arrangements[0].spreads = {late};
            });
            const auto done = write_timed_references(*f.show, {f.folder / "r.usdc", "copies", {1, 60}, 0.0005, 8});
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            QVERIFY(done->worst_clock > 0 && done->worst_clock <= 0.0005);
            std::vector<double> times;
            for (double t = 1.33; t < 60; t += 3.7) times.push_back(t);
            QStringList arguments = paths(done->files);
            arguments.insert(1, words_of(times));
            QString error;
            const QJsonArray answer = run_node("usd_points.cjs", QStringList{"points"} + arguments, &error).array();
            QVERIFY2(answer.size() == static_cast<int>(times.size()), qPrintable(error));
            // Points go by at most 2.5 m a source frame here; the source's own size is 1.5.
            const double bound = (done->worst_point + 2.5 * done->worst_clock) * 1.5 + 1e-4;
            int off_steps = 0;
            for (int k = 0; k < answer.size(); ++k) {
                const double t = times[static_cast<std::size_t>(k)];
                const double off = apart(read_meshes(answer[k].toObject()["meshes"].toArray()), f.points(t));
                QVERIFY(off >= 0);
                off_steps += off > bound;
            }
            // Within the tolerance of a step either pose may be shown.
            QVERIFY2(off_steps <= (how == SubFrame::nearest ? 1 : 0), qPrintable(QString::number(off_steps)));
        }
    }
    // three.js plays it, at seconds that fall on no frame; the validator has nothing to say.
    void any_viewer_plays_the_glb() {
        GARLAND_NEEDS_NODE();
        Festival f(varied);
        const auto done = write_viewer(*f.show, {f.folder / "v.glb", {1, 60}});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->plan.copies, 14);
        QString error;
        const QString path = QString::fromStdString(f.folder / "v.glb");
        const QJsonObject checked = run_node("check_glb.mjs", {path}, &error)[0].toObject();
        QVERIFY2(!checked.isEmpty(), qPrintable(error));
        QCOMPARE(checked["errors"].toInt(-1), 0);
        QVERIFY2(checked["warnings"].toInt(-1) == 0, QJsonDocument(checked["messages"].toArray()).toJson().constData());
        std::mt19937 random(12);
        std::vector<double> frames{1, 60};
        for (int k = 0; k < 25; ++k) frames.push_back(1 + 59 * static_cast<double>(random()) / 4294967296.0);
        std::sort(frames.begin(), frames.end());
        std::vector<double> seconds;
        for (double t : frames) seconds.push_back((t - 1) / 24);
        const QJsonArray answer = run_node("play_glb.mjs", {path, words_of(seconds)}, &error).array();
        QVERIFY2(answer.size() == static_cast<int>(frames.size()), qPrintable(error));
        for (int k = 0; k < answer.size(); ++k) {
            const double t = frames[static_cast<std::size_t>(k)];
            int which = 0;
            const double off = apart(read_meshes(answer[k].toObject()["meshes"].toArray()), f.points(t), &which);
            QVERIFY2(off >= 0 && off < 1e-3, qPrintable(QString("%1 at %2, copy %3").arg(off).arg(t).arg(which)));
        }
    }
    void posed_copies_as_usd() {
        GARLAND_NEEDS_NODE();
        Festival f(varied);
        const auto done = write_posed_usd(*f.show, {f.folder / "p.usdc", "copies", {{1, 60}, 1}});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QString error;
        const std::vector<double> times{1, 16, 33, 60};
        const QJsonArray answer =
            run_node("usd_points.cjs", {"points", QString::fromStdString(f.folder / "p.usdc"), words_of(times)}, &error)
                .array();
        QVERIFY2(answer.size() == 4, qPrintable(error));
        for (int k = 0; k < 4; ++k) {
            const double off = apart(read_meshes(answer[k].toObject()["meshes"].toArray()),
                                     f.points(times[static_cast<std::size_t>(k)]));
            QVERIFY(off >= 0 && off < 1e-6); // it multiplies by a matrix
        }
    }
    // Assimp reads the OBJ files; the array is opened as a source again.
    void posed_copies_as_obj_and_as_one_array() {
        Festival f(varied);
        HandoffOrder order{"posed-copies", ".obj", f.folder / "o", "copies", {{5, 7}, 1}};
        const auto done = hand_off(f.input(), order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        order.ending = ".npy";
        const auto array = hand_off(f.input(), order);
        QVERIFY2(array, array ? "" : qPrintable(said(array.error())));
        const SourcePtr again = *open_source(f.folder / "o/copies.npy");
        QCOMPARE(again->facts().frames(), 3);
        for (int t = 5; t <= 7; ++t) {
            std::vector<V3f> should;
            for (const auto& [copy, points] : f.points(t)) should.insert(should.end(), points.begin(), points.end());
            Assimp::Importer importer;
            const aiScene* scene = importer.ReadFile(f.folder / ("o/" + numbered("copies.", t, 4, ".obj")),
                                                     aiProcess_JoinIdenticalVertices);
            QVERIFY(scene && scene->mNumMeshes == 1);
            QCOMPARE(scene->mMeshes[0]->mNumFaces, 14u * 4);
            for (unsigned k = 0; k < scene->mMeshes[0]->mNumVertices; ++k) { // every corner is one of our points
                const auto& v = scene->mMeshes[0]->mVertices[k];
                QVERIFY(std::any_of(should.begin(), should.end(),
                                    [&](const V3f& p) { return (p - V3f(v.x, v.y, v.z)).length() < 1e-5f; }));
            }
            QCOMPARE((*again->read(t - 5, Progress::none()))->points, should);
        }
        Festival hides([](Project& p) {
            varied(p);
            p.timings[0].after.mode = OutsideMode::absent;
        });
        const auto refused = hand_off(hides.input(), {"posed-copies", ".npy", f.folder / "n", "copies", {{1, 60}, 1}});
        QVERIFY(!refused && said(refused.error()).contains("one array cannot hold them"));
        QVERIFY(!QDir(QString::fromStdString(f.folder / "n")).exists());
    }
    void what_cannot_be_held_is_said() {
        Festival f([](Project& p) {
            p.timings[0].form = TimingForm::phrases;
            p.timings[0].phrases = phrases_of("0-15 3-19+6").phrases;
        });
        const auto refused = write_timed_references(*f.show, {f.folder / "r.usda", "copies", {1, 60}});
        QVERIFY(!refused && said(refused.error()).contains("fade into each other"));
        QVERIFY(said(refused.error()).contains("shared poses"));
        QCOMPARE(f.folder.names().filter("r.").size(), 0);
        QVERIFY(!write_viewer(*f.show, {f.folder / "v.glb", {1, 60}}));
        // Two poses at once are no trouble for shared poses.
        const auto shared = write_shared_poses(*f.show, {f.folder / "s.usda", "copies", {{1, 60}, 1}, 64});
        QVERIFY2(shared, shared ? "" : qPrintable(said(shared.error())));
        const UsdText usd(f.folder / "s.usda");
        double most = 0;
        for (double t = 1; t <= 60; ++t) most = std::max(most, apart(instanced(usd, t, false), f.points(t)));
        QVERIFY2(most <= shared->plan.worst * 1.001 + 1e-5,
                 qPrintable(QString("%1 %2").arg(most).arg(shared->plan.worst)));
    }
    void the_list_of_outputs_is_whole() {
        Festival f(varied);
        for (const HandoffOutput& o : outputs()) {
            for (const char* ending : o.endings) {
                if (o.of_source && (std::string(ending) == ".vdb" || std::string(ending) == ".csv"))
                    continue;                                 // no mesh
                if (std::string(ending) == ".otio") continue; // no phrases: HandoffMomentsTest has some
                HandoffOrder order{o.word, ending, f.folder / (std::string("out") + o.word), "name", {{1, 6}, 1}};
                order.source = f.opened.project.sources[0].id;
                const auto plan = plan_handoff(f.input(), order);
                QVERIFY2(plan, plan ? "" : qPrintable(said(plan.error())));
                QVERIFY(plan->bytes > 0 && plan->files > 0 && plan->existing == 0);
                QVERIFY(!QDir(QString::fromStdString(order.folder)).exists() || &o.endings.front() != &ending);
                const auto done = hand_off(f.input(), order);
                QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
                QCOMPARE(static_cast<std::int64_t>(done->files.size()), plan->files);
                double bytes = 0;
                for (const auto& file : done->files) {
                    QVERIFY(file_exists(file));
                    bytes += static_cast<double>(QFile(QString::fromStdString(file)).size());
                }
                QVERIFY(std::abs(bytes - done->bytes) < 1);
                // What was said before is right within a factor of three, or a few kilobytes.
                QVERIFY2(plan->bytes < 3 * bytes + 8000 && bytes < 3 * plan->bytes + 8000,
                         qPrintable(QString("%1 %2 %3 %4").arg(o.word, ending).arg(plan->bytes).arg(bytes)));
                QCOMPARE(hand_off(f.input(), order).error().code, ErrorCode::exists);
                QVERIFY(plan_handoff(f.input(), order)->existing > 0);
                order.existing = WhatIsThere::replace;
                QVERIFY(hand_off(f.input(), order));
            }
        }
        HandoffOrder odd{"lanterns", ".usda", f.folder / "x", "n", {{1, 6}, 1}};
        QVERIFY(said(hand_off(f.input(), odd).error()).contains("shared-poses"));
        odd.output = "viewer";
        QVERIFY(said(hand_off(f.input(), odd).error()).contains("glb"));
        odd.ending = ".glb", odd.frames.step = 2;
        QVERIFY(said(hand_off(f.input(), odd).error()).contains("whole clocks"));
        odd.frames.step = 1, odd.name = "../n";
        QVERIFY(said(hand_off(f.input(), odd).error()).contains("not a name"));
        odd.name = "n", odd.frames = {{6, 1}, 1};
        QVERIFY(said(hand_off(f.input(), odd).error()).contains("ends before"));
        QVERIFY(!QDir(QString::fromStdString(f.folder / "x")).exists());
    }
    void a_stop_leaves_nothing() {
        Festival f(varied);
        for (const HandoffOutput& o : outputs()) {
            if (std::string(o.word) == "camera") continue; // no work to stop
            struct Stop : Progress {
                int left = 0;
                void report(double, std::string_view) override { --left; }
                bool cancelled() const override { return left < 0; }
            } stop;
            HandoffOrder order{o.word, o.endings.front(), f.folder / (std::string("stop") + o.word), "n", {{1, 60}, 1}};
            order.source = f.opened.project.sources[0].id;
            const auto done = hand_off(f.input(), order, stop);
            QVERIFY2(!done && done.error().code == ErrorCode::cancelled, o.word);
            QVERIFY2(!QDir(QString::fromStdString(order.folder)).exists(), o.word);
        }
    }
    // Shares written in any order, with a stop between, are the bytes of one run.
    void shares_and_stops_give_the_same_bytes() {
        Festival f(varied);
        HandoffOrder one{"posed-copies", ".ply", f.folder / "one", "copies", {{1, 40}, 1}};
        const auto whole = hand_off(f.input(), one);
        QVERIFY2(whole, whole ? "" : qPrintable(said(whole.error())));
        QCOMPARE(whole->manifest, f.folder / "one/copies.ply.handoff.json");
        QCOMPARE(verify_handoff(whole->manifest)->files, 40);
        HandoffOrder many = one;
        many.folder = f.folder / "many", many.existing = WhatIsThere::resume;
        for (const int k : {3, 1, 4, 2}) {
            many.share = {k, 4};
            struct Stop : Progress {
                int left = 30; // reports: some frames
                void report(double, std::string_view) override { --left; }
                bool cancelled() const override { return left < 0; }
            } stop;
            stop.left = 40 + 4; // the costs of all frames, then some frames
            QCOMPARE(hand_off(f.input(), many, stop).error().code, ErrorCode::cancelled);
            const auto done = hand_off(f.input(), many);
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            QVERIFY2(done->kept > 0 && done->kept < 12, qPrintable(QString::number(done->kept)));
            QCOMPARE(done->manifest.empty(), k != 2);
        }
        const QDir a(QString::fromStdString(one.folder)), b(QString::fromStdString(many.folder));
        QCOMPARE(a.entryList(QDir::Files | QDir::Hidden), b.entryList(QDir::Files | QDir::Hidden));
        QCOMPARE(a.entryList(QDir::Files).size(), 41); // no journal is left
        for (const QString& name : a.entryList(QDir::Files)) {
            QFile x(a.filePath(name)), y(b.filePath(name));
            QVERIFY(x.open(QIODevice::ReadOnly) && y.open(QIODevice::ReadOnly));
            QVERIFY2(x.readAll() == y.readAll(), qPrintable(name));
        }
        // All is there: nothing is written again. One file that was tampered with is.
        many.share = {};
        const auto again = hand_off(f.input(), many);
        QVERIFY2(again, again ? "" : qPrintable(said(again.error())));
        QCOMPARE(again->kept, 40);
        QFile spoiled(b.filePath("copies.0007.ply"));
        QVERIFY(spoiled.open(QIODevice::ReadWrite) && spoiled.seek(spoiled.size() - 9) && spoiled.write("##") == 2);
        spoiled.close();
        const auto bad = verify_handoff(many.folder + "/copies.ply.handoff.json");
        QVERIFY2(!bad && said(bad.error()).contains("other bytes"),
                 bad ? "no difference" : qPrintable(said(bad.error())));
        QCOMPARE(bad.error().frame, std::optional<std::int64_t>(7));
        QCOMPARE(hand_off(f.input(), many)->kept, 39);
        QVERIFY(verify_handoff(many.folder + "/copies.ply.handoff.json"));
    }
    void what_changed_since_is_noticed() {
        Festival f(varied);
        HandoffOrder order{"shared-poses", ".usdc", f.folder / "out", "copies", {{1, 20}, 1}};
        QVERIFY(hand_off(f.input(), order));
        order.existing = WhatIsThere::resume;
        QCOMPARE(hand_off(f.input(), order)->kept, 1);
        order.poses_per_frame = 9;
        QVERIFY(said(hand_off(f.input(), order).error()).contains("settings"));
        order.poses_per_frame = 8;
        f.opened.project.settings.camera.distance *= 2; // where one looks from is not part of it
        QVERIFY(hand_off(f.input(), order));
        f.opened.project.arrangements[0].layout.radius += 1;
        const auto changed = hand_off(f.input(), order);
        QVERIFY(!changed && changed.error().code == ErrorCode::changed && said(changed.error()).contains("project"));
        f.opened.project.arrangements[0].layout.radius -= 1;
        f.folder.write("lantern0003.ply", f.folder.read("lantern0004.ply"));
        QVERIFY(said(hand_off(f.input(), order).error()).contains("source"));
        // What is there and was not written by the same hand-off is not touched.
        HandoffOrder fresh{"posed-copies", ".ply", f.folder / "own", "copies", {{1, 3}, 1}};
        QVERIFY(QDir().mkpath(QString::fromStdString(fresh.folder)));
        f.folder.write("own/copies.0002.ply", "mine");
        fresh.existing = WhatIsThere::resume;
        QCOMPARE(hand_off(f.input(), fresh).error().code, ErrorCode::exists);
        QCOMPARE(f.folder.read("own/copies.0002.ply"), std::string("mine"));
        f.folder.write("x.handoff.json", "{\"garland_handoff\": 1, \"files\": [{}]}");
        QCOMPARE(verify_handoff(f.folder / "x.handoff.json").error().code, ErrorCode::malformed);
        QCOMPARE(verify_handoff(f.folder / "none.json").error().code, ErrorCode::not_found);
    }
    void frames_are_split_by_their_cost() {
        QCOMPARE(split_by_cost({1, 1, 1, 1, 1, 1}, 3), (std::vector<std::size_t>{0, 2, 4, 6}));
        QCOMPARE(split_by_cost({5, 1, 1, 1, 1, 1}, 2), (std::vector<std::size_t>{0, 1, 6}));
        QCOMPARE(split_by_cost({1, 1}, 4).size(), std::size_t(5)); // some are empty
        QCOMPARE(split_by_cost({1, 1}, 4).back(), std::size_t(2));
        QVERIFY(parse_share("2/5") && !parse_share("0/5") && !parse_share("6/5") && !parse_share("2") &&
                !parse_share("a/b"));
        Festival f(varied);
        HandoffOrder order{"viewer", ".glb", f.folder / "out", "copies", {{1, 20}, 1}};
        order.share = {1, 2};
        QVERIFY(said(hand_off(f.input(), order).error()).contains("cannot be split"));
    }
    // 10 000 copies: at most 2 MB and 200 bytes a key.
    void many_references_stay_small() {
        Festival f([](Project& p) {
            varied(p);
            p.arrangements.resize(1);
            p.arrangements[0].layout.count = 10'000;
        });
        const auto done = write_timed_references(*f.show, {f.folder / "r.usdc", "copies", {1, 60}});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QVERIFY2(done->bytes <= 2e6 + 200.0 * static_cast<double>(done->keys),
                 qPrintable(QString("%1 bytes, %2 keys").arg(done->bytes).arg(done->keys)));
        QCOMPARE(done->plan.copies, 10'000);
    }
};
GARLAND_TEST_CASE(HandoffTest)
#include "handoff_test.moc"
