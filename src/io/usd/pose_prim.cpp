#include "io/usd/pose_prim.h"

#include "core/geometry/corner_normals.h"

#include <algorithm>
#include <fmt/format.h>

namespace garland {

namespace {

class PoseOut {
  public:
    PoseOut(UsdLayerWriter& layer, UsdOutPrim& prim, std::optional<double> time)
        : layer_(layer), prim_(prim), time_(time) {}

    void put(const char* type, const std::string& name, const UsdValue& value, const char* interpolation = nullptr,
             int element_size = 1) {
        put(type, name, layer_.keep(value), interpolation, element_size);
    }
    void put(const char* type, const std::string& name, UsdKept value, const char* interpolation = nullptr,
             int element_size = 1) {
        UsdOutProperty& p = prim_.property(type, name);
        if (p.about.empty() && !p.value && p.samples.empty()) {
            if (element_size > 1) p.about.emplace_back("elementSize", layer_.keep(usd_int(element_size)));
            if (interpolation) p.about.emplace_back("interpolation", layer_.keep(usd_token(interpolation)));
            if (interpolation) p.interpolation = interpolation;
        }
        if (time_) {
            p.samples.push_back({*time_, value});
        } else {
            p.value = value;
        }
    }

    void attributes(const std::vector<Attribute>& list, const char* each) {
        for (const Attribute& a : list) {
            const auto width = static_cast<std::size_t>(a.width);
            const bool whole = !a.whole.empty(), tuple = width > 1 && width <= 4;
            static constexpr UsdType floats[] = {UsdType::float32, UsdType::float2, UsdType::float3, UsdType::float4};
            static constexpr UsdType wholes[] = {UsdType::int32, UsdType::int2, UsdType::int3, UsdType::int4};
            const std::size_t of = tuple ? width - 1 : 0, count = (whole ? a.whole.size() : a.values.size());
            const UsdValue value = whole ? usd_numbers(wholes[of], a.whole.data(), count / (of + 1))
                                         : usd_numbers(floats[of], a.values.data(), count / (of + 1));
            const std::string type = a.vector && !whole ? "vector3f[]"
                                     : tuple            ? fmt::format("{}{}[]", whole ? "int" : "float", width)
                                     : whole            ? "int[]"
                                                        : "float[]";
            put(type.c_str(), "primvars:" + usd_identifier(a.name), value, each, width > 4 ? a.width : 1);
        }
    }

    // What the first sample's belong to, all others' do: the format says it once.
    void normals(const Pose& pose, const std::vector<V3f>& list) {
        if (list.empty()) return;
        const char *type = "normal3f[]", *name = "normals";
        const bool of_corners = !pose.corner_normals.empty();
        const std::string now = of_corners ? "faceVarying" : "vertex",
                          &first = prim_.property(type, name).interpolation;
        if (first.empty() || first == now) {
            put(type, name, usd_array(list), now.c_str());
            return;
        }
        Pose other;
        other.points.resize(pose.points.size()), other.faces = pose.faces;
        (of_corners ? other.corner_normals : other.normals) = list;
        put(type, name, usd_array(of_corners ? normals_at_points(other) : normals_at_corners(other)));
    }

    void faces(const std::shared_ptr<const Faces>& faces) {
        const UsdLayerWriter::KeptFaces kept = layer_.keep(faces);
        put("int[]", "faceVertexCounts", kept.counts);
        put("int[]", "faceVertexIndices", kept.corners);
    }

  private:
    UsdLayerWriter& layer_;
    UsdOutPrim& prim_;
    std::optional<double> time_;
};

} // namespace

void put_pose(UsdLayerWriter& layer, UsdOutPrim& prim, std::optional<double> time, const Pose& pose,
              const PoseLists& lists) {
    PoseOut out(layer, prim, time);
    const char *each = "vertex", *face = "uniform";
    const Faces& faces = *lists.faces;
    if (!lists.points.empty()) {
        const Imath::Box3f box = bounds_of(lists.points);
        out.put("float3[]", "extent", usd_array(std::vector<V3f>{box.min, box.max}));
    }
    if (prim.type == "Points") {
        out.put("int64[]", "ids", usd_array(pose.ids));
    } else {
        out.faces(pose.faces);
    }
    out.put("point3f[]", "points", usd_array(lists.points));
    if (!lists.velocities.empty()) out.put("vector3f[]", "velocities", usd_array(lists.velocities));
    out.normals(pose, lists.normals);
    if (!pose.colours.empty()) out.put("color3f[]", "primvars:displayColor", usd_array(pose.colours), each);
    if (!pose.uvs.empty()) {
        out.put("texCoord2f[]", "primvars:st", usd_array(pose.uvs), each);
    } else if (!faces.corner_uvs.empty()) {
        out.put("texCoord2f[]", "primvars:st", usd_array(faces.corner_uvs), "faceVarying");
    }
    if (!faces.materials.empty()) { // a primvar with an index for every face
        UsdValue names;
        names.type = UsdType::string, names.array = true, names.count = faces.materials.size();
        names.words = faces.materials;
        out.put("string[]", "primvars:materialName", names, face);
        out.put("int[]", "primvars:materialName:indices",
                usd_numbers(UsdType::int32, faces.material_of.data(), faces.material_of.size()));
        if (!faces.pictures.empty()) { // of the names, in their order
            UsdValue pictures;
            pictures.type = UsdType::string, pictures.array = true, pictures.count = faces.materials.size();
            for (const std::string& name : faces.materials) {
                const auto picture = faces.pictures.find(name);
                pictures.words.push_back(picture == faces.pictures.end() ? std::string() : picture->second);
            }
            out.put("string[]", "primvars:materialPicture", pictures, "constant");
        }
    }
    out.attributes(lists.attributes, each);
    if (!lists.face_attributes) return;
    out.attributes(faces.attributes, face);
    out.attributes(faces.corner_attributes, "faceVarying");
}

PoseLists shared_lists_of(const Pose& pose, bool attributes) {
    static const std::vector<V3f> none;
    static const std::vector<Attribute> nothing;
    const PoseLists own = lists_of(pose);
    return {own.points, own.normals, none, attributes ? pose.attributes : nothing, pose.faces, attributes};
}

void put_header(UsdLayerWriter& layer, const std::string& default_prim, double first, double last, Rate rate,
                const WrittenAs& as) {
    UsdOutPrim& root = layer.root();
    layer.about(root, "defaultPrim", usd_token(default_prim));
    layer.about(root, "endTimeCode", usd_double(last));
    layer.about(root, "framesPerSecond", usd_double(rate.per_second()));
    layer.about(root, "metersPerUnit", usd_double(as.unit));
    layer.about(root, "startTimeCode", usd_double(first));
    layer.about(root, "timeCodesPerSecond", usd_double(rate.per_second()));
    layer.about(root, "upAxis", usd_token(as.z_up ? "Z" : "Y"));
}

void put_space(UsdLayerWriter& layer, UsdOutPrim& prim, const WrittenAs& as) {
    if (as.usual_space()) return;
    const V3d x = as.sized(V3d(1, 0, 0)), y = as.sized(V3d(0, 1, 0)), z = as.sized(V3d(0, 0, 1));
    layer.set(prim, "matrix4d", "xformOp:transform",
              usd_matrix({x.x, x.y, x.z, 0, y.x, y.y, y.z, 0, z.x, z.y, z.z, 0, 0, 0, 0, 1}));
    layer.set_uniform(prim, "token[]", "xformOpOrder", usd_tokens({"xformOp:transform"}));
}

} // namespace garland
