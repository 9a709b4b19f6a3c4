"""Small files that claim, nest or repeat enormous things: refused before the cost, in a fraction of
a second."""

from __future__ import annotations

import io
import json
import struct
import zipfile
import zlib
from pathlib import Path
from unittest import TestCase, mock

import numpy as np
from PIL import Image as Pillow
from pxr import Sdf
from scipy.spatial import Delaunay

from ektopos.base.errors import DiskFull, EktoposError, InvalidDocument, TooLarge, UnreadableFile
from ektopos.document import Document, MaterialEntry
from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.images import read_header
from ektopos.material_import import carried_by
from ektopos.meshes import companion_files, read_mesh, slot_facts
from ektopos.meshes.uvs import SUBTEXEL, cover_counts, covered_cells, distinct_triangles
from ektopos.project import open_project, unpack
from ektopos.trial.compare import run_trial
from ektopos.trial.engine.files import PackageFiles
from ektopos.trial.engine.importer import import_package
from ektopos.trial.engine.ktx2 import SIGNATURE, read_ktx2
from tests.samples import folder, project_folder, quads

TRIANGLE = {
    "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
    "accessors": [{"componentType": 5126, "type": "VEC3", "count": 3}],
}
USD_MESH = """ def Mesh "M" {
  int[] faceVertexCounts = [3]
  int[] faceVertexIndices = [0, 1, 2]
  point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
 }
"""


def gltf(**more: object) -> str:
    return json.dumps({"asset": {"version": "2.0"}} | TRIANGLE | more)


