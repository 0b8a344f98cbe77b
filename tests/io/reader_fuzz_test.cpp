// Every reader against broken input: valid files with seeded damage, a fixed number of rounds. A reader may refuse, but
// it must not crash, hang or take memory beyond its file; sanitizer builds run the same rounds.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/npy.h"
#include "io/obj.h"
#include "io/ply.h"
#include "io/project_file.h"
#include "io/timing_table.h"

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
        p.arrangements[0].nudges = {{CopyId(0), 1}};
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
    void table() {
        Folder folder;
        const std::string good = table_header() + "1,1,c01,\"a, b\",s,0.5,1,1,0\n1,2,c02,a,s,3,1,0,-4\n";
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
