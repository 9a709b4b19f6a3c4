"""Checks: what a person should know before handing over.

Each family is a module of small functions registered with `@check`; each function yields
`Finding`s. What the codes mean stands in `catalogue.py`, of which `docs/checks.md` is made.
`run_checks` runs them all on a project.
"""

from ektopos.checks import (  # noqa: F401 — importing registers the families
    carrying,
    density,
    encodings,
    feeds,
    files,
    memory,
    names,
    normals,
    palettes,
    ranges,
    references,
    sets,
    slots,
    uvs,
)
from ektopos.checks.catalogue import CODES, FAMILIES, CheckCode, Family, Severity
from ektopos.checks.registry import Finding, Known, MeshLook, Number, Remedy, run_checks

__all__ = [
    "CODES",
    "FAMILIES",
    "CheckCode",
    "Family",
    "Finding",
    "Known",
    "MeshLook",
    "Number",
    "Remedy",
    "Severity",
    "run_checks",
]