class DrawnAgainAndAgain(TestCase):
    """Small files that draw one triangle very often: refused by readers and by the engine, before
    anything of it is drawn."""

    def files(self) -> dict[str, dict[str, object]]:
        many = 200_000
        instanced = {"attributes": {"TRANSLATION": 1}}
        named = {"EXT_mesh_gpu_instancing": instanced}
        # Accessors without a view are zeros. Source: glTF 2.0, 5.1.
        claimed = [
            *TRIANGLE["accessors"],
            {"componentType": 5126, "type": "VEC3", "count": 2_000_000},
        ]
        chain = [{"children": [i + 1]} for i in range(49_999)]
        return {
            "instances that are not there": {
                "accessors": claimed,
                "nodes": [{"mesh": 0, "extensions": named}],
                "scenes": [{"nodes": [0]}],
            },
            "a chain of nodes": {"nodes": [*chain, {"mesh": 0}], "scenes": [{"nodes": [0]}]},
            "a node for each": {
                "nodes": [{"mesh": 0}] * many,
                "scenes": [{"nodes": list(range(many))}],
            },
        }

    def test_readers_and_the_engine_refuse_them(self) -> None:
        for what, more in self.files().items():
            with self.subTest(what), folder() as root:
                content = gltf(**more)
                (root / "m.gltf").write_text(content)
                with self.assertRaises(UnreadableFile):
                    read_mesh(root / "m.gltf")
                packed = content.encode() + b" " * (-len(content) % 4)
                head = struct.pack("<III", 0x46546C67, 2, 20 + len(packed))
                out = root / "package"
                out.mkdir()
                (out / "m.glb").write_bytes(
                    head + struct.pack("<II", len(packed), 0x4E4F534A) + packed
                )
                with mock.patch("ektopos.trial.engine.gltf.drawn_triangles") as drawing:
                    arrived = import_package(out, find_profile("gltf-glb"))
                self.assertEqual(arrived.problem, "unreadable-file")
                drawing.assert_not_called()

    def test_usd_too(self) -> None:
        instance = 'def Xform "I{0}" ( instanceable = true\n prepend references = </P> ) {{}}\n'
        whole = "".join(instance.format(i) for i in range(50_000))
        with folder() as root:
            path = root / "m.usda"
            path.write_text(f'#usda 1.0\ndef Xform "P" {{\n{USD_MESH}}}\n{whole}')
            with self.assertRaises(UnreadableFile):
                read_mesh(path)
            # Fewer are read, each in its place and in the order of the file.
            moved = 'def Xform "I{0}" ( instanceable = true\n prepend references = </P> ) {{ double3 xformOp:translate = ({0}, 0, 0)\n uniform token[] xformOpOrder = ["xformOp:translate"]\n}}\n'
            some = "".join(moved.format(i) for i in range(40))
            path.write_text(f'#usda 1.0\nclass Xform "P" {{\n{USD_MESH}}}\n{some}')
            mesh = read_mesh(path)
        np.testing.assert_allclose(mesh.corners()[:, 0, 0], np.arange(40) / 100)

    def test_a_usd_that_scatters_millions_is_refused_before_its_text_is_parsed(self) -> None:
        """However its arrays are written, and beside or in a package; fewer are read."""

        def scattered(count: int, *, stamped: bool) -> str:
            where = ", ".join(["(1, 2, 3)"] * count)
            which = ", ".join(["0"] * count)
            given = (
                f"point3f[] positions.timeSamples = {{\n 1: [{where}],\n}}\n"
                f"int[] protoIndices.timeSamples = {{\n 1: [{which}],\n}}"
                if stamped
                else f"point3f[] positions = [{where}]\nint[] protoIndices = [{which}]"
            )
            return (
                f'#usda 1.0\ndef PointInstancer "S" {{\n{given}\n'
                f'rel prototypes = </S/P>\ndef Xform "P" {{\n{USD_MESH}}}\n}}\n'
            )

        for stamped in (False, True):
            with self.subTest(stamped=stamped), folder() as root:
                (root / "m.usda").write_text(scattered(3_000_000, stamped=stamped))
                (root / "l.usda").write_text(
                    '#usda 1.0\n( subLayers = [@./m.usda@] )\ndef Xform "X" {}\n'
                )
                with zipfile.ZipFile(root / "p.usdz", "w") as packed:
                    packed.write(root / "m.usda", "m.usda")
                with mock.patch("pxr.Sdf.Layer.FindOrOpen", wraps=Sdf.Layer.FindOrOpen) as opening:
                    for name in ("m.usda", "l.usda", "p.usdz"):
                        with self.assertRaisesRegex(UnreadableFile, "scatters 3,000,000"):
                            read_mesh(root / name)
                        companion_files(root / name, name)
                opened = [Path(str(call.args[0])).stem for call in opening.call_args_list]
                self.assertNotIn("m", opened)
                few = root / "few.usda"
                few.write_text(scattered(100, stamped=stamped))
                self.assertEqual(len(read_mesh(few).triangles), 100)


