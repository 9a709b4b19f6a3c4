"""What a target can ask for beyond files and channels: padding, mips, dithering, other formats,
mesh rules, what stays behind."""

from __future__ import annotations

import io
import json
import shutil
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np
import pygltflib
from pydantic import TypeAdapter

from ektopos.base.errors import EktoposError, InvalidDocument
from ektopos.cli.main import main
from ektopos.document import Document, dump_document, load_document
from ektopos.edits import Edit, apply_edits
from ektopos.export.plan import make_plan
from ektopos.export.profile import Profile, built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.images import encode_ktx2, srgb_to_linear
from ektopos.materials.inheritance import resolve_inheritance
from ektopos.materials.texel_coverage import covered_by, transform_uvs
from ektopos.meshes import read_mesh
from ektopos.project import OpenProject, load_mesh
from ektopos.trial.compare import Trial, run_trial
from ektopos.trial.engine.ktx2 import read_ktx2
from tests.samples import folder, project

LOOSE = {
    "id": "own",
    "title": "Own",
    "container": "loose",
    "files": [
        {"suffix": "Col", "channels": {"rgb": "base_color", "a": "opacity"}, "encoding": "srgb"},
        {
            "suffix": "ORM",
            "channels": {"r": "occlusion", "g": "roughness", "b": "metallic"},
            "encoding": "linear",
        },
        {"suffix": "Nrm", "channels": {"rgb": "normal"}, "encoding": "linear"},
        {"suffix": "Glow", "channels": {"rgb": "emission"}, "encoding": "srgb"},
    ],
    "import": {"settings_from": "package"},
}
FLAT = {"set": 0, "tiling": [1, 1], "offset": [0, 0], "rotation": 0}


def profile(**change: object) -> Profile:
    return Profile.model_validate(json.loads(json.dumps(LOOSE)) | change)


def formats(kind: str, **change: object) -> list[dict]:
    return [file | {"format": kind} | change for file in LOOSE["files"]]  # type: ignore[misc]


@contextmanager
def exported(
    rules: Profile, change: Callable[[Document], None] | None = None
) -> Iterator[tuple[OpenProject, Path]]:
    with project() as opened, folder() as root:
        if change:
            change(opened.document)
        export_package(opened, rules, root / "out")
        yield opened, root / "out"


def wrong(trial: Trial) -> list[tuple]:
    return [
        (c.slot, c.input, c.verdict, c.cause, c.message)
        for c in trial.cells
        if c.verdict in ("differs", "lost")
    ]


def lay_flat(document: Document) -> None:
    """Half the square covered: UVs shrunk, no transform."""
    document.materials["tile"] = document.materials["tile"].model_copy(update={"uv": None})
    document.meshes["plates"].recipe = TypeAdapter(list).validate_python([])
    apply = {"kind": "move-uvs", "slots": ["Front", "Back"], "scale": [0.5, 0.5], "about": [0, 0]}
    document.meshes["plates"] = document.meshes["plates"].model_validate(
        document.meshes["plates"].model_dump(mode="json") | {"recipe": [apply]}
    )


