// A USD stage at a time: values, transforms, visibility, and the geometry of its prims. Errors are thrown as UsdBad on
// the way and become values in usd_source.cpp.
#pragma once

#include "core/geometry/blend.h"
#include "core/geometry/keyed_model.h"
#include "core/source/source.h"
#include "io/usd/stage.h"

#include <Imath/ImathMatrix.h>
#include <Imath/ImathQuat.h>

#include <fmt/format.h>
#include <functional>
#include <mutex>

namespace garland {

struct UsdBad {
    Error error;
};

struct UsdOp { // of a prim's transform; the first one acts on the points first
    PartOp op;
    const UsdAttribute* value = nullptr;
};
struct UsdOps {
    std::vector<UsdOp> list;
    bool resets = false, moves = false;
};

struct UsdScene {
    explicit UsdScene(std::shared_ptr<const UsdStage> from);

    std::shared_ptr<const UsdStage> stage;
    std::vector<UsdOps> ops;          // of each prim
    std::vector<std::string> purpose; // of each prim, from above where it says none
    bool proxies = false;             // only proxies are there to be shown

    const UsdPrim& prim(int i) const { return stage->prims[static_cast<std::size_t>(i)]; }
    double start() const { return stage->root->start.value_or(0); }

    // Values at a time: numbers linear between samples of equal length, otherwise those before (as the format says);
    // rotations along the shortest arc. Nothing where there is no value.
    std::vector<float> floats(const UsdAttribute& a, double time, std::size_t width) const;
    std::vector<double> numbers(const UsdAttribute& a, double time) const;
    std::vector<std::int64_t> wholes(const UsdAttribute& a, double time) const;
    std::vector<std::string> words(const UsdAttribute& a, double time) const;
    std::vector<V3f> vectors(const UsdAttribute& a, double time) const;
    std::vector<Quatd> rotations(const UsdAttribute& a, double time) const; // as they are, not of unit length

    double number(const UsdPrim& p, std::string_view name, double usual, double time) const;
    std::string word(const UsdPrim& p, std::string_view name, std::string usual, double time) const;

    M44d local(int prim, double time) const;
    M44d world(int prim, double time) const;
    bool visible(int prim, double time) const; // by itself; what it stands in may be invisible
    bool in_picture(int prim) const;           // by its purpose

    [[noreturn]] void bad(const UsdPrim& p, std::string what, ErrorCode code = ErrorCode::malformed) const;

  private:
    UsdOps ops_of(const UsdPrim& p) const;
    template <class T>
    T need(Result<T> value, const UsdAttribute& a) const;
};

// An operation's value at a time, as PartOp::rest has it.
std::array<double, 16> usd_op_value(const UsdScene& scene, const UsdPrim& p, const UsdOp& op, double time);
std::size_t usd_width(std::string_view type); // numbers of one element: "point3f[]" 3; 0: none

// -- usd_materials.cpp
// The materials of a mesh and of subsets of its faces, with the pictures of their base colours.
void usd_materials(const UsdScene& scene, int prim, double time, Faces& faces);

// -- usd_mesh.cpp
std::shared_ptr<Faces> usd_faces(const UsdScene& scene, int prim, double time, std::size_t points);
// A Mesh at a time, in its own space. known: its faces, where they do not change.
Pose usd_mesh(const UsdScene& scene, int prim, double time, std::shared_ptr<const Faces> known);
Pose usd_points(const UsdScene& scene, int prim, double time); // Points, with ids
void tell_of_mesh(const UsdScene& scene, int prim, std::vector<SourceProblem>& problems);
// Values and normals of a prim's primvars into a pose whose points are there; faces: to be filled, or null.
void usd_primvars(const UsdScene& scene, int prim, double time, Pose& pose, Faces* faces);

// -- usd_shapes.cpp
bool is_usd_shape(std::string_view type); // Sphere, Cube, Cylinder, Cone, Capsule, Plane
Pose usd_shape(const UsdScene& scene, int prim, double time);

// -- usd_skin.cpp: UsdSkel's linear blend skinning and blend shapes
class UsdSkins {
  public:
    explicit UsdSkins(const UsdScene& scene) : scene_(scene) {}
    bool binds(int prim) const; // a mesh that a skeleton or blend shapes move
    // Moves a mesh in its own space; true where its points are then in the skeleton's space, whose prim is `skeleton`.
    bool apply(int prim, double time, Pose& pose, int& skeleton) const;
    std::vector<double> sample_times(int prim) const;
    void tell(int prim, std::vector<SourceProblem>& problems) const;

  private:
    const std::vector<std::string>* inherited(int prim, std::string_view relationship) const;
    int animation_of(int prim, int skeleton) const;
    void blend_shapes(int prim, int animation, double time, Pose& pose) const;
    const UsdScene& scene_;
};

// -- usd_draw.cpp
enum class UsdShown {
    geometry,  // meshes and shapes, those of instancers too
    points,    // Points
    instances, // of instancers: a point each, with the attributes `orient` (x, y, z, w of a unit quaternion), `size`
               // and `prototype`
    volumes,   // a prim of the type Volume; nothing that is drawn
};

// All that is to be seen at a time, in the stage's space.
class UsdDrawing {
  public:
    explicit UsdDrawing(const UsdScene& scene) : scene_(scene), skins_(scene) {}
    // Shows one piece of geometry: its prim and the pose in the stage's space.
    using Sink = std::function<void(int prim, Pose&& pose)>;
    void draw(double time, UsdShown shown, const Sink& sink) const;
    const UsdSkins& skins() const { return skins_; }

  private:
    struct Place {
        M44d now{}, before{}, after{}; // from the prim's space; before and after: a little sooner and later
        bool moves = false;
        bool instanced = false;
        M44d base{}; // from the stage's space, for what says where it is by the stage
    };
    struct Walk;
    void walk(Walk& w, int prim, const Place& above, int depth) const;
    void instances(Walk& w, int prim, const Place& at, int depth) const;
    void instance_points(Walk& w, int prim, const Place& at) const;
    void show(Walk& w, int prim, const Place& at) const;
    Place below(int prim, const Place& above, double time) const;
    std::shared_ptr<const Faces> known_faces(int prim, const Pose& pose) const;

    const UsdScene& scene_;
    UsdSkins skins_;
    mutable std::mutex lock_;
    mutable std::map<int, std::shared_ptr<const Faces>> faces_;
};

// -- usd_volumes.cpp
struct UsdVolumeField { // of a prim of the type Volume: what it calls it, and the OpenVDBAsset it is
    std::string name;
    int prim = -1;
};
std::vector<UsdVolumeField> usd_volume_fields(const UsdScene& scene, int prim); // by name
// A Volume with one field at least as a source: the grids of all its fields, by the fields' names, in the stage's
// space. facts: with its frames, rate, axis and unit. Errors: those of its files, with the frame; unsupported, for
// sheared volumes and files inside packages; cancelled.
Result<SourcePtr> open_usd_volume(std::shared_ptr<UsdScene> scene, int prim, SourceFacts facts, Progress& progress);

// -- usd_model.cpp
// Meshes that move as wholes become a keyed model: a node a prim, keys at the samples' times.
KeyedModel usd_model(const UsdScene& scene, double first, const std::vector<int>& shown);

} // namespace garland
