"""How long trimesh takes to cut a mesh by planes at heights, and the areas that it finds."""
import json
import sys
import time

import numpy
import trimesh

mesh = trimesh.load(sys.argv[1], process=False)
count = int(sys.argv[2])
low, high = mesh.bounds[:, 2]
heights = low + (numpy.arange(count) + 0.5) * (high - low) / count
begun = time.perf_counter()
cut = trimesh.intersections.mesh_multiplane(mesh, [0, 0, low], [0, 0, 1], heights - low)
took = time.perf_counter() - begun
areas = []
for lines in cut[0]:
    # Stretches run around what is inside, either way.
    a, b = lines[:, 0], lines[:, 1]
    areas.append(abs(float((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum())) / 2)
lengths = [float(numpy.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).sum()) for lines in cut[0]]
json.dump({"seconds": took, "lengths": lengths, "areas": areas}, sys.stdout)
