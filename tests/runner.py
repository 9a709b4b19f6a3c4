"""The test runner: it ends with what failed and how to repeat it, and remembers how long each test
took.

`python -m tests.runner PART…` sums up what several processes have left; with `--failed` it prints the
labels of what failed, to be run again.
"""

from __future__ import annotations

import json
import logging
import os
import re
import sys
import time
import unittest
import warnings
from pathlib import Path
from typing import Any

from django.test.runner import DiscoverRunner

ROOT = Path(__file__).resolve().parents[1]
RESULTS = ROOT / "build/test-results"
TRACES = ROOT / "build/test-traces"


def label_of(test: unittest.TestCase) -> str:
    """What repeats a test: its dotted name, of a part that of its whole, of a class that could not
    be set up that of the class."""
    name = getattr(test, "test_case", test).id()
    holder = re.fullmatch(r"\w+ \((.+)\)", name)
    return holder[1] if holder else name.removeprefix("unittest.loader._FailedTest.")


class Result(unittest.TextTestResult):
    """Keeps seconds by test, and of each failure its last line."""

    def __init__(self, *args: Any, **named: Any) -> None:
        super().__init__(*args, **named)
        self.seconds: dict[str, float] = {}
        self._began = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        self._began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        self.seconds[test.id()] = round(time.monotonic() - self._began, 3)
        super().stopTest(test)

    def told(self) -> dict[str, Any]:
        """The outcome as JSON: how many passed and were skipped, what failed, and the seconds."""
        reasons = {label_of(test): _reason(trace) for test, trace in (*self.errors, *self.failures)}
        for test in self.unexpectedSuccesses:
            reasons[label_of(test)] = "It passed, and was expected to fail."
        # A class that cannot be set up is no test that ran.
        other = {label_of(test) for test, _ in self.skipped} | set(reasons)
        return {
            "passed": len(set(self.seconds) - other),
            "skipped": len(self.skipped),
            "failed": reasons,
            "seconds": self.seconds,
        }


def _reason(trace: str) -> str:
    """The line of a traceback that says what was wrong: the first of the exception's own."""
    lines = [line for line in trace.splitlines() if re.match(r"[A-Za-z_][\w.]*(:|$)", line)]
    return (lines or trace.strip().splitlines() or [""])[0][:300]


class Runner(DiscoverRunner):
    """Django's runner, quiet about refusals that tests ask for."""

    def setup_test_environment(self, **named: Any) -> None:
        super().setup_test_environment(**named)
        # A 4xx is what many tests want, and a page that is closed breaks its connections.
        logging.getLogger("django.request").setLevel(logging.ERROR)
        logging.getLogger("django.server").setLevel(logging.WARNING)
        logging.getLogger("django.security").setLevel(logging.CRITICAL)
        # A library of colour science says at each start that it draws no diagrams here.
        warnings.filterwarnings("ignore", message=".*Matplotlib.*")

    def get_resultclass(self) -> type[unittest.TextTestResult] | None:
        return super().get_resultclass() or Result

    def suite_result(self, suite: unittest.TestSuite, result: Any, **named: Any) -> int:
        if isinstance(result, Result):
            part = os.environ.get("EKTOPOS_TEST_PART", "")
            told = result.told()
            keep(part or "tests", told)
            if not part:
                print(summary([told]), file=sys.stderr)
        return super().suite_result(suite, result, **named)


def keep(part: str, told: dict[str, Any]) -> None:
    """Store the outcome of one process; of a whole run there are several."""
    RESULTS.mkdir(parents=True, exist_ok=True)
    (RESULTS / f"{part}.json").write_text(json.dumps(told, indent=1))


def kept() -> dict[str, dict[str, Any]]:
    """The outcomes of the last run, by the process that left them."""
    return {path.stem: json.loads(path.read_text()) for path in sorted(RESULTS.glob("*.json"))}


def summary(outcomes: list[dict[str, Any]]) -> str:
    """What failed, why, what it looked like and how to repeat it; then one line that counts."""
    failed = {label: why for told in outcomes for label, why in told["failed"].items()}
    lines = []
    for label, why in failed.items():
        lines += ["", f"FAILED {label}", f"  {why}"]
        lines += [f"  {path.relative_to(ROOT)}" for path in sorted(TRACES.glob(f"{label}.*"))]
        lines += [f"  again: ./run test {label}"]
    counts = [sum(told["passed"] for told in outcomes), len(failed)]
    counts.append(sum(told["skipped"] for told in outcomes))
    lines += ["", "{} passed, {} failed, {} skipped".format(*counts)]
    return "\n".join(lines)


def main(arguments: list[str]) -> None:
    """The command line of the docstring above."""
    outcomes = kept()
    if "--failed" in arguments:
        print(*(label for told in outcomes.values() for label in told["failed"]), sep="\n")
        return
    print(summary(list(outcomes.values())), file=sys.stderr)
    for part in arguments:
        if part not in outcomes:
            print(f"{part} ended before its tests did: see above.", file=sys.stderr)


if __name__ == "__main__":
    main(sys.argv[1:])
