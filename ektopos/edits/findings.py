"""Findings that a person accepts, and what a project asks of its assets."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ektopos.base.names import in_words
from ektopos.document import Document, Rules, Waived, parse
from ektopos.edits.common import BaseEdit, Footprint


class Waive(BaseEdit):
    """Leave a finding as it is, for a reason that stands in the document."""

    kind: Literal["waive"] = "waive"
    code: str = Field(min_length=1, max_length=60)
    subject: str = Field(min_length=1, max_length=400)
    reason: str = Field(min_length=1, max_length=400)

    def label(self) -> str:
        return f"ignore {self.code} of {self.subject}"

    def footprint(self, document: Document) -> Footprint:
        return {f"{self.code} of {self.subject}": _reason(document, self.code, self.subject)}

    def apply(self, document: Document) -> None:
        document.waived = [
            *_others(document, self.code, self.subject),
            Waived(code=self.code, subject=self.subject, reason=self.reason.strip() or "—"),
        ]


class Unwaive(BaseEdit):
    """Count a finding again that was left as it is."""

    kind: Literal["unwaive"] = "unwaive"
    code: str
    subject: str

    def label(self) -> str:
        return f"stop ignoring {self.code} of {self.subject}"

    def footprint(self, document: Document) -> Footprint:
        return {f"{self.code} of {self.subject}": _reason(document, self.code, self.subject)}

    def apply(self, document: Document) -> None:
        document.waived = _others(document, self.code, self.subject)


class SetRule(BaseEdit):
    """Set one of the project's rules, or give it back with `value` null."""

    kind: Literal["set-rule"] = "set-rule"
    rule: Literal["density", "density_factor", "largest_size", "memory_mb", "material_names"]
    value: Any = None

    def label(self) -> str:
        return f"rule: {in_words(self.rule)}"

    def footprint(self, document: Document) -> Footprint:
        return {self.label(): document.rules.model_dump(mode="json")[self.rule]}

    def apply(self, document: Document) -> None:
        raw = document.rules.model_dump(mode="json", exclude_defaults=True)
        raw.pop(self.rule, None)
        if self.value is not None:
            raw[self.rule] = self.value
        document.rules = parse(Rules, raw, "rules")


class SetSeverity(BaseEdit):
    """Give a code another severity in this project, or `off`; with `severity` null the usual one
    again."""

    kind: Literal["set-severity"] = "set-severity"
    code: str = Field(min_length=1, max_length=60)
    severity: Literal["error", "warning", "note", "off"] | None = None

    def label(self) -> str:
        return f"{self.code}: {self.severity or 'default'}"

    def footprint(self, document: Document) -> Footprint:
        return {f"severity of {self.code}": document.rules.severities.get(self.code)}

    def apply(self, document: Document) -> None:
        kept = {code: s for code, s in document.rules.severities.items() if code != self.code}
        if self.severity is not None:
            kept[self.code] = self.severity
        document.rules = document.rules.model_copy(update={"severities": kept})


def _reason(document: Document, code: str, subject: str) -> str | None:
    return next((w.reason for w in document.waived if (w.code, w.subject) == (code, subject)), None)


def _others(document: Document, code: str, subject: str) -> list[Waived]:
    return [w for w in document.waived if (w.code, w.subject) != (code, subject)]
