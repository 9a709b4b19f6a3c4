"""Textures that stay compressed in graphics memory: what is planned, what arrives, and that no
mistake hides behind what a codec loses."""

from __future__ import annotations

import io
import os
from collections.abc import Callable
from contextlib import redirect_stderr
from unittest import TestCase, mock

import cv2
import numpy as np

from ektopos.base.errors import EktoposError
from ektopos.cli.main import main
from ektopos.document import Document
from ektopos.export.differences import converted
from ektopos.export.plan import Plan, make_plan
from ektopos.export.profile import Profile, find_profile
from ektopos.export.write_package import export_package
from ektopos.images import basis as encoder
from ektopos.images import read_header
from ektopos.images.basis import encode_basis
from ektopos.trial.compare import Trial, run_trial
from ektopos.trial.engine.basis import read_basis
from tests.core.test_rules import LOOSE, exported, formats, profile, wrong
from tests.samples import folder, noise, project, project_folder, save

UASTC = profile(files=formats("ktx2", basis="uastc", quality="high"), mips=True)
SMALL = [
    file | {"format": "ktx2", "basis": "uastc" if file["suffix"] == "Nrm" else "etc1s"}
    for file in LOOSE["files"]  # type: ignore[attr-defined]
]
ETC1S = profile(files=SMALL, mips=True)
NO_MIPS = profile(files=SMALL)
COL, ORM, NRM = (f"textures/tile_{suffix}.ktx2" for suffix in ("Col", "ORM", "Nrm"))


def smooth(document: Document) -> None:
    """Leave the cut-out away: codecs lose a lot of what flips from texel to texel."""
    for name in ("tile", "tile_dull"):
        document.materials[name].alpha_mode = "opaque"


def plan_of(rules: Profile, change: Callable[[Document], None] | None = None) -> Plan:
    with project() as opened:
        if change:
            change(opened.document)
        return make_plan(opened.document, rules, lambda name: read_header(opened.map_path(name)))


def causes(trial: Trial) -> set[tuple[str, str]]:
    return {(cell[1], cell[3]) for cell in wrong(trial)}


