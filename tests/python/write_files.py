#!/usr/bin/python3
"""Files of working size by independent writers (NumPy, meshio, OpenVDB's own Python module), with what they hold.

usage: write_files.py KIND FOLDER       prints the expected values as JSON
"""
import json
import os
import sys

import numpy as np


def points_of(count, frame=0):
    """A rippling sheet: the same numbers on every machine, since they come from a fixed generator."""
    random = np.random.RandomState(7)
    flat = random.rand(count, 3).astype(np.float32)
    flat[:, 1] = flat[:, 0] * np.float32(0.25) + np.float32(frame)
    return flat


def samples(points):
    chosen = np.random.RandomState(3).randint(0, len(points), 64)
    return [[int(i)] + [float(x) for x in points[i]] for i in chosen]


def mesh(folder):
    import meshio

    side = 1000
    points = points_of(side * side)
    corner = (np.arange(side - 1)[:, None] * side + np.arange(side - 1)[None, :]).reshape(-1)
    quads = np.stack([corner, corner + 1, corner + side + 1, corner + side], axis=1)
    sheet = meshio.Mesh(points, [("quad", quads)])
    out = {}
    for name, options in (("million.ply", {"binary": True}), ("million_text.ply", {"binary": False}), ("million.obj", {})):
        meshio.write(os.path.join(folder, name), sheet, **options)
        out[name] = {"points": len(points), "faces": len(quads), "samples": samples(points)}
    return out


def arrays(folder):
    import meshio

    frames, count = 10000, 500
    meshio.write(os.path.join(folder, "long.ply"), meshio.Mesh(points_of(count), [("triangle", np.arange(count - 2).reshape(-1, 1) + np.arange(3))]))
    out = {}
    for name, kind in (("long", "<f4"), ("long_half", "<f2"), ("long_double", ">f8")):
        if name != "long":
            meshio.write(os.path.join(folder, name + ".ply"), meshio.Mesh(points_of(count), [("triangle", np.arange(count - 2).reshape(-1, 1) + np.arange(3))]))
        array = np.lib.format.open_memmap(os.path.join(folder, name + ".npy"), mode="w+", dtype=np.dtype(kind), shape=(frames, count, 3))
        base = points_of(count)
        for f in range(frames):
            array[f] = base + np.float32(f % 512)
        array.flush()
        out[name + ".npy"] = {"frames": frames, "points": count,
                              "samples": {str(f): samples(np.asarray(array[f], dtype=np.float32)) for f in (0, 1, 4999, 9999)}}
    return out


def usd(folder):
    """A cloth of a million points with two time samples, as USD text; numbers printed by NumPy."""
    side = 1000
    corner = (np.arange(side - 1)[:, None] * side + np.arange(side - 1)[None, :]).reshape(-1)
    quads = np.stack([corner, corner + 1, corner + side + 1, corner + side], axis=1)
    out = {"points": side * side, "faces": len(quads), "samples": {}}

    def triples(points):
        return "[" + ", ".join(f"({x}, {y}, {z})" for x, y, z in points) + "]"

    with open(os.path.join(folder, "cloth.usda"), "w") as file:
        file.write('#usda 1.0\n(\n    endTimeCode = 2\n    startTimeCode = 1\n)\ndef Mesh "cloth"\n{\n    int[] faceVertexCounts = [')
        file.write(", ".join(["4"] * len(quads)) + "]\n    int[] faceVertexIndices = [")
        file.write(", ".join(map(str, quads.reshape(-1).tolist())) + "]\n    point3f[] points.timeSamples = {\n")
        for frame in (1, 2):
            points = points_of(side * side, frame)
            file.write(f"        {frame}: {triples(points)},\n")
            out["samples"][str(frame)] = samples(points)
        file.write("    }\n    float[] primvars:heat = [" + ", ".join(map(str, range(side * side))) + '] (\n        interpolation = "vertex"\n    )\n}\n')
    return out


