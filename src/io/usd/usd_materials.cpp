// Materials that are bound to meshes and to subsets of their faces, and the picture of each one's base colour
// (Alliance for OpenUSD, UsdShade schemas and the UsdPreviewSurface specification).
#include "io/files/file.h"
#include "io/usd/usd_scene.h"

#include <algorithm>
#include <set>

namespace garland {

namespace {

// The path of the material that is bound to a prim or above it; "" where there is none.
std::string material_of(const UsdScene& scene, int prim) {
    for (int p = prim; p >= 0; p = scene.prim(p).parent) {
        const auto* targets = scene.prim(p).targets("material:binding");
        if (targets && !targets->empty()) return targets->front();
    }
    return {};
}

// Pictures that reach an input through connections of shaders, node graphs and materials.
class PictureTrail {
  public:
    PictureTrail(const UsdScene& scene, double time) : scene_(scene), time_(time) {}

    // from: of an output or input, "/look/paper/image.outputs:rgb".
    void follow(std::string_view from) {
        const std::size_t dot = from.rfind('.');
        if (dot == from.npos || !seen_.insert(std::string(from)).second || seen_.size() > 10'000) return;
        const int at = scene_.stage->prim_at(from.substr(0, dot));
        if (at < 0) return;
        const UsdPrim& p = scene_.prim(at);
        const std::string_view property = from.substr(dot + 1);
        if (const auto* further = p.connected_to(property)) {
            for (const std::string& f : *further) follow(f);
            return;
        }
        if (!property.starts_with("outputs:")) return take(p, property);
        if (p.connected_to("inputs:file") || p.find("inputs:file")) {
            if (const auto* file = p.connected_to("inputs:file")) {
                for (const std::string& f : *file) follow(f); // a value of the material's
            } else {
                take(p, "inputs:file");
            }
            return;
        }
        for (const auto& [name, targets] : p.connections) { // it mixes or corrects what comes in
            if (!name.starts_with("inputs:")) continue;
            for (const std::string& t : targets) follow(t);
        }
    }
    // Nothing where there is none or more than one.
    std::string only() const { return found_.size() == 1 ? *found_.begin() : std::string(); }

    // The file that an attribute names, as it is seen from its layer; "" for none.
    static std::string named(const UsdScene& scene, const UsdPrim& p, std::string_view attribute, double time) {
        const UsdAttribute* file = p.find(attribute);
        if (!file || file->type != "asset") return {};
        const auto at = file->at(time);
        const auto words = at.layer ? scene.words(*file, time) : std::vector<std::string>{};
        if (words.empty() || words.front().empty()) return {};
        const bool packed = !at.layer->bytes.inside.empty();
        return packed ? words.front() : path_seen_from(words.front(), at.layer->bytes.path);
    }

  private:
    void take(const UsdPrim& p, std::string_view attribute) {
        if (std::string file = named(scene_, p, attribute, time_); !file.empty()) found_.insert(std::move(file));
    }
    const UsdScene& scene_;
    double time_;
    std::set<std::string, std::less<>> seen_, found_;
};

// The one texture (UsdUVTexture) among a material's shaders, or the only one of them in sRGB; "" where that does not
// say which.
std::string only_texture_of(const UsdScene& scene, int top, double time) {
    std::vector<std::pair<std::string, bool>> found; // and whether it is a colour by its own word
    std::vector<int> open{top};
    for (std::size_t k = 0; k < open.size() && open.size() < 10'000; ++k) {
        const UsdPrim& p = scene.prim(open[k]);
        open.insert(open.end(), p.children.begin(), p.children.end());
        if (scene.word(p, "info:id", "", time) != "UsdUVTexture") continue;
        if (std::string file = PictureTrail::named(scene, p, "inputs:file", time); !file.empty())
            found.emplace_back(std::move(file), scene.word(p, "inputs:sourceColorSpace", "auto", time) == "sRGB");
    }
    if (found.size() > 1) std::erase_if(found, [](const auto& one) { return !one.second; });
    return found.size() == 1 ? found.front().first : std::string();
}

// The picture of a material's base colour: what is connected to it in the shader of the material's surface, or where no
// shader is connected to the material, the only texture there is. "" for none.
std::string picture_of(const UsdScene& scene, std::string_view material, double time) {
    const int top = scene.stage->prim_at(material);
    if (top < 0) return {};
    PictureTrail trail(scene, time);
    bool surfaced = false;
    for (const auto& [output, targets] : scene.prim(top).connections) {
        if (!output.starts_with("outputs:") || !output.ends_with("surface")) continue; // also of one renderer alone
        for (const std::string& t : targets) {
            const int shader = scene.stage->prim_at(std::string_view(t).substr(0, t.rfind('.')));
            if (shader < 0) continue;
            surfaced = true;
            for (const std::string_view base : {"inputs:diffuseColor", "inputs:base_color"}) {
                const auto* from = scene.prim(shader).connected_to(base);
                for (const std::string& f : from ? *from : std::vector<std::string>{}) trail.follow(f);
            }
        }
    }
    return surfaced ? trail.only() : only_texture_of(scene, top, time);
}

} // namespace

void usd_materials(const UsdScene& scene, int prim, double time, Faces& faces) {
    const UsdPrim& p = scene.prim(prim);
    const auto take_picture = [&](const std::string& material) {
        if (std::string picture = picture_of(scene, material, time); !picture.empty())
            faces.pictures[std::string(usd_name(material))] = std::move(picture);
    };
    if (const auto* names_of = p.find("primvars:materialName")) {
        const auto names = scene.words(*names_of, time);
        if (names.size() == 1) faces.materials = names, faces.material_of.assign(faces.count(), 0);
        if (const auto* each = p.find("primvars:materialName:indices"); each && names.size() > 1) {
            const auto wanted = scene.wholes(*each, time);
            const auto count = static_cast<std::int64_t>(names.size());
            if (wanted.size() == faces.count() &&
                std::all_of(wanted.begin(), wanted.end(), [count](std::int64_t i) { return i >= 0 && i < count; })) {
                faces.materials = names;
                faces.material_of.assign(wanted.begin(), wanted.end());
            }
        }
        if (const auto* pictures_of = p.find("primvars:materialPicture"); pictures_of && !faces.materials.empty()) {
            const auto pictures = scene.words(*pictures_of, time);
            for (std::size_t i = 0; i < std::min(pictures.size(), names.size()); ++i) {
                if (!pictures[i].empty()) faces.pictures[names[i]] = path_seen_from(pictures[i], scene.stage->path);
            }
        }
        if (!faces.materials.empty()) return;
    }
    const std::string bound_to = material_of(scene, prim);
    std::string whole(usd_name(bound_to));
    if (!whole.empty()) take_picture(bound_to);
    bool some = !whole.empty();
    std::vector<std::uint32_t> of(faces.count(), 0);
    std::vector<std::string> names{std::move(whole)};
    for (const int c : p.children) { // subsets of faces with a material of their own
        const UsdPrim& subset = scene.prim(c);
        const auto* bound = subset.targets("material:binding");
        const UsdAttribute* indices = subset.find("indices");
        if (subset.type != "GeomSubset" || !bound || bound->empty() || !indices ||
            scene.word(subset, "elementType", "face", time) != "face")
            continue;
        const std::string name(usd_name(bound->front()));
        const auto known = std::find(names.begin(), names.end(), name);
        const auto index = static_cast<std::uint32_t>(known - names.begin());
        if (known == names.end()) names.push_back(name);
        take_picture(bound->front());
        for (const std::int64_t f : scene.wholes(*indices, time)) {
            if (f < 0 || f >= static_cast<std::int64_t>(of.size()))
                scene.bad(subset, fmt::format("has face {}, but there are only {}", f, of.size()));
            of[static_cast<std::size_t>(f)] = index;
        }
        some = true;
    }
    if (!some) return;
    faces.materials = std::move(names);
    faces.material_of = std::move(of);
}

} // namespace garland
