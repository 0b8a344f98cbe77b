#include "support/case.h"
#include "support/notation.h"

#include "core/source/sampler.h"

#include <atomic>
#include <thread>

using namespace garland;
using namespace garland::testing;

namespace {
PosePtr big_pose() {
    auto pose = std::make_shared<Pose>();
    pose->points.resize(1000);
    return pose;
}

// Frames first … last; point 0 stands at y = frame; faces change from `change_at` on.
class CountingSource : public Source {
  public:
    SourceFacts known;
    std::int64_t change_at = INT64_MAX;
    bool squared = false; // y = frame² instead
    mutable std::atomic<int> reads{0};
    CountingSource(std::int64_t first, std::int64_t last, std::vector<std::int64_t> missing = {}) {
        known.first = first;
        known.last = last;
        known.missing = std::move(missing);
    }
    const SourceFacts& facts() const override { return known; }
    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        ++reads;
        const auto f = static_cast<double>(frame);
        Pose pose = tetrahedron(squared ? f * f : f);
        pose.normals.assign(4, V3f(0, 0, 1));
        if (frame >= change_at) pose.points.push_back({9, 9, 9});
        return std::make_shared<const Pose>(std::move(pose));
    }
    std::vector<std::string> files() const override { return {}; }
};
} // namespace

