"""Projects and every state they have been in."""

from __future__ import annotations

import contextlib
import threading
import uuid
from collections import OrderedDict
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

from django.conf import settings
from django.db import models, transaction

from ektopos.document import Document, document_json
from ektopos.document.delta import changed, difference
from ektopos.edits import Edit, apply_edits, collisions
from ektopos.project import OpenProject as CoreProject
from server.workshop.models.acting import acting
from server.workshop.models.ordered import OrderedJSON
from server.workshop.store import content_here

WHOLE_EVERY = 40
"""States that are kept as what changed, between two that are kept whole: an edit costs about as
much room as it says."""
FAR = 1000
"""States that are looked back over for what others have changed; beyond them the two ends are
compared."""
STATES = 64

_writing = threading.RLock()


class State(NamedTuple):
    """A project's document as JSON and its contents by path; shared, and never changed."""

    document: dict[str, Any]
    files: dict[str, str]


_states: OrderedDict[tuple[object, ...], State] = OrderedDict()
_documents: OrderedDict[tuple[object, ...], Document] = OrderedDict()
_keeping = threading.Lock()


@contextlib.contextmanager
def one_writer() -> Iterator[None]:
    """A transaction, for which the writers of this process stand in line, instead of asking the
    database for its lock over and over again, where whoever asks at the right moment goes first.
    """
    with _writing, transaction.atomic():
        yield


class StaleRevision(Exception):
    """An edit was made on a state in which something that it concerns was otherwise than it is
    now.
    """

    def __init__(self, *what: str) -> None:
        super().__init__(", ".join(what))
        self.what = what


