"""What validators and reference libraries say of the files we write.

usd-core writes a chart with a set at corners, one at vertices and one at faces; `speckle convert`
turns it into every format and precision; then
- npm gltf-validator must find no error, warning or information of substance,
- lib3mf must read 3MF in its strict mode without a warning, with the colors of the chart,
- usd-core must open .usda and .usdz with the same interpolation and values,
- the COLLADA 1.4.1 schema (Khronos, carried by pycollada) must accept the .dae.

    python check.py SPECKLE VALIDATE.js LOOKS
"""

import os
import subprocess
import sys
import tempfile

import collada
from lib3mf import get_wrapper
from lxml import etree
from pxr import Gf, Sdf, Usd, UsdGeom, Vt

speckle, validate = sys.argv[1], sys.argv[2]
folder = tempfile.mkdtemp()
N = 15


def place(name):
    return os.path.join(folder, name)


def light(x):
    """IEC 61966-2-1."""
    return x / 12.92 if x <= 0.04045 else ((x + 0.055) / 1.055) ** 2.4


def chart(i):
    """One of 4 096 colors of 8 bits."""
    return tuple(((i >> shift) & 15) * 17 for shift in (8, 4, 0))


def write_chart(path, more=0):
    """A sheet with a color at its corners, data at its vertices and a color at its faces, and more
    sets of those three kinds in turn."""
    stage = Usd.Stage.CreateNew(path)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, 0.001)
    mesh = UsdGeom.Mesh.Define(stage, "/Chart")
    side = N + 1
    mesh.CreatePointsAttr([Gf.Vec3f(i % side, i // side, (i % 7) / 8) for i in range(side * side)])
    mesh.CreateFaceVertexCountsAttr([4] * (N * N))
    at = lambda x, y: y * side + x
    indices = [v for y in range(N) for x in range(N) for v in (at(x, y), at(x + 1, y), at(x + 1, y + 1), at(x, y + 1))]
    mesh.CreateFaceVertexIndicesAttr(indices)
    mesh.CreateSubdivisionSchemeAttr("none")
    primvars = UsdGeom.PrimvarsAPI(mesh)
    coat = [chart(i * 5) for i in range(len(indices))]
    shown = primvars.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.faceVarying)
    shown.Set(Vt.Vec3fArray([Gf.Vec3f(*(light(c / 255) for c in color)) for color in coat]))
    wear = [Gf.Vec4f(i % 256 / 255, 128 / 255, (255 - i) % 256 / 255, 1) for i in range(side * side)]
    own = primvars.CreatePrimvar("Wear", Sdf.ValueTypeNames.Float4Array, UsdGeom.Tokens.vertex)
    own.Set(Vt.Vec4fArray(wear))
    own.GetAttr().SetCustomData({"encoding": "data", "name": "Wear"})
    panels = [chart(i * 11) for i in range(N * N)]
    flat = primvars.CreatePrimvar("Panels", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.uniform)
    flat.Set(Vt.Vec3fArray([Gf.Vec3f(*(light(c / 255) for c in color)) for color in panels]))
    kinds = [(UsdGeom.Tokens.faceVarying, len(indices)), (UsdGeom.Tokens.vertex, side * side), (UsdGeom.Tokens.uniform, N * N)]
    for number in range(more):
        interpolation, count = kinds[number % 3]
        values = [Gf.Vec4f(*(c / 255 for c in chart(i * 7 + number)), (i % 5) / 4) for i in range(count)]
        extra = primvars.CreatePrimvar(f"More{number}", Sdf.ValueTypeNames.Float4Array, interpolation)
        extra.Set(Vt.Vec4fArray(values))
        if number % 2:
            extra.GetAttr().SetCustomData({"encoding": "data", "name": f"More {number}"})
    stage.GetRootLayer().Save()
    return coat, wear, panels


def convert(name, *args, source="chart.usda"):
    subprocess.run([speckle, "convert", place(source), place(name), *args], check=True, stderr=subprocess.DEVNULL)
    return place(name)


def close(ours, theirs, most):
    return all(abs(a - b) <= most for a, b in zip(ours, theirs))


def check_usd(path, coat, wear, panels):
    stage = Usd.Stage.Open(path)
    meshes = [UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh)]
    assert len(meshes) == 1, path
    assert list(meshes[0].GetFaceVertexCountsAttr().Get()) == [4] * (N * N)
    primvars = {p.GetPrimvarName(): p for p in UsdGeom.PrimvarsAPI(meshes[0]).GetPrimvars()}
    told = {name: primvars[name].GetInterpolation() for name in ("displayColor", "Wear", "Panels")}
    assert told == {"displayColor": "faceVarying", "Wear": "vertex", "Panels": "uniform"}, told
    for value, color in zip(primvars["displayColor"].Get(), coat):
        assert close(value, [light(c / 255) for c in color], 1e-6), (path, value, color)
    for value, expected in zip(primvars["Wear"].Get(), wear):
        assert tuple(value) == tuple(expected), (path, value)
    for value, color in zip(primvars["Panels"].Get(), panels):
        assert close(value[:3], [light(c / 255) for c in color], 1e-6), (path, value, color)


def check_3mf(path, coat):
    model = get_wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)
    reader.ReadFromFile(path)
    warnings = [reader.GetWarning(i) for i in range(reader.GetWarningCount())]
    assert not warnings, warnings
    meshes = model.GetMeshObjects()
    assert meshes.MoveNext()
    mesh = meshes.GetCurrentMeshObject()
    assert mesh.GetTriangleCount() == 2 * N * N, mesh.GetTriangleCount()
    groups = model.GetColorGroups()
    assert groups.MoveNext()
    group = groups.GetCurrentColorGroup()
    # Corner i of a triangle is a corner of its square: found by the point it stands on.
    side = N + 1
    for number in range(mesh.GetTriangleCount()):
        square = number // 2
        x, y = square % N, square // N
        corners = [y * side + x, y * side + x + 1, (y + 1) * side + x + 1, (y + 1) * side + x]
        triangle, own = mesh.GetTriangle(number), mesh.GetTriangleProperties(number)
        for vertex, entry in zip(triangle.Indices, own.PropertyIDs):
            color = group.GetColor(entry)
            expected = coat[4 * square + corners.index(vertex)]
            assert (color.Red, color.Green, color.Blue, color.Alpha) == (*expected, 255)


