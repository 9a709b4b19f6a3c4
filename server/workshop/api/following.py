"""Folders that a project follows."""

from __future__ import annotations

from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from ektopos.automation.watched_folders import stamps
from ektopos.base.errors import EktoposError
from server.workshop.api.projects import project_or_404
from server.workshop.following import allowed, roots_of
from server.workshop.models import Followed, Role
from server.workshop.principals import caller_of

router = Router(tags=["following"])


class FollowedOut(Schema):
    """A folder that is followed."""

    id: int
    folder: str
    takes: bool
    files: int
    problem: str


class FollowingOut(Schema):
    """What a project follows, and below what it may follow more."""

    roots: list[str]
    folders: list[FollowedOut]


class Follow(Schema):
    """A folder to be followed."""

    folder: str
    takes: bool = False


def _shown(row: Followed) -> FollowedOut:
    return FollowedOut(
        id=row.pk, folder=row.folder, takes=row.takes, files=len(row.seen), problem=row.problem
    )


@router.get("/projects/{uuid:project_id}/followed", response=FollowingOut)
def following(request: HttpRequest, project_id: UUID) -> FollowingOut:
    """What the project follows."""
    project = project_or_404(project_id)
    role = caller_of(request).role_in(project.pk)
    if role is None or not role.allows(Role.WORK):
        return FollowingOut(roots=[], folders=[])  # Visitors learn nothing of this machine.
    rows = project.followed.all()
    roots = [str(root) for root in roots_of(project)]
    return FollowingOut(roots=roots, folders=[_shown(row) for row in rows])


@router.post("/projects/{uuid:project_id}/followed", response=FollowedOut)
def follow(request: HttpRequest, project_id: UUID, given: Follow) -> FollowedOut:
    """Follow a folder from now on, or say whether what is saved there is taken by itself."""
    project = project_or_404(project_id)
    path = allowed(given.folder, project)
    folder = str(path)
    if len(folder) > 1000:
        raise EktoposError("the path is too long.", subject=folder[:80])
    if not project.followed.filter(folder=folder).exists():
        stamps(path)
    row, _ = Followed.objects.update_or_create(
        project=project, folder=folder, defaults={"takes": given.takes}
    )
    return _shown(row)


@router.delete("/projects/{uuid:project_id}/followed/{int:followed_id}", response={204: None})
def leave(request: HttpRequest, project_id: UUID, followed_id: int) -> tuple[int, None]:
    """Follow a folder no longer; what came from it stays."""
    get_object_or_404(project_or_404(project_id).followed, pk=followed_id).delete()
    return 204, None
