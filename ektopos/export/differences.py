"""What a target does not take as it was made, for people: left out, or in another form."""

from __future__ import annotations

from collections.abc import Iterable

from ektopos.base.errors import EktoposError
from ektopos.base.names import in_words
from ektopos.document import TABLE
from ektopos.export.plan import HeaderOf, Plan, PlannedChannel, PlannedFile
from ektopos.export.profile import Profile


def left_out(plan: Plan) -> list[str]:
    """Inputs that no file and no container of the target carries, with the materials that have
    them."""
    return [f"{_words(name)} of {_named(materials)}" for name, materials in plan.left_out.items()]


def converted(plan: Plan, profile: Profile, header_of: HeaderOf) -> list[str]:
    """What the target takes in another form, and what that costs."""
    channels = [(file, channel) for file in plan.files for channel in file.channels.values()]
    has_transforms = any(
        not place.uv.is_identity
        for material in plan.materials.values()
        for place in material.placements().values()
    )
    said = (
        (
            profile.normal_y == "-" and any(c.input == "normal" for _, c in channels),
            "green of normals points down",
        ),
        (
            profile.mesh.uv_transform == "baked" and has_transforms,
            "UV transforms are worked into the UVs",
        ),
        (bool(plan.tints), "tints as factors"),
        (profile.padding > 0, f"{profile.padding} texels round UV islands are filled"),
        (
            any(file.levels > 1 for file in plan.files),
            "mips with roughness grown and coverage kept",
        ),
        (
            any(file.basis and file.levels == 1 for file in plan.files),
            "no mips, which nobody can add to compressed textures later",
        ),
    )
    words = {
        f"{c.quantity} instead of {TABLE[c.input].label.lower()}" for _, c in channels if c.quantity
    }
    words |= {sentence for is_so, sentence in said if is_so}
    words |= _lossy_words(channels)
    coarser = {
        (file.bits, c.input)
        for file, c in channels
        if c.feed.map and file.bits < _bits(header_of, c.feed.map)
    }
    for bits in {bits for bits, _ in coarser}:
        names = ", ".join(sorted(_words(name) for fewer, name in coarser if fewer == bits))
        words.add(f"{names} in {bits} bits, from maps with more")
    return sorted(words)


def _lossy_words(channels: Iterable[tuple[PlannedFile, PlannedChannel]]) -> set[str]:
    """What compression changes, by its form."""
    words: set[str] = set()
    lossy: dict[str, set[str]] = {}
    for file, channel in channels:
        if channel.carries and (form := _lossy(file)):
            lossy.setdefault(form, set()).add(channel.input)
    if "normal" in lossy.get("JPEG", ()):
        words.add("normals as JPEG, which bends them: choose PNG for these")
        lossy["JPEG"].remove("normal")
    for form, inputs in lossy.items():
        if inputs:
            listed = ", ".join(sorted(_words(name) for name in inputs))
            words.add(f"{listed} as {form}, which changes texels a little")
    return words


def _lossy(file: PlannedFile) -> str:
    """What a file's format is called, if it loses a little; else nothing."""
    if file.basis:
        return file.basis[0].upper()
    return "JPEG" if file.path.endswith(".jpg") else ""


def _bits(header_of: HeaderOf, name: str) -> int:
    try:
        return header_of(name).bits
    except EktoposError:
        return 0  # What cannot be read is said by the checks.


def _words(name: str) -> str:
    return in_words(name)


def _named(materials: list[str]) -> str:
    return (
        ", ".join(materials)
        if len(materials) < 4
        else f"{', '.join(materials[:2])} and {len(materials) - 2} more"
    )
