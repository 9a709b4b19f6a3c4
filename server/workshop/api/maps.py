"""Maps: the board, the reader, and pictures of both."""

from __future__ import annotations

from functools import lru_cache
from typing import Literal
from uuid import UUID

from django.http import FileResponse, HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import BaseModel, TypeAdapter

from ektopos.base.errors import MissingReference
from ektopos.base.types import ProfileUse
from ektopos.document import Document, MapEntry, NamingRule, Role
from ektopos.edits.maps import uses_of_maps
from ektopos.images import ImageHeader
from ektopos.maps import Facts, Verdict, identify, recheck, set_of_each
from ektopos.maps.edge_grouping import group_by_edges
from ektopos.maps.sets import ending_of, sets_of, tile_of
from ektopos.maps.verdict import SURE
from server.workshop import pictures
from server.workshop.api.projects import project_or_404
from server.workshop.models import MapFacts, Project
from server.workshop.store import is_hash, known_content

router = Router(tags=["maps"])
View = Literal["rgb", "r", "g", "b", "a"]
MapState = Literal["sure", "unsure", "conflict", "missing", "measuring"]
FOREVER = "private, max-age=31536000, immutable"


class BoardMap(BaseModel):
    """One map on the board. (Two thousand of them are made at once, so no `Schema`, which looks
    through each of them twice.)"""

    name: str
    file: str
    sha256: str
    set: str
    tile: int | None
    """The UDIM tile that it is for, by its name."""
    roles: dict[str, Role]
    encoding: str
    normal_y: str | None
    by_hand: bool
    said_by: str | None
    profile: str | None
    """What its file's colours are told in, where that is not sRGB and can be converted."""
    profile_use: ProfileUse
    state: MapState
    confidence: float
    width: int
    height: int
    channels: int
    bits: int
    is_float: bool
    bytes: int
    used_by: list[str]
    uses: list[str]
    """What it is used for, in words."""


class ChannelOut(Schema):
    """One channel's numbers."""

    name: str
    low: float
    high: float
    mean: float
    histogram: list[float]


class MapOut(Schema):
    """Everything the reader shows of one map."""

    map: BoardMap
    role: str
    judged_roles: dict[str, Role]
    judged_normal_y: str | None
    evidence: list[str]
    doubts: list[str]
    notes: list[str]
    channels: list[ChannelOut]
    repeats_x: float | None
    repeats_y: float | None
    memory: int
    """Bytes as most engines hold it, uncompressed: three channels take the room of four, and
    smaller levels a third more. Source: Khronos Data Format; a full chain is 4/3."""
    stored: int
    """Bytes of its texels as the file has them, decoded."""
    format: str
    ending: str
    """The end of its name that a naming rule would go by; empty if there is none."""
    background: float
    background_colour: list[int]


class Texel(Schema):
    """One texel's numbers."""

    channels: list[str]
    codes: list[int] | None
    values: list[float]
    degrees_from_flat: float | None


_NAMING = TypeAdapter(list[NamingRule])


@lru_cache(maxsize=16)
def _verdicts(
    files: tuple[tuple[str, str], ...], naming: bytes, measured_again: int
) -> dict[str, Verdict]:
    """The verdicts on files, each with its content, which all know of each other. They are asked
    for again and again, and change only with what they are made from."""
    values = MapFacts.values(sha for _, sha in files)
    by_file = {file: values[sha] for file, sha in files}
    rules = _NAMING.validate_json(naming)
    return {file: verdict for file, verdict, _ in identify(by_file, rules)}


