// Any sequence of edits, undone, gives the same bytes of the project file; redone, the same again; saved and loaded,
// too.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "core/project/edits.h"
#include "core/project/looping.h"
#include "core/project/timings.h"
#include "core/project/varying.h"
#include "core/time/conversions.h"
#include "core/time/operations.h"
#include "io/project/project_file.h"

#include <algorithm>
#include <random>

using namespace garland;
using namespace garland::testing;

namespace {

class Editor {
  public:
    explicit Editor(unsigned seed) : random_(seed) {}

    // Something that may or may not work; the project is left as it is where it does not.
    void change(Project& p) {
        switch (number(0, 24)) {
        case 0:
            add_source(p, "drop " + std::to_string(number(1, 99)), "drop.ply",
                       {number(0, 20), number(30, 200), {24, 1}});
            return;
        case 1: add_water(p, "canal", WaterSpec{}); return;
        case 2:
            if (p.sources.size() > 2) remove_source(p, one(p.sources).id);
            return;
        case 3:
        case 4:
        case 5: return operation(p);
        case 6:
            if (Timing* t = timing(p)) {
                if (auto done = chance() ? to_speeds(*t) : to_positions(*t)) *t = done->timing;
            }
            return;
        case 7:
            if (Timing* t = timing(p)) {
                t->form = TimingForm::phrases;
                t->map = {};
                t->speeds = {};
                t->phrases.list.clear();
                for (int k = number(1, 4); k > 0; --k)
                    t->phrases.list.push_back({SourceFrame(number(0, 20)), SourceFrame(number(20, 60)),
                                               static_cast<Direction>(number(0, 2)), number(1, 3), 0.25 * number(1, 9),
                                               number(0, 6) * 1.0});
            }
            return;
        case 8:
            if (Timing* t = timing(p))
                t->before = {static_cast<OutsideMode>(number(0, 4)), number(0, 3)},
                t->after = {static_cast<OutsideMode>(number(0, 4)), number(0, 3)};
            return;
        case 9:
            p.settings.markers.push_back({OutputFrame(number(1, 200)), "bell"});
            std::stable_sort(p.settings.markers.begin(), p.settings.markers.end(),
                             [](const Marker& a, const Marker& b) { return a.at < b.at; });
            return;
        case 10:
            p.settings.camera_keys =
                with_key(p.settings.camera_keys, {OutputFrame(number(1, 200)), Camera{}, Toward::smooth});
            return;
        case 11:
            if (Arrangement* a = arrangement(p))
                a->layout.kind = static_cast<ArrangementKind>(number(0, 4)), a->layout.count = number(1, 60),
                a->layout.columns = number(1, 5), a->layout.rows = number(1, 5);
            return;
        case 12:
            if (Arrangement* a = arrangement(p)) {
                Spread s;
                s.id = SpreadId(p.next_id++);
                s.by.kind = static_cast<Driver>(number(0, 8));
                s.target = static_cast<Target>(number(0, 5));
                s.to = number(1, 30);
                if (chance())
                    s.strength.keys = {{1.0, 0.0, Toward::smooth}, {number(2, 90) * 1.0, 1.0, Toward::linear}};
                a->spreads.push_back(s);
            }
            return;
        case 13:
            if (Arrangement* a = arrangement(p)) {
                if (!a->spreads.empty())
                    a->spreads.erase(a->spreads.begin() + number(0, static_cast<int>(a->spreads.size()) - 1));
            }
            return;
        case 14:
            if (Arrangement* a = arrangement(p)) {
                if (auto done = chance() ? meet_at(*a, {OutputFrame(number(20, 90))}) : without_meeting(*a))
                    *a = done->arrangement;
            }
            return;
        case 15:
            if (Arrangement* a = arrangement(p))
                a->by_hand.nudges = {{CopyId(static_cast<std::uint64_t>(number(0, 5))), number(-9, 9) * 0.5}};
            return;
        case 16:
            if (Arrangement* a = arrangement(p)) single_out(p, a->id, {CopyId(0), CopyId(2)}, "");
            return;
        case 17:
            if (p.arrangements.size() > 1) remove_arrangement(p, one(p.arrangements).id);
            return;
        case 18:
            if (!p.sources.empty()) {
                SourceSpec& s = one(p.sources);
                if (s.closing) {
                    open_source_again(p, s.id, 0, 300);
                } else {
                    Closing c;
                    c.start = number(20, 40), c.length = number(20, 80);
                    close_source(p, s.id, c, 0, 300);
                }
            }
            return;
        case 19: {
            Zone z;
            z.id = ZoneId(p.next_id++);
            z.name = "glow " + std::to_string(number(1, 9));
            z.shape = static_cast<ZoneShape>(number(0, 3));
            z.keys.push_back({OutputFrame(number(2, 90)), V3d(number(-5, 5), 0, number(-5, 5)), V3d(0),
                              0.5 * number(0, 3), Toward::smooth});
            if (!p.sources.empty() && chance()) z.shape = ZoneShape::mesh, z.mesh = one(p.sources).id;
            p.zones.push_back(z);
            return;
        }
        case 20:
            if (!p.zones.empty()) remove_zone(p, one(p.zones).id);
            return;
        case 21:
            if (Arrangement* a = arrangement(p)) {
                a->play.by = static_cast<PlayBy>(number(0, 4));
                a->play.level.kind = chance() ? LevelKind::zones : LevelKind::pulse;
                a->play.leaving = static_cast<Leaving>(number(0, 4));
                if (!p.zones.empty()) a->play.level.zones = {one(p.zones).id};
            }
            return;
        case 22:
            if (Arrangement* a = arrangement(p)) {
                Pulse pulse;
                pulse.id = SpreadId(p.next_id++);
                pulse.wave.after = static_cast<WaveAfter>(number(0, 2));
                pulse.lift = V3d(0, 0.5 * number(0, 3), 0);
                a->pulses.push_back(pulse);
            }
            return;
        case 23:
            if (chance() || p.sounds.empty()) {
                SoundSpec sound;
                sound.id = SoundId(p.next_id++);
                sound.name = "tune", sound.path = "tune.wav";
                sound.bands.count = number(1, 12);
                p.sounds.push_back(sound);
            } else {
                remove_sound(p, one(p.sounds).id);
            }
            return;
        default:
            if (!p.sources.empty()) {
                const SourceSpec before = one(p.sources);
                SourceSpec& s = *p.source(before.id);
                s.first = number(0, 50);
                follow_source(p, s.id, clock_of(before, 0, 100, p.settings.rate), clock_of(s, 0, 100, p.settings.rate));
            }
            return;
        }
    }

