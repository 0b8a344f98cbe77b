#include "io/usd/usd_cache.h"

#include "core/base/numbers.h"
#include "core/scene/placed_copy.h"
#include "core/time/frame_steps.h"
#include "io/files/staged_files.h"
#include "io/sources/open_source.h"
#include "io/usd/pose_prim.h"

#include <algorithm>
#include <fmt/format.h>
#include <vector>
#include <xxhash.h>

namespace garland {

namespace {

class CacheWriter {
  public:
    static Result<CacheWriter> create(const UsdCacheOrder& order, bool particles) {
        GARLAND_TRY(staged, StagedFiles::create(folder_of(order.path)));
        const std::string path = staged.folder() + "/" + file_name(order.path);
        GARLAND_TRY(layer, UsdLayerWriter::create(path, usd_form(order.path), Existing::refuse));
        return CacheWriter(order, std::move(staged), path, std::move(layer), particles);
    }

    Result<void> add(const FrameMoment& moment, const Posed& posed) {
        const std::uint32_t pick = posed.picks.copies.front();
        const bool there = pick != no_pose;
        const double time = moment.at.value;
        layer_.sample(*prim_, "token", "visibility", time, usd_token(there ? "inherited" : "invisible"));
        if (!there) return {};
        const Pose& pose = *posed.poses[pick].pose;
        if (pose.volume) {
            return fail(Error{ErrorCode::unsupported, "volumes are not written as USD"}
                            .at_frame(moment.frame)
                            .advise("hand them off as posed copies"));
        }
        PlacedCopy placed{order_.as};
        place_copy(posed, 0, placed);
        if (moment.whole()) written_.push_back({moment.frame, points_hash(placed.points)});
        put_pose(layer_, *prim_, time, pose, lists_of(placed, pose));
        return {};
    }

    // Puts the layer together, reads it back, and only then gives it its place.
    Result<UsdCacheDone> finish(Rate rate, Progress& progress) {
        put_header(layer_, top_->name, static_cast<double>(order_.frames.first),
                   static_cast<double>(order_.frames.last), rate, order_.as);
        if (!particles_) layer_.set_uniform(*prim_, "token", "subdivisionScheme", usd_token("none"));
        UsdCacheDone done;
        GARLAND_CHECK(layer_.finish());
        const auto samples = static_cast<std::int64_t>(prim_->property("point3f[]", "points").samples.size());
        done.samples = std::max<std::int64_t>(samples, written_.empty() ? 0 : 1);
        done.bytes = static_cast<double>(layer_.bytes());
        done.frames = order_.steps().count();
        GARLAND_CHECK(layer_.publish());
        GARLAND_TRY(back, open_source(path_, progress));
        GARLAND_CHECK(compare(*back, progress));
        GARLAND_CHECK(staged_.publish({{file_name(order_.path), file_name(order_.path)}}, order_.existing));
        return done;
    }

    // Every whole frame that was written, read again: the same points to the last bit.
    Result<void> compare(const Source& back, Progress& progress) const {
        std::size_t done = 0;
        for (const Written& w : written_) {
            progress.report(0.8 + 0.2 * static_cast<double>(done++) / static_cast<double>(written_.size()),
                            fmt::format("comparing frame {}", w.frame));
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped while comparing");
            GARLAND_TRY(pose, back.read(w.frame, progress));
            if (points_hash(pose->points) == w.points) continue;
            return fail(
                Error{ErrorCode::unreadable, "what was read back is not what was written"}.at_frame(w.frame).advise(
                    "check the disk and write it again"));
        }
        return {};
    }

  private:
    struct Written {
        std::int64_t frame = 0;
        std::uint64_t points = 0;
    };
    static std::uint64_t points_hash(const std::vector<V3f>& points) {
        return static_cast<std::uint64_t>(XXH3_64bits(points.data(), points.size() * sizeof(V3f)));
    }
    CacheWriter(const UsdCacheOrder& order, StagedFiles staged, std::string path, UsdLayerWriter layer, bool particles)
        : order_(order), staged_(std::move(staged)), path_(std::move(path)), layer_(std::move(layer)),
          particles_(particles) {
        top_ = &layer_.root().child(UsdOutPrim::def, "Xform", usd_identifier(order.name));
        prim_ = &top_->child(UsdOutPrim::def, particles ? "Points" : "Mesh", particles ? "points" : "mesh");
    }