class Project(models.Model):
    """A project; its state is its head revision."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=120)
    # Null only within the transaction that makes a project, whose first state refers to it.
    head: models.ForeignKey[Revision, Revision] = models.ForeignKey(  # type: ignore[misc]
        "Revision", null=True, on_delete=models.SET_NULL, related_name="+"
    )
    maps = models.IntegerField(default=0)
    materials = models.IntegerField(default=0)
    meshes = models.IntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-changed"]

    @classmethod
    def begin(
        cls, document: Document, files: dict[str, str] | None = None, label: str = "new project"
    ) -> Project:
        """A new project in a first state."""
        with one_writer():
            project = cls.objects.create(name=document.name[:120])
            project._advance(State(document_json(document), files or {}), label)
        return project

    @property
    def document(self) -> Document:
        """The document as it is now; shared, and never changed."""
        return self.head.parsed

    def fresh(self) -> Project:
        """The project as it is now, not as it was when this was loaded."""
        return Project.objects.select_related("head").get(pk=self.pk)

    def core(self) -> CoreProject:
        """The project as the core sees it: its document, and the way to its files."""
        return self.head.core()

    def edit(
        self,
        edits: list[Edit],
        base: int | None,
        files: dict[str, str] | None = None,
        *,
        page: str = "",
    ) -> Revision:
        """Apply edits and make the result the head: one step to undo.

        `base` is the revision the edits were made on (`None`: whatever is newest, for work that
        only adds), `page` the page they were made on, whose own edits never stand in each other's
        way. `files` are paths to add. Raises `StaleRevision` where somebody else has changed what
        the edits read or write, or `EktoposError`, with nothing changed.
        """
        with one_writer():
            project = self.held_now()
            project._check_free(edits, base, page)
            before = project.head.state
            document = apply_edits(project.head.parsed, edits)
            label = edits[0].label() + (f" and {len(edits) - 1} more" if len(edits) > 1 else "")
            state = State(document_json(document), before.files | (files or {}))
            return project._advance(state, label, page)

    def attach(self, files: dict[str, str]) -> None:
        """Say which contents lie at paths that the document names from its first state on: what an
        import does step by step."""
        with one_writer():
            for revision in self.revisions.filter(whole__isnull=False):
                whole = revision.whole or {}
                revision.whole = whole | {"files": files | whole["files"]}
                revision.save(update_fields=["whole"])
            self.revisions.update(epoch=models.F("epoch") + 1)
            Held.by_project(self, files.values())

    def undo(self, base: int, page: str = "") -> None:
        """Go back to the state before. Nothing happens at the first one."""
        with one_writer():
            project = self.held_now()
            project._check_newest(base, page)
            if project.head.parent is not None:
                project._move(project.head.parent)

    def redo(self, base: int, page: str = "") -> None:
        """Go forward again, along the newest way."""
        with one_writer():
            project = self.held_now()
            project._check_newest(base, page)
            following = project.head.following()
            if following is not None:
                project._move(following)

    def restore(self, revision: Revision, base: int, label: str, page: str = "") -> None:
        """Bring an earlier state back as a new step."""
        with one_writer():
            project = self.held_now()
            project._check_newest(base, page)
            project._advance(revision.state, label, page)

    def erase(self) -> None:
        """Delete the project with all its states, jobs and packages, or nothing of it."""
        with one_writer():
            self.held_now().delete()

    def held_now(self) -> Project:
        """The project as it is now and stays until the transaction ends."""
        # Read once more when the lock is had: a server that waited for it joins the row as it is
        # then with a head as it was before.
        Project.objects.select_for_update().only("pk").get(pk=self.pk)
        return self.fresh()

    def _between(self, made_on: Revision) -> tuple[list[Revision], list[Revision]]:
        """The revisions that lead from one to the head: those undone since, and those made since,
        newest first.

        Raises `StaleRevision` where it lies too far back to be looked through.
        """
        ancestors: dict[int, Revision] = {}
        current: Revision | None = self.head
        while current is not None and current.pk != made_on.pk and len(ancestors) < FAR:
            ancestors[current.pk] = current
            current = current.parent
        if current is not None and current.pk == made_on.pk:
            return [], list(ancestors.values())
        undone: list[Revision] = []
        below: Revision | None = made_on
        while below is not None and below.pk not in ancestors and len(undone) < FAR:
            undone.append(below)
            below = below.parent
        if below is None or below.pk not in ancestors:
            raise StaleRevision("the project")
        kept = list(ancestors)
        return undone, [ancestors[pk] for pk in kept[: kept.index(below.pk)]]

    def _check_free(self, edits: list[Edit], base: int | None, page: str) -> None:
        """Raises `StaleRevision` where somebody else has changed what edits read or write since
        they were made."""
        if base is None or base == self.head_id:
            return
        made_on = self.revisions.filter(pk=base).first()
        if made_on is None:
            raise StaleRevision("the project")
        conflicts = collisions(edits, made_on.parsed, self.head.parsed)
        if not conflicts:
            return  # all that they concern is as the page had seen it
        undone, after = self._between(made_on)
        steps = [(one, one.parent, one) for one in after] + [
            (one, one, one.parent) for one in undone
        ]
        for one, before, later in steps:
            if before is not None and later is not None and (not page or one.page != page):
                theirs = collisions(edits, before.parsed, later.parsed)
                if theirs:
                    raise StaleRevision(*theirs[:3])
        if not page:
            raise StaleRevision(*conflicts[:3])

    def _check_newest(self, base: int, page: str) -> None:
        """Raises `StaleRevision` where somebody else has done something that a page has not seen,
        with what it was."""
        if base == self.head_id:
            return
        made_on = self.revisions.filter(pk=base).first()
        if made_on is None:
            raise StaleRevision("the project")
        undone, after = self._between(made_on)
        others = [one.label for one in after + undone if not page or one.page != page]
        if others:
            raise StaleRevision(*others[:3])

    def _advance(self, state: State, label: str, page: str = "") -> Revision:
        """Make a state the head, after the head."""
        before = self.head
        since = 0 if before is None else before.since_whole + 1
        whole = before is None or since >= WHOLE_EVERY
        revision = Revision.objects.create(
            project=self,
            parent=before,
            author_id=acting(),
            label=label[:200],
            page=page[:40],
            whole=state._asdict() if whole else None,
            patch=None if whole else difference(before.state._asdict(), state._asdict()),
            since_whole=0 if whole else since,
            epoch=before.epoch if before else 0,
        )
        revision.keep(state)
        known = set() if before is None else set(before.files.values())
        Held.by_project(self, set(state.files.values()) - known)
        self._move(revision)
        return revision

    def _move(self, revision: Revision) -> None:
        document = revision.document
        self.head = revision
        self.name = str(document["name"])[:120]
        self.maps, self.materials, self.meshes = (
            len(document[part]) for part in ("maps", "materials", "meshes")
        )
        self.save()


class Revision(models.Model):
    """One state of a project, whole or as what changed since its parent."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="revisions")
    parent = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="children")
    whole = OrderedJSON(null=True)
    """The state itself, or …"""
    patch = OrderedJSON(null=True)
    """… what leads to it from the parent's (`ektopos.document.delta`)."""
    since_whole = models.PositiveSmallIntegerField(default=0)
    epoch = models.PositiveIntegerField(default=0)
    """Counts what was attached to the project's states, so that none is remembered from before."""
    label = models.CharField(max_length=200)
    page = models.CharField(max_length=40, blank=True, default="")
    """The page it was made on; empty for jobs and programs."""
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    """Whoever made it, or had it made; nobody where nobody logs in."""
    made = models.DateTimeField(auto_now_add=True)

    @property
    def state(self) -> State:
        """The document and files in this state. Cost: one row for each state since the last that is
        not remembered."""
        kept = self._remembered()
        if kept is not None:
            return kept
        behind: list[Revision] = []
        current = self
        while current.whole is None and current._remembered() is None:
            behind.append(current)
            assert current.parent is not None, "the first state of a project is whole"
            current = current.parent
        whole = current._remembered() or State(**(current.whole or {}))
        parts = whole._asdict()
        for revision in reversed(behind):
            parts = changed(parts, revision.patch or {})
        state = State(**parts)
        self.keep(state)
        return state

    @property
    def document(self) -> dict[str, Any]:
        """The document in this state, as JSON that must not be changed."""
        return self.state.document

    @property
    def parsed(self) -> Document:
        """The document in this state; shared, and never changed."""
        with _keeping:
            kept = _documents.get(self._key())
        if kept is None:
            kept = Document.model_validate(self.document)
            with _keeping:
                _documents[self._key()] = kept
                while len(_documents) > STATES:
                    _documents.popitem(last=False)
        return kept

    @property
    def files(self) -> dict[str, str]:
        """Which content lies at which path."""
        return self.state.files

    def following(self) -> Revision | None:
        """The state that redoing leads to."""
        return self.children.order_by("-id").first()

    def keep(self, state: State) -> None:
        """Remember a state for a while; they never change, so none is ever wrong."""
        with _keeping:
            _states[self._key()] = state
            while len(_states) > STATES:
                _states.popitem(last=False)

    def _remembered(self) -> State | None:
        with _keeping:
            remembered = _states.get(self._key())
            if remembered is not None:
                _states.move_to_end(self._key())
            return remembered

    def _key(self) -> tuple[object, ...]:
        # With the time, because a database that was restored may give a number again.
        return (self.pk, self.made, self.epoch)

    def core(self) -> CoreProject:
        """The project in this state, as the core sees it."""
        return _core(self.parsed, self.files)

    def sha_of(self, file: str) -> str:
        """The content at a path; empty if there is none."""
        return str(self.files.get(file, ""))


