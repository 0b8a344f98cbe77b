#include "support/case.h"
#include "support/notation.h"

#include "core/geometry/blend.h"

#include <Eigen/Geometry>
#include <random>

using namespace garland;
using namespace garland::testing;

class BlendTest : public QObject {
    Q_OBJECT
  private slots:
    void ends_are_the_stored_poses_themselves() {
        auto a = std::make_shared<const Pose>(tetrahedron(0)), b = std::make_shared<const Pose>(tetrahedron(3));
        QCOMPARE(blend(a, b, 0, SubFrame::linear, 1).get(), a.get());
        QCOMPARE(blend(a, b, 1, SubFrame::linear, 1).get(), b.get());
        QCOMPARE(blend(a, b, 0.49, SubFrame::nearest, 1).get(), a.get());
        QCOMPARE(blend(a, b, 0.5, SubFrame::nearest, 1).get(), b.get());
        std::vector<float> x{0.1f, 1e20f}, y{0.3f, -7}, out(2);
        mix(x.data(), y.data(), 1.0f, out.data(), 2);
        QVERIFY(out == y);
        mix(x.data(), x.data(), 0.3f, out.data(), 2); // a = b stays a
        QVERIFY(out == x);
    }
    void linear_is_halfway() {
        auto a = std::make_shared<const Pose>(tetrahedron(0)), b = std::make_shared<const Pose>(tetrahedron(3));
        const PosePtr half = blend(a, b, 0.5, SubFrame::linear, 1);
        QCOMPARE(half->points[3], V3f(0, 2.5f, 0));
        QCOMPARE(half->faces.get(), a->faces.get()); // faces are shared, not copied
    }
    void vectorised_mix_is_the_plain_formula() { // same bytes on every processor level
        std::mt19937 random(1);
        std::uniform_real_distribution<float> value(-100, 100);
        std::vector<float> a(1003), b(1003), out(1003);
        for (std::size_t i = 0; i < a.size(); ++i) a[i] = value(random), b[i] = value(random);
        mix(a.data(), b.data(), 0.37f, out.data(), a.size());
        for (std::size_t i = 0; i < a.size(); ++i) {
            volatile float difference = b[i] - a[i];
            volatile float part = 0.37f * difference;
            QCOMPARE(out[i], a[i] + part);
        }
    }
    // A body thrown upward follows a parabola: Hermite through positions and velocities gives it back exactly.
    void smooth_follows_velocities() {
        auto at = [](double t) {
            auto pose = std::make_shared<Pose>(tetrahedron(5 * t - 4.905 * t * t));
            pose->velocities.assign(4, V3f(0, static_cast<float>(5 - 9.81 * t), 0));
            return PosePtr(pose);
        };
        const PosePtr middle = blend(at(0.2), at(0.6), 0.25, SubFrame::smooth, 0.4);
        QVERIFY(close(middle->points[0].y, 5 * 0.3 - 4.905 * 0.09, 1e-5));
        const PosePtr straight = blend(at(0.2), at(0.6), 0.25, SubFrame::linear, 0.4);
        QVERIFY(std::abs(straight->points[0].y - middle->points[0].y) > 0.05);
    }
    void different_faces_do_not_mix() {
        Pose a = tetrahedron(), b = tetrahedron();
        QVERIFY(mixable(a, b)); // another Faces object of the same shape
        b.points.pop_back();
        QVERIFY(!mixable(a, b));
        b = tetrahedron();
        auto other = std::make_shared<Faces>(*b.faces);
        std::swap(other->corners[0], other->corners[1]);
        b.faces = other;
        QVERIFY(!mixable(a, b));
    }
    void normals_agree_with_eigen() {
        const Pose pose = tetrahedron();
        const auto normals = point_normals(pose.points, *pose.faces);
        for (std::size_t i = 0; i < 4; ++i) {
            Eigen::Vector3f sum(0, 0, 0);
            for (std::size_t f = 0; f < 4; ++f) {
                Eigen::Vector3f p[3];
                bool touches = false;
                for (std::size_t c = 0; c < 3; ++c) {
                    const auto k = pose.faces->corners[f * 3 + c];
                    p[c] = {pose.points[k].x, pose.points[k].y, pose.points[k].z};
                    touches |= k == i;
                }
                if (touches) sum += (p[1] - p[0]).cross(p[2] - p[0]);
            }
            sum.normalize();
            QVERIFY(close(normals[i].x, sum.x(), 1e-6) && close(normals[i].y, sum.y(), 1e-6) &&
                    close(normals[i].z, sum.z(), 1e-6));
        }
        QVERIFY(normals[3].y > 0.3f); // outward
    }
    void triangles_fan_polygons() {
        Faces faces;
        faces.starts = {0, 5};
        faces.corners = {4, 3, 2, 1, 0};
        QCOMPARE(faces.triangles(), (std::vector<std::uint32_t>{4, 3, 2, 4, 2, 1, 4, 1, 0}));
    }
};
GARLAND_TEST_CASE(BlendTest)
#include "blend_test.moc"
