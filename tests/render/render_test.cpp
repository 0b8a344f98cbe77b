// Pictures: against solid angles, the projection formula, the ramp of a blurred edge, Beer's law and a white furnace.
#include "support/case.h"
#include "support/hard_box.h"
#include "support/notation.h"

#include "core/base/colour.h"
#include "core/base/portable_math.h"
#include "core/geometry/volume.h"
#include "core/project/edits.h"
#include "render/render.h"
#include "render/smoke_light.h"

#include <numbers>
#include <random>
#include <tbb/global_control.h>

using namespace garland;
using namespace garland::testing;

namespace {

// Any pose, made by frame.
class Made final : public Source {
  public:
    using Make = std::function<void(double, Pose&)>;
    explicit Made(Make make, SourceKind kind = SourceKind::mesh_cache) : make_(std::move(make)) {
        facts_.last = 100, facts_.kind = kind, facts_.points = 4;
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {}; }
    Result<PosePtr> read(std::int64_t f, Progress&) const override {
        auto pose = std::make_shared<Pose>();
        pose->faces = faces_;
        make_(static_cast<double>(f), *pose);
        if (pose->faces->count() == 0 && pose->points.size() == 4) {
            auto faces = std::make_shared<Faces>();
            faces->starts = {0, 4}, faces->corners = {0, 1, 2, 3};
            if (!one_) one_ = faces;
            pose->faces = one_;
        }
        return PosePtr(pose);
    }

  private:
    SourceFacts facts_;
    Make make_;
    std::shared_ptr<const Faces> faces_ = std::make_shared<Faces>();
    mutable std::shared_ptr<const Faces> one_;
};

// An upright sheet that faces +z.
void sheet(Pose& pose, double x0, double x1, double y0, double y1, double z) {
    for (auto [x, y] : {std::pair{x0, y0}, {x1, y0}, {x1, y1}, {x0, y1}})
        pose.points.emplace_back(static_cast<float>(x), static_cast<float>(y), static_cast<float>(z));
}

} // namespace

class RenderTest : public QObject {
    Q_OBJECT
    PoseCache cache_{64 << 20};
    Project p_;
    OpenSources open_;
    PreviewLook look_;

