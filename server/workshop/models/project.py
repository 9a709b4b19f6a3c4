"""Projects and every state they have been in."""

from __future__ import annotations

import uuid

from django.db import models, transaction

from ektopos.document import Document, document_json
from ektopos.edits import Edit, apply_edits
from ektopos.project import Project as CoreProject
from server.workshop.store import content_path


class StaleRevision(Exception):
    """An edit was made on a state of the project that is no longer the newest."""


class Project(models.Model):
    """A project; its state is its head revision."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=120)
    head = models.ForeignKey("Revision", null=True, on_delete=models.PROTECT, related_name="+")
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-changed"]

    @classmethod
    def begin(cls, document: Document, files: dict[str, str] | None = None, label: str = "new project") -> Project:
        """A new project in a first state."""
        with transaction.atomic():
            project = cls.objects.create(name=document.name[:120])
            project._advance(document, files or {}, label)
        return project

    @property
    def document(self) -> Document:
        """The document as it is now."""
        return Document.model_validate(self.head.document)

    def core(self) -> CoreProject:
        """The project as the core sees it: its document, and the way to its files."""
        return self.head.core()

    def edit(self, edits: list[Edit], base: int | None, files: dict[str, str] | None = None) -> Revision:
        """Apply edits and make the result the head: one step to undo.

        `base` is the revision the edits were made on (`None`: whatever is newest, for work that only adds). `files` are paths
        to add. Raises `StaleRevision`, or `EktoposError` with nothing changed.
        """
        with transaction.atomic():
            project = self._locked(base)
            changed = apply_edits(project.document, edits)
            label = edits[0].label() + (f" and {len(edits) - 1} more" if len(edits) > 1 else "")
            return project._advance(changed, project.head.files | (files or {}), label)

    def undo(self, base: int) -> None:
        """Go back to the state before. Nothing happens at the first one."""
        with transaction.atomic():
            project = self._locked(base)
            if project.head.parent is not None:
                project._move(project.head.parent)

    def redo(self, base: int) -> None:
        """Go forward again, along the newest way."""
        with transaction.atomic():
            project = self._locked(base)
            following = project.head.children.order_by("-id").first()
            if following is not None:
                project._move(following)

    def restore(self, revision: Revision, base: int, label: str) -> None:
        """Bring an earlier state back as a new step."""
        with transaction.atomic():
            project = self._locked(base)
            project._advance(Document.model_validate(revision.document), revision.files, label)

    def _locked(self, base: int | None) -> Project:
        project = Project.objects.select_for_update().select_related("head").get(pk=self.pk)
        if base is not None and project.head_id != base:
            raise StaleRevision
        return project

    def _advance(self, document: Document, files: dict[str, str], label: str) -> Revision:
        revision = Revision.objects.create(
            project=self, parent=self.head, document=document_json(document), files=files, label=label[:200]
        )
        self._move(revision)
        return revision

    def _move(self, revision: Revision) -> None:
        self.head = revision
        self.name = str(revision.document["name"])[:120]
        self.save()


class Revision(models.Model):
    """One state of a project: its document, and which content lies at which path."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="revisions")
    parent = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="children")
    document = models.JSONField()
    files = models.JSONField(default=dict)
    label = models.CharField(max_length=200)
    made = models.DateTimeField(auto_now_add=True)

    def core(self) -> CoreProject:
        """The project in this state, as the core sees it."""
        files = self.files

        def find(file: str):
            sha256 = files.get(file)
            path = content_path(sha256) if sha256 else None
            return path if path is not None and path.is_file() else None

        return CoreProject(Document.model_validate(self.document), find)

    def sha_of(self, file: str) -> str:
        """The content at a path; empty if there is none."""
        return str(self.files.get(file, ""))


class Checkpoint(models.Model):
    """A state that was given a name."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="checkpoints")
    revision = models.ForeignKey(Revision, on_delete=models.CASCADE)
    name = models.CharField(max_length=120)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made"]