class MeshesThatClaimTooMuch(TestCase):
    def refused(self, name: str, content: str | bytes) -> str:
        with folder() as root:
            (root / name).write_bytes(content if isinstance(content, bytes) else content.encode())
            with self.assertRaises(UnreadableFile) as raised:
                read_mesh(root / name)
        return raised.exception.message

    def test_nodes_that_share_children_are_no_tree(self) -> None:
        # Every level draws the next one twice: 2^60 triangles in a few kilobytes. Source: glTF 2.0,
        # 3.5.2.
        pairs = [{"children": [2 * i + 2, 2 * i + 3]} for i in range(60) for _ in (0, 1)]
        nodes = [*pairs, {"mesh": 0}, {"mesh": 0}]
        self.assertIn(
            "two parents", self.refused("dag.gltf", gltf(nodes=nodes, scenes=[{"nodes": [0]}]))
        )

    def test_accessors_cannot_claim_what_no_byte_holds(self) -> None:
        claims = [{"componentType": 5126, "type": "VEC3", "count": 20_000_000}]
        self.assertIn("has no data", self.refused("zeros.gltf", gltf(accessors=claims)))
        claims[0]["count"] = 2_000_000_000
        self.assertIn("at most", self.refused("zeros.gltf", gltf(accessors=claims)))

    def test_ply_counts_are_bounded_by_the_file(self) -> None:
        head = "ply\nformat ascii 1.0\nelement vertex 3000000000\nproperty float x\nproperty float y\nproperty float z\nend_header\n"
        self.assertIn("bytes are there", self.refused("claims.ply", head + "0 0 0\n"))
        bare = "ply\nformat ascii 1.0\nelement vertex 3000000000\nend_header\n0 0 0\n"
        self.assertIn("bytes are there", self.refused("bare.ply", bare))
        listed = b"ply\nformat binary_little_endian 1.0\nelement face 1\nproperty list uint int vertex_indices\nend_header\n"
        self.assertIn("breaks off", self.refused("list.ply", listed + b"\xff\xff\xff\x7f\0\0\0\0"))

    def test_fifty_thousand_materials_are_refused_and_a_thousand_read(self) -> None:
        def text(count: int) -> str:
            return "v 0 0 0\nv 1 0 0\nv 0 1 0\n" + "".join(
                f"usemtl m{i}\nf 1 2 3\n" for i in range(count)
            )

        self.assertIn("50,000 materials", self.refused("many.obj", text(50_000)))
        with folder() as root:
            (root / "some.obj").write_text(text(1000))
            self.assertEqual(len(read_mesh(root / "some.obj").slots), 1000)

    def test_positions_that_no_engine_could_hold(self) -> None:
        self.assertIn(
            "beyond", self.refused("far.obj", "v 0 0 0\nv 1e308 0 0\nv 0 -1e308 0\nf 1 2 3\n")
        )

    def test_nested_instances_in_usd(self) -> None:
        levels = [f'def Xform "L0" {{\n{USD_MESH}}}\n']
        for i in range(1, 40):
            children = (
                f' def Xform "c{k}" (\n  instanceable = true\n  prepend references = </L{i - 1}>\n ) {{\n }}\n'
                for k in "ab"
            )
            levels.append(f'def Xform "L{i}" {{\n{"".join(children)}}}\n')
        self.assertIn(
            "compose more than", self.refused("nested.usda", "#usda 1.0\n" + "".join(levels))
        )

    def test_usd_follows_nothing_outside_its_file(self) -> None:
        with folder() as root:
            (root / "secret.usda").write_text(f'#usda 1.0\ndef Xform "S" {{\n{USD_MESH}}}\n')
            (root / "in").mkdir()
            secret = root / "secret.usda"
            (root / "in/a.usda").write_text(
                f'#usda 1.0\n(\n subLayers = [@{secret}@]\n)\ndef Xform "A" (\n prepend references = [@{secret}@</S>, @../secret.usda@</S>]\n)'
                f" {{\n{USD_MESH}}}\n"
            )
            mesh = read_mesh(root / "in/a.usda")
        self.assertEqual(len(mesh.triangles), 1)
        self.assertEqual(len([note for note in mesh.notes if "not followed" in note]), 2)

    def test_layers_inside_a_usdz_are_followed(self) -> None:
        with folder() as root:
            inner = (
                f'#usda 1.0\n(\n defaultPrim = "S"\n)\ndef Xform "S" {{\n{USD_MESH}}}\n'.encode()
            )
            outer = b'#usda 1.0\ndef Xform "A" (\n prepend references = @./parts/s.usda@\n) {\n}\n'
            with zipfile.ZipFile(root / "a.usdz", "w", zipfile.ZIP_STORED) as packed:
                for name, content in (("root.usda", outer), ("parts/s.usda", inner)):
                    # Source: USDZ specification, “Layout”: file data begins at a multiple of 64
                    # bytes.
                    info = zipfile.ZipInfo(name)
                    start = packed.fp.tell() + 30 + len(name)  # type: ignore[union-attr]
                    room = -(start + 4) % 64
                    info.extra = struct.pack("<HH", 0x1986, room) + b"\0" * room
                    packed.writestr(info, content)
            mesh = read_mesh(root / "a.usdz")
        self.assertEqual((len(mesh.triangles), mesh.notes), (1, ()))

    def test_extras_may_be_anything(self) -> None:
        # Source: glTF 2.0, 5.22: extras are “application-specific data”, of any type.
        materials = [
            {"name": "a", "extras": "text"},
            {"name": "b", "extras": {"surface_tag": "metal"}},
            {"name": "c", "extras": [1]},
        ]
        with folder() as root:
            (root / "m.gltf").write_text(gltf(materials=materials))
            found = carried_by(root / "m.gltf", lambda part: None, "m.gltf", str).materials
        self.assertEqual([found[name].surface_tag for name in "abc"], [None, "metal", None])
        with folder() as root, self.assertRaises(UnreadableFile):
            (root / "m.gltf").write_text(gltf(materials=["no object"]))
            carried_by(root / "m.gltf", lambda part: None, "m.gltf", str)


