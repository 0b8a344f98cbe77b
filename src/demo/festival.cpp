#include "demo/festival.h"

#include "io/files/folder.h"
#include "io/npy/npy.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"

#include <filesystem>
#include <fmt/format.h>

namespace garland {

Project festival_project(const std::string& source_path) {
    Project p;
    p.settings.name = "Lantern festival";
    p.settings.rate = {24, 1};
    p.settings.range = {1, 240};
    p.settings.camera = {V3d(0, 1.95, 3.6), 7, 0, 1.5, 46};

    const SourceId id = add_source(p, "paper lantern", source_path, {0, 95, {24, 1}});
    p.source(id)->import_settings.how = SubFrame::smooth;

    Timing& sway = p.timings.front();
    sway.name = "sway";
    sway.map.keys = {{OutputFrame(1), SourceFrame(0), Toward::linear},
                     {OutputFrame(53), SourceFrame(52), Toward::linear},
                     {OutputFrame(77), SourceFrame(52), Toward::smooth},
                     {OutputFrame(125), SourceFrame(95), Toward::linear}};
    sway.before.mode = OutsideMode::there_and_back;
    sway.after.mode = OutsideMode::there_and_back;

    Arrangement& quays = p.arrangements.front();
    quays.name = "both quays";
    quays.layout.kind = ArrangementKind::grid;
    quays.layout.columns = 30;
    quays.layout.rows = 2;
    quays.layout.spacing = 1.0;
    quays.layout.row_spacing = 4.4;
    quays.layout.origin = V3d(0, 3.3, -8.5);
    quays.layout.heading = 90;
    quays.layout.swag.sag = 0.75;
    quays.layout.swag.every = 6;
    Spread order;
    order.id = SpreadId(p.next_id++);
    order.by.kind = Driver::order_total;
    order.from = 0;
    order.to = 177;
    Spread pace;
    pace.id = SpreadId(p.next_id++);
    pace.target = Target::speed;
    pace.from = -9;
    pace.to = 9;
    pace.by.seed = 7;
    quays.spreads = {order, pace};
    return p;
}

Result<void> write_lantern(const std::string& folder, Progress& progress) {
    GARLAND_CHECK(make_folder(folder));
    PartOf simulation(progress, 0, 0.95);
    GARLAND_TRY(lantern, simulate_lantern(simulation));
    progress.report(0.95, "writing");
    const std::string stem = folder + "/lantern";
    GARLAND_CHECK(write_ply(stem + ".ply", lantern.base, PlyForm::little_endian, Existing::replace));
    for (bool velocity : {false, true}) {
        const auto& frames = velocity ? lantern.velocities : lantern.frames;
        GARLAND_TRY(out, NpyWriter::create(stem + (velocity ? "_velocity.npy" : ".npy"), frames.size(),
                                           frames.front().size(), NpyType::f32, Existing::replace));
        for (const auto& frame : frames) out.add(frame);
        GARLAND_CHECK(out.commit());
    }
    return {};
}

Result<std::string> write_demo(const std::string& folder, Progress& progress) {
    GARLAND_CHECK(write_lantern(folder, progress));
    const std::string path = folder + "/festival.garland";
    GARLAND_CHECK(save_project(path, festival_project("lantern.ply"), Existing::replace));
    progress.report(1, "written");
    return path;
}

} // namespace garland
