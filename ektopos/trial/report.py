"""Trials as reports: one that build servers read, and one page to be printed for whoever receives
the package."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from html import escape
from typing import Any

from ektopos.base.names import counted, in_words
from ektopos.base.types import Json
from ektopos.trial.cells import not_carried
from ektopos.trial.compare import Trial


def junit(trials: Mapping[str, Trial]) -> str:
    """Trials by package as JUnit's XML: a suite for each package, a case for each input of each
    slot."""
    root = ET.Element("testsuites")
    for name, trial in trials.items():
        failed = [cell for cell in trial.cells if cell.verdict in ("differs", "lost")]
        skipped = [cell for cell in trial.cells if cell.verdict == "unsupported"]
        suite = ET.SubElement(
            root,
            "testsuite",
            name=f"{name} ({trial.target})",
            tests=str(len(trial.cells)),
            failures=str(len(failed)),
            errors="0",
            skipped=str(len(skipped)),
        )
        for cell in trial.cells:
            case = ET.SubElement(
                suite, "testcase", classname=f"{cell.mesh}.{cell.slot}", name=cell.input
            )
            if cell in failed:
                ET.SubElement(
                    case, "failure", type=cell.cause or "unknown", message=cell.message
                ).text = cell.verdict
            elif cell in skipped:
                ET.SubElement(case, "skipped", message=cell.message)
    ET.indent(root)
    return ET.tostring(root, encoding="unicode", xml_declaration=True) + "\n"


_GLYPHS = {
    "same": "=",
    "close": "≈",
    "unsupported": "–",
    "by-hand": "✎",
    "lost": "△",
    "differs": "≠",
}
_STYLE = """
body { font: 12px/1.45 system-ui, sans-serif; color: #1b1b1b; margin: 24px auto; max-width: 900px;
  padding: 0 16px; }