  private:
    int number(int low, int high) { return std::uniform_int_distribution<int>(low, high)(random_); }
    bool chance() { return number(0, 1) == 1; }
    template <class T>
    T& one(std::vector<T>& list) {
        return list[static_cast<std::size_t>(number(0, static_cast<int>(list.size()) - 1))];
    }
    Timing* timing(Project& p) { return p.timings.empty() ? nullptr : &one(p.timings); }
    Arrangement* arrangement(Project& p) { return p.arrangements.empty() ? nullptr : &one(p.arrangements); }
    void operation(Project& p) {
        Timing* t = timing(p);
        if (!t) return;
        Operation o;
        o.kind = static_cast<OperationKind>(number(0, 8));
        o.at = OutputFrame(number(0, 400) * 0.5);
        o.frames = number(1, 30);
        o.absorb = chance();
        o.speed = 0.25 * number(0, 10);
        o.source_first = SourceFrame(number(0, 20)), o.source_last = SourceFrame(number(21, 90));
        if (chance()) o.range = OutputSpan{OutputFrame(number(1, 60)), OutputFrame(number(61, 150))};
        if (auto done = operate(*t, o)) *t = done->timing;
    }
    std::mt19937 random_;
};

} // namespace

class RandomEditsTest : public QObject {
    Q_OBJECT
  private slots:
    void undone_and_redone_byte_for_byte() {
        int made = 0, refused = 0;
        for (unsigned seed = 1; seed <= 40; ++seed) {
            Editor editor(seed);
            Project p;
            std::vector<Edit> history;
            std::vector<std::string> texts{project_text(p)};
            for (int step = 0; step < 120; ++step) {
                Project next = p;
                editor.change(next);
                if (const auto ok = validate(next); !ok) { // what a document refuses too
                    ++refused;
                    continue;
                }
                const Edit edit = difference(p, next, "step");
                if (edit.empty()) continue;
                apply(p, edit);
                QVERIFY2(p == next, qPrintable(QString("seed %1, step %2").arg(seed).arg(step)));
                history.push_back(edit);
                texts.push_back(project_text(p));
                ++made;
                const auto loaded = parse_project(texts.back(), "loaded");
                QVERIFY2(loaded, qPrintable(QString("seed %1, step %2: %3")
                                                .arg(seed)
                                                .arg(step)
                                                .arg(loaded ? QString() : said(loaded.error()))));
                const std::string again = project_text(*loaded);
                if (again != texts.back()) { // where
                    std::size_t at = 0;
                    while (at < again.size() && again[at] == texts.back()[at]) ++at;
                    const std::size_t from = at > 200 ? at - 200 : 0;
                    QFAIL(qPrintable(QString("seed %1, step %2: after loading\n%3\ninstead of\n%4")
                                         .arg(seed)
                                         .arg(step)
                                         .arg(QString::fromStdString(again.substr(from, 400)),
                                              QString::fromStdString(texts.back().substr(from, 400)))));
                }
            }
            for (int round = 0; round < 2; ++round) {
                for (std::size_t i = history.size(); i-- > 0;) {
                    revert(p, history[i]);
                    QCOMPARE(project_text(p), texts[i]);
                }
                for (std::size_t i = 0; i < history.size(); ++i) {
                    apply(p, history[i]);
                    QCOMPARE(project_text(p), texts[i + 1]);
                }
            }
        }
        qInfo("random edits: %d made, undone and redone twice; %d refused", made, refused);
        QVERIFY(made > 2000);
    }
};
GARLAND_TEST_CASE(RandomEditsTest)
#include "random_edits_test.moc"