class StackedUvs(TestCase):
    def test_five_thousand_cards_are_one_card_to_draw(self) -> None:
        cards = quads({"cards": 5000})
        first, times = distinct_triangles(np.rint(cards.corner_uvs() * 4096).astype(np.int64))
        self.assertEqual((len(first), times.tolist()), (2, [5000, 5000]))
        counts = cover_counts(cards.corner_uvs(), (0.0, 0.0), (1.0, 1.0), 64)
        self.assertEqual((counts.min(), counts.max()), (5000, 5000))
        (facts,) = slot_facts(cards)
        self.assertEqual((facts.uv.coverage, facts.uv.overlap), (1.0, 1.0))

    def test_corners_in_another_order_are_the_same_triangle(self) -> None:
        a, b, c = (0, 0), (256, 0), (0, 256)
        first, times = distinct_triangles(
            np.array([[a, b, c], [b, c, a], [a, c, b], [a, b, (256, 256)]], np.int64)
        )
        self.assertEqual(sorted(times.tolist()), [1, 3])
        self.assertEqual(len(first), 2)

    def test_what_nearly_lies_on_each_other_is_counted_cell_by_cell(self) -> None:
        moved = quads({"cards": 400}).corner_uvs()
        moved = moved + np.random.default_rng(3).uniform(-0.01, 0.01, (len(moved), 1, 2))
        counts = cover_counts(moved, (0.0, 0.0), (1.0, 1.0))
        self.assertEqual(counts.shape, (1024, 1024))
        self.assertAlmostEqual(counts[256, 512], 400, delta=1)
        # The same, cell by cell, on a grid where that is quick.
        slow = np.zeros(64 * 64, np.int64)
        for cell, _ in covered_cells(np.rint(moved * 64 * SUBTEXEL).astype(np.int64), 64):
            np.add.at(slow, cell, 1)
        counts = cover_counts(moved, (0.0, 0.0), (1.0, 1.0), 64)
        np.testing.assert_array_equal(counts, slow.reshape(64, 64))


class Drawing(TestCase):
    def test_every_centre_of_a_triangulation_is_covered_once(self) -> None:
        """Source: SciPy's Delaunay triangulation (Qhull), which says itself what lies in it. Corners
        lie on a coarse lattice, so that many edges run through centres."""
        rng = np.random.default_rng(8)
        for side, lattice in ((16, 2), (64, 8), (200, 256)):
            corners = np.unique(rng.integers(0, lattice * side + 1, (300, 2)), axis=0) / lattice
            corners[:, 1] += 0.5  # on the rows of centres
            parts = Delaunay(corners)
            triangles = corners[parts.simplices]
            triangles[::2] = triangles[::2, ::-1]  # whichever way round
            counts = cover_counts(triangles / side, (0.0, 0.0), (1.0, 1.0), side)
            across, down = np.meshgrid(np.arange(side) + 0.5, np.arange(side) + 0.5)
            centres = np.stack([across, down], axis=-1)
            inside = parts.find_simplex(centres) >= 0
            self.assertLessEqual(counts.max(), 1)
            edge = inside & (counts == 0)  # the hull owns two of its sides
            self.assertFalse((counts[~inside] > 0).any())
            for nudge in ([1e-6, 1e-6], [-1e-6, -1e-6], [1e-6, -1e-6], [-1e-6, 1e-6]):
                edge &= parts.find_simplex(centres + nudge) >= 0
            self.assertFalse(edge.any())

    def test_a_triangle_far_larger_than_the_square_covers_all_of_it(self) -> None:
        far = np.array([[[-120.0, -120.0], [-120.0, 240.0], [240.0, -120.0]]])
        np.testing.assert_array_equal(cover_counts(far, (0.0, 0.0), (1.0, 1.0)), 1)


