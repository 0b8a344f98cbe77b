#include "io/usd/usda_cache.h"

#include "core/base/numbers.h"
#include "io/files/staged_files.h"
#include "io/handoff/placed_copy.h"
#include "io/sources/open_source.h"
#include "io/usd/usda_write.h"

#include <algorithm>
#include <cstdio>
#include <fmt/format.h>
#include <iterator>
#include <memory>
#include <vector>
#include <xxhash.h>

namespace garland {

namespace {

std::string text_of(const std::vector<V3f>& list) {
    std::string out = "[";
    for (std::size_t i = 0; i < list.size(); ++i)
        fmt::format_to(std::back_inserter(out), "{}({}, {}, {})", i ? ", " : "", list[i].x, list[i].y, list[i].z);
    return out += "]";
}

std::string text_of(const std::vector<V2f>& list) {
    std::string out = "[";
    for (std::size_t i = 0; i < list.size(); ++i)
        fmt::format_to(std::back_inserter(out), "{}({}, {})", i ? ", " : "", list[i].x, list[i].y);
    return out += "]";
}

template <class T>
std::string text_of_numbers(const std::vector<T>& list, std::size_t width = 1) {
    std::string out = "[";
    for (std::size_t i = 0; i < list.size(); ++i) {
        const bool opens = width > 1 && i % width == 0, closes = width > 1 && i % width == width - 1;
        fmt::format_to(std::back_inserter(out), "{}{}{}{}", i ? ", " : "", opens ? "(" : "", list[i],
                       closes ? ")" : "");
    }
    return out += "]";
}

std::string in_quotes(const std::string& name) { // nothing in it can end the text early
    std::string out;
    for (char c : name) out += c == '"' || c == '\\' || static_cast<unsigned char>(c) < 32 ? '_' : c;
    return out;
}

// The time samples of one attribute, on the disk until the layer is put together. Values that repeat are written where
// the repetition begins and ends, so that what is straight between samples stays right.
class Samples {
  public:
    Samples(std::string declared, std::string after) : declared_(std::move(declared)), after_(std::move(after)) {}
    ~Samples() {
        if (spool_) std::fclose(spool_);
    }
    Samples(const Samples&) = delete;

    const std::string& declared() const { return declared_; }
    std::int64_t count() const { return count_; }

    bool add(std::int64_t frame, std::string value) {
        if (!any_) {
            any_ = true, first_ = last_at_ = frame, last_ = std::move(value);
            count_ = 1;
            return true;
        }
        if (value == last_) {
            last_at_ = frame;
            return true;
        }
        bool fine = true;
        if (!spool_) {
            spool_ = std::tmpfile();
            count_ = 0; // it was one value for all frames
            fine = spool_ && put(first_, last_);
            if (last_at_ != first_) fine = fine && put(last_at_, last_);
        } else if (last_at_ != written_at_) {
            fine = put(last_at_, last_);
        }
        last_ = std::move(value);
        last_at_ = frame;
        return fine && put(frame, last_);
    }

    // Into the layer: a single value, or all samples.
    bool write(AtomicFile& to) {
        if (!any_) return true;
        if (spool_ && !after_.empty()) to.write("        " + declared_ + " (\n            " + after_ + "\n        )\n");
        to.write("        " + declared_);
        if (!spool_) {
            to.write(" = ");
            to.write(last_);
        } else {
            if (last_at_ != written_at_ && !put(last_at_, last_)) return false;
            to.write(".timeSamples = {\n");
            std::rewind(spool_);
            std::vector<char> buffer(1 << 20);
            for (std::size_t got; (got = std::fread(buffer.data(), 1, buffer.size(), spool_)) > 0;)
                to.write(buffer.data(), got);
            to.write("        }");
            if (std::ferror(spool_)) return false;
        }
        if (!after_.empty() && !spool_) to.write(" (\n            " + after_ + "\n        )");
        to.write("\n");
        return true;
    }

  private:
    bool put(std::int64_t frame, const std::string& value) {
        const std::string head = fmt::format("            {}: ", frame);
        written_at_ = frame;
        ++count_;
        return std::fwrite(head.data(), 1, head.size(), spool_) == head.size() &&
               std::fwrite(value.data(), 1, value.size(), spool_) == value.size() &&
               std::fwrite(",\n", 1, 2, spool_) == 2;
    }

    std::string declared_, after_, last_;
    bool any_ = false;
    std::int64_t first_ = 0, last_at_ = 0, written_at_ = INT64_MIN, count_ = 0;
    std::FILE* spool_ = nullptr;
};

class CacheWriter {
  public:
    explicit CacheWriter(const UsdaCacheOrder& order) : order_(order) {}

