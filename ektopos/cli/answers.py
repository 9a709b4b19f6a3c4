"""What a command answers: its exit code, JSON, and lines for people."""

from __future__ import annotations

import json

from ektopos.base.errors import MissingReference
from ektopos.base.strict_json import json_value

FINE, FOUND, BAD = 0, 1, 2
Outcome = tuple[object, int, list[str]]
"""What a command gives: its JSON, its exit code, and lines for people."""


def as_json(value: object) -> str:
    """The text that `--json` prints."""
    return json.dumps(json_value(value), indent=2, ensure_ascii=False, allow_nan=False)


def print_error(message: str, subject: str = "", hint: str = "") -> None:
    """What stopped a command, as JSON on stdout."""
    print(as_json({"error": {"message": message, "subject": subject, "hint": hint}}), flush=True)


def missing_finding(problem: MissingReference) -> dict[str, str]:
    """What stops a command for want of something that the project names, as a check would say
    it."""
    return {
        "code": "missing-reference",
        "severity": "error",
        "subject": problem.subject,
        "message": problem.message,
        "why": "The project names it, and without it nothing can be made.",
        "evidence": "",
        "fix": problem.hint,
    }