@dataclass(frozen=True)
class Unsaved:
    """A state that a project is not in: looked at before it is decided on."""

    parsed: Document
    files: dict[str, str]

    @property
    def document(self) -> dict[str, Any]:
        """The document in this state, as JSON."""
        return document_json(self.parsed)

    def core(self) -> CoreProject:
        """The project in this state, as the core sees it."""
        return _core(self.parsed, self.files)

    def sha_of(self, file: str) -> str:
        """The content at a path; empty if there is none."""
        return self.files.get(file, "")


def _core(document: Document, files: Mapping[str, str]) -> CoreProject:
    return CoreProject(document, lambda file: content_here(files.get(file, "")))


AnyState = Revision | Unsaved


class Checkpoint(models.Model):
    """A state that was given a name."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="checkpoints")
    revision = models.ForeignKey(Revision, on_delete=models.CASCADE)
    name = models.CharField(max_length=120)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made"]


class Held(models.Model):
    """A content that belongs to a project, or to a person who has sent it: they may ask for it."""

    project = models.ForeignKey(Project, null=True, on_delete=models.CASCADE, related_name="held")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE)
    sha256 = models.CharField(max_length=64)

    class Meta:
        indexes = [models.Index(fields=["sha256"])]
        constraints = [
            models.UniqueConstraint(fields=["project", "sha256"], name="held_once_a_project"),
            models.UniqueConstraint(fields=["person", "sha256"], name="held_once_a_person"),
        ]

    @staticmethod
    def by_project(project: Project, contents: Iterable[str]) -> None:
        """Say that contents belong to a project."""
        rows = [Held(project=project, sha256=sha) for sha in set(contents) if sha]
        if rows:
            Held.objects.bulk_create(rows, ignore_conflicts=True)

    @staticmethod
    def by_person(person: int, sha256: str) -> None:
        """Say that somebody has sent a content."""
        Held.objects.bulk_create([Held(person_id=person, sha256=sha256)], ignore_conflicts=True)