    Result<void> add(std::int64_t frame, const Posed& posed, const Show& show) {
        const std::uint32_t pick = posed.picks.copies.front();
        const bool there = pick != no_pose;
        GARLAND_CHECK(put("token visibility", "", frame, there ? "\"inherited\"" : "\"invisible\""));
        if (!there) return {};
        const Pose& pose = *posed.poses[pick].pose;
        if (pose.volume) {
            return fail(Error{ErrorCode::unsupported, "volumes are not written as USD text"}.at_frame(frame).advise(
                "hand them off as posed copies"));
        }
        PlacedCopy placed;
        place_copy(posed, 0, show, placed);
        particles_ = posed.arrangement->sampler.source()->facts().kind == SourceKind::particles;
        written_.push_back({frame, points_hash(placed.points)});
        const char* each = "interpolation = \"vertex\"";
        if (!placed.points.empty()) {
            Imath::Box3f box;
            for (const V3f& p : placed.points) box.extendBy(p);
            GARLAND_CHECK(put("float3[] extent", "", frame, text_of(std::vector<V3f>{box.min, box.max})));
        }
        if (pose.faces.get() != faces_now_.get()) { // the same ones again cost no text
            faces_now_ = pose.faces;
            const Faces& faces = *pose.faces;
            std::vector<std::uint32_t> counts;
            for (std::size_t f = 0; f < faces.count(); ++f) counts.push_back(faces.starts[f + 1] - faces.starts[f]);
            counts_ = text_of_numbers(counts);
            indices_ = text_of_numbers(faces.corners);
            materials_.clear();
            for (const std::string& m : faces.materials)
                materials_ += fmt::format("{}\"{}\"", materials_.empty() ? "[" : ", ", in_quotes(m));
            if (!materials_.empty()) materials_ += "]";
            material_of_ = text_of_numbers(faces.material_of);
            corner_uvs_ = faces.corner_uvs.empty() ? std::string() : text_of(faces.corner_uvs);
        }
        if (!particles_) {
            GARLAND_CHECK(put("int[] faceVertexCounts", "", frame, counts_));
            GARLAND_CHECK(put("int[] faceVertexIndices", "", frame, indices_));
        } else {
            GARLAND_CHECK(put("int64[] ids", "", frame, text_of_numbers(pose.ids)));
        }
        GARLAND_CHECK(put("point3f[] points", "", frame, text_of(placed.points)));
        if (!placed.velocities.empty())
            GARLAND_CHECK(put("vector3f[] velocities", "", frame, text_of(placed.velocities)));
        if (!placed.normals.empty()) GARLAND_CHECK(put("normal3f[] normals", each, frame, text_of(placed.normals)));
        if (!pose.colours.empty())
            GARLAND_CHECK(put("color3f[] primvars:displayColor", each, frame, text_of(pose.colours)));
        if (!pose.uvs.empty()) {
            GARLAND_CHECK(put("texCoord2f[] primvars:st", each, frame, text_of(pose.uvs)));
        } else if (!corner_uvs_.empty()) {
            GARLAND_CHECK(put("texCoord2f[] primvars:st", "interpolation = \"faceVarying\"", frame, corner_uvs_));
        }
        if (!materials_.empty()) { // a primvar with an index for every face
            GARLAND_CHECK(put("string[] primvars:materialName", "interpolation = \"uniform\"", frame, materials_));
            GARLAND_CHECK(put("int[] primvars:materialName:indices", "", frame, material_of_));
        }
        GARLAND_CHECK(attributes(placed.attributes(pose), each, frame));
        return attributes(pose.faces->attributes, "interpolation = \"uniform\"", frame);
    }

    // Writes the layer, reads it back, and only then puts it in its place.
    Result<UsdaCacheDone> finish(Rate rate, Progress& progress) {
        GARLAND_TRY(staged, StagedFiles::create(folder_of(order_.path)));
        const std::string path = staged.folder() + "/" + file_name(order_.path);
        GARLAND_TRY(file, AtomicFile::create(path, Existing::refuse));
        const std::string name = usda_identifier(order_.name);
        file.write(fmt::format("#usda 1.0\n(\n    defaultPrim = \"{0}\"\n    endTimeCode = {1}\n    framesPerSecond = "
                               "{2}\n    metersPerUnit = 1\n    startTimeCode = {3}\n"
                               "    timeCodesPerSecond = {2}\n    upAxis = \"Y\"\n)\n\ndef Xform \"{0}\"\n{{\n    def "
                               "{4} \"{5}\"\n    {{\n",
                               name, order_.frames.last, rate.per_second(), order_.frames.first,
                               particles_ ? "Points" : "Mesh", particles_ ? "points" : "mesh"));
        UsdaCacheDone done;
        for (const auto& list : lists_) {
            if (!list->write(file))
                return fail(Error{ErrorCode::disk_full, "there is no room for the samples on the way"}
                                .at(order_.path)
                                .keeping("nothing was written"));
            if (list->declared() == "point3f[] points") done.samples = list->count();
        }
        if (!particles_) file.write("        uniform token subdivisionScheme = \"none\"\n");
        file.write("    }\n}\n");
        done.bytes = static_cast<double>(file.written());
        done.frames = FrameSteps{order_.frames, order_.step}.count();
        GARLAND_CHECK(file.commit());
        GARLAND_TRY(back, open_source(path, progress));
        GARLAND_CHECK(compare(*back, progress));
        GARLAND_CHECK(staged.publish({{file_name(order_.path), file_name(order_.path)}}, order_.existing));
        return done;
    }

