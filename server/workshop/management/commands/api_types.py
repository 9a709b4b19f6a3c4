"""Generate the interface's types from the API, or check that they are current."""

import json
import subprocess
import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser


class Command(BaseCommand):
    """Run after every change to a schema."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """`--check` writes nothing."""
        parser.add_argument("--check", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """Write or compare `web/src/api/schema.ts`."""
        from server.workshop.api import api

        goal = settings.ROOT / "web" / "src" / "api" / "schema.ts"
        with tempfile.TemporaryDirectory() as folder:
            source, made = Path(folder) / "openapi.json", Path(folder) / "schema.ts"
            source.write_text(json.dumps(api.get_openapi_schema(path_prefix="/api/")))
            command = ["npx", "--no-install", "openapi-typescript", str(source), "-o", str(made)]
            subprocess.run(command, cwd=settings.ROOT / "web", check=True, capture_output=True)
            if not options["check"]:
                goal.parent.mkdir(parents=True, exist_ok=True)
                goal.write_text(made.read_text())
            elif not goal.exists() or goal.read_text() != made.read_text():
                raise CommandError(
                    "web/src/api/schema.ts is not current: run ./manage.py api_types"
                )