    ShowPtr show() {
        if (auto ok = validate(p_); !ok) qFatal("%s", ok.error().message.c_str());
        return make_show(p_, open_, cache_);
    }
    void put(std::shared_ptr<Source> source) {
        p_ = Project{};
        open_.clear();
        const SourceId id = add_source(p_, "lantern", "lantern.ply", {0, 100, {24, 1}});
        open_[id] = {std::move(source), PoseCache::new_serial()};
        p_.settings.camera = {V3d(0, 5, 0), 10, 0, 0, 40}; // along −z from z = 10, at height 5
        p_.arrangements[0].layout.count = 1;
        p_.arrangements[0].layout.origin = V3d(0, 5, 0);
    }
    Picture made(double t = 10) {
        auto picture = render_frame(*show(), p_, OutputFrame(t), look_);
        if (!picture) qFatal("%s", picture.error().message.c_str());
        return *picture;
    }
    float alpha(const Picture& p, int x, int y) const {
        return p
            .rgba[(static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width) + static_cast<std::size_t>(x)) * 4 +
                  3];
    }
    double focal() const { return look_.height / (2 * std::tan(20 * std::numbers::pi / 180)); }

  private slots:
    void init() {
        look_ = PreviewLook{};
        look_.width = 200, look_.height = 120, look_.samples = 32;
        look_.transparent = true;
        look_.ground = PreviewGround::none;
    }
    void a_sphere_covers_its_solid_angle() {
        const double radius = 1.5, distance = 10;
        put(std::make_shared<Made>(
            [&](double, Pose& pose) {
                pose.ids = {7};
                pose.points.emplace_back(0.0f, 0.0f, 0.0f);
                Attribute size{"size", 1};
                size.values = {static_cast<float>(2 * radius)};
                pose.attributes.push_back(size);
            },
            SourceKind::particles));
        const Picture p = made();
        double covered = 0; // steradians: a pixel at angle θ from the view's middle has cos³θ/f²
        const double f = focal();
        for (int y = 0; y < p.height; ++y) {
            for (int x = 0; x < p.width; ++x) {
                const double dx = x + 0.5 - p.width / 2.0, dy = y + 0.5 - p.height / 2.0;
                covered += static_cast<double>(alpha(p, x, y)) * f / std::pow(dx * dx + dy * dy + f * f, 1.5);
            }
        }
        const double angle = std::asin(radius / distance), exact = 2 * std::numbers::pi * (1 - std::cos(angle));
        QVERIFY2(std::abs(covered / exact - 1) < 0.003, qPrintable(QString("%1 for %2").arg(covered).arg(exact)));
        QCOMPARE(alpha(p, 100, 60), 1.0f);
        QCOMPARE(alpha(p, 2, 2), 0.0f);
    }
    void depth_motion_numbers_and_normals_are_those_of_the_projection() {
        put(std::make_shared<Made>(
            [](double f, Pose& pose) { sheet(pose, -1 + 0.2 * f, 1 + 0.2 * f, -1, 1, -0.3 * f); }));
        p_.timings[0].before = p_.timings[0].after = {OutsideMode::hold, 0};
        look_.passes = true;
        const double t = 5; // from x = 0 to 2 and z = −1.5
        const Picture p = made(t);
        const double shown = trace(*show(), 0, OutputFrame(t))->values.moment.source;
        const double x = 0.2 * shown, z = -0.3 * shown, f = focal();
        const int px = static_cast<int>(100 + x / (10 - z) * f), py = 60;
        const std::size_t i = static_cast<std::size_t>(py * p.width + px);
        QVERIFY(close(p.depth[i], 10 - z, 1e-4));
        // the point under this pixel's middle, and where it is one frame later
        const double own_x = (px + 0.5 - 100) / f * (10 - z), own_y = (60 - py - 0.5) / f * (10 - z);
        const double next_x = 100 + (own_x + 0.2) / (10 - z + 0.3) * f, next_y = 60 - own_y / (10 - z + 0.3) * f;
        QVERIFY2(close(p.motion[i * 2], next_x - (px + 0.5), 1e-3), qPrintable(QString::number(p.motion[i * 2])));
        QVERIFY(close(p.motion[i * 2 + 1], next_y - (py + 0.5), 1e-3));
        QVERIFY(close(p.normal[i * 3 + 2], 1, 1e-6));
        QCOMPARE(p.copy[i], 1u);
        QCOMPARE(p.source[i], 1u);
        QVERIFY(close(p.source_frame[i], shown, 1e-5));
        QVERIFY(std::isinf(p.depth[0]) && p.copy[0] == 0 && std::isnan(p.source_frame[0]));
    }
    void a_moving_edge_blurs_into_its_exact_ramp() {
        const double speed = 0.5; // scene units a frame
        put(std::make_shared<Made>([&](double f, Pose& pose) { sheet(pose, -20, speed * (f - 9), -4, 4, 0); }));
        look_.samples = 512;
        const Picture p = made(10); // shows source frame 9 in the middle of the shutter
        QCOMPARE(trace(*show(), 0, OutputFrame(10))->values.moment.source, 9.0);
        const double wide = speed / 10 * focal() * look_.shutter / 360; // pixels that the edge passes
        for (int x = 80; x < 120; ++x) {
            // the mean over the pixel of: 1 left of the ramp, falling evenly to 0 right of it
            auto covered = [&](double at) { return std::clamp(0.5 - (at - 100) / wide, 0.0, 1.0); };
            double mean = 0;
            for (int k = 0; k < 200; ++k) mean += covered(x + (k + 0.5) / 200) / 200;
            QVERIFY2(std::abs(static_cast<double>(alpha(p, x, 60)) - mean) < 0.02,
                     qPrintable(QString("pixel %1: %2 for %3").arg(x).arg(alpha(p, x, 60)).arg(mean)));
        }
        look_.shutter = 0;
        const Picture sharp = made(10);
        QVERIFY(alpha(sharp, 98, 60) == 1 && alpha(sharp, 101, 60) == 0);
    }
    void a_wrap_of_a_loop_is_no_motion() {
        put(std::make_shared<Made>(
            [](double f, Pose& pose) { sheet(pose, f > 50 ? 4 : -6, f > 50 ? 6 : -4, -1, 1, 0); }));
        p_.timings[0].after = {OutsideMode::repeat, 0};
        const double last = 101; // output frame that shows source frame 100
        QCOMPARE(trace(*show(), 0, OutputFrame(last))->values.moment.source, 100.0);
        const Picture p = made(last);
        QCOMPARE(alpha(p, 100, 60), 0.0f); // nothing flew through the middle
        const int there = static_cast<int>(100 + 5.0 / 10 * focal());
        QCOMPARE(alpha(p, there, 60), 1.0f);
    }
    void a_jump_of_places_is_no_motion() {
        put(std::make_shared<Made>([](double, Pose& pose) { sheet(pose, -1, 1, -1, 1, 0); }));
        p_.arrangements[0].place_keys = {{OutputFrame(1), V3d(-5, 0, 0), V3d(0), 1, Toward::step},
                                         {OutputFrame(10), V3d(5, 0, 0), V3d(0), 1, Toward::linear}};
        const Picture p = made(10);
        QCOMPARE(alpha(p, 100, 60), 0.0f);
        QCOMPARE(alpha(p, static_cast<int>(100 + 5.0 / 10 * focal()), 60), 1.0f);
        QCOMPARE(alpha(p, static_cast<int>(100 - 5.0 / 10 * focal()), 60), 0.0f);
    }
    void light_through_smoke_falls_by_beers_law() {
        DenseGrid grid{"density", 20, 20, 20, 0.1, V3d(-0.95, -0.95, -0.95)};
        grid.values.assign(8000, 0.25f); // a block 2 m wide
        const VolumePtr volume = volume_from({grid});
        put(std::make_shared<Made>([&](double, Pose& pose) { pose.volume = volume; }, SourceKind::volume));
        look_.thickness = 3;
        look_.samples = 16;
        const Picture p = made();
        double mean = 0;
        for (int y = 55; y < 65; ++y) {
            for (int x = 95; x < 105; ++x) mean += static_cast<double>(alpha(p, x, y)) / 100;
        }
        // between the outermost voxel centres the density is whole, beyond them it falls to 0 over a voxel: 2 m in all
        QVERIFY2(std::abs(mean - (1 - std::exp(-0.25 * 3 * 2))) < 0.005, qPrintable(QString::number(mean)));
    }
    // The same law for the key light on its way to a place inside, in a cloud whose light is kept at every cell and in
    // one where it is kept at every third.
    void light_that_reaches_into_smoke_falls_by_beers_law() {
        for (const int side : {20, 80}) {
            const double voxel = 2.0 / side;
            DenseGrid grid{"density", side, side, side, voxel, V3d(-1 + voxel / 2)};
            grid.values.assign(static_cast<std::size_t>(side) * static_cast<std::size_t>(side) *
                                   static_cast<std::size_t>(side),
                               0.25f);
            const VolumePtr volume = volume_from({grid});
            put(std::make_shared<Made>([&](double, Pose& pose) { pose.volume = volume; }, SourceKind::volume));
            auto scene = TraceScene::make(*show(), p_, OutputFrame(10), look_, Progress::none());
            QVERIFY(scene);
            const SmokeLight light(**scene, V3d(0, 1, 0), 3, 1e-5, Progress::none());
            for (double height = -0.98; height < 1; height += 0.098) { // m above its middle
                const V3d cell = (*scene)->clouds()[0].cell(V3d(0.113, 5 + height, -0.271));
                const double expected = std::exp(-0.25 * 3 * (1 - height)), found = light.key(0, cell);
                QVERIFY2(
                    std::abs(found - expected) < 0.02,
                    qPrintable(QString("%1 cells, %2 m: %3, not %4").arg(side).arg(height).arg(found).arg(expected)));
            }
        }
    }
    void the_rim_of_dense_smoke_is_lit() { // one cell 1 m wide, dark inside: more light arrives further up
        DenseGrid grid{"density", 1, 1, 1, 1.0, V3d(0)};
        grid.values = {1};
        const VolumePtr volume = volume_from({grid});
        put(std::make_shared<Made>([&](double, Pose& pose) { pose.volume = volume; }, SourceKind::volume));
        auto scene = TraceScene::make(*show(), p_, OutputFrame(10), look_, Progress::none());
        QVERIFY(scene);
        const SmokeLight light(**scene, V3d(0, 1, 0), 12, 1e-5, Progress::none());
        QVERIFY(light.key(0, V3d(0)) < 0.1);
        QVERIFY(light.key(0, V3d(0, 0.5, 0)) > 0.4 && light.key(0, V3d(0, 0.9, 0)) > 0.8);
    }
    void every_cloud_on_the_way_is_found() {
        DenseGrid grid{"density", 8, 8, 8, 0.1, V3d(-0.35)};
        grid.values.assign(512, 1.0f);
        const VolumePtr volume = volume_from({grid});
        put(std::make_shared<Made>([&](double, Pose& pose) { pose.volume = volume; }, SourceKind::volume));
        p_.arrangements[0].layout.kind = ArrangementKind::grid;
        p_.arrangements[0].layout.columns = p_.arrangements[0].layout.rows = 12;
        auto scene = TraceScene::make(*show(), p_, OutputFrame(10), look_, Progress::none());
        QVERIFY(scene && (*scene)->clouds().size() == 144);
        std::mt19937 dice(5);
        std::uniform_real_distribution<double> any(-1, 1);
        std::size_t met = 0;
        std::vector<TraceScene::CloudSpan> found;
        for (int n = 0; n < 2000; ++n) {
            const V3d from(8 * any(dice), 5 + any(dice), 8 * any(dice));
            const V3d way = V3d(any(dice), 0.1 * any(dice), any(dice)).normalized();
            (*scene)->clouds_along(from, way, found);
            std::vector<std::uint32_t> expected, numbers;
            for (std::uint32_t c = 0; c < 144; ++c) {
                double low = 0, high = 1e30;
                if ((*scene)->clouds()[c].crossed(from, way, low, high)) expected.push_back(c);
            }
            for (const auto& span : found) numbers.push_back(span.cloud);
            QVERIFY(numbers == expected);
            met += expected.size();
        }
        QVERIFY(met > 2000);
    }
    void a_grey_sphere_in_a_white_furnace_keeps_its_albedo() {
        put(std::make_shared<Made>(
            [](double, Pose& pose) {
                pose.ids = {1};
                pose.points.emplace_back(0.0f, 0.0f, 0.0f);
                Attribute size{"size", 1};
                size.values = {3};
                pose.attributes.push_back(size);
                pose.colours.emplace_back(0.7353585f, 0.7353585f, 0.7353585f); // sRGB of 0.5
            },
            SourceKind::particles));
        look_.light.key = V3f(0);
        look_.light.zenith = look_.light.horizon = look_.light.below = V3f(1);
        look_.samples = 16;
        const Picture p = made();
        for (int y = 40; y < 80; ++y) {
            for (int x = 80; x < 120; ++x) {
                if (alpha(p, x, y) < 1) continue;
                const float v = p.rgba[static_cast<std::size_t>(y * p.width + x) * 4];
                QVERIFY2(std::abs(v - 0.5f) < 0.005f, qPrintable(QString::number(v)));
            }
        }
    }
    // A box that turns: with normals of corners each pixel has the normal of the face it shows; without, hardly any.
    void hard_edges_are_seen() {
        for (const bool hard : {true, false}) {
            put(std::make_shared<Made>([hard](double f, Pose& pose) {
                pose = hard_box();
                const auto c = static_cast<float>(portable::cos(0.05 * f)),
                           s = static_cast<float>(portable::sin(0.05 * f));
                for (auto* list : {&pose.points, &pose.corner_normals}) {
                    for (V3f& v : *list) v = V3f(c * v.x + s * v.z, v.y, c * v.z - s * v.x);
                }
                if (!hard) pose.corner_normals.clear();
            }));
            look_.passes = true;
            const Picture picture = made(13);
            const double angle = 0.05 * 12; // output frame 1 shows source frame 0
            int seen = 0, flat = 0;
            for (std::size_t i = 0; i < picture.pixels(); ++i) {
                if (picture.copy[i] == 0) continue;
                ++seen;
                const float* n = &picture.normal[i * 3];
                for (const V3f& face :
                     {V3f(static_cast<float>(std::sin(angle)), 0, static_cast<float>(std::cos(angle))),
                      V3f(-static_cast<float>(std::cos(angle)), 0, static_cast<float>(std::sin(angle)))})
                    flat += (V3f(n[0], n[1], n[2]) - face).length() < 1e-4f;
            }
            QVERIFY(seen > 100);
            QVERIFY2(hard ? flat == seen : flat < seen / 10, qPrintable(QString("%1 of %2").arg(flat).arg(seen)));
        }
    }
    void the_same_bytes_on_any_number_of_threads() {
        put(std::make_shared<Made>([](double f, Pose& pose) { sheet(pose, -1 + 0.1 * f, 1, -1, 1, -0.05 * f); }));
        p_.arrangements[0].layout.count = 30, p_.arrangements[0].layout.spacing = 0.4;
        look_.ground = PreviewGround::shown;
        look_.transparent = false;
        look_.passes = true;
        look_.samples = 8;
        const Picture whole = made();
        {
            tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
            const Picture single = made();
            QVERIFY(single.rgba == whole.rgba && single.depth == whole.depth && single.motion == whole.motion);
        }
        QVERIFY(made(11).rgba != whole.rgba);
        // Smoke and its light too.
        DenseGrid grid{"density", 12, 12, 12, 0.1, V3d(-0.55)};
        for (int i = 0; i < 1728; ++i) grid.values.push_back(static_cast<float>(i % 7) / 7);
        const VolumePtr volume = volume_from({grid});
        put(std::make_shared<Made>([&](double, Pose& pose) { pose.volume = volume; }, SourceKind::volume));
        p_.arrangements[0].layout.count = 9, p_.arrangements[0].layout.spacing = 0.8;
        const Picture smoke = made();
        tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        QVERIFY(made().rgba == smoke.rgba);
    }
    void ground_takes_shadows_and_can_be_left_out() {
        put(std::make_shared<Made>([](double, Pose& pose) { // a lid that lies level
            for (auto [x, z] : {std::pair{-1.0f, -1.0f}, {-1.0f, 1.0f}, {1.0f, 1.0f}, {1.0f, -1.0f}})
                pose.points.emplace_back(x, 0.0f, z);
        }));
        p_.arrangements[0].layout.origin = V3d(0, 2, 0);
        p_.settings.camera = {V3d(0, 0, 0), 12, 0, 60, 40};
        look_.light.key_elevation = 90; // from straight above: its shadow lies under it
        look_.ground = PreviewGround::shadow;
        look_.samples = 64;
        Picture p = made();
        double dark = 0;
        for (int y = 0; y < p.height; ++y) {
            for (int x = 0; x < p.width; ++x) {
                const std::size_t i = static_cast<std::size_t>(y * p.width + x) * 4;
                if (p.rgba[i] == 0 && p.rgba[i + 3] > 0.2f) dark += 1;
            }
        }
        QVERIFY(dark > 100); // black where only the shadow is
        QVERIFY(alpha(p, 2, 2) < 0.05f);
        look_.ground = PreviewGround::shown;
        look_.transparent = false;
        p = made();
        QCOMPARE(alpha(p, 2, 2), 1.0f);
    }
    void water_is_its_own_ground() {
        auto level = [](double, Pose& pose) { // a trough below height 0
            for (auto [x, z] : {std::pair{-3.0f, -3.0f}, {-3.0f, 3.0f}, {3.0f, 3.0f}, {3.0f, -3.0f}})
                pose.points.emplace_back(x, -0.4f, z);
        };
        look_.ground = PreviewGround::shown;
        look_.passes = true;
        for (const SourceKind kind : {SourceKind::mesh_cache, SourceKind::water}) {
            put(std::make_shared<Made>(level, kind));
            p_.arrangements[0].layout.origin = V3d(0);
            p_.settings.camera = {V3d(0), 10, 0, 60, 40};
            const Picture p = made();
            QCOMPARE(p.copy[60 * 200 + 100], kind == SourceKind::water ? 1u : 0u); // a mesh lies under the ground
        }
    }
    // Four copies, the first two with the same delay: they are twins, and a spread of sizes tells all four apart.
    void twins_and_spreads_have_colours() {
        put(std::make_shared<Made>([](double f, Pose& pose) { sheet(pose, -0.1, 0.1 + 0.001 * f, -0.1, 0.1, 0); }));
        Arrangement& a = p_.arrangements[0];
        a.layout.count = 4, a.layout.spacing = 1;
        p_.settings.range = {1, 40};
        Spread delay, size;
        delay.id = SpreadId(p_.next_id++), size.id = SpreadId(p_.next_id++);
        delay.target = Target::delay, delay.by.kind = Driver::order_total, delay.to = 30;
        size.target = Target::size, size.by.kind = Driver::order_total, size.from = -50, size.to = 50;
        a.spreads = {delay, size};
        a.by_hand.nudges.push_back({show()->arrangements[0].places[1].id, -10}); // as late as the first
        look_.colour = PreviewColour::twins;
        QVERIFY(mark_twins(*show(), look_));
        QCOMPARE(look_.marked, (std::vector<std::int64_t>{0, 1}));
        auto tints = [&] {
            const auto scene = TraceScene::make(*show(), p_, OutputFrame(10), look_, Progress::none());
            if (!scene) qFatal("%s", scene.error().message.c_str());
            std::vector<V3f> out;
            for (const TraceScene::Copy& c : (*scene)->copies()) out.push_back(c.tint);
            return out;
        };
        auto all = tints();
        QVERIFY(all[0] == all[1] && all[2] == all[3] && all[0] != all[2] && all[0].x > 2 * all[0].y);
        look_.marked.clear();
        look_.colour = PreviewColour::spread; // the first one: delays
        all = tints();
        auto ramp = [](double share) {
            const Rgb c = ramp_colour(RampKind::sequential, share);
            return V3f(static_cast<float>(srgb_linear(c.r)), static_cast<float>(srgb_linear(c.g)),
                       static_cast<float>(srgb_linear(c.b)));
        };
        for (std::size_t i = 0; i < 4; ++i) QVERIFY((all[i] - ramp(static_cast<double>(i) / 3)).length() < 1e-5f);
        a.spreads[1].to = 0; // −50 … 0 %
        look_.spread = size.id;
        QVERIFY((tints()[3] - ramp(1)).length() < 1e-5f);
        const ShowPtr held = show(); // the values are its own
        const GivenValues* given = shown_spread(*held, p_, look_);
        QVERIFY(given && given_words(given->spread.target, -50) == "50 % smaller");
        look_.spread = SpreadId(999); // there is none: grey
        all = tints();
        QVERIFY(all[0] == all[3]);
    }
    void bad_looks_are_refused_with_words() {
        put(std::make_shared<Made>([](double, Pose& pose) { sheet(pose, -1, 1, -1, 1, 0); }));
        auto said = [&] {
            auto p = render_frame(*show(), p_, OutputFrame(1), look_);
            return p ? std::string() : p.error().message;
        };
        look_.width = 0;
        QVERIFY(said().find("0 × 120 pixels") != std::string::npos);
        look_.width = 100'000;
        QVERIFY(said().find("100000 × 120 pixels") != std::string::npos);
        look_.width = 20, look_.samples = 0;
        QVERIFY(said().find("0 samples") != std::string::npos);
        look_.samples = 1, look_.motion_steps = 4;
        QVERIFY(said().find("motion") != std::string::npos);
        look_.motion_steps = 3;
        QVERIFY(said().empty());
        p_.arrangements[0].hidden = true; // a frame with nothing in it is a picture of nothing
        QCOMPARE(alpha(made(), 10, 60), 0.0f);
    }
};
GARLAND_TEST_CASE(RenderTest)
#include "render_test.moc"
