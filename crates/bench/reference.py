"""Milliseconds that PyPI `open3d` and `trimesh` take to read files, as JSON. `trimesh` merges vertices as our readers do."""
import json
import statistics
import sys
import time


def median(work):
    times = []
    for _ in range(3):
        begun = time.perf_counter()
        work()
        times.append((time.perf_counter() - begun) * 1e3)
    return statistics.median(times)


def measure(path):
    told = {}
    try:
        import open3d
        open3d.utility.set_verbosity_level(open3d.utility.VerbosityLevel.Error)
        told["open3d"] = median(lambda: open3d.io.read_triangle_mesh(path))
    except Exception:
        pass
    try:
        import trimesh
        told["trimesh"] = median(lambda: trimesh.load(path, process=True))
    except Exception:
        pass
    return told


print(json.dumps({path: measure(path) for path in sys.argv[1:]}))
