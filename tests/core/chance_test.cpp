#include "support/case.h"

#include "core/base/chance.h"
#include "core/base/numbers.h"
#include "core/base/put_number.h"

#include <boost/math/distributions/chi_squared.hpp>
#include <charconv>
#include <cstring>
#include <fmt/format.h>
#include <random>
#include <set>
#include <xxhash.h>

using namespace garland;

namespace {

// The digits are those of the standard library's own algorithm (U. Adams, "Ryū", 2018), not of the one they are
// made by; the form is what the format library writes.
template <class Real, class Bits>
bool written_as_shortest(Bits bits) {
    Real value;
    std::memcpy(&value, &bits, sizeof value);
    char text[longest_number];
    const char* end = put_number(text, value);
    const std::string_view ours(text, static_cast<std::size_t>(end - text));
    if (ours.size() > longest_number || ours != fmt::format("{}", value)) return false;
    if (!std::isfinite(value)) return true;
    Real back{};
    const auto read = std::from_chars(text, end, back);
    if (read.ptr != end || std::memcmp(&back, &value, sizeof back) != 0) return false;
    char other[64];
    const auto shortest = std::to_chars(other, other + 64, value, std::chars_format::scientific);
    auto digits = [](std::string_view t) { // without what shifts them
        std::string out;
        for (const char c : t.substr(0, t.find('e'))) {
            if (c >= '0' && c <= '9' && !(out.empty() && c == '0')) out += c;
        }
        while (!out.empty() && out.back() == '0') out.pop_back();
        return out;
    };
    return digits(ours) == digits({other, static_cast<std::size_t>(shortest.ptr - other)});
}

} // namespace

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

    void numbers_are_written_as_their_shortest_text() {
        for (std::uint64_t bits = 0; bits <= 0xffffffffu; bits += 10007)
            QVERIFY2(written_as_shortest<float>(static_cast<std::uint32_t>(bits)), std::to_string(bits).c_str());
        std::mt19937_64 some(5);
        for (int i = 0; i < 200'000; ++i) {
            const std::uint64_t bits = some();
            QVERIFY2(written_as_shortest<double>(bits), std::to_string(bits).c_str());
            const auto near_one = static_cast<double>(static_cast<std::int64_t>(bits) >> (i % 60)) * 1e-5;
            std::uint64_t near_bits;
            std::memcpy(&near_bits, &near_one, 8);
            QVERIFY2(written_as_shortest<double>(near_bits), exact_number(near_one).c_str());
        }
        for (const float v : {0.0f, -0.0f, 1e-4f, 9.99e-5f, 1e15f, 1e16f, 1e17f, 100.0f, 16777216.0f, 0.1f, -5e-45f}) {
            std::uint32_t bits;
            std::memcpy(&bits, &v, 4);
            QVERIFY2(written_as_shortest<float>(bits), fmt::format("{}", v).c_str());
        }
    }
    void texts_of_many_items_stay_in_order() {
        for (const std::size_t count : {0u, 1u, 4096u, 4097u, 250'001u}) {
            std::string all, expected;
            put_texts(
                count,
                [](TextEnd& out, std::size_t i) {
                    char* to = out.room(2 * longest_number + i % 40'000); // now and then far more than is used
                    to = put_number(to, static_cast<std::int64_t>(i) - 7);
                    *to++ = ' ';
                    out.ends_at(put_number(to, static_cast<float>(i) * 0.25f));
                },
                [&](std::string_view text) { all += text; });
            for (std::size_t i = 0; i < count; ++i)
                expected += fmt::format("{} {}", static_cast<std::int64_t>(i) - 7, static_cast<float>(i) * 0.25f);
            QVERIFY(all == expected);
        }
    }
};
GARLAND_TEST_CASE(ChanceTest)
#include "chance_test.moc"