def series(folder):
    import meshio

    faces = [("triangle", np.array([[0, 1, 2], [1, 2, 3]]))]
    out = {"frames": 2000, "samples": {}}
    for f in range(1, 2001):
        points = points_of(64, f)
        meshio.write(os.path.join(folder, "leaf.%04d.ply" % f), meshio.Mesh(points, faces), binary=True)
        if f in (1, 777, 2000):
            out["samples"][str(f)] = samples(points)
    return out


def stages(folder):
    """A skeleton that bends a quarter of a million points, and a hundred thousand instances; poses by NumPy."""
    count, joints = 250000, 12
    points = points_of(count) * np.float32([joints, 1, 1])
    along = np.clip(points[:, 0] - 0.5, 0, joints - 1.001)
    first = along.astype(np.int32)
    weight = (along - first).astype(np.float32)
    indices = np.stack([first, first + 1], axis=1)
    weights = np.stack([1 - weight, weight], axis=1)
    face_count = count // 3

    def matrix(angle, x):
        c, s = np.cos(angle), np.sin(angle)
        return np.array([[c, s, 0, 0], [-s, c, 0, 0], [0, 0, 1, 0], [x, 0, 0, 1]])

    def text(rows, digits="%.9g"):
        rows = np.asarray(rows)
        if rows.ndim == 1:
            return "[" + ", ".join(digits % v for v in rows) + "]"
        return "[" + ", ".join("(" + ", ".join(digits % v for v in row) + ")" for row in rows) + "]"

    def matrices(list_of):
        return "[" + ", ".join("(" + ", ".join("(" + ", ".join("%.17g" % v for v in row) + ")" for row in m) + ")" for m in list_of) + "]"

    bind = [matrix(0, 0.5 + j) for j in range(joints)]
    rest = [matrix(0, 0.5 if j == 0 else 1.0) for j in range(joints)]
    names = ", ".join('"' + "/".join("j%d" % k for k in range(j + 1)) + '"' for j in range(joints))
    bent = 0.1
    half = (np.cos(bent / 2), 0, 0, np.sin(bent / 2))
    with open(os.path.join(folder, "bent.usda"), "w") as file:
        file.write(f"""#usda 1.0
(
    startTimeCode = 1
    endTimeCode = 2
)
def SkelRoot "eel"
{{
    def Skeleton "bones"
    {{
        uniform token[] joints = [{names}]
        uniform matrix4d[] bindTransforms = {matrices(bind)}
        uniform matrix4d[] restTransforms = {matrices(rest)}
        rel skel:animationSource = </eel/swim>
    }}
    def SkelAnimation "swim"
    {{
        uniform token[] joints = [{names}]
        float3[] translations = {text([[0.5 if j == 0 else 1.0, 0, 0] for j in range(joints)])}
        quatf[] rotations.timeSamples = {{ 1: {text([(1, 0, 0, 0)] * joints)}, 2: {text([half] * joints)} }}
        half3[] scales = {text([(1, 1, 1)] * joints)}
    }}
    def Mesh "body"
    {{
        int[] faceVertexCounts = {text([3] * face_count, "%d")}
        int[] faceVertexIndices = {text(range(face_count * 3), "%d")}
        point3f[] points = {text(points)}
        int[] primvars:skel:jointIndices = {text(indices.reshape(-1), "%d")} (
            interpolation = "vertex"
            elementSize = 2
        )
        float[] primvars:skel:jointWeights = {text(weights.reshape(-1))} (
            interpolation = "vertex"
            elementSize = 2
        )
        rel skel:skeleton = </eel/bones>
    }}
}}
""")
    world, poses = np.eye(4), []
    for j in range(joints):
        world = matrix(bent, 0.5 if j == 0 else 1.0) @ world
        poses.append(np.linalg.inv(bind[j]) @ world)
    poses = np.array(poses)
    homogeneous = np.concatenate([points.astype(np.float64), np.ones((count, 1))], axis=1)
    blended = weights[:, :1, None] * poses[indices[:, 0]] + weights[:, 1:, None] * poses[indices[:, 1]]
    skinned = np.einsum("ni,nij->nj", homogeneous, blended)[:, :3]

    instances = 100000
    places = points_of(instances) * np.float32(500)
    sizes = (1 + np.arange(instances) % 5).astype(np.float32)
    lamp = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], dtype=np.float32)
    with open(os.path.join(folder, "lamps.usda"), "w") as file:
        file.write(f"""#usda 1.0
def PointInstancer "lamps"
{{
    rel prototypes = [</lamps/lamp>]
    int[] protoIndices = {text([0] * instances, "%d")}
    point3f[] positions = {text(places)}
    float3[] scales = {text(np.stack([sizes] * 3, axis=1))}
    def Mesh "lamp"
    {{
        int[] faceVertexCounts = [3, 3, 3, 3]
        int[] faceVertexIndices = [0, 2, 1, 0, 1, 3, 0, 3, 2, 1, 2, 3]
        point3f[] points = {text(lamp)}
    }}
}}
""")
    standing = (places[:, None].astype(np.float64) + sizes[:, None, None] * lamp[None]).reshape(-1, 3)
    return {"points": count, "skinned": samples(skinned), "rest": samples(points), "instances": instances,
            "standing": samples(standing), "places": samples(places)}


