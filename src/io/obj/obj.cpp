// Our own reader, not a library's, for its line numbers and its speed: see docs/decisions/0003-own-obj-reader.md.
#include "io/obj/obj.h"

#include "core/base/put_number.h"
#include "core/geometry/corner_normals.h"
#include "io/files/packed_file.h"
#include "io/obj/mtl.h"
#include "io/sources/pose_check.h"

#include <algorithm>
#include <charconv>
#include <cstring>
#include <fast_float/fast_float.h>
#include <fmt/format.h>

namespace garland {

namespace {

bool space(char c) {
    return c == ' ' || c == '\t' || c == '\r' || c == '\v' || c == '\f';
}

class ObjParser {
  public:
    ObjParser(const char* data, std::size_t size, const std::string& path, std::vector<std::string>* left_out = nullptr)
        : at_(data), end_(data + size), path_(path), left_out_(left_out) {}

    Result<PosePtr> run() {
        while (at_ < end_) {
            ++line_;
            if (auto done = read_line(); !done) return tl::unexpected(std::move(done.error()));
            at_ = next_line(at_);
        }
        return finish();
    }

  private:
    tl::unexpected<Error> bad(std::string what) const {
        return fail(Error{ErrorCode::malformed, std::move(what)}.at(path_).at_line(line_));
    }

    const char* next_line(const char* from) const {
        const void* found = from < end_ ? std::memchr(from, '\n', static_cast<std::size_t>(end_ - from)) : nullptr;
        return found ? static_cast<const char*>(found) + 1 : end_;
    }

    // Passes spaces, and a backslash at the end of a line with that line's end.
    void skip() {
        for (;;) {
            while (at_ < end_ && space(*at_)) ++at_;
            if (at_ < end_ && *at_ == '\\') {
                const char* after = at_ + 1;
                if (after < end_ && *after == '\r') ++after;
                if (after < end_ && *after == '\n') {
                    at_ = after + 1;
                    ++line_;
                    continue;
                }
            }
            return;
        }
    }
    bool at_line_end() {
        skip();
        return at_ == end_ || *at_ == '\n' || *at_ == '#';
    }

    // False: `wrong_` says why. A result for each number would cost more than reading it.
    bool number(float& value) {
        if (at_ < end_ && *at_ == ' ') ++at_;
        const bool plain = at_ < end_ && (static_cast<unsigned char>(*at_ - '0') < 10 || *at_ == '-');
        if (!plain && at_line_end()) return wrong_ = bad("a number is missing").value(), false;
        auto [stop, error] = fast_float::from_chars(at_ + (*at_ == '+'), end_, value);
        if (error == std::errc::invalid_argument || (stop < end_ && !space(*stop) && *stop != '\n' && *stop != '\\')) {
            const char* word = at_;
            while (at_ < end_ && !space(*at_) && *at_ != '\n' && at_ - word < 20) ++at_;
            wrong_ =
                bad(fmt::format("\"{}\" is not a number", std::string_view(word, static_cast<std::size_t>(at_ - word))))
                    .value();
            return false;
        }
        at_ = stop;
        return true;
    }

    bool index(std::size_t count, const char* what, std::int64_t& from_0) {
        const bool back = at_ < end_ && *at_ == '-';
        const char* digit = at_ + back;
        std::int64_t value = 0;
        for (; digit < end_ && static_cast<unsigned char>(*digit - '0') < 10; ++digit) {
            value = value * 10 + (*digit - '0');
            if (value > std::int64_t(1) << 40) break;
        }
        if (digit == at_ + back || value > std::int64_t(1) << 40)
            return wrong_ = bad("a face needs whole numbers").value(), false;
        at_ = digit;
        if (back) value = -value;
        from_0 = value < 0 ? static_cast<std::int64_t>(count) + value : value - 1;
        if (value == 0 || from_0 < 0 || from_0 >= static_cast<std::int64_t>(point_limit)) {
            wrong_ =
                bad(fmt::format("a face points to {} {}, but there are only {} so far", what, value, count)).value();
            return false;
        }
        return true;
    }