class Padding(TestCase):
    def test_texels_round_the_islands_are_those_inside_and_the_trial_looks_inside_only(
        self,
    ) -> None:
        with exported(profile(padding=6), lay_flat) as (opened, out):
            made = cv2.imread(str(out / "textures/tile_ORM.png"), cv2.IMREAD_UNCHANGED)
            source = cv2.imread(str(opened.path("maps/tile_orm.png")), cv2.IMREAD_UNCHANGED)
            np.testing.assert_array_equal(made[:32, :32, 2], source[:32, :32, 2])
            for step in range(6):
                np.testing.assert_array_equal(made[:32, 32 + step], made[:32, 31])
            np.testing.assert_array_equal(made[45:, 45:, 2], source[45:, 45:, 2])
            self.assertEqual(wrong(run_trial(opened, out, profile(padding=6), renders=False)), [])
            made[:16, :16, 1] = 255 - made[:16, :16, 1]
            cv2.imwrite(str(out / "textures/tile_ORM.png"), made)
            self.assertEqual(
                {c[1] for c in wrong(run_trial(opened, out, profile(padding=6), renders=False))},
                {"roughness"},
            )

    def test_causes_are_found_under_padding_too(self) -> None:
        with exported(profile(padding=20), lay_flat) as (opened, out):
            path = str(out / "textures/tile_ORM.png")
            cv2.imwrite(path, cv2.imread(path)[..., [2, 0, 1]])
            found = {
                c[1]: c[3]
                for c in wrong(run_trial(opened, out, profile(padding=20), renders=False))
            }
            self.assertEqual(
                found, dict.fromkeys(("occlusion", "roughness", "metallic"), "channels-swapped")
            )

    def test_tiled_maps_are_left_alone(self) -> None:
        with exported(profile(padding=6)) as (_, out), exported(profile()) as (_, plain):
            for name in ("tile_ORM.png", "tile_Nrm.png"):
                self.assertEqual(
                    (out / "textures" / name).read_bytes(), (plain / "textures" / name).read_bytes()
                )

    def test_another_layout_is_another_texture(self) -> None:
        with project() as opened:
            from ektopos.export.reuse import file_hashes, texture_key
            from ektopos.images import read_header

            def keys() -> set[str]:
                plan = make_plan(
                    opened.document,
                    profile(padding=6),
                    lambda name: read_header(opened.map_path(name)),
                )
                return {
                    texture_key(file, profile(padding=6), opened, file_hashes(opened))
                    for file in plan.files
                }

            before = keys()
            lay_flat(opened.document)
            self.assertEqual(before & keys(), set())

    def test_shown_texels_are_those_under_the_islands(self) -> None:
        with project() as opened:
            lay_flat(opened.document)
            meshes = {"plates": load_mesh(opened, "plates")}
            worn, fed = resolve_inheritance(opened.document, "tile"), ["roughness"]
            shown = covered_by(opened.document, meshes, worn, fed, 64, 32)
            wanted = np.zeros((32, 64), bool)
            wanted[:16, :32] = True
            np.testing.assert_array_equal(shown, wanted)
            self.assertIsNone(covered_by(Document(), {}, worn, fed, 8, 8))