class Planned(TestCase):
    def test_what_etc1s_cannot_hold_becomes_uastc(self) -> None:
        """Its encoder makes its own smaller levels, as plain means: no coverage, no roughening."""

        def chosen(rules: Profile, change: Callable[[Document], None] | None = None) -> dict:
            return {f.path: f.basis and f.basis[0] for f in plan_of(rules, change).files}

        with_cut_out = chosen(ETC1S)
        self.assertEqual((with_cut_out[COL], with_cut_out[ORM]), ("uastc", "uastc"))
        self.assertEqual(with_cut_out["textures/tile_Glow.ktx2"], "etc1s")
        self.assertEqual(chosen(ETC1S, smooth)[COL], "etc1s")
        self.assertEqual(chosen(NO_MIPS)[COL], "etc1s")
        self.assertEqual(set(chosen(profile(files=formats("ktx2"))).values()), {None})

    def test_they_take_in_graphics_memory_what_their_blocks_take(self) -> None:
        """16 bytes for 4 × 4 texels, of the levels that are there."""

        def memory(rules: Profile) -> int:
            (file,) = (
                f for f in plan_of(rules).files if f.suffix == "ORM" and "dull" not in f.path
            )
            return file.memory

        self.assertEqual(memory(NO_MIPS), 64 * 64)
        self.assertEqual(memory(UASTC), 16 * (256 + 64 + 16 + 4 + 1 + 1 + 1))
        self.assertEqual(memory(profile(files=formats("ktx2"))), 4 * (4**7 - 1) // 3)

    def test_sides_are_whole_blocks(self) -> None:
        """Source: KHR_texture_basisu: multiples of 4."""

        def odd(document: Document) -> None:
            document.materials["tile"].size_limit = 30

        for rules, change, wanted in (
            (UASTC, odd, 28),
            (profile(files=formats("ktx2", basis="uastc"), size_limit=2), None, 4),
            (profile(files=formats("ktx2"), size_limit=30), None, 30),
        ):
            plan = plan_of(rules, change)
            (file,) = (f for f in plan.files if f.path == ORM)
            self.assertEqual((file.width, file.height), (wanted, wanted))

    def test_a_small_odd_map_gets_more_texels_and_arrives(self) -> None:
        for size in ((1, 1), (3, 5), (18, 30)):
            with self.subTest(size), project() as opened, folder() as root:
                save(opened.map_path("tile_orm"), noise(32, 3)[: size[0], : size[1]])
                export = export_package(opened, UASTC, root / "out")
                (file,) = (f for f in export.files if f.path == ORM)
                self.assertEqual((file.width or 1) % 4 + (file.height or 1) % 4, 0)
                self.assertEqual(wrong(run_trial(opened, root / "out", UASTC, renders=False)), [])

    def test_what_makes_no_sense_is_refused(self) -> None:
        base = formats("ktx2", basis="etc1s")
        for words, change in (
            ("ETC1S bends normals", {"files": base}),
            ("8 bits", {"files": [base[1] | {"bits": 16}]}),
            ("Basis Universal is for KTX2", {"files": [base[1] | {"format": "png"}]}),
        ):
            with self.assertRaisesRegex(ValueError, words):
                profile(**change)
        glb = find_profile("gltf-ktx2").model_dump(mode="json", by_alias=True)
        with self.assertRaisesRegex(ValueError, "USDZ takes PNG and JPEG"):
            Profile.model_validate(glb | {"container": "usdz"})

    def test_what_it_costs_is_said(self) -> None:
        with project() as opened:
            header_of = lambda name: read_header(opened.map_path(name))  # noqa: E731
            plan = make_plan(opened.document, NO_MIPS, header_of)
            words = converted(plan, NO_MIPS, header_of)
        self.assertIn("normal as UASTC, which changes texels a little", words)
        self.assertIn("no mips, which nobody can add to compressed textures later", words)


class Arrives(TestCase):
    def test_all_is_there_but_for_what_the_codec_loses(self) -> None:
        for rules, change in ((UASTC, None), (ETC1S, None), (ETC1S, smooth), (NO_MIPS, None)):
            with self.subTest(rules), exported(rules, change) as (opened, out):
                trial = run_trial(opened, out, rules, renders=False)
                self.assertEqual(wrong(trial), [])
                (normal,) = (c for c in trial.cells if (c.slot, c.input) == ("Front", "normal"))
                self.assertEqual((normal.verdict, normal.cause), ("close", "compressed"))
                self.assertRegex(normal.message, r"^UASTC changes it by up to [\d.]+ degrees")

    def test_inside_a_glb_too(self) -> None:
        rules = find_profile("gltf-ktx2")
        for container in ("glb", "gltf", "gltf-embedded"):
            changed = Profile.model_validate(
                rules.model_dump(mode="json", by_alias=True) | {"container": container}
            )
            with self.subTest(container), exported(changed) as (opened, out):
                self.assertEqual(wrong(run_trial(opened, out, changed, renders=False)), [])

    def test_tints_that_go_beside_do_not_look_like_a_mistake(self) -> None:
        rules = Profile.model_validate(
            find_profile("gltf-ktx2").model_dump(mode="json", by_alias=True) | {"tints": "carried"}
        )
        with exported(rules) as (opened, out):
            self.assertEqual(wrong(run_trial(opened, out, rules, renders=False)), [])

    def test_coverage_is_kept_in_smaller_levels(self) -> None:
        with exported(UASTC) as (_, out):
            levels = read_basis((out / COL).read_bytes())[0]
        shares = [(level[..., 3] >= round(0.4 * 255)).mean() for level in levels[:3]]
        np.testing.assert_allclose(shares, shares[0], atol=0.06)

    def test_what_was_made_from_the_same_is_not_made_again(self) -> None:
        with exported(UASTC) as (opened, out), mock.patch.object(encoder, "_run") as asked:
            opened.document.materials["plain"].surface_tag = "stone"
            export_package(opened, UASTC, out)
        asked.assert_not_called()


def flipped(levels: list[np.ndarray]) -> list[np.ndarray]:
    return [_with(level, 1, 255 - level[..., 1]) for level in levels]


def swapped(levels: list[np.ndarray]) -> list[np.ndarray]:
    return [np.ascontiguousarray(level[..., [2, 1, 0]]) for level in levels]


def inverted_green(levels: list[np.ndarray]) -> list[np.ndarray]:
    return flipped(levels)


def brighter(levels: list[np.ndarray]) -> list[np.ndarray]:
    return [np.clip(level.astype(int) + 9, 0, 255).astype(np.uint8) for level in levels]


def decoded_twice(levels: list[np.ndarray]) -> list[np.ndarray]:
    def curve(level: np.ndarray) -> np.ndarray:
        return np.asarray(np.round((level / 255) ** 2.2 * 255), np.uint8)

    return [np.dstack([curve(level[..., :3]), level[..., 3:]]) for level in levels]


def spotted(levels: list[np.ndarray]) -> list[np.ndarray]:
    changed = levels[0].copy()
    changed[20:32, 20:32] = 0
    return [changed, *levels[1:]]


def other_level(levels: list[np.ndarray]) -> list[np.ndarray]:
    return [*levels[:2], 255 - levels[2], *levels[3:]]


def few_levels(levels: list[np.ndarray]) -> list[np.ndarray]:
    return levels[:3]


def _with(level: np.ndarray, channel: int, values: np.ndarray) -> np.ndarray:
    changed = level.copy()
    changed[..., channel] = values
    return changed


TAMPERINGS: list[tuple[str, Callable, str, str]] = [
    (NRM, flipped, "normal", "green-flipped"),
    (NRM, few_levels, "normal", "filter-changed"),
    (NRM, other_level, "normal", "filter-changed"),
    (ORM, swapped, "metallic", "channels-swapped"),
    (ORM, inverted_green, "roughness", "inverted"),
    (ORM, brighter, "metallic", "unknown"),
    (ORM, spotted, "metallic", "unknown"),
    (COL, decoded_twice, "base_color", "wrong-encoding"),
]


class NoMistakeHides(TestCase):
    def test_every_tampering_is_found_behind_the_loss(self) -> None:
        with exported(UASTC) as (opened, out):
            for file, tamper, name, cause in TAMPERINGS:
                with self.subTest(file, tamper=tamper.__name__):
                    sound = (out / file).read_bytes()
                    levels, is_srgb, _ = read_basis(sound)
                    changed = tamper([np.ascontiguousarray(level) for level in levels])
                    encoding = "srgb" if is_srgb else "linear"
                    (out / file).write_bytes(encode_basis(changed, encoding, "uastc", "high"))
                    found = causes(run_trial(opened, out, UASTC, renders=False))
                    self.assertIn((name, cause), found)
                    (out / file).write_bytes(sound)
            self.assertEqual(wrong(run_trial(opened, out, UASTC, renders=False)), [])

    def test_a_jpeg_with_green_turned_round_is_not_taken_for_a_loss(self) -> None:
        with project() as opened, folder() as root:
            rules = find_profile("gltf-split")
            export_package(opened, rules, root / "out")
            (path,) = (root / "out/textures").glob("tile_Normal.png")
            pixels = cv2.imread(str(path))
            # Weak bumps, so that all of it stays within what a poor JPEG may lose.
            pixels[..., 1] = 255 - pixels[..., 1]
            path.write_bytes(cv2.imencode(".jpg", pixels, [1, 60])[1].tobytes())
            found = causes(run_trial(opened, root / "out", rules, renders=False))
        self.assertIn(("normal", "green-flipped"), found)

    def test_the_texture_of_another_material_is_named(self) -> None:
        with exported(UASTC) as (opened, out):
            dull = out / "textures/tile_dull_ORM.ktx2"
            (out / ORM).write_bytes(dull.read_bytes())
            found = causes(run_trial(opened, out, UASTC, renders=False))
        self.assertEqual({name for name, _ in found}, {"roughness"})

    def test_damage_is_said(self) -> None:
        with exported(UASTC) as (opened, out):
            raw = (out / COL).read_bytes()
            head = bytearray(raw)
            head[20:28] = (2**16).to_bytes(4, "little") * 2
            odd = bytearray(raw)
            odd[20:24] = (63).to_bytes(4, "little")
            for damaged in (raw[:90], raw[: len(raw) // 2], bytes(head), bytes(odd)):
                (out / COL).write_bytes(damaged)
                found = causes(run_trial(opened, out, UASTC, renders=False))
                self.assertIn(("base_color", "unreadable-file"), found)

    def test_no_byte_brings_the_reader_down(self) -> None:
        rng = np.random.default_rng(3)
        for kind in ("etc1s", "uastc"):
            raw = encode_basis([noise(32, 1, 4)], "srgb", kind, "low")  # type: ignore[arg-type]
            for _ in range(200):
                damaged = bytearray(raw)
                for at in rng.integers(12, len(raw), 3):
                    damaged[at] = int(rng.integers(0, 256))
                try:
                    levels = read_basis(bytes(damaged))[0]
                except ValueError:
                    continue
                self.assertTrue(all(level.dtype == np.uint8 for level in levels))


class AnEncoderThatHangs(TestCase):
    def test_it_is_ended_and_asked_again_and_given_up_in_a_sentence(self) -> None:
        real, pixels = encoder.encoder_path(), [noise(16)]
        meant = encode_basis(pixels, "srgb", "uastc", "low")
        with folder() as root, mock.patch.multiple(encoder, _PATIENCE=2.0):
            for hangs, comes in ((1, True), (9, False)):
                script, count = root / f"encoder-{hangs}", root / f"tries-{hangs}"
                script.write_text(
                    f"#!/bin/sh\necho x >> {count}\n"
                    f'[ "$(wc -l < {count})" -gt {hangs} ] || exec sleep 600\nexec "{real}" "$@"\n'
                )
                script.chmod(0o700)
                with (
                    self.subTest(hangs=hangs),
                    mock.patch.dict(os.environ, EKTOPOS_BASISU=str(script)),
                ):
                    if comes:
                        self.assertEqual(encode_basis(pixels, "srgb", "uastc", "low"), meant)
                        continue
                    with self.assertRaisesRegex(EktoposError, "did not end within 2 s"):
                        encode_basis(pixels, "srgb", "uastc", "low")
                    self.assertEqual(len(count.read_text().split()), 3)


class WithoutItsEncoder(TestCase):
    def test_it_is_said_and_nothing_is_lost(self) -> None:
        with (
            folder() as root,
            mock.patch.object(encoder, "_PACKAGE", root / "none"),
            mock.patch.dict(os.environ, {"PATH": str(root)}),
        ):
            project_folder(root / "p")
            (root / "out").mkdir()
            (root / "out/mine.txt").write_text("kept")
            said = io.StringIO()
            with redirect_stderr(said):
                code = main(
                    [
                        "export",
                        str(root / "p"),
                        "--target",
                        "gltf-ktx2",
                        "--out",
                        str(root / "out"),
                    ]
                )
            self.assertEqual(code, 2)
            self.assertIn("KTX2 with Basis Universal: its encoder is not set up", said.getvalue())
            self.assertEqual([p.name for p in (root / "out").iterdir()], ["mine.txt"])

    def test_what_it_says_of_an_error_is_passed_on(self) -> None:
        with folder() as root:
            fake = root / "basisu"
            fake.write_text("#!/bin/sh\necho out of memory\nexit 1\n")
            fake.chmod(0o755)
            with (
                mock.patch.dict(os.environ, {"EKTOPOS_BASISU": str(fake)}),
                self.assertRaisesRegex(EktoposError, "out of memory"),
            ):
                encode_basis([noise(8, 1, 3)], "linear", "uastc", "low")
