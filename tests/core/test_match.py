"""Matching maps to slots: layouts made here at random, painted with what is not the project's own
code. Invented data; no source."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np

from ektopos.matching import match_maps, read_match_map
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
