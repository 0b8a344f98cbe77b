#include "io/usd/timed_references.h"

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/copies/attitude.h"
#include "core/project/clock_pieces.h"
#include "io/files/staged_files.h"
#include "io/usd/pose_prim.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <set>

namespace garland {

namespace {

// A step is four samples this close together, source frames: readers that count in floats may miss one of them.
double closeness(double s) {
    return std::max(0x1p-16, std::abs(s) * 0x1p-20);
}

struct Asset {
    SourceId source;
    const Sampler* sampler = nullptr;
    std::string word;                    // in file names and as its prim
    double first = 1e300, last = -1e300; // source frames that are used
    std::vector<const ArrangementShow*> shows;
};

// Why an arrangement cannot be held; empty: it can.
std::string reason_against_timing(const ArrangementShow& a) {
    const SourceFacts& facts = a.sampler.source()->facts();
    if (facts.kind == SourceKind::volume) return "a volume: hand it off as posed copies";
    if (facts.kind == SourceKind::particles)
        return "particles are born and die between samples: hand them off as shared poses";
    if (a.sampler.how() == SubFrame::level_set)
        return "its faces are meshed anew between frames: hand it off as shared poses or posed copies";
    if (a.plan.fades())
        return "its phrases fade into each other, which takes two poses at once: hand it off as shared poses";
    return {};
}

struct Split {
    std::vector<Asset> assets;
    std::vector<std::string> left_out;
    std::int64_t copies = 0;
};

Split split(const Show& show) {
    Split out;
    std::set<std::string> words;
    for (const ArrangementShow& a : show.arrangements) {
        if (!a.usable || a.places.empty()) continue;
        if (const std::string why = reason_against_timing(a); !why.empty()) {
            out.left_out.push_back(fmt::format("{} ({})", a.spec.name, why));
            continue;
        }
        out.copies += static_cast<std::int64_t>(a.places.size());
        auto at =
            std::find_if(out.assets.begin(), out.assets.end(), [&](const Asset& s) { return s.source == a.source; });
        if (at == out.assets.end()) {
            Asset one{a.source, &a.sampler, {}, 1e300, -1e300, {}};
            const auto files = a.sampler.source()->files();
            const std::string name = files.empty() ? a.spec.name : file_name(files.front());
            const std::string word = usd_identifier(name.substr(0, name.find('.')));
            one.word = word;
            for (int k = 2; !words.insert(one.word).second; ++k) one.word = fmt::format("{}_{}", word, k);
            out.assets.push_back(std::move(one));
            at = std::prev(out.assets.end());
        }
        at->shows.push_back(&a);
    }
    return out;
}

std::string stem(const TimedReferencesOrder& order) {
    const std::string name = file_name(order.path);
    return name.substr(0, name.size() - extension(name).size());
}
std::string asset_file(const TimedReferencesOrder& order, const Asset& a) {
    return stem(order) + "." + a.word + ending_of(usd_form(order.path));
}
std::string manifest_file(const TimedReferencesOrder& order, const Asset& a) {
    return stem(order) + "." + a.word + ".clips" + ending_of(usd_form(order.path));
}

std::vector<std::string> files_of(const TimedReferencesOrder& order, const std::vector<Asset>& assets) {
    std::vector<std::string> names{file_name(order.path)};
    for (const Asset& a : assets) names.push_back(asset_file(order, a)), names.push_back(manifest_file(order, a));
    return names;
}

// ---- the geometry of one source
// --------------------------------------------------------------------------------------

struct Moment {
    double time = 0;              // where the sample stands, source frames
    std::int64_t file_before = 0; // of what lies between this sample and the next
    SourceFrame shown{};          // the pose
};

std::vector<Moment> moments_of(const Asset& asset, int per_frame) {
    const SourceClock& clock = asset.sampler->clock();
    const auto from = static_cast<std::int64_t>(std::floor(clock.file_frame(SourceFrame(asset.first))));
    const auto to = static_cast<std::int64_t>(std::ceil(clock.file_frame(SourceFrame(asset.last))));
    auto source = [&](double file) {
        return clock.first + (file - static_cast<double>(clock.file_first)) / clock.files_per_frame;
    };
    const SourceFacts& facts = asset.sampler->source()->facts();
    const bool steps = asset.sampler->how() == SubFrame::nearest || facts.kind == SourceKind::mesh_sequence;
    const bool bent = !steps && (asset.sampler->how() != SubFrame::linear || asset.sampler->source()->any_time());
    const int parts = bent ? per_frame : 1;
    std::vector<Moment> out;
    for (std::int64_t f = from; f <= to; ++f) {
        const auto file = static_cast<double>(f);
        if (steps && f > from) { // halfway counts as the later one
            const double half = source(file - 0.5).value;
            const double near = closeness(half);
            out.push_back({half - 2 * near, f - 1, source(file - 1)});
            out.push_back({half - near, f - 1, source(file - 1)});
            out.push_back({half, f, source(file)});
            out.push_back({half + near, f, source(file)});
        }
        if (steps && f > from && f < to) continue;
        for (int k = 0; k < (f < to ? parts : 1); ++k) {
            const SourceFrame s = source(file + static_cast<double>(k) / parts);
            out.push_back({s.value, f, s});
        }
    }
    return out;
}

// Between two samples readers go straight; how far from there the pose in the middle is.
Result<double> off_between(const Asset& asset, const Moment& a, const Moment& b, Progress& progress) {
    if (b.time - a.time <= closeness(a.time) * 2) return 0.0;
    GARLAND_TRY(one, asset.sampler->at(a.shown, progress));
    GARLAND_TRY(two, asset.sampler->at(b.shown, progress));
    GARLAND_TRY(middle, asset.sampler->at(SourceFrame((a.time + b.time) / 2), progress));
    const auto &p = one.pose->points, &q = two.pose->points, &m = middle.pose->points;
    if (p.size() != q.size() || m.size() != p.size()) return 0.0;
    double most = 0;
    for (std::size_t i = 0; i < m.size(); ++i)
        most = std::max(most, static_cast<double>(((p[i] + q[i]) * 0.5f - m[i]).length()));
    return most;
}

struct Written {
    std::uint64_t bytes = 0;
    double worst = 0;
    std::vector<std::pair<std::string, std::string>> moving; // type and name of what has samples
};

Result<Written> write_asset(const Asset& asset, const TimedReferencesOrder& order, Rate rate, const std::string& path,
                            Progress& progress) {
    GARLAND_TRY(layer, UsdLayerWriter::create(path, usd_form(order.path), Existing::refuse));
    const auto moments = moments_of(asset, order.per_frame);
    put_header(layer, asset.word, moments.front().time, moments.back().time, rate);
    UsdOutPrim& top = layer.root().child(UsdOutPrim::def, "Xform", asset.word);
    UsdOutPrim& mesh = top.child(UsdOutPrim::def, "Mesh", "mesh");
    Written out;
    for (std::size_t i = 0; i < moments.size(); ++i) {
        progress.report(static_cast<double>(i) / static_cast<double>(moments.size()),
                        fmt::format("{}, frame {}", asset.word, moments[i].file_before));
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped while writing " + asset.word);
        GARLAND_TRY(sampled, asset.sampler->at(moments[i].shown, progress));
        const Pose& pose = *sampled.pose;
        put_pose(layer, mesh, moments[i].time, pose, shared_lists_of(pose, order.as.attributes));
        if (i == 0) continue;
        GARLAND_TRY(off, off_between(asset, moments[i - 1], moments[i], progress));
        out.worst = std::max(out.worst, off);
    }
    layer.set_uniform(mesh, "token", "subdivisionScheme", usd_token("none"));
    GARLAND_CHECK(layer.finish());
    GARLAND_CHECK(layer.publish());
    out.bytes = layer.bytes();
    for (const auto& p : mesh.properties) {
        if (!p->samples.empty()) out.moving.emplace_back(p->type, p->name);
    }
    return out;
}

Result<std::uint64_t> write_manifest(const Asset& asset, const Written& written, const std::string& path) {
    GARLAND_TRY(layer, UsdLayerWriter::create(path, usd_form(path), Existing::refuse));
    layer.about(layer.root(), "defaultPrim", usd_token(asset.word));
    UsdOutPrim& mesh = layer.root().child(UsdOutPrim::over, "", asset.word).child(UsdOutPrim::over, "", "mesh");
    for (const auto& [type, name] : written.moving) mesh.property(type, name);
    GARLAND_CHECK(layer.finish());
    GARLAND_CHECK(layer.publish());
    return layer.bytes();
}

// ---- the copies
// ------------------------------------------------------------------------------------------------------

void put_place(UsdLayerWriter& layer, UsdOutPrim& prim, const Placement& p, std::optional<double> time) {
    const Imath::Quatd q = attitude_of(p);
    const UsdValue place = usd_double3(p.position), turn = usd_quatf(static_cast<float>(q.r), V3f(q.v)),
                   size = usd_float3(p.stretch * static_cast<float>(p.size));
    if (time) {
        layer.sample(prim, "double3", "xformOp:translate", *time, place);
        layer.sample(prim, "quatf", "xformOp:orient", *time, turn);
        layer.sample(prim, "float3", "xformOp:scale", *time, size);
        return;
    }
    layer.set(prim, "double3", "xformOp:translate", place);
    layer.set(prim, "quatf", "xformOp:orient", turn);
    layer.set(prim, "float3", "xformOp:scale", size);
}

class CopyWriter {
  public:
    CopyWriter(UsdLayerWriter& layer, const Show& show, const TimedReferencesOrder& order)
        : layer_(layer), show_(show), order_(order) {}

