"""Trials as a report that build servers read."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Mapping

from ektopos.trial.compare import Trial


def junit(trials: Mapping[str, Trial]) -> str:
    """Trials by package as JUnit's XML: a suite for each package, a case for each input of each slot."""
    root = ET.Element("testsuites")
    for name, trial in trials.items():
        failed = [cell for cell in trial.cells if cell.verdict in ("differs", "lost")]
        skipped = [cell for cell in trial.cells if cell.verdict == "unsupported"]
        suite = ET.SubElement(
            root, "testsuite", name=f"{name} ({trial.target})", tests=str(len(trial.cells)), failures=str(len(failed)),
            errors="0", skipped=str(len(skipped)),
        )  # fmt: skip
        for cell in trial.cells:
            case = ET.SubElement(suite, "testcase", classname=f"{cell.mesh}.{cell.slot}", name=cell.input)
            if cell in failed:
                ET.SubElement(case, "failure", type=cell.cause or "unknown", message=cell.message).text = cell.verdict
            elif cell in skipped:
                ET.SubElement(case, "skipped", message=cell.message)
    ET.indent(root)
    return ET.tostring(root, encoding="unicode", xml_declaration=True) + "\n"
