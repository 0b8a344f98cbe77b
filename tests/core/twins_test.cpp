#include "support/case.h"
#include "support/notation.h"

#include "core/copies/twins.h"
#include "support/patience.h"

#include <random>
#include <set>

using namespace garland;
using namespace garland::testing;

namespace {
const SourceClock source = clock_of_frames(0, 47);

// The definition, word for word, over every pair: which copies have at least one twin.
std::set<std::uint32_t> by_definition(const TimingPlan& plan, const std::vector<CopyClock>& copies, FrameRange range,
                                      const TwinRule& rule) {
    std::set<std::uint32_t> twins;
    for (std::uint32_t i = 0; i < copies.size(); ++i) {
        for (std::uint32_t j = i + 1; j < copies.size(); ++j) {
            int alike = 0;
            for (auto f = range.first; f <= range.last; ++f) {
                const auto a = trace_copy(plan, source, copies[i], OutputFrame(static_cast<double>(f))).moment;
                const auto b = trace_copy(plan, source, copies[j], OutputFrame(static_cast<double>(f))).moment;
                if (a.has(mark_absent) || b.has(mark_absent)) continue;
                double d = std::abs(a.source - b.source);
                if (rule.period > 0) d = std::min(std::fmod(d, rule.period), rule.period - std::fmod(d, rule.period));
                alike += d < rule.alike_below;
            }
            if (alike > rule.share * static_cast<double>(range.count())) twins.insert({i, j});
        }
    }
    return twins;
}
std::set<std::uint32_t> found(const TwinReport& report) {
    std::set<std::uint32_t> all;
    for (const auto& g : report.groups) all.insert(g.copies.begin(), g.copies.end());
    return all;
}
} // namespace

