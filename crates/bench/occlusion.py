"""What Embree through PyPI `open3d` takes for the occlusion of a mesh, as JSON: milliseconds for the tree and for the rays
(their making not counted), and the RMS error of plain random directions against many rays at some of the vertices."""
import json
import sys
import time

import numpy
import open3d

path, rays = sys.argv[1], int(sys.argv[2])
open3d.utility.set_verbosity_level(open3d.utility.VerbosityLevel.Error)
mesh = open3d.io.read_triangle_mesh(path)
mesh.compute_vertex_normals()
points = numpy.asarray(mesh.vertices).astype(numpy.float32)
normals = numpy.asarray(mesh.vertex_normals).astype(numpy.float32)
diagonal = numpy.linalg.norm(points.max(0) - points.min(0))
tensors = open3d.t.geometry.TriangleMesh.from_legacy(mesh)

begun = time.perf_counter()
scene = open3d.t.geometry.RaycastingScene()
scene.add_triangles(tensors)
scene.test_occlusions(open3d.core.Tensor(numpy.array([[0, 0, 0, 0, 0, 1]], numpy.float32)))
built = (time.perf_counter() - begun) * 1e3

random = numpy.random.default_rng(1)


def openness(points, normals, count):
    """The share of open rays of each point, and the milliseconds Embree took."""
    took, open_rays = 0.0, numpy.zeros(len(points))
    for _ in range(count):
        sphere = random.normal(size=points.shape).astype(numpy.float32)
        sphere /= numpy.linalg.norm(sphere, axis=1, keepdims=True)
        ways = normals + sphere * 0.9999
        ways /= numpy.linalg.norm(ways, axis=1, keepdims=True)
        packet = open3d.core.Tensor(numpy.hstack([points + normals * 1e-5 * diagonal, ways]).astype(numpy.float32))
        begun = time.perf_counter()
        hit = scene.test_occlusions(packet, 1e-5 * diagonal)
        took += (time.perf_counter() - begun) * 1e3
        open_rays += ~hit.numpy()
    return open_rays / count, took


_, took = openness(points, normals, rays)
some = random.permutation(len(points))[:4000]
exact, _ = openness(points[some], normals[some], 4096)
errors = {}
for count in [16, 32, 64, 128, 256, 512]:
    found, _ = openness(points[some], normals[some], count)
    errors[count] = float(numpy.sqrt(numpy.mean((found - exact) ** 2)))
print(json.dumps({"built": built, "rays": took, "count": len(points) * rays, "errors": errors}))
