"""Names that become alike when they are made safe stay apart in every target, and arrive.

The names: Windows' reserved ones (Microsoft, “Naming Files, Paths, and Namespaces”), Unicode's two
ways to write a letter (UAX 15), six scripts, and pairs that differ by what USD, MaterialX and file
systems do not allow. Read back by the stand-in engine, MaterialX' library, and `zipfile`.
"""

from __future__ import annotations

import json
import unicodedata
import zipfile
from pathlib import Path
from unittest import TestCase

import MaterialX as mx

from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.project import open_project, pack
from ektopos.trial.compare import run_trial
from tests.samples import folder, noise, quads, save, save_glb

ALIKE = [
    *("a b", "a_b", "x.y", "x y", "a/b", "a:b", "a\\b", "-a", "_a", "1", "_1", " a", "a "),
    *("金属", "木材", "😀", "😁", "Ω", "Ом", "معدن", "חלד", "धातु", "โลหะ"),
    *("é", "e\u0301", "ﬁn", "fin", "ß", "ss", "I", "ı", "i"),
    *("Con", "con", "NUL", "aux", "com1", "LPT9", "CON.x"),
]


def document(names: list[str], root: Path) -> None:
    """A project in which a map, a material, a slot and a mesh of each name are fed and assigned."""
    maps, meshes = {}, {}
    for number, name in enumerate(names):
        save(root / f"{number}.png", noise(8, number))
        save_glb(root / f"{number}.glb", quads({name: 1}))
        maps[name] = {"file": f"{number}.png"}
        meshes[name] = {"file": f"{number}.glb", "slots": {name: name}}
    materials = {n: {"inputs": {"roughness": {"map": n, "channels": "r"}}} for n in names}
    whole = {"ektopos": 1, "name": "p", "maps": maps, "materials": materials, "meshes": meshes}
    (root / "p.ektopos.json").write_text(json.dumps(whole))


class Alike(TestCase):
    def test_every_target_keeps_them_apart(self) -> None:
        with folder() as root:
            document(ALIKE, root)
            for target in sorted(built_in_profiles()):
                profile, out = find_profile(target), root / "out" / target
                with self.subTest(target), open_project(root) as opened:
                    export_package(opened, profile, out)
                    trial = run_trial(opened, out, profile, renders=False)
                    wrong = [
                        (cell.mesh, cell.input, cell.message)
                        for cell in trial.cells
                        if cell.verdict in ("differs", "lost")
                    ]
                    self.assertEqual(wrong, [])
                    files = [path.relative_to(out) for path in out.rglob("*") if path.is_file()]
                    folded = {unicodedata.normalize("NFC", str(f)).casefold() for f in files}
                    self.assertEqual(len(folded), len(files), "one file system takes two for one")

    def test_in_one_mesh_too_and_twice_the_same(self) -> None:
        with folder() as root:
            save_glb(root / "m.glb", quads(dict.fromkeys(ALIKE, 1)))
            materials = {
                name: {"inputs": {"roughness": {"value": number / len(ALIKE)}}}
                for number, name in enumerate(ALIKE)
            }
            whole = {
                "ektopos": 1,
                "name": "p",
                "materials": materials,
                "meshes": {"m": {"file": "m.glb", "slots": {name: name for name in ALIKE}}},
            }
            (root / "p.ektopos.json").write_text(json.dumps(whole))
            for target in sorted(built_in_profiles()):
                profile = find_profile(target)
                with self.subTest(target), open_project(root) as opened:
                    outs = [root / "out" / target / again for again in ("one", "two")]
                    for out in outs:
                        export_package(opened, profile, out)
                    trial = run_trial(opened, outs[0], profile, renders=False)
                    self.assertTrue(trial.passed)
                    first, second = (
                        {p.relative_to(out): p.read_bytes() for p in out.rglob("*") if p.is_file()}
                        for out in outs
                    )
                    self.assertEqual(first, second)

    def test_materialx_says_what_they_are_called(self) -> None:
        # Source: MaterialX 1.39, “uiname”; node names are letters, digits and `_`.
        with folder() as root:
            document(ALIKE, root)
            with open_project(root) as opened:
                export_package(opened, find_profile("materialx"), root / "out")
            read = mx.createDocument()
            mx.readFromXmlFile(read, str(root / "out/materials.mtlx"))
            names = {
                node.getAttribute("uiname") or node.getName() for node in read.getMaterialNodes()
            }
        self.assertEqual(names, set(ALIKE))

    def test_project_zips_lose_none_of_them(self) -> None:
        names = ["A.png", "a.png", "é.png", "e\u0301.png", "x/B.png", "X/b.png", "ß.png", "SS.png"]
        with folder() as root:
            for number, name in enumerate(names):
                save(root / "in" / name, noise(8, number))
            maps = {f"m{number}": {"file": name} for number, name in enumerate(names)}
            whole = {"ektopos": 1, "name": "p", "maps": maps}
            (root / "in/p.ektopos.json").write_text(json.dumps(whole))
            with open_project(root / "in") as opened:
                pack(opened, root / "p.zip")
            members = zipfile.ZipFile(root / "p.zip").namelist()
            folded = {unicodedata.normalize("NFC", member).casefold() for member in members}
            self.assertEqual(len(folded), len(names) + 1)
            with open_project(root / "p.zip") as again:
                for number, name in enumerate(names):
                    content = again.map_path(f"m{number}").read_bytes()
                    self.assertEqual(content, (root / "in" / name).read_bytes(), name)