class TwinsTest : public QObject {
    Q_OBJECT
  private slots:
    void copies_in_step_are_twins() {
        const TimingPlan plan(timing_of("1:0 48:47", OutsideMode::hold, OutsideMode::repeat));
        const std::vector<CopyClock> copies{{0, 1}, {10, 1}, {0.25, 1}, {48, 1}, {30, 1}};
        const auto report = find_twins(plan, source, copies, {1, 240}, {});
        QVERIFY(report);
        // 0 and 2 differ by a quarter frame. 3 comes a whole period later: in step with 0 once it has started.
        QCOMPARE(report->groups.size(), std::size_t(1));
        QCOMPARE(report->groups[0].copies, (std::vector<std::uint32_t>{0, 2, 3}));
        QVERIFY(report->groups[0].share > 0.9);
    }
    void agrees_with_the_definition() {
        std::mt19937 random(9);
        for (int round = 0; round < 30; ++round) {
            Timing t = timing_of("1:0 20:19 30:19 58:47", OutsideMode::hold,
                                 round % 3 == 0   ? OutsideMode::absent
                                 : round % 3 == 1 ? OutsideMode::repeat
                                                  : OutsideMode::there_and_back);
            const TimingPlan plan(t);
            std::vector<CopyClock> copies;
            std::uniform_int_distribution<int> delay(0, 60);
            std::uniform_real_distribution<double> rate(0.9, 1.1);
            for (int i = 0; i < 40; ++i)
                copies.push_back({static_cast<double>(delay(random)), round % 2 ? 1.0 : rate(random)});
            TwinRule rule;
            rule.share = std::uniform_real_distribution<double>(0.1, 0.9)(random);
            rule.period = round % 5 == 4 ? 48 : 0;
            rule.only_moving = false;
            const auto report = find_twins(plan, source, copies, {1, 120}, rule);
            QVERIFY(report && report->samples == 120);
            QCOMPARE(found(*report), by_definition(plan, copies, {1, 120}, rule));
        }
    }
    void absent_copies_are_nobodys_twins() {
        const TimingPlan plan(timing_of("1:0 48:47", OutsideMode::absent, OutsideMode::absent));
        const std::vector<CopyClock> copies{{500, 1}, {600, 1}, {500, 1}};
        QVERIFY(find_twins(plan, source, copies, {1, 240}, {})->groups.empty());
    }
    void thousands_in_lockstep_are_one_group() {
        const TimingPlan plan(timing_of("1:0 48:47", OutsideMode::hold, OutsideMode::repeat));
        const std::vector<CopyClock> copies(20000, CopyClock{3, 1});
        const auto report = find_twins(plan, source, copies, {1, 240}, {});
        QCOMPARE(report->groups.size(), std::size_t(1));
        QCOMPARE(report->groups[0].copies.size(), copies.size());
        QCOMPARE(report->groups[0].share, 1.0);
    }
    void one_copy_and_none() {
        const TimingPlan plan(timing_of("1:0 48:47"));
        QVERIFY(find_twins(plan, source, std::vector<CopyClock>{{0, 1}}, {1, 9}, {})->groups.empty());
        QVERIFY(find_twins(plan, source, std::vector<CopyClock>{}, {1, 9}, {})->groups.empty());
    }
    void can_be_cancelled() {
        struct Never : Progress {
            bool cancelled() const override { return true; }
        } never;
        const TimingPlan plan(timing_of("1:0 48:47"));
        const auto report = find_twins(plan, source, std::vector<CopyClock>(50, CopyClock{1, 1}), {1, 99}, {}, never);
        QVERIFY(!report && report.error().code == ErrorCode::cancelled);
    }
    void capacity_of_a_loop() { // "at half a frame apart this loop can hold 192 different copies"
        QCOMPARE(capacity(96, 0.5), 192);
        QCOMPARE(capacity(181, 1), 181);
    }
    void a_crowd_in_lockstep_is_one_group() { // 20 000 copies within ten frames: two hundred million pairs
        const std::size_t crowd = 20'000 / testing::patience;
        const TimingPlan plan(timing_of("1:0 241:240"));
        const SourceClock wide = clock_of_frames(0, 240);
        std::vector<CopyClock> copies(crowd);
        for (std::size_t i = 0; i < crowd; ++i) copies[i] = {10.0 * i / crowd, 1};
        TwinRule rule;
        rule.most_samples = 12;
        const auto report = find_twins(plan, wide, copies, {20, 240}, rule);
        QVERIFY(report && report->groups.size() == 1);
        QCOMPARE(report->groups[0].copies.size(), crowd);
        QVERIFY(report->groups[0].share > 0.9);
    }
    void who_has_a_twin_is_the_same_either_way() {
        std::mt19937 random(12);
        for (int round = 0; round < 16; ++round) {
            const bool loop = round % 2, many = round >= 12; // many: nearly all have one, few are alone
            const TimingPlan plan(
                loop ? timing_of("1:0 61:60", OutsideMode::repeat, OutsideMode::repeat)
                     : timing_of("1:0 40:39 60:39~ 120:96", OutsideMode::hold, OutsideMode::there_and_back));
            const SourceClock source = clock_of_frames(0, 96);
            std::uniform_real_distribution<double> delay(0, round < 6 || many ? 40 : 400), rate(0.8, 1.25);
            std::vector<CopyClock> copies(many ? 1500 : 120);
            for (CopyClock& c : copies)
                c = {round % 3 ? delay(random) : std::round(delay(random)), round % 4 < 2 ? 1.0 : rate(random)};
            if (many) {
                for (std::size_t i = 0; i < 40; ++i) copies[i].delay += 45 + 1.5 * static_cast<double>(i); // the few
            }
            TwinRule rule{0.5, round < 9 ? 0.5 : 0.8, loop ? 61.0 : 0.0, 48};
            const auto fast = have_twins(plan, source, copies, {1, 200}, rule);
            const auto all = find_twins(plan, source, copies, {1, 200}, rule);
            std::vector<std::uint8_t> wanted(copies.size());
            for (const TwinGroup& g : all->groups) {
                for (std::uint32_t i : g.copies) wanted[i] = 1;
            }
            QCOMPARE(*fast, wanted);
        }
    }
};
GARLAND_TEST_CASE(TwinsTest)
#include "twins_test.moc"
