// Point grids that OpenVDB's own library wrote, read as particles by a process of their own.
#include "support/case.h"
#include "support/files.h"
#include "support/volume_writer.h"

#include "core/geometry/particles.h"
#include "io/sources/converted.h"
#include "io/sources/open_source.h"
#include "io/vdb/point_grids.h"

#include <QElapsedTimer>
#include <algorithm>
#include <filesystem>
#include <map>

using namespace garland;
using namespace garland::testing;

namespace {

// The caches and the command line that a user would have.
struct Home {
    Folder folder;
    Home() {
        qputenv("XDG_CACHE_HOME", QByteArray::fromStdString(folder / "cache"));
        qputenv("GARLAND_CLI", GARLAND_CLI);
    }
    ~Home() {
        qunsetenv("XDG_CACHE_HOME");
        qunsetenv("GARLAND_CLI");
    }
};

PosePtr pose_at(const SourcePtr& source, std::int64_t frame) {
    const auto pose = source->read(frame, Progress::none());
    return pose ? *pose : nullptr;
}

const Attribute* called(const Pose& pose, const std::string& name) {
    const auto at = std::find_if(pose.attributes.begin(), pose.attributes.end(),
                                 [&](const Attribute& a) { return a.name == name; });
    return at == pose.attributes.end() ? nullptr : &*at;
}

} // namespace

