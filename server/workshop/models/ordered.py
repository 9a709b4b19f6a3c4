"""JSON that keeps the order of its keys in every database."""

from __future__ import annotations

import json
from typing import Any

from django.db import models


class OrderedJSON(models.JSONField):
    """Documents list materials in the order of their keys, which PostgreSQL's `jsonb` forgets: its
    `json` keeps the text as it is. SQLite keeps text in any case."""

    def db_type(self, connection: Any) -> str | None:
        """The column's type."""
        return "json" if connection.vendor == "postgresql" else super().db_type(connection)

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        """A value for the database."""
        if (
            connection.vendor != "postgresql"
            or value is None
            or hasattr(value, "resolve_expression")
        ):
            return super().get_db_prep_value(value, connection, prepared)
        from psycopg.types.json import Json

        return Json(value, dumps=json.dumps)

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> Any:
        """A value from the database, whose own library reads `json` by itself."""
        if value is None or not isinstance(value, str | bytes):
            return value
        return json.loads(value)
