"""How long open3d takes to find the nearest points of one mesh to the vertices of another, on two threads as
ours; and how far points sampled on both lie from the other: the two-sided distance (Hausdorff)."""
import json
import sys
import time

import numpy
import open3d

scene_mesh, query_mesh = (open3d.io.read_triangle_mesh(path) for path in sys.argv[1:3])


def scene_of(mesh):
    scene = open3d.t.geometry.RaycastingScene(nthreads=0)
    scene.add_triangles(open3d.t.geometry.TriangleMesh.from_legacy(mesh))
    return scene


scene = scene_of(scene_mesh)
points = numpy.asarray(query_mesh.vertices, dtype=numpy.float32)
scene.compute_closest_points(points[:10])
begun = time.perf_counter()
found = scene.compute_closest_points(points)
took = time.perf_counter() - begun
assert numpy.isfinite(found["points"].numpy()).all()

there = scene.compute_distance(points).numpy().max()
samples = numpy.asarray(query_mesh.sample_points_uniformly(400_000).points, dtype=numpy.float32)
there = max(there, scene.compute_distance(samples).numpy().max())
back = scene_of(query_mesh)
own = numpy.asarray(scene_mesh.vertices, dtype=numpy.float32)
json.dump(
    {
        "microseconds": 1e6 * took / len(points),
        "there": float(there),
        "back": float(back.compute_distance(own).numpy().max()),
    },
    sys.stdout,
)
