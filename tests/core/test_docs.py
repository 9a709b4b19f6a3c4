"""Pages lead to files that are there."""

from __future__ import annotations

import re
from pathlib import Path
from unittest import TestCase

from bench.__main__ import PRINTED, with_result

ROOT = Path(__file__).resolve().parents[2]
PAGES = ("README.md", "CONTRIBUTING.md", "docs/architecture.md", "docs/decisions.md")
NAMED = re.compile(r"`((?:ektopos|server|web|tests|docs|bench|deploy|demo)/[\w./-]+)`")


class Paths(TestCase):
    def test_every_file_that_a_page_names_is_there(self) -> None:
        count = 0
        for page in PAGES:
            for name in NAMED.findall((ROOT / page).read_text()):
                count += 1
                with self.subTest(page, name=name):
                    self.assertTrue((ROOT / name).exists())
        self.assertGreater(count, 150)

    def test_every_setting_that_a_page_names_is_read(self) -> None:
        code = "".join(
            path.read_text()
            for path in (
                ROOT / "run",
                *(ROOT / "server").rglob("*.py"),
                *(ROOT / "ektopos").rglob("*.py"),
            )
        )
        named = {
            name
            for page in (ROOT / "README.md", *(ROOT / "docs").glob("*.md"))
            for name in re.findall(r"EKTOPOS_([A-Z_]+)", page.read_text())
        }
        self.assertGreater(len(named), 40)
        unread = [n for n in named if f"EKTOPOS_{n}" not in code and f'"{n}"' not in code]
        self.assertEqual(unread, [])

    def test_links_between_pages_lead_somewhere(self) -> None:
        for page in ("README.md", "CONTRIBUTING.md", *Path(ROOT / "docs").glob("*.md")):
            path = ROOT / page
            for link in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", path.read_text()):
                with self.subTest(path.name, link=link):
                    self.assertTrue((path.parent / link).exists())


class Figures(TestCase):
    def test_a_benchmark_takes_the_place_of_its_last_run(self) -> None:
        page = "# Benchmarks\n\nBy hand.\n"
        once = with_result(page, "packing", "one: 1.0 s", "2026-01-02", "2 cores")
        other = with_result(once, "trial", "two: 2.0 s", "2026-01-02", "2 cores")
        again = with_result(other, "packing", "one: 0.9 s", "2026-03-04", "4 cores")
        self.assertEqual(again.count(PRINTED), 1)
        self.assertIn("By hand.", again)
        self.assertIn("2026-03-04, 4 cores:\n\n```\none: 0.9 s\n```", again)
        self.assertNotIn("1.0 s", again)
        self.assertIn("two: 2.0 s", again)
