#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/npy/npy.h"

using namespace garland;
using namespace garland::testing;

namespace {
std::string header(const std::string& dict, int version = 1) {
    std::string text = dict + "\n";
    std::string out("\x93NUMPY", 6);
    out += static_cast<char>(version);
    out += '\0';
    out += static_cast<char>(text.size() & 0xff);
    out += static_cast<char>(text.size() >> 8);
    if (version > 1) out += std::string(2, '\0');
    return out + text;
}
const std::string good = "{'descr': '<f4', 'fortran_order': False, 'shape': (2, 1, 3), }";
} // namespace

class NpyTest : public QObject {
    Q_OBJECT
  private slots:
    void every_width_reads_back() {
        Folder folder;
        const std::vector<std::vector<V3f>> frames{{{0, 1, 2}, {0.5f, -0.25f, 1024}}, {{3, 4, 5}, {-1, -2, -3}}};
        for (NpyType type : {NpyType::f16, NpyType::f32, NpyType::f64}) {
            auto out = NpyWriter::create(folder / "a.npy", 2, 2, type, Existing::replace);
            QVERIFY(out);
            for (const auto& f : frames) out->add(f);
            QVERIFY(out->commit());
            const auto head = read_npy_header(folder / "a.npy");
            QVERIFY(head);
            QCOMPARE(head->data_offset % 64, std::uint64_t(0)); // as NumPy aligns it
            for (std::uint64_t f = 0; f < 2; ++f) QVERIFY(*NpyFile::open(folder / "a.npy")->vectors(f) == frames[f]);
        }
    }
    void big_endian_and_newer_headers() { // bytes laid out by hand from the format's description
        Folder folder;
        const std::string data("\x3f\x80\x00\x00\x40\x00\x00\x00\x40\x40\x00\x00", 12); // 1, 2, 3
        folder.write("a.npy", header("{'descr': '>f4', 'fortran_order': False, 'shape': (1, 1, 3), }", 2) + data);
        const auto head = read_npy_header(folder / "a.npy");
        QVERIFY2(head, head ? "" : qPrintable(said(head.error())));
        QCOMPARE((*NpyFile::open(folder / "a.npy")->vectors(0))[0], V3f(1, 2, 3));
    }
    void bad_headers_data() {
        QTest::addColumn<QByteArray>("text");
        QTest::addColumn<QString>("says");
        auto row = [](const char* name, const std::string& dict, const char* says) {
            QTest::newRow(name) << QByteArray::fromStdString(header(dict) + std::string(24, '\0')) << says;
        };
        QTest::newRow("other file") << QByteArray("PK hello there") << "this is not a NumPy array";
        row("pickle", "{'descr': '|O', 'fortran_order': False, 'shape': (2, 1, 3), }", "of type");
        row("integers", "{'descr': '<i4', 'fortran_order': False, 'shape': (2, 1, 3), }", "numbers are whole");
        row("fortran", "{'descr': '<f4', 'fortran_order': True, 'shape': (2, 1, 3), }", "column by column");
        row("two axes", "{'descr': '<f4', 'fortran_order': False, 'shape': (2, 3), }", "its shape is (2, 3)");
        row("empty", "{'descr': '<f4', 'fortran_order': False, 'shape': (0, 1, 3), }", "the array is empty");
        row("lies", "{'descr': '<f4', 'fortran_order': False, 'shape': (4000000000, 1000000000, 3), }",
            "claims 4000000000 frames");
        row("overflow", "{'descr': '<f4', 'fortran_order': False, 'shape': (99999999999999999999999, 1, 3), }",
            "beyond any file");
        row("no shape", "{'descr': '<f4', 'fortran_order': False, }", "the shape is missing");
        QTest::newRow("cut header") << QByteArray::fromStdString(header(good).substr(0, 30)) << "cut short";
        QTest::newRow("cut data") << QByteArray::fromStdString(header(good) + std::string(20, '\0'))
                                  << "claims 2 frames of 1 point, but the file has room for 1";
    }
    void bad_headers() {
        QFETCH(QByteArray, text);
        QFETCH(QString, says);
        Folder folder;
        folder.write("a.npy", text.toStdString());
        const auto head = read_npy_header(folder / "a.npy");
        QVERIFY(!head);
        QVERIFY2(said(head.error()).contains(says), qPrintable(said(head.error())));
    }
};
GARLAND_TEST_CASE(NpyTest)
#include "npy_test.moc"