def _board(
    project: Project, only: str | None = None
) -> list[tuple[BoardMap, Facts | None, Verdict | None]]:
    """Every map with its facts and verdict, or `only` that one of them. A few queries, however many
    maps."""
    document, revision = project.document, project.head
    shas = {name: revision.sha_of(entry.file) for name, entry in document.maps.items()}
    sizes = MapFacts.sizes(shas.values())
    values = MapFacts.values(shas.values())
    measuring = project.jobs.filter(
        state__in=("waiting", "running"), kind__in=("bring-in", "measure")
    ).exists()
    set_of = set_of_each(sets_of(document))
    uses = uses_of_maps(document)
    users = _users(document)
    measured = {name: values[sha] for name, sha in shas.items() if sha in values}
    files = tuple((document.maps[name].file, shas[name]) for name in measured)
    naming = _NAMING.dump_json(document.naming)
    verdicts = _verdicts(files, naming, MapFacts.measured_again)
    result = []
    for name in document.maps if only is None else {only} & document.maps.keys():
        map_entry = document.maps[name]
        facts = measured.get(name)
        verdict = verdicts.get(map_entry.file)
        header = facts.header if facts else None
        result.append(
            (
                BoardMap(
                    name=name,
                    file=map_entry.file,
                    sha256=shas[name],
                    set=set_of[name],
                    tile=tile_of(map_entry.file),
                    roles={str(group): role for group, role in map_entry.roles.items()},
                    encoding=map_entry.encoding,
                    normal_y=map_entry.normal_y,
                    by_hand=map_entry.by_hand,
                    said_by=map_entry.said_by,
                    profile=header.profile if header else None,
                    profile_use=map_entry.profile,
                    state=_state(verdict, map_entry, measuring=measuring),
                    confidence=verdict.confidence if verdict else 0.0,
                    width=header.width if header else 0,
                    height=header.height if header else 0,
                    channels=header.channels if header else 0,
                    bits=header.bits if header else 0,
                    is_float=header.is_float if header else False,
                    bytes=sizes.get(shas[name], 0) if facts else 0,
                    used_by=users.get(name, []),
                    uses=uses.get(name, []),
                ),
                facts,
                verdict,
            )
        )
    return result


def _users(document: Document) -> dict[str, list[str]]:
    """The materials that each map is used by."""
    users: dict[str, list[str]] = {}
    for material, entry in document.materials.items():
        for used in entry.maps():
            users.setdefault(used, []).append(material)
    return users


def _state(verdict: Verdict | None, entry: MapEntry, *, measuring: bool) -> MapState:
    if verdict is None:
        return "measuring" if measuring else "missing"
    if entry.is_confirmed:
        return "sure"
    if verdict.conflict:
        return "conflict"
    return "unsure" if verdict.confidence < SURE else "sure"


def _held(header: ImageHeader) -> int:
    channels = 4 if header.channels == 3 else header.channels
    return header.width * header.height * channels * header.bits // 8 * 4 // 3


class GroupingSuggestion(Schema):
    """Maps that seem to be of one surface, though their names do not say so."""

    maps: list[str]
    correlation: float


@router.get("/projects/{uuid:project_id}/grouping-suggestions", response=list[GroupingSuggestion])
def grouping_suggestions(request: HttpRequest, project_id: UUID) -> list[GroupingSuggestion]:
    """Nameless maps that could be put into one set, for a person to accept."""
    project = project_or_404(project_id)
    document, head = project.document, project.head
    shas = {name: head.sha_of(entry.file) for name, entry in document.maps.items()}
    known = MapFacts.values(shas.values())
    groups = group_by_edges(
        sets_of(document),
        {name: known[sha] for name, sha in shas.items() if sha in known},
        {name: entry.roles for name, entry in document.maps.items()},
    )
    return [GroupingSuggestion(maps=list(one.maps), correlation=one.correlation) for one in groups]


@router.get("/projects/{uuid:project_id}/maps", response=list[BoardMap])
def board(request: HttpRequest, project_id: UUID) -> list[BoardMap]:
    """Every map of a project."""
    return [row for row, _, _ in _board(project_or_404(project_id))]


