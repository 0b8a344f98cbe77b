#include "support/case.h"

#include "core/source/source_clock.h"
#include "core/time/rate.h"

using namespace garland;

class RateTest : public QObject {
    Q_OBJECT
  private slots:
    void frames_start_exactly() { // 25 a second: 0.04, 0.08, 0.12, 0.16 (common practice, no source)
        const Rate pal{25, 1};
        QCOMPARE(pal.start_of(1).value, 0.04);
        QCOMPARE(pal.start_of(2).value, 0.08);
        QCOMPARE(pal.start_of(3).value, 0.12);
        QCOMPARE(pal.start_of(4).value, 0.16);
        QCOMPARE(pal.start_of(90000).value, 3600.0); // no drift after an hour
        QCOMPARE((Rate{24000, 1001}).start_of(24000).value, 1001.0);
    }
    void reads_what_people_write() {
        QCOMPARE(*parse_rate("24"), (Rate{24, 1}));
        QCOMPARE(*parse_rate("24000/1001"), (Rate{24000, 1001}));
        // The rounded names of SMPTE ST 12-1's rates (common practice, no source).
        QCOMPARE(*parse_rate("23.976"), (Rate{24000, 1001}));
        QCOMPARE(*parse_rate("23.98"), (Rate{24000, 1001}));
        QCOMPARE(*parse_rate("29.97"), (Rate{30000, 1001}));
        QCOMPARE(*parse_rate("59.94"), (Rate{60000, 1001}));
        QCOMPARE(*parse_rate("12.5"), (Rate{25, 2}));
        QCOMPARE(to_text(*parse_rate("48/2")), "24");
        for (const char* bad : {"", "0", "-24", "24/0", "a", "24,5", "1e9", "24/1.5", "0.0001"}) {
            QVERIFY2(!parse_rate(bad), bad);
        }
    }
    void joins_by_clock_or_frame_for_frame() {
        const SourceClock clock = make_clock(0, 50, 0, {25, 1}, Join::by_clock, {24, 1});
        QCOMPARE(clock.file_frame(SourceFrame(24)), 25.0); // a second is a second
        QCOMPARE(clock.last().value, 48.0);
        const SourceClock plain = make_clock(0, 50, 101, {25, 1}, Join::frame_for_frame, {24, 1});
        QCOMPARE(plain.file_frame(SourceFrame(111)), 10.0);
        QCOMPARE(plain.last().value, 151.0);
        QCOMPARE(plain.file_frame(SourceFrame(1e6)), 50.0); // held inside the files
    }
};
GARLAND_TEST_CASE(RateTest)
#include "rate_test.moc"
