"""How long trimesh takes to find the nearest points of a mesh to its own vertices, moved a little."""
import json
import sys
import time

import numpy
import trimesh

mesh = trimesh.load(sys.argv[1], process=False)
points = mesh.vertices[:: max(1, len(mesh.vertices) // 20_000)] + 1e-4 * mesh.extents
trimesh.proximity.closest_point(mesh, points[:10])  # its tree is built on first use
begun = time.perf_counter()
places, _, _ = trimesh.proximity.closest_point(mesh, points)
took = time.perf_counter() - begun
assert numpy.isfinite(places).all()
json.dump({"microseconds": 1e6 * took / len(points)}, sys.stdout)
