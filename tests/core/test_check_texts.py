"""The numbers that people read of the checks are those that decide."""

from __future__ import annotations

import re
from pathlib import Path
from unittest import TestCase

from ektopos.checks import CODES, thresholds

ROOT = Path(__file__).resolve().parents[2]
NUMBER = re.compile(r"(?<![\w.-])\d+(?:\.\d+)?(?![\w.])(?: %)?")
OF_SOURCES = {
    "T.81": "the number of ITU-T’s recommendation",
    "2005": "the year in which a chart was measured",
    "0.03": "the black of that chart, as published",
    "0.9": "its white",
    "0.5": "tungsten and titanium, as published",
    "2001": "the year of a paper",
    "1": "a unit length, a whole, the other end of 0–1",
    "0": "nothing, the other end of 0–1",
    "2": "glTF 2.0, or half",
    "4": "blocks of 4 × 4",
}
"""What no constant decides, and what it is."""


def written(value: object) -> set[str]:
    """How a threshold can stand in a text."""
    if isinstance(value, tuple):
        return set().union(*(written(part) for part in value))
    if not isinstance(value, int | float):
        return set()
    return {f"{value:g}", f"{100 * value:g} %", f"{1 / value:g}" if value else ""}


class Thresholds(TestCase):
    def test_every_number_is_one_that_decides(self) -> None:
        deciding = set().union(
            *(written(v) for name, v in vars(thresholds).items() if name.isupper())
        )
        count = 0
        for code in CODES.values():
            text = re.sub(r"\([^()]*\d{4}[^()]*\)|ITU-T T\.81|glTF 2\.0|IEEE 754", "", code.sees)
            for number in NUMBER.findall(text):
                count += number not in OF_SOURCES
                with self.subTest(code.code, number=number):
                    self.assertIn(number, deciding | OF_SOURCES.keys(), code.sees)
        self.assertGreater(count, 15)

    def test_the_page_says_what_the_table_says(self) -> None:
        page = (ROOT / "docs/checks.md").read_text()
        for code in CODES.values():
            with self.subTest(code.code):
                self.assertIn(code.sees.replace("|", "\\|"), page)

    def test_a_number_typed_by_hand_is_found(self) -> None:
        deciding = written(thresholds.DARKEST) | written(thresholds.BETWEEN)
        self.assertEqual(deciding & {"0.02", "0.1", "0.9", "0.07"}, {"0.02", "0.1", "0.9"})
        self.assertEqual(NUMBER.findall("below 0.07 or 512, KHR_1, 25 %"), ["0.07", "512", "25 %"])
