"""Figures of the Stanford bunny (npm `bunny`; Stanford 3D Scanning Repository) by trimesh.

Run from the repository's root after `npm ci` in web/:
    python crates/core/tests/reference/bunny.py > crates/core/tests/reference/bunny.json
"""
import json
import re

import numpy as np
import trimesh

source = open("web/node_modules/bunny/index.js").read()
positions, cells = (json.loads(re.search(rf"exports\.{key}=(\[.*?\]\])", source).group(1)) for key in ("positions", "cells"))
mesh = trimesh.Trimesh(positions, cells, process=False)
rays = np.array([[0.0, 3.0 + 0.37 * i, 20.0] for i in range(15)])
directions = np.tile([0.05, 0.02, -1.0], (15, 1))
hits, which, _ = mesh.ray.intersects_location(rays, directions, multiple_hits=True)
nearest = [min((float(np.linalg.norm(hits[k] - rays[i])) for k in range(len(which)) if which[k] == i), default=None) for i in range(15)]
# The bunny is open below: sections above that, in its own numbers.
heights = [float(h) for h in np.linspace(1.5, 8.0, 12)]
sections = []
for height in heights:
    path = mesh.section(plane_origin=[0, height, 0], plane_normal=[0, 1, 0])
    flat, _ = path.to_2D()
    sections.append({"height": height, "area": float(flat.area), "length": float(path.length)})
print(json.dumps({
    "made_with": f"trimesh {trimesh.__version__}",
    "vertices": len(mesh.vertices), "faces": len(mesh.faces),
    "area": float(mesh.area), "volume": float(mesh.volume),
    "euler_number": int(mesh.euler_number), "watertight": bool(mesh.is_watertight), "pieces": int(mesh.body_count),
    "bounds": mesh.bounds.tolist(), "edges": int(len(mesh.edges_unique)), "ray_distances": nearest,
    "sections": sections,
}, indent=1))
