"""The cell `scene`: what a mesh's file holds besides its triangles, as it was meant and as it
arrived."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Set
from dataclasses import replace

import numpy as np

from ektopos.trial.cells import Cell, because
from ektopos.trial.diagnosis import Cause
from ektopos.trial.engine.package import ImportedScene
from ektopos.trial.tolerances import SCENE_NUMBERS


def judge_scene(
    cell: Cell, expected: ImportedScene, actual: ImportedScene | None, planned: Set[str]
) -> Cell:
    """The verdict on a scene; `planned` are the extensions that its materials may bring."""
    if actual is None:
        return because(
            replace(cell, verdict="lost"), "mesh-missing", "The mesh's file did not arrive."
        )
    for cause, sentence in _differences(expected, actual, planned):
        lost = cause in ("skeleton-lost", "animation-lost", "morphs-lost")
        return because(replace(cell, verdict="lost" if lost else "differs"), cause, sentence)
    if actual.edited:
        sentence = "Its file is not the listed one, byte for byte; what it holds is the same."
        return replace(cell, message=sentence)
    return cell


def _differences(
    expected: ImportedScene, actual: ImportedScene, planned: Set[str]
) -> Iterator[tuple[Cause, str]]:
    """What differs, the gravest first."""
    yield from _skins(expected, actual)
    yield from _animations(expected, actual)
    if [m[:2] for m in expected.morphs] and not actual.morphs:
        yield "morphs-lost", "Its morph targets did not arrive."
    elif not _morphs_alike(expected, actual):
        yield "morphs-lost", "Its morph targets are others, or weigh otherwise."
    yield from _nodes(expected, actual)
    for words in ("lights", "cameras", "extras"):
        if Counter(getattr(expected, words)) - Counter(getattr(actual, words)):
            yield "hierarchy-changed", f"Its {words} are not those that were meant."
    if actual.scenes != expected.scenes:
        yield "hierarchy-changed", f"{expected.scenes} scenes were meant, {actual.scenes} arrived."
    kept = {e for e in expected.extensions if not e.startswith(_OF_MATERIALS)}
    unknown = set(actual.required) - set(expected.required) - ({_COMPRESSED} & planned)
    if unknown:
        yield "extension-unknown", f"It needs {', '.join(sorted(unknown))}, which was not meant."
    added = set(actual.extensions) - kept - planned
    if added:
        yield "extension-added", f"It arrived with {', '.join(sorted(added))}."
    if gone := kept - set(actual.extensions):
        yield "hierarchy-changed", f"{', '.join(sorted(gone))} did not arrive."


_COMPRESSED = "KHR_texture_basisu"
"""The one extension that a target's own textures may make needed."""
_OF_MATERIALS = (
    "KHR_materials_",
    "KHR_texture_",
    "EXT_texture_",
    "MSFT_texture_",
    "KHR_draco_mesh_compression",
)
"""What goes with the materials and textures of the source, and with its compression."""


def _skins(expected: ImportedScene, actual: ImportedScene) -> Iterator[tuple[Cause, str]]:
    if len(actual.skins) < len(expected.skins):
        yield (
            "skeleton-lost",
            f"{len(expected.skins) - len(actual.skins)} skeletons did not arrive.",
        )
        return
    for (names, bind), (other_names, other_bind) in zip(expected.skins, actual.skins, strict=False):
        if set(names) - set(other_names):
            yield "skeleton-lost", f"{len(set(names) - set(other_names))} joints did not arrive."
        elif (bind is None) != (other_bind is None):
            yield "skin-changed", "Its inverse bind matrices are others."
        elif bind is not None and other_bind is not None:
            place = [other_names.index(name) for name in names]
            if not _near(bind, other_bind[place]):
                yield "skin-changed", "Its inverse bind matrices are others."


