# A reader by command, as a user would write one: a count in a file becomes an array of moving points with its mesh.
import sys

import meshio
import numpy as np

count = int(open(sys.argv[1]).read())
i = np.arange(count)
frames = [np.stack([i % 1000, i // 1000, np.full(count, f * 0.25)], axis=1) for f in range(4)]
np.save(sys.argv[2] + ".npy", np.stack(frames).astype(np.float32))
triangles = np.stack([i[:-2], i[1:-1], i[2:]], axis=1)
meshio.Mesh(frames[0].astype(np.float32), [("triangle", triangles)]).write(sys.argv[2] + ".ply", binary=True)