    Result<void> add(UsdOutPrim& parent, const ArrangementShow& a, const Asset& asset,
                     const std::vector<ClockPieces>& clocks, Progress& progress) {
        std::vector<UsdOutPrim*> prims;
        for (std::size_t i = 0; i < clocks.size(); ++i) prims.push_back(&copy(parent, a, i, asset, clocks[i]));
        if (!a.moves()) {
            for (std::size_t i = 0; i < prims.size(); ++i) put_place(layer_, *prims[i], a.places[i], {});
            for (std::size_t i = 0; i < prims.size(); ++i) shown(*prims[i], clocks[i], {});
        } else {
            std::vector<std::vector<std::pair<double, bool>>> gone(prims.size());
            for (std::int64_t f = order_.frames.first; f <= order_.frames.last; ++f) {
                progress.report(static_cast<double>(f - order_.frames.first) /
                                    static_cast<double>(order_.frames.count()),
                                fmt::format("places at frame {}", f));
                if (progress.cancelled()) return fail(ErrorCode::cancelled, fmt::format("stopped at frame {}", f));
                const auto t = static_cast<double>(f);
                GARLAND_TRY(standing, places_at(a, OutputFrame(t), false, progress));
                for (std::size_t i = 0; i < prims.size(); ++i) {
                    put_place(layer_, *prims[i], standing.places[i], t);
                    if (!standing.gone.empty()) gone[i].emplace_back(t, standing.gone[i] != 0);
                }
            }
            for (std::size_t i = 0; i < prims.size(); ++i) shown(*prims[i], clocks[i], gone[i]);
        }
        for (UsdOutPrim* p : prims)
            layer_.set_uniform(*p, "token[]", "xformOpOrder",
                               usd_tokens({"xformOp:translate", "xformOp:orient", "xformOp:scale"}));
        return {};
    }

