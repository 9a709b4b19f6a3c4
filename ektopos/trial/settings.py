"""Judge what travels beside the maps: alpha mode, cut-off, sides, filter, shading, surface tag, and
where maps lie."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace

from ektopos.base.types import Json
from ektopos.document import TABLE, UvTransform
from ektopos.export.hand_over import UNSAID, Unsaid, manual_settings
from ektopos.export.profile import Profile
from ektopos.materials.inheritance import Material
from ektopos.trial.cells import Cell, SettingPair
from ektopos.trial.diagnosis import Cause
from ektopos.trial.engine.package import ImportedMaterial


def alpha_fault(material: Material, imported: ImportedMaterial) -> Json | None:
    """What of a cell differs, where alpha mode or cut-off are not as they were meant."""
    if imported.alpha_mode != material.alpha_mode:
        sentence = f"{material.alpha_mode} was meant, {imported.alpha_mode} arrived."
        return {"verdict": "differs", "cause": "alpha-mode-changed", "message": sentence}
    if material.alpha_mode == "mask" and abs(imported.alpha_cutoff - material.alpha_cutoff) > 1e-4:
        sentence = (
            f"Cut-off {material.alpha_cutoff:g} was meant, {imported.alpha_cutoff:g} arrived."
        )
        return {"verdict": "differs", "cause": "cutoff-changed", "message": sentence}
    return None


def judge_settings(
    cell: Cell, material: Material, imported: ImportedMaterial, profile: Profile
) -> Cell:
    """The verdict on sides, UV transform, filter and surface tag."""
    faults: list[tuple[Cause, str]] = []
    unsaid = UNSAID[profile.container]
    if imported.double_sided != material.double_sided:
        faults.append(
            (
                "sides-changed",
                "double-sided was meant" if material.double_sided else "single-sided was meant",
            )
        )
    if "shading" not in unsaid and imported.shading != material.shading:
        sentence = f"{material.shading} was meant, {imported.shading} arrived"
        faults.append(("shading-changed", sentence))
    faults += _moved(material, imported, profile)
    mapped = bool(material.placements())
    if "filter" not in unsaid:
        faults += _filtered(material, imported)
    if imported.workflow != "metallic":
        sentence = f"the metallic workflow was meant, the {imported.workflow} one arrived"
        faults.append(("constant-changed", sentence))
    faults += [("constant-changed", sentence) for sentence in imported.unexpected]
    if mapped and not imported.mips:
        faults.append(("mips-off", "it is seen from afar without smaller levels of its textures"))
    if "surface tag" not in unsaid and imported.surface_tag != material.surface_tag:
        faults.append(
            (
                "unknown",
                f"surface tag “{material.surface_tag}” was meant, “{imported.surface_tag}” arrived",
            )
        )
    by_hand = manual_settings(material, profile)
    cell = replace(cell, settings=tuple(_pairs(material, imported, profile)))
    if not faults and by_hand:
        return replace(cell, verdict="by-hand", message=" ".join(by_hand))
    if not faults:
        return cell
    message = "; ".join(text for _, text in faults)
    return replace(
        cell, verdict="differs", cause=faults[0][0], message=message[0].upper() + message[1:] + "."
    )


def _pairs(
    material: Material, imported: ImportedMaterial, profile: Profile
) -> Iterator[SettingPair]:
    """Every setting as it was meant and as it arrived, in words."""
    unsaid = UNSAID[profile.container]

    def pair(name: Unsaid | str, meant: str, arrived: str) -> SettingPair:
        return SettingPair(name, meant, "set manually" if name in unsaid else arrived)

    yield pair(
        "alpha",
        _alpha(material.alpha_mode, material.alpha_cutoff),
        _alpha(imported.alpha_mode, imported.alpha_cutoff),
    )
    yield pair("sides", _sides(material.double_sided), _sides(imported.double_sided))
    yield pair("shading", material.shading, imported.shading)
    yield pair("surface tag", material.surface_tag or "none", imported.surface_tag or "none")
    if not material.placements():
        return
    yield pair("filter", material.filter, imported.filter)
    yield pair("smaller levels", "used", "used" if imported.mips else "not used")
    baked = profile.mesh.uv_transform == "baked"
    lies: dict[tuple[str, str], list[str]] = {}
    for name, place in material.placements().items():
        arrived = imported.inputs.get(name)
        if arrived is None or arrived.texture is None:
            continue
        uv, there = UvTransform(set=place.uv.set) if baked else place.uv, arrived.place
        both = (
            _lies(uv.tiling, uv.offset, uv.rotation, uv.set, place.wrap),
            _lies(there.tiling, there.offset, there.rotation, there.uv_set, there.wrap),
        )
        lies.setdefault(both, []).append(TABLE[name].label.lower())
    for both, names in lies.items():
        of = "" if len(lies) == 1 else f" of {', '.join(names)}"
        yield SettingPair(f"UVs{of}", *both)


def _alpha(mode: str, cutoff: float) -> str:
    return f"{mode} at {cutoff:g}" if mode == "mask" else mode


def _sides(double: bool) -> str:
    return "double-sided" if double else "single-sided"


def _lies(
    tiling: Sequence[float],
    offset: Sequence[float],
    turn: float,
    uv_set: int,
    wrap: tuple[str, str],
) -> str:
    return ", ".join(
        (
            f"{tiling[0]:g} × {tiling[1]:g} tiles",
            f"offset {offset[0]:g}, {offset[1]:g}",
            f"turned {math.degrees(turn):.4g}°",
            f"set {uv_set}",
            _wrapping(wrap),
        )
    )


def _moved(
    material: Material, imported: ImportedMaterial, profile: Profile
) -> list[tuple[Cause, str]]:
    """What of UV sets, transforms and wrapping is not where it was meant to be, with the inputs."""
    inputs: dict[tuple[Cause, str], list[str]] = {}
    baked = profile.mesh.uv_transform == "baked"
    for name, place in material.placements().items():
        arrived = imported.inputs.get(name)
        if arrived is None or arrived.texture is None:
            continue
        uv, reached = UvTransform() if baked else place.uv, arrived.place
        expected = (*uv.tiling, *uv.offset, uv.rotation)
        actual = (*reached.tiling, *reached.offset, reached.rotation)
        faults: list[tuple[Cause, str]] = []
        if max(abs(a - b) for a, b in zip(expected, actual, strict=True)) > 1e-4:
            faults.append(("uv-transform-lost", "the UV transform is not the one that was meant"))
        if reached.uv_set != uv.set:
            sentence = f"UV set {uv.set} was meant, {reached.uv_set} arrived"
            faults.append(("uv-set-changed", sentence))
        if reached.wrap != place.wrap:
            sentence = f"{_wrapping(place.wrap)} was meant, {_wrapping(reached.wrap)} arrived"
            faults.append(("wrap-changed", sentence))
        for fault in faults:
            inputs.setdefault(fault, []).append(TABLE[name].label.lower())
    mapped = len(material.placements())
    return [
        (cause, sentence if len(names) == mapped else f"{sentence} (on {', '.join(names)})")
        for (cause, sentence), names in inputs.items()
    ]


def _filtered(material: Material, imported: ImportedMaterial) -> list[tuple[Cause, str]]:
    """Textures that are filtered otherwise than they should be, by how they arrived."""
    inputs: dict[str, list[str]] = {}
    fed = material.placements()
    for name in fed:
        arrived = imported.inputs.get(name)
        if arrived is None or arrived.texture is None:
            continue
        filtering = arrived.filter or imported.filter
        if filtering != material.filter:
            inputs.setdefault(filtering, []).append(TABLE[name].label.lower())
    return [
        (
            "filter-changed",
            f"{material.filter} filtering was meant, {filtering} arrived"
            + ("" if len(names) == len(fed) else f" (on {', '.join(names)})"),
        )
        for filtering, names in inputs.items()
    ]


def _wrapping(wrap: tuple[str, str]) -> str:
    return wrap[0] if wrap[0] == wrap[1] else f"{wrap[0]} in u and {wrap[1]} in v"