def check_spools():
    """A print in a few swatches: base materials with their colors, one for each triangle."""
    import json

    recipient = place("spools.json")
    with open(recipient, "w") as out:
        json.dump({"name": "Printer", "format": "3mf", "spools": 6}, out)
    subprocess.run(
        [speckle, "deliver", place("chart.usda"), "--recipient", recipient, "-o", folder], check=True, capture_output=True
    )
    with open(place("chart-channels.json")) as note:
        spools = json.load(note)["spools"]
    model = get_wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)
    reader.ReadFromFile(place("chart.3mf"))
    assert reader.GetWarningCount() == 0, reader.GetWarning(0)
    groups = model.GetBaseMaterialGroups()
    assert groups.MoveNext() and not model.GetColorGroups().MoveNext()
    group = groups.GetCurrentBaseMaterialGroup()
    colors = [group.GetDisplayColor(entry) for entry in group.GetAllPropertyIDs()]
    found = ["#%02x%02x%02x" % (color.Red, color.Green, color.Blue) for color in colors]
    assert found == [spool["color"] for spool in spools] and len(found) == 6, (found, spools)
    meshes = model.GetMeshObjects()
    assert meshes.MoveNext()
    mesh = meshes.GetCurrentMeshObject()
    used = [mesh.GetTriangleProperties(number) for number in range(mesh.GetTriangleCount())]
    assert all(own.ResourceID == group.GetResourceID() and len(set(own.PropertyIDs)) == 1 for own in used)
    assert len({own.PropertyIDs[0] for own in used}) == 6, "every spool prints something"


