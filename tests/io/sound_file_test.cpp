// Sounds as others write them (tests/python/write_sounds.py: Python's wave module and ffmpeg), what ffmpeg reads from
// them, and what is refused in words.
#include "support/case.h"
#include "support/files.h"
#include "support/patience.h"
#include "support/python.h"

#include "io/files/find_beats.h"
#include "io/files/sound_file.h"

#include <QJsonArray>
#include <algorithm>
#include <cmath>
#include <cstring>

using namespace garland;
using namespace garland::testing;

class SoundFileTest : public QObject {
    Q_OBJECT
    static SoundSamples tone(int samples) {
        SoundSamples out;
        out.rate = 8000;
        for (int k = 0; k < samples; ++k) out.values.push_back(static_cast<float>(0.5 * std::sin(k * 0.3)));
        return out;
    }

  private slots:
    void files_by_python_and_ffmpeg() {
        GARLAND_NEEDS_PYTHON("wave");
        QProcess there;
        there.start("ffmpeg", {"-version"});
        if (!there.waitForFinished(patience * 20000))
            QSKIP("ffmpeg is not here: the independent writer did not write (./check installs it)");
        Folder folder;
        QString error;
        const QJsonObject files = run_python("write_sounds.py", {QString::fromStdString(folder.path())}, &error);
        QVERIFY2(files.size() == 10, qPrintable(error));
        for (const QString& name : files.keys()) {
            const QJsonObject expected = files[name].toObject();
            const std::string path = folder / name.toStdString();
            const auto facts = sound_facts(path);
            QVERIFY2(facts, facts ? "" : describe(facts.error()).c_str());
            QCOMPARE(facts->rate, expected["rate"].toDouble());
            QCOMPARE(facts->channels, expected["channels"].toInt());
            const auto read = read_sound_file(path, facts->channels == 1 ? 0 : 1);
            QVERIFY2(read, read ? "" : describe(read.error()).c_str());
            const bool lossy = name.endsWith(".mp3") || name.endsWith(".ogg");
            // An MP3 decoder's start is its own: the count may differ by its delay of a few frames of 1152 samples.
            const double off = std::abs(static_cast<double>((*read)->values.size()) - expected["samples"].toDouble());
            QVERIFY2(off <= (name.endsWith(".mp3") ? 3 * 1152 : 0), qPrintable(QString("%1: %2").arg(name).arg(off)));
            if (name.endsWith(".mp3")) { // by value too, wherever its decoder lets it start
                double best = 1e300;
                for (int shift = -3 * 1152; shift <= 3 * 1152 && best > 2e-3; ++shift) {
                    double worst = 0;
                    for (const auto& one : expected["chosen"].toArray()) {
                        const auto at = static_cast<std::size_t>(std::clamp(
                            one.toArray()[0].toInt() + shift, 0, static_cast<int>((*read)->values.size()) - 1));
                        worst = std::max(
                            worst, std::abs(static_cast<double>((*read)->values[at]) - one.toArray()[1].toDouble()));
                    }
                    best = std::min(best, worst);
                }
                QVERIFY2(best < 2e-3, qPrintable(QString::number(best)));
                continue;
            }
            for (const auto& one : expected["chosen"].toArray()) {
                const auto at = static_cast<std::size_t>(one.toArray()[0].toInt());
                const double is = static_cast<double>((*read)->values[at]), wanted = one.toArray()[1].toDouble();
                QVERIFY2(std::abs(is - wanted) < (lossy ? 2e-3 : 1e-6),
                         qPrintable(QString("%1 at %2: %3, %4").arg(name).arg(at).arg(is).arg(wanted)));
            }
        }
        // all channels averaged: of eight, the mean of eight sines
        const auto mean = read_sound_file(folder / "eight.wav", 0), first = read_sound_file(folder / "eight.wav", 1);
        double sum = 0;
        for (int c = 1; c <= 8; ++c)
            sum += static_cast<double>((*read_sound_file(folder / "eight.wav", c))->values[777]) / 8;
        QVERIFY(std::abs(static_cast<double>((*mean)->values[777]) - sum) < 1e-6);
        QVERIFY((*mean)->values[777] != (*first)->values[777]);
        const auto none = read_sound_file(folder / "eight.wav", 9);
        QVERIFY(!none && said(none.error()).contains("there is no channel 9") &&
                said(none.error()).contains("8 channels"));
        // a tune of five minutes becomes levels
        SoundSpec tune;
        const auto levels = SoundLevels::make(**read_sound_file(folder / "long.flac", 0), tune, Rate{24, 1});
        QVERIFY(levels);
        QVERIFY((*levels)->last() > 300 * 24);
        QVERIFY((*levels)->at(3, 3600).value > 0.5 || (*levels)->at(2, 3600).value > 0.5);
    }
    // A click track of 120 a minute at 24 frames per second: a beat every 12 frames, to half a frame.
    void beats_of_a_click_track() {
        for (const double bpm : {120.0, 96.0}) {
            SoundSamples clicks;
            clicks.rate = 44100;
            clicks.values.resize(44100 * 20);
            for (double t = 0.35; t < 19.5; t += 60 / bpm) {
                for (int k = 0; k < 900; ++k)
                    clicks.values[static_cast<std::size_t>(t * 44100) + static_cast<std::size_t>(k)] =
                        static_cast<float>(std::exp(-k / 160.0) * std::sin(k * 0.25));
            }
            const auto found = find_beats(clicks, OutputFrame(1), Rate{24, 1});
            QVERIFY2(found, found ? "" : describe(found.error()).c_str());
            QVERIFY2(std::abs(found->tempo.beats_per_minute - bpm) < 0.5,
                     qPrintable(QString::number(found->tempo.beats_per_minute)));
            const double step = 24 * 60 / bpm, off = std::remainder(found->tempo.offset.value - (1 + 0.35 * 24), step);
            QVERIFY2(std::abs(off) <= 0.5, qPrintable(QString::number(off)));
            QVERIFY(found->sure > 0.8);
            // A marker at each click from the second on, since a bell is marked on the first already.
            std::vector<Marker> markers{{OutputFrame(1 + 0.35 * 24), "bell"}};
            const std::int64_t set = mark_beats(markers, found->heard, {1, 240});
            const auto due = std::count_if(found->heard.begin(), found->heard.end(), [](OutputFrame t) {
                return t.value >= 1 && t.value <= 240 && std::abs(t.value - (1 + 0.35 * 24)) > 0.5;
            });
            QCOMPARE(set, static_cast<std::int64_t>(due));
            QVERIFY(set >= 6);
            QCOMPARE(static_cast<std::int64_t>(markers.size()), set + 1);
            for (const Marker& m : markers) {
                QVERIFY(m.at.value >= 1 && m.at.value <= 240);
                QVERIFY(std::abs(std::remainder(m.at.value - (1 + 0.35 * 24), step)) <= 0.75);
            }
            QCOMPARE(mark_beats(markers, found->heard, {1, 240}), 0); // once is enough
        }
        const auto none = find_beats(tone(8000), OutputFrame(1), Rate{24, 1});
        QVERIFY(!none && said(none.error()).contains("set the tempo by hand"));
    }
    void broken_sounds_are_refused_in_words() {
        Folder folder;
        QVERIFY(write_wav(folder / "tone.wav", tone(8000)));
        QVERIFY(read_sound_file(folder / "tone.wav", 0));
        const std::string whole = folder.read("tone.wav");
        folder.write("cut.wav", whole.substr(0, 5000));
        auto refused = [&](const char* name) {
            const auto read = read_sound_file(folder / name, 0);
            return read ? QString("read") : said(read.error());
        };
        QVERIFY2(refused("cut.wav").contains("the sound is cut"), qPrintable(refused("cut.wav")));
        folder.write("empty.wav", "");
        QVERIFY(refused("empty.wav").contains("no sound that can be read"));
        QVERIFY(write_wav(folder / "none.wav", tone(0)));
        QVERIFY(refused("none.wav").contains("has no samples"));
        QVERIFY(refused("nowhere.wav").contains("does not exist"));
        folder.write("words.flac", "a lantern is no sound");
        QVERIFY(refused("words.flac").contains("no sound that can be read"));
        // 32-bit floats with one that is no number
        std::string floats = whole.substr(0, 44);
        auto put = [&](std::size_t at, std::uint32_t v, int bytes) {
            for (int k = 0; k < bytes; ++k) floats[at + static_cast<std::size_t>(k)] = static_cast<char>(v >> (8 * k));
        };
        put(20, 3, 2), put(28, 8000 * 4, 4), put(32, 4, 2), put(34, 32, 2), put(40, 400, 4), put(4, 436, 4);
        for (int k = 0; k < 100; ++k) {
            const float v = k == 77 ? NAN : 0.25f;
            char bytes[4];
            std::memcpy(bytes, &v, 4);
            floats.append(bytes, 4);
        }
        folder.write("nan.wav", floats);
        QVERIFY2(refused("nan.wav").contains("not a number, at 0.01 s"), qPrintable(refused("nan.wav")));
    }
    // Damaged files: never a crash, never samples that are no numbers.
    void damage_is_survived() {
        Folder folder;
        QVERIFY(write_wav(folder / "tone.wav", tone(2000)));
        const std::string whole = folder.read("tone.wav");
        std::uint32_t state = 17;
        auto random = [&] { return state = state * 1664525u + 1013904223u; };
        int read_anyway = 0;
        for (int round = 0; round < 300; ++round) {
            std::string damaged = whole;
            for (int k = 0; k < 1 + round % 6; ++k)
                damaged[random() % (round % 2 ? 60 : damaged.size())] = static_cast<char>(random() >> 24);
            if (round % 5 == 0) damaged.resize(random() % damaged.size());
            folder.write("damaged.wav", damaged);
            const auto read = read_sound_file(folder / "damaged.wav", 0);
            if (!read) {
                QVERIFY(!describe(read.error()).empty());
                continue;
            }
            ++read_anyway;
            for (float v : (*read)->values) QVERIFY(std::isfinite(v));
        }
        QVERIFY(read_anyway > 20);
    }
};
GARLAND_TEST_CASE(SoundFileTest)
#include "sound_file_test.moc"
