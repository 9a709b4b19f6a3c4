"""What is stored: projects and their revisions, facts by content, jobs, packages."""

from server.workshop.models.facts import MapFacts, MeshFacts
from server.workshop.models.job import Job
from server.workshop.models.package import Package
from server.workshop.models.project import Checkpoint, Project, Revision, StaleRevision, one_writer

__all__ = [
    "Checkpoint",
    "Job",
    "MapFacts",
    "MeshFacts",
    "Package",
    "Project",
    "Revision",
    "StaleRevision",
    "one_writer",
]
