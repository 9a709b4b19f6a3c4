"""Meshes over the API: recipes, measures of triangles, suggestions, proposals, padding, baking."""

from __future__ import annotations

import numpy as np

from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.meshes import read_mesh
from server.workshop import mesh_cache
from server.workshop.models import Project
from tests.api.client import Api
from tests.core.test_bounds import USD_MESH
from tests.samples import folder, noise, quads, save, save_glb
from tests.samples import project as open_small
from tests.scenes import figure


class MeshesApi(Api):
    def mesh(self, project: dict, name: str = "plates") -> dict:
        return next(
            m for m in self.call("get", f"/projects/{project['id']}/meshes") if m["name"] == name
        )

    def recipe(self, project: dict, *steps: dict, status: int = 200, name: str = "plates"):
        body = {"revision": project["revision"], "recipe": list(steps)}
        answer = self.call("post", f"/projects/{project['id']}/meshes/{name}/recipe", body, status)
        if status != 200:
            return answer
        # What takes long is a job; here it has ended by now.
        if answer["job"]:
            ended = self.call("get", f"/jobs/{answer['job']['id']}")
            self.assertEqual(ended["state"], "done", ended["error"])
        return answer["project"] or self.call("get", f"/projects/{project['id']}")

    def test_a_recipe_changes_slots_facts_and_geometry_and_can_be_undone(self) -> None:
        project = self.sample()
        before = self.mesh(project)
        changed = self.recipe(
            project,
            {"kind": "rename-slot", "slot": "Front", "name": "Hull"},
            {"kind": "split-slot", "slot": "Hull"},
        )
        after = self.mesh(changed)
        self.assertEqual(
            [slot["name"] for slot in after["slots"]], ["Hull", "Back", "Bare", "Hull_2"]
        )
        self.assertEqual(
            after["assigned"],
            {"Hull": "tile", "Back": "tile_dull", "Bare": "plain", "Hull_2": "tile"},
        )
        self.assertNotEqual(after["key"], before["key"])
        self.assertIn("to Hull", after["recipe"][0]["words"])
        self.assertEqual(self.client.get(f"/api/mesh-geometry/{after['key']}.glb").status_code, 200)
        undone = self.call(
            "post", f"/projects/{project['id']}/undo", {"revision": changed["revision"]}
        )
        self.assertEqual(self.mesh(undone)["key"], before["key"])

    def test_layers_that_layers_refer_to_are_found(self) -> None:
        """A USD file that refers to a layer, which refers to another beside it."""
        files = {
            "p.ektopos.json": b'{"ektopos": 1, "name": "p", "meshes": {"m": {"file": "m/root.usda"}}}',
            "m/root.usda": b'#usda 1.0\ndef Xform "A" ( prepend references = @./parts/a.usda@</B> ) {}\n',
            "m/parts/a.usda": b'#usda 1.0\ndef Xform "B" ( prepend references = @./b.usda@</C> ) {}\n',
            "m/parts/b.usda": f'#usda 1.0\ndef Xform "C" {{ {USD_MESH} }}\n'.encode(),
        }
        uploads = [self.upload(path, content) for path, content in files.items()]
        project = self.call("post", "/projects/import", {"files": uploads})
        mesh = self.mesh(self.call("get", f"/projects/{project['id']}"), "m")
        self.assertEqual([slot["triangles"] for slot in mesh["slots"]], [1])
        again = mesh_cache.source_mesh(Project.objects.get(pk=project["id"]).head, "m")
        self.assertEqual(sorted(again.parts), ["parts/a.usda", "parts/b.usda"])

    def test_a_step_that_does_not_fit_changes_nothing(self) -> None:
        project = self.sample()
        said = self.recipe(
            project, {"kind": "rename-slot", "slot": "gone", "name": "x"}, status=422
        )
        self.assertIn("no such slot", said["message"])
        self.recipe(project, {"kind": "paint-slot", "slot": "Front"}, status=422)
        stale = self.recipe(project | {"revision": project["revision"] - 1}, status=409)
        self.assertIn("changed", stale["message"])
        self.recipe(project, status=404, name="gone")
        self.assertEqual(
            self.call("get", f"/projects/{project['id']}")["revision"], project["revision"]
        )

    def test_an_export_carries_the_recipe(self) -> None:
        project = self.recipe(
            self.sample(), {"kind": "rename-slot", "slot": "Bare", "name": "Base"}
        )
        job = self.call(
            "post", f"/projects/{project['id']}/exports", {"revision": project["revision"]}
        )
        ended = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(ended["state"], "done", ended["error"])
        (package,) = self.call("get", f"/projects/{project['id']}/packages")
        self.assertTrue(package["trial"]["passed"])
        self.assertEqual(
            {cell["slot"] for cell in package["trial"]["cells"]}, {"Front", "Back", "Base", ""}
        )

    def test_a_scene_is_measured_kept_and_told(self) -> None:
        project = self.begin()
        with folder() as root:
            figure().save(root / "figure.glb")
            content = (root / "figure.glb").read_bytes()
            self.bring_in(project, {"figure.glb": content})
            whole = read_mesh(root / "figure.glb")
        row = Project.objects.get(pk=project["id"])
        source = mesh_cache.source_mesh(row.head, "figure")
        mesh_cache.mesh_of(source)
        kept = mesh_cache._kept_mesh(source.key)
        np.testing.assert_array_equal(kept.more_uvs, whole.more_uvs)
        np.testing.assert_array_equal(kept.positions, whole.positions)
        told = self.call("get", f"/projects/{project['id']}/meshes/figure/scene")
        self.assertEqual(len(told["kinds"]), len(told["brings"]))
        plan = self.call("get", f"/projects/{project['id']}/plan")
        (mesh,) = plan["meshes"]
        self.assertIn("2 UV sets", mesh["goes"])
        self.assertIn("Vertex colours", mesh["left"][0]["message"])

    def test_measures_and_faults_come_triangle_by_triangle(self) -> None:
        project = self.begin()
        with folder() as root:
            mesh = quads({"A": 1, "B": 2})
            mesh.triangles[4] = mesh.triangles[2]  # one face lies on another
            save_glb(root / "m.glb", mesh)
            self.bring_in(project, {"m.glb": (root / "m.glb").read_bytes()})
        facts = self.mesh(project, "m")
        density = np.frombuffer(
            b"".join(self.client.get(f"/api/mesh-measures/{facts['key']}/density.bin")), "<f4"
        )
        np.testing.assert_allclose(density, 1.0, atol=1e-6)
        number = next(
            i for i, fault in enumerate(facts["faults"]) if fault["code"] == "coincident-faces"
        )
        self.assertTrue(facts["faults"][number]["seen"])
        marks = np.frombuffer(
            self.client.get(f"/api/mesh-faults/{facts['key']}/{number}.bin").content, np.uint8
        )
        self.assertEqual((len(marks), int(marks.sum())), (6, 1))
        self.call("get", f"/mesh-faults/{facts['key']}/99.bin", status=404)
        self.call("get", "/mesh-measures/00ff/density.bin", status=404)

    def test_faces_that_hang_together_are_found_from_one(self) -> None:
        project = self.sample()
        for by, wanted in (("part", [2, 3]), ("island", [2, 3]), ("face", [3])):
            found = self.call(
                "get", f"/projects/{project['id']}/meshes/plates/faces?slot=Front&face=3&by={by}"
            )
            self.assertEqual(found["faces"], wanted, by)
        self.call(
            "get",
            f"/projects/{project['id']}/meshes/plates/faces?slot=Front&face=9&by=part",
            status=422,
        )
        self.call(
            "get",
            f"/projects/{project['id']}/meshes/plates/faces?slot=gone&face=0&by=part",
            status=422,
        )

    def test_suggestions_and_proposals_name_sets_and_materials(self) -> None:
        project = self.sample()
        bare = self.edit(
            project, {"kind": "assign", "mesh": "plates", "slots": ["Front"], "material": None}
        )
        suggested = self.call("get", f"/projects/{bare['id']}/meshes/plates/suggestions")["slots"]
        self.assertEqual([entry["slot"] for entry in suggested], ["Front", "Back", "Bare"])
        best = suggested[0]["candidates"][0]
        self.assertTrue(best["reasons"])
        proposed = self.call("get", f"/projects/{bare['id']}/proposals")["proposals"]
        self.assertEqual([(p["mesh"], p["slot"]) for p in proposed], [("plates", "Front")])
        tile = next(c for c in suggested[0]["candidates"] if c["set"] == "tile")
        self.assertEqual(tile["material"], "tile")
        again = self.call("get", f"/projects/{bare['id']}/meshes/plates/suggestions")["slots"]
        self.assertEqual(again, suggested, "kept, and the same")

    def test_alike_slots_are_found_by_name_and_by_layout(self) -> None:
        project = self.sample()
        with folder() as root:
            save_glb(root / "other.glb", quads({"back": 1, "x1": 1}))
            self.bring_in(project, {"other.glb": (root / "other.glb").read_bytes()})
        found = {
            pair["slot"]: pair
            for pair in self.call(
                "get", f"/projects/{project['id']}/meshes/other/similar-mesh/plates"
            )
        }
        self.assertEqual((found["back"]["other"], found["back"]["material"]), ("Back", "tile_dull"))
        self.assertIn("UV layout", found["x1"]["why"])

    def test_padding_is_told_for_a_slot_and_a_map(self) -> None:
        project = self.begin()
        picture = np.zeros((128, 128, 3), np.uint8)
        picture[12:116, 12:116] = noise(128)[12:116, 12:116] // 2 + 90
        with folder() as root:
            save_glb(root / "m.glb", quads({"A": 1}, uv_scale=1.0))
            files = {
                "m.glb": (root / "m.glb").read_bytes(),
                "m_col.png": save(root / "c.png", picture).read_bytes(),
            }
            self.bring_in(project, files)
        project = self.call("get", f"/projects/{project['id']}")
        step = {"kind": "move-uvs", "slots": ["A"], "scale": [0.75, 0.75]}
        project = self.recipe(project, step, name="m")
        told = self.call("get", f"/projects/{project['id']}/meshes/m/padding/m_col?slot=A")
        self.assertEqual((told["width"], told["padding"]), (128, 4))
        self.call("get", f"/projects/{project['id']}/meshes/m/padding/gone?slot=A", status=404)

    def test_what_is_inside_a_mesh_file_is_offered_and_brought_in_as_one_step(self) -> None:
        with open_small() as opened, folder() as root:
            export_package(opened, find_profile("gltf-glb"), root / "out")
            glb = (root / "out/plates.glb").read_bytes()
        project = self.begin()
        self.bring_in(project, {"dressed.glb": glb})
        (facts,) = self.call("get", f"/projects/{project['id']}/meshes")
        self.assertEqual((facts["inside"]["maps"], facts["inside"]["materials"]), (5, 3))
        before = self.call("get", f"/projects/{project['id']}")
        job = self.call("post", f"/projects/{project['id']}/meshes/dressed/embedded-materials")
        ended = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(ended["state"], "done", ended["error"])
        after = self.call("get", f"/projects/{project['id']}")
        document = after["document"]
        self.assertEqual(set(document["materials"]), {"tile", "tile_dull", "plain"})
        self.assertEqual(len(document["maps"]), 5)
        self.assertEqual(document["materials"]["tile"]["alpha_mode"], "mask")
        self.assertEqual(
            document["meshes"]["dressed"]["slots"],
            {name: name for name in ("tile", "tile_dull", "plain")},
        )
        undone = self.call(
            "post", f"/projects/{project['id']}/undo", {"revision": after["revision"]}
        )
        self.assertEqual(undone["document"], before["document"])

    def test_occlusion_is_baked_into_a_map_and_fed_as_one_step(self) -> None:
        project = self.sample()
        job = self.call(
            "post",
            f"/projects/{project['id']}/meshes/plates/occlusion",
            {"slot": "Bare", "size": 256, "samples": 16},
        )
        ended = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(ended["state"], "done", ended["error"])
        after = self.call("get", f"/projects/{project['id']}")["document"]
        made = ended["result"]["map"]
        self.assertEqual(after["maps"][made]["roles"], {"r": "occlusion"})
        self.assertEqual(after["materials"]["plain"]["inputs"]["occlusion"]["map"], made)
        self.call(
            "post",
            f"/projects/{project['id']}/meshes/plates/occlusion",
            {"slot": "Bare", "samples": 0},
            status=422,
        )

    def painted(self, project: dict, status: int = 200, **given) -> dict:
        job = self.call(
            "post", f"/projects/{project['id']}/meshes/plates/paint", given, status=status
        )
        return self.call("get", f"/jobs/{job['id']}") if status == 200 else job

    def test_masks_and_materials_are_painted_into_uvs_in_one_step(self) -> None:
        project = self.sample()
        path = f"/projects/{project['id']}"
        stacked = self.painted(project, what="faces", slot="Front", at=[0, 1], size=256)
        self.assertIn("share 100% of the texels", stacked["error"]["message"])
        overlap = self.painted(project, what="three-sides", slot="Front", size=256)
        self.assertIn("its UVs overlap", overlap["error"]["message"])
        mask = self.painted(project, what="faces", slot="Back", at=[0], size=256)
        self.assertEqual(mask["state"], "done", mask["error"])
        entry = self.call("get", path)["document"]["maps"][mask["result"]["map"]]
        self.assertEqual(entry["roles"], {"r": "mask"})
        gone = self.painted(project, what="faces", slot="Front", at=[99], size=256)
        self.assertIn("not in the slot any more", gone["error"]["message"])
        bare = self.painted(project, what="colours", slot="Front", size=256)
        self.assertIn("no vertex colours", bare["error"]["message"])
        self.painted(project, 422, what="three-sides", slot="Front", metres=0)

        before = self.call("get", path)
        thrown = self.painted(
            project, what="three-sides", slot="Front", size=256, metres=0.5, anew=True
        )
        self.assertEqual(thrown["state"], "done", thrown["error"])
        after = self.call("get", path)
        made = thrown["result"]["material"]
        document = after["document"]
        self.assertEqual(document["meshes"]["plates"]["slots"]["Front"], made)
        self.assertEqual(document["materials"][made]["from"], "tile")
        fed = document["materials"][made]["inputs"]
        self.assertEqual(
            set(fed),
            {"base_color", "metallic", "roughness", "normal", "occlusion", "emission", "opacity"},
        )
        self.assertEqual(len(document["meshes"]["plates"]["recipe"]), 1)
        self.assertEqual(after["revision"], before["revision"] + 1)
        undone = self.call("post", f"{path}/undo", {"revision": after["revision"]})
        self.assertEqual(undone["document"], before["document"])

        height = {"map": "tile_gloss", "channels": "r"}
        edited = self.edit(
            undone,
            {"kind": "set-feed", "material": "tile", "input": "height", "feed": height},
        )
        asked = {"material": "tile", "depth": 0.05}
        job = self.call("post", f"{path}/normals", asked | {"over": True})
        ended = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(ended["state"], "done", ended["error"])
        document = self.call("get", path)["document"]
        (layer,) = document["materials"]["tile"]["inputs"]["normal"]["layers"]
        self.assertEqual((layer["map"], layer["op"]), (ended["result"]["map"], "normal"))
        self.assertEqual(
            edited["document"]["maps"].keys() | {layer["map"]}, document["maps"].keys()
        )
        none = self.call("post", f"{path}/normals", {"material": "plain"})
        error = self.call("get", f"/jobs/{none['id']}")["error"]
        self.assertIn("no map feeds its height", error["message"])

        constants = self.painted(project, what="three-sides", slot="Bare", size=256)
        self.assertIn("nothing of its material comes from a map", constants["error"]["message"])


