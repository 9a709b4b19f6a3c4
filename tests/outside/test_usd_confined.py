"""A USD file of somebody else opens nothing of this machine but what came with it.

The ways out of a file are those of OpenUSD's own documentation: composition arcs, sublayers, value
clips, file format arguments, packages in packages, variable expressions. The files are written by
hand and by OpenUSD.
"""

from __future__ import annotations

import zipfile
from pathlib import Path
from unittest import TestCase

from ektopos.base.errors import UnreadableFile
from ektopos.export.profile import find_profile
from ektopos.meshes import read_mesh
from ektopos.trial.engine.importer import import_package
from tests.samples import folder

TRIANGLE = """
def Mesh "{0}"
{{
    int[] faceVertexCounts = [3]
    int[] faceVertexIndices = [0, 1, 2]
    point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
}}
"""
SECRET = """#usda 1.0
def Xform "Secret"
{{
    {0}
}}
"""
ARGUMENTS = ":SDF_FORMAT_ARGS:x=1"
ARCS = {
    "reference": """def Xform "A" ( prepend references = @ASSET@</Secret> ) {}""",
    "payload": """def Xform "A" ( prepend payload = @ASSET@</Secret> ) {}""",
    "variant": """
        def Xform "A" (
            variants = { string v = "a" }
            prepend variantSets = "v"
        )
        {
            variantSet "v" = {
                "a" ( prepend references = @ASSET@</Secret> ) {
                }
            }
        }""",
    "clips": """
        def "A" (
            clips = {
                dictionary default = {
                    double2[] active = [(0, 0)]
                    asset[] assetPaths = [@ASSET@]
                    string primPath = "/Secret"
                }
            }
        )
        {
        }""",
}
"""Ways to refer to another layer."""
OWN = TRIANGLE.format("Own")


def arcs(asset: str) -> dict[str, str]:
    """Layers that refer to a path, by the way they do it; each has a triangle of its own."""
    layers = {way: f"#usda 1.0\n{arc.replace('ASSET', asset)}\n{OWN}" for way, arc in ARCS.items()}
    layers["sublayer"] = f"#usda 1.0\n( subLayers = [@{asset}@] )\n{OWN}"
    layers["expression"] = (
        f'#usda 1.0\n( expressionVariables = {{ string P = "{asset}" }} )\n'
        f"{ARCS['reference'].replace('ASSET', '`${P}`')}\n{OWN}"
    )
    return layers


class Confined(TestCase):
    def ways(self, root: Path) -> dict[str, str]:
        secret = root / "machine/secret.usda"
        secret.parent.mkdir()
        secret.write_text(
            "#usda 1.0\n" + 'def Xform "Secret" {\n' + TRIANGLE.format("Hidden") + "}\n"
        )
        packed = root / "machine/secret.usdz"
        with zipfile.ZipFile(packed, "w") as archive:
            archive.write(secret, "secret.usda")
        named = {
            "plain": str(secret),
            "arguments": f"{secret}{ARGUMENTS}",
            "beside": "../machine/secret.usda",
            "beside with arguments": f"../machine/secret.usda{ARGUMENTS}",
            "package": f"{packed}[secret.usda]",
            "as a picture": f"{secret}{ARGUMENTS}&x=.png",
        }
        return {
            f"{way}, {how}": layer
            for how, asset in named.items()
            for way, layer in arcs(asset).items()
        }

    def test_an_uploaded_layer_composes_its_own_triangles_alone(self) -> None:
        with folder() as root:
            for way, layer in self.ways(root).items():
                with self.subTest(way):
                    path = root / "in/mesh.usda"
                    path.parent.mkdir(exist_ok=True)
                    path.write_text(layer)
                    mesh = read_mesh(path, lambda part: None)
                    self.assertEqual(len(mesh.triangles), 1)
                    self.assertIn("not followed", " ".join(mesh.notes))

    def test_a_package_that_is_not_whole_is_refused_with_the_reason(self) -> None:
        with folder() as root:
            for way, layer in self.ways(root).items():
                with self.subTest(way):
                    path = root / "in/mesh.usdz"
                    path.parent.mkdir(exist_ok=True)
                    with zipfile.ZipFile(path, "w") as archive:
                        archive.writestr("mesh.usda", layer)
                    with self.assertRaisesRegex(UnreadableFile, "not in the package"):
                        read_mesh(path)
                    arrived = import_package(path.parent, find_profile("usdz"))
                    self.assertEqual(arrived.problem, "unreadable-file")
                    self.assertIn("not in it", arrived.message)

    def test_a_member_named_as_a_file_of_the_machine_is_none(self) -> None:
        with folder() as root:
            self.ways(root)
            secret = str(root / "machine/secret.usda")
            path = root / "mesh.usdz"
            with zipfile.ZipFile(path, "w") as archive:
                archive.writestr("mesh.usda", arcs(secret)["reference"])
                archive.writestr(secret, "#usda 1.0\n")
            with self.assertRaisesRegex(UnreadableFile, "not in the package"):
                read_mesh(path)

    def test_what_lies_beside_is_found_as_before(self) -> None:
        with folder() as root:
            part = root / "part.usda"
            part.write_text(SECRET.format(TRIANGLE.format("Part")))
            path = root / "mesh.usda"
            for way, layer in arcs("./part.usda").items():
                if way in ("clips", "expression"):
                    continue
                with self.subTest(way):
                    path.write_text(layer)
                    mesh = read_mesh(path, lambda name: root / name)
                    self.assertEqual(len(mesh.triangles), 2)
            path.write_text("no layer at all")
            with self.assertRaises(UnreadableFile):
                read_mesh(path)
