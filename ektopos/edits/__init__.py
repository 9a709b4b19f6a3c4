"""Every change that can be made to a project's document, as a value.

An edit says what it does (`label`) and does it (`apply`) to a copy; the application keeps a
revision for each, which is what undo and redo move through. Rules that hold a document together (a
renamed material keeps its slots and its derived materials) live here and nowhere else.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from ektopos.document import Document
from ektopos.edits.feeds import ChangeFeed, PlaceFeed, PushUp, SetFeed
from ektopos.edits.findings import SetRule, SetSeverity, Unwaive, Waive
from ektopos.edits.imports import Import
from ektopos.edits.maps import AddNamingRule, RemoveMaps, RemoveNamingRule, RenameSet, SetMap
from ektopos.edits.materials import (
    AddMaterial,
    ApplyPattern,
    Detach,
    DuplicateMaterial,
    MakeFromSet,
    RemoveMaterial,
    RenameMaterial,
    RenameMaterials,
)
from ektopos.edits.meshes import Assign, KeepColours, RemoveMesh, SetDone, SetRecipe
from ektopos.edits.project import LeaveOut, RemoveProfile, RenameProject, SetProfile, SetTarget
from ektopos.edits.replace import ReplaceMap, ReplaceMesh
from ektopos.edits.scene import (
    KeepView,
    MoveItem,
    RenameItem,
    SetGround,
    SetPanorama,
    SetSun,
    Stand,
    TakeAway,
)
from ektopos.edits.settings import SetSetting

Edit = Annotated[
    RenameProject
    | SetTarget
    | SetProfile
    | RemoveProfile
    | LeaveOut
    | SetMap
    | RenameSet
    | AddNamingRule
    | RemoveNamingRule
    | RemoveMaps
    | AddMaterial
    | MakeFromSet
    | RenameMaterial
    | RenameMaterials
    | DuplicateMaterial
    | RemoveMaterial
    | SetFeed
    | ChangeFeed
    | PlaceFeed
    | SetSetting
    | PushUp
    | Detach
    | ApplyPattern
    | Assign
    | SetDone
    | KeepColours
    | SetRecipe
    | RemoveMesh
    | Import
    | ReplaceMap
    | ReplaceMesh
    | Waive
    | Unwaive
    | SetRule
    | SetSeverity
    | Stand
    | MoveItem
    | RenameItem
    | TakeAway
    | SetGround
    | SetPanorama
    | SetSun
    | KeepView,
    Field(discriminator="kind"),
]


def apply_edits(document: Document, edits: list[Edit]) -> Document:
    """A copy of the document with all edits done, or an `EktoposError` and nothing done."""
    changed = _copied(document)
    for edit in edits:
        edit.apply(changed)
    return changed


def _copied(document: Document) -> Document:
    """A copy as deep as edits change it: they replace maps and materials, and set fields of meshes.
    Cost: its entries."""
    return document.model_copy(
        update={
            "maps": dict(document.maps),
            "materials": dict(document.materials),
            "meshes": {name: mesh.model_copy() for name, mesh in document.meshes.items()},
            "naming": list(document.naming),
            "targets": dict(document.targets),
            "left_out": document.left_out.model_copy(),
        }
    )


def collisions(edits: list[Edit], before: Document, after: Document) -> list[str]:
    """What the edits read or write that is otherwise in one document than in another, in words;
    empty where they may be applied to either. Cost: proportional to what they touch.
    """
    conflicts = []
    for edit in edits:
        here, there = edit.footprint(before), edit.footprint(after)
        conflicts += [
            words
            for words in here | there
            if words not in here or words not in there or here[words] != there[words]
        ]
    return list(dict.fromkeys(conflicts))


__all__ = [
    "AddMaterial",
    "AddNamingRule",
    "ApplyPattern",
    "Assign",
    "ChangeFeed",
    "Detach",
    "DuplicateMaterial",
    "Edit",
    "Import",
    "KeepColours",
    "KeepView",
    "LeaveOut",
    "MakeFromSet",
    "MoveItem",
    "PlaceFeed",
    "PushUp",
    "RemoveMaps",
    "RemoveMaterial",
    "RemoveMesh",
    "RemoveNamingRule",
    "RemoveProfile",
    "RenameItem",
    "RenameMaterial",
    "RenameMaterials",
    "RenameProject",
    "RenameSet",
    "ReplaceMap",
    "ReplaceMesh",
    "SetDone",
    "SetFeed",
    "SetGround",
    "SetMap",
    "SetPanorama",
    "SetProfile",
    "SetRecipe",
    "SetRule",
    "SetSetting",
    "SetSeverity",
    "SetSun",
    "SetTarget",
    "Stand",
    "TakeAway",
    "Unwaive",
    "Waive",
    "apply_edits",
    "collisions",
]
