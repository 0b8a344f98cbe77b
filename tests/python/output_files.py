"""Writes sources and reads what was handed off, with libraries that know nothing of this project.

  output_files.py write FOLDER          20 frames each of mist.0000.vdb (OpenVDB) and sparks.0000.csv (csv)
  output_files.py write_large FOLDER    2 frames each of swell.npy (250 000 points, NumPy) with swell.obj,
                                        dense.0000.vdb (128³ voxels, OpenVDB) and many.0000.csv (100 000 rows)
  output_files.py same FROM FRAME FILE  whether FILE holds what that frame of FROM holds, number by number
  output_files.py read FILE…            what NumPy, csv and OpenVDB find in them, as JSON
"""
import csv
import json
import math
import os
import sys


def spark(frame, i):
    """Row i of frame `frame`: whole 32-bit floats, so that text keeps them."""
    return [i, 0.25 * i, 0.125 * frame, -0.5 * i, 0.0, 3.0, 0.0, 0.5, 0.25, 1.0, 0.5 * i]


def write(folder):
    import pyopenvdb as vdb

    for frame in range(20):
        density, wind = vdb.FloatGrid(), vdb.Vec3SGrid()
        density.name, wind.name = "density", "v"
        for grid in (density, wind):
            grid.transform = vdb.createLinearTransform(voxelSize=0.125)
        to, along = density.getAccessor(), wind.getAccessor()
        for i in range(24):
            for j in range(24):
                for k in range(24):
                    to.setValueOn((i + frame, j, k), 0.5 + i + 0.25 * j)
                    along.setValueOn((i + frame, j, k), (1.0, 2.0, 3.0))
        vdb.write(os.path.join(folder, "mist.%04d.vdb" % frame), grids=[density, wind])
        with open(os.path.join(folder, "sparks.%04d.csv" % frame), "w", newline="") as f:
            out = csv.writer(f)
            out.writerow("id x y z vx vy vz r g b heat".split())
            for i in range(frame % 5, 40 + frame):  # some die, some are born
                out.writerow(spark(frame, i))
    print(json.dumps({}))


def write_large(folder):
    import numpy
    import pyopenvdb as vdb

    n = 500
    z, x = numpy.mgrid[0:n, 0:n].astype(numpy.float32) * numpy.float32(0.01)
    waves = [numpy.sin(3 * x + k).astype(numpy.float32) for k in range(2)]
    points = [numpy.stack([x, y, z], -1).reshape(-1, 3) for y in waves]
    numpy.save(os.path.join(folder, "swell.npy"), numpy.stack(points))
    with open(os.path.join(folder, "swell.obj"), "w") as f:
        for p in points[0].tolist():
            f.write("v %r %r %r\n" % tuple(p))
        for j in range(n - 1):
            for i in range(n - 1):
                a = j * n + i + 1
                f.write("f %d %d %d %d\n" % (a, a + n, a + n + 1, a + 1))
    random = numpy.random.default_rng(7)
    for frame in range(2):
        grid = vdb.FloatGrid()
        grid.name = "density"
        grid.copyFromArray(random.random((128, 128, 128), dtype=numpy.float32) + numpy.float32(0.1))
        vdb.write(os.path.join(folder, "dense.%04d.vdb" % frame), grids=[grid])
        rows = random.random((100000, 4), dtype=numpy.float32)
        with open(os.path.join(folder, "many.%04d.csv" % frame), "w") as f:
            f.write("id,x,y,z,heat\n")
            for i, row in enumerate(rows.tolist()):
                f.write("%d,%r,%r,%r,%r\n" % (i, *row))
    print(json.dumps({}))


def same(source, frame, path):
    import numpy

    if path.endswith(".vdb"):
        import pyopenvdb as vdb

        grids = [vdb.read(f, "density") for f in (source, path)]
        arrays = [numpy.zeros((128, 128, 128), dtype=numpy.float32) for _ in grids]
        for grid, array in zip(grids, arrays):
            grid.copyToArray(array)
        return all(g.activeVoxelCount() == 128**3 for g in grids) and numpy.array_equal(*arrays)
    if path.endswith(".csv"):
        a, b = (numpy.loadtxt(f, delimiter=",", skiprows=1, dtype=numpy.float32) for f in (source, path))
        return a.shape == (100000, 5) and numpy.array_equal(a, b)
    points = numpy.load(source)[frame]
    if path.endswith(".npy"):
        return numpy.array_equal(points, numpy.load(path)[frame])
    with open(path) as f:
        rows = [line.split()[1:4] for line in f if line.startswith("v ")]
    return numpy.array_equal(points, numpy.array(rows, dtype=numpy.float32))


def read_vdb(path):
    import pyopenvdb as vdb

    out = {}
    for grid in vdb.readAll(path)[0]:
        active = [(v.min, v.value) for v in grid.iterOnValues()]
        box = [grid.transform.indexToWorld(m) for m in grid.evalActiveVoxelBoundingBox()] if active else []
        out[grid.name] = {
            "active": len(active),
            "low": list(box[0]) if box else [],
            "high": list(box[1]) if box else [],
            "first": active[0][1] if active else 0,
            "sum": math.fsum(v if isinstance(v, float) else math.fsum(v) for _, v in active),
        }
    return out


def read_csv(path):
    with open(path, newline="") as f:
        rows = list(csv.DictReader(f))
    return {"rows": [{k: float(v) for k, v in row.items()} for row in rows]}


def read_npy(path):
    import numpy

    array = numpy.load(path)
    return {"shape": list(array.shape), "points": array.astype(float).tolist()}


def main():
    if sys.argv[1] == "write":
        write(sys.argv[2])
        return
    if sys.argv[1] == "write_large":
        write_large(sys.argv[2])
        return
    if sys.argv[1] == "same":
        print(json.dumps({"same": bool(same(sys.argv[2], int(sys.argv[3]), sys.argv[4]))}))
        return
    readers = {".vdb": read_vdb, ".csv": read_csv, ".npy": read_npy}
    print(json.dumps({os.path.basename(f): readers[os.path.splitext(f)[1]](f) for f in sys.argv[2:]}))


main()
