// The camera as USD and glTF: read back, places in the scene fall on the pixels where pictures have them.
#include "support/case.h"
#include "support/files.h"

#include "core/project/project.h"
#include "io/tables/camera_file.h"
#include "render/eye.h"

#include <Eigen/Geometry>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QRegularExpression>
#include <numbers>

using namespace garland;
using namespace garland::testing;

namespace {

constexpr int width = 320, height = 180;

// A pinhole by its matrix and the tangent of half its upright field of view.
std::pair<double, double> projected(const Eigen::Matrix4d& camera, double tangent, const V3d& place) {
    const Eigen::Vector4d own = camera.inverse() * Eigen::Vector4d(place.x, place.y, place.z, 1);
    const double focal = height / 2.0 / tangent;
    return {width / 2.0 + own.x() / -own.z() * focal, height / 2.0 - own.y() / -own.z() * focal};
}

} // namespace

class CameraFileTest : public QObject {
    Q_OBJECT
    Folder folder_;
    Project p_;
    CameraOrder order_;
    void compare(std::int64_t frame, const Eigen::Matrix4d& camera, double tangent, double within) {
        const Camera c =
            CameraPlan(p_.settings.camera_keys, p_.settings.camera).at(OutputFrame(static_cast<double>(frame)));
        const Eye eye(c, width, height);
        for (const V3d& place : {V3d(0, 0, 0), V3d(1, 2, -0.5), V3d(-0.7, 0.3, 1.2)}) {
            const Eye::Spot spot = eye.spot(place);
            const auto [x, y] = projected(camera, tangent, place);
            QVERIFY2(
                std::abs(x - spot.x) < within && std::abs(y - spot.y) < within,
                qPrintable(QString("frame %1: %2, %3 for %4, %5").arg(frame).arg(x).arg(y).arg(spot.x).arg(spot.y)));
        }
    }
  private slots:
    void init() {
        p_ = Project{};
        p_.settings.rate = {25, 1};
        p_.settings.camera_keys = {{OutputFrame(1), {V3d(0, 1, 0), 8, 20, 10, 40}, Toward::smooth},
                                   {OutputFrame(30), {V3d(0.5, 1, 0), 5, 250, 35, 40}, Toward::linear}};
        order_ = {{}, {{1, 30}, 1}, static_cast<double>(width) / height, Existing::refuse};
    }
    void usd_says_where_everything_falls() {
        p_.settings.camera_keys[1].camera.field_of_view = 55;
        order_.path = folder_ / "camera.usda";
        QVERIFY(write_camera(p_, order_));
        const QString text = QString::fromStdString(folder_.read("camera.usda"));
        QVERIFY(text.startsWith("#usda 1.0") && text.contains("timeCodesPerSecond = 25") &&
                text.contains("def Camera"));
        const QRegularExpression row(R"((\d+): \(\(([^)]*)\), \(([^)]*)\), \(([^)]*)\), \(([^)]*)\)\))");
        const QRegularExpression length(R"(focalLength\.timeSamples = \{([^}]*)\})");
        QMap<int, double> lengths;
        for (const QString& line : length.match(text).captured(1).split('\n', Qt::SkipEmptyParts)) {
            const QStringList parts = line.trimmed().chopped(1).split(':');
            if (parts.size() == 2) lengths[parts[0].toInt()] = parts[1].toDouble();
        }
        QCOMPARE(lengths.size(), 30);
        int rows = 0;
        for (auto it = row.globalMatch(text); it.hasNext(); ++rows) {
            const auto m = it.next();
            Eigen::Matrix4d camera; // rows of the file are row vectors: transposed
            for (int r = 0; r < 4; ++r) {
                const QStringList n = m.captured(2 + r).split(',');
                for (int c = 0; c < 4; ++c) camera(c, r) = n[c].toDouble();
            }
            const int frame = m.captured(1).toInt();
            compare(frame, camera, 12 / lengths[frame], 1e-6); // verticalAperture 24
        }
        QCOMPARE(rows, 30);
        QVERIFY(!write_camera(p_, order_)); // it is there
    }
    void gltf_says_the_same_at_its_times() {
        order_.path = folder_ / "camera.gltf";
        QVERIFY(write_camera(p_, order_));
        const QJsonObject j = QJsonDocument::fromJson(QByteArray::fromStdString(folder_.read("camera.gltf"))).object();
        const QString uri = j["buffers"].toArray()[0].toObject()["uri"].toString();
        const QByteArray bytes = QByteArray::fromBase64(uri.mid(uri.indexOf(',') + 1).toLatin1());
        QCOMPARE(bytes.size(), j["buffers"].toArray()[0].toObject()["byteLength"].toInt());
        auto floats = [&](int accessor) {
            const QJsonObject a = j["accessors"].toArray()[accessor].toObject(),
                              v = j["bufferViews"].toArray()[a["bufferView"].toInt()].toObject();
            std::vector<float> out(static_cast<std::size_t>(v["byteLength"].toInt()) / 4);
            std::memcpy(out.data(), bytes.data() + v["byteOffset"].toInt(), out.size() * 4);
            return out;
        };
        const auto times = floats(0), places = floats(1), turns = floats(2);
        QCOMPARE(times.size(), std::size_t(30));
        const double yfov = j["cameras"].toArray()[0].toObject()["perspective"].toObject()["yfov"].toDouble();
        QVERIFY(std::abs(yfov - 40 * std::numbers::pi / 180) < 1e-12);
        for (std::size_t i = 0; i < times.size(); ++i) {
            QVERIFY(std::abs(times[i] - static_cast<float>(i) / 25) < 1e-6f);
            Eigen::Affine3d camera = Eigen::Affine3d::Identity();
            camera.translate(Eigen::Vector3d(places[i * 3], places[i * 3 + 1], places[i * 3 + 2]));
            camera.rotate(Eigen::Quaterniond(turns[i * 4 + 3], turns[i * 4], turns[i * 4 + 1], turns[i * 4 + 2]));
            compare(static_cast<std::int64_t>(i) + 1, camera.matrix(), std::tan(yfov / 2), 1e-3);
        }
    }
    void what_cannot_be_written_is_said() {
        order_.path = folder_ / "zoom.gltf";
        p_.settings.camera_keys[1].camera.field_of_view = 55;
        auto done = write_camera(p_, order_);
        QVERIFY(!done && said(done.error()).contains("glTF has one field of view"));
        order_.path = folder_ / "zoom.doc";
        done = write_camera(p_, order_);
        QVERIFY(!done && said(done.error()).contains("use .usda, .gltf or .csv"));
        order_.path = folder_ / "zoom.usda", order_.aspect = 0;
        QVERIFY(!write_camera(p_, order_));
        order_.aspect = 1, order_.frames = {{5, 4}, 1};
        QVERIFY(!write_camera(p_, order_));
        QVERIFY(folder_.names().filter("zoom").isEmpty());
    }
};
GARLAND_TEST_CASE(CameraFileTest)
#include "camera_test.moc"
