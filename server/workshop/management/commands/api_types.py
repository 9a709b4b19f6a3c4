"""Generate what the interface has from the core: the API's types, and the tables of inputs and
lights; and the document of the checks. Or check them."""

from __future__ import annotations

import json
import subprocess
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any, get_args

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from ektopos.base.names import LONGEST_GIVEN
from ektopos.checks.reports import codes_as_markdown
from ektopos.document import COLOUR_ROLES, INPUTS, OWN_SETTINGS, TABLE, Feed
from ektopos.document.scene import Ground, Sun
from ektopos.export.quantities import CARRIES
from ektopos.maps.judge.packed import PACKING_PRESETS
from ektopos.materials.adjust import ADJUSTMENTS
from ektopos.meshes.texels import OVERLAP
from ektopos.rendering import LIGHTS
from ektopos.rendering.filtered import LEVELS, LIGHTS_KEY, SIZE
from ektopos.rendering.lights import EDGE
from server.workshop.api.baking import BakeSize
from server.workshop.api.team import KEY_DAYS, LINK_DAYS
from server.workshop.pictures import QUICK, REDUCED


class Command(BaseCommand):
    """Run after every change to a schema or a table."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """`--check` writes nothing."""
        parser.add_argument("--check", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """Write or compare the generated files."""
        for goal, content in (
            ("web/src/api/schema.ts", _schema()),
            ("web/src/api/tables.ts", _tables()),
            ("docs/checks.md", codes_as_markdown()),
        ):
            path = settings.ROOT / goal
            if not options["check"]:
                path.write_text(content)
            elif not path.exists() or path.read_text() != content:
                raise CommandError(f"{goal} is not current: run ./manage.py api_types")


def _schema() -> str:
    """The types of every call and what it answers."""
    from server.workshop.api import api

    with tempfile.TemporaryDirectory() as folder:
        source, made = Path(folder) / "openapi.json", Path(folder) / "schema.ts"
        source.write_text(json.dumps(api.get_openapi_schema(path_prefix="/api/")))
        command = ["npx", "--no-install", "openapi-typescript", str(source), "-o", str(made)]
        subprocess.run(command, cwd=settings.ROOT / "web", check=True, capture_output=True)
        return made.read_text()


def _tables() -> str:
    """The tables of inputs, adjustments and lights, as they stand in the core."""
    names = (*ADJUSTMENTS, "pivot")
    plain = Feed(value=0.0).model_dump(mode="json", include=set(names))
    parts = {
        "INPUT_TABLE": {name: asdict(TABLE[name]) for name in INPUTS},
        "UNCHANGED_ADJUSTMENTS": {name: plain[name] for name in names},
        "CARRIES": CARRIES,
        "OWN_SETTINGS": OWN_SETTINGS,
        "LONGEST_NAME": LONGEST_GIVEN,
        "COLOUR_ROLES": COLOUR_ROLES,
        "PLAIN_GROUND": Ground().model_dump(mode="json", exclude={"material"}),
        "PLAIN_SUN": Sun().model_dump(mode="json"),
        "STAGE_SIZES": {"quick": QUICK, "full": REDUCED},
        "LINK_DAYS": LINK_DAYS,
        "KEY_DAYS": KEY_DAYS,
        "BAKE_SIZES": get_args(BakeSize),
        "OVERLAP": OVERLAP,
        "PACKING_PRESETS": PACKING_PRESETS,
        "LIGHT_TABLE": {name: asdict(light) for name, light in LIGHTS.items()},
        "PANEL_EDGE": EDGE,
        "FILTERED_LIGHTS": {"key": LIGHTS_KEY, "size": SIZE, "levels": LEVELS},
    }
    head = "// Generated from the core by ./manage.py api_types. Do not edit.\n"
    written = (
        f"export const {name} = {json.dumps(part, indent=2, ensure_ascii=False)} as const\n"
        for name, part in parts.items()
    )
    return head + "\n".join(written)
