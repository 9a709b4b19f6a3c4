"""Where an input or a map leaves in a target: for the feed sheet, and before a file is taken."""

from __future__ import annotations

from ektopos.document import Document, InputName
from ektopos.export.plan import Plan, safe_names
from ektopos.export.profile import Profile
from ektopos.materials.inheritance import Material
from ektopos.materials.sheet import InputDestination


def destinations(
    plan: Plan | None, problem: str, material: Material, name: InputName, profile: Profile
) -> InputDestination:
    """The file and channels that an input leaves in; `problem` says why there is no plan."""
    if name not in material.feeds:
        return InputDestination(words="not written")
    if not profile.carries(name, not material.feeds[name].maps()):
        return InputDestination(words="not supported", carried=False)
    if plan is None:
        return InputDestination(words="no plan yet", problem=problem)
    path = plan.file_of.get((material.name, name))
    if path is not None:
        file = next(f for f in plan.files if f.path == path)
        holding = {
            letter: channel
            for letter, channel in file.channels.items()
            if channel.carries and channel.stands_for == name
        }
        return InputDestination(
            file=path.rpartition("/")[2],
            channels="".join(holding),
            words=file.suffix,
            quantity=next((channel.quantity for channel in holding.values()), ""),
        )
    if name == "opacity" and material.alpha_mode == "opaque":
        return InputDestination(words="not written")
    return InputDestination(
        words="as a number" if _is_written(material, name, profile) else "not written"
    )


def _is_written(material: Material, name: InputName, profile: Profile) -> bool:
    """Whether an input that no map feeds stands as a number in some file of the package."""
    if name in material.origin or name in profile.factors:
        return True
    # A MaterialX document states every input but the normal, which has nothing to say then.
    return profile.container == "loose" and name != "normal"


_INSIDE = {"glb": ".glb", "gltf-embedded": ".gltf", "usdz": ".usdz"}
"""Endings of the containers that textures lie in."""


def files_with(map_name: str, document: Document, plan: Plan, profile: Profile) -> list[str]:
    """The files of a package that hold a map's texels; with the textures in them, where those lie
    inside."""
    textures = [
        file
        for file in plan.files
        if any(
            map_name in feed.maps()
            for channel in file.channels.values()
            for feed in channel.feeds()
        )
    ]
    suffix = _INSIDE.get(profile.container)
    if suffix is None:
        return [file.path for file in textures]
    whole = safe_names([document.name])[document.name]
    stems = safe_names([name for name in document.meshes if name not in document.left_out.meshes])
    held: dict[str, list[str]] = {}
    for file in textures:
        wearing = [
            stem
            for name, stem in stems.items()
            if set(document.meshes[name].slots.values()) & set(file.materials)
        ]
        alone = profile.mesh.containers == "each" and wearing
        for stem in wearing if alone else [whole]:
            held.setdefault(f"{stem}{suffix}", []).append(file.path)
    return [f"{container} ({', '.join(inside)})" for container, inside in held.items()]