  private:
    UsdOutPrim& copy(UsdOutPrim& parent, const ArrangementShow& a, std::size_t i, const Asset& asset,
                     const ClockPieces& clock) {
        UsdOutPrim& prim =
            parent.child(UsdOutPrim::def, "Xform", usd_identifier(copy_name(a.number(i), show_.copies())));
        const std::string file = "./" + asset_file(order_, asset), root = "/" + asset.word;
        layer_.about(prim, "references", usd_reference(file, root));
        std::vector<double> times;
        for (const ClockPoint& p : clock.points) times.push_back(p.output), times.push_back(p.source);
        const std::vector<double> active{clock.points.empty() ? 0 : clock.points.front().output, 0};
        if (!clock.points.empty()) {
            auto table = usd_dictionary({{"active", usd_numbers(UsdType::double2, active.data(), 1)},
                                         {"assetPaths", usd_assets({file})},
                                         {"manifestAssetPath", usd_asset("./" + manifest_file(order_, asset))},
                                         {"primPath", usd_string(root)},
                                         {"times", usd_numbers(UsdType::double2, times.data(), times.size() / 2)}});
            layer_.about(prim, "clips", usd_dictionary({{"default", std::move(table)}}));
        }
        return prim;
    }

    void shown(UsdOutPrim& prim, const ClockPieces& clock, const std::vector<std::pair<double, bool>>& gone) {
        if (clock.shown.size() == 1 && clock.shown.front().shown &&
            std::none_of(gone.begin(), gone.end(), [](const auto& g) { return g.second; }))
            return;
        std::set<double> times;
        for (const auto& s : clock.shown) times.insert(s.from);
        for (const auto& g : gone) times.insert(g.first);
        std::size_t c = 0, g = 0;
        std::optional<bool> before;
        for (const double t : times) {
            while (c + 1 < clock.shown.size() && clock.shown[c + 1].from <= t) ++c;
            while (g + 1 < gone.size() && gone[g + 1].first <= t) ++g;
            const bool is = clock.shown[c].shown && (gone.empty() || !gone[g].second);
            if (before == is) continue;
            before = is;
            layer_.sample(prim, "token", "visibility", t, usd_token(is ? "inherited" : "invisible"));
        }
    }