class PoseCacheTest : public QObject {
    Q_OBJECT
  private slots:
    void least_recently_used_goes_first() {
        PoseCache cache(3 * big_pose()->bytes() + 100);
        auto get = [&](double f) { return cache.get({1, f}, [] { return Result<PosePtr>(big_pose()); }); };
        for (double f : {1., 2., 3.}) get(f);
        get(1); // 2 is now the oldest
        get(4);
        QVERIFY(cache.find({1, 1}) && cache.find({1, 3}) && cache.find({1, 4}));
        QVERIFY(!cache.find({1, 2}));
        QVERIFY(cache.use().bytes <= cache.use().limit);
        cache.set_limit(big_pose()->bytes() + 10);
        QCOMPARE(cache.use().poses, std::size_t(1));
        cache.forget(1);
        QCOMPARE(cache.use().bytes, std::size_t(0));
    }
    void too_large_is_handed_out_but_not_kept() {
        PoseCache cache(100);
        QVERIFY(cache.get({1, 1}, [] { return Result<PosePtr>(big_pose()); }));
        QCOMPARE(cache.use().poses, std::size_t(0));
    }
    void faces_count_once_however_many_poses_share_them() {
        auto with_faces = [](const std::shared_ptr<const Faces>& faces) {
            auto pose = std::make_shared<Pose>();
            pose->points.resize(10);
            pose->faces = faces;
            return PosePtr(pose);
        };
        auto faces = std::make_shared<Faces>();
        faces->corners.resize(3000);
        auto own = std::make_shared<Faces>(*faces);
        PoseCache cache(1 << 20);
        const std::size_t bare = with_faces(faces)->bytes(), many = faces->bytes();
        QVERIFY(many >= 12000);
        for (double f : {1., 2., 3.}) cache.get({1, f}, [&] { return Result<PosePtr>(with_faces(faces)); });
        QCOMPARE(cache.use().bytes, 3 * bare + many);
        cache.get({1, 4}, [&] { return Result<PosePtr>(with_faces(own)); });
        QCOMPARE(cache.use().bytes, 4 * bare + 2 * many);
        cache.set_limit(bare + many); // the last one stays, with its own faces
        QCOMPARE(cache.use().bytes, bare + many);
        QVERIFY(cache.find({1, 4}));
        cache.forget(1);
        QCOMPARE(cache.use().bytes, std::size_t(0));
    }
    void room_is_made_before_a_pose_is() {
        PoseCache cache(3 * big_pose()->bytes() + 100);
        for (double f : {1., 2., 3.}) cache.get({1, f}, [] { return Result<PosePtr>(big_pose()); });
        cache.get({1, 4}, [&] {
            if (cache.use().poses != 2)
                return Result<PosePtr>(fail(ErrorCode::invalid, "the limit does not hold while a pose is made"));
            return Result<PosePtr>(big_pose());
        });
        QVERIFY(cache.find({1, 4}));
        QCOMPARE(cache.use().poses, std::size_t(3));
    }
    void errors_are_not_kept() {
        PoseCache cache(1 << 20);
        QVERIFY(!cache.get({1, 1}, []() -> Result<PosePtr> { return fail(ErrorCode::unreadable, "no"); }));
        QVERIFY(cache.get({1, 1}, [] { return Result<PosePtr>(big_pose()); }));
    }
    void many_threads_make_a_pose_once() {
        PoseCache cache(1 << 24);
        std::atomic<int> made{0};
        std::vector<std::thread> threads;
        for (int t = 0; t < 8; ++t) {
            threads.emplace_back([&] {
                for (int k = 0; k < 200; ++k) {
                    auto pose = cache.get({1, static_cast<double>(k % 20)}, [&] {
                        ++made;
                        return Result<PosePtr>(big_pose());
                    });
                    if (!pose) ++made;
                }
            });
        }
        for (auto& t : threads) t.join();
        QCOMPARE(made.load(), 20);
    }
    void sampling_whole_and_between() {
        auto source = std::make_shared<CountingSource>(10, 20);
        PoseCache cache(1 << 20);
        const Sampler sampler(source, clock_of_frames(10, 20), {}, 7, &cache);
        QCOMPARE(sampler.at(SourceFrame(12))->pose->points[0].y, 12.0f);
        QCOMPARE(source->reads.load(), 1); // a whole frame reads one file
        QCOMPARE(sampler.at(SourceFrame(12.25))->pose->points[0].y, 12.25f);
        QCOMPARE(sampler.at(SourceFrame(-100))->pose->points[0].y, 10.0f);
        QCOMPARE(sampler.at(SourceFrame(1e9))->pose->points[0].y, 20.0f);
        const int before = source->reads;
        sampler.at(SourceFrame(12.25));
        QCOMPARE(source->reads.load(), before);
    }
    void missing_frames_show_the_one_before() {
        auto source = std::make_shared<CountingSource>(1, 9, std::vector<std::int64_t>{4, 5});
        PoseCache cache(1 << 20);
        const Sampler sampler(source, clock_of_frames(1, 9), {}, 7, &cache);
        QVERIFY(sampler.recipe(SourceFrame(5)).missing);
        QCOMPARE(sampler.at(SourceFrame(5))->pose->points[0].y, 3.0f);
        QVERIFY(!sampler.recipe(SourceFrame(6)).missing);
    }
    void smooth_goes_through_the_frames_on_both_sides() {
        auto source = std::make_shared<CountingSource>(0, 9, std::vector<std::int64_t>{6});
        source->squared = true;
        PoseCache cache(1 << 20);
        const Sampler sampler(source, clock_of_frames(0, 9), {SubFrame::smooth}, 7, &cache);
        auto y = [&](double f) { return static_cast<double>(sampler.at(SourceFrame(f))->pose->points[0].y); };
        for (double f : {1.25, 2.5, 3.75}) QVERIFY(close(y(f), f * f, 1e-5)); // a parabola is met exactly
        for (double f : {0.5, 8.25})
            QVERIFY2(close(y(f), f * f, 1e-5), qPrintable(QString::number(f))); // at both ends too
        QVERIFY(close(y(4.5), 4.5 * 4.5, 1e-5));                                // beside the gap
        const auto r = sampler.recipe(SourceFrame(4.5));
        QCOMPARE(r.before, 3);
        QCOMPARE(r.after, 7); // 6 is not there
    }
    void gaps_are_blended_across_where_asked() {
        auto source = std::make_shared<CountingSource>(1, 9, std::vector<std::int64_t>{4, 5});
        PoseCache cache(1 << 20);
        const Sampler sampler(source, clock_of_frames(1, 9), {SubFrame::linear, GapFix::blend}, 7, &cache);
        auto y = [&](double f) { return static_cast<double>(sampler.at(SourceFrame(f))->pose->points[0].y); };
        for (double f : {3.0, 3.5, 4.0, 4.75, 5.0, 5.9, 6.0, 6.5}) QVERIFY(close(y(f), f, 1e-5));
        QVERIFY(sampler.recipe(SourceFrame(4)).missing);
        QVERIFY(!sampler.recipe(SourceFrame(6.5)).missing);
    }
    void files_with_z_up_are_stood_up_and_scaled() {
        auto source = std::make_shared<CountingSource>(1, 9);
        PoseCache cache(1 << 20);
        const Sampler plain(source, clock_of_frames(1, 9), {}, 7, &cache);
        const Sampler stood(source, clock_of_frames(1, 9), {SubFrame::linear, GapFix::hold, UpAxis::z, 0.5}, 7, &cache);
        for (double f : {2.0, 2.5}) {
            const PosePtr p = plain.at(SourceFrame(f))->pose,
                          q = stood.at(SourceFrame(f))->pose; // from one cache, apart
            for (std::size_t i = 0; i < 4; ++i) {
                QCOMPARE(q->points[i], V3f(p->points[i].x, p->points[i].z, -p->points[i].y) * 0.5f);
                QCOMPARE(q->normals[i], V3f(0, 1, 0));
            }
        }
    }
    void changing_faces_are_never_mixed() {
        auto source = std::make_shared<CountingSource>(0, 9);
        source->change_at = 5;
        PoseCache cache(1 << 20);
        const Sampler sampler(source, clock_of_frames(0, 9), {}, 7, &cache);
        const auto between = sampler.at(SourceFrame(4.6));
        QVERIFY(between->nearest_instead);
        QCOMPARE(between->pose->points.size(), std::size_t(5));
        QCOMPARE(between->pose->points[0].y, 5.0f);
        QVERIFY(!sampler.at(SourceFrame(3.5))->nearest_instead);
    }
};
GARLAND_TEST_CASE(PoseCacheTest)
#include "pose_cache_test.moc"