class PicturesThatClaimTooMuch(TestCase):
    def png(self, width: int, height: int, bits: int, kind: int, content: bytes) -> bytes:
        """A PNG of these claims. Source: PNG specification, third edition, 5.3 and 11.2.1."""

        def chunk(name: bytes, body: bytes) -> bytes:
            return (
                struct.pack(">I", len(body))
                + name
                + body
                + struct.pack(">I", zlib.crc32(name + body))
            )

        head = struct.pack(">IIBBBBB", width, height, bits, kind, 0, 0, 0)
        return (
            b"\x89PNG\r\n\x1a\n"
            + chunk(b"IHDR", head)
            + chunk(b"IDAT", content)
            + chunk(b"IEND", b"")
        )

    def test_gigabytes_in_a_small_png(self) -> None:
        with folder() as root:
            path = root / "bomb.png"
            path.write_bytes(self.png(16384, 16384, 16, 6, bytes(3 * 2**20)))
            with self.assertRaisesRegex(TooLarge, "2,048 MiB decoded"):
                read_header(path)
            path.write_bytes(self.png(16384, 16384, 16, 6, zlib.compress(b"\0" * 2**20)))
            with self.assertRaisesRegex(UnreadableFile, "claims"):
                read_header(path)

    def test_a_large_picture_of_one_colour_is_refused_by_its_header(self) -> None:
        with folder() as root:
            path = root / "flat.png"
            path.write_bytes(self.png(16384, 16384, 8, 2, bytes(3 * 2**20)))
            with self.assertRaisesRegex(TooLarge, "768 MiB decoded"):
                read_header(path)

    def test_the_largest_usual_map_is_read(self) -> None:
        with folder() as root:
            plain = io.BytesIO()
            Pillow.new("RGBA", (8192, 8192), (9, 9, 9, 255)).save(plain, "png", compress_level=1)
            (root / "large.png").write_bytes(plain.getvalue())
            self.assertEqual(read_header(root / "large.png").width, 8192)

    def test_ktx2_gives_no_more_than_it_declares(self) -> None:
        packed = zlib.compress(b"\0" * 2**26, 9)
        head = SIGNATURE + struct.pack("<13I2Q", 37, 1, 4, 4, 0, 0, 1, 1, 3, 0, 0, 0, 0, 0, 0)
        index = struct.pack("<3Q", 104, len(packed), 2**26)
        with self.assertRaisesRegex(ValueError, "as large as it says"):
            read_ktx2(head + index + packed)


class Zips(TestCase):
    def zipped(self, root: Path, files: dict[str, bytes]) -> Path:
        with zipfile.ZipFile(root / "p.zip", "w", zipfile.ZIP_DEFLATED) as packed:
            for name, content in files.items():
                packed.writestr(name, content)
        (root / "out").mkdir(exist_ok=True)
        return root / "p.zip"

    def test_what_is_not_credible_is_refused_before_anything_is_written(self) -> None:
        with folder() as root:
            zeros, many = {"zeros": b"\0" * (80 * 2**20)}, {f"f{i}": b"" for i in range(20_001)}
            for files, said in ((zeros, "times as large"), (many, "20,001 files")):
                with self.assertRaisesRegex(TooLarge, said):
                    unpack(self.zipped(root, files), root / "out")
            self.assertEqual(list((root / "out").iterdir()), [])

    def test_no_room_is_said_before_and_while_unpacking(self) -> None:
        with folder() as root:
            path = self.zipped(root, {"a": b"hello"})
            usage = mock.Mock(free=3)
            with (
                mock.patch("ektopos.project.shutil.disk_usage", return_value=usage),
                self.assertRaises(DiskFull),
            ):
                unpack(path, root / "out")
            full = OSError(28, "No space left on device")
            with (
                mock.patch.object(zipfile.ZipFile, "extract", side_effect=full),
                self.assertRaises(DiskFull),
            ):
                unpack(path, root / "out")

    def test_a_zip_that_names_a_file_as_a_folder(self) -> None:
        with folder() as root, self.assertRaises(InvalidDocument):
            unpack(self.zipped(root, {"a": b"1", "a/b": b"2"}), root / "out")


