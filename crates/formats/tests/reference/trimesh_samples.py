"""A wedge with a color at each vertex, as OBJ and STL, written by PyPI `trimesh` for our readers. Run in this folder."""
import json
import numpy as np
import trimesh

points = np.array([(0, 0, 0), (2, 0, 0), (2, 1, 0), (0, 1, 0), (0, 0, 1.5), (0, 1, 1.5)], dtype=float)
quads = [[0, 3, 2, 1], [0, 4, 5, 3], [1, 2, 5, 4]]
triangles = [[0, 1, 4], [3, 5, 2]] + [t for a, b, c, d in quads for t in ([a, b, c], [a, c, d])]
colors = np.array([(255, 0, 0), (0, 128, 0), (0, 0, 64), (1, 2, 3), (200, 100, 50), (90, 90, 90)], dtype=np.uint8)
mesh = trimesh.Trimesh(points, triangles, vertex_colors=colors, process=False)
assert mesh.is_watertight
open("trimesh_wedge.obj", "w").write(trimesh.exchange.obj.export_obj(mesh, digits=8, header=f"made with trimesh {trimesh.__version__}"))
open("trimesh_wedge.stl", "wb").write(trimesh.exchange.stl.export_stl(mesh))
open("trimesh_wedge_text.stl", "w").write(trimesh.exchange.stl.export_stl_ascii(mesh))
json.dump({"area": mesh.area, "volume": mesh.volume}, open("trimesh_wedge.json", "w"))
print(trimesh.__version__)
