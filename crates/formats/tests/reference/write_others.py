"""Small files as reference libraries write them: lib3mf 2.5.0, usd-core 26.11, pycollada 0.9.3.

    python write_others.py FOLDER

The numbers are those that `foreign.rs` expects.
"""

import os
import sys

import collada
import numpy
from lib3mf import ModelUnit, Position, Triangle, TriangleProperties, get_wrapper
from pxr import Gf, Sdf, Usd, UsdGeom, Vt

folder = sys.argv[1]

# A tetrahedron.
POINTS = [(0, 0, 0), (4, 0, 0), (0, 4, 0), (0, 0, 4)]
FACES = [(0, 2, 1), (0, 1, 3), (0, 3, 2), (1, 2, 3)]
# One color of 8 bits for each vertex.
COLORS = [(255, 0, 0, 255), (0, 128, 0, 255), (0, 0, 64, 128), (12, 34, 56, 255)]


def write_3mf():
    wrapper = get_wrapper()
    model = wrapper.CreateModel()
    model.SetUnit(ModelUnit.Foot)
    mesh = model.AddMeshObject()
    mesh.SetName("Float")
    for point in POINTS:
        position = Position()
        for i, x in enumerate(point):
            position.Coordinates[i] = x
        mesh.AddVertex(position)
    for face in FACES:
        triangle = Triangle()
        for i, v in enumerate(face):
            triangle.Indices[i] = v
        mesh.AddTriangle(triangle)
    group = model.AddColorGroup()
    entries = [group.AddColor(wrapper.RGBAToColor(*color)) for color in COLORS]
    for number, face in enumerate(FACES):
        own = TriangleProperties()
        own.ResourceID = group.GetResourceID()
        for i, v in enumerate(face):
            own.PropertyIDs[i] = entries[v]
        mesh.SetTriangleProperties(number, own)
    mesh.SetObjectLevelProperty(group.GetResourceID(), entries[0])
    # A second one of base materials, a whole face each; built twice within a group.
    plain = model.AddMeshObject()
    plain.SetName("Buoy")
    for point in POINTS:
        position = Position()
        for i, x in enumerate(point):
            position.Coordinates[i] = x
        plain.AddVertex(position)
    base = model.AddBaseMaterialGroup()
    stuff = [base.AddMaterial(name, wrapper.RGBAToColor(*color)) for name, color in zip("abcd", COLORS)]
    for number, face in enumerate(FACES):
        triangle = Triangle()
        for i, v in enumerate(face):
            triangle.Indices[i] = v
        plain.AddTriangle(triangle)
        own = TriangleProperties()
        own.ResourceID = base.GetResourceID()
        for i in range(3):
            own.PropertyIDs[i] = stuff[number]
        plain.SetTriangleProperties(number, own)
    plain.SetObjectLevelProperty(base.GetResourceID(), stuff[0])
    both = model.AddComponentsObject()
    both.AddComponent(plain, wrapper.GetIdentityTransform())
    both.AddComponent(plain, wrapper.GetTranslationTransform(10, 0, 0))
    model.AddBuildItem(mesh, wrapper.GetTranslationTransform(0, 0, 5))
    model.AddBuildItem(both, wrapper.GetIdentityTransform())
    model.QueryWriter("3mf").WriteToFile(os.path.join(folder, "lib3mf_float.3mf"))


def write_usd():
    stage = Usd.Stage.CreateNew(os.path.join(folder, "usd_float.usda"))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    top = UsdGeom.Xform.Define(stage, "/Harbour")
    top.AddTranslateOp().Set(Gf.Vec3d(1, 2, 3))
    top.AddRotateXYZOp().Set(Gf.Vec3f(0, 0, 90))
    mesh = UsdGeom.Mesh.Define(stage, "/Harbour/Float")
    UsdGeom.Xformable(mesh).AddScaleOp().Set(Gf.Vec3f(2, 2, 2))
    mesh.GetPrim().SetDisplayName("Net float")
    mesh.CreatePointsAttr([Gf.Vec3f(*p) for p in POINTS])
    mesh.CreateFaceVertexCountsAttr([3] * 4)
    mesh.CreateFaceVertexIndicesAttr([v for face in FACES for v in face])
    primvars = UsdGeom.PrimvarsAPI(mesh)
    # Indexed: two colors for four faces. Linear light: 0.21404114 is 0.5 as sRGB writes it.
    shown = primvars.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.uniform)
    shown.Set(Vt.Vec3fArray([Gf.Vec3f(0.21404114, 0, 1), Gf.Vec3f(1, 1, 1)]))
    shown.SetIndices(Vt.IntArray([0, 1, 1, 0]))
    own = primvars.CreatePrimvar("wear", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.vertex)
    own.Set(Vt.Vec3fArray([Gf.Vec3f(1, 0, 0), Gf.Vec3f(0, 1, 0), Gf.Vec3f(0, 0, 1), Gf.Vec3f(0, 0, 0)]))
    uvs = primvars.CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying)
    uvs.Set(Vt.Vec2fArray([Gf.Vec2f(i / 12, 1 - i / 12) for i in range(12)]))
    # No colors: one number each.
    heat = primvars.CreatePrimvar("heat", Sdf.ValueTypeNames.FloatArray, UsdGeom.Tokens.vertex)
    heat.Set(Vt.FloatArray([1, 2, 3, 4]))
    UsdGeom.Sphere.Define(stage, "/Harbour/Ball")
    stage.GetRootLayer().Save()


def write_dae():
    document = collada.Collada()
    document.assetInfo.upaxis = collada.asset.UP_AXIS.Z_UP
    document.assetInfo.unitname, document.assetInfo.unitmeter = "inch", 0.0254
    points = collada.source.FloatSource("points", numpy.array(POINTS, dtype=float).flatten(), ("X", "Y", "Z"))
    colors = collada.source.FloatSource("colors", numpy.array(COLORS).flatten() / 255, ("R", "G", "B", "A"))
    uvs = collada.source.FloatSource("uvs", numpy.array([i / 12 for i in range(24)]), ("S", "T"))
    geometry = collada.geometry.Geometry(document, "float", "Float", [points, colors, uvs])
    inputs = collada.source.InputList()
    inputs.addInput(0, "VERTEX", "#points")
    inputs.addInput(1, "COLOR", "#colors", "0")
    inputs.addInput(2, "TEXCOORD", "#uvs", "0")
    # A color for each face, a UV for each corner.
    rows = [(v, number, 3 * number + i) for number, face in enumerate(FACES) for i, v in enumerate(face)]
    triangles = geometry.createTriangleSet(numpy.array(rows).flatten(), inputs, "stuff")
    geometry.primitives.append(triangles)
    document.geometries.append(geometry)
    instance = collada.scene.GeometryNode(geometry, [])
    inner = collada.scene.Node("inner", children=[instance], transforms=[collada.scene.ScaleTransform(1, 1, -1)])
    outer = collada.scene.Node(
        "outer",
        children=[inner],
        transforms=[collada.scene.TranslateTransform(10, 0, 0), collada.scene.RotateTransform(0, 0, 1, 90)],
    )
    scene = collada.scene.Scene("scene", [outer])
    document.scenes.append(scene)
    document.scene = scene
    document.write(os.path.join(folder, "pycollada_float.dae"))


write_3mf()
write_usd()
write_dae()