    Result<void> read_line() {
        if (at_line_end()) return {};
        const char* word = at_;
        while (at_ < end_ && !space(*at_) && *at_ != '\n') ++at_;
        const std::string_view keyword(word, static_cast<std::size_t>(at_ - word));
        if (keyword == "f") return read_face();
        if (keyword == "v") {
            V3f p;
            for (int k = 0; k < 3; ++k) {
                if (!number(p[k])) return fail(wrong_);
            }
            pose_->points.push_back(p);
            if (at_ < end_ && *at_ == '\n') return {};
            if (at_line_end()) return {};
            float more[3];
            int extra = 0;
            while (extra < 3 && !at_line_end()) {
                if (!number(more[extra++])) return fail(wrong_);
            }
            if (extra == 3) {
                pose_->colours.resize(pose_->points.size(), V3f(1));
                pose_->colours.back() = V3f(more[0], more[1], more[2]);
            }
        } else if (keyword == "vt") {
            float u = 0, v = 0;
            if (!number(u) || (!at_line_end() && !number(v))) return fail(wrong_);
            uvs_.emplace_back(u, v);
        } else if (keyword == "vn") {
            V3f n;
            for (int k = 0; k < 3; ++k) {
                if (!number(n[k])) return fail(wrong_);
            }
            normals_.push_back(n);
        } else if (keyword == "g" || keyword == "o") {
            group_ = place(groups_, rest_of_line());
        } else if (keyword == "usemtl") {
            material_ = place(faces_->materials, rest_of_line());
        } else if (keyword == "mtllib") {
            libraries_.push_back(rest_of_line());
        } else if (left_out_) {
            note(keyword);
        }
        return {};
    }

    void note(std::string_view keyword) {
        constexpr std::pair<const char*, const char*> kinds[] = {{"l", "lines"},
                                                                 {"p", "points by themselves"},
                                                                 {"curv", "curves"},
                                                                 {"curv2", "curves"},
                                                                 {"surf", "surfaces"}};
        for (const auto& [word, what] : kinds) {
            if (keyword == word && std::find(left_out_->begin(), left_out_->end(), what) == left_out_->end())
                left_out_->emplace_back(what);
        }
    }

    std::string rest_of_line() {
        if (at_line_end()) return {};
        const char* from = at_;
        while (at_ < end_ && *at_ != '\n' && *at_ != '\r') ++at_;
        const char* to = at_;
        while (to > from && space(to[-1])) --to;
        return std::string(from, to);
    }

    static std::int32_t place(std::vector<std::string>& names, const std::string& name) {
        const auto at = std::find(names.begin(), names.end(), name);
        const auto index = static_cast<std::int32_t>(at - names.begin());
        if (at == names.end()) names.push_back(name);
        return index;
    }

    Result<void> read_face() {
        const std::size_t begin = faces_->corners.size(), uvs_before = corner_uvs_.size(),
                          normals_before = corner_normals_.size();
        while (!at_line_end()) {
            std::int64_t point = 0, uv = -1, normal = -1;
            if (!index(pose_->points.size(), "point", point)) return fail(wrong_);
            if (at_ < end_ && *at_ == '/') {
                ++at_;
                if (at_ < end_ && *at_ != '/' && !space(*at_) && *at_ != '\n') {
                    if (!index(uvs_.size(), "texture coordinate", uv)) return fail(wrong_);
                }
                if (at_ < end_ && *at_ == '/') {
                    ++at_;
                    if (at_ < end_ && !space(*at_) && *at_ != '\n') {
                        if (!index(normals_.size(), "normal", normal)) return fail(wrong_);
                    }
                }
            }
            if (at_ < end_ && !space(*at_) && *at_ != '\n') return bad("a face needs whole numbers");
            faces_->corners.push_back(static_cast<std::uint32_t>(point));
            // Of corners so far that have one: a corner without means that none are used.
            if (uv >= 0) corner_uvs_.push_back(static_cast<std::int32_t>(uv));
            if (normal >= 0) corner_normals_.push_back(static_cast<std::int32_t>(normal));
        }
        if (faces_->corners.size() - begin < 3) { // a line or a point is no face
            faces_->corners.resize(begin);
            corner_uvs_.resize(uvs_before);
            corner_normals_.resize(normals_before);
            return {};
        }
        if (faces_->starts.empty()) faces_->starts.push_back(0);
        faces_->starts.push_back(static_cast<std::uint32_t>(faces_->corners.size()));
        if (group_ >= 0) {
            group_of_.resize(faces_->count() - 1, 0);
            group_of_.push_back(group_);
        }
        if (material_ >= 0) {
            material_of_.resize(faces_->count() - 1, -1);
            material_of_.push_back(material_);
        }
        return {};
    }

