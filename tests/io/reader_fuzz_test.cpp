// Every reader against broken input: valid files with seeded damage, a fixed number of rounds. A reader may refuse, but
// it must not crash, hang or take memory beyond its file; sanitizer builds run the same rounds.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "demo/quay.h"
#include "io/gltf/gltf.h"
#include "io/handoff/job_file.h"
#include "io/handoff/manifest.h"
#include "io/npy/npy.h"
#include "io/obj/obj.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"
#include "io/sources/open_source.h"
#include "io/tables/timing_table.h"
#include "io/usd/usda_write.h"
#include "io/usda_texts.h"
#include "io/vdb/volume_file.h"

#include <random>

using namespace garland;
using namespace garland::testing;

namespace {

std::string damaged(std::string text, std::mt19937& random) {
    static const char* pieces[] = {"4294967295", "-1", "1e999", "nan", "\xff\xff\xff\xff", "list", "\n", "{",
                                   "]",          "",   "0",     "/"};
    const int wounds = std::uniform_int_distribution<int>(1, 4)(random);
    for (int w = 0; w < wounds && !text.empty(); ++w) {
        const auto at = std::uniform_int_distribution<std::size_t>(0, text.size() - 1)(random);
        switch (std::uniform_int_distribution<int>(0, 4)(random)) {
        case 0: text[at] = static_cast<char>(random()); break;
        case 1: text.resize(at); break;
        case 2: text.erase(at, std::uniform_int_distribution<std::size_t>(1, 9)(random)); break;
        case 3: text.insert(at, pieces[random() % std::size(pieces)]); break;
        default: text.insert(at, text.substr(at, 20)); break;
        }
    }
    return text;
}

double peak_megabytes() {
    QFile status("/proc/self/status");
    if (!status.open(QIODevice::ReadOnly)) return 0;
    for (const QByteArray& line : status.readAll().split('\n')) {
        if (line.startsWith("VmHWM:")) return line.mid(6).trimmed().split(' ').front().toDouble() / 1000;
    }
    return 0;
}

} // namespace

