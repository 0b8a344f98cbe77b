// Files of previews: opened again by ffprobe, exrheader, exrcheck and FFmpeg's own decoders, and compared with the
// numbers they were made from.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"
#include "support/patience.h"

#include "core/project/edits.h"
#include "render/picture_file.h"
#include "render/preview.h"

#include <Imath/half.h>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <malloc.h>
#include <numbers>

using namespace garland;
using namespace garland::testing;

namespace {

QByteArray output_of(const QString& program, const QStringList& arguments) {
    QProcess process;
    process.start(program, arguments);
    if (!process.waitForFinished(patience * 120000) || process.exitStatus() != QProcess::NormalExit ||
        process.exitCode() != 0)
        return "failed: " + process.readAllStandardError();
    return process.readAllStandardOutput();
}
bool there(const QString& program) {
    QProcess process;
    process.start("which", {program});
    return process.waitForFinished(patience * 10000) && process.exitCode() == 0;
}
#define GARLAND_NEEDS(program)                                                                                         \
    if (!there(program)) QSKIP(program " is not here (./check installs it)")

Picture picture_of(int width, int height, bool passes = false) {
    Picture p;
    p.width = width, p.height = height;
    for (int y = 0; y < height; ++y) {
        for (int x = 0; x < width; ++x) {
            const float alpha = static_cast<float>(y + 1) / static_cast<float>(height);
            const float r = static_cast<float>(x) / static_cast<float>(width), g = 0.25f, b = 2.5f * r;
            p.rgba.insert(p.rgba.end(), {r * alpha, g * alpha, b * alpha, alpha});
            if (!passes) continue;
            p.depth.push_back(x == 0 ? std::numeric_limits<float>::infinity() : static_cast<float>(x) * 1.25f);
            p.motion.insert(p.motion.end(), {static_cast<float>(x) - 3.5f, static_cast<float>(y)});
            p.normal.insert(p.normal.end(), {0.0f, 0.6f, 0.8f});
            p.copy.push_back(static_cast<std::uint32_t>(100'000 + x));
            p.source.push_back(static_cast<std::uint32_t>(y % 3));
            p.source_frame.push_back(static_cast<float>(x) + 0.5f);
        }
    }
    return p;
}

QJsonObject probed(const std::string& path) {
    const QByteArray json = output_of("ffprobe", {"-v", "error", "-count_frames", "-show_streams", "-show_format",
                                                  "-of", "json", QString::fromStdString(path)});
    return QJsonDocument::fromJson(json).object();
}
QJsonObject stream_of(const QJsonObject& probe, const QString& type) {
    for (const QJsonValue& s : probe["streams"].toArray()) {
        if (s.toObject()["codec_type"].toString() == type) return s.toObject();
    }
    return {};
}

// A sheet that is wider with every frame.
class Sheet final : public Source {
  public:
    Sheet() { facts_.last = 100, facts_.points = 4, facts_.faces = 1; }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {}; }
    Result<PosePtr> read(std::int64_t f, Progress&) const override {
        if (f == 90) return fail(Error{ErrorCode::unreadable, "this frame cannot be read"}.at_frame(f));
        auto pose = std::make_shared<Pose>();
        auto faces = std::make_shared<Faces>();
        faces->starts = {0, 4}, faces->corners = {0, 1, 2, 3};
        pose->faces = faces;
        const float w = 0.5f + 0.02f * static_cast<float>(f);
        for (auto [x, y] : {std::pair{-w, 0.0f}, {w, 0.0f}, {w, 1.0f}, {-w, 1.0f}})
            pose->points.emplace_back(x, y, 0.0f);
        return PosePtr(pose);
    }

  private:
    SourceFacts facts_;
};

// Stops when a little more than half is done.
struct Stopping final : Progress {
    std::atomic<bool> stop{false};
    void report(double share, std::string_view) override {
        if (share > 0.55) stop = true;
    }
    bool cancelled() const override { return stop; }
};

} // namespace

class PreviewTest : public QObject {
    Q_OBJECT
    PoseCache cache_{16 << 20};
    Project p_;
    OpenSources open_;
    PreviewOrder order_;
    Folder folder_;

