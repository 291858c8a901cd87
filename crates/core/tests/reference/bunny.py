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
print(json.dumps({
    "made_with": f"trimesh {trimesh.__version__}",
    "vertices": len(mesh.vertices), "faces": len(mesh.faces),
    "area": float(mesh.area), "volume": float(mesh.volume),
    "euler_number": int(mesh.euler_number), "watertight": bool(mesh.is_watertight), "pieces": int(mesh.body_count),
    "bounds": mesh.bounds.tolist(), "edges": int(len(mesh.edges_unique)), "ray_distances": nearest,
}, indent=1))