class ReaderFuzzTest : public QObject {
    Q_OBJECT
  private slots:
    void ply() {
        Folder folder;
        std::mt19937 random(1);
        const std::string path = "f.ply";
        int read = 0;
        for (PlyForm form : {PlyForm::ascii, PlyForm::little_endian, PlyForm::big_endian}) {
            QVERIFY(write_ply(folder / "a.ply", tetrahedron(), form, Existing::replace));
            const std::string good = folder.read("a.ply");
            for (int round = 0; round < 4000; ++round) {
                const std::string bad = damaged(good, random);
                const auto pose = parse_ply(bad.data(), bad.size(), path);
                if (!pose) {
                    QVERIFY(!pose.error().message.empty());
                    continue;
                }
                ++read;
                for (auto c : (*pose)->faces->corners) QVERIFY(c < (*pose)->points.size());
                point_normals((*pose)->points, *(*pose)->faces);
            }
        }
        QVERIFY(read > 100); // some damage is harmless, so the reader was really reached
    }
    void obj() {
        std::mt19937 random(2);
        const std::string path = "f.obj",
                          good = "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvn 0 0 1\nf 1/1/1 2/1/1 3/1/1\nf -1 -2 -3\n";
        int read = 0;
        for (int round = 0; round < 12000; ++round) {
            const std::string bad = damaged(good, random);
            const auto pose = parse_obj(bad.data(), bad.size(), path);
            if (!pose) continue;
            ++read;
            for (auto c : (*pose)->faces->corners) QVERIFY(c < (*pose)->points.size());
        }
        QVERIFY(read > 100);
    }
    void npy() {
        Folder folder;
        auto out = NpyWriter::create(folder / "a.npy", 2, 3, NpyType::f32, Existing::refuse);
        for (int i = 0; i < 2; ++i) out->add(std::vector<V3f>(3, V3f(1)));
        QVERIFY(out->commit());
        const std::string good = folder.read("a.npy");
        std::mt19937 random(3);
        int read = 0;
        for (int round = 0; round < 12000; ++round) {
            const std::string bad = damaged(good, random);
            const auto header = parse_npy_header(bad, bad.size(), "f.npy");
            if (!header) continue;
            QVERIFY(header->data_offset + header->shape[0] * header->bytes_per_frame() <= bad.size());
            if (++read > 40) continue;
            folder.write("b.npy", bad);
            for (std::uint64_t f = 0; f < header->shape[0]; ++f) QVERIFY(NpyFile::open(folder / "b.npy")->vectors(f));
        }
        QVERIFY(read > 40);
    }
    void project() {
        Project p;
        add_source(p, "a", "a.ply", {0, 9, {24, 1}});
        Spread s;
        s.id = SpreadId(p.next_id++);
        p.arrangements[0].spreads = {s};
        p.arrangements[0].by_hand.nudges = {{CopyId(0), 1}};
        // Everything an arrangement can say.
        Arrangement& a = p.arrangements[0];
        a.layout.path.points = {V3d(0), V3d(1, 0, 0)};
        a.attitude.targets = {{OutputFrame(1), V3d(0)}};
        a.stretch.width = a.stretch.height = {{0, 1, Toward::linear}, {1, 2, Toward::smooth}};
        a.jitter.turn = 3, a.order.by = OrderBy::x, a.begins.passes = 2, a.by_hand.amount = {{1, 1, Toward::linear}};
        a.choice.variants = {{a.source, 2}};
        a.hidden_copies = {CopyId(0)};
        a.spreads[0].strength.keys = a.spreads[0].curve = {{0, 0, Toward::linear}, {1, 1, Toward::linear}};
        a.spreads[0].by.noise.drift = V3d(1, 0, 0), a.spreads[0].by.carrier.attribute = "mass";
        Arrangement out;
        out.id = ArrangementId(p.next_id++), out.source = a.source, out.timing = a.timing;
        out.single_out = SingleOut{a.id, {CopyId(0)}, {}};
        p.arrangements.push_back(out);
        const std::string good = project_text(p);
        std::mt19937 random(4);
        int read = 0;
        for (int round = 0; round < 4000; ++round) {
            const auto back = parse_project(damaged(good, random), "f.garland");
            if (!back) continue;
            ++read;
            QVERIFY(validate(*back).has_value());
            QVERIFY(parse_project(project_text(*back), "g.garland").has_value());
        }
        QVERIFY(read > 50);
    }
    void manifests_journals_and_job_files() {
        Folder folder;
        HandoffManifest m;
        m.order = {"posed-copies", ".ply", folder.path(), "copies", {{1, 3}, 1}};
        m.key = {"a", "b", "c"};
        folder.write("copies.0001.ply", "lantern");
        m.files = {*described(folder.path(), "copies.0001.ply", 1)};
        QVERIFY(write_manifest(m));
        HandoffJob job{folder / "p.garland", m.order, 12};
        QVERIFY(write_job(job, Existing::refuse));
        auto journal = HandoffJournal::open(m.order, m.key, false);
        QVERIFY(journal && journal->begin() && journal->add(m.files[0]));
        const std::string manifest = folder.read("copies.ply.handoff.json"), jobs = folder.read("copies.ply.job.json"),
                          lines = folder.read("copies.ply.handoff.journal");
        QVERIFY(manifest == "(not there)"); // a journal stands again, so the manifest went
        QVERIFY(write_manifest(m));
        const std::string good = folder.read("copies.ply.handoff.json");
        std::mt19937 random(6);
        int read = 0;
        for (int round = 0; round < 4000; ++round) {
            folder.write("f.handoff.json", damaged(good, random));
            const auto back = read_manifest(folder / "f.handoff.json");
            if (back) ++read, static_cast<void>(verify_handoff(folder / "f.handoff.json"));
            folder.write("f.job.json", damaged(jobs, random));
            const auto again = read_job(folder / "f.job.json");
            if (again) ++read, static_cast<void>(state_of(*again));
            folder.write("copies.ply.handoff.journal", damaged(lines, random));
            const auto files = journalled(m.order, m.key);
            if (!files) QVERIFY(!files.error().message.empty());
        }
        QVERIFY(read > 50);
    }
    // Files of the newer readers, each damaged in many ways and read to its end.
    void files_of_every_kind() {
        Folder folder;
        QVERIFY(write_glb(folder / "a.glb", pinwheel(), Existing::refuse));
        QVERIFY(write_usda(folder / "a.usda", pinwheel(), {24, 1}, Existing::refuse));
        folder.write("b.usda", moving_mesh_text);
        folder.write("p.csv", "id,x,y,z,vx,vy,vz,age\n1,0,0,0,1,0,0,0.5\n2,1,1,1,0,0,0,0.25\n");
        QVERIFY(write_ply(folder / "q.ply", *drift_petals(60), PlyForm::little_endian, Existing::refuse));
        folder.write(
            "j.obj",
            "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 5 0 0\nv 6 0 0\nv 5 1 0\no lid\nusemtl clay\nf 1 2 3\ng foot\nf 4 5 6\n");
        std::mt19937 random(6);
        struct Kind {
            const char* file;
            int rounds;
        };
        for (const char* name : {"fractional", "turns", "skeleton", "instancer", "primvars"})
            QVERIFY(QFile::copy(QString("%1/usdc/%2").arg(GARLAND_CORPUS, name),
                                QString::fromStdString(folder / name) + ".usdc"));
        QVERIFY(
            QFile::copy(QString(GARLAND_CORPUS) + "/usdz/lantern", QString::fromStdString(folder / "lantern.usdz")));
        QVERIFY(
            QFile::copy(QString(GARLAND_CORPUS) + "/usda/classes", QString::fromStdString(folder / "classes.usda")));
        QVERIFY(
            QFile::copy(QString(GARLAND_USD_FILES) + "/lantern.usda", QString::fromStdString(folder / "lantern.usda")));
        QVERIFY(
            QFile::copy(QString(GARLAND_CORPUS) + "/usda/variants", QString::fromStdString(folder / "variants.usda")));
        for (const Kind& kind :
             {Kind{"fractional.usdc", 2500}, Kind{"turns.usdc", 1500}, Kind{"skeleton.usdc", 1500},
              Kind{"instancer.usdc", 1500}, Kind{"primvars.usdc", 1500}, Kind{"lantern.usdz", 1500},
              Kind{"classes.usda", 1500}, Kind{"variants.usda", 500}, Kind{"a.glb", 700}, Kind{"a.usda", 500},
              Kind{"b.usda", 2500}, Kind{"p.csv", 1500}, Kind{"q.ply", 600}, Kind{"j.obj", 1500}}) {
            const std::string good = folder.read(kind.file), name = std::string("broken") + extension(kind.file);
            int read = 0;
            for (int round = 0; round < kind.rounds; ++round) {
                folder.write(name, damaged(good, random));
                const auto source = open_source(folder / name);
                if (!source) {
                    QVERIFY(!source.error().message.empty());
                    continue;
                }
                const SourceFacts& f = (*source)->facts();
                for (std::int64_t frame : {f.first, (f.first + f.last) / 2, f.last}) {
                    const auto pose = (*source)->any_time() ? (*source)->exact_at(static_cast<double>(frame) + 0.25,
                                                                                  SubFrame::smooth, Progress::none())
                                                            : (*source)->read(frame, Progress::none());
                    if (!pose) continue;
                    ++read;
                    for (auto c : (*pose)->faces->corners) QVERIFY(c < (*pose)->points.size());
                }
            }
            QVERIFY2(read > 20, kind.file); // some damage is harmless, so the reader was really reached
        }
    }
    // The library that reads volumes believes what a file says: here every claim is held against the file first, so
    // memory stays within what a file of some kilobytes can fill.
    void volumes() {
        Folder folder;
        DenseGrid d{"density", 8, 8, 8, 0.5, V3d(0), true}, v{"velocity", 8, 8, 8, 0.5, V3d(0)};
        for (int i = 0; i < 512; ++i) d.values.push_back(0.01f * static_cast<float>(i));
        v.vectors.assign(512, V3f(1, 0, 0));
        QVERIFY(write_volume(folder / "good.vdb", *volume_from({d, v}), Existing::refuse));
        const std::string good = folder.read("good.vdb");
        std::mt19937 random(8);
        int read = 0, refused = 0;
        const double before = peak_megabytes();
        for (int round = 0; round < 1200; ++round) {
            std::string bad = good;
            const bool in_head = round % 2; // most of what is claimed is claimed there
            for (int w = 0; w <= round % 3; ++w) {
                const auto at = std::uniform_int_distribution<std::size_t>(
                    0, (in_head ? std::min<std::size_t>(bad.size(), 1500) : bad.size()) - 1)(random);
                if (random() % 3 == 0) {
                    bad.replace(at, std::min<std::size_t>(4, bad.size() - at),
                                std::string(std::min<std::size_t>(4, bad.size() - at),
                                            static_cast<char>(random() % 2 ? 0xff : 0x7f)));
                } else {
                    bad[at] = static_cast<char>(random());
                }
            }
            if (round % 7 == 0) bad.resize(bad.size() * (random() % 100) / 100);
            folder.write("bad.vdb", bad);
            const auto volume = read_volume(folder / "bad.vdb");
            ++(volume ? read : refused);
        }
        QVERIFY2(read > 20 && refused > 300, qPrintable(QString("%1 read, %2 refused").arg(read).arg(refused)));
        QVERIFY2(peak_megabytes() - before < 300, qPrintable(QString("%1 MB more").arg(peak_megabytes() - before)));
    }
    void arrays_of_ids() {
        Folder folder;
        auto out = NpyWriter::create_wholes(folder / "good.npy", 3, 4, Existing::refuse);
        for (int f = 0; f < 3; ++f) out->add(std::vector<std::int64_t>{1, 2, 3, 4});
        QVERIFY(out->commit());
        const std::string good = folder.read("good.npy");
        std::mt19937 random(7);
        for (int round = 0; round < 3000; ++round) {
            folder.write("b.npy", damaged(good, random));
            const auto file = NpyFile::open(folder / "b.npy");
            if (!file) continue;
            const auto& shape = file->header().shape;
            QVERIFY(shape[0] * file->header().bytes_per_frame() <= file->size());
            if (shape.size() == 2 && file->header().whole()) QVERIFY(file->wholes(shape[0] - 1));
        }
    }
    void table() {
        Folder folder;
        const std::string good =
            TimingTable::header() + "1,1,c01,\"a, b\",s,0.5,1,1,0,,,,\n1,2,c02,a,s,3,1,0,-4,0.5,3,,2.25\n";
        std::mt19937 random(5);
        for (int round = 0; round < 300; ++round) {
            folder.write("t.csv", damaged(good, random));
            const auto rows = read_timing_table(folder / "t.csv");
            QVERIFY(!rows || rows->size() < 10);
        }
    }
};
GARLAND_TEST_CASE(ReaderFuzzTest)
#include "reader_fuzz_test.moc"