def volumes(folder):
    import pyopenvdb as vdb

    out = {}

    def keep(name, grids):
        vdb.write(os.path.join(folder, name), grids=grids)
        out[name] = {"grids": [g.name for g in grids], "active": [g.activeVoxelCount() for g in grids], "samples": []}
        for grid in grids:
            low, high = grid.evalActiveVoxelBoundingBox()
            random = np.random.RandomState(5)
            read = grid.getConstAccessor()
            for _ in range(40 if grid.activeVoxelCount() else 0):
                at = [int(random.randint(low[k], high[k] + 1)) for k in range(3)]
                value = read.getValue(tuple(at))
                if isinstance(value, float):
                    out[name]["samples"].append([grid.name] + list(grid.transform.indexToWorld(tuple(at))) + [value])

    def dense(size):
        axis = np.linspace(-1, 1, size, dtype=np.float32)
        x, y, z = np.meshgrid(axis, axis, axis, indexing="ij")
        grid = vdb.FloatGrid()
        grid.copyFromArray(np.float32(1.5) + x * y + z)
        grid.name = "density"
        grid.transform = vdb.createLinearTransform(voxelSize=2.0 / size)
        return grid

    for size in (16, 32, 64, 128):
        keep("dense_%d.vdb" % size, [dense(size)])
    half = dense(64)
    half.saveFloatAsHalf = True
    keep("half.vdb", [half])
    wind = vdb.Vec3SGrid()
    wind.copyFromArray(np.random.RandomState(1).rand(32, 32, 32, 3).astype(np.float32))
    wind.name = "velocity"
    keep("several.vdb", [dense(64), wind])
    empty = vdb.FloatGrid()
    empty.name = "density"
    keep("nothing.vdb", [empty])
    tiles = vdb.FloatGrid()
    tiles.name = "density"
    tiles.fill((0, 0, 0), (127, 127, 127), 1.0, True)
    keep("tiles.vdb", [tiles])
    shell = vdb.createLevelSetSphere(120.0, voxelSize=1.0, halfWidth=3.0)
    shell.name = "surface"
    keep("sparse_256.vdb", [shell])
    affine = dense(64)
    affine.transform = vdb.createLinearTransform([[0.1, 0.02, 0, 0], [0, 0.2, 0, 0], [0.01, 0, 0.1, 0], [1, 2, 3, 1]])
    keep("affine.vdb", [affine])
    return out