class Mips(TestCase):
    RULES = profile(files=formats("ktx2"), mips=True)

    def test_levels_arrive_as_they_were_meant(self) -> None:
        with exported(self.RULES) as (opened, out):
            levels, srgb = read_ktx2((out / "textures/tile_Col.ktx2").read_bytes())
            self.assertEqual(
                ([level.shape[0] for level in levels], srgb), ([64, 32, 16, 8, 4, 2, 1], True)
            )
            cutoff = round(0.4 * 255)
            shares = [(level[..., 3] >= cutoff).mean() for level in levels[:4]]
            np.testing.assert_allclose(shares, shares[0], atol=0.04)
            self.assertEqual(wrong(run_trial(opened, out, self.RULES, renders=False)), [])

    def test_roughness_grows_where_normals_disagree(self) -> None:
        with exported(self.RULES) as (_, out):
            rough = read_ktx2((out / "textures/tile_ORM.ktx2").read_bytes())[0]
            self.assertGreater(rough[3][..., 1].mean(), rough[0][..., 1].mean() + 5)
            np.testing.assert_allclose(rough[3][..., 2].mean(), rough[0][..., 2].mean(), atol=1)

    def test_levels_that_are_missing_or_wrong_are_found(self) -> None:
        with exported(self.RULES) as (opened, out):
            path = out / "textures/tile_Nrm.ktx2"
            levels, _ = read_ktx2(path.read_bytes())
            path.write_bytes(encode_ktx2(levels[:3], "linear"))
            found = wrong(run_trial(opened, out, self.RULES, renders=False))
            self.assertEqual({(c[1], c[3]) for c in found}, {("normal", "filter-changed")})
            self.assertIn("3 levels of 7", found[0][4])
            path.write_bytes(encode_ktx2([*levels[:2], 255 - levels[2], *levels[3:]], "linear"))
            self.assertIn("Level 2", wrong(run_trial(opened, out, self.RULES, renders=False))[0][4])

    def test_the_files_own_word_on_encoding_counts(self) -> None:
        with exported(self.RULES) as (opened, out):
            path = out / "textures/tile_Col.ktx2"
            path.write_bytes(encode_ktx2(read_ktx2(path.read_bytes())[0], "linear"))
            found = {(c[1], c[3]) for c in wrong(run_trial(opened, out, self.RULES, renders=False))}
            self.assertIn(("base_color", "wrong-encoding"), found)

    def test_damage_is_said(self) -> None:
        with exported(self.RULES) as (opened, out):
            path = out / "textures/tile_Col.ktx2"
            raw = path.read_bytes()
            for damaged in (
                raw[:90],
                raw[: len(raw) // 2],
                raw[:12] + b"\xff" + raw[13:],
                raw[:-40] + bytes(40),
            ):
                path.write_bytes(damaged)
                found = {
                    (c[1], c[3]) for c in wrong(run_trial(opened, out, self.RULES, renders=False))
                }
                self.assertIn(("base_color", "unreadable-file"), found)

    def test_padded_files_have_sound_levels_too(self) -> None:
        rules = profile(files=formats("ktx2"), mips=True, padding=8)
        with exported(rules, lay_flat) as (opened, out):
            self.assertEqual(wrong(run_trial(opened, out, rules, renders=False)), [])


class OtherFormats(TestCase):
    def test_exr_keeps_emission_above_one(self) -> None:
        files = [
            *LOOSE["files"][:3],
            {
                "suffix": "Glow",
                "channels": {"rgb": "emission"},
                "encoding": "linear",
                "format": "exr",
                "bits": 16,
            },
        ]  # type: ignore[index]
        with exported(profile(files=files)) as (opened, out):
            import OpenImageIO as oiio

            found = oiio.ImageInput.open(str(out / "textures/tile_Glow.exr"))
            self.assertEqual(str(found.spec().format), "half")
            self.assertGreater(found.read_image("float").max(), 2.0)
            found.close()
            listing = json.loads((out / "package.json").read_text())
            self.assertEqual(listing["materials"]["tile"]["inputs"]["emission"]["strength"], 1.5)
            self.assertEqual(wrong(run_trial(opened, out, profile(files=files), renders=False)), [])

    def test_dithered_files_stay_within_a_step(self) -> None:
        def finer(document: Document) -> None:
            document.materials["tile_dull"].inputs["roughness"].range = (0.2, 0.3)

        with (
            exported(profile(files=formats("png", dither=True)), finer) as (opened, out),
            exported(profile(), finer) as (_, plain),
        ):
            trial = run_trial(opened, out, profile(), renders=False)
            self.assertEqual(wrong(trial), [])
            dull = next(c for c in trial.cells if (c.slot, c.input) == ("Back", "roughness"))
            self.assertEqual((dull.verdict, dull.cause), ("close", "quantised"))
            self.assertNotEqual(
                (out / "textures/tile_dull_ORM.png").read_bytes(),
                (plain / "textures/tile_dull_ORM.png").read_bytes(),
            )

    def test_what_formats_cannot_hold_is_explained(self) -> None:
        file = LOOSE["files"][0]  # type: ignore[index]
        for words, change in {
            "EXR is linear": {"files": [file | {"format": "exr", "bits": 16}]},
            "no 16 bits for sRGB": {"files": [file | {"format": "ktx2", "bits": 16}]},
            "dithering is for 8 bits": {"files": [file | {"bits": 16, "dither": True}]},
            "only KTX2 files can bring mips": {"mips": True},
            "only USDZ can say otherwise": {"mesh": {"up": "z"}},
            "glTF takes PNG, JPEG and KTX2 with Basis Universal, not plain KTX2": {
                "container": "gltf",
                "files": [file | {"format": "ktx2"}],
            },
        }.items():
            with self.subTest(words), self.assertRaisesRegex(ValueError, words):
                profile(**change)


class Names(TestCase):
    def test_files_that_would_have_one_name_are_refused_before_anything_is_written(self) -> None:
        files = [
            {"suffix": "A", "channels": {"rgb": "base_color"}, "encoding": "srgb"},
            {"suffix": "At", "channels": {"rgb": "normal"}, "encoding": "linear"},
        ]
        rules = profile(files=files, name_rule="{suffix}{material}")
        with project() as opened, folder() as root:
            opened.document.materials["ile"] = opened.document.materials["tile"].model_copy(
                deep=True
            )
            opened.document.materials["ile"].inputs["normal"].invert = True
            opened.document.also_exported = ["ile"]
            with self.assertRaisesRegex(EktoposError, "two files would have this name"):
                export_package(opened, rules, root / "out")
            self.assertFalse((root / "out").exists())

    def test_a_file_of_one_quantity_is_grey(self) -> None:
        with exported(find_profile("single-maps")) as (_, out):
            made = cv2.imread(str(out / "textures/tile_Roughness.png"), cv2.IMREAD_UNCHANGED)
            np.testing.assert_array_equal(made[..., 0], made[..., 2])


class Sizes(TestCase):
    def test_a_materials_own_limit_makes_its_files_smaller_and_is_inherited(self) -> None:
        def limit(document: Document) -> None:
            document.materials["tile"].size_limit = 16

        with exported(profile(), limit) as (opened, out):
            for name in ("tile_ORM.png", "tile_dull_ORM.png"):
                self.assertEqual(cv2.imread(str(out / "textures" / name)).shape[:2], (16, 16))
            trial = run_trial(opened, out, profile(), renders=False)
            self.assertEqual(wrong(trial), [])
            alpha = cv2.imread(str(out / "textures/tile_Col.png"), cv2.IMREAD_UNCHANGED)[..., 3]
            whole = cv2.imread(str(opened.path("maps/tile_col.png")), cv2.IMREAD_UNCHANGED)[..., 3]
            self.assertAlmostEqual(
                (alpha >= 0.4 * 255).mean(), (whole >= 0.4 * 255).mean(), delta=0.01
            )

    def test_it_is_a_setting_that_can_be_given_back(self) -> None:
        edit = {"kind": "set-setting", "material": "m", "setting": "size_limit", "value": 512}
        document = load_document('{"ektopos": 1, "materials": {"m": {}, "n": {"from": "m"}}}')
        changed = apply_edits(document, [TypeAdapter(Edit).validate_python(edit)])
        self.assertEqual(resolve_inheritance(changed, "n").size_limit, 512)
        self.assertEqual(load_document(dump_document(changed)), changed)
        with self.assertRaises(InvalidDocument):
            apply_edits(document, [TypeAdapter(Edit).validate_python(edit | {"value": 0})])


class MeshRules(TestCase):
    def test_a_baked_transform_is_in_the_uvs_and_nowhere_else(self) -> None:
        for container in ("glb", "usdz", "loose"):
            base = built_in_profiles()[
                {"glb": "gltf-glb", "usdz": "usdz", "loose": "orm-y-minus"}[container]
            ]
            rules = Profile.model_validate(
                base.model_dump(mode="json", by_alias=True)
                | {"id": "own", "mesh": {"uv_transform": "baked"}}
            )
            with self.subTest(container), exported(rules) as (opened, out):
                self.assertEqual(wrong(run_trial(opened, out, rules, renders=False)), [])
                self.assertEqual(
                    json.loads((out / "package.json").read_text())["materials"]["tile"]["uv"], FLAT
                )
                if container == "glb":
                    gltf = pygltflib.GLTF2.load_binary(str(out / "plates.glb"))
                    self.assertNotIn("KHR_texture_transform", gltf.extensionsUsed)
                    mesh = read_mesh(out / "plates.glb")
                    front = mesh.slots.index("tile")
                    own = load_mesh(opened, "plates")
                    wanted = transform_uvs(
                        own.corner_uvs()[own.triangle_slot == 0],
                        resolve_inheritance(opened.document, "tile").uv,
                    )
                    np.testing.assert_allclose(
                        mesh.corner_uvs()[mesh.triangle_slot == front], wanted, atol=1e-5
                    )
                # The same package for a target that carries the transform is wrong, and the other
                # way round.
                self.assertIn(
                    "uv-transform-lost",
                    {c[3] for c in wrong(run_trial(opened, out, base, renders=False))},
                )

    def test_uvs_that_were_moved_in_the_mesh_are_found(self) -> None:
        for target in ("gltf-glb", "orm-y-minus"):
            rules = find_profile(target)
            with self.subTest(target), exported(rules) as (opened, out):
                path = out / "plates.glb"
                gltf = pygltflib.GLTF2.load_binary(str(path))
                accessor = gltf.accessors[gltf.meshes[0].primitives[1].attributes.TEXCOORD_0]
                start = gltf.bufferViews[accessor.bufferView].byteOffset
                blob = bytearray(gltf.binary_blob())
                moved = np.frombuffer(blob, "<f4", accessor.count * 2, start) + np.float32(0.1)
                blob[start : start + moved.nbytes] = moved.tobytes()
                gltf.set_binary_blob(bytes(blob))
                gltf.save_binary(str(path))
                found = wrong(run_trial(opened, out, rules, renders=False))
                self.assertEqual([c[:2] + c[3:4] for c in found], [("Back", "mesh", "uvs-changed")])

    def test_vertex_colours_go_only_where_they_are_asked_for(self) -> None:
        colours = "".join(f"v {x} {y} 0 0.25 0.5 1\n" for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)))
        text = colours + "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nusemtl Only\nf 1/1 2/2 3/3 4/4\n"
        with folder() as root:
            (root / "tinted.obj").write_text(text)
            (root / "p.ektopos.json").write_text(
                json.dumps(
                    {
                        "ektopos": 1,
                        "name": "p",
                        "materials": {"m": {}},
                        "meshes": {"tinted": {"file": "tinted.obj", "slots": {"Only": "m"}}},
                    }
                )
            )
            base = built_in_profiles()["gltf-glb"].model_dump(mode="json", by_alias=True)
            for asked in (False, True):
                rules = Profile.model_validate(
                    base | {"id": "own", "mesh": {"vertex_colours": asked}}
                )
                from ektopos.project import open_project

                with open_project(root) as opened:
                    export_package(opened, rules, root / f"out{asked}")
                mesh = read_mesh(root / f"out{asked}/tinted.glb")
                self.assertEqual(mesh.coloured.all(), asked)
                if asked:
                    # OBJ's colours are those seen on a screen; glTF's are linear.
                    linear = [*srgb_to_linear(np.array([0.25, 0.5, 1.0])), 1.0]
                    wanted = np.broadcast_to(linear, mesh.colours.shape)
                    np.testing.assert_allclose(mesh.colours, wanted, atol=1e-6)

    def test_usdz_can_be_centimetres_with_z_up(self) -> None:
        from pxr import Usd, UsdGeom

        base = built_in_profiles()["usdz"].model_dump(mode="json", by_alias=True)
        rules = Profile.model_validate(base | {"id": "own", "mesh": {"up": "z", "unit": "cm"}})
        with exported(rules) as (opened, out):
            stage = Usd.Stage.Open(str(out / "plates.usdz"))
            self.assertEqual(
                (UsdGeom.GetStageUpAxis(stage), UsdGeom.GetStageMetersPerUnit(stage)), ("Z", 0.01)
            )
            mesh = read_mesh(out / "plates.usdz")
            own = load_mesh(opened, "plates")
            np.testing.assert_allclose(
                np.sort(mesh.corners().reshape(-1, 3), axis=0),
                np.sort(own.corners().reshape(-1, 3), axis=0),
                atol=1e-5,
            )
            self.assertEqual(wrong(run_trial(opened, out, rules, renders=False)), [])


