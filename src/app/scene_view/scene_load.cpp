// Which copies a picture of the Scene has, and how closely each of them is drawn.
#include "app/scene_view/scene_gpu.h"

#include <algorithm>
#include <cmath>

namespace garland {

// Copies whose ball, or its mirror image in the ground, reaches into the view.
std::vector<SceneGpu::Item> SceneGpu::items_in_view(const View& v, const Scene& scene) const {
    const QMatrix4x4 m = v.orbit->projection(v.size) * v.orbit->view();
    QVector4D planes[6];
    for (int axis = 0; axis < 3; ++axis) {
        planes[axis * 2] = m.row(3) + m.row(axis);
        planes[axis * 2 + 1] = m.row(3) - m.row(axis);
    }
    for (QVector4D& p : planes) p /= std::max(p.toVector3D().length(), 1e-20f);
    auto seen = [&](const V3d& middle, double radius) {
        const QVector4D at(static_cast<float>(middle.x), static_cast<float>(middle.y), static_cast<float>(middle.z), 1);
        return std::all_of(std::begin(planes), std::end(planes),
                           [&](const QVector4D& p) { return QVector4D::dotProduct(p, at) >= -radius; });
    };
    const V3d eye = v.orbit->eye();
    std::vector<Item> items;
    items.reserve(scene.copies.size());
    for (const SceneCopy& c : scene.copies) {
        const DrawPose& pose = *scene.poses[c.pose];
        const double largest = std::max({std::abs(c.size.x), std::abs(c.size.y), std::abs(c.size.z)});
        const double radius = (pose.box.max - pose.box.min).length() / 2 * largest;
        const V3f own = pose.box.isEmpty() ? V3f(0) : pose.box.center() * c.size;
        const V3d middle = V3d(c.position + c.to_scene(own));
        if (!seen(middle, radius) && !seen({middle.x, -middle.y, middle.z}, radius)) continue;
        const double away = (middle - eye).length();
        const double here = v.orbit->pixels_per_unit(away, v.size) * v.ratio;
        const double nearest = v.orbit->pixels_per_unit(std::max(away - radius, away * 0.02 + 1e-6), v.size) * v.ratio;
        items.push_back({c.pose, 0, &c, 2 * radius * here, largest * nearest});
    }
    return items;
}

// How closely each is drawn, so that all of them together cost no more than they may.
void SceneGpu::choose_levels(std::vector<Item>& items, const Scene& scene, Quality quality, Drawn& drawn) {
    std::int64_t triangles = 0, dots = 0;
    for (;; quality.error *= 1.5, quality.solid_below *= 1.25) {
        triangles = dots = 0;
        for (Item& item : items) {
            const DrawPose& pose = *scene.poses[item.pose];
            const auto& levels = pose.faces->levels;
            item.level = pose.errors.size() == levels.size()
                             ? level_within(pose.errors, quality.error / std::max(item.scale, 1e-12))
                             : 0;
            const auto own = static_cast<std::int64_t>(levels[item.level].count / 3),
                       points = static_cast<std::int64_t>(pose.dots.size());
            const bool tiny = item.pixels < quality.dot_below; // where even the lightest mesh is more than a dot
            const bool simpler = item.pixels < quality.solid_below && (own > solid_faces || points > 1);
            item.solid = (simpler || (tiny && own > 1)) && pose.puffs.places.empty();
            triangles += !item.solid ? own : tiny ? 1 : solid_faces;
            dots += item.solid ? 0 : points;
        }
        if (quality.triangles == 0 || triangles <= quality.triangles || quality.error > 64) break;
    }
    dots_share_ =
        quality.dots > 0 && dots > quality.dots ? static_cast<double>(quality.dots) / static_cast<double>(dots) : 1;
    const auto shown = static_cast<std::int64_t>(static_cast<double>(dots) * dots_share_);
    drawn.triangles += triangles;
    drawn.dots += shown;
    drawn.dots_left_out += dots - shown;
    drawn.error = std::max(drawn.error, quality.error);
}

SceneGpu::Instance SceneGpu::instance_of(const Item& item, const DrawPose& pose, const CopyPaint& paint) {
    const SceneCopy& c = *item.copy;
    Instance one{{c.position.x, c.position.y, c.position.z},
                 {c.turn.v.x, c.turn.v.y, c.turn.v.z, c.turn.r},
                 {c.size.x, c.size.y, c.size.z},
                 {paint.colour[0], paint.colour[1], paint.colour[2], paint.weight},
                 paint.selected,
                 {1, 1, 1}};
    if (!item.solid) return one;
    const V3f middle = c.to_scene(pose.box.center() * c.size), half = (pose.box.max - pose.box.min) / 2;
    for (int k = 0; k < 3; ++k) {
        one.position[k] += middle[k];
        one.size[k] *= std::max(half[k], 1e-6f);
        one.own[k] = pose.colour[k];
    }
    return one;
}

// Copies in groups of one pose and one level of detail, then those that are round solids; their instances in the
// buffer.
SceneGpu::Loaded SceneGpu::load(const View& v, const Scene& scene, const Quality& quality, Drawn& drawn) {
    std::vector<Item> items = items_in_view(v, scene);
    choose_levels(items, scene, quality, drawn);
    const auto meshes = std::stable_partition(items.begin(), items.end(), [](const Item& i) { return !i.solid; });
    std::sort(items.begin(), meshes, [](const Item& a, const Item& b) {
        // Near ones first: what they hide need not be painted.
        return std::tuple(a.pose, a.level, -a.scale, a.copy) < std::tuple(b.pose, b.level, -b.scale, b.copy);
    });
    std::vector<Instance> instances;
    instances.reserve(items.size());
    Loaded loaded;
    for (std::size_t i = 0; i < items.size(); ++i) {
        const Item& item = items[i];
        const CopyPaint p = v.paint(*item.copy);
        const DrawPose& pose = *scene.poses[item.pose];
        drawn.light += item.solid || item.level > 0;
        instances.push_back(instance_of(item, pose, p));
        if (item.solid) {
            if (loaded.solids++ == 0) loaded.solids_first = i;
        } else if (!pose.puffs.places.empty()) {
            const V3f smoke(0.78f, 0.81f, 0.84f);
            loaded.puffs.push_back({item.copy, &pose.puffs,
                                    smoke * (1 - p.weight) + V3f(p.colour[0], p.colour[1], p.colour[2]) * p.weight,
                                    p.selected});
        } else {
            if (loaded.groups.empty() || item.pose != items[i - 1].pose || item.level != items[i - 1].level)
                loaded.groups.push_back({&pose, item.level, i, 0});
            ++loaded.groups.back().count;
        }
    }
    drawn.copies += static_cast<std::int64_t>(items.size());
    drawn.solids += static_cast<std::int64_t>(loaded.solids);
    glBindBuffer(GL_ARRAY_BUFFER, instances_);
    glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(instances.size() * sizeof(Instance)), instances.data(),
                 GL_STREAM_DRAW);
    return loaded;
}

} // namespace garland
