"""What a harmonic filling is by SciPy: the cotangent Laplacian (Pinkall and Polthier 1993) solved for the
vertices that are not known, directly. The folder holds positions (f32), triangles (u32), known (u8) and
values (f32, four a vertex) as they are after our filling; what is known is held fast."""
import json
import sys
from pathlib import Path

import numpy
import scipy.sparse
import scipy.sparse.linalg

folder = Path(sys.argv[1])
points = numpy.fromfile(folder / "positions.bin", numpy.float32).reshape(-1, 3).astype(float)
faces = numpy.fromfile(folder / "triangles.bin", numpy.uint32).reshape(-1, 3)
known = numpy.fromfile(folder / "known.bin", numpy.uint8).astype(bool)
ours = numpy.fromfile(folder / "values.bin", numpy.float32).reshape(-1, 4).astype(float)

rows, columns, weights = [], [], []
for i in range(3):
    a, b, c = faces[:, i], faces[:, (i + 1) % 3], faces[:, (i + 2) % 3]
    u, v = points[a] - points[c], points[b] - points[c]
    cotangent = (u * v).sum(1) / numpy.maximum(numpy.linalg.norm(numpy.cross(u, v), axis=1), 1e-30)
    rows += [a, b]
    columns += [b, a]
    weights += [cotangent / 2, cotangent / 2]
count = len(points)
weights = scipy.sparse.csr_matrix(
    (numpy.concatenate(weights), (numpy.concatenate(rows), numpy.concatenate(columns))), (count, count)
)
# As ours: none below 0, so that nothing lies beyond what is known around it, nothing hangs on nothing, and
# slivers conduct no better than 16.
weights.data = numpy.clip(weights.data, 1e-6, 16)
laplacian = scipy.sparse.diags(numpy.asarray(weights.sum(1)).ravel()) - weights
free = ~known & (numpy.diff(weights.indptr) > 0)
right = -laplacian[free][:, known] @ ours[known]
theirs = scipy.sparse.linalg.spsolve(laplacian[free][:, free].tocsc(), right)
json.dump({"free": int(free.sum()), "off": float(numpy.abs(theirs - ours[free]).max())}, sys.stdout)
