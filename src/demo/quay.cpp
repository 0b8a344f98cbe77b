#include "demo/quay.h"

#include "core/base/parallel.h"
#include "io/files/folder.h"
#include "io/files/series.h"
#include "io/gltf/gltf.h"
#include "io/obj/obj.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"
#include "io/usd/usda_write.h"
#include "io/vdb/volume_file.h"

#include <filesystem>
#include <fmt/format.h>
#include <mutex>

namespace garland {

namespace {

constexpr Rate rate{24, 1};

std::string fan_path(std::size_t i) {
    static const char* const names[] = {"fan_folded", "fan_ajar", "fan_half", "fan_wide", "fan_open"};
    return fmt::format("{}.obj", names[i]);
}

Arrangement& place(Project& p, SourceId id, const char* name, V3d origin) {
    for (Arrangement& a : p.arrangements) {
        if (a.source != id) continue;
        a.name = name;
        a.layout.origin = origin;
        return a;
    }
    return p.arrangements.front();
}

void spread_delay(Project& p, Arrangement& a, double to, Driver driver = Driver::order_total) {
    Spread s;
    s.id = SpreadId(p.next_id++);
    s.by.kind = driver;
    s.from = 0;
    s.to = to;
    a.spreads.push_back(s);
}

void outside(Project& p, SourceId id, OutsideMode mode) {
    for (const Arrangement& a : p.arrangements) {
        if (a.source != id) continue;
        Timing& t = *p.timing(a.timing);
        t.before.mode = t.after.mode = mode;
    }
}

} // namespace

Project quay_project() {
    Project p;
    p.settings.name = "Night on the quay";
    p.settings.rate = rate;
    p.settings.range = {1, 144};
    p.settings.camera = {V3d(0, 0.75, 0.2), 6.2, 14, 12, 40};

    WaterSpec canal;
    canal.wind = 3.2, canal.height = 0.07, canal.choppiness = 0.9, canal.size = 12, canal.patch = 6,
    canal.smallest = 0.12;
    canal.resolution = 64, canal.layers = 2, canal.loop = 144, canal.direction = 20;
    SourceId id = add_water(p, "canal", canal);
    place(p, id, "canal", V3d(0, -0.35, -5.6));

    id = add_source(p, "clay jar", "jar.usda", {0, 95, rate});
    Arrangement& jars = place(p, id, "jars that fall", V3d(-1.75, 0, 0.5));
    jars.layout.count = 3, jars.layout.spacing = 0.62, jars.attitude.turn = 35;
    spread_delay(p, jars, 30);

    id = add_source(p, "pinwheel", "pinwheel.glb", {0, 96, rate});
    Arrangement& wheels = place(p, id, "pinwheels", V3d(-0.1, 0, -0.9));
    wheels.layout.kind = ArrangementKind::grid, wheels.layout.columns = 6, wheels.layout.rows = 2,
    wheels.layout.spacing = 0.56, wheels.layout.row_spacing = 0.5;
    spread_delay(p, wheels, 96, Driver::chance);
    outside(p, id, OutsideMode::repeat);
    p.timing(wheels.timing)->last_is_first = true;

    id = add_source(p, "syrup", "syrup.0000.ply", {0, syrup_frames - 1, rate});
    p.source(id)->import_settings.how = SubFrame::carried;
    Arrangement& plates = place(p, id, "plates at the stall", V3d(0.55, 0.02, 1.0));
    plates.layout.count = 3, plates.layout.spacing = 0.46, plates.size = 1.2;
    spread_delay(p, plates, 36);

    id = add_source(p, "petals", "petals.0000.ply", {0, petal_frames - 1, rate});
    p.source(id)->import_settings.how = SubFrame::smooth;
    place(p, id, "petals", V3d(0.2, 0, -0.2));

    id = add_source(p, "incense smoke", "smoke.0000.vdb", {0, 59, rate});
    p.source(id)->import_settings.how = SubFrame::carried;
    Arrangement& smoke = place(p, id, "incense", V3d(1.75, 0, 0.35));
    smoke.layout.count = 2, smoke.layout.spacing = 0.75;
    spread_delay(p, smoke, 11);
    outside(p, id, OutsideMode::there_and_back);

    id = add_source(p, "fan", fan_path(0), {0, 5 * 18 - 1, rate});
    for (std::size_t i = 0; i < 5; ++i) p.source(id)->shapes.push_back(fan_path(i));
    p.source(id)->shape_frames = 18;
    p.source(id)->import_settings.how = SubFrame::smooth;
    Arrangement& fans = place(p, id, "fans", V3d(0.5, 1.15, -0.2));
    fans.layout.count = 5, fans.layout.spacing = 0.7, fans.size = 0.8;
    spread_delay(p, fans, 40);
    outside(p, id, OutsideMode::there_and_back);
    return p;
}

Result<void> write_pinwheel(const std::string& folder) {
    return write_glb(folder + "/pinwheel.glb", pinwheel(), Existing::replace);
}

Result<void> write_petals(const std::string& folder, Progress& progress) {
    for (int f = 0; f < petal_frames; ++f) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(f) / petal_frames, "letting petals drift");
        GARLAND_CHECK(write_ply(folder + "/" + numbered("petals.", f, 4, ".ply"), *drift_petals(f),
                                PlyForm::little_endian, Existing::replace));
    }
    return {};
}

Result<std::string> write_quay(const std::string& folder, Progress& progress) {
    GARLAND_CHECK(make_folder(folder));
    const std::string base = folder + "/";
    PartOf breaking(progress, 0, 0.2), burning(progress, 0.2, 0.75), pouring(progress, 0.75, 0.95);
    GARLAND_TRY(jar, break_jar(breaking));
    GARLAND_CHECK(write_usda(base + "jar.usda", jar, rate, Existing::replace));
    GARLAND_CHECK(write_glb(base + "jar.glb", jar, Existing::replace));
    GARLAND_CHECK(write_pinwheel(folder));

    GARLAND_TRY(smoke, burn_incense(burning));
    for (std::size_t f = 0; f < smoke.size(); ++f) {
        GARLAND_CHECK(write_volume(base + numbered("smoke.", static_cast<std::int64_t>(f), 4, ".vdb"), *smoke[f],
                                   Existing::replace));
    }
    for (int f = 0; f < syrup_frames; ++f) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        pouring.report(static_cast<double>(f) / syrup_frames, "pouring syrup");
        GARLAND_CHECK(write_ply(base + numbered("syrup.", f, 4, ".ply"), *pour_syrup(f), PlyForm::little_endian,
                                Existing::replace));
    }
    PartOf drifting(progress, 0.95, 0.99);
    GARLAND_CHECK(write_petals(folder, drifting));
    const auto fans = fan_shapes();
    for (std::size_t i = 0; i < fans.size(); ++i)
        GARLAND_CHECK(write_obj(base + fan_path(i), *fans[i], Existing::replace));
    const std::string path = base + "quay.garland";
    GARLAND_CHECK(save_project(path, quay_project(), Existing::replace));
    progress.report(1, "written");
    return path;
}

} // namespace garland