class Tints(TestCase):
    def test_variants_share_a_map_and_their_tints_arrive_exactly(self) -> None:
        def variant(document: Document) -> None:
            document.materials["tile_dull"].inputs["base_color"] = (
                document.materials["tile"]
                .inputs["base_color"]
                .model_copy(update={"tint": (0.3, 0.9, 0.5)})
            )

        base = built_in_profiles()["gltf-split"].model_dump(mode="json", by_alias=True)
        for way, shared in (("baked", False), ("carried", True)):
            rules = Profile.model_validate(base | {"id": "own", "tints": way})
            with self.subTest(way), exported(rules, variant) as (opened, out):
                self.assertEqual((out / "textures/tile_dull_BaseColor.png").exists(), not shared)
                trial = run_trial(opened, out, rules, renders=False)
                self.assertEqual(wrong(trial), [])
                colours = [
                    c for c in trial.cells if c.input == "base_color" and c.material != "plain"
                ]
                self.assertEqual({c.verdict for c in colours}, {"same"} if shared else {"close"})
                gltf = json.loads((out / "plates.gltf").read_text())
                factor = gltf["materials"][1]["pbrMetallicRoughness"]["baseColorFactor"]
                self.assertEqual(factor, [0.3, 0.9, 0.5, 1.0] if shared else [1.0] * 4)
                gltf["materials"][1]["pbrMetallicRoughness"]["baseColorFactor"] = [1.0] * 4
                (out / "plates.gltf").write_text(json.dumps(gltf))
                self.assertEqual(bool(wrong(run_trial(opened, out, rules, renders=False))), shared)

    def test_what_a_factor_cannot_say_is_baked(self) -> None:
        def brighter(document: Document) -> None:
            document.materials["tile"].inputs["base_color"].tint = (1.5, 1.0, 1.0)

        base = built_in_profiles()["gltf-glb"].model_dump(mode="json", by_alias=True)
        rules = Profile.model_validate(base | {"id": "own", "tints": "carried"})
        with exported(rules, brighter) as (opened, out):
            self.assertEqual(wrong(run_trial(opened, out, rules, renders=False)), [])
        with self.assertRaisesRegex(ValueError, "only glTF has factors"):
            profile(tints="carried")


