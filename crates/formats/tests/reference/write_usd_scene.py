"""A scene with all that USD composes, as usd-core 26.11 writes it, and what usd-core itself reads in
it: `usd_scene.usdc`, `usd_scene_parts.usda`, `usd_scene_base.usda`, `usd_scene.usdz`, `usd_scene.json`.

    python write_usd_scene.py FOLDER
"""

import json
import os
import sys

from pxr import Gf, Sdf, Usd, UsdGeom, UsdUtils, Vt

folder = sys.argv[1]
os.chdir(folder)

POINTS = [(0, 0, 0), (2, 0, 0), (2, 2, 0), (0, 2, 0), (4, 0, 0), (4, 2, 0)]
COUNTS = [4, 4]
INDICES = [0, 1, 2, 3, 1, 4, 5, 2]
PALETTE = [(1, 0, 0), (0, 1, 0), (0, 0, 1), (0.21404114, 0.5, 1)]


def sheet(stage, path):
    mesh = UsdGeom.Mesh.Define(stage, path)
    mesh.CreatePointsAttr(Vt.Vec3fArray(POINTS))
    mesh.CreateFaceVertexCountsAttr(COUNTS)
    mesh.CreateFaceVertexIndicesAttr(INDICES)
    mesh.CreateNormalsAttr(Vt.Vec3fArray([(0, 0, 1)] * len(POINTS)))
    return mesh


def primvar(mesh, name, kind, interpolation, values, indices=None):
    own = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(name, kind, interpolation)
    own.Set(values)
    if indices is not None:
        own.SetIndices(Vt.IntArray(indices))
    return own


# What is referred to: a library of parts, with a variant set.
parts = Usd.Stage.CreateNew("usd_scene_parts.usda")
tile = sheet(parts, "/Tile")
color = Sdf.ValueTypeNames.Color3fArray
variants = tile.GetPrim().GetVariantSets().AddVariantSet("finish")
for finish, value in [("raw", PALETTE[0]), ("glazed", PALETTE[2])]:
    variants.AddVariant(finish)
    variants.SetVariantSelection(finish)
    with variants.GetVariantEditContext():
        primvar(tile, "displayColor", color, "uniform", Vt.Vec3fArray([value] * 2))
variants.SetVariantSelection("raw")
parts.SetDefaultPrim(tile.GetPrim())
parts.Save()

# A weaker layer.
base = Usd.Stage.CreateNew("usd_scene_base.usda")
bench = sheet(base, "/Yard/Bench")
UsdGeom.XformCommonAPI(bench).SetTranslate((0, 0, -5))
base.Save()

stage = Usd.Stage.CreateNew("usd_scene.usdc")
UsdGeom.SetStageMetersPerUnit(stage, 0.3)
UsdGeom.SetStageUpAxis(stage, "Z")
stage.GetRootLayer().subLayerPaths.append("usd_scene_base.usda")
yard = UsdGeom.Xform.Define(stage, "/Yard")
yard.AddTranslateOp().Set((10, 0, 0))
stage.SetDefaultPrim(yard.GetPrim())
# One color for all below that have none of their own.
primvar(yard, "displayColor", color, "constant", Vt.Vec3fArray([PALETTE[3]]))

corners = sheet(stage, "/Yard/Corners")
primvar(corners, "displayColor", color, "faceVarying", Vt.Vec3fArray(PALETTE), [0, 1, 2, 3, 3, 2, 1, 0])
primvar(corners, "displayOpacity", Sdf.ValueTypeNames.FloatArray, "uniform", Vt.FloatArray([0.5, 1.0]))
primvar(corners, "st", Sdf.ValueTypeNames.TexCoord2fArray, "faceVarying", Vt.Vec2fArray([(0, 0), (0.5, 1)]), [0, 1, 0, 1, 1, 1, 0, 0])
vertices = sheet(stage, "/Yard/Vertices")
primvar(vertices, "displayColor", color, "vertex", Vt.Vec3fArray(PALETTE), [0, 1, 2, 3, 0, 1])
primvar(vertices, "facing", Sdf.ValueTypeNames.Normal3fArray, "vertex", Vt.Vec3fArray([(0, 0, 1)] * 6))
faces = sheet(stage, "/Yard/Faces")
# As many numbers as four colors of three, or three of four.
primvar(faces, "displayColor", color, "uniform", Vt.Vec3fArray(PALETTE), [3, 1])
primvar(faces, "wear", Sdf.ValueTypeNames.Half4Array, "vertex", Vt.Vec4hArray([(0.5, 0, 0, 1)] * 6))
sheet(stage, "/Yard/Bare")

