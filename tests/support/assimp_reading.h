// What Assimp, an independent library, reads from a mesh file.
#pragma once

#include <Imath/ImathBox.h>
#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <string>

namespace garland::testing {

struct AssimpReading {
    bool ok = false;
    std::size_t points = 0, triangles = 0;
    double area = 0, sum = 0; // total area of triangles; sum of all coordinates of triangle corners
    Imath::Box3f box;
};

inline AssimpReading read_with_assimp(const std::string& path) {
    AssimpReading r;
    Assimp::Importer importer;
    const aiScene* scene = importer.ReadFile(path, aiProcess_Triangulate);
    if (!scene || scene->mNumMeshes == 0) return r;
    r.ok = true;
    for (unsigned m = 0; m < scene->mNumMeshes; ++m) {
        const aiMesh& mesh = *scene->mMeshes[m];
        r.points += mesh.mNumVertices;
        for (unsigned i = 0; i < mesh.mNumVertices; ++i) {
            const aiVector3D& v = mesh.mVertices[i];
            r.box.extendBy(Imath::V3f(v.x, v.y, v.z));
        }
        for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
            const aiFace& face = mesh.mFaces[f];
            if (face.mNumIndices != 3) continue;
            ++r.triangles;
            const aiVector3D a = mesh.mVertices[face.mIndices[0]], b = mesh.mVertices[face.mIndices[1]],
                             c = mesh.mVertices[face.mIndices[2]];
            r.area += 0.5 * ((b - a) ^ (c - a)).Length();
            for (const auto& p : {a, b, c}) r.sum += p.x + p.y + p.z;
        }
    }
    return r;
}

} // namespace garland::testing