    const UsdCacheOrder& order_;
    StagedFiles staged_;
    std::string path_;
    UsdLayerWriter layer_;
    UsdOutPrim *top_, *prim_;
    std::vector<Written> written_; // frames in which there is something
    bool particles_ = false;
};

} // namespace

Result<double> usd_cache_bytes(const Show& show, const UsdCacheOrder& order, Progress& progress) {
    GARLAND_CHECK(validate(order.steps()));
    GARLAND_TRY(all, pose_all(show, OutputFrame(static_cast<double>(order.frames.first)), progress));
    double each = 0, once = 400;
    for (const Posed& posed : all) {
        for (const SampledPose& sampled : posed.poses) {
            const Pose& pose = *sampled.pose;
            constexpr double a_vector = 36, a_whole = 7;
            each += static_cast<double>(pose.points.size() + pose.velocities.size() + lists_of(pose).normals.size() +
                                        pose.colours.size()) *
                    a_vector;
            for (const Attribute& a : pose.attributes)
                each += static_cast<double>(a.values.size() + a.whole.size()) * 11;
            const double faces = static_cast<double>(pose.faces->corners.size() + pose.faces->starts.size()) * a_whole +
                                 static_cast<double>(pose.faces->corner_uvs.size()) * 24;
            const bool change = posed.arrangement->sampler.source()->facts().kind == SourceKind::mesh_sequence;
            (change ? each : once) += faces;
            once += static_cast<double>(pose.uvs.size()) * 24;
        }
    }
    return once + each * static_cast<double>(order.steps().moments());
}

Result<UsdCacheDone> write_usd_cache(const Show& show, const UsdCacheOrder& order, Progress& progress) {
    GARLAND_CHECK(validate(order.steps()));
    if (show.copies() != 1 || show.arrangements.size() != 1)
        return fail(Error{ErrorCode::invalid, "one retimed source is written at a time"}.advise("choose the source"));
    if (!show.arrangements.front().usable)
        return fail(Error{ErrorCode::not_found, "its files are missing"}
                        .advise("find them again in Gather")
                        .keeping("nothing was written"));
    if (order.existing == Existing::refuse && file_exists(order.path)) {
        return fail(Error{ErrorCode::exists, "already exists"}
                        .at(order.path)
                        .keeping("the existing file")
                        .advise("choose another place, or say that it may be replaced"));
    }
    const bool particles = show.arrangements.front().sampler.source()->facts().kind == SourceKind::particles;
    auto writer = CacheWriter::create(order, particles);
    if (!writer) return fail(Error{std::move(writer.error())}.at(order.path).keeping("nothing was written"));
    const FrameSteps steps = order.steps();
    for (std::int64_t k = 0; k < steps.moments(); ++k) {
        const FrameMoment moment = steps.moment(k);
        const double f = moment.at.value;
        progress.report(0.8 * static_cast<double>(k) / static_cast<double>(steps.moments()),
                        fmt::format("frame {}", f));
        if (progress.cancelled())
            return fail(
                Error{ErrorCode::cancelled, fmt::format("stopped before frame {}", f)}.keeping("nothing was written"));
        GARLAND_TRY(posed, pose_all(show, moment.at, progress));
        GARLAND_CHECK(writer->add(moment, posed.front()));
    }
    auto done = writer->finish(show.settings.rate, progress);
    if (!done) {
        Error error = std::move(done.error());
        error.path = order.path; // it was read back under another name
        error.kept =
            order.existing == Existing::replace ? "the file that was there before, if any" : "nothing was written";
        return fail(std::move(error));
    }
    return done;
}

} // namespace garland