class LeftOut(TestCase):
    def test_what_stays_behind_is_in_no_file_and_no_cell(self) -> None:
        edits = [{"kind": "leave-out", "what": "materials", "names": ["tile_dull"], "out": True}]
        with project() as opened, folder() as root:
            changed = apply_edits(
                opened.document, [TypeAdapter(Edit).validate_python(e) for e in edits]
            )
            opened = OpenProject(changed, opened.find)
            rules = find_profile("orm-y-minus")
            export = export_package(opened, rules, root / "out")
            self.assertFalse([f.path for f in export.files if "dull" in f.path])
            trial = run_trial(opened, root / "out", rules, renders=False)
            self.assertEqual(wrong(trial), [])
            self.assertEqual({c.material for c in trial.cells}, {"tile", None, "plain"})

    def test_a_mesh_left_behind_and_renamed_things(self) -> None:
        document = load_document(
            '{"ektopos": 1, "materials": {"a": {}, "b": {"from": "a"}}, "meshes": {"m": {"file": "m.glb"}}}'
        )
        edits = [
            {"kind": "leave-out", "what": "meshes", "names": ["m"], "out": True},
            {"kind": "leave-out", "what": "materials", "names": ["a"], "out": True},
            {"kind": "rename-material", "material": "a", "name": "c"},
        ]
        changed = apply_edits(document, [TypeAdapter(Edit).validate_python(e) for e in edits])
        self.assertEqual(changed.left_out.materials, ["c"])
        self.assertEqual(changed.exported().meshes, {})
        plan = make_plan(changed, find_profile("gltf-glb"), lambda name: None)  # type: ignore[arg-type, return-value]
        self.assertEqual(list(plan.materials), ["b"])
        self.assertEqual(load_document(dump_document(changed)), changed)


