"""Matching maps to slots: layouts made here at random, painted with what is not the project's own
code. Invented data; no source."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np

from ektopos.matching import match_maps, read_match_map
from ektopos.matching.image_spectra import is_pattern, spectra_of
from ektopos.matching.name_similarity import alike, near
from ektopos.meshes import Mesh
from tests.samples import folder, noise, save

SIZE = 256


def islands(rng: np.random.Generator) -> list[np.ndarray]:
    """Rectangles from splitting the square again and again, with gaps, some left out."""
    boxes = [(0.01, 0.01, 0.99, 0.99)]
    while len(boxes) < 8:
        i = max(
            range(len(boxes)),
            key=lambda k: (
                (boxes[k][2] - boxes[k][0]) * (boxes[k][3] - boxes[k][1]) * rng.uniform(0.5, 1)
            ),
        )
        u0, v0, u1, v1 = boxes.pop(i)
        t = rng.uniform(0.35, 0.65)
        if u1 - u0 > v1 - v0:
            boxes += [(u0, v0, u0 + (u1 - u0) * t, v1), (u0 + (u1 - u0) * t, v0, u1, v1)]
        else:
            boxes += [(u0, v0, u1, v0 + (v1 - v0) * t), (u0, v0 + (v1 - v0) * t, u1, v1)]
    return [
        np.array([(a, b), (c, b), (c, d), (a, d)])
        + [0.012, 0.012] * np.array([[1, 1], [-1, 1], [-1, -1], [1, -1]])
        for a, b, c, d in boxes[:7]
    ]


def mesh_of(layouts: list[list[np.ndarray]]) -> Mesh:
    positions, uvs, triangles, owner = [], [], [], []
    for slot, layout in enumerate(layouts):
        for quad in layout:
            start = len(positions)
            positions += [(u + 2 * slot, v, 0.0) for u, v in quad]
            uvs += list(quad)
            triangles += [(start, start + 1, start + 2), (start, start + 2, start + 3)]
            owner += [slot, slot]
    count = len(positions)
    return Mesh(
        "m",
        np.array(positions),
        np.array(triangles, np.int32),
        np.array(owner, np.int32),
        tuple(f"{17 * i + 9:02x}_{i:02x}" for i in range(len(layouts))),
        np.zeros(count, np.int32),
        np.tile(np.array([0, 0, 1], np.float32), (count, 1)),
        np.array(uvs, np.float32),
        np.zeros(count, bool),
        np.zeros(count, bool),
        (0,) * len(layouts),
        (1,) * len(layouts),
    )


def painted(layout: list[np.ndarray], rng: np.random.Generator, background: str) -> np.ndarray:
    labels = np.zeros((SIZE, SIZE), np.int32)
    for i, quad in enumerate(layout):
        cv2.fillPoly(labels, [np.round(quad * SIZE).astype(np.int32)], i + 1)
    inside = labels > 0
    colours = np.clip(0.5 + rng.normal(0, 0.12, (len(layout) + 1, 3)), 0.05, 0.95)
    grain = noise(SIZE, int(rng.integers(1000)), 1).astype(np.float32) / 255
    picture = colours[labels] * (0.75 + 0.25 * grain)
    if background == "black":
        picture[~inside] = 0
    else:
        _, nearest = cv2.distanceTransformWithLabels(
            (~inside).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
        )
        table = np.zeros((int(nearest.max()) + 1, 3))
        table[nearest[inside]] = picture[inside]
        picture = table[nearest]
        if background == "padded":
            picture[cv2.dilate(inside.astype(np.uint8), np.ones((7, 7))) == 0] = 0.5
    return np.round(picture * 255).astype(np.uint8)


class FromTheLayoutAlone(TestCase):
    def test_the_right_map_is_first_with_meaningless_names_on_both_sides(self) -> None:
        first = second = total = 0
        for seed in range(4):
            rng = np.random.default_rng(seed)
            layouts = [islands(rng) for _ in range(3)]
            with folder() as root:
                wanted = {}
                for slot, (layout, background) in enumerate(
                    zip(layouts, ("black", "padded", "dilated"), strict=True)
                ):
                    wanted[slot] = str(
                        save(
                            root / f"{rng.integers(2**30):08x}.png",
                            painted(layout, rng, background),
                        )
                    )
                for decoy in range(2):
                    save(root / f"{rng.integers(2**30):08x}.png", noise(SIZE, 50 + decoy))
                maps = [read_match_map(str(path), path) for path in sorted(root.iterdir())]
                found = match_maps(mesh_of(layouts), maps)
                for slot, (candidates, sets) in enumerate(found.values()):
                    ranks = [wanted[slot] in sets[candidate.set] for candidate in candidates]
                    first += ranks[0]
                    second += any(ranks[:2])
                    total += 1
        self.assertGreaterEqual(first / total, 0.92)
        self.assertGreaterEqual(second / total, 0.97)

    def test_names_count_where_they_mean_something_and_are_said(self) -> None:
        layouts = [islands(np.random.default_rng(9))]
        mesh = mesh_of(layouts)
        named = Mesh(**{**vars(mesh), "slots": ("Brass_Tube",)})
        with folder() as root:
            save(root / "brass_tube_col.png", noise(SIZE, 1))
            save(root / "oak_col.png", noise(SIZE, 2))
            maps = [read_match_map(str(path), path) for path in sorted(root.iterdir())]
            candidates, _ = match_maps(named, maps)["Brass_Tube"]
        self.assertEqual(candidates[0].set, "brass_tube")
        self.assertIn("names are alike", " ".join(candidates[0].reasons))

    def test_a_repeating_picture_speaks_for_no_layout(self) -> None:
        with folder() as root:
            save(root / "1a2b3c.png", noise(SIZE, 3))
            maps = [read_match_map(str(path), path) for path in root.iterdir()]
            candidates, _ = next(
                iter(match_maps(mesh_of([islands(np.random.default_rng(1))]), maps).values())
            )
        self.assertLess(candidates[0].score, 0.8)

    def test_a_picture_that_paints_more_than_the_slot_uses_points_to_sharing(self) -> None:
        rng = np.random.default_rng(5)
        whole = islands(rng)
        halves = [whole[:4], whole[4:]]
        with folder() as root:
            save(root / "77aa.png", painted(whole, rng, "black"))
            save(root / "77bb.png", noise(SIZE, 8))
            maps = [read_match_map(str(path), path) for path in sorted(root.iterdir())]
            found = match_maps(mesh_of(halves), maps)
            alone = match_maps(mesh_of([whole]), maps)
        for candidates, _ in found.values():
            self.assertEqual(candidates[0].set, "77aa")
            self.assertIn("others may share", " ".join(candidates[0].reasons))
        for candidates, _ in alone.values():
            self.assertNotIn("others may share", " ".join(candidates[0].reasons))


def cube(cells: list[tuple[int, int]]) -> Mesh:
    """A cube of six faces that share their corners, each face an island in a cell of a 3 × 3 grid, with
    a little room around."""
    corners = np.array([(x, y, z) for x in (0, 1) for y in (0, 1) for z in (0, 1)], np.float64)
    sides = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    flat = np.array([(0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9)])
    uvs = np.concatenate([(flat + cell) / 3 for cell in cells])
    start = 4 * np.arange(6)[:, None]
    halves = np.array([(0, 1, 2), (0, 2, 3)])
    triangles = (start + halves.reshape(1, 6)).reshape(12, 3).astype(np.int32)
    return Mesh(
        "m",
        corners[np.array(sides).ravel()],
        triangles,
        np.zeros(12, np.int32),
        ("0a_17",),
        np.zeros(24, np.int32),
        np.tile(np.array([0, 0, 1], np.float32), (24, 1)),
        uvs.astype(np.float32),
        np.full((24, 4), np.nan, np.float32),
        np.zeros(24, bool),
        (0,),
        (1,),
    )


def solid(mesh: Mesh, seed: int) -> np.ndarray:
    """A picture of a colour that goes on through space, painted on the cube as far as the next face:
    without a background, and without an edge at any border."""
    waves = np.random.default_rng(seed).uniform(-6, 6, (3, 3, 4))
    cells = (np.stack(np.meshgrid(range(SIZE), range(SIZE)), axis=-1) + 0.5) / SIZE
    picture = np.full((SIZE, SIZE, 3), 0.5)
    for face in range(6):
        place, uv = (part[4 * face : 4 * face + 4] for part in (mesh.positions, mesh.uvs))
        low, span = uv[0], uv[2] - uv[0]
        t = (cells - low) / span
        own = (np.abs(t - 0.5) <= 0.625 + 1e-9).all(axis=2)
        t = np.clip(t[own], 0, 1)
        at = place[0] + t[:, :1] * (place[1] - place[0]) + t[:, 1:] * (place[3] - place[0])
        phase = np.einsum("nd,cdk->nck", at, waves)
        picture[own] = 0.5 + 0.12 * np.sin(phase + np.arange(4)).sum(axis=2)
    return np.round(np.clip(picture, 0, 1) * 255).astype(np.uint8)


def grainy(layout: list[np.ndarray], rng: np.random.Generator) -> np.ndarray:
    picture = painted(layout, rng, "dilated").astype(np.float64)
    return np.clip(picture + rng.normal(0, 25.5, picture.shape), 0, 255).astype(np.uint8)


class FromTheSurface(TestCase):
    def test_colours_that_go_on_across_seams_find_a_picture_without_borders(self) -> None:
        rng = np.random.default_rng(3)
        grid = [(x, y) for x in range(3) for y in range(3)]
        first = 0
        for seed in range(6):
            meshes = [cube([grid[i] for i in rng.permutation(9)[:6]]) for _ in range(8)]
            with folder() as root:
                paths = [
                    save(root / f"{17 * i + 160:02x}4{i}b.png", solid(mesh, 100 * seed + i))
                    for i, mesh in enumerate(meshes)
                ]
                maps = [read_match_map(str(path), path) for path in paths]
                ((candidates, sets),) = match_maps(meshes[0], maps).values()
            right = str(paths[0]) in sets[candidates[0].set]
            first += right
            if right:
                self.assertIn("colours go on across the seams", " ".join(candidates[0].reasons))
        self.assertGreaterEqual(first, 5)

    def test_slots_beside_each_other_in_one_atlas_are_judged_together(self) -> None:
        # Small islands of a slot each, under grain: one by one they tell little (4 of 21 right).
        right = total = 0
        for seed in range(3):
            rng = np.random.default_rng(seed)
            own, *others = ([0.4 + 0.3 * quad for quad in islands(rng)] for _ in range(12))
            with folder() as root:
                atlas = save(root / "31af.png", grainy(own, rng))
                for i, other in enumerate(others):
                    save(root / f"{i:x}9c{i}.png", grainy(other, rng))
                maps = [read_match_map(str(path), path) for path in sorted(root.iterdir())]
                for candidates, sets in match_maps(mesh_of([[q] for q in own]), maps).values():
                    found = str(atlas) in sets[candidates[0].set]
                    if found:
                        self.assertIn("in one atlas", " ".join(candidates[0].reasons))
                    right += found
                    total += 1
        self.assertGreaterEqual(right / total, 0.8)


class Names(TestCase):
    SETS = ("brass_tube", "brass_tube_worn", "oak", "7fa1c2")

    def best(self, slot: str, mesh: str = "", *, only: bool = False) -> tuple[str, float]:
        found = alike(slot, mesh, self.SETS, only_slot=only)
        name = max(found, key=lambda name: found[name])
        return name, found[name]

    def test_the_set_that_says_no_more_is_most_alike(self) -> None:
        self.assertEqual(self.best("Brass_Tube"), ("brass_tube", 1.0))
        name, share = self.best("BrassTubeWorn_mat")
        self.assertEqual(name, "brass_tube_worn")
        self.assertGreater(share, 0.95)

    def test_a_mesh_names_its_only_slot_and_less_surely_one_of_many(self) -> None:
        self.assertEqual(self.best("lambert5", "oak", only=True), ("oak", 1.0))
        self.assertLess(self.best("lambert5", "oak")[1], 0.8)

    def test_codes_numbers_and_words_for_anything_say_nothing(self) -> None:
        for slot in ("7fa1c2", "a1f3", "material_12", "None.004", "slot_3", "x"):
            self.assertEqual(self.best(slot)[1], 0.0, slot)

    def test_words_that_no_set_has_make_a_name_less_full(self) -> None:
        self.assertLess(self.best("oak_bench_lid")[1], 0.8)


class Folders(TestCase):
    def test_a_folder_tells_by_how_few_sets_lie_in_it(self) -> None:
        folders = {"a": "props/lamp", "b": "props/oar", "c": "props/oar/more", "d": "trims"}
        found = near("props/oar/oar", folders)
        self.assertEqual([found["a"] < found["b"], found["b"], found["d"]], [True, found["c"], 0.0])
        self.assertEqual(near("props/lamp/lamp", folders)["a"], 1.0)
        # One root for maps and another for meshes.
        self.assertEqual(near("meshes/lamp", folders)["a"], 1.0)

    def test_folders_that_all_share_or_that_are_called_alike_say_nothing(self) -> None:
        self.assertEqual(set(near("all/x", {"a": "all", "b": "all"}).values()), {0.0})
        several = {"a": "lamp/textures", "b": "oar/textures", "c": "sail"}
        self.assertEqual(set(near("buoy/textures/buoy", several).values()), {0.0})
        self.assertEqual(near("buoy", {}), {})

    def test_of_two_pictures_that_fit_nothing_the_one_in_the_folder_of_the_mesh_is_first(
        self,
    ) -> None:
        mesh = mesh_of([islands(np.random.default_rng(3))])
        with folder() as root:
            for name, seed in (("lamp", 1), ("oar", 2), ("sail", 3)):
                (root / name).mkdir()
                save(root / name / f"{seed}a{seed}.png", noise(SIZE, seed))
            maps = [read_match_map(str(path), path) for path in sorted(root.rglob("*.png"))]
            home = str(root.resolve() / "oar" / "m")
            ((candidates, sets),) = match_maps(mesh, maps, home).values()
            self.assertEqual(sets[candidates[0].set], [str(root / "oar" / "2a2.png")])
        self.assertIn("its maps lie in the folder of the mesh", candidates[0].reasons)
        self.assertFalse(candidates[0].sure, "a folder alone makes nothing sure")


class Patterns(TestCase):
    def test_checkers_and_grids_repeat_and_pictures_do_not(self) -> None:
        y, x = np.mgrid[:SIZE, :SIZE]
        checker = ((x // 32 + y // 32) % 2).astype(np.float32)
        coarse = ((x // 128 + y // 128) % 2).astype(np.float32)
        grid = ((x % 64 < 3) | (y % 64 < 3)).astype(np.float32)
        for picture in (checker, coarse, grid):
            self.assertTrue(is_pattern(spectra_of(picture)))
        layout = islands(np.random.default_rng(2))
        for background in ("black", "dilated"):
            made = painted(layout, np.random.default_rng(2), background)
            self.assertFalse(is_pattern(spectra_of(made.astype(np.float32) / 255)))
        self.assertFalse(is_pattern(spectra_of(np.full((SIZE, SIZE), 0.5, np.float32))))
