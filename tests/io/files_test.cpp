// Files under stress: what they are stays what they are, sets of them appear together, and a source that changes while
// it is open is an error in words.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"
#include "support/small_disk.h"

#include "io/files/json_part.h"
#include "io/files/mapped_file.h"
#include "io/files/series.h"
#include "io/files/staged_files.h"
#include "io/files/temporary.h"
#include "io/handoff/fast_copy.h"
#include "io/handoff/fast_copy_note.h"
#include "io/npy/npy.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"
#include "io/sources/open_source.h"

#include <csignal>
#include <filesystem>
#include <fstream>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

using namespace garland;
using namespace garland::testing;

namespace {

namespace fs = std::filesystem;

mode_t mode_of(const std::string& path) {
    struct stat about {};
    return ::stat(path.c_str(), &about) == 0 ? about.st_mode & 07777 : 0;
}

void write_array(const std::string& path, std::uint64_t frames, float add, std::uint64_t points = 4) {
    auto writer = NpyWriter::create(path, frames, points, NpyType::f32, Existing::replace);
    for (std::uint64_t f = 0; f < frames; ++f) writer->add(std::vector<V3f>(points, V3f(static_cast<float>(f) + add)));
    QVERIFY(writer->commit());
}

} // namespace

class FilesTest : public QObject {
    Q_OBJECT
  private slots:
    void replacing_keeps_what_a_file_is() {
        Folder folder;
        folder.write("secret.txt", "old");
        QVERIFY(::chmod((folder / "secret.txt").c_str(), 0600) == 0);
        QVERIFY(write_file(folder / "secret.txt", "new", Existing::replace));
        QCOMPARE(mode_of(folder / "secret.txt"), mode_t(0600));
        // A link stays a link; the file it names is written, also where that is not there yet.
        fs::create_directory(folder / "far");
        folder.write("far/real.txt", "old");
        fs::create_symlink("far/real.txt", folder / "link.txt");
        fs::create_symlink("far/later.txt", folder / "dangling.txt");
        QVERIFY(write_file(folder / "link.txt", "new", Existing::replace));
        QVERIFY(fs::is_symlink(folder / "link.txt"));
        QCOMPARE(folder.read("far/real.txt"), std::string("new"));
        QVERIFY(write_file(folder / "dangling.txt", "first", Existing::refuse));
        QCOMPARE(folder.read("far/later.txt"), std::string("first"));
        QCOMPARE(write_file(folder / "dangling.txt", "second", Existing::refuse).error().code, ErrorCode::exists);
        // Read-only is refused, for the superuser too; devices and pipes are never replaced.
        folder.write("locked.txt", "old");
        QVERIFY(::chmod((folder / "locked.txt").c_str(), 0444) == 0);
        const auto locked = write_file(folder / "locked.txt", "new", Existing::replace);
        QVERIFY(!locked && said(locked.error()).contains("is read-only"));
        QCOMPARE(folder.read("locked.txt"), std::string("old"));
        QVERIFY(::mkfifo((folder / "pipe").c_str(), 0600) == 0);
        for (const char* name : {"pipe", "far"}) QVERIFY(!write_file(folder / name, "new", Existing::replace));
        QVERIFY(said(write_file("/dev/null", "new", Existing::replace).error()).contains("is a device"));
        QVERIFY(fs::is_fifo(folder / "pipe"));
        // Nothing temporary is left, also beside names as long as names can be.
        const std::string longest(255, 'n');
        QVERIFY(write_file(folder / longest, "long", Existing::refuse));
        QVERIFY(write_file(folder / longest, "longer", Existing::replace));
        for (const QString& name : folder.names()) QVERIFY(!is_temporary(name.toStdString()));
    }
    void pipes_and_folders_as_sources_do_not_wait() {
        Folder folder;
        for (const char* name :
             {"a.ply", "a.obj", "b.npy", "c.usda", "d.vdb", "e.gltf", "f.glb", "g.csv", "h_pieces.csv", "i.garland"}) {
            QVERIFY(::mkfifo((folder / name).c_str(), 0600) == 0);
            const auto source = open_source(folder / name);
            QVERIFY2(!source, name);
        }
        QVERIFY(said(load_project(folder / "i.garland").error()).contains("is a pipe"));
        QVERIFY(said(open_source(folder / "d.vdb").error()).contains("is a pipe"));
        fs::create_directory(folder / "folder.ply");
        QVERIFY(said(open_source(folder / "folder.ply").error()).contains("is a folder"));
    }
    void unreadable_is_not_called_missing() {
        if (::geteuid() == 0) QSKIP("the superuser can read everything");
        Folder folder;
        folder.write("a.vdb", "x");
        QVERIFY(::chmod((folder / "a.vdb").c_str(), 0) == 0);
        QCOMPARE(open_source(folder / "a.vdb").error().code, ErrorCode::unreadable);
    }
    void a_mapping_survives_its_file() {
        Folder folder;
        folder.write("m", std::string(1 << 16, 'x'));
        const auto mapped = MappedFile::open(folder / "m");
        QVERIFY(mapped);
        QVERIFY(!mapped->changed());
        QVERIFY(::truncate((folder / "m").c_str(), 100) == 0);
        const volatile char* lost = mapped->data() + 60000; // a signal without the guard
        QCOMPARE(char(*lost), '\0');
        QVERIFY(mapped->changed());
        QCOMPARE(mapped->unchanged().error().code, ErrorCode::changed);
        // Written again with as many bytes: told by its time.
        folder.write("n", std::string(5000, 'x'));
        const auto other = MappedFile::open(folder / "n");
        ::usleep(20000);
        folder.write("n", std::string(5000, 'y'));
        QVERIFY(other->changed());
    }
    // In a process of its own: files are cut, rewritten and replaced all the while they are read. It must end by
    // itself.
    void sources_that_change_while_they_are_read() {
        Folder folder;
        QVERIFY(write_ply(folder / "a.ply", tetrahedron(), PlyForm::little_endian, Existing::refuse));
        write_array(folder / "a.npy", 400, 0);
        std::string usda = "#usda 1.0\ndef Mesh \"m\"\n{\n    int[] faceVertexCounts = [3]\n    int[] "
                           "faceVertexIndices = [0, 1, 2]\n    point3f[] points.timeSamples = {\n";
        for (int f = 1; f <= 2000; ++f)
            usda += "        " + std::to_string(f) + ": [(0, 0, 0), (1, 0, " + std::to_string(f) + "), (0, 1, 0)],\n";
        usda += "    }\n}\n";
        folder.write("b.usda", usda);
        const std::string whole = folder.read("a.npy");
        const pid_t child = ::fork();
        if (child == 0) {
            int errors = 0;
            const auto until = std::chrono::steady_clock::now() + std::chrono::milliseconds(1500);
            while (std::chrono::steady_clock::now() < until) {
                for (const char* name : {"a.npy", "b.usda"}) {
                    const auto source = open_source(folder / name);
                    if (!source) {
                        ++errors;
                        continue;
                    }
                    for (std::int64_t f = (*source)->facts().first; f <= (*source)->facts().last; f += 7)
                        errors += !(*source)->read(f, Progress::none());
                }
            }
            ::_exit(errors > 0 ? 7 : 8);
        }
        int status = 0;
        for (int k = 0; ::waitpid(child, &status, WNOHANG) == 0; ++k) {
            if (k % 3 == 0) {
                if (::truncate((folder / "a.npy").c_str(), 3000) != 0 ||
                    ::truncate((folder / "b.usda").c_str(), 5000) != 0)
                    break;
            } else if (k % 3 == 1) {
                folder.write("a.npy", whole);
                folder.write("b.usda", usda);
            } else {
                QVERIFY(write_file(folder / "a.npy", whole, Existing::replace));
                QVERIFY(write_file(folder / "b.usda", usda, Existing::replace));
            }
            ::usleep(300);
        }
        QVERIFY2(WIFEXITED(status), qPrintable(QString("ended by signal %1").arg(WTERMSIG(status))));
        QCOMPARE(WEXITSTATUS(status), 7);
    }
    void a_set_of_files_is_all_or_nothing() {
        Folder folder;
        for (const char* name : {"a", "b", "c"}) folder.write(name, std::string("old ") + name);
        auto stage = [&](const char* text) {
            auto staged = StagedFiles::create(folder.path());
            for (const char* name : {"a", "b", "c"}) {
                if (!write_file(staged->folder() + "/" + name, text, Existing::refuse)) qFatal("cannot stage");
            }
            return staged;
        };
        const std::vector<StagedFiles::Place> places{{"a", "a"}, {"b", "b"}, {"c", "c"}};
        { // given up before it is published
            const auto staged = stage("never");
        }
        QCOMPARE(folder.read("a"), std::string("old a"));
        { // one that must not be replaced
            auto staged = stage("new");
            QCOMPARE(staged->publish(places, Existing::refuse).error().code, ErrorCode::exists);
        }
        { // the last one cannot be put in its place: those before it come back
            auto staged = stage("new");
            fs::remove(staged->folder() + "/c");
            QVERIFY(!staged->publish(places, Existing::replace));
        }
        for (const char* name : {"a", "b", "c"}) QCOMPARE(folder.read(name), std::string("old ") + name);
        {
            auto staged = stage("new");
            QVERIFY(staged->publish(places, Existing::replace));
        }
        for (const char* name : {"a", "b", "c"}) QCOMPARE(folder.read(name), std::string("new"));
        QCOMPARE(QDir(QString::fromStdString(folder.path()))
                     .entryList(QDir::AllEntries | QDir::Hidden | QDir::NoDotAndDotDot),
                 (QStringList{"a", "b", "c"}));
    }
    // Of a set that does not fit, the message names the file as it would have been called, not where it waited.
    void a_set_that_does_not_fit_names_its_file() {
        Folder folder;
        auto staged = StagedFiles::create(folder.path());
        const auto done = [&] {
            const SmallDisk full(64 * 1024);
            return write_file(staged->folder() + "/quay.npy", std::string(100'000, 'x'), Existing::refuse);
        }();
        QVERIFY(!done);
        QCOMPARE(done.error().code, ErrorCode::disk_full);
        QCOMPARE(done.error().path, folder / "quay.npy");
        QCOMPARE(final_place(folder / "quay.npy"), folder / "quay.npy");
    }
    // Stopped while names were being changed: the next program on this machine brings it to its end, and clears up.
    void what_a_stopped_program_left_is_finished() {
        Folder folder;
        folder.write("a", "old a");
        folder.write("b", "old b");
        const pid_t child = ::fork();
        if (child == 0) {
            auto staged = StagedFiles::create(folder.path());
            if (!staged) ::_exit(1);
            for (const char* name : {"a", "b"}) {
                if (!write_file(staged->folder() + "/" + name, std::string("new ") + name, Existing::refuse))
                    ::_exit(2);
            }
            // What publish() does first, and then only half of the rest.
            std::string journal;
            for (const char* name : {"a", "b"}) {
                struct stat about {};
                ::stat((staged->folder() + "/" + name).c_str(), &about);
                journal += std::to_string(about.st_ino) + " " + name + "/" + name + "\n";
            }
            std::ofstream(staged->folder() + "/places") << journal;
            fs::rename(staged->folder() + "/a", folder / "a");
            std::ofstream(fs::path(folder.path()) /
                          fs::path(staged->folder()).filename().concat(".x")); // not one of ours by its ending
            ::kill(::getpid(), SIGKILL);
        }
        int status = 0;
        ::waitpid(child, &status, 0);
        QVERIFY(WIFSIGNALED(status));
        clear_leftovers(folder.path());
        QCOMPARE(folder.read("a"), std::string("new a"));
        QCOMPARE(folder.read("b"), std::string("new b"));
        int left = 0;
        for (const auto& entry : fs::directory_iterator(folder.path()))
            left += is_temporary(entry.path().filename().string());
        QCOMPARE(left, 0);
    }
    void fast_copies_know_what_belongs_together() {
        Folder folder;
        for (int f = 5; f <= 9; ++f) {
            Pose pose = tetrahedron(static_cast<float>(f));
            pose.velocities.assign(4, V3f(0, 0, static_cast<float>(f)));
            QVERIFY(write_ply(folder / numbered("s.", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::refuse));
        }
        const SourcePtr source = *open_source(folder / "s.0005.ply");
        const auto done = make_fast_copy(*source, {folder / "fast"});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QVERIFY(QString::fromStdString(done->kept).contains("first frame 5"));
        QCOMPARE((*open_source(folder / "fast.ply"))->facts().first, std::int64_t(5));
        // New positions beside old velocities.
        const std::string points = folder.read("fast.npy"), velocities = folder.read("fast_velocity.npy"),
                          note = folder.read("fast.fast-copy.json");
        write_array(folder / "fast.npy", 5, 100);
        const auto mixed = open_source(folder / "fast.ply");
        QVERIFY(!mixed && said(mixed.error()).contains("do not belong together"));
        folder.write("fast.npy", points);
        QVERIFY(open_source(folder / "fast.ply"));
        folder.write("fast_velocity.npy", velocities.substr(0, 200));
        QVERIFY(!open_source(folder / "fast.ply"));
        folder.write("fast_velocity.npy", velocities);
        // Interrupted between two of them.
        folder.write("fast.fast-copy.json", unfinished_note_text());
        const auto half = open_source(folder / "fast.ply");
        QVERIFY(!half && said(half.error()).contains("interrupted"));
        for (const char* bad : {"{", "[]", "{\"garland_fast_copy\": 1, \"complete\": true, \"files\": 3}",
                                "{\"garland_fast_copy\": 1, \"complete\": true, \"scale\": -1}"}) {
            folder.write("fast.fast-copy.json", bad);
            QVERIFY2(!open_source(folder / "fast.ply"), bad);
        }
        folder.write("fast.fast-copy.json", note);
        QVERIFY(open_source(folder / "fast.ply"));
        // Arrays without a note are anybody's.
        fs::remove(folder / "fast.fast-copy.json");
        QCOMPARE((*open_source(folder / "fast.ply"))->facts().first, std::int64_t(0));
    }
    // Axis, unit, rate and first frame of files that say them: a scene in centimetres with z up at 30 frames per
    // second.
    void fast_copies_keep_what_arrays_cannot_say() {
        Folder folder;
        folder.write("z.usda", "#usda 1.0\n(\n    metersPerUnit = 0.01\n    timeCodesPerSecond = 30\n    upAxis = "
                               "\"Z\"\n)\ndef Mesh \"m\"\n{\n"
                               "    int[] faceVertexCounts = [3]\n    int[] faceVertexIndices = [0, 1, 2]\n    "
                               "vector3f[] primvars:wind = [(0, 0, 1), (0, 0, 2), (0, 0, 3)] "
                               "( interpolation = \"vertex\" )\n    float3[] primvars:paint = [(0, 0, 1), (0, 0, 2), "
                               "(0, 0, 3)] ( interpolation = \"vertex\" )\n"
                               "    point3f[] points.timeSamples = {\n        1: [(0, 0, 0), (1, 0, 0), (0, 0, 1)],\n  "
                               "      2: [(0, 0, 5), (1, 0, 5), (0, 0, 6)],\n    }\n}\n");
        const SourcePtr source = *open_source(folder / "z.usda");
        QCOMPARE(source->facts().says.up, UpAxis::z);
        const auto done = make_fast_copy(*source, {folder / "fast"});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        for (const char* words : {"first frame 1", "30 frames per second", "z up", "0.01 m per unit"})
            QVERIFY2(QString::fromStdString(done->kept).contains(words), words);
        const SourcePtr again = *open_source(folder / "fast.ply");
        const SourceFacts& facts = again->facts();
        QCOMPARE(facts.first, std::int64_t(1));
        QVERIFY(facts.says.rate && *facts.says.rate == (Rate{30, 1}));
        QCOMPARE(facts.says.up, UpAxis::z);
        QCOMPARE(facts.says.scale, 0.01);
        // What is a direction turns with the points, and what is not does not.
        PoseCache cache(std::size_t(1) << 24);
        ImportSettings settings;
        settings.up = UpAxis::z;
        for (const SourcePtr& which : {source, *open_source(folder / "fast.ply")}) {
            const Sampler sampler(which, clock_of_frames(1, 4), settings, PoseCache::new_serial(), &cache);
            const PosePtr pose = (*sampler.warm(1, Progress::none()));
            for (const Attribute& a : pose->attributes)
                QCOMPARE(V3f(a.values[0], a.values[1], a.values[2]), a.name == "wind" ? V3f(0, 1, 0) : V3f(0, 0, 1));
        }
    }
    // A late failure leaves the good old copy alone.
    void a_failed_fast_copy_leaves_the_old_one() {
        Folder folder;
        for (int f = 1; f <= 4; ++f)
            QVERIFY(write_ply(folder / numbered("s.", f, 4, ".ply"), tetrahedron(static_cast<float>(f)),
                              PlyForm::little_endian, Existing::refuse));
        QVERIFY(make_fast_copy(**open_source(folder / "s.0001.ply"), {folder / "fast"}));
        const QStringList before = folder.names();
        const std::string points = folder.read("fast.npy");
        folder.write("s.0004.ply", "ply\nbroken");
        struct StopLate : Progress {
            int reports = 0;
            void report(double, std::string_view) override { ++reports; }
            bool cancelled() const override { return reports > 6; }
        } stop;
        const auto broken = make_fast_copy(**open_source(folder / "s.0001.ply"),
                                           {folder / "fast", NpyType::f32, true, Existing::replace});
        QVERIFY(!broken && said(broken.error()).contains("all files as they were"));
        QVERIFY(write_ply(folder / "s.0004.ply", tetrahedron(4), PlyForm::little_endian, Existing::replace));
        QCOMPARE(make_fast_copy(**open_source(folder / "s.0001.ply"),
                                {folder / "fast", NpyType::f32, true, Existing::replace}, stop)
                     .error()
                     .code,
                 ErrorCode::cancelled);
        QCOMPARE(folder.names(), before);
        QCOMPARE(folder.read("fast.npy"), points);
        QVERIFY(open_source(folder / "fast.ply"));
    }
    // An empty frame means that nothing is there, in every format that has frames.
    void empty_frames() {
        Folder folder;
        const Pose nothing;
        for (int f = 1; f <= 3; ++f) {
            const Pose pose = f == 1 ? nothing : tetrahedron(static_cast<float>(f));
            QVERIFY(write_ply(folder / numbered("fire.", f, 4, ".ply"), pose,
                              f == 1 ? PlyForm::ascii : PlyForm::little_endian, Existing::refuse));
        }
        folder.write("text.1.obj", "# nothing yet\n");
        folder.write("text.2.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
        for (const char* name : {"fire.0001.ply", "text.1.obj"}) {
            const auto source = open_source(folder / name);
            QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
            QCOMPARE((*source)->facts().kind, SourceKind::mesh_sequence);
            const auto first = (*source)->read(1, Progress::none());
            QVERIFY(first && (*first)->points.empty() && (*first)->attributes.empty());
            QVERIFY((*(*source)->read(2, Progress::none()))->points.size() > 0);
            QVERIFY(!(*source)->facts().box.isEmpty());
            // Between nothing and something, in every way a pose can be made: the nearer of both.
            for (SubFrame how :
                 {SubFrame::nearest, SubFrame::linear, SubFrame::smooth, SubFrame::carried, SubFrame::level_set}) {
                PoseCache cache(std::size_t(1) << 24);
                ImportSettings settings;
                settings.how = how;
                const Sampler sampler(*source, clock_of_frames(1, 4), settings, PoseCache::new_serial(), &cache);
                const auto before = sampler.at(SourceFrame(1.25)), after = sampler.at(SourceFrame(1.75));
                QVERIFY(before && before->pose->points.empty());
                QVERIFY(after && after->pose->points.size() > 0);
            }
        }
    }
    void moving_values_of_faces_move() {
        Folder folder;
        for (int f = 1; f <= 3; ++f) {
            Pose pose = tetrahedron();
            auto faces = std::make_shared<Faces>(*pose.faces);
            faces->attributes = {{"heat", 1, {1.0f * static_cast<float>(f), 2, 3, 4}}};
            for (std::size_t c = 0; c < faces->corners.size(); ++c)
                faces->corner_uvs.emplace_back(static_cast<float>(f), static_cast<float>(c));
            pose.faces = faces;
            QVERIFY(write_ply(folder / numbered("s.", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::refuse));
        }
        const SourcePtr source = *open_source(folder / "s.0001.ply");
        for (int f = 1; f <= 3; ++f) {
            const auto pose = source->read(f, Progress::none());
            QCOMPARE((*pose)->faces->attributes[0].values[0], static_cast<float>(f));
            QCOMPARE((*pose)->faces->corner_uvs[1], V2f(static_cast<float>(f), 1));
        }
        PoseCache cache(std::size_t(1) << 24);
        const Sampler sampler(source, clock_of_frames(1, 3), ImportSettings{}, PoseCache::new_serial(), &cache);
        const auto between = sampler.at(SourceFrame(1.25));
        QCOMPARE(between->pose->faces->attributes[0].values[0], 1.25f);
        QCOMPARE(between->pose->faces->corner_uvs[1], V2f(1.25f, 1));
        QVERIFY(said(make_fast_copy(*source, {folder / "fast"}).error()).contains("faces or corners differ"));
    }
    // A fast copy in halves shows what the source shows, whichever way poses between frames are made.
    void halves_go_every_way() {
        Folder folder;
        for (int f = 1; f <= 4; ++f) {
            Pose pose = tetrahedron(static_cast<float>(f));
            pose.velocities.assign(4, V3f(static_cast<float>(8 * f), 0, 0));
            pose.normals.assign(4, V3f(0, 1, 0));
            QVERIFY(write_ply(folder / numbered("s.", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::refuse));
        }
        const SourcePtr source = *open_source(folder / "s.0001.ply");
        const auto done = make_fast_copy(*source, {folder / "half", NpyType::f16});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        const SourcePtr half = *open_source(folder / "half.ply");
        PoseCache cache(std::size_t(1) << 24);
        for (SubFrame how : {SubFrame::linear, SubFrame::smooth, SubFrame::carried}) {
            for (bool fresh : {false, true}) {
                ImportSettings settings;
                settings.how = how;
                settings.fresh_normals = fresh;
                const Sampler a(source, clock_of_frames(1, 4), settings, PoseCache::new_serial(), &cache),
                    b(half, clock_of_frames(1, 4), settings, PoseCache::new_serial(), &cache);
                const auto x = a.at(SourceFrame(2.25)), y = b.at(SourceFrame(2.25));
                QVERIFY(x && y);
                for (std::size_t i = 0; i < 4; ++i) {
                    QVERIFY((x->pose->points[i] - y->pose->points[i]).length() < 1e-3f);
                    QVERIFY((x->pose->normals[i] - y->pose->normals[i]).length() < 1e-3f);
                }
            }
        }
    }
    void nesting_is_bounded() {
        for (const char* open : {"[", "{\"a\":", "[[{\"b\":["}) {
            std::string deep;
            for (int k = 0; k < 30000; ++k) deep += open;
            QCOMPARE(read_json(deep, "deep").error().code, ErrorCode::too_large);
        }
        QVERIFY(read_json("{\"text\": \"[[[[[[[[ \\\" {{{{\"}", "fine"));
        Folder folder;
        folder.write("deep.garland",
                     "{\"garland\": 1, \"x\": " + std::string(50000, '[') + std::string(50000, ']') + "}");
        QVERIFY(said(load_project(folder / "deep.garland").error()).contains("nested"));
        folder.write("deep.gltf", "{\"asset\": {\"version\": \"2.0\"}, \"extras\": " + std::string(50000, '[') +
                                      std::string(50000, ']') + "}");
        QVERIFY(said(open_source(folder / "deep.gltf").error()).contains("nested"));
    }
    void claims_are_held_against_the_file() {
        Folder folder;
        folder.write("bomb.gltf",
                     R"({"asset":{"version":"2.0"},"buffers":[{"byteLength":16,
                "uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAAAAAA=="}],
            "bufferViews":[{"buffer":0,"byteLength":16}],"accessors":[{"componentType":5126,"count":900000000,
                "type":"VEC3",
            "sparse":{"count":1,"indices":{"bufferView":0,"componentType":5125},"values":{"bufferView":0}}}],
            "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0}],"scenes":[{"nodes":[0]}],
                "scene":0})");
        const auto bomb = open_source(folder / "bomb.gltf");
        QVERIFY(!bomb && said(bomb.error()).contains("claims 900000000 elements"));
        QFile whole(QString(GARLAND_CORPUS) + "/glb/lamp");
        QVERIFY(whole.open(QIODevice::ReadOnly));
        const std::string lamp = whole.readAll().toStdString();
        folder.write("lamp.glb", lamp);
        QVERIFY(open_source(folder / "lamp.glb"));
        for (std::size_t missing : {1u, 4u, 8u, 12u}) { // the library itself allows eight
            folder.write("lamp.glb", lamp.substr(0, lamp.size() - missing));
            const auto cut = open_source(folder / "lamp.glb");
            QVERIFY(!cut && said(cut.error()).contains("its binary part is cut short"));
        }
    }
    // Pictures are not used, so they are not opened: not even one that never answers.
    void pictures_of_gltf_are_not_touched() {
        Folder folder;
        QVERIFY(::mkfifo((folder / "paper.png").c_str(), 0600) == 0);
        folder.write("a.gltf", R"({"asset":{"version":"2.0"},"images":[{"uri":"paper.png"}],"textures":[{"source":0}],
            "materials":[{"name":"paper","pbrMetallicRoughness":{"baseColorTexture":{"index":0}}}],
            "buffers":[{"byteLength":36,"uri":"a.bin"}],"bufferViews":[{"buffer":0,"byteLength":36}],
            "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,1]}],
            "meshes":[{"primitives":[{"attributes":{"POSITION":0},"material":0}]}],"nodes":[{"mesh":0}],
                "scenes":[{"nodes":[0]}],"scene":0})");
        QVERIFY(!open_source(folder / "a.gltf")); // its buffer is not there, and the working folder's is not taken
        const float corners[9] = {0, 0, 0, 1, 0, 0, 0, 1, 0};
        folder.write("a.bin", std::string(reinterpret_cast<const char*>(corners), sizeof corners));
        const auto source = open_source(folder / "a.gltf");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
    }
    void unknown_fields_of_entries_stay() {
        const std::string text =
            R"({"garland": 1, "later": {"x": [1, 2]}, "markers": [{"at": 9, "name": "b", "colour": "red"},
                {"at": 3, "name": "a", "flag": {"deep": 1}}],
            "camera_keys": [{"at": 1, "note": "n"}],
            "sources": [{"id": 1, "name": "s", "path": "s.ply"}],
            "timings": [{"id": 2, "form": "phrases", "phrases": {"start": 1,
                "list": [{"first": 1, "last": 5, "mood": "calm"}, {"first": 1, "last": 9, "mood": "wild"}]},
                         "keys": [{"at": 1, "source": 0, "ease": 0.3}]}],
            "arrangements": [{"id": 3, "source": 1, "timing": 2,
                "targets": [{"at": 1, "place": [0, 0, 1], "why": "boat"}], "facing": "target",
                              "variants": [{"source": 1, "weight": 2, "tag": "old"}],
                              "spreads": [{"id": 4, "amount": [{"at": 1, "value": 1, "hand": "left"},
                                  {"at": 9, "value": 0}]}]}]})";
        auto project = parse_project(text, "p");
        QVERIFY2(project, project ? "" : qPrintable(said(project.error())));
        std::string out = project_text(*project);
        for (const char* kept : {"\"later\"", "\"red\"", "\"deep\"", "\"note\"", "\"calm\"", "\"wild\"", "\"ease\"",
                                 "\"boat\"", "\"old\"", "\"left\""}) {
            QVERIFY2(QString::fromStdString(out).contains(kept), kept);
        }
        QCOMPARE(project_text(*parse_project(out, "p")), out);
        // One phrase goes, another changes: what is known of the others stays with them.
        Project fewer = *project;
        fewer.timings[0].phrases.list.erase(fewer.timings[0].phrases.list.begin());
        fewer.settings.markers[0].name = "renamed";
        out = project_text(fewer);
        QVERIFY(!QString::fromStdString(out).contains("calm"));
        QVERIFY(QString::fromStdString(out).contains("wild") && QString::fromStdString(out).contains("\"deep\""));
    }
    void newer_files_say_who_may_read_them() {
        QVERIFY(parse_project(R"({"garland": 7, "reader": 1, "rate": "30"})", "p"));
        QCOMPARE(parse_project(R"({"garland": 7, "reader": 7})", "p").error().code, ErrorCode::newer_version);
        QCOMPARE(parse_project(R"({"garland": 7})", "p").error().code, ErrorCode::newer_version);
    }
};
GARLAND_TEST_CASE(FilesTest)
#include "files_test.moc"