    // Of materials in use, from the libraries that the file names; the last one that names a material counts.
    void take_pictures() {
        for (const std::string& library : libraries_) {
            for (auto& [material, picture] : pictures_of_library(path_seen_from(library, path_))) {
                if (std::find(faces_->materials.begin(), faces_->materials.end(), material) != faces_->materials.end())
                    faces_->pictures[material] = std::move(picture);
            }
        }
    }

    Result<PosePtr> finish() {
        if (!pose_->colours.empty()) pose_->colours.resize(pose_->points.size(), V3f(1));
        const std::size_t corners = faces_->corners.size();
        auto inside = [corners](const std::vector<std::int32_t>& list, std::size_t count) {
            if (list.size() != corners) return false;
            for (std::int32_t i : list) {
                if (i < 0 || static_cast<std::size_t>(i) >= count) return false;
            }
            return !list.empty();
        };
        if (inside(corner_uvs_, uvs_.size())) {
            faces_->corner_uvs.reserve(corner_uvs_.size());
            for (std::int32_t i : corner_uvs_) faces_->corner_uvs.push_back(uvs_[static_cast<std::size_t>(i)]);
        }
        if (groups_.size() > 1) {
            faces_->attributes.push_back({"group", 1});
            group_of_.resize(faces_->count(), 0); // faces before the first group, or groups without faces
            faces_->attributes.back().whole = std::move(group_of_);
        }
        if (!faces_->materials.empty()) {
            material_of_.resize(faces_->count(), -1);
            const auto none = std::find(material_of_.begin(), material_of_.end(), -1) == material_of_.end()
                                  ? -1
                                  : place(faces_->materials, "");
            for (std::int32_t m : material_of_)
                faces_->material_of.push_back(static_cast<std::uint32_t>(m < 0 ? none : m));
        }
        take_pictures();
        pose_->faces = faces_;
        GARLAND_CHECK(check_pose(*pose_, path_));
        if (inside(corner_normals_, normals_.size())) {
            std::vector<V3f> at_corners;
            at_corners.reserve(corners);
            for (const std::int32_t n : corner_normals_)
                at_corners.push_back(normals_[static_cast<std::size_t>(n)].normalized());
            if (all_finite(at_corners)) {
                set_corner_normals(*pose_, *faces_, std::move(at_corners));
            } else if (left_out_) {
                left_out_->emplace_back("normals that are no finite numbers");
            }
        } else if (left_out_ && !normals_.empty() && corners > 0) {
            left_out_->emplace_back("normals that not every corner has");
        }
        if (left_out_ && !uvs_.empty() && faces_->corner_uvs.empty() && corners > 0)
            left_out_->emplace_back("texture coordinates that not every corner has");
        return PosePtr(pose_);
    }