class Packages(TestCase):
    def test_a_list_leads_nowhere_outside_its_package(self) -> None:
        with folder() as root:
            (root / "secret.glb").write_bytes(b"glTF")
            (root / "in").mkdir()
            files = PackageFiles(root / "in", {"files": []})
            for name in (str(root / "secret.glb"), "../secret.glb", "/etc/passwd"):
                self.assertIsNone(files.find(name))

    def test_an_absolute_path_in_package_json_is_a_missing_file(self) -> None:
        with folder() as root, open_project(project_folder(root / "p")) as project:
            profile = find_profile("gltf-glb")
            export_package(project, profile, root / "out")
            listing = json.loads((root / "out/package.json").read_text())
            (glb,) = (root / "out").glob("*.glb")
            glb.rename(root / "elsewhere.glb")
            listing["files"] = [
                {**f, "path": str(root / "elsewhere.glb")}
                for f in listing["files"]
                if f["path"].endswith(".glb")
            ]
            (root / "out/package.json").write_text(json.dumps(listing))
            trial = run_trial(project, root / "out", profile, renders=False)
        self.assertFalse(trial.passed)
        self.assertEqual(
            {cell.cause for cell in trial.cells if cell.verdict == "lost"}, {"missing-file"}
        )


class EveryTargetWithRenders(TestCase):
    def test_pictures_of_both_sides_for_whatever_feeds_the_inputs(self) -> None:
        """Constants, maps, and both mixed: in the specular workflow each used to arrive in another
        shape."""
        with folder() as root, open_project(project_folder(root / "p")) as project:
            mixed = {
                "flat": {"base_color": {"value": [0.8, 0.4, 0.1]}, "metallic": {"value": 1.0}},
                "half": {
                    "base_color": {"value": [0.8, 0.4, 0.1]},
                    "metallic": {"map": "tile_orm", "channels": "b"},
                },
            }
            document = project.document.model_dump(mode="json", by_alias=True, exclude_none=True)
            document["materials"] |= {name: {"inputs": inputs} for name, inputs in mixed.items()}
            document["meshes"]["plates"]["slots"] = {
                "Front": "tile",
                "Back": "half",
                "Bare": "flat",
            }
            changed = type(project)(Document.model_validate(document), project.find)
            for target in sorted(built_in_profiles()):
                with self.subTest(target=target):
                    export_package(changed, find_profile(target), root / target)
                    trial = run_trial(changed, root / target, find_profile(target))
                    self.assertTrue(
                        trial.passed, [c for c in trial.cells if c.verdict in ("differs", "lost")]
                    )
                    drawn = {render.material for render in trial.renders if render.material}
                    self.assertLessEqual({"half", "flat"}, drawn)
                    # Codecs lose what these noisy maps are made of.
                    most = 0.12 if find_profile(target).has_basis else 0.02
                    self.assertLess(max(render.flip for render in trial.renders), most)


class Messages(TestCase):
    def test_a_full_disk_is_one_sentence(self) -> None:
        self.assertIsInstance(DiskFull("a.png"), EktoposError)
        self.assertIn("no room left", str(DiskFull("a.png")))
        self.assertEqual(MaterialEntry().inputs, {})