    // Every frame that was written, read again: the same points to the last bit.
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

    Result<void> put(const std::string& declared, const std::string& after, std::int64_t frame, std::string value) {
        auto list =
            std::find_if(lists_.begin(), lists_.end(), [&](const auto& l) { return l->declared() == declared; });
        if (list == lists_.end()) {
            lists_.push_back(std::make_unique<Samples>(declared, after));
            list = std::prev(lists_.end());
        }
        if ((*list)->add(frame, std::move(value))) return {};
        return fail(Error{ErrorCode::disk_full, "there is no room for the samples on the way"}
                        .at(order_.path)
                        .at_frame(frame)
                        .keeping("nothing was written"));
    }

    Result<void> attributes(const std::vector<Attribute>& list, const char* each, std::int64_t frame) {
        for (const Attribute& a : list) {
            const std::string name = usda_identifier(a.name);
            const auto width = static_cast<std::size_t>(a.width);
            const bool whole = !a.whole.empty(), tuple = width > 1 && width <= 4;
            const std::string type = a.vector && !whole ? "vector3f"
                                     : tuple            ? fmt::format("{}{}", whole ? "int" : "float", width)
                                     : whole            ? "int"
                                                        : "float";
            const std::string after = width > 4 ? fmt::format("elementSize = {}\n            {}", width, each) : each;
            GARLAND_CHECK(put(fmt::format("{}[] primvars:{}", type, name), after, frame,
                              whole ? text_of_numbers(a.whole, tuple ? width : 1)
                                    : text_of_numbers(a.values, tuple ? width : 1)));
        }
        return {};
    }

    const UsdaCacheOrder& order_;
    std::vector<std::unique_ptr<Samples>> lists_;
    std::shared_ptr<const Faces> faces_now_;
    std::string counts_, indices_, corner_uvs_, materials_, material_of_;
    std::vector<Written> written_; // frames in which there is something
    bool particles_ = false;
};

} // namespace

Result<double> usda_cache_bytes(const Show& show, const UsdaCacheOrder& order, Progress& progress) {
    if (!order.frames.valid() || order.step < 1)
        return fail(ErrorCode::invalid, "the range of frames to write ends before it starts");
    GARLAND_TRY(all, pose_all(show, OutputFrame(static_cast<double>(order.frames.first)), progress));
    double each = 0, once = 400;
    for (const Posed& posed : all) {
        for (const SampledPose& sampled : posed.poses) {
            const Pose& pose = *sampled.pose;
            constexpr double a_vector = 36, a_whole = 7;
            each += static_cast<double>(pose.points.size() + pose.velocities.size() + pose.normals.size() +
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
    return once + each * static_cast<double>(FrameSteps{order.frames, order.step}.count());
}

Result<UsdaCacheDone> write_usda_cache(const Show& show, const UsdaCacheOrder& order, Progress& progress) {
    if (!order.frames.valid() || order.step < 1)
        return fail(ErrorCode::invalid, "the range of frames to write ends before it starts");
    if (show.copies() != 1 || show.arrangements.size() != 1)
        return fail(ErrorCode::invalid, "one retimed source is written at a time");
    if (!show.arrangements.front().usable)
        return fail(Error{ErrorCode::not_found, "its files are not there"}.keeping("nothing was written"));
    if (order.existing == Existing::refuse && file_exists(order.path)) {
        return fail(Error{ErrorCode::exists, "is there already"}
                        .at(order.path)
                        .keeping("the existing file")
                        .advise("choose another place, or say that it may be replaced"));
    }
    CacheWriter writer(order);
    for (std::int64_t f = order.frames.first; f <= order.frames.last; f += order.step) {
        progress.report(0.8 * static_cast<double>(f - order.frames.first) / static_cast<double>(order.frames.count()),
                        fmt::format("frame {}", f));
        if (progress.cancelled())
            return fail(
                Error{ErrorCode::cancelled, fmt::format("stopped before frame {}", f)}.keeping("nothing was written"));
        GARLAND_TRY(posed, pose_all(show, OutputFrame(static_cast<double>(f)), progress));
        GARLAND_CHECK(writer.add(f, posed.front(), show));
    }
    auto done = writer.finish(show.settings.rate, progress);
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
