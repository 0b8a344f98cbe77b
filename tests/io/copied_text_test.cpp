// What is copied as text and comes back, here and from other programs' cells.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"
#include "support/patience.h"
#include "support/python.h"

#include "core/project/edits.h"
#include "io/tables/copied_text.h"

using namespace garland;
using namespace garland::testing;

class CopiedTextTest : public QObject {
    Q_OBJECT
  private slots:
    void keys_come_back_with_everything() {
        std::vector<Key> keys{{OutputFrame(0), SourceFrame(3)},
                              {OutputFrame(1.1), SourceFrame(1.0 / 3)},
                              {OutputFrame(9), SourceFrame(-2)}};
        keys[0].toward = Toward::free, keys[0].leave = 0.25, keys[1].arrive = -1.5;
        keys[1].toward = Toward::smooth;
        for (const KeyValue value : {KeyValue::source_frame, KeyValue::speed, KeyValue::per_cent}) {
            const auto back = keys_from_text(keys_as_text(keys, value));
            QVERIFY(back);
            QVERIFY(back->value == value);
            QVERIFY(back->keys == keys);
        }
    }
    void cells_of_a_spreadsheet_are_keys() {
        for (const char* cells : {"10\t1\n20\t5.5\n", "10;1\r\n20;5.5\r\n", "10,1\n\n20,5.5",
                                  "\xEF\xBB\xBF"
                                  "10\t1\n20\t5.5"}) {
            const auto keys = keys_from_text(cells);
            QVERIFY2(keys, cells);
            QVERIFY(!keys->value);
            QCOMPARE(keys->keys.size(), std::size_t(2));
            QCOMPARE(keys->keys[1].at.value, 10.0); // the first one is at 0
            QCOMPARE(keys->keys[1].source.value, 5.5);
            QVERIFY(keys->keys[0].toward == Toward::linear);
        }
        const std::pair<const char*, const char*> bad[] = {
            {"", "no keys"},          {"a lantern", "cells"},         {"1\tx", "\"x\" is no number"},
            {"2\t1\n1\t1", "line 2"}, {"1\t1\tsideways", "sideways"}, {"1\t2\tstep\t0\t0\t0", "6 cells"}};
        for (const auto& [text, words] : bad) {
            const auto keys = keys_from_text(text);
            QVERIFY2(!keys && said(keys.error()).contains(words), keys ? text : qPrintable(said(keys.error())));
        }
    }
    // As many rows as are taken, as NumPy's savetxt writes them, and one more.
    void a_million_rows_of_another_writer() {
        GARLAND_NEEDS_PYTHON("numpy");
        Folder folder;
        for (const int rows : {1'000'000, 1'000'001}) {
            QProcess python;
            python.start(
                "/usr/bin/python3",
                {"-c",
                 "import sys, numpy as np; n = int(sys.argv[2]); i = np.arange(n); "
                 "np.savetxt(sys.argv[1], np.stack([i + 0.5, i * 0.125], axis=1), fmt='%.17g', delimiter='\\t')",
                 QString::fromStdString(folder / "keys.txt"), QString::number(rows)});
            QVERIFY(python.waitForFinished(patience * 120000) && python.exitCode() == 0);
            const auto keys = keys_from_text(folder.read("keys.txt"));
            if (rows > 1'000'000) {
                QVERIFY(!keys);
                QCOMPARE(keys.error().code, ErrorCode::too_large);
                continue;
            }
            QVERIFY(keys);
            QCOMPARE(keys->keys.size(), std::size_t(rows));
            std::size_t wrong = 0;
            for (std::size_t i = 0; i < keys->keys.size(); ++i)
                wrong += keys->keys[i].at.value != static_cast<double>(i) ||
                         keys->keys[i].source.value != static_cast<double>(i) * 0.125;
            QCOMPARE(wrong, std::size_t(0));
        }
    }
    void parts_go_from_project_to_project() {
        Project from, to;
        add_source(from, "lantern", "l.ply", {0, 47, {24, 1}});
        add_source(to, "boat", "b.ply", {0, 95, {24, 1}});
        Zone zone;
        zone.id = ZoneId(from.next_id++);
        zone.name = "Glow";
        from.zones.push_back(zone);
        Arrangement& a = from.arrangements[0];
        a.layout.kind = ArrangementKind::grid;
        a.layout.columns = 4, a.layout.rows = 5;
        for (const Driver d : {Driver::noise, Driver::zone}) {
            Spread s;
            s.id = SpreadId(from.next_id++);
            s.by.kind = d;
            if (d == Driver::zone) s.by.level.zones = {ZoneId(9999)};
            a.spreads.push_back(s);
        }
        a.by_hand.nudges = {{CopyId(1), 3}};
        to.arrangements[0].by_hand.nudges = {{CopyId(0), 7}};
        const Arrangement before = to.arrangements[0];

        const auto variation = part_from_text(variation_as_text(a));
        QVERIFY(variation && variation->variation_only);
        Project varied = to;
        const auto said_so = put_part(varied, *variation, before.id);
        QVERIFY(said_so);
        QVERIFY2(said_so->find("1 spread was left out") != said_so->npos, said_so->c_str());
        QCOMPARE(varied.arrangements[0].spreads.size(), std::size_t(1));
        QVERIFY(varied.arrangements[0].layout.kind == before.layout.kind);
        QVERIFY(validate(varied));

        const auto whole = part_from_text(arrangement_as_text(a));
        QVERIFY(whole && !whole->variation_only);
        Project arranged = to;
        QVERIFY(put_part(arranged, *whole, before.id));
        const Arrangement& now = arranged.arrangements[0];
        QVERIFY(now.layout.kind == ArrangementKind::grid && now.layout.columns == 4 && now.layout.rows == 5);
        QVERIFY(now.source == before.source && now.timing == before.timing && now.name == before.name &&
                now.id == before.id);
        QVERIFY(now.by_hand.nudges == before.by_hand.nudges);
        QVERIFY(validate(arranged));

        const auto zones = part_from_text(zones_as_text(from.zones));
        QVERIFY(zones);
        QVERIFY(put_part(arranged, *zones, {}));
        QCOMPARE(arranged.zones.size(), std::size_t(1));
        QCOMPARE(arranged.zones[0].name, std::string("Glow"));
        QVERIFY(validate(arranged));

        QVERIFY(!put_part(to, *whole, ArrangementId(4711)));
        for (const char* bad :
             {"", "{}", "[1]", "lantern", "{\"garland_part\": 1}", "{\"garland_part\": 1, \"zones\": [4]}"})
            QVERIFY2(!part_from_text(bad), bad);
        QCOMPARE(part_from_text("{\"garland_part\": 9}").error().code, ErrorCode::newer_version);
    }
};

GARLAND_TEST_CASE(CopiedTextTest)
#include "copied_text_test.moc"
