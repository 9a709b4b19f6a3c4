"""Findings for build pipelines, and the codes as a document.

Sources: the XML that JUnit’s Ant task writes, as build servers read it (common practice; there is
no standard); SARIF 2.1.0, OASIS Standard.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from xml.etree import ElementTree

from ektopos import __version__
from ektopos.base.types import Json
from ektopos.checks.catalogue import CODES, FAMILIES, Severity
from ektopos.checks.registry import Finding

_LEVELS: dict[Severity, str] = {"error": "error", "warning": "warning", "note": "note"}


def junit_xml(findings: Sequence[Finding], name: str, fails: Sequence[str] = ("error",)) -> str:
    """The findings as one test each: those of the severities that fail as failures, waived ones as
    skipped with their reason, all others as passed with what was found."""
    suite = ElementTree.Element("testsuite", name=f"ektopos check {name}")
    failed = skipped = 0
    for finding in findings:
        case = ElementTree.SubElement(
            suite, "testcase", classname=f"{finding.family}.{finding.code}", name=finding.subject
        )
        text = f"{finding.message} {finding.fix}".strip()
        if finding.waived is not None:
            skipped += 1
            ElementTree.SubElement(case, "skipped", message=finding.waived)
        elif finding.severity in fails:
            failed += 1
            failure = ElementTree.SubElement(case, "failure", message=text, type=finding.severity)
            failure.text = finding.why
        else:
            ElementTree.SubElement(case, "system-out").text = f"{finding.severity}: {text}"
    for key, number in (("tests", len(findings)), ("failures", failed), ("skipped", skipped)):
        suite.set(key, str(number))
    ElementTree.indent(suite)
    return ElementTree.tostring(suite, "unicode", xml_declaration=True) + "\n"


def sarif_json(findings: Sequence[Finding], document: str) -> str:
    """The findings as a SARIF log; each lies in the project document, at what it is about."""
    used = sorted({finding.code for finding in findings})
    rules = [
        {
            "id": code,
            "shortDescription": {"text": CODES[code].title},
            "fullDescription": {"text": CODES[code].sees},
            "help": {"text": f"{CODES[code].why} {CODES[code].mended}"},
            "defaultConfiguration": {"level": _LEVELS[CODES[code].severity]},
        }
        for code in used
    ]
    log = {
        "version": "2.1.0",
        "runs": [
            {
                "tool": {"driver": {"name": "ektopos", "version": __version__, "rules": rules}},
                "results": [
                    _result(finding, used.index(finding.code), document) for finding in findings
                ],
            }
        ],
    }
    return json.dumps(log, indent=2, ensure_ascii=False) + "\n"


def _result(finding: Finding, rule: int, document: str) -> Json:
    result: Json = {
        "ruleId": finding.code,
        "ruleIndex": rule,
        "level": _LEVELS[finding.severity],
        "message": {"text": f"{finding.subject}: {finding.message} {finding.fix}".strip()},
        "locations": [
            {
                "physicalLocation": {"artifactLocation": {"uri": document}},
                "logicalLocations": [{"fullyQualifiedName": finding.subject}],
            }
        ],
    }
    if finding.waived is not None:
        result["suppressions"] = [{"kind": "external", "justification": finding.waived}]
    return result


_RULES = {
    "density": {"": 512, "metal": 1024},
    "density_factor": 2.0,
    "largest_size": 2048,
    "memory_mb": 64,
    "material_names": "M_*",
    "severities": {"not-power-of-two": "off", "open-edges": "warning"},
}


def codes_as_markdown() -> str:
    """`docs/checks.md`."""
    lines = [
        "# What the checks look at",
        "",
        "Generated from `ektopos/checks/catalogue.py` by `./manage.py api_types`. Do not edit.",
        "",
        "A finding is an *error* (the result would be wrong), a *warning* (probably not meant) "
        "or a *note* (worth knowing). A project can give a code another severity, or turn it `off` "
        "(`rules.severities` in its document; Checks, “Project rules…”). A finding can be "
        "ignored with a reason, "
        "which stands in the document (`waived`), in `check --json` and in reports; it stays in "
        "the list and fails nothing. Where no source is named, a rule or threshold is common "
        "practice.",
    ]
    lines += [
        "",
        "## Project rules",
        "",
        "`rules` in the document, each as wished; what is not said is not asked:",
        "",
        "```json",
        json.dumps(_RULES, indent=2),
        "```",
        '`density` is texels per metre by surface tag (`""` for all others), `memory_mb` 10⁶ '
        "bytes in blocks of 4 × 4 with mips, `material_names` a pattern with `*` and `?`.",
    ]
    for family in FAMILIES:
        lines += ["", f"## {family[0].upper()}{family[1:]}"]
        lines += ["", "| code | severity | sees | why it matters | how to fix | rule |"]
        lines += ["|---|---|---|---|---|---|"]
        for code in CODES.values():
            if code.family == family:
                cells = [f"`{code.code}`", code.severity, code.sees, code.why, code.mended]
                lines.append(f"| {' | '.join([*cells, code.rule and f'`{code.rule}`'])} |")
    return "\n".join(lines) + "\n"
