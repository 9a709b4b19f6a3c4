"""Materials of loose packages through the MaterialX library's own validation. Source: MaterialX 1.39, `Document.validate`."""

from __future__ import annotations

import re
from unittest import TestCase

import MaterialX as mx

from ektopos.targets import export_package
from ektopos.targets.profile import built_in_profiles
from tests.samples import folder, project


class Validation(TestCase):
    def test_every_loose_package_is_valid_materialx(self) -> None:
        library = mx.createDocument()
        mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
        for profile in built_in_profiles().values():
            if profile.container != "loose":
                continue
            with self.subTest(profile.id), project() as opened, folder() as root:
                export_package(opened, profile, root / "out")
                document = mx.createDocument()
                mx.readFromXmlFile(document, str(root / "out/materials.mtlx"))
                document.setDataLibrary(library)
                valid, said = document.validate()
                self.assertTrue(valid, said)
                materials = {node.getName() for node in document.getMaterialNodes()}
                self.assertEqual(materials, {"tile", "tile_dull", "plain"})
                assigned = {a.getGeom(): a.getMaterial() for look in document.getLooks() for a in look.getMaterialAssigns()}
                self.assertEqual(assigned, {"/plates/Front": "tile", "/plates/Back": "tile_dull", "/plates/Bare": "plain"})
                for image in document.getNodes("image"):
                    path = image.getInput("file").getValueString()
                    self.assertTrue((root / "out" / path).is_file(), path)

    def test_names_that_become_alike_are_told_apart(self) -> None:
        from ektopos.document import MaterialEntry
        from ektopos.targets.loose import node_names
        from ektopos.targets.plan import make_plan
        from ektopos.targets.profile import find_profile

        with project() as opened:
            opened.document.materials = {name: MaterialEntry() for name in ("Dome copper", "dome_copper", "dome.copper", "ä")}
            opened.document.meshes = {}
            names = node_names(make_plan(opened.document, find_profile("single-maps"), lambda name: None))  # type: ignore[arg-type, return-value]
        self.assertEqual(len({name.lower() for name in names}), 4)
        for name in names:
            self.assertRegex(name, re.compile(r"^[A-Za-z_][A-Za-z0-9_]*$"))