h1 { font-size: 20px; margin: 0 0 4px; }
h2 { font-size: 14px; margin: 18px 0 6px; }
p { margin: 2px 0; }
table { border-collapse: collapse; width: 100%; }
th, td { border-top: 1px solid #cfcfcf; padding: 3px 6px; text-align: left; }
th { font-weight: 600; } td.n { text-align: center; font-family: ui-monospace, monospace; }
.bad { color: #a3302a; font-weight: 600; } .quiet { color: #565656; }
figure { display: inline-block; margin: 0 12px 8px 0; }
figure img { width: 150px; height: 150px; border: 1px solid #cfcfcf; }
@page { size: A4; margin: 11mm; }
@media print {
  body { margin: 0; padding: 0; max-width: none; font-size: 8px; line-height: 1.3; }
  h1 { font-size: 15px; } h2 { font-size: 10px; margin: 8px 0 3px; }
  table { table-layout: fixed; }
  th, td { padding: 1px 3px; }
  th { font-size: 6.5px; text-align: center; }
  th:first-child { width: 26%; text-align: left; } tr, figure { break-inside: avoid; }
  figure { width: 23.5%; margin: 0 1% 4px 0; font-size: 7px; }
  figure img { width: 49%; height: auto; border: 0; }
}
"""


@dataclass(frozen=True)
class Report:
    """What stands on the page beside the trial."""

    project: str
    target: str
    made: str
    files: Sequence[Mapping[str, Any]]
    """`path` and `bytes` of every file."""
    pictures: Mapping[tuple[str, str], tuple[str, str]]
    """Addresses of the renders, meant and arrived, by mesh and view."""
    findings: Sequence[Mapping[str, Any]] = ()
    """What the checks found of the state that was exported, waived or not."""


def page(report: Report, trial: Mapping[str, Any]) -> str:
    """A package and its trial on one page of HTML that needs nothing else, to be printed or saved
    as PDF from the browser."""
    wrong = [cell for cell in trial["cells"] if cell["verdict"] in ("differs", "lost")]
    open_ = [one for one in report.findings if one["waived"] is None and one["severity"] != "note"]
    ignored = [one for one in report.findings if one["waived"] is not None]
    size = sum(int(file["bytes"]) for file in report.files)
    verdict = (
        f"passed{_not_supported(trial['cells'])}{_loss(trial['cells'])}"
        if trial["passed"]
        else f"failed in {len(wrong)} places"
    )
    renders = "".join(_render(report, one) for one in trial.get("renders", []))
    return (
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(report.project)}: "
        f"{escape(report.target)}</title>"
        f"<style>{_STYLE}</style><h1>{escape(report.project)}</h1>"
        f"<p>for {escape(report.target)} · made {escape(report.made)} · "
        f"{counted(len(report.files), 'file')}, {size / 1e6:.1f} MB</p>"
        f"<p class={'quiet' if trial['passed'] else 'bad'}>Trial {verdict}.</p>"
        f"<h2>Slots and inputs</h2>{_table(trial['cells'])}"
        "<p class=quiet>= identical · ≈ within rounding or compression · – not supported · "
        "✎ set manually · "
        "△ lost · ≠ differs; numbers are the largest error</p>"
        + _section(
            "What differs",
            (
                f"<b>{escape(c['slot'])}, {escape(in_words(c['input']))}:</b> "
                f"{escape(c['message'])} <i>{escape(c.get('advice', ''))}</i>"
                for c in wrong
            ),
        )
        + _section(
            "To be set manually",
            (
                f"☐ <b>{escape(one['material'])}</b> {escape(one['slot'])}: {escape(one['text'])}"
                for one in trial.get("by_hand", [])
            ),
        )
        + _section("What stays behind", map(_said_of, trial.get("left", [])))
        + _section("What the checks found", map(_said_of, open_))
        + _section(
            "Ignored findings",
            (f"{_said_of(one)} <i>Ignored: {escape(one['waived'])}</i>" for one in ignored),
        )
        + (f"<h2>Under the same light: made, arrived</h2>{renders}" if renders else "")
        + "</html>"
    )


def _table(cells: Sequence[Mapping[str, Any]]) -> str:
    """Slots down, inputs across."""
    inputs = list(dict.fromkeys(cell["input"] for cell in cells))
    rows = dict.fromkeys((cell["mesh"], cell["slot"], cell["material"]) for cell in cells)
    by_place = {(cell["mesh"], cell["slot"], cell["input"]): cell for cell in cells}
    head = "".join(f"<th>{escape(in_words(name))}</th>" for name in inputs)
    body = "".join(
        f"<tr><td>{escape(slot or 'the file')} <span class=quiet>{escape(mesh)}"
        f"{' · ' + escape(material or 'no material') if slot else ''}</span></td>"
        + "".join(_cell(by_place.get((mesh, slot, name))) for name in inputs)
        + "</tr>"
        for mesh, slot, material in rows
    )
    return f"<table><tr><th>Slot</th>{head}</tr>{body}</table>"


def _section(heading: str, items: Iterable[str]) -> str:
    """A list under a heading; nothing where there is nothing to list."""
    listed = "".join(f"<li>{item}</li>" for item in items)
    return f"<h2>{heading}</h2><ul>{listed}</ul>" if listed else ""


def _said_of(one: Mapping[str, Any]) -> str:
    return f"<b>{escape(one['subject'])}:</b> {escape(one['message'])}"


def _not_supported(cells: Sequence[Mapping[str, Any]]) -> str:
    """What of a trial that passed did not arrive all the same, in words."""
    unsupported, bare = not_carried((c["mesh"], c["slot"], c["verdict"], c["cause"]) for c in cells)
    parts = [f"{unsupported} not supported by this target"] if unsupported else []
    if bare:
        parts.append(f"{counted(bare, 'slot')} without a material")
    return f": {', '.join(parts)}" if parts else ": everything arrived as it was meant"


def _loss(cells: list[Json]) -> str:
    lossy = sum(cell["verdict"] == "close" and cell["cause"] == "compressed" for cell in cells)
    if not lossy:
        return ""
    return f", but for what compression loses in {lossy} {'place' if lossy == 1 else 'places'}"


def _cell(cell: Mapping[str, Any] | None) -> str:
    if cell is None:
        return "<td class=n></td>"
    error = "" if not cell["max_error"] else f" {cell['max_error']:.2g}"
    bad = " bad" if cell["verdict"] in ("differs", "lost") else ""
    return f'<td class="n{bad}">{_GLYPHS[cell["verdict"]]}{error}</td>'


def _render(report: Report, one: Mapping[str, Any]) -> str:
    name = one.get("material") or one["mesh"]
    shown = report.pictures.get((name, one["view"]))
    images = (
        ""
        if shown is None
        else "".join(f'<img src="{escape(address)}" alt="">' for address in shown)
    )
    words = f"{escape(name)}, {escape(one['view'])}: FLIP {one['flip']:.3f}, SSIM {one['ssim']:.3f}"
    return f"<figure>{images}<figcaption>{words}</figcaption></figure>"