class TargetsApi(Api):
    def test_the_sets_of_a_mesh_are_weighed_against_one(self) -> None:
        project = self.sample()
        path = f"/projects/{project['id']}/meshes"
        found = self.call("get", f"{path}/plates/atlas-estimate")
        self.assertEqual(sorted(found["materials"]), ["tile", "tile_dull"])
        self.assertGreater(found["now"]["files"], found["one"]["files"] - 1)
        self.assertEqual(found["side"] & (found["side"] - 1), 0)
        self.call("get", f"{path}/nowhere/atlas-estimate", status=404)

    OWN = (("id", "mine"), ("title", "Mine"), ("container", "loose"), ("normal_y", "-"))
    FILES = (
        {"suffix": "Col", "channels": {"rgb": "base_color"}, "encoding": "srgb"},
        {"suffix": "MS", "channels": {"r": "metallic", "a": "smoothness"}, "encoding": "linear"},
    )

    def own(self, **change) -> dict:
        return {**dict(self.OWN), "files": list(self.FILES), **change}

    def test_a_target_of_ones_own_is_tried_saved_used_and_removed(self) -> None:
        project = self.sample()
        path = f"/projects/{project['id']}"
        wrong = self.call(
            "post", f"{path}/target-drafts", {"profile": self.own(name_rule="{suffix}")}
        )
        self.assertIn("needs {material}", wrong["problem"])
        right = self.call("post", f"{path}/target-drafts", {"profile": self.own()})["summary"]
        self.assertEqual((right["files"], right["problem"]), (3, ""))
        self.assertIn("smoothness instead of roughness", right["converted"])
        self.assertTrue(any("normal of" in said for said in right["lost"]))
        project = self.edit(
            project,
            {"kind": "set-profile", "profile": self.own()},
            {"kind": "set-target", "target": "mine"},
        )
        self.assertIn("mine", [target["id"] for target in self.call("get", f"{path}/targets")])
        plan = self.call("get", f"{path}/plan")
        self.assertIsNone(plan["budget"])
        self.assertEqual({file["state"] for file in plan["files"]}, {"new"})
        job = self.call("post", f"{path}/exports", {"revision": project["revision"]})
        self.assertEqual(self.call("get", f"/jobs/{job['id']}")["state"], "done")
        self.assertEqual(
            {file["state"] for file in self.call("get", f"{path}/plan")["files"]}, {"same"}
        )
        (package,) = self.call("get", f"{path}/packages")
        report = self.client.get(f"/api/packages/{package['id']}/report.html").content.decode()
        for words in (
            "Test plates",
            "for Mine",
            "Front",
            "roughness",
            "FLIP",
            "data:image/png;base64,",
        ):
            self.assertIn(words, report)
        self.assertNotIn("http", report.replace("http-equiv", ""), "the page fetches nothing")
        project = self.edit(
            project, {"kind": "set-map", "maps": ["tile_col"], "encoding": "linear"}
        )
        states = {
            file["path"].rpartition("/")[2]: file["state"]
            for file in self.call("get", f"{path}/plan")["files"]
        }
        self.assertEqual(
            {name for name, state in states.items() if state == "changed"}, {"tile_Col.png"}
        )
        removed = self.edit(project, {"kind": "remove-profile", "target": "mine"})
        self.assertEqual(removed["document"]["target"], "gltf-glb")
        self.edit(removed, {"kind": "set-profile", "profile": self.own(id="gltf-glb")}, status=422)

    def test_the_project_is_compared_over_all_targets(self) -> None:
        project = self.edit(self.sample(), {"kind": "set-profile", "profile": self.own()})
        found = {
            entry["target"]: entry
            for entry in self.call("get", f"/projects/{project['id']}/comparison")
        }
        self.assertEqual(len(found), len(built_in_profiles()) + 1)
        self.assertTrue(found["mine"]["own"])
        self.assertEqual(found["gltf-glb"]["lost"], [])
        self.assertIn("green of normals points down", found["orm-y-minus"]["converted"])
        stays = found.pop("gltf-ktx2")
        self.assertEqual(stays["memory"], stays["compressed"])
        for entry in found.values():
            # Blocks take a byte a texel, uncompressed RGBA four: a quarter, but for the smallest
            # mips.
            self.assertLess(entry["compressed"], entry["memory"] * 0.26 + 64 * entry["files"])
        broken = self.edit(
            project,
            {
                "kind": "set-feed",
                "material": "tile",
                "input": "roughness",
                "feed": {"map": "tile_orm", "channels": "rgb"},
            },
        )
        found = self.call("get", f"/projects/{broken['id']}/comparison")
        self.assertTrue(all("one channel" in entry["problem"] for entry in found))