def glsl_of(path):
    """The GLSL that the library makes of the surface of a document, which must be valid."""
    import MaterialX
    import MaterialX.PyMaterialXGenGlsl
    import MaterialX.PyMaterialXGenShader

    document, library = MaterialX.createDocument(), MaterialX.createDocument()
    search = MaterialX.getDefaultDataSearchPath()
    MaterialX.loadLibraries(MaterialX.getDefaultDataLibraryFolders(), search, library)
    MaterialX.readFromXmlFile(document, path)
    document.setDataLibrary(library) if hasattr(document, "setDataLibrary") else document.importLibrary(library)
    valid, message = document.validate()
    assert valid, (path, message)
    generator = MaterialX.PyMaterialXGenGlsl.GlslShaderGenerator.create()
    context = MaterialX.PyMaterialXGenShader.GenContext(generator)
    context.registerSourceCodeSearchPath(search)
    colors = MaterialX.PyMaterialXGenShader.DefaultColorManagementSystem.create(generator.getTarget())
    colors.loadLibrary(library)
    generator.setColorManagementSystem(colors)
    surface = document.getNode("surface")
    shader = generator.generate("surface", surface, context)
    source = shader.getSourceCode(MaterialX.PyMaterialXGenShader.PIXEL_STAGE)
    assert "void main()" in source
    return source


def check_materialx(end):
    """The document of a recipient with shader code: valid by the library, which makes GLSL of it.
    Where the file stores colors encoded, the GLSL decodes them."""
    import json

    with open(place("coder.json"), "w") as file:
        json.dump({"name": "Coder", "format": end, "shaders": True}, file)
    subprocess.run([speckle, "deliver", place("chart.usda"), "--recipient", place("coder.json"), "-o", folder], check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    source = glsl_of(place("chart-channels.mtlx"))
    decodes = any("srgb_texture_to_lin_rec709" in line and "light" in line for line in source.splitlines())
    assert decodes == (end == "ply"), end


class OwnSchema(etree.Resolver):
    """The schema of xml: attributes lies beside COLLADA's."""

    def resolve(self, url, public, context):
        if url.endswith("xml.xsd"):
            return self.resolve_filename(os.path.join(resources, "xsd.xml"), context)
        return None


resources = os.path.join(os.path.dirname(collada.__file__), "resources")
parser = etree.XMLParser(no_network=True)
parser.resolvers.add(OwnSchema())
collada_schema = etree.XMLSchema(etree.parse(os.path.join(resources, "schema-1.4.1.xml"), parser))

coat, wear, panels = write_chart(place("chart.usda"))
gltf = [convert(f"chart{depth}.{end}", "--depth", depth) for depth in ("8", "16", "float") for end in ("glb", "gltf")]
write_chart(place("sixteen.usda"), more=13)
gltf += [convert(f"sixteen{depth}.glb", "--depth", depth, source="sixteen.usda") for depth in ("8", "16", "float")]
gltf.append(convert("encoded.glb", "--light", "encoded", source="sixteen.usda"))
subprocess.run(["node", validate, *gltf], check=True)
print(f"gltf-validator: {len(gltf)} files without a finding")
for name in ("again.usda", "again.usdz"):
    check_usd(convert(name), coat, wear, panels)
print("usd-core: interpolation and values are equal")
check_3mf(convert("chart.3mf"), coat)
print("lib3mf: strict, no warnings, colors are equal")
check_spools()
print("lib3mf: spools are base materials, one for each triangle")
collada_schema.assertValid(etree.parse(convert("chart.dae")))
print("COLLADA schema: valid")
for end in ("glb", "ply"):
    check_materialx(end)
print("MaterialX: valid, and GLSL is made of it")
looks = sorted(name for name in os.listdir(sys.argv[3]) if name.endswith(".mtlx"))
assert len(looks) > 10, looks
for name in looks:
    glsl_of(os.path.join(sys.argv[3], name))
print(f"MaterialX: {len(looks)} looks are valid, and GLSL is made of them")
for end in ("x3d", "wrl", "off", "ply", "obj"):
    convert(f"chart.{end}")
etree.parse(place("chart.x3d"))
print("X3D: well-formed")
