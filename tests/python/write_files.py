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


if __name__ == "__main__":
    kinds = {"mesh": mesh, "arrays": arrays, "series": series, "usd": usd, "volumes": volumes, "usd": usd}
    print(json.dumps(kinds[sys.argv[1]](sys.argv[2])))
