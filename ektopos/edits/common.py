"""What all edits share."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

from pydantic import BaseModel, ConfigDict

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.base.names import free_name
from ektopos.document import (
    Document,
)

Entry = TypeVar("Entry")
Footprint = dict[str, object]


class BaseEdit(BaseModel):
    """One change to a document."""

    model_config = ConfigDict(extra="forbid")

    def label(self) -> str:
        """What the edit does, for the list of changes."""
        raise NotImplementedError

    def apply(self, document: Document) -> None:
        """Do it to a document that nobody else holds. Raises `EktoposError`."""
        raise NotImplementedError

    def footprint(self, document: Document) -> Footprint:
        """What it reads or writes, in words, and what that is in a document.

        An edit made on one state may be applied to a later one if all of this is the same in both.
        """
        raise NotImplementedError


def require(entries: Mapping[str, Entry], name: str, what: str) -> Entry:
    """An entry by its name. Raises `MissingReference`."""
    if name not in entries:
        raise MissingReference(
            f"there is no such {what}.", subject=name, hint="It may have been removed meanwhile."
        )
    return entries[name]


def free(document: Document, name: str) -> None:
    """Raises `EktoposError` if a material has that name."""
    if name in document.materials:
        raise EktoposError(
            "a material has that name already.", subject=name, hint="Choose another name."
        )


def entry_touched(entries: Mapping[str, object], name: str, words: str = "") -> Footprint:
    """A whole entry."""
    entry = entries.get(name)
    return {words or name: entry.model_dump(mode="json") if isinstance(entry, BaseModel) else entry}


def exists(entries: Mapping[str, object], *names: str | None) -> Footprint:
    """Whether entries are there at all, whatever they say."""
    return {f"{name}, there or not": name in entries for name in names if name is not None}


def unused(document: Document, name: str) -> str:
    """The name, or one like it that no material has."""
    return free_name(name, document.materials)