    Result<PreviewDone> run(std::span<const HeardSound> sounds = {}, Progress& progress = Progress::none()) {
        return preview(*make_show(p_, open_, cache_), p_, sounds, order_, progress);
    }
    static std::vector<float> decoded(const std::string& path, const QString& format) {
        const QByteArray raw = output_of(
            "ffmpeg", {"-v", "error", "-i", QString::fromStdString(path), "-f", "rawvideo", "-pix_fmt", format, "-"});
        std::vector<float> out(static_cast<std::size_t>(raw.size()) / 4);
        std::memcpy(out.data(), raw.data(), out.size() * 4);
        return out;
    }

  private slots:
    void init() {
        p_ = Project{};
        open_.clear();
        const SourceId id = add_source(p_, "lantern", "lantern.ply", {0, 100, {24, 1}});
        open_[id] = {std::make_shared<Sheet>(), PoseCache::new_serial()};
        p_.settings.camera = {V3d(0, 0.5, 0), 4, 0, 5, 40};
        order_ = PreviewOrder{};
        order_.folder = folder_.path() + "/" + QTest::currentTestFunction();
        order_.name = "quay";
        order_.frames = {{1, 6}, 1};
        order_.look.width = 64, order_.look.height = 36, order_.look.samples = 2;
    }
    void exr_holds_every_number_and_its_name() {
        GARLAND_NEEDS("exrheader");
        GARLAND_NEEDS("ffmpeg");
        const Picture p = picture_of(40, 20, true);
        for (bool half : {true, false}) {
            const std::string path = folder_ / (half ? "half.exr" : "float.exr");
            QVERIFY(write_exr(path, p, half, {24000, 1001}, Existing::refuse));
            const QByteArray header = output_of("exrheader", {QString::fromStdString(path)});
            for (const char* word : {"\"colour\"", "\"depth\"", "\"motion\"", "\"normal\"", "\"numbers\"",
                                     "motion.X, 32-bit", "normal.Z, 32-bit", "Z, 32-bit floating-point",
                                     "copy, 32-bit unsigned", "source_frame, 32-bit", "framesPerSecond", "24000/1001"})
                QVERIFY2(header.contains(word), (word + header).constData());
            QVERIFY2(header.contains(half ? "A, 16-bit floating-point" : "A, 32-bit floating-point"),
                     header.constData());
            if (there("exrcheck")) QVERIFY(output_of("exrcheck", {QString::fromStdString(path)}).contains("OK"));
        }
        // Colour alone, by a decoder that is not OpenEXR's.
        const Picture alone = picture_of(40, 20);
        QVERIFY(write_exr(folder_ / "alone.exr", alone, false, {24, 1}, Existing::refuse));
        const std::vector<float> planes = decoded(folder_ / "alone.exr", "gbrapf32le"); // G, B, R, A
        QCOMPARE(planes.size(), alone.rgba.size());
        const std::size_t n = alone.pixels();
        for (std::size_t i = 0; i < n; ++i) {
            const float is[] = {planes[2 * n + i], planes[i], planes[n + i], planes[3 * n + i]};
            for (std::size_t k = 0; k < 4; ++k) QCOMPARE(is[k], alone.rgba[i * 4 + k]);
        }
        QVERIFY(!write_exr(folder_ / "alone.exr", alone, false, {24, 1}, Existing::refuse)); // it is there
    }
    void png_holds_what_is_shown() {
        GARLAND_NEEDS("ffmpeg");
        const Picture p = picture_of(33, 17);
        QVERIFY(write_png(folder_ / "a.png", p, 8, true, 0, Existing::refuse));
        const QByteArray raw = output_of("ffmpeg", {"-v", "error", "-i", QString::fromStdString(folder_ / "a.png"),
                                                    "-f", "rawvideo", "-pix_fmt", "rgba", "-"});
        const std::vector<std::uint8_t> shown = shown_8(p);
        QCOMPARE(raw, QByteArray(reinterpret_cast<const char*>(shown.data()), static_cast<qsizetype>(shown.size())));
        QVERIFY(write_png(folder_ / "b.png", p, 16, false, 0, Existing::refuse));
        const QByteArray deep = output_of("ffmpeg", {"-v", "error", "-i", QString::fromStdString(folder_ / "b.png"),
                                                     "-f", "rawvideo", "-pix_fmt", "rgb48le", "-"});
        const std::vector<std::uint16_t> values = shown_16(p);
        QCOMPARE(deep.size(), static_cast<qsizetype>(p.pixels() * 6));
        for (std::size_t i = 0; i < p.pixels(); ++i) {
            for (std::size_t k = 0; k < 3; ++k) {
                std::uint16_t v;
                std::memcpy(&v, deep.data() + (i * 3 + k) * 2, 2);
                QCOMPARE(v, values[i * 4 + k]);
            }
        }
    }
    void words_lie_in_a_band_below() {
        Picture grey;
        grey.width = 640, grey.height = 360;
        grey.rgba.assign(grey.pixels() * 4, 0.18f);
        for (std::size_t i = 3; i < grey.rgba.size(); i += 4) grey.rgba[i] = 1;
        auto laid = [&](const std::string& left, const std::string& right, double exposure = 0) {
            Picture p = grey;
            lay_words(p, {left, right}, exposure);
            return p;
        };
        auto ink = [&](const Picture& p, int from, int to, double exposure = 0) { // bright pixels, columns from … to
            const auto seen = shown_8(p, exposure);
            int n = 0;
            for (int y = 0; y < p.height; ++y)
                for (int x = from; x < to; ++x) n += seen[static_cast<std::size_t>((y * p.width + x) * 4)] > 200;
            return n;
        };
        const Picture both = laid("canal", "frame 96   3.958 s");
        const std::size_t band = static_cast<std::size_t>(360 - 18) * 640 * 4; // a twentieth of the height
        QVERIFY(
            std::equal(grey.rgba.begin(), grey.rgba.begin() + static_cast<std::ptrdiff_t>(band), both.rgba.begin()));
        QVERIFY(ink(both, 0, 100) > 20 && ink(both, 500, 640) > 60);
        QCOMPARE(ink(both, 120, 400), 0);
        QCOMPARE(ink(laid("", "frame 96"), 0, 400), 0);
        // White as it is shown, whatever the exposure.
        for (const double exposure : {-2.0, 0.0, 3.0}) {
            const auto seen = shown_8(laid("canal", "", exposure), exposure);
            int most = 0;
            for (std::size_t i = band; i < seen.size(); i += 4) most = std::max<int>(most, seen[i]);
            QVERIFY2(most >= 250, qPrintable(QString::number(most)));
        }
        // Another number is other ink; a name too long is cut before the frame; what is no UTF-8 is left out.
        QVERIFY(laid("", "frame 8").rgba != laid("", "frame 9").rgba);
        int first = 640; // column of the frame's ink
        while (first > 0 && ink(laid("", "frame 96"), 0, first) > 0) --first;
        QVERIFY(first > 500);
        const Picture cut = laid(std::string(400, 'w'), "frame 96");
        QCOMPARE(ink(cut, first, 640), ink(laid("", "frame 96"), first, 640));
        QCOMPARE(ink(cut, first - 12, first), 0); // a gap before it
        QVERIFY(ink(cut, 0, first - 12) > 1000);
        QCOMPARE(laid("\xff\xc3", "").rgba, laid("\n", "").rgba);
        QVERIFY(laid("Brücke", "").rgba != laid("Brucke", "").rgba);
        Picture low;
        low.width = 640, low.height = 40, low.rgba.assign(low.pixels() * 4, 0.5f);
        const auto before = low.rgba;
        lay_words(low, {"canal", "frame 1"}, 0);
        QVERIFY(low.rgba == before);
        // The ramp of a legend is seen in its own colours, whatever the exposure; its ends are those of the ramp.
        for (const double exposure : {0.0, 2.0}) {
            Picture p = grey;
            lay_words(p, {"", "", OverlayLegend{"delay", "0 f", "96 f"}}, exposure);
            const auto seen = shown_8(p, exposure);
            int found = 0;
            for (int step = 8; step < 248; step += 16) {
                const Rgb c = ramp_steps(RampKind::sequential)[static_cast<std::size_t>(step)];
                bool there = false;
                for (int x = 0; x < p.width && !there; ++x) {
                    const auto* at = &seen[static_cast<std::size_t>(((360 - 9) * p.width + x) * 4)];
                    there = std::abs(at[0] - c.r * 255) < 8 && std::abs(at[1] - c.g * 255) < 8 &&
                            std::abs(at[2] - c.b * 255) < 8; // a pixel is 3.6 of 256 steps wide
                }
                found += there;
            }
            QCOMPARE(found, 15);
        }
        QVERIFY(overlay_of("frame, time")->time && !overlay_of("frame, time")->project && !overlay_of("")->any());
        QVERIFY(said(overlay_of("frame,clock").error()).contains("clock"));
    }
    void the_tone_curve_is_the_published_one() {
        // Extended Reinhard, L·(1 + L/16)/(1 + L), then sRGB's curve: 1 → 0.53125 → 0.7556; 4 → 1 → 1.
        Picture p;
        p.width = 3, p.height = 1;
        p.rgba = {1, 1, 1, 1, 4, 4, 4, 1, 0.5f, 0.5f, 0.5f, 0.5f}; // the last: 1 at half cover
        const auto shown = shown_16(p);
        QVERIFY(std::abs(shown[0] / 65535.0 - 0.7556) < 1e-4);
        QCOMPARE(shown[4], std::uint16_t(65535));
        QCOMPARE(shown[8], shown[0]);
        QCOMPARE(shown[11], std::uint16_t(32768));
    }
    void movies_have_their_rate_length_alpha_and_sound() {
        GARLAND_NEEDS("ffprobe");
        auto tone = std::make_shared<SoundSamples>();
        tone->rate = 44'100;
        for (int i = 0; i < 44'100; ++i)
            tone->values.push_back(0.5f * static_cast<float>(std::sin(2 * std::numbers::pi * 440 * i / 44'100)));
        const std::vector<HeardSound> sounds{{tone, 1}};
        p_.settings.rate = {24000, 1001};
        order_.frames = {{1, 12}, 1};
        for (PreviewAs as : {PreviewAs::mp4, PreviewAs::webm, PreviewAs::mov, PreviewAs::mkv}) {
            const MovieKind kind = *movie_of(as);
            for (bool clear : {false, true}) {
                if (clear && !has_alpha(kind)) continue;
                order_.as = as;
                order_.name = clear ? "clear" : "whole";
                order_.look.transparent = clear;
                order_.look.ground = clear ? PreviewGround::none : PreviewGround::shown;
                const auto done = run(sounds);
                QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
                const QJsonObject probe = probed(done->files.front()), video = stream_of(probe, "video");
                QCOMPARE(video["codec_name"].toString(), QString(codec_word(kind)));
                QCOMPARE(video["width"].toInt(), 64);
                QCOMPARE(video["height"].toInt(), 36);
                QCOMPARE(video["avg_frame_rate"].toString(), QString("24000/1001"));
                QCOMPARE(video["r_frame_rate"].toString(), QString("24000/1001"));
                QCOMPARE(video["nb_read_frames"].toString(), QString("12"));
                const QJsonObject audio = stream_of(probe, "audio");
                QCOMPARE(audio["sample_rate"].toString(), QString("48000"));
                const double seconds = probe["format"].toObject()["duration"].toString().toDouble();
                QVERIFY2(std::abs(seconds - 12 * 1001.0 / 24000) < 0.05, qPrintable(QString::number(seconds)));
                if (clear && kind == MovieKind::mov) QVERIFY(video["pix_fmt"].toString().contains("yuva444p1"));
                if (clear && kind == MovieKind::mkv) QCOMPARE(video["pix_fmt"].toString(), QString("bgra"));
                if (clear && kind == MovieKind::webm) { // its alpha lies in a layer of its own
                    QCOMPARE(video["tags"].toObject()["ALPHA_MODE"].toString(), QString("1"));
                    const QByteArray raw =
                        output_of("ffmpeg", {"-v", "error", "-c:v", "libvpx-vp9", "-i",
                                             QString::fromStdString(done->files.front()), "-frames:v", "1", "-f",
                                             "rawvideo", "-pix_fmt", "rgba", "-"});
                    QCOMPARE(raw.size(), 64 * 36 * 4);
                    QVERIFY(static_cast<unsigned char>(raw[3]) < 16);                       // a corner
                    QVERIFY(static_cast<unsigned char>(raw[(18 * 64 + 32) * 4 + 3]) > 239); // the sheet
                }
            }
        }
        // Lossless is the picture itself.
        GARLAND_NEEDS("ffmpeg");
        const ShowPtr show = make_show(p_, open_, cache_);
        const auto picture = render_frame(*show, p_, OutputFrame(1), order_.look);
        const QByteArray raw =
            output_of("ffmpeg", {"-v", "error", "-i", QString::fromStdString(order_.folder + "/clear.mkv"), "-frames:v",
                                 "1", "-f", "rawvideo", "-pix_fmt", "rgba", "-"});
        const std::vector<std::uint8_t> shown = shown_8(*picture);
        QCOMPARE(raw, QByteArray(reinterpret_cast<const char*>(shown.data()), static_cast<qsizetype>(shown.size())));
    }
    // Whatever the program's memory held before.
    void movies_have_the_same_bytes_every_time() {
        order_.look.width = 160, order_.look.height = 96;
        order_.frames = {{1, 10}, 1};
        order_.existing = PreviewExisting::replace;
        for (PreviewAs as : {PreviewAs::mp4, PreviewAs::webm, PreviewAs::mov, PreviewAs::mkv}) {
            order_.as = as;
            QByteArray first;
            for (const int dirt : {37, 74, 148, 222}) {
                mallopt(M_PERTURB, dirt);
                const auto done = run();
                mallopt(M_PERTURB, 0);
                QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
                QFile file(QString::fromStdString(done->files.front()));
                QVERIFY(file.open(QIODevice::ReadOnly));
                const QByteArray bytes = file.readAll();
                if (first.isEmpty()) first = bytes;
                QVERIFY2(bytes == first, to_text(as));
            }
        }
    }
    void pictures_go_on_where_they_were_stopped() {
        Stopping stopping;
        auto done = run({}, stopping);
        QVERIFY(!done && done.error().code == ErrorCode::cancelled);
        QVERIFY2(said(done.error()).contains("3 pictures are complete"), qPrintable(said(done.error())));
        QCOMPARE(QDir(QString::fromStdString(order_.folder)).entryList(QDir::Files | QDir::Hidden).size(), 3);
        done = run();
        QVERIFY(!done && done.error().code == ErrorCode::exists);
        order_.existing = PreviewExisting::keep;
        done = run();
        QVERIFY(done);
        QCOMPARE(done->kept, std::int64_t(3));
        QCOMPARE(done->frames, std::int64_t(3));
        // Byte for byte as one run.
        PreviewOrder once = order_;
        once.folder += "-once";
        QVERIFY(preview(*make_show(p_, open_, cache_), p_, {}, once));
        for (std::int64_t f = 1; f <= 6; ++f) {
            QFile a(QString::fromStdString(picture_path(order_, f))), b(QString::fromStdString(picture_path(once, f)));
            QVERIFY(a.open(QIODevice::ReadOnly) && b.open(QIODevice::ReadOnly));
            QCOMPARE(a.readAll(), b.readAll());
        }
    }
    void movies_go_on_where_they_were_stopped() {
        Stopping stopping;
        order_.as = PreviewAs::mkv;
        const QDir folder(QString::fromStdString(order_.folder));
        auto done = run({}, stopping);
        QVERIFY(!done && done.error().code == ErrorCode::cancelled);
        QVERIFY2(said(done.error()).contains("no movie was written; 3 pictures are kept"),
                 qPrintable(said(done.error())));
        QCOMPARE(folder.entryList(QDir::Files | QDir::Hidden).size(), 0);
        QCOMPARE(QDir(folder.filePath("quay.mkv.frames")).entryList({"*.png"}).size(), 3);
        // Stopped again at once: nothing of it is lost.
        QVERIFY(stopping.stop);
        done = run({}, stopping);
        QVERIFY2(!done && said(done.error()).contains("3 pictures are kept"), qPrintable(said(done.error())));
        QCOMPARE(QDir(folder.filePath("quay.mkv.frames")).entryList({"*.png"}).size(), 3);
        done = run();
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QVERIFY(done->kept == 3 && done->frames == 3);
        QCOMPARE(folder.entryList(QDir::AllEntries | QDir::Hidden | QDir::NoDotAndDotDot), QStringList{"quay.mkv"});
        // Byte for byte as one run.
        PreviewOrder once = order_;
        once.folder += "-once";
        QVERIFY(preview(*make_show(p_, open_, cache_), p_, {}, once));
        QFile a(QString::fromStdString(picture_path(order_, 0))), b(QString::fromStdString(picture_path(once, 0)));
        QVERIFY(a.open(QIODevice::ReadOnly) && b.open(QIODevice::ReadOnly));
        QCOMPARE(a.readAll(), b.readAll());
        // What was kept of another movie is not taken; a folder of somebody else's stays as it is.
        order_.name = "other", stopping.stop = false;
        QVERIFY(!run({}, stopping));
        order_.look.exposure = 1;
        done = run();
        QVERIFY(done && done->kept == 0 && done->frames == 6);
        order_.name = "theirs", stopping.stop = false;
        QVERIFY(folder.mkpath("theirs.mkv.frames"));
        QFile theirs(folder.filePath("theirs.mkv.frames/frame.000001.png"));
        QVERIFY(theirs.open(QIODevice::WriteOnly) && theirs.write("a note") == 6);
        theirs.close();
        done = run({}, stopping);
        QVERIFY2(!done && said(done.error()).contains("othing was written"), qPrintable(said(done.error())));
        QVERIFY(run());
        QCOMPARE(theirs.size(), 6);
    }
    void what_cannot_be_made_is_said_before_the_first_frame() {
        auto refused = [&] {
            auto done = run();
            return done ? QString("made") : said(done.error());
        };
        order_.as = PreviewAs::mp4;
        order_.look.transparent = true;
        QVERIFY(refused().contains("no transparency"));
        order_.look.transparent = false;
        order_.look.width = 65;
        QVERIFY2(refused().contains("65 × 36") && refused().contains("use 66 × 36"), qPrintable(refused()));
        order_.look.width = 64, order_.look.passes = true;
        QVERIFY(refused().contains("no passes"));
        order_.as = PreviewAs::png, order_.look.passes = false;
        order_.name = "../x";
        QVERIFY(refused().contains("not a name"));
        order_.name = "quay", order_.frames = {{5, 4}, 1};
        QVERIFY(refused().contains("ends before it starts"));
        QVERIFY(!QDir(QString::fromStdString(order_.folder)).exists());
        order_.frames = {{88, 92}, 1}; // frame 91 shows source frame 90, which cannot be read
        QVERIFY(refused().contains("this frame cannot be read"));
        QVERIFY2(refused().contains("already exist"), qPrintable(refused())); // the earlier ones stayed
    }
};
GARLAND_TEST_CASE(PreviewTest)
#include "preview_test.moc"
