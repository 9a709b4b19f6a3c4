"""Convert the maps of the older specular workflow into new maps, and make a material of them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from ektopos.base.types import Progress
from ektopos.document import COLOUR_INPUTS, Document, Feed, InputName, MapEntry
from ektopos.edits import AddMaterial, Edit, Import, SetFeed
from ektopos.edits.settings import SetSetting
from ektopos.images import linear_to_srgb, quantise, write_image
from ektopos.maps import map_name
from ektopos.materials.convert import convert_set
from ektopos.materials.from_map_set import material_from_set
from ektopos.materials.resolve import MapLoader
from server.workshop.jobs.measuring import keep_map
from server.workshop.models import Job

SUFFIX = {"base_color": "BaseColor", "metallic": "Metallic", "roughness": "Roughness"}


def convert(
    job: Job, progress: Progress
) -> Callable[[Document], tuple[list[Edit], dict[str, str], Any]]:
    """Make base colour, metallic and roughness of a set's diffuse, specular and gloss; one step to
    undo."""
    set_name = str(job.arguments["set"])
    document = job.project.document
    progress(0.1, "converting")
    arrays = convert_set(document, set_name, MapLoader(job.project.core()).find).after
    contents: dict[InputName, str] = {}
    for done, (name, values) in enumerate(arrays.items()):
        progress(0.4 + 0.2 * done, f"writing {SUFFIX[name]}")
        colour = values.ndim == 3
        pixels = quantise(linear_to_srgb(values) if colour else values[..., None], 8)
        contents[name] = keep_map(
            f"{set_name}_{SUFFIX[name]}.png", partial(write_image, pixels=pixels)
        )
    return lambda document: _added(document, set_name, contents)


def _added(
    document: Document, set_name: str, contents: dict[InputName, str]
) -> tuple[list[Edit], dict[str, str], Any]:
    goal = set_name
    while goal in document.materials:
        goal += "_converted"
    taken = set(document.maps)
    step, files = Import(), {}
    feeds: list[Edit] = []
    for name, sha in contents.items():
        file = f"maps/converted/{set_name}_{SUFFIX[name]}.png"
        entry = map_name(file, taken)
        taken.add(entry)
        colour = name in COLOUR_INPUTS
        roles = {"rgb": name} if colour else {"r": name}
        step.maps[entry] = MapEntry(
            file=file,
            encoding="srgb" if colour else "linear",
            roles=roles,
            set=f"{set_name}_converted",
            by_hand=True,
        )
        files[file] = sha
        feeds.append(
            SetFeed(
                material=goal, input=name, feed=Feed(map=entry, channels="rgb" if colour else "r")
            )
        )
    made = material_from_set(document, set_name)
    # What the conversion does not make is fed as from any set: nothing of it is left lying.
    feeds += [
        SetFeed(material=goal, input=name, feed=feed)
        for name, feed in made.inputs.items()
        if name not in contents and name != "f0"
    ]
    if made.alpha_mode is not None:
        feeds.append(SetSetting(material=goal, setting="alpha_mode", value=made.alpha_mode))
    return [step, AddMaterial(name=goal), *feeds], files, {"material": goal}
