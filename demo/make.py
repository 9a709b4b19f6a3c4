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
    path = folder / f"hollin_ridge{SUFFIX}"
    path.write_text(dump_document(parse(Document, whole, NAME)), "utf-8")
    return path


if __name__ == "__main__":
    make_sample(Path(sys.argv[1]))