@router.get("/projects/{uuid:project_id}/maps/{path:name}", response=MapOut)
def get_map(request: HttpRequest, project_id: UUID, name: str) -> MapOut:
    """One map with its evidence and numbers."""
    project = project_or_404(project_id)
    for row, facts, verdict in _board(project, name):
        if facts is None or verdict is None:
            raise MissingReference(
                "its file has not been measured.", subject=name, hint="Import it again."
            )
        statistics = facts.statistics
        source = "you said so" if row.by_hand else f"{row.said_by} says so"
        by_file = project.document.maps[name].is_confirmed
        stated = (
            recheck(facts, row.roles, row.encoding, row.normal_y, source)  # type: ignore[arg-type]
            if by_file
            else verdict
        )
        return MapOut(
            map=row,
            role=verdict.role,
            judged_roles=verdict.roles,
            judged_normal_y=verdict.normal_y,
            evidence=list(stated.evidence),
            doubts=list(stated.doubts),
            notes=list(facts.notes),
            ending=ending_of(project.document, name),
            background=statistics.background,
            background_colour=list(statistics.background_colour),
            channels=[
                ChannelOut(
                    name=c.name, low=c.low, high=c.high, mean=c.mean, histogram=list(c.histogram)
                )
                for c in statistics.channels
            ],
            repeats_x=statistics.seam[0],
            repeats_y=statistics.seam[1],
            # Uncompressed RGBA with mips: 4/3 of the top level. Source: Khronos Data Format.
            memory=_held(facts.header),
            stored=facts.header.decoded_bytes,
            format=facts.header.format,
        )
    raise MissingReference("there is no such map.", subject=name)


@router.get("/map-pictures/{sha256}/{view}/{int:size}.png")
def map_picture(request: HttpRequest, sha256: str, view: View, size: int) -> HttpResponse:
    """A map or one channel, fitted into `size` texels."""
    return picture(pictures.map_png(_hash(sha256), view, min(max(size, 16), 16384)))


@router.get("/map-pictures/{sha256}/{view}/at/{int:x}/{int:y}/{int:width}x{int:height}.png")
def map_region(
    request: HttpRequest, sha256: str, view: View, x: int, y: int, width: int, height: int
) -> HttpResponse:
    """Part of a map, texel for texel, at most 2048 × 2048."""
    return picture(
        pictures.region_picture(_hash(sha256), view, x, y, min(width, 2048), min(height, 2048))
    )


@router.get("/map-differences/{sha256}/{other}/{int:size}.png")
def map_difference(request: HttpRequest, sha256: str, other: str, size: int) -> HttpResponse:
    """Where two maps differ, the largest difference white; as stored, at the first one's size."""
    return picture(pictures.difference_png(_hash(sha256), _hash(other), min(max(size, 16), 1024)))


@router.get("/map-pictures/{sha256}/texel/{int:x}/{int:y}", response=Texel)
def texel(request: HttpRequest, sha256: str, x: int, y: int) -> dict[str, object]:
    """One texel's numbers."""
    return pictures.texel_at(_hash(sha256), x, y)


@router.get("/map-files/{sha256}.{ending}")
def map_file(request: HttpRequest, sha256: str, ending: Literal["hdr", "exr"]) -> FileResponse:
    """A panorama as its file is, for the stage, which reads such files itself."""
    path = known_content(_hash(sha256))
    if path is None:
        raise MissingReference("there is no such map.", subject=sha256[:12], hint="Send it again.")
    response = FileResponse(path.open("rb"), content_type="application/octet-stream")
    response["Cache-Control"] = FOREVER
    return response


def picture(content: bytes) -> HttpResponse:
    """A PNG whose address says all it depends on."""
    response = HttpResponse(content, content_type="image/png")
    response["Cache-Control"] = FOREVER
    return response


def _hash(sha256: str) -> str:
    if not is_hash(sha256):
        raise MissingReference("there is no such map.", subject=sha256[:12])
    return sha256