    UsdLayerWriter& layer_;
    const Show& show_;
    const TimedReferencesOrder& order_;
};

std::vector<ClockPieces> clocks_of(const ArrangementShow& a, const TimedReferencesOrder& order) {
    std::vector<ClockPieces> out(a.places.size());
    const auto from = static_cast<double>(order.frames.first), to = static_cast<double>(order.frames.last);
    parallel_for(out.size(), 4, [&](std::size_t b, std::size_t e) {
        for (std::size_t i = b; i < e; ++i) out[i] = clock_pieces(a, i, from, to, order.tolerance);
    });
    return out;
}

} // namespace

Result<TimedReferencesPlan> plan_timed_references(const Show& show, const TimedReferencesOrder& order,
                                                  Progress& progress) {
    GARLAND_CHECK(valid_tables(order.frames, order.tolerance, order.per_frame));
    const Split parts = split(show);
    TimedReferencesPlan plan;
    plan.left_out = parts.left_out;
    plan.copies = parts.copies;
    const std::string folder = folder_of(order.path);
    for (const std::string& name : files_of(order, parts.assets)) {
        ++plan.files;
        plan.there += file_exists(folder + "/" + name);
    }
    const bool text = usd_form(order.path) == UsdForm::text;
    for (const Asset& a : parts.assets) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        GARLAND_TRY(first, a.sampler->at(a.sampler->clock().first, progress));
        const double numbers =
            3.0 * static_cast<double>(first.pose->points.size() + lists_of(*first.pose).normals.size());
        plan.bytes += static_cast<double>(a.sampler->source()->facts().frames()) * numbers * (text ? 12 : 4);
        for (const ArrangementShow* show_of : a.shows) {
            const double each = text ? 420 : 180,
                         moving = show_of->moves() ? static_cast<double>(order.frames.count()) * (text ? 90 : 76) : 0;
            plan.bytes += static_cast<double>(show_of->places.size()) * (each + 200 + moving);
        }
    }
    plan.free = free_space(folder);
    return plan;
}

namespace {

Result<TimedReferencesDone> write_all(const Show& show, const TimedReferencesOrder& order, Progress& progress) {
    TimedReferencesDone done;
    GARLAND_TRY(plan, plan_timed_references(show, order, progress));
    done.plan = std::move(plan);
    Split parts = split(show);
    if (parts.assets.empty())
        return fail(Error{ErrorCode::unsupported, "there is no copy that can be written as a reference with timing"}
                        .keeping("nothing was written")
                        .advise(parts.left_out.empty() ? "add copies first" : parts.left_out.front()));
    GARLAND_TRY(staged, StagedFiles::create(folder_of(order.path)));
    const std::string layer_path = staged.folder() + "/" + file_name(order.path);
    GARLAND_TRY(layer, UsdLayerWriter::create(layer_path, usd_form(order.path), Existing::refuse));
    const std::string top = usd_identifier(order.name);
    put_header(layer, top, static_cast<double>(order.frames.first), static_cast<double>(order.frames.last),
               show.settings.rate, order.as);
    UsdOutPrim& root = layer.root().child(UsdOutPrim::def, "Xform", top);
    put_space(layer, root, order.as);
    CopyWriter copies(layer, show, order);
    const double each = 1 / static_cast<double>(parts.assets.size());
    double at = 0;
    for (Asset& asset : parts.assets) {
        PartOf placing(progress, at, at + each / 2), posing(progress, at + each / 2, at + each);
        at += each;
        for (const ArrangementShow* a : asset.shows) {
            progress.report(at - each, "clocks");
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            const auto clocks = clocks_of(*a, order);
            for (const ClockPieces& c : clocks) {
                done.keys += static_cast<std::int64_t>(c.points.size());
                done.worst_clock = std::max(done.worst_clock, c.worst);
                for (const ClockPoint& p : c.points)
                    asset.first = std::min(asset.first, p.source), asset.last = std::max(asset.last, p.source);
            }
            GARLAND_CHECK(copies.add(root, *a, asset, clocks, placing));
        }
        if (asset.first > asset.last) asset.first = asset.last = asset.sampler->clock().first.value; // never shown
        GARLAND_TRY(written, write_asset(asset, order, show.settings.rate,
                                         staged.folder() + "/" + asset_file(order, asset), posing));
        done.bytes += static_cast<double>(written.bytes);
        done.worst_point = std::max(done.worst_point, written.worst);
        GARLAND_TRY(small, write_manifest(asset, written, staged.folder() + "/" + manifest_file(order, asset)));
        done.bytes += static_cast<double>(small);
    }
    GARLAND_CHECK(layer.finish());
    GARLAND_CHECK(layer.publish());
    done.bytes += static_cast<double>(layer.bytes());
    std::vector<StagedFiles::Place> places;
    for (const std::string& name : files_of(order, parts.assets)) {
        places.push_back({name, name});
        done.files.push_back(folder_of(order.path) + "/" + name);
    }
    GARLAND_CHECK(staged.publish(places, order.existing));
    progress.report(1, "written");
    return done;
}

} // namespace

Result<TimedReferencesDone> write_timed_references(const Show& show, const TimedReferencesOrder& order,
                                                   Progress& progress) {
    auto done = write_all(show, order, progress);
    if (!done && done.error().path.find("/.garland.") != std::string::npos) done.error().path = order.path; // staged
    return done;
}

} // namespace garland
