#include "support/case.h"

#include "core/base/chance.h"
#include "core/base/numbers.h"

#include <boost/math/distributions/chi_squared.hpp>
#include <set>
#include <xxhash.h>

using namespace garland;

class ChanceTest : public QObject {
    Q_OBJECT
  private slots:
    // Published in the xxHash documentation (Collet): XXH64 with seed 0 of "" and "abc" (values from memory).
    void hash_has_its_published_values() {
        QCOMPARE(XXH64("", 0, 0), Q_UINT64_C(0xef46db3751d8e999));
        QCOMPARE(XXH64("abc", 3, 0), Q_UINT64_C(0x44bc2cf5ad770999));
    }
    void bits_are_the_hash_of_rule_and_copy() {
        const unsigned char bytes[16] = {2, 1, 0, 0, 0, 0, 0, 0, 7, 0, 0, 0, 0, 0, 0, 0x80};
        QCOMPARE(chance_bits(99, 0x102, Q_UINT64_C(0x8000000000000007)), XXH64(bytes, 16, 99));
    }
    void is_uniform() { // chi-square over 100 cells, 0.1 % level, quantile from Boost.Math
        constexpr int cells = 100, draws = 100000;
        std::vector<int> count(cells);
        for (int i = 0; i < draws; ++i) {
            const double u = chance(5, 3, static_cast<std::uint64_t>(i));
            QVERIFY(u >= 0 && u < 1);
            ++count[static_cast<std::size_t>(u * cells)];
        }
        double chi = 0;
        for (int n : count) chi += (n - draws / cells) * (n - draws / cells) / static_cast<double>(draws / cells);
        QVERIFY(chi < quantile(boost::math::chi_squared(cells - 1), 0.999));
        QVERIFY(chi > quantile(boost::math::chi_squared(cells - 1), 0.001)); // not too even either
    }
    void neighbours_are_unrelated() {
        double sum = 0;
        constexpr int n = 20000;
        for (int i = 0; i < n; ++i) {
            sum += (chance(1, 1, static_cast<std::uint64_t>(i)) - 0.5) *
                   (chance(1, 1, static_cast<std::uint64_t>(i + 1)) - 0.5);
        }
        QVERIFY(std::abs(sum / n * 12) < 4 / std::sqrt(n)); // correlation within four standard errors
    }

    void numbers_are_written_plainly() {
        QCOMPARE(short_number(12), "12");
        QCOMPARE(short_number(0.5), "0.5");
        QCOMPARE(short_number(-0.0001), "0");
        QCOMPARE(short_number(125.25), "125.25");
        QCOMPARE(true_minus("-3.25"), "\u22123.25");
        QCOMPARE(true_minus("there-and-back, frame -3 (-4) to 5-6"), "there-and-back, frame \u22123 (\u22124) to 5-6");
        QCOMPARE(exact_number(0.1), "0.1");
        QCOMPARE(byte_count(3.1e9), "3.1 GB");
        QCOMPARE(byte_count(12), "12 bytes");
        QCOMPARE(counted(1, "copy", "copies"), "1 copy");
        QCOMPARE(counted(4500, "copy", "copies"), "4500 copies");
        QCOMPARE(counted(10074, "copy", "copies"), "10\u00a0074 copies");
        QCOMPARE(grouped(100000), "100\u00a0000");
        QCOMPARE(grouped(-1234567), "-1\u00a0234\u00a0567");
        QVERIFY(!parse_number("12,5"));
        QVERIFY(!parse_number("nan"));
        QVERIFY(!parse_number("1e999"));
        QVERIFY(!parse_number(""));
        QCOMPARE(*parse_number("+2.5e1"), 25.0);
    }
};
GARLAND_TEST_CASE(ChanceTest)
#include "chance_test.moc"
