"""Match maps to the slots of a mesh: read both, group the maps, rank the groups for every slot.

`layout` compares pictures with layouts; here files become pictures, and names are counted in
where they mean something.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ektopos.base.types import Float
from ektopos.document import Document
from ektopos.images import Image, as_float, read_header, read_image, resize
from ektopos.maps import Facts, identify
from ektopos.maps.evidence import TILES_BELOW
from ektopos.maps.identify import facts_of_image
from ektopos.maps.sets import maps_of_set, sets_of, tile_of, tiles_among
from ektopos.matching.image_spectra import ImageSpectra, is_pattern, spectra_of
from ektopos.matching.layout import layout_of
from ektopos.matching.name_similarity import alike, near
from ektopos.matching.rank import Candidate, Told, match
from ektopos.matching.surface import slot_surface
from ektopos.meshes import Mesh

Sets = Mapping[str, list[str]]
"""The maps of every set, by its name: what grouping all names gives, which costs."""
PICTURE = 512
BACKGROUND = 0.05
"""Share of one colour up to which a picture fills its square."""
TOGETHER = 0.45
"""Correlation of edges above which two nameless maps are taken for one surface."""


@dataclass(frozen=True)
class MatchMap:
    """One map, read for matching."""

    path: str
    facts: Facts
    traits: ImageSpectra
    folder: str = ""
    """Where it lies; said of mesh and maps alike, or of neither."""


def read_match_map(given: str, path: Path) -> MatchMap:
    """Read a map. Raises `UnreadableFile` or `TooLarge`."""
    header, image = read_header(path), read_image(path)
    facts, traits = facts_of_image(path, header, image), spectra_of(small_picture(image))
    return MatchMap(given, facts, traits, str(path.resolve().parent))


def small_picture(image: Image) -> Float:
    """A map as a picture of at most `PICTURE` texels a side, 0–1 as stored, `(h, w)` or `(h, w,
    3)`."""
    step = max(1, min(image.width, image.height) // (2 * PICTURE))
    values = as_float(np.ascontiguousarray(image.pixels[::step, ::step]))
    values = np.clip(values[..., :3] if image.channels >= 3 else values[..., 0], 0.0, 1.0)
    return resize(values, min(PICTURE, values.shape[1]), min(PICTURE, values.shape[0]))


def match_maps(
    mesh: Mesh,
    maps: list[MatchMap],
    home: str = "",
    said: Mapping[str, Collection[str]] | None = None,
) -> dict[str, tuple[list[Candidate], dict[str, list[str]]]]:
    """For every slot with triangles its candidates, best first, and the paths of every set.
    `home` is the folder of the mesh, `said` as in `rank_sets`."""
    sets = group_maps(maps)
    by_path = {candidate.path: candidate for candidate in maps}
    read = {name: [by_path[path] for path in paths] for name, paths in sets.items()}
    ranked = rank_sets(mesh, read, home, said)
    return {slot: (candidates, sets) for slot, candidates in ranked.items()}


def rank_sets(
    mesh: Mesh,
    sets: Mapping[str, Sequence[MatchMap]],
    home: str = "",
    said: Mapping[str, Collection[str]] | None = None,
) -> dict[str, list[Candidate]]:
    """For every slot with triangles the map sets, best first. `home` is the folder that the mesh
    lies in; `said` the paths of the maps that the mesh's own file names for its slots."""
    layouts = {
        name: layout_of(mesh, i)
        for i, name in enumerate(mesh.slots)
        if (mesh.triangle_slot == i).any()
    }
    surfaces = {name: slot_surface(mesh, i) for i, name in enumerate(mesh.slots) if name in layouts}
    pictures = {name: [one.traits for one in maps] for name, maps in sets.items()}
    repeating = {name: _repeats(maps) for name, maps in sets.items()}
    stem = mesh.name.rpartition("/")[2].partition(".")[0]
    closeness = near(
        home, {name: os.path.commonpath([m.folder for m in maps]) for name, maps in sets.items()}
    )
    told = {}
    for slot in layouts:
        named = alike(slot, stem, list(sets), only_slot=len(layouts) == 1)
        own = set((said or {}).get(slot, ()))
        told[slot] = {
            name: Told(
                named[name],
                closeness[name],
                len(own & {one.path for one in maps}) / max(1, len(own)),
            )
            for name, maps in sets.items()
        }
    return match(layouts, pictures, repeating, told, surfaces)


@dataclass(frozen=True)
class Proposal:
    """What a slot could wear, for a person to accept or not."""

    mesh: str
    slot: str
    set: str
    material: str | None
    """A material that is fed from the set; `None` if one has to be made."""
    score: float
    reasons: list[str]
    sure: bool
    """Whether the first candidate is right beyond doubt."""
    tile: int | None = None
    """The UDIM tile of the set that the slot lies on."""


