"""What is stored: projects and their revisions, facts by content, jobs, packages."""

from server.workshop.models.destination import Destination
from server.workshop.models.facts import MapFacts, MeshFacts
from server.workshop.models.followed import Followed
from server.workshop.models.job import Job
from server.workshop.models.offer import Offer
from server.workshop.models.package import Package
from server.workshop.models.project import (
    AnyState,
    Checkpoint,
    Project,
    Revision,
    StaleRevision,
    Unsaved,
    one_writer,
)

__all__ = [
    "AnyState",
    "Checkpoint",
    "Destination",
    "Followed",
    "Job",
    "MapFacts",
    "MeshFacts",
    "Offer",
    "Package",
    "Project",
    "Revision",
    "StaleRevision",
    "Unsaved",
    "one_writer",
]
