// Volumes (UsdVol of the schemas of OpenUSD): a prim of the type Volume whose fields, "field:density", are OpenVDBAsset
// prims; each names a file, a moment at a time, and a grid in it.
#include "io/files/file.h"
#include "io/sources/mesh_file.h"
#include "io/usd/usd_scene.h"
#include "io/vdb/volume_file.h"

#include "core/geometry/volume_grids.h"

#include <Imath/ImathMatrixAlgo.h>

#include <algorithm>
#include <filesystem>
#include <set>

namespace garland {

namespace {

constexpr std::string_view field_start = "field:";

struct FieldFile {
    std::string path, grid;
    std::int64_t index = 0; // among grids of that name
};

// The file and grid of a field at a time. Errors: malformed, where it names none; unsupported, where it lies in a
// package or elsewhere than on this machine.
Result<FieldFile> field_file(const UsdScene& scene, const UsdVolumeField& field, double time) {
    const UsdPrim& p = scene.prim(field.prim);
    auto bad = [&](std::string what, ErrorCode code = ErrorCode::malformed) {
        return fail(Error{code, fmt::format("\"{}\" {}", p.path, what)}.at(scene.stage->path));
    };
    const UsdAttribute* asset = p.find("filePath");
    const auto at = asset ? asset->at(time) : UsdAttribute::At{};
    const auto words = at.layer ? scene.words(*asset, time) : std::vector<std::string>{};
    if (words.empty() || words.front().empty()) return bad("names no file");
    FieldFile out{words.front(), scene.word(p, "fieldName", field.name, time),
                  static_cast<std::int64_t>(scene.number(p, "fieldIndex", 0, time))};
    if (out.path.find("://") != out.path.npos)
        return bad(fmt::format("names {}, and nothing is fetched from elsewhere", out.path), ErrorCode::unsupported);
    namespace fs = std::filesystem;
    if (!fs::path(out.path).is_absolute()) {
        if (!at.layer->bytes.inside.empty())
            return bad(fmt::format("names {}, inside a package", out.path), ErrorCode::unsupported);
        out.path = (fs::path(at.layer->bytes.path).parent_path() / out.path).lexically_normal().string();
    }
    if (extension(out.path) != ".vdb")
        return bad(fmt::format("names {}, which is no OpenVDB file", file_name(out.path)), ErrorCode::unsupported);
    return out;
}

// A transform without shear, as volumes are placed. Error: unsupported.
Result<VolumePlace> place_of(M44d m, const UsdPrim& p, const std::string& path) {
    V3d size, shear;
    VolumePlace out;
    out.position = V3d(m[3][0], m[3][1], m[3][2]);
    if (!Imath::extractAndRemoveScalingAndShear(m, size, shear, false))
        return fail(Error{ErrorCode::malformed, fmt::format("\"{}\" has no size", p.path)}.at(path));
    if (shear.length() > 1e-6)
        return fail(
            Error{ErrorCode::unsupported, fmt::format("the volume \"{}\" is sheared, which is not read", p.path)}
                .at(path)
                .advise("leave the shear out, or gather its OpenVDB files"));
    out.size = size;
    out.x = V3d(m[0][0], m[0][1], m[0][2]);
    out.y = V3d(m[1][0], m[1][1], m[1][2]);
    out.z = V3d(m[2][0], m[2][1], m[2][2]);
    return out;
}

// One Volume prim as a source of volumes.
class UsdVolumeSource final : public Source {
  public:
    UsdVolumeSource(std::shared_ptr<UsdScene> scene, int prim, SourceFacts facts)
        : scene_(std::move(scene)), prim_(prim), fields_(usd_volume_fields(*scene_, prim)), facts_(std::move(facts)) {}

