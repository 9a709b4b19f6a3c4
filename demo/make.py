"""Write the sample project into a folder: `python -m demo.make FOLDER`."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from demo import dome_panel, instrument_cases, refractor, signal_lamp, vent_shutter
from ektopos.document import SUFFIX, Document, dump_document, parse

NAME = "Hollin Ridge Observatory"
PROPS = {
    "dome_panel": dome_panel,
    "refractor": refractor,
    "signal_lamp": signal_lamp,
    "vent_shutter": vent_shutter,
    "case_long": instrument_cases,
}
"""Every prop brings `write_maps(folder)`, `write_mesh(path)`, `document()`, and
`write_more(folder)` for further meshes."""


SCENE: dict[str, Any] = {
    "items": {
        "dome_panel": {"mesh": "dome_panel", "position": (-1.35, 0, -0.6), "rotation": (0, 20, 0)},
        "refractor": {"mesh": "refractor", "position": (0.1, 0, 0.2)},
        "signal_lamps": {
            "mesh": "signal_lamp",
            "position": (0.85, 0, -0.5),
            "repeat": (3, 1),
            "every": (0.55, 1),
        },
        "vent_shutter": {"mesh": "vent_shutter", "position": (1.6, 0, -1.1)},
        "case_long": {"mesh": "case_long", "position": (1.2, 0, 0.55), "rotation": (0, -15, 0)},
        "case_small": {"mesh": "case_small", "position": (0.6, 0, 1.0), "rotation": (0, 25, 0)},
        "eyepiece": {"mesh": "eyepiece", "position": (0.85, 0, 1.1)},
    },
    "ground": {"material": "pier_iron", "size": 12.0},
    "sun": {"turn": 50.0, "height": 35.0, "strength": 3.0},
    "views": {"from the door": {"position": (1.9, 1.7, 5.2), "target": (0.25, 0.6, 0.0)}},
}
"""All that the observatory has, as it might stand beside its dome."""


def make_sample(folder: Path) -> Path:
    """Write maps, meshes and document; gives the document's path. The same bytes every time."""
    whole: dict[str, Any] = {
        "ektopos": 1,
        "name": NAME,
        "target": "gltf-glb",
        "maps": {},
        "materials": {},
        "meshes": {},
    }
    for name, prop in PROPS.items():
        (folder / "maps").mkdir(parents=True, exist_ok=True)
        prop.write_maps(folder / "maps")
        prop.write_mesh(folder / "meshes" / f"{name}.glb")
        if hasattr(prop, "write_more"):
            prop.write_more(folder / "meshes")
        for key, entries in prop.document().items():
            whole[key] |= entries
    whole["scene"] = SCENE
    path = folder / f"hollin_ridge{SUFFIX}"
    path.write_text(dump_document(parse(Document, whole, NAME)), "utf-8")
    return path


if __name__ == "__main__":
    make_sample(Path(sys.argv[1]))