    const char *at_, *end_;
    const std::string& path_;
    std::vector<std::string>* left_out_; // filled where it is asked for
    std::int64_t line_ = 0;
    Error wrong_;
    std::shared_ptr<Pose> pose_ = std::make_shared<Pose>();
    std::shared_ptr<Faces> faces_ = std::make_shared<Faces>();
    std::vector<V2f> uvs_;
    std::vector<V3f> normals_;
    std::vector<std::int32_t> corner_uvs_, corner_normals_;
    std::vector<std::string> groups_, libraries_;
    std::vector<std::int32_t> group_of_, material_of_; // one a face
    std::int32_t group_ = -1, material_ = -1;
};

} // namespace

Result<PosePtr> parse_obj(const char* data, std::size_t size, const std::string& path) {
    if (size == 0)
        return fail(Error{ErrorCode::malformed, "the file has no bytes"}.at(path).advise(
            "it was cut short or never written; write it again"));
    if (std::memchr(data, '\0', std::min<std::size_t>(size, 4096))) {
        return fail(
            Error{ErrorCode::malformed, "this is not OBJ text"}.at(path).advise("OBJ files are plain text in UTF-8"));
    }
    return ObjParser(data, size, path).run();
}

Result<PosePtr> read_obj(const std::string& path) {
    thread_local std::vector<char> bytes;
    GARLAND_CHECK(read_contents(path, bytes));
    return parse_obj(bytes.data(), bytes.size(), path);
}

std::vector<std::string> obj_left_out(const std::string& path) {
    std::vector<char> bytes;
    std::vector<std::string> out;
    if (read_contents(path, bytes)) static_cast<void>(ObjParser(bytes.data(), bytes.size(), path, &out).run());
    return out;
}

Result<ObjCounts> read_obj_counts(const std::string& path) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_contents(path, bytes));
    ObjCounts counts;
    const char *at = bytes.data(), *end = at + bytes.size();
    while (at < end) {
        while (at < end && space(*at)) ++at;
        if (end - at > 1 && space(at[1])) {
            counts.points += *at == 'v';
            counts.faces += *at == 'f';
        }
        const void* next = std::memchr(at, '\n', static_cast<std::size_t>(end - at));
        at = next ? static_cast<const char*>(next) + 1 : end;
    }
    return counts;
}

namespace {

// "v 1 2 3\n".
template <class Vector>
void put_line(TextEnd& out, std::string_view word, const Vector& v) {
    char* to = out.room(word.size() + Vector::dimensions() * (longest_number + 1) + 1);
    to = std::copy(word.begin(), word.end(), to);
    for (unsigned k = 0; k < Vector::dimensions(); ++k) *to++ = ' ', to = put_number(to, v[static_cast<int>(k)]);
    *to++ = '\n';
    out.ends_at(to);
}

} // namespace

Result<void> write_obj(const std::string& path, const Pose& pose, Existing existing) {
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    auto sink = [&file = file](std::string_view text) { file.write(text); };
    auto lines = [&](std::string_view word, const auto& vectors) {
        put_texts(
            vectors.size(), [&](TextEnd& out, std::size_t i) { put_line(out, word, vectors[i]); }, sink);
    };
    const Faces& faces = *pose.faces;
    lines("v", pose.points);
    lines("vt", faces.corner_uvs);
    lines("vn", pose.corner_normals);
    const bool textured = !faces.corner_uvs.empty(), hard = !pose.corner_normals.empty();
    put_texts(
        faces.count(),
        [&](TextEnd& out, std::size_t f) {
            const std::uint32_t first = faces.starts[f], last = faces.starts[f + 1];
            char* to = out.room(2 + std::size_t(last - first) * 3 * (longest_number + 1));
            *to++ = 'f';
            for (std::uint32_t c = first; c < last; ++c) {
                *to++ = ' ', to = put_number(to, faces.corners[c] + 1);
                if (textured || hard) *to++ = '/';
                if (textured) to = put_number(to, c + 1);
                if (hard) *to++ = '/', to = put_number(to, c + 1);
            }
            *to++ = '\n';
            out.ends_at(to);
        },
        sink);
    return file.commit();
}

} // namespace garland
