#include "core/geometry/parts.h"

#include <algorithm>

namespace garland {

std::vector<std::int32_t> part_numbers(const Pose& pose) {
    for (const Attribute& a : pose.attributes) {
        if ((a.name != "part" && a.name != "piece") || a.width != 1) continue;
        if (!a.whole.empty()) return a.whole;
        std::vector<std::int32_t> out;
        out.reserve(a.values.size());
        for (float v : a.values) out.push_back(static_cast<std::int32_t>(v));
        return out;
    }
    for (const Attribute& a : pose.faces->attributes) {
        if (a.name != "group" || a.whole.size() != pose.faces->count()) continue;
        std::vector<std::int32_t> out(pose.points.size(), 0);
        for (std::size_t f = 0; f < pose.faces->count(); ++f) {
            for (std::uint32_t c = pose.faces->starts[f]; c < pose.faces->starts[f + 1]; ++c)
                out[pose.faces->corners[c]] = a.whole[f];
        }
        return out;
    }
    return {};
}

namespace {

// Entries of `from` that are kept, `width` each.
template <class T>
void pick(const std::vector<T>& from, const std::vector<std::uint32_t>& which, std::size_t width, std::vector<T>& out) {
    if (from.empty()) return;
    out.reserve(which.size() * width);
    for (std::uint32_t i : which)
        out.insert(out.end(), from.begin() + static_cast<std::ptrdiff_t>(i * width),
                   from.begin() + static_cast<std::ptrdiff_t>((i + 1) * width));
}

void pick(const std::vector<Attribute>& from, const std::vector<std::uint32_t>& which, std::vector<Attribute>& out) {
    for (const Attribute& a : from) {
        Attribute& b = out.emplace_back();
        b.name = a.name;
        b.width = a.width;
        b.vector = a.vector;
        pick(a.values, which, static_cast<std::size_t>(a.width), b.values);
        pick(a.whole, which, static_cast<std::size_t>(a.width), b.whole);
    }
}

} // namespace

std::shared_ptr<const PartTaker::Choice> PartTaker::choice(const Pose& pose) const {
    {
        std::lock_guard lock(mutex_);
        if (last_ && last_->from.lock() == pose.faces && pose.faces->count() > 0) return last_;
    }
    auto out = std::make_shared<Choice>();
    out->from = pose.faces;
    const std::vector<std::int32_t> numbers = part_numbers(pose);
    std::vector<std::uint32_t> place(pose.points.size(), UINT32_MAX);
    for (std::uint32_t i = 0; i < pose.points.size(); ++i) {
        const bool in = !numbers.empty() && std::binary_search(parts_.begin(), parts_.end(), numbers[i]);
        if (in != keep_) continue;
        place[i] = static_cast<std::uint32_t>(out->points.size());
        out->points.push_back(i);
    }
    const Faces& from = *pose.faces;
    auto faces = std::make_shared<Faces>();
    std::vector<std::uint32_t> kept_faces, kept_corners;
    if (from.count() > 0) faces->starts.push_back(0);
    for (std::uint32_t f = 0; f < from.count(); ++f) {
        const std::uint32_t first = from.starts[f], last = from.starts[f + 1];
        if (std::any_of(from.corners.begin() + first, from.corners.begin() + last,
                        [&](std::uint32_t c) { return place[c] == UINT32_MAX; }))
            continue;
        kept_faces.push_back(f);
        for (std::uint32_t c = first; c < last; ++c) {
            kept_corners.push_back(c);
            faces->corners.push_back(place[from.corners[c]]);
        }
        faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
    }
    pick(from.corner_uvs, kept_corners, 1, faces->corner_uvs);
    faces->materials = from.materials;
    faces->pictures = from.pictures;
    pick(from.material_of, kept_faces, 1, faces->material_of);
    pick(from.attributes, kept_faces, faces->attributes);
    pick(from.corner_attributes, kept_corners, faces->corner_attributes);
    out->corners = std::move(kept_corners);
    out->faces = faces;
    std::lock_guard lock(mutex_);
    if (last_ && last_->from.lock() == pose.faces && from.count() > 0) return last_; // another thread was faster
    return last_ = out;
}

PosePtr PartTaker::take(const PosePtr& pose) const {
    const auto c = choice(*pose);
    if (c->points.size() == pose->points.size()) return pose;
    auto out = std::make_shared<Pose>();
    pick(pose->points, c->points, 1, out->points);
    pick(pose->normals, c->points, 1, out->normals);
    pick(pose->corner_normals, c->corners, 1, out->corner_normals);
    pick(pose->velocities, c->points, 1, out->velocities);
    pick(pose->uvs, c->points, 1, out->uvs);
    pick(pose->colours, c->points, 1, out->colours);
    pick(pose->ids, c->points, 1, out->ids);
    pick(pose->attributes, c->points, out->attributes);
    out->faces = c->faces;
    out->volume = keep_ ? nullptr : pose->volume;
    return out;
}

} // namespace garland
