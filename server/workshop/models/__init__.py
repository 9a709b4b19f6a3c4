"""What is stored: projects and their revisions, facts by content, jobs, packages."""

from server.workshop.models.acting import acting, acting_for
from server.workshop.models.audit import AuditEvent
from server.workshop.models.destination import Destination
from server.workshop.models.facts import MapFacts, MeshFacts
from server.workshop.models.followed import Followed
from server.workshop.models.granted import GrantedFolder
from server.workshop.models.job import Job
from server.workshop.models.note import Note
from server.workshop.models.offer import Offer
from server.workshop.models.package import Package
from server.workshop.models.project import (
    AnyState,
    Checkpoint,
    Held,
    Project,
    Revision,
    StaleRevision,
    Unsaved,
    one_writer,
)
from server.workshop.models.team import (
    ApiKey,
    Invitation,
    Member,
    Role,
    SecondFactor,
    SharedLink,
    VerifiedAddress,
    digest,
)

__all__ = [
    "AnyState",
    "ApiKey",
    "AuditEvent",
    "Checkpoint",
    "Destination",
    "Followed",
    "GrantedFolder",
    "Held",
    "Invitation",
    "Job",
    "MapFacts",
    "Member",
    "MeshFacts",
    "Note",
    "Offer",
    "Package",
    "Project",
    "Revision",
    "Role",
    "SecondFactor",
    "SharedLink",
    "StaleRevision",
    "Unsaved",
    "VerifiedAddress",
    "acting",
    "acting_for",
    "digest",
    "one_writer",
]