def grid_kinds(folder):
    """Truth values, a velocity as three grids (one of them half a voxel aside) and one on the faces of its cells."""
    import pyopenvdb as vdb

    size, voxel = 96, 0.25
    axis = np.arange(size, dtype=np.float32)
    x, y, z = np.meshgrid(axis, axis, axis, indexing="ij")

    def grid(kind, values, name, shift=(0.0, 0.0, 0.0)):
        out = kind()
        out.copyFromArray(values)
        out.name = name
        out.transform = vdb.createLinearTransform(voxelSize=voxel)
        out.transform.translate([s * voxel for s in shift])
        return out

    ball = (x - 48) ** 2 + (y - 48) ** 2 + (z - 48) ** 2 < 30 ** 2
    vdb.write(os.path.join(folder, "mask.vdb"), grids=[grid(vdb.BoolGrid, ball, "inside")])
    parts = [1 + 0.5 * x, 2 - 0.25 * y + z, 3 + 0.125 * x * 0 + y]
    shifts = [(0, 0, 0), (0, -0.5, 0), (0, 0, 0)]
    vdb.write(os.path.join(folder, "axes.vdb"),
              grids=[grid(vdb.FloatGrid, np.float32(p), "vel." + n, s) for p, n, s in zip(parts, "xyz", shifts)] +
              [grid(vdb.FloatGrid, np.float32(1 + x), "density")])
    faces = np.stack([1 + 0.5 * (x - 0.5), 2 - 0.25 * (y - 0.5) + z, 3 + y + 2 * (z - 0.5)], axis=-1).astype(np.float32)
    mac = grid(vdb.Vec3SGrid, faces, "velocity")
    mac.gridClass = vdb.GridClass.STAGGERED
    vdb.write(os.path.join(folder, "faces.vdb"), grids=[mac])
    return {"size": size, "voxel": voxel, "inside": int(ball.sum())}


def archives(folder):
    """Caches as NumPy's archives, and mesh series packed by gzip: the arrays are what is packed."""
    import gzip

    import meshio

    frames, count = 240, 20000
    base = points_of(count)
    positions = base[None] + np.arange(frames, dtype=np.float32)[:, None, None]
    velocity = np.full_like(positions, 24)
    faces = (np.arange(count - 2).reshape(-1, 1) + np.arange(3)).astype(np.int32)
    heat = np.arange(frames * count, dtype=np.float32).reshape(frames, count) % 97
    np.savez(os.path.join(folder, "cloth.npz"), positions=positions, velocity=velocity, faces=faces, heat=heat, title=np.array("a cloth"))
    np.savez_compressed(os.path.join(folder, "packed.npz"), points=positions, vel=velocity, velocity=velocity * 2, faces=faces.astype(np.int64))
    np.savez(os.path.join(folder, "bare.npz"), positions[:3])
    meshio.write(os.path.join(folder, "bare.ply"), meshio.Mesh(base, [("triangle", faces)]))
    ids = np.arange(count)[None].repeat(24, axis=0)
    ids[:, ::2] = -1
    np.savez_compressed(os.path.join(folder, "sparks.npz"), positions=positions[:24], ids=ids)
    for f in range(24):
        for ending in ("ply", "obj"):
            name = os.path.join(folder, f"sail.{f + 1:04d}.{ending}")
            meshio.write(name, meshio.Mesh(positions[f], [("triangle", faces)]))
            with open(name, "rb") as plain, gzip.open(name + ".gz", "wb", compresslevel=1) as packed:
                packed.write(plain.read())
            if ending == "obj":
                os.remove(name)
    side = 1000
    million = points_of(side * side)
    corner = (np.arange(side - 1)[:, None] * side + np.arange(side - 1)[None, :]).reshape(-1)
    sheet = meshio.Mesh(million, [("quad", np.stack([corner, corner + 1, corner + side + 1, corner + side], axis=1))])
    for ending in ("ply", "obj"):
        name = os.path.join(folder, "million." + ending)
        meshio.write(name, sheet)
        with open(name, "rb") as plain, gzip.open(name + ".gz", "wb", compresslevel=1) as packed:
            packed.write(plain.read())
        os.remove(name)
    with gzip.open(os.path.join(folder, "fireflies.0001.csv.gz"), "wt", compresslevel=1) as packed:
        packed.write("id,x,y,z\n" + "".join(f"{i},{p[0]},{p[1]},{p[2]}\n" for i, p in enumerate(million[:200000].tolist())))
    return {"frames": frames, "count": count, "samples": {str(f): samples(positions[f]) for f in (0, 23, 239)}, "million": samples(million), "fireflies": samples(million[:200000])}


if __name__ == "__main__":
    kinds = {"mesh": mesh, "arrays": arrays, "series": series, "usd": usd, "volumes": volumes, "grid_kinds": grid_kinds, "stages": stages, "archives": archives}
    print(json.dumps(kinds[sys.argv[1]](sys.argv[2])))
