#include "demo/canal.h"

#include "core/project/varying.h"
#include "demo/building.h"
#include "demo/festival.h"
#include "demo/quay.h"
#include "io/project/open_project.h"
#include "io/project/project_file.h"

#include <fmt/format.h>

namespace garland {

namespace {

constexpr Rate rate{24, 1};

} // namespace

Project canal_project() {
    Project p;
    p.settings.name = "Along the canal";
    p.settings.rate = rate;
    p.settings.range = {1, 240};
    p.settings.camera = {V3d(-1.6, 0.7, -2.2), 17, 24, 19, 44};

    const SourceId lantern = add_source(p, "paper lantern", "lantern.ply", {0, 95, rate});
    p.source(lantern)->import_settings.how = SubFrame::smooth;
    Timing& sway = p.timings.front();
    sway.name = "sway";
    sway.before.mode = sway.after.mode = OutsideMode::there_and_back;
    const TimingId swaying = sway.id;

    // The canal bends; a row of lanterns on each bank.
    const std::vector<V3d> bend{V3d(-16, 0, -16),  V3d(-7, 0, -13.5), V3d(-1, 0, -8.5),
                                V3d(1.5, 0, -2.5), V3d(4.5, 0, 3),    V3d(10, 0, 6.5)};
    p.arrangements.clear();
    for (bool near : {true, false}) {
        Arrangement& quay = arrange(p, lantern, swaying, near ? "near quay" : "far quay");
        quay.layout.kind = ArrangementKind::curve;
        quay.layout.count = 200;
        quay.layout.path.points = bend;
        quay.layout.path.side = near ? 1.7 : -1.7;
        quay.layout.origin = V3d(0, near ? 1.5 : 1.9, 0);
        quay.layout.swag.sag = 0.35;
        quay.layout.swag.every = 10;
        quay.size = 0.3;
        quay.attitude.facing = Facing::along;
        quay.jitter.turn = 40;
        add_spread(p, quay, Target::delay, Driver::even, 0, 190).whole_frames = false; // there and back: 190 frames
        add_spread(p, quay, Target::size, Driver::chance, -12, 12).by.seed = near ? 3 : 4;
    }

    const SourceId wheel = add_source(p, "pinwheel", "pinwheel.glb", {0, 96, rate});
    Arrangement& wheels = p.arrangements.back();
    wheels.name = "pinwheels on the square";
    wheels.layout.kind = ArrangementKind::grid;
    wheels.layout.columns = 9, wheels.layout.rows = 7, wheels.layout.spacing = 0.62, wheels.layout.row_spacing = 0.7;
    wheels.layout.origin = V3d(-5.2, 0, 1.2), wheels.layout.heading = 20;
    wheels.jitter.position = V3d(0.08, 0, 0.08);
    Timing& turning = *p.timing(wheels.timing);
    turning.before.mode = turning.after.mode = OutsideMode::repeat;
    turning.last_is_first = true;
    Spread& gusts = add_spread(p, wheels, Target::delay, Driver::noise, 0, 96);
    gusts.by.noise.patch = 1.6, gusts.by.noise.detail = 2, gusts.by.seed = 5;
    static_cast<void>(wheel);

    const SourceId petals = add_source(p, "petals", "petals.0000.ply", {0, petal_frames - 1, rate});
    p.source(petals)->import_settings.how = SubFrame::smooth;
    p.arrangements.back().name = "petals";
    p.arrangements.back().hidden = true; // only what they carry is seen
    Arrangement& afloat = arrange(p, lantern, swaying, "lanterns afloat");
    afloat.layout.kind = ArrangementKind::points;
    afloat.layout.carried.source = petals;
    afloat.layout.origin = V3d(4.6, 0.2, -2.4);
    afloat.size = 0.16;
    afloat.attitude.facing = Facing::velocity;
    afloat.begins.kind = StartKind::at_birth;
    add_spread(p, afloat, Target::delay, Driver::even, -190, 0).whole_frames =
        false; // ahead: each is born at another pose

    Arrangement& ring = arrange(p, lantern, swaying, "ring that meets");
    ring.layout.kind = ArrangementKind::ring;
    ring.layout.count = 16;
    ring.layout.radius = 1.7;
    ring.layout.origin = V3d(-2.6, 1.15, -1.9);
    ring.size = 0.5;
    ring.attitude.facing = Facing::outward;
    add_spread(p, ring, Target::delay, Driver::even, 0, 40).whole_frames = false;
    if (auto met = meet_at(ring, {OutputFrame(canal_meeting), 72, 12})) ring = met->arrangement;
    return p;
}

Result<std::string> write_canal(const std::string& folder, bool lantern_is_there, Progress& progress) {
    PartOf lanterns(progress, 0, 0.85), toys(progress, 0.85, 1);
    if (!lantern_is_there) GARLAND_CHECK(write_lantern(folder, lanterns));
    GARLAND_CHECK(write_pinwheel(folder));
    GARLAND_CHECK(write_petals(folder, toys));
    const std::string path = folder + "/canal.garland";
    GARLAND_CHECK(save_project(path, canal_project(), Existing::replace));
    // Neighbouring pinwheels turn in the same gust, and petals are born together: what that makes twins is parted by
    // the smallest change.
    GARLAND_TRY(opened, open_project(path));
    PoseCache cache(std::size_t(1) << 28);
    GARLAND_CHECK(find_groundwork(opened.project, opened.sources, cache, progress));
    const ShowPtr show = make_show(opened.project, opened.sources, cache);
    for (Arrangement& a : opened.project.arrangements) {
        if (a.layout.kind != ArrangementKind::grid && a.layout.kind != ArrangementKind::points) continue;
        GARLAND_TRY(parted, part_twins(*show, opened.project, a.id, {0, a.layout.kind == ArrangementKind::grid, {}, {}},
                                       progress));
        a.by_hand.nudges = parted.nudges;
    }
    GARLAND_CHECK(save_project(path, opened.project, Existing::replace));
    progress.report(1, "written");
    return path;
}

} // namespace garland
