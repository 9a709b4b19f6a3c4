"""Convert the maps of the older specular workflow into new maps, and make a material of them."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings

from ektopos.document import Feed, InputName, MapEntry
from ektopos.edits import AddMaterial, BringIn, SetFeed
from ektopos.images import linear_to_srgb, quantise, read_header, read_image, write_image
from ektopos.maps import map_name
from ektopos.maps.identify import facts_of_image
from ektopos.materials.convert import convert_set
from ektopos.materials.resolve import MapLoader
from ektopos.types import Progress
from server.workshop.models import Job, MapFacts
from server.workshop.pictures import keep_reduced
from server.workshop.store import put_file

SUFFIX = {"base_color": "BaseColor", "metallic": "Metallic", "roughness": "Roughness"}


def convert(job: Job, progress: Progress) -> dict[str, Any]:
    """Make base colour, metallic and roughness of a set's diffuse, specular and gloss; one step to undo."""
    set_name = str(job.arguments["set"])
    document = job.project.document
    progress(0.1, "converting")
    arrays = convert_set(document, set_name, MapLoader(job.project.core()).find).after
    maps: dict[str, MapEntry] = {}
    files: dict[str, str] = {}
    feeds: list[SetFeed] = []
    goal = set_name
    while goal in document.materials:
        goal += "_converted"
    taken = set(document.maps)
    for done, (name, values) in enumerate(arrays.items()):
        progress(0.4 + 0.2 * done, f"writing {SUFFIX[name]}")
        file = f"maps/converted/{set_name}_{SUFFIX[name]}.png"
        colour = values.ndim == 3
        pixels = quantise(linear_to_srgb(values) if colour else values[..., None], 8)
        with tempfile.TemporaryDirectory(dir=settings.FILE_UPLOAD_TEMP_DIR) as folder:
            path = Path(folder) / Path(file).name
            write_image(path, pixels)
            sha, size = put_file(path)
            image = read_image(path)
            MapFacts.keep(sha, size, facts_of_image(read_header(path), image))
        keep_reduced(sha, image)
        entry = map_name(file, taken)
        taken.add(entry)
        roles = {"rgb": name} if colour else {"r": name}
        encoding = "srgb" if colour else "linear"
        maps[entry] = MapEntry(file=file, encoding=encoding, roles=roles, set=f"{set_name}_converted", by_hand=True)
        files[file] = sha
        input_name: InputName = name
        feeds.append(SetFeed(material=goal, input=input_name, feed=Feed(map=entry, channels="rgb" if colour else "r")))
    job.project.edit([BringIn(maps=maps), AddMaterial(name=goal), *feeds], None, files)
    return {"material": goal}
