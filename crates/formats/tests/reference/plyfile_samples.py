"""Small PLY files written by PyPI `plyfile`, for our reader. Run in this folder; needs plyfile and numpy."""
import numpy as np
from plyfile import PlyData, PlyElement

points = [(0, 0, 0), (2, 0, 0), (2, 2, 0), (0, 2, 0), (1, 1, 1.5)]
bytes_ = [(255, 0, 0, 255), (0, 128, 0, 255), (0, 0, 64, 128), (1, 2, 3, 4), (200, 100, 50, 25)]
faces = [[0, 3, 2, 1], [0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]]

v8 = np.array([(*p, 7, *c) for p, c in zip(points, bytes_)], dtype=[
    ("x", "f8"), ("y", "f8"), ("z", "f8"), ("quality", "i2"), ("red", "u1"), ("green", "u1"), ("blue", "u1"), ("alpha", "u1")])
vf = np.array([(*p, *(x / 255 for x in c[:3])) for p, c in zip(points, bytes_)], dtype=[
    ("x", "f4"), ("y", "f4"), ("z", "f4"), ("red", "f4"), ("green", "f4"), ("blue", "f4")])
f = np.empty(len(faces), dtype=[("vertex_indices", "O"), ("red", "u1"), ("green", "u1"), ("blue", "u1")])
f["vertex_indices"] = faces
for i, key in enumerate(("red", "green", "blue")):
    f[key] = [40 * k + i for k in range(len(faces))]
plain = np.empty(len(faces), dtype=[("vertex_indices", "O")])
plain["vertex_indices"] = faces

for name, text, order, vertex, face in [
    ("ascii_uchar", True, "=", v8, f),
    ("big_uchar", False, ">", v8, f),
    ("little_float", False, "<", vf, plain),
]:
    elements = [PlyElement.describe(vertex, "vertex"), PlyElement.describe(face, "face", val_types={"vertex_indices": "u2"}, len_types={"vertex_indices": "u1"})]
    PlyData(elements, text=text, byte_order=order, comments=["made with plyfile 1.1.5"]).write(f"{name}.ply")
