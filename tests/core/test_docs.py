"""Pages lead to files that are there."""

from __future__ import annotations

import re
from pathlib import Path
from unittest import TestCase

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

    def test_links_between_pages_lead_somewhere(self) -> None:
        for page in ("README.md", "CONTRIBUTING.md", *Path(ROOT / "docs").glob("*.md")):
            path = ROOT / page
            for link in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", path.read_text()):
                with self.subTest(path.name, link=link):
                    self.assertTrue((path.parent / link).exists())