def proposals(
    document: Document,
    mesh: str,
    ranked: Mapping[str, Sequence[Candidate]],
    tiles: Mapping[str, Sequence[int]],
) -> list[Proposal]:
    """The best candidate for every slot of a mesh that wears nothing. `tiles` says on which UDIM
    tiles its slots lie; a slot on several gets none of a set that has tiles. Where the project has
    one slot and one set, that is the only possibility."""
    assigned = document.meshes[mesh].slots
    sets = sets_of(document)
    slots = sum(len(entry.slots) for entry in document.meshes.values())
    only = len(ranked) == 1 and slots == 1 and len(sets) == 1
    proposed = []
    for slot, candidates in ranked.items():
        if assigned.get(slot) is not None or not candidates:
            continue
        best = candidates[0]
        tile = tile_in_set(document, best.set, tiles.get(slot, ()), sets)
        if tile == 0:
            continue
        material = material_of_set(document, best.set, tile, sets)
        reasons = [*(["the only set there is, for the only slot"] if only else []), *best.reasons]
        proposed.append(
            Proposal(mesh, slot, best.set, material, best.score, reasons, only or best.sure, tile)
        )
    return proposed


def tile_in_set(
    document: Document, name: str, tiles: Sequence[int], sets: Sets | None = None
) -> int | None:
    """Which UDIM tile of a set a slot on some tiles takes: `None` where the set has none, 0 where
    that cannot be said. Whoever asks for many gives the document's `sets`."""
    there = tiles_among(document, _members(document, name, sets))
    if not there:
        return None
    wanted = tuple(tiles) or (1001,)
    return wanted[0] if len(wanted) == 1 and wanted[0] in there else 0


def _members(document: Document, name: str, sets: Sets | None) -> list[str]:
    return maps_of_set(document, name) if sets is None else sets.get(name, [])


def material_of_set(
    document: Document, name: str, tile: int | None = None, sets: Sets | None = None
) -> str | None:
    """The material that most of whose maps belong to a set, or to a tile of it; one with a base
    comes after those without. Whoever asks for many gives the document's `sets`."""
    members = set(_members(document, name, sets))
    if tile is not None:
        members = {m for m in members if tile_of(document.maps[m].file) == tile}
    # What lies over a feed, or masks it, may come from anywhere.
    own = {
        material: {feed.map for feed in entry.inputs.values() if feed.map is not None}
        for material, entry in document.materials.items()
    }
    fed = {material: len(members & maps) for material, maps in own.items()}
    return max(
        (m for m, count in fed.items() if count and 2 * count >= len(own[m])),
        key=lambda m: (fed[m], not document.materials[m].base),
        default=None,
    )


def group_maps(maps: list[MatchMap]) -> dict[str, list[str]]:
    """Sets of maps by name; maps whose names say nothing are put together by their edges, or stay
    single."""
    verdicts = identify({groups.path: groups.facts for groups in maps})
    sets: dict[str, list[str]] = {}
    for path, _, name in verdicts:
        sets.setdefault(name, []).append(path)
    single = [paths[0] for paths in sets.values() if len(paths) == 1]
    by_path = {groups.path: groups for groups in maps}
    group_of = {path: path for path in single}
    for first, second in _alike_pairs([by_path[path] for path in single]):
        joined, goal = group_of[second.path], group_of[first.path]
        group_of = {path: goal if group == joined else group for path, group in group_of.items()}
    groups = {name: paths for name, paths in sets.items() if len(paths) > 1}
    names = {paths[0]: name for name, paths in sets.items() if len(paths) == 1}
    for path, group in group_of.items():
        groups.setdefault(names[group], []).append(path)
    return groups


def _alike_pairs(maps: list[MatchMap]) -> list[tuple[MatchMap, MatchMap]]:
    """Pairs of maps of one width whose edges lie in the same places. Cost: one product of all
    maps' coarse grids."""
    if len(maps) < 2:
        return []
    coarse = np.stack([one.traits.coarse for one in maps])
    widths = np.array([one.facts.header.width for one in maps])
    together = coarse @ coarse.T / coarse.shape[1] > TOGETHER
    pairs = np.argwhere(np.triu(together & (widths[:, None] == widths), 1))
    return [(maps[i], maps[j]) for i, j in pairs]


def _repeats(maps: Sequence[MatchMap]) -> bool:
    """Whether the maps of a set go on beyond their borders: all of them, and one at least is no
    picture on a background; or all are patterns."""
    statistics = [one.facts.statistics for one in maps]
    seamless = all(
        seam is not None and seam < TILES_BELOW for each in statistics for seam in each.seam
    )
    filled = any(each.background < BACKGROUND for each in statistics)
    return (seamless and filled) or all(is_pattern(one.traits) for one in maps)
