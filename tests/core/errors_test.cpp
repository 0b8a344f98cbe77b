// The four parts of an error: what, where, what is unchanged, what to try.
#include "support/case.h"

#include "core/base/measure.h"
#include "core/base/result.h"

#include <Imath/ImathVec.h>
#include <cmath>

using namespace garland;

class ErrorsTest : public QObject {
    Q_OBJECT
  private slots:
    void all_parts_are_said() {
        Error error{ErrorCode::malformed, "the second face has two corners"};
        error.path = "/canal/lantern.0007.ply";
        error.frame = 7, error.line = 12;
        error.kept = "the project as it is", error.advice = "write this frame again";
        QCOMPARE(
            describe(error),
            std::string("/canal/lantern.0007.ply, frame 7, line 12: the second face has two corners. Unchanged: the "
                        "project as it is. Try: write this frame again."));
        error.kept = "nothing was written";
        QVERIFY(describe(error).find(". Nothing was written.") != std::string::npos);
    }
    void every_trouble_with_a_file_says_what_to_try() {
        using enum ErrorCode;
        for (const ErrorCode code :
             {not_found, unreadable, malformed, too_large, unsupported, exists, disk_full, newer_version, changed}) {
            const Error bare{code, "it cannot be read", "/canal/boat.usdc"};
            QVERIFY2(describe(bare).find(" Try: ") != std::string::npos, name_of(code));
            Error own = bare;
            own.advice = "turn it around";
            QCOMPARE(advice_of(own), std::string("turn it around")); // its own words go first
            const Error elsewhere{code, "there is no copy 7"};       // not about a file: no advice about files
            QVERIFY2(describe(elsewhere).find(" Try: ") == std::string::npos, name_of(code));
        }
    }
    void numbers_out_of_range_are_named_with_their_range() {
        auto words = [](const Measure& m) { return describe(within({m}).error()); };
        QVERIFY(within({{"the spacing", 0.5, 0, 10, "m"}, {"the heading", -90, -360, 360, "°"}}));
        QCOMPARE(words({"the spacing", 12, 0, 10, "m"}),
                 std::string("the spacing is 12 m. Try: give a number from 0 to 10 m."));
        QCOMPARE(words({"the spacing", std::nan(""), -1e9, 1e9, "m"}),
                 std::string("the spacing is not a number. Try: give a number from −1\u00a0000\u00a0000\u00a0000 to "
                             "1\u00a0000\u00a0000\u00a0000 m."));
        QCOMPARE(words({"the size", -0.25, 0, 4}), std::string("the size is −0.25. Try: give a number from 0 to 4."));
        const auto wrong =
            within(joined({{{"the spacing", 1, 0, 10, "m"}}, parts("the place", Imath::V3d(0, INFINITY, 0))}));
        QVERIFY(wrong.error().message.find("the place in y") == 0); // the one that is wrong, not the first
    }
};
GARLAND_TEST_CASE(ErrorsTest)
#include "errors_test.moc"