# A pivot, a turn and its way back; a mirror image on the left hand.
turned = sheet(stage, "/Yard/Turned")
turned.AddTranslateOp().Set((0, 3, 0))
turned.AddTranslateOp(opSuffix="pivot").Set((1, 1, 0))
turned.AddRotateYXZOp().Set((10, 20, 30))
turned.AddScaleOp().Set((1, -2, 1))
turned.AddTranslateOp(opSuffix="pivot", isInverseOp=True)
turned.CreateOrientationAttr("leftHanded")
alone = sheet(stage, "/Yard/Alone")
alone.AddTranslateOp().Set((0, 0, 7))
alone.SetResetXformStack(True)

# What moves: by time samples alone.
moving = UsdGeom.Mesh.Define(stage, "/Yard/Moving")
for time, shift in [(1, 0.0), (10, 50.0)]:
    moving.CreatePointsAttr().Set(Vt.Vec3fArray([(x + shift, y, z) for x, y, z in POINTS]), time)
moving.CreateFaceVertexCountsAttr(COUNTS)
moving.CreateFaceVertexIndicesAttr(INDICES)
camera = UsdGeom.Camera.Define(stage, "/Yard/Camera")
for time in range(1, 20):
    camera.CreateFocalLengthAttr().Set(30.0 + time, time)

# References, with and without a choice; instances; a payload.
for name, finish in [("First", None), ("Second", "glazed")]:
    prim = stage.DefinePrim(f"/Yard/{name}")
    prim.GetReferences().AddReference("./usd_scene_parts.usda")
    prim.SetInstanceable(name == "First")
    if finish:
        prim.GetVariantSet("finish").SetVariantSelection(finish)
    UsdGeom.XformCommonAPI(prim).SetTranslate((0, 0, 1 if finish else 2))
holder = UsdGeom.Xform.Define(stage, "/Yard/Row")
holder.GetPrim().GetPayloads().AddInternalPayload("/Yard/Faces")
stage.CreateClassPrim("/Library")
sheet(stage, "/Library/Inner")
group = stage.DefinePrim("/Yard/Group", "Xform")
group.GetReferences().AddInternalReference("/Library")
group.SetInstanceable(True)
again = stage.DefinePrim("/Yard/Again", "Xform")
again.GetReferences().AddInternalReference("/Library")
again.SetInstanceable(True)
UsdGeom.XformCommonAPI(again).SetTranslate((0, 9, 0))
# What is not shown.
sheet(stage, "/Yard/Hidden").CreateVisibilityAttr("invisible")
sheet(stage, "/Yard/Guide").CreatePurposeAttr("guide")
sheet(stage, "/Yard/Off").GetPrim().SetActive(False)
stage.Save()
UsdUtils.CreateNewUsdzPackage("usd_scene.usdc", "usd_scene.usdz")

# What usd-core says of it.
stage = Usd.Stage.Open("usd_scene.usdc")
time = Usd.TimeCode.EarliestTime()
cache = UsdGeom.XformCache(time)
told = []
for prim in stage.Traverse(Usd.TraverseInstanceProxies()):
    mesh = UsdGeom.Mesh(prim)
    if not mesh or mesh.ComputeVisibility(time) == "invisible" or mesh.ComputePurpose() == "guide":
        continue
    matrix = cache.GetLocalToWorldTransform(prim)
    points = [matrix.Transform(Gf.Vec3d(p)) for p in mesh.GetPointsAttr().Get(time)]
    shown = UsdGeom.PrimvarsAPI(prim).FindPrimvarWithInheritance("displayColor")
    told.append({
        "name": prim.GetName(),
        "points": [[float(x) * 0.3 for x in p] for p in points],
        "interpolation": shown.GetInterpolation() if shown.HasValue() else None,
        "colors": [list(map(float, c)) for c in shown.ComputeFlattened(time)] if shown.HasValue() else [],
    })
json.dump(told, open("usd_scene.json", "w"))
