"""Checks: what a person should know before handing over.

Each family is a module of small functions registered with `@check`; each function yields
`Finding`s. `run_checks` runs them all on a project.
"""

from ektopos.checks import carrying, encodings, feeds, normals, palettes, references, slots  # noqa: F401 — importing registers the families
from ektopos.checks.registry import Finding, Severity, run_checks

__all__ = ["Finding", "Severity", "run_checks"]
