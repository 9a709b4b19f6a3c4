"""The checks of a project of 1,000 maps and 200 materials after one edit, as the server asks them."""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path
from typing import Any

from bench.timing import median_ms

MAPS, MATERIALS = 1000, 200


def large_document() -> dict[str, Any]:
    packed = {"r": "occlusion", "g": "roughness", "b": "metallic"}
    maps: dict[str, Any] = {
        f"m{number}": {"file": f"maps/m{number}.png", "roles": packed}
        if number % 5
        else {
            "file": f"maps/m{number}.png",
            "encoding": "srgb",
            "roles": {"rgb": "base_color"},
        }
        for number in range(MAPS)
    }
    materials = {
        f"material_{number}": {
            "inputs": {
                "base_color": {"map": f"m{number * 5}", "channels": "rgb"},
                **{
                    name: {"map": f"m{number * 5 + 1}", "channels": letter}
                    for letter, name in packed.items()
                },
            }
        }
        for number in range(MATERIALS)
    }
    return {"ektopos": 1, "name": "bench", "maps": maps, "materials": materials}


def run() -> None:
    """Print the median of 9 runs, each on a state of its own."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
    import django

    django.setup()
    from django.core.management import call_command

    from ektopos.document import Document
    from ektopos.edits import SetSetting
    from ektopos.maps import facts_of
    from server.workshop.checking import findings_of
    from server.workshop.models import MapFacts, Project
    from server.workshop.store import content_path
    from tests.samples import noise, save

    call_command("migrate", verbosity=0)
    with tempfile.TemporaryDirectory() as folder:
        facts = facts_of(save(Path(folder) / "one.png", noise(128, 1)))
    files: dict[str, str] = {}
    for number in range(MAPS):
        content = f"map {number}".encode()
        sha = hashlib.sha256(content).hexdigest()
        content_path(sha).parent.mkdir(parents=True, exist_ok=True)
        content_path(sha).write_bytes(content)
        MapFacts.keep(sha, len(content), facts)
        files[f"maps/m{number}.png"] = sha
    raw = large_document()
    project = Project.begin(Document.model_validate(raw), files)
    count = len(findings_of(project))

    def checked(number: int) -> None:
        edit = SetSetting(material="material_3", setting="alpha_cutoff", value=number / 10)
        project.edit([edit], None)
        findings_of(Project.objects.get(pk=project.pk))

    both = median_ms(checked)
    alone = median_ms(lambda _: findings_of(Project.objects.get(pk=project.pk)))
    print(
        f"{count} findings of {MAPS} maps and {MATERIALS} materials: {alone:.0f} ms; with the edit "
        f"before them {both:.0f} ms"
    )