def _animations(expected: ImportedScene, actual: ImportedScene) -> Iterator[tuple[Cause, str]]:
    for name, channels in expected.animations.items():
        if not channels:
            continue
        if name not in actual.animations:
            yield "animation-lost", f"The animation {name} did not arrive."
            continue
        for (path, what), values in channels.items():
            below = _below(actual.animations[name], path, what)
            if below is None:
                yield "animation-lost", f"{name}: the {what} of {path} does not move."
            elif not _near(values, below) and not (what == "rotation" and _near(values, -below)):
                alike = np.abs(np.abs(np.einsum("ni,ni->n", values, below)) - 1.0)
                if what != "rotation" or below.shape != values.shape or alike.max() > SCENE_NUMBERS:
                    yield "animation-lost", f"{name}: the {what} of {path} moves otherwise."


def _below(
    channels: dict[tuple[str, str], np.ndarray[tuple[int, ...], np.dtype[np.float64]]],
    path: str,
    what: str,
) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]] | None:
    """A channel by its node's path, which may have a new root above it."""
    if (path, what) in channels:
        return channels[path, what]
    return next(
        (v for (other, key), v in channels.items() if key == what and other.endswith("/" + path)),
        None,
    )


def _morphs_alike(expected: ImportedScene, actual: ImportedScene) -> bool:
    """Whether each mesh has the morph targets that were meant; its parts may be cut otherwise."""

    def by_mesh(scene: ImportedScene) -> dict[str, tuple[int, tuple[float, ...], float]]:
        morphs: dict[str, tuple[int, tuple[float, ...], float]] = {}
        for mesh, count, weights, furthest in scene.morphs:
            before = morphs.get(mesh, (0, (), 0.0))[2]
            morphs[mesh] = (count, weights, max(before, float(furthest.max(initial=0.0))))
        return morphs

    one, other = by_mesh(expected), by_mesh(actual)
    return one.keys() == other.keys() and all(
        one[m][:1] == other[m][:1]
        and np.allclose(one[m][1], other[m][1], atol=1e-6)
        and abs(one[m][2] - other[m][2]) <= SCENE_NUMBERS * max(one[m][2], 1e-9)
        for m in one
        if len(one[m][1]) == len(other[m][1])
    )


def _nodes(expected: ImportedScene, actual: ImportedScene) -> Iterator[tuple[Cause, str]]:
    wanted, counts = Counter(p for p, _ in expected.nodes), Counter(p for p, _ in actual.nodes)
    prefix = _new_root(wanted, counts)
    counts = Counter(
        {path.removeprefix(prefix): n for path, n in counts.items() if path != prefix[:-1]}
    )
    missing, more = wanted - counts, counts - wanted
    if missing:
        names = sorted(missing)
        yield (
            "hierarchy-changed",
            f"{names[0]} is not where it was ({sum(missing.values())} nodes).",
        )
    elif more:
        yield "hierarchy-changed", f"{min(more)} was added ({sum(more.values())} nodes)."
    else:
        places: dict[str, list[np.ndarray[tuple[int, ...], np.dtype[np.float64]]]] = {}
        for path, matrix in actual.nodes:
            places.setdefault(path.removeprefix(prefix), []).append(np.array(matrix))
        for path, matrix in expected.nodes:
            if not any(_near(np.array(matrix), other) for other in places[path]):
                yield "hierarchy-changed", f"The pivot of {path} is another."
                break


def _new_root(wanted: Counter[str], found: Counter[str]) -> str:
    """What stands before every path that arrived, where a new root was set above them."""
    roots = {path.partition("/")[0] for path in found}
    if len(roots) == 1 and found and not (set(wanted) & set(found)):
        return f"{next(iter(roots))}/"
    return ""


def _near(
    one: np.ndarray[tuple[int, ...], np.dtype[np.float64]],
    other: np.ndarray[tuple[int, ...], np.dtype[np.float64]],
) -> bool:
    reach = SCENE_NUMBERS * max(1e-6, float(np.abs(one).max(initial=0.0)))
    return one.shape == other.shape and bool(np.abs(one - other).max(initial=0.0) <= reach)