class MadeElsewhere(TestCase):
    """Packages without a list, as another tool or a hand would leave them."""

    def test_a_loose_package_is_read_by_names_and_its_material_document(self) -> None:
        with exported(profile()) as (opened, out):
            (out / "package.json").unlink()
            found = wrong(run_trial(opened, out, profile(), renders=False))
            # All that an engine reads is in the mesh, the maps and the document.
            self.assertEqual(found, [])
            arguments = [
                "trial",
                str(out),
                "--against",
                str(opened.path("test.ektopos.json")),
                "--target",
                "orm-y-minus",
            ]
            self.assertEqual(main([*arguments, "--no-renders"]), 0)

    def test_without_any_document_only_the_maps_arrive(self) -> None:
        with exported(profile()) as (opened, out):
            (out / "package.json").unlink()
            (out / "materials.mtlx").unlink()
            found = wrong(run_trial(opened, out, profile(), renders=False))
            causes = {c[1]: c[3] for c in found if c[0] == "Front"}
            self.assertNotIn("opacity", causes, "the GLB says the alpha mode and its cut-off")
            self.assertEqual(causes["settings"], "uv-transform-lost")
            self.assertNotIn("roughness", causes)
            self.assertNotIn("base_color", causes)

    def test_a_folder_without_a_mesh_is_said(self) -> None:
        with exported(profile()) as (opened, out):
            (out / "package.json").unlink()
            (out / "plates.glb").unlink()
            trial = run_trial(opened, out, profile(), renders=False)
            self.assertEqual({c.cause for c in trial.cells}, {"missing-file"})

    def test_a_copied_glb_alone_is_enough(self) -> None:
        with exported(find_profile("gltf-glb")) as (opened, out), folder() as other:
            shutil.copy(out / "plates.glb", other / "their.glb")
            self.assertEqual(
                wrong(run_trial(opened, other, find_profile("gltf-glb"), renders=False)), []
            )

    def test_slots_without_our_marks_are_found_by_what_they_bind(self) -> None:
        def same(document: Document) -> None:
            """Two slots that wear one material can be told apart by where they are."""
            document.meshes["plates"].slots["Bare"] = "tile"

        for target in ("gltf-glb", "usdz"):
            for change in (None, same):
                rules = find_profile(target)
                with self.subTest(target, change=change), exported(rules, change) as (opened, out):
                    (out / "package.json").unlink()
                    (path,) = out.glob("plates.*")
                    bare = unmarked(path)
                    path.unlink()
                    (out / f"theirs{path.suffix}").write_bytes(bare)
                    self.assertEqual(wrong(run_trial(opened, out, rules, renders=False)), [])


def unmarked(path: Path) -> bytes:
    """A container without what only this project's writers put into it."""
    if path.suffix == ".usdz":
        content = io.BytesIO()
        with zipfile.ZipFile(path) as packed, zipfile.ZipFile(content, "w") as bare:
            for entry in packed.infolist():
                held = packed.read(entry)
                if entry.filename.endswith(".usda"):
                    lines = held.decode().splitlines()
                    held = "\n".join(x for x in lines if "userProperties" not in x).encode()
                bare.writestr(entry.filename, held)
        return content.getvalue()
    gltf = pygltflib.GLTF2.load_binary(str(path))
    for mesh in gltf.meshes:
        mesh.name = "theirs"
        for primitive in mesh.primitives:
            primitive.extras = {}
    return b"".join(gltf.save_to_bytes())