    Result<void> open(Progress& progress) {
        std::set<std::string> files;
        for (std::int64_t f = facts_.first; f <= facts_.last; ++f) {
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            progress.report(static_cast<double>(f - facts_.first) / static_cast<double>(facts_.frames()),
                            "looking at its files");
            for (const UsdVolumeField& field : fields_) {
                auto file = field_file(*scene_, field, static_cast<double>(f));
                if (!file) return fail(std::move(file.error()).at_frame(f));
                if (!files.insert(file->path).second) continue;
                facts_.bytes_on_disk += disk_bytes(file->path);
                auto heads = read_volume_facts(file->path);
                if (!heads && f == facts_.first) return fail(std::move(heads.error()).at_frame(f));
                if (!heads) {
                    facts_.problems.push_back({fmt::format("frame {} cannot be read: {}", f, heads.error().message),
                                               "write it again, or leave it out", f});
                    continue;
                }
                for (const GridFacts& g : *heads)
                    facts_.varies.most_points = std::max<std::size_t>(facts_.varies.most_points, g.active);
            }
        }
        files_ = scene_->stage->files;
        files_.insert(files_.end(), files.begin(), files.end());
        for (const auto& file : scene_->stage->mapped) facts_.bytes_on_disk += static_cast<double>(file->size());
        GARLAND_TRY(first, read(facts_.first, progress));
        for (const GridFacts& g : first->volume->facts()) {
            facts_.points = std::max<std::size_t>(facts_.points, g.active);
            facts_.carries.attributes.push_back(fmt::format("{} ({}{})", g.name, g.half ? "half " : "", g.type));
            facts_.carries.velocities |=
                g.type == "vector" && (g.name == "velocity" || g.name == "vel" || g.name == "v");
        }
        facts_.box = first->volume->box();
        return {};
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return files_; }
    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        const std::int64_t there = present(frame);
        if (auto same = scene_->stage->unchanged(); !same) return fail(std::move(same.error()).at_frame(there));
        try {
            auto made = volume_at(static_cast<double>(there));
            if (!made) return fail(std::move(made.error()).at_frame(there));
            auto pose = std::make_shared<Pose>();
            pose->volume = std::move(*made);
            return PosePtr(pose);
        } catch (const UsdBad& bad) {
            return fail(Error(bad.error).at_frame(there));
        }
    }

  private:
    bool seen(double time) const {
        for (int p = prim_; p >= 0; p = scene_->prim(p).parent) {
            if (!scene_->visible(p, time)) return false;
        }
        return true;
    }
    Result<VolumePtr> volume_at(double time) const {
        auto grids = std::make_unique<VolumeGrids>();
        start_volumes();
        std::map<std::string, VolumePtr> read; // several fields may lie in one file
        for (const UsdVolumeField& field : fields_) {
            if (!seen(time)) break;
            GARLAND_TRY(file, field_file(*scene_, field, time));
            VolumePtr& all = read[file.path];
            if (!all) {
                GARLAND_TRY(volume, read_volume(file.path));
                all = std::move(volume);
            }
            GARLAND_TRY(place,
                        place_of(scene_->world(field.prim, time), scene_->prim(field.prim), scene_->stage->path));
            GARLAND_TRY(grid, grid_of(*all, file));
            auto one = std::make_unique<VolumeGrids>();
            one->list.push_back(std::move(grid));
            const VolumePtr there = placed(Volume(std::move(one)), place, 1);
            for (const auto& g : there->grids().list) {
                openvdb::GridBase::Ptr named = g->copyGrid(); // its numbers are shared
                named->setName(field.name);
                grids->list.push_back(std::move(named));
            }
        }
        if (grids->list.empty()) { // nothing is there
            grids->list.push_back(openvdb::FloatGrid::create());
            grids->list.back()->setName(fields_.front().name);
        }
        return VolumePtr(std::make_shared<Volume>(std::move(grids)));
    }
    Result<openvdb::GridBase::Ptr> grid_of(const Volume& volume, const FieldFile& file) const {
        std::int64_t at = 0;
        std::string there;
        for (const auto& g : volume.grids().list) {
            if (g->getName() == file.grid && at++ == file.index) return g;
            there += (there.empty() ? "" : ", ") + g->getName();
        }
        return fail(Error{ErrorCode::not_found, fmt::format("there is no grid \"{}\" in it that is read", file.grid)}
                        .at(file.path)
                        .advise("it has " + there));
    }

    std::shared_ptr<UsdScene> scene_;
    int prim_;
    std::vector<UsdVolumeField> fields_;
    SourceFacts facts_;
    std::vector<std::string> files_;
};

} // namespace

std::vector<UsdVolumeField> usd_volume_fields(const UsdScene& scene, int prim) {
    std::vector<UsdVolumeField> out;
    for (const auto& [name, targets] : scene.prim(prim).relationships) {
        if (!name.starts_with(field_start) || targets.empty()) continue;
        const int at = scene.stage->prim_at(targets.front());
        if (at >= 0 && scene.prim(at).type == "OpenVDBAsset")
            out.push_back({std::string(name.substr(field_start.size())), at});
    }
    std::sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
    return out;
}

Result<SourcePtr> open_usd_volume(std::shared_ptr<UsdScene> scene, int prim, SourceFacts facts, Progress& progress) {
    facts.kind = SourceKind::volume;
    auto source = std::make_shared<UsdVolumeSource>(std::move(scene), prim, std::move(facts));
    GARLAND_CHECK(source->open(progress));
    return SourcePtr(source);
}

} // namespace garland
