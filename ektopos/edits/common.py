"""What all edits share."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from ektopos.document import (
    Document,
)
from ektopos.errors import EktoposError, MissingReference

Name = Annotated[str, Field(min_length=1, max_length=120)]


class BaseEdit(BaseModel):
    """One change to a document."""

    model_config = ConfigDict(extra="forbid")

    def label(self) -> str:
        """What the edit does, for the list of changes."""
        raise NotImplementedError

    def apply(self, document: Document) -> None:
        """Do it to a document that nobody else holds. Raises `EktoposError`."""
        raise NotImplementedError


def found(entries: dict[str, Any], name: str, what: str) -> Any:
    """An entry by its name. Raises `MissingReference`."""
    if name not in entries:
        raise MissingReference(f"there is no such {what}.", subject=name, hint="It may have been removed meanwhile.")
    return entries[name]


def free(document: Document, name: str) -> None:
    """Raises `EktoposError` if a material has that name."""
    if name in document.materials:
        raise EktoposError("a material has that name already.", subject=name, hint="Choose another name.")


def unused(document: Document, name: str) -> str:
    """The name, or one like it that no material has."""
    unused, number = name, 2
    while unused in document.materials:
        unused, number = f"{name}_{number}", number + 1
    return unused