class PointGridsTest : public QObject {
    Q_OBJECT
  private slots:
    void a_series_of_points() {
        const Home home;
        for (int f = 3; f < 7; ++f)
            write_points(home.folder / ("sparks.000" + std::to_string(f) + ".vdb"), 1000, 0.5 * f);
        const auto source = open_source(home.folder / "sparks.0005.vdb");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const SourceFacts& facts = (*source)->facts();
        QVERIFY(facts.kind == SourceKind::particles);
        QVERIFY(facts.first == 3 && facts.last == 6);
        QCOMPARE(facts.format, std::string("OpenVDB points, series"));
        const PosePtr pose = pose_at(*source, 5);
        QVERIFY(pose);
        QCOMPARE(pose->points.size(), std::size_t(1000));
        const Attribute *heat = called(*pose, "heat"), *count = called(*pose, "count"), *axis = called(*pose, "axis");
        QVERIFY(heat && count && axis && axis->width == 3);
        std::vector<char> seen(1000, 0);
        for (std::size_t k = 0; k < pose->points.size(); ++k) {
            const auto i = static_cast<int>((pose->ids[k] - 1) / 7);
            QVERIFY(i >= 0 && i < 1000 && pose->ids[k] == 7 * i + 1 && !seen[static_cast<std::size_t>(i)]);
            seen[static_cast<std::size_t>(i)] = 1;
            QVERIFY((pose->points[k] - place_of_point(i, 2.5)).length() < 1e-6f);
            QVERIFY(pose->velocities[k] == V3f(static_cast<float>(i), 0, -1));
            QCOMPARE(heat->values[k], static_cast<float>(i) / 2);
            QCOMPARE(count->whole[k], i);
            QCOMPARE(axis->values[3 * k + 2], static_cast<float>(i));
        }
    }
    void places_of_sixteen_bits_and_points_without_ids() {
        const Home home;
        write_points(home.folder / "dust.vdb", 500, 0, false, true);
        const auto source = open_source(home.folder / "dust.vdb");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const PosePtr pose = pose_at(*source, (*source)->facts().first);
        QVERIFY(pose && pose->points.size() == 500);
        const Attribute* count = called(*pose, "count");
        for (std::size_t k = 0; k < 500; ++k) {
            QCOMPARE(pose->ids[k], static_cast<std::int64_t>(k));
            const V3f off = pose->points[k] - place_of_point(count->whole[k]);
            QVERIFY(off.length() < 0.25f / 65535 * 2); // half a step of a voxel's 2¹⁶ on each axis
        }
    }
    void at_working_size() {
        const Home home;
        write_points(home.folder / "spray.vdb", 1'000'000);
        const auto source = open_source(home.folder / "spray.vdb");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const PosePtr pose = pose_at(*source, 0);
        QCOMPARE(pose->points.size(), std::size_t(1'000'000));
        const Attribute *heat = called(*pose, "heat"), *count = called(*pose, "count");
        std::vector<char> seen(1'000'000, 0);
        std::size_t wrong = 0;
        for (std::size_t k = 0; k < pose->points.size(); ++k) {
            const std::int32_t i = count->whole[k];
            const bool fits = i >= 0 && i < 1'000'000 && !seen[static_cast<std::size_t>(i)] &&
                              pose->ids[k] == 7 * std::int64_t(i) + 1 && heat->values[k] == static_cast<float>(i) / 2 &&
                              (pose->points[k] - place_of_point(i)).length() < 1e-6f &&
                              pose->velocities[k] == V3f(static_cast<float>(i), 0, -1);
            if (fits) seen[static_cast<std::size_t>(i)] = 1;
            wrong += !fits;
        }
        QCOMPARE(wrong, std::size_t(0));
        // Opened again nothing is done twice; a frame that was changed is another source.
        QCOMPARE(converted_use().files, std::size_t(1));
        QVERIFY(open_source(home.folder / "spray.vdb"));
        QCOMPARE(converted_use().files, std::size_t(1));
        write_points(home.folder / "spray.vdb", 10);
        QCOMPARE(pose_at(*open_source(home.folder / "spray.vdb"), 0)->points.size(), std::size_t(10));
    }
    // Cut short and with bytes that are not its own, at many places: words, and this process lives on.
    void damaged_files_are_refused_in_words() {
        const Home home;
        write_points(home.folder / "whole.vdb", 2000);
        const std::string bytes = home.folder.read("whole.vdb");
        int refused = 0, read = 0;
        for (std::size_t k = 1; k <= 12; ++k) {
            std::string hurt = k % 2 ? bytes.substr(0, bytes.size() * k / 13) : bytes;
            if (k % 2 == 0) {
                for (std::size_t at = bytes.size() * k / 14; at < bytes.size() * k / 14 + 24; ++at) hurt[at] = '\xff';
            }
            home.folder.write("hurt.vdb", hurt);
            const auto source = open_source(home.folder / "hurt.vdb");
            if (source) {
                ++read; // bytes within values are values
                continue;
            }
            ++refused;
            const std::string words = describe(source.error());
            QVERIFY2(words.size() > 20 && words.find("hurt.vdb") != std::string::npos, words.c_str());
        }
        QVERIFY2(refused >= 6, qPrintable(QString("%1 refused, %2 read").arg(refused).arg(read)));
    }
    void a_bad_frame_is_missing_and_said() {
        const Home home;
        for (int f = 1; f <= 4; ++f)
            write_points(home.folder / ("sparks.000" + std::to_string(f) + ".vdb"), 200, 0.5 * f);
        const std::string bytes = home.folder.read("sparks.0003.vdb");
        home.folder.write("sparks.0003.vdb", bytes.substr(0, bytes.size() / 2));
        const auto source = open_source(home.folder / "sparks.0001.vdb");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const SourceFacts& facts = (*source)->facts();
        QVERIFY(facts.first == 1 && facts.last == 4);
        QCOMPARE(facts.missing, std::vector<std::int64_t>{3});
        const auto told = std::find_if(facts.problems.begin(), facts.problems.end(), [](const SourceProblem& p) {
            return p.frame == 3 && p.what.find("frame 3 cannot be read") != std::string::npos;
        });
        QVERIFY(told != facts.problems.end());
        QVERIFY2(told->what.size() > 30, told->what.c_str()); // and why
        QCOMPARE(pose_at(*source, 4)->points.size(), std::size_t(200));
        // Where the first is bad, nothing is known of the others.
        home.folder.write("sparks.0001.vdb", bytes.substr(0, bytes.size() / 3));
        QVERIFY(!open_source(home.folder / "sparks.0001.vdb"));
    }
    void a_frame_that_ends_its_reader_is_missing_too() {
        const Home home;
        for (int f = 1; f <= 4; ++f)
            write_points(home.folder / ("sparks.000" + std::to_string(f) + ".vdb"), 200, 0.5 * f);
        // A reader that is killed in frame 3 until that one is left out; how often it began is counted.
        const std::string reader = home.folder / "reader";
        home.folder.write("reader", "#!/bin/sh\necho >> " + (home.folder / "begun") +
                                        "\nif [ ! -e \"$3.left_out\" ]; then echo 3 > \"$3.at\"; kill -SEGV $$; fi\n"
                                        "exec " GARLAND_CLI " \"$@\"\n");
        std::filesystem::permissions(reader, std::filesystem::perms::owner_all);
        qputenv("GARLAND_CLI", QByteArray::fromStdString(reader));
        const auto source = open_source(home.folder / "sparks.0001.vdb");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().missing, std::vector<std::int64_t>{3});
        const auto& problems = (*source)->facts().problems;
        QVERIFY(std::any_of(problems.begin(), problems.end(), [](const SourceProblem& p) {
            return p.what.find("frame 3 cannot be read: its reader was ended") != std::string::npos;
        }));
        QCOMPARE(home.folder.read("begun").size(), std::size_t(3)); // twice in frame 3, then to the end
        // One that is killed in the first frame has nothing to go on with.
        home.folder.write("reader", "#!/bin/sh\necho 1 > \"$3.at\"; kill -SEGV $$\n");
        write_points(home.folder / "sparks.0001.vdb", 100);
        QVERIFY(!open_source(home.folder / "sparks.0001.vdb"));
    }
    void without_the_command_line_it_is_said() {
        const Home home;
        write_points(home.folder / "sparks.vdb", 10);
        qputenv("GARLAND_CLI", "/nowhere/garland-cli");
        const auto source = open_source(home.folder / "sparks.vdb");
        QVERIFY(!source);
        QVERIFY2(said(source.error()).contains("/nowhere/garland-cli"), qPrintable(said(source.error())));
        QCOMPARE(converted_use().files, std::size_t(0));
    }
};
GARLAND_TEST_CASE(PointGridsTest)
#include "point_grids_test.moc"
