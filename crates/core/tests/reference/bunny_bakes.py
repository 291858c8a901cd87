"""What other libraries make of the Stanford bunny (npm `bunny`; Stanford 3D Scanning Repository), at every 5th vertex:
openness by Embree through PyPI `open3d`, mean curvature and exact geodesic distances by PyPI `libigl`.

Run from the repository's root after `npm ci` in web/:
    python crates/core/tests/reference/bunny_bakes.py > crates/core/tests/reference/bunny_bakes.json
"""
import importlib.metadata
import json
import re

import igl
import numpy as np
import open3d

source = open("web/node_modules/bunny/index.js").read()
positions, cells = (json.loads(re.search(rf"exports\.{key}=(\[.*?\]\])", source).group(1)) for key in ("positions", "cells"))
points, faces = np.array(positions, dtype=np.float64), np.array(cells, dtype=np.int64)
some = np.arange(0, len(points), 5)

mesh = open3d.geometry.TriangleMesh(open3d.utility.Vector3dVector(points), open3d.utility.Vector3iVector(faces.astype(np.int32)))
mesh.compute_vertex_normals()
normals = np.asarray(mesh.vertex_normals)
scene = open3d.t.geometry.RaycastingScene()
scene.add_triangles(open3d.t.geometry.TriangleMesh.from_legacy(mesh))
diagonal = np.linalg.norm(points.max(0) - points.min(0))
random = np.random.default_rng(5)
opened = np.zeros(len(some))
for _ in range(4096):
    ways = random.normal(size=(len(some), 3))
    ways = normals[some] + ways / np.linalg.norm(ways, axis=1, keepdims=True) * 0.9999
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    rays = np.hstack([points[some] + normals[some] * 1e-5 * diagonal, ways]).astype(np.float32)
    opened += ~scene.test_occlusions(open3d.core.Tensor(rays), 1e-5 * diagonal).numpy()

# As libigl's tutorial 203 has it: the Laplacian of the points along the normal, by cotangents.
outwards = igl.per_vertex_normals(points, faces)
mass = igl.massmatrix(points, faces, igl.MASSMATRIX_TYPE_VORONOI).diagonal()
curvature = -0.5 * np.sum((igl.cotmatrix(points, faces) @ points) / mass[:, None] * outwards, axis=1)
root = 0
far = igl.exact_geodesic(points, faces, np.array([root]), np.array([], dtype=np.int64), some, np.array([], dtype=np.int64))
far = far[0] if isinstance(far, tuple) else far
print(json.dumps({
    "made_with": f"open3d {open3d.__version__}, libigl {importlib.metadata.version('libigl')}",
    "every": 5, "root": root,
    "openness": [round(float(x), 4) for x in opened / 4096],
    "curvature": [round(float(x), 5) for x in curvature[some]],
    "geodesic": [round(float(x), 5) for x in np.ravel(far)],
}))
