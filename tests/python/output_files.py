"""Writes sources and reads what was handed off, with libraries that know nothing of this project.

  output_files.py write FOLDER          20 frames each of mist.0000.vdb (OpenVDB) and sparks.0000.csv (csv)
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
    readers = {".vdb": read_vdb, ".csv": read_csv, ".npy": read_npy}
    print(json.dumps({os.path.basename(f): readers[os.path.splitext(f)[1]](f) for f in sys.argv[2:]}))


main()
