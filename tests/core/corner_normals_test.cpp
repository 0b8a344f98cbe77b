// Normals of corners: held against the faces themselves, whose normals a box with hard edges has.
#include "support/case.h"
#include "support/hard_box.h"

#include "core/base/angles.h"
#include "core/base/portable_math.h"
#include "core/geometry/blend.h"
#include "core/geometry/corner_normals.h"
#include "core/geometry/join_poses.h"
#include "core/geometry/keyed_model.h"
#include "core/geometry/parts.h"
#include "core/geometry/pieces.h"

using namespace garland;
using namespace garland::testing;

class CornerNormalsTest : public QObject {
    Q_OBJECT
  private slots:
    void corners_that_agree_are_points() {
        Pose smooth = hard_box();
        const std::vector<V3f> of_points = point_normals(smooth.points, *smooth.faces);
        std::vector<V3f> spread;
        for (const std::uint32_t c : smooth.faces->corners) spread.push_back(of_points[c]);
        set_corner_normals(smooth, *smooth.faces, spread);
        QVERIFY(smooth.corner_normals.empty());
        QCOMPARE(smooth.normals, of_points);
        Pose hard = hard_box();
        const std::vector<V3f> of_faces = hard.corner_normals;
        set_corner_normals(hard, *hard.faces, of_faces);
        QVERIFY(hard.normals.empty());
        QCOMPARE(hard.corner_normals, of_faces);
        for (std::size_t i = 0; i < 8; ++i) // a box's corners lie along the diagonals
            QVERIFY((normals_at_points(hard)[i] - V3f(hard.points[i]).normalized()).length() < 1e-6f);
    }
    void turned_round_with_the_faces() {
        Pose box = hard_box();
        Faces inside_out = *box.faces;
        inside_out.corner_attributes.push_back({"heat", 2});
        for (int i = 0; i < 24; ++i) {
            inside_out.corner_uvs.emplace_back(static_cast<float>(i), 0.0f);
            inside_out.corner_attributes[0].values.insert(inside_out.corner_attributes[0].values.end(),
                                                          {static_cast<float>(i), -static_cast<float>(i)});
        }
        turn_corners_round(box.corner_normals, inside_out);
        turn_round(inside_out);
        for (std::uint32_t k = 0; k < 24; ++k) { // the other way round within each face
            const std::uint32_t before = k / 4 * 4 + 3 - k % 4;
            QCOMPARE(inside_out.corners[k], box.faces->corners[before]);
            QCOMPARE(inside_out.corner_uvs[k].x, static_cast<float>(before));
            QCOMPARE(inside_out.corner_attributes[0].values[k * 2 + 1], -static_cast<float>(before));
        }
        box.faces = std::make_shared<Faces>(inside_out);
        QVERIFY(furthest_from_faces(box, -1) < 1e-6f);
    }
    void between_frames_they_turn_halfway() {
        auto turned = [](double degrees) {
            auto pose = std::make_shared<Pose>(hard_box());
            const auto c = static_cast<float>(portable::cos(degrees * radians)),
                       s = static_cast<float>(portable::sin(degrees * radians));
            for (auto* list : {&pose->points, &pose->corner_normals}) {
                for (V3f& v : *list) v = V3f(c * v.x + s * v.z, v.y, c * v.z - s * v.x);
            }
            return PosePtr(pose);
        };
        const PosePtr half = blend(turned(0), turned(60), 0.5, SubFrame::linear, 1), exact = turned(30);
        QCOMPARE(half->corner_normals.size(), std::size_t(24));
        for (std::size_t c = 0; c < 24; ++c)
            QVERIFY((half->corner_normals[c] - exact->corner_normals[c]).length() < 1e-6f);
        QVERIFY(half->normals.empty());
        // One of the two may have the same normal at all corners of a point.
        auto smooth = std::make_shared<Pose>(*turned(0));
        smooth->corner_normals.clear();
        smooth->normals = point_normals(smooth->points, *smooth->faces);
        const PosePtr mixed = blend(PosePtr(smooth), turned(0), 0.5, SubFrame::linear, 1);
        QCOMPARE(mixed->corner_normals.size(), std::size_t(24));
        const V3f should = (smooth->normals[smooth->faces->corners[5]] + turned(0)->corner_normals[5]).normalized();
        QVERIFY((mixed->corner_normals[5] - should).length() < 1e-6f);
    }
    void made_anew_they_stay_hard() {
        auto bent = std::make_shared<Pose>(hard_box());
        for (V3f& p : bent->points) p = V3f(p.x * 1.5f + 0.4f * p.y, p.y, p.z); // sheared: the normals are wrong now
        QVERIFY(furthest_from_faces(*bent) > 0.1f);
        const PosePtr fresh = with_normals_of_faces(bent);
        QVERIFY(fresh->normals.empty());
        QVERIFY(furthest_from_faces(*fresh) < 1e-6f);
        // Two of its faces smooth together along the edge between them, and nowhere else.
        auto rounded = std::make_shared<Pose>(hard_box());
        const V3f between = (face_normal(*rounded, 0) + face_normal(*rounded, 2)).normalized();
        const Faces& faces = *rounded->faces;
        for (const std::uint32_t point : {0u, 4u}) { // of both
            for (std::size_t c = 0; c < 24; ++c) {
                if (faces.corners[c] == point && (c / 4 == 0 || c / 4 == 2)) rounded->corner_normals[c] = between;
            }
        }
        const PosePtr smooth = with_normals_of_faces(rounded);
        for (std::size_t c = 0; c < 24; ++c) {
            const bool edge = (c / 4 == 0 || c / 4 == 2) && (faces.corners[c] == 0 || faces.corners[c] == 4);
            QVERIFY((smooth->corner_normals[c] - (edge ? between : face_normal(*rounded, c / 4))).length() < 1e-6f);
        }
    }
    void joined_with_a_smooth_one() {
        Pose smooth = hard_box();
        smooth.corner_normals.clear();
        smooth.normals = point_normals(smooth.points, *smooth.faces);
        for (const bool first : {true, false}) {
            PoseJoiner all;
            all.add(first ? smooth : hard_box(), 0);
            all.add(first ? hard_box() : smooth, 1);
            const Pose both = all.take(true);
            QVERIFY(both.normals.empty());
            QCOMPARE(both.corner_normals.size(), std::size_t(48));
            for (std::size_t c = 0; c < 24; ++c) {
                QCOMPARE(both.corner_normals[first ? c : c + 24], smooth.normals[smooth.faces->corners[c]]);
                QCOMPARE(both.corner_normals[first ? c + 24 : c], hard_box().corner_normals[c]);
            }
        }
        PoseJoiner without;
        without.add(hard_box(), 0);
        Pose bare = hard_box();
        bare.corner_normals.clear();
        without.add(bare, 1);
        QVERIFY(without.take(true).corner_normals.empty()); // one of them has none at all
    }
    void parts_take_theirs_along() {
        PoseJoiner all;
        Pose other = hard_box();
        for (V3f& n : other.corner_normals) n = -n;
        all.add(hard_box(), 0);
        all.add(other, 1);
        const auto both = std::make_shared<const Pose>(all.take(true));
        const PosePtr second = PartTaker({1}, true).take(both);
        QCOMPARE(second->corner_normals, other.corner_normals);
        QCOMPARE(PartTaker({1}, false).take(both)->corner_normals, hard_box().corner_normals);
    }
    void pieces_and_nodes_turn_them() {
        PoseJoiner all;
        all.add(hard_box(), 0);
        all.add(hard_box(), 1);
        const Pose rest = all.take(true);
        std::vector<std::uint32_t> piece_of(16, 0);
        std::fill(piece_of.begin() + 8, piece_of.end(), 1u);
        std::vector<PieceTransform> transforms(2);
        transforms[1].position = V3d(3, 0, 1);
        transforms[1].rotation.setAxisAngle(V3d(1, 2, 3).normalized(), 0.7);
        QVERIFY(furthest_from_faces(*placed(rest, piece_of, transforms, {})) < 1e-5f);

        KeyedModel model;
        model.meshes.push_back({hard_box()});
        model.nodes.resize(2);
        model.nodes[0].name = "quay", model.nodes[0].meshes = {0};
        model.nodes[1].name = "crate", model.nodes[1].meshes = {0}, model.nodes[1].parent = 0;
        model.nodes[0].scale = V3d(1, 2, 0.5); // normals are not sized as points are
        model.nodes[1].rotation = transforms[1].rotation;
        const PosePtr shared = shared_parts(model);
        const PosePtr pose = pose_at(model, *shared, 0, false);
        QCOMPARE(pose->corner_normals.size(), std::size_t(48));
        QVERIFY(furthest_from_faces(*pose) < 1e-5f);
    }
    void split_apart_they_are_of_points() {
        Pose box = hard_box();
        box.colours.assign(8, V3f(1, 0, 0));
        box.colours[7] = V3f(0, 1, 0);
        const Pose apart = split_at_corners(box);
        QCOMPARE(apart.points.size(), std::size_t(24));
        QCOMPARE(apart.normals, box.corner_normals);
        for (std::uint32_t c = 0; c < 24; ++c) {
            QCOMPARE(apart.faces->corners[c], c);
            QCOMPARE(apart.points[c], box.points[box.faces->corners[c]]);
            QCOMPARE(apart.colours[c], box.colours[box.faces->corners[c]]);
        }
        for (std::size_t t = 0; t < 36; ++t) // the same fans
            QCOMPARE(box.faces->triangles()[t], box.faces->corners[apart.faces->triangles()[t]]);
    }
};
GARLAND_TEST_CASE(CornerNormalsTest)
#include "corner_normals_test.moc"
