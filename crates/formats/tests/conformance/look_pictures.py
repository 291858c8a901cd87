"""Looks as MaterialX, drawn by its own renderer on a sheet of tiles, beside what our core makes of the same numbers.

The graph's outputs are drawn one by one without light. Its reader of glTF takes but one set of colors, so the others
are handed to it as images with a square for each tile. A software renderer and a virtual screen do:

    xvfb-run -a python look_pictures.py LOOKS
"""

import json
import os
import sys

import MaterialX as mx
from MaterialX import PyMaterialXGenGlsl as glsl
from MaterialX import PyMaterialXGenShader as gen
from MaterialX import PyMaterialXRender as render
from MaterialX import PyMaterialXRenderGlsl as render_glsl

folder = sys.argv[1]
# An odd number for each of eight tiles: the middle of a tile is the middle of a pixel.
PIXELS = 504
# A step of 8 bits, in linear light: images are stored so.
MOST = 0.004
search = mx.getDefaultDataSearchPath()


def from_images(graph, side):
    """Colors but the first are read from images with a square for each tile."""
    for node in graph.getNodes("geomcolor"):
        n, name = node.getInputValue("index"), node.getName()
        if n == 0:
            continue
        graph.removeNode(name)
        graph.addNode("position", f"{name}_place", "vector3").addInput("space", "string").setValueString("object")
        graph.addNode("convert", f"{name}_flat", "vector2").addInput("in", "vector3").setNodeName(f"{name}_place")
        at = graph.addNode("divide", f"{name}_at", "vector2")
        at.addInput("in1", "vector2").setNodeName(f"{name}_flat")
        at.addInput("in2", "float").setValue(float(side))
        image = graph.addNode("image", name, "color4")
        image.addInput("file", "filename").setValueString(f"colors-{n}.png")
        image.addInput("texcoord", "vector2").setNodeName(f"{name}_at")
        image.addInput("filtertype", "string").setValueString("closest")


def renderer():
    own = render_glsl.GlslRenderer.create(PIXELS, PIXELS, render.BaseType.FLOAT)
    own.initialize()
    images = render_glsl.GLTextureHandler.create(render.StbImageLoader.create())
    images.setSearchPath(mx.FileSearchPath(folder))
    own.setImageHandler(images)
    own.setLightHandler(render.LightHandler.create())
    shapes = render.GeometryHandler.create()
    shapes.addLoader(render.CgltfLoader.create())
    assert shapes.loadGeometry(mx.FilePath(os.path.join(folder, "sheet.glb")), False)
    own.setGeometryHandler(shapes)
    return own


def camera(side):
    """Looks at the sheet from above, all of it and nothing else, as if from far away."""
    own = render.Camera.create()
    own.setViewMatrix(mx.Matrix44.createTranslation(mx.Vector3(-side / 2, -side / 2, -10)))
    own.setProjectionMatrix(render.Camera.createOrthographicMatrix(-side / 2, side / 2, -side / 2, side / 2, 1, 20))
    return own


def shown(path, output, library, side):
    """The document with an output of its graph as a light of its own, and nothing else."""
    document = mx.createDocument()
    mx.readFromXmlFile(document, path)
    document.setDataLibrary(library)
    from_images(document.getNodeGraph("look"), side)
    kind = document.getNodeGraph("look").getOutput(output).getType()
    if kind == "float":
        # An output is turned into a color where it is made.
        graph = document.getNodeGraph("look")
        convert = graph.addNode("convert", "as_color", "color3")
        convert.addInput("in", "float").setNodeName(graph.getOutput(output).getNodeName())
        graph.addOutput("as_color_out", "color3").setNodeName("as_color")
        output = "as_color_out"
    plain = document.addNode("surface_unlit", "plain", "surfaceshader")
    light = plain.addInput("emission_color", "color3")
    light.setNodeGraphString("look")
    light.setOutputString(output)
    generator = glsl.GlslShaderGenerator.create()
    context = gen.GenContext(generator)
    context.registerSourceCodeSearchPath(search)
    colors = gen.DefaultColorManagementSystem.create(generator.getTarget())
    colors.loadLibrary(library)
    generator.setColorManagementSystem(colors)
    context.getOptions().fileTextureVerticalFlip = True
    return generator.generate("plain", plain, context)


def main():
    library = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), search, library)
    own = renderer()
    looks = sorted(name for name in os.listdir(folder) if name.endswith(".mtlx"))
    assert len(looks) > 10, looks
    compared = 0
    for name in looks:
        path = os.path.join(folder, name)
        with open(path.replace(".mtlx", ".json")) as file:
            wanted = json.load(file)
        side = wanted["side"]
        own.setCamera(camera(side))
        for output in ("look_color", "look_rough", "look_metal", "look_glow"):
            own.createProgram(shown(path, output, library, side))
            own.validateInputs()
            own.render()
            picture = own.captureImage(None)
            for tile in wanted["tiles"]:
                x, y = (int(at / side * PIXELS) for at in tile["at"])
                seen = picture.getTexelColor(x, y).asTuple()[:3]
                off = max(abs(a - b) for a, b in zip(seen, tile[output]))
                assert off <= MOST, (name, output, tile["at"], seen, tile[output])
                compared += 1
    print(f"MaterialX: {len(looks)} looks drawn, {compared} tiles as our core reckons them")


main()
