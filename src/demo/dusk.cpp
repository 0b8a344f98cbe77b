#include "demo/dusk.h"

#include "core/base/chance.h"
#include "core/base/cubic.h"
#include "core/base/portable_math.h"
#include "demo/building.h"
#include "demo/festival.h"
#include "demo/quay.h"
#include "io/files/sound_file.h"
#include "io/npy/npy.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"

#include <array>
#include <cmath>
#include <numbers>

namespace garland {

namespace {

constexpr Rate rate{24, 1};
constexpr double pi = std::numbers::pi;
constexpr int fan_frames = 25, bowl_frames = 48, blades = 14;

void add_quad(Faces& faces, std::uint32_t a, std::uint32_t b, std::uint32_t c, std::uint32_t d) {
    if (faces.starts.empty()) faces.starts.push_back(0);
    faces.corners.insert(faces.corners.end(), {a, b, c, d});
    faces.starts.push_back(static_cast<std::uint32_t>(faces.corners.size()));
}

// A folded paper fan, half a metre long, that opens from 8° to 170°. Its pivot is the origin.
Pose fan_pose(int frame) {
    const double share = static_cast<double>(frame) / (fan_frames - 1), eased = ease(share);
    const double opened = (8 + 162 * eased) * pi / 180;
    Pose pose;
    auto faces = std::make_shared<Faces>();
    for (int k = 0; k <= 2 * blades; ++k) {
        const double angle = pi / 2 + opened * (0.5 - k / (2.0 * blades)),
                     fold = (k % 2 ? 1 : -1) * (0.035 - 0.022 * eased);
        for (double r : {0.12, 0.5}) {
            pose.points.emplace_back(r * portable::cos(angle), r * portable::sin(angle), fold * r * 2);
            pose.colours.emplace_back(r < 0.3 ? V3f(0.35f, 0.2f, 0.13f)
                                              : V3f(0.86f, 0.36f - 0.2f * static_cast<float>(k % 2), 0.28f));
        }
    }
    for (std::uint32_t k = 0; k < 2 * blades; ++k) add_quad(*faces, 2 * k, 2 * k + 2, 2 * k + 3, 2 * k + 1);
    pose.faces = faces;
    return pose;
}

// A floating bowl with a flame, rocking once around in two seconds; its last pose is its first.
Pose bowl_pose(int frame) {
    constexpr int around = 20;
    const double phase = 2 * pi * frame / bowl_frames;
    const double pitch = 0.13 * portable::sin(phase), roll = 0.1 * portable::sin(phase + 1.1);
    Pose pose;
    auto faces = std::make_shared<Faces>();
    const std::array<V3d, 5> outline{V3d(0.06, 0, 0), V3d(0.2, 0.03, 0), V3d(0.26, 0.13, 0), V3d(0.24, 0.13, 0),
                                     V3d(0.05, 0.05, 0)};
    for (std::size_t ring = 0; ring < outline.size(); ++ring) {
        for (int k = 0; k < around; ++k) {
            const double angle = 2 * pi * k / around;
            pose.points.emplace_back(outline[ring].x * portable::cos(angle), outline[ring].y,
                                     outline[ring].x * portable::sin(angle));
            pose.colours.push_back(ring < 3 ? V3f(0.2f, 0.42f, 0.46f) : V3f(0.93f, 0.78f, 0.45f));
        }
    }
    for (std::uint32_t ring = 0; ring + 1 < outline.size(); ++ring) {
        for (std::uint32_t k = 0; k < around; ++k) {
            const std::uint32_t next = (k + 1) % around;
            add_quad(*faces, ring * around + k, (ring + 1) * around + k, (ring + 1) * around + next,
                     ring * around + next);
        }
    }
    const auto flame = static_cast<std::uint32_t>(pose.points.size());
    for (const V3f& p :
         {V3f(0.03f, 0.06f, 0), V3f(0, 0.06f, 0.03f), V3f(-0.03f, 0.06f, 0), V3f(0, 0.06f, -0.03f), V3f(0, 0.19f, 0)}) {
        pose.points.push_back(p);
        pose.colours.emplace_back(1.f, 0.85f, 0.4f);
    }
    for (std::uint32_t k = 0; k < 4; ++k) {
        faces->corners.insert(faces->corners.end(), {flame + k, flame + 4, flame + (k + 1) % 4});
        faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
    }
    for (V3f& p : pose.points)
        p += V3f(static_cast<float>(-roll * static_cast<double>(p.y)),
                 static_cast<float>(pitch * static_cast<double>(p.z) + roll * static_cast<double>(p.x)),
                 static_cast<float>(-pitch * static_cast<double>(p.y)));
    pose.faces = faces;
    return pose;
}

Result<void> write_moving(const std::string& stem, int frames, Pose (*at)(int)) {
    GARLAND_CHECK(write_ply(stem + ".ply", at(0), PlyForm::little_endian, Existing::replace));
    GARLAND_TRY(out, NpyWriter::create(stem + ".npy", static_cast<std::size_t>(frames), at(0).points.size(),
                                       NpyType::f32, Existing::replace));
    for (int f = 0; f < frames; ++f) out.add(at(f).points);
    return out.commit();
}

Zone& add_zone(Project& p, const char* name, ZoneShape shape) {
    Zone z;
    z.id = ZoneId(p.next_id++);
    z.name = name;
    z.shape = shape;
    p.zones.push_back(z);
    return p.zones.back();
}

} // namespace

SoundSamples dusk_tune() {
    constexpr double sampling = 44100, seconds = 10;
    SoundSamples out;
    out.rate = sampling;
    std::vector<double> sum(static_cast<std::size_t>(sampling * seconds));
    auto note = [&](double at, double hertz, double length, double loud, double fall, bool bell) {
        for (auto k = static_cast<std::size_t>(at * sampling);
             k < sum.size() && static_cast<double>(k) < (at + length) * sampling; ++k) {
            const double t = static_cast<double>(k) / sampling - at,
                         shape = std::min(t / 0.01, 1.0) * portable::exp(-fall * t);
            double v = portable::sin(2 * pi * hertz * t);
            if (bell) v = 0.6 * v + 0.4 * portable::sin(2 * pi * hertz * 2.76 * t);
            sum[k] += loud * shape * v * std::min((length - t) / 0.02, 1.0);
        }
    };
    for (int beat = 0; beat < 20; ++beat) { // a drum every half second, the head's pitch falling
        const double at = beat * 0.5;
        for (int step = 0; step < 6; ++step)
            note(at + step * 0.012, 95 - step * 7.0, 0.16, beat % 4 == 0 ? 0.34 : 0.22, 14, false);
    }
    constexpr std::array<double, 16> flute{587.33, 659.26, 783.99, 880,    783.99, 659.26, 587.33, 493.88,
                                           587.33, 783.99, 880,    987.77, 880,    783.99, 659.26, 587.33};
    for (std::size_t k = 0; k < flute.size(); ++k)
        note(0.5 + static_cast<double>(k) * 0.58, flute[k], 0.5, 0.2, 1.2, false);
    constexpr std::array<double, 5> zither{146.83, 196, 261.63, 329.63, 392};
    for (int k = 0; k < 19; ++k)
        note(0.25 + k * 0.5, zither[static_cast<std::size_t>(k * 2) % zither.size()], 0.7, 0.22, 4, false);
    constexpr std::array<double, 4> bells{3520, 1760, 2637, 1318.5};
    for (int k = 0; k < 9; ++k) note(1.0 + k, bells[static_cast<std::size_t>(k) % bells.size()], 0.9, 0.17, 5, true);
    for (double v : sum) out.values.push_back(static_cast<float>(std::clamp(v, -1.0, 1.0)));
    return out;
}

namespace {

const std::vector<V3d> bend{V3d(-15, 0, -13), V3d(-7, 0, -10.5), V3d(-1, 0, -6.5),
                            V3d(2, 0, -1.5),  V3d(6, 0, 3),      V3d(11, 0, 5)};

// Lanterns on both quays that wake where the lamplighter comes by.
void add_lanterns(Project& p) {
    const SourceId lantern = add_source(p, "paper lantern", "lantern.ply", {0, 95, rate});
    p.source(lantern)->import_settings.how = SubFrame::smooth;
    Timing& sway = p.timings.front();
    sway.name = "sway";
    sway.after.mode = OutsideMode::there_and_back;
    const TimingId swaying = sway.id;
    p.arrangements.clear();
    Zone& glow = add_zone(p, "Lamplighter's glow", ZoneShape::ball);
    glow.size = V3d(2.4);
    glow.outer = 0.8;
    glow.path = bend;
    glow.ride = ZoneRide::path;
    glow.ride_first = OutputFrame(1), glow.ride_last = OutputFrame(200);
    glow.keys = {ZoneKey{OutputFrame(1), V3d(0, 1.2, 0)}};
    const ZoneId glowing = glow.id;
    for (bool near : {true, false}) {
        Arrangement& quay = arrange(p, lantern, swaying, near ? "near quay" : "far quay");
        quay.layout.kind = ArrangementKind::curve;
        quay.layout.count = 150;
        quay.layout.path.points = bend;
        quay.layout.path.side = near ? 1.6 : -1.6;
        quay.layout.origin = V3d(0, near ? 1.4 : 1.8, 0);
        quay.layout.swag.sag = 0.35, quay.layout.swag.every = 10;
        quay.size = 0.3;
        quay.attitude.facing = Facing::along;
        quay.jitter.turn = 40;
        quay.play.by = PlayBy::starts;
        quay.play.level.zones = {glowing};
        quay.play.threshold = near ? 0 : 0.1;
        Spread& pace = add_spread(p, quay, Target::speed, Driver::chance, -18, 18);
        pace.by.seed = 39;
        Spread& later = add_spread(p, quay, Target::delay, Driver::even, 0, 22); // nobody answers at once
        later.whole_frames = false, later.by.seed = near ? 5 : 6;
    }
}

// Pinwheels that a breeze slows.
void add_pinwheels(Project& p) {
    add_source(p, "pinwheel", "pinwheel.glb", {0, 96, rate});
    Arrangement& wheels = p.arrangements.back();
    wheels.name = "pinwheels";
    wheels.layout.kind = ArrangementKind::grid;
    wheels.layout.columns = 9, wheels.layout.rows = 7, wheels.layout.spacing = 0.62, wheels.layout.row_spacing = 0.7;
    wheels.layout.origin = V3d(-6.2, 0, 0.6), wheels.layout.heading = 20;
    Timing& turning = *p.timing(wheels.timing);
    turning.before.mode = turning.after.mode = OutsideMode::repeat;
    turning.last_is_first = true;
    add_spread(p, wheels, Target::delay, Driver::even, 0, 96).whole_frames = false;
    Zone& breeze = add_zone(p, "Breeze", ZoneShape::wall);
    breeze.inner = 0, breeze.outer = 2.5;
    breeze.keys = {ZoneKey{OutputFrame(24), V3d(-6.2, 1, -4.5), V3d(0, 20, 0)},
                   ZoneKey{OutputFrame(120), V3d(-6.2, 1, 4), V3d(0, 20, 0)},
                   ZoneKey{OutputFrame(220), V3d(-6.2, 1, -4.5), V3d(0, 20, 0)}};
    for (ZoneKey& k : breeze.keys) k.toward = Toward::smooth;
    wheels.play.by = PlayBy::speed;
    wheels.play.level.zones = {breeze.id};
    wheels.play.speed = 0.15;
}

// Bowls over which a pulse of lifts runs.
void add_bowls(Project& p) {
    add_source(p, "bowl", "bowl.ply", {0, bowl_frames - 1, rate});
    Arrangement& bowls = p.arrangements.back();
    bowls.name = "bowls afloat";
    bowls.layout.kind = ArrangementKind::curve;
    bowls.layout.count = 60;
    bowls.layout.path.points = bend;
    bowls.jitter.position = V3d(0.7, 0, 0.7);
    bowls.jitter.turn = 180;
    Timing& rocking = *p.timing(bowls.timing);
    rocking.before.mode = rocking.after.mode = OutsideMode::repeat;
    Spread& waves = add_spread(p, bowls, Target::delay, Driver::gradient, 0, 130);
    waves.by.gradient.along_path = true, waves.whole_frames = false;
    Spread& own = add_spread(p, bowls, Target::speed, Driver::chance, -20, 20);
    own.by.seed = 9;
    Pulse lift;
    lift.id = SpreadId(p.next_id++);
    lift.wave = {OutputFrame(10), 18, WaveAfter::there_and_back, 2, *parse_keys("0:0 smooth 1:1", "a response")};
    lift.lift = V3d(0, 0.7, 0);
    lift.turn = 90;
    bowls.pulses = {lift};
}

// Fans that a tune plays, band by band.
void add_fans(Project& p) {
    SoundSpec tune;
    tune.id = SoundId(p.next_id++);
    tune.name = "tune";
    tune.path = "tune.wav";
    tune.bands = {false, 12, 60, 4200, -52, -16, 3.5, 8};
    p.sounds = {tune};
    add_source(p, "paper fan", "paper_fan.ply", {0, fan_frames - 1, rate});
    Arrangement& fans = p.arrangements.back();
    fans.name = "paper fans";
    fans.layout.kind = ArrangementKind::line;
    fans.layout.count = 24;
    fans.layout.spacing = 0.36;
    fans.layout.origin = V3d(1.2, 0.2, 3.6), fans.layout.heading = -24;
    fans.play.by = PlayBy::level;
    fans.play.level.kind = LevelKind::sound;
    fans.play.level.hearing.sound = tune.id;
    add_spread(p, fans, Target::delay, Driver::even, 0, 11).whole_frames = false;
}

} // namespace

Project dusk_project() {
    Project p;
    p.settings.name = "Dusk on the canal";
    p.settings.rate = rate;
    p.settings.range = {1, 240};
    p.settings.camera = {V3d(-0.5, 0.9, -1.5), 15.5, 22, 17, 44};
    p.settings.tempo = {true, 120, OutputFrame(1), 4};

    add_lanterns(p);
    add_pinwheels(p);
    add_bowls(p);
    add_fans(p);
    return p;
}

Result<std::string> write_dusk(const std::string& folder, bool lantern_is_there, Progress& progress) {
    PartOf lanterns(progress, 0, 0.9);
    if (!lantern_is_there) GARLAND_CHECK(write_lantern(folder, lanterns));
    GARLAND_CHECK(write_pinwheel(folder));
    GARLAND_CHECK(write_moving(folder + "/bowl", bowl_frames, bowl_pose));
    GARLAND_CHECK(write_moving(folder + "/paper_fan", fan_frames, fan_pose));
    GARLAND_CHECK(write_wav(folder + "/tune.wav", dusk_tune()));
    const std::string path = folder + "/dusk.garland";
    GARLAND_CHECK(save_project(path, dusk_project(), Existing::replace));
    progress.report(1, "written");
    return path;
}

} // namespace garland
