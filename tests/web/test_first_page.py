"""What a browser has to fetch before the first page is there: little enough."""

from __future__ import annotations

import gzip
import re
from pathlib import Path
from unittest import TestCase

DIST = Path(__file__).resolve().parents[2] / "web/dist"
MOST = 300_000
"""Bytes, compressed as servers send them. Our own goal."""


class FirstPage(TestCase):
    def test_scripts_and_styles_of_the_first_page_are_small(self) -> None:
        page = (DIST / "index.html").read_text()
        files = set(re.findall(r'(?:src|href)="/(assets/[^"]+\.(?:js|css))"', page))
        # What those import at once is fetched with them.
        waiting = list(files)
        while waiting:
            text = (DIST / waiting.pop()).read_text()
            for name in re.findall(r'(?:from|import)\s*"\./([^"]+\.js)"', text):
                if f"assets/{name}" not in files:
                    files.add(f"assets/{name}")
                    waiting.append(f"assets/{name}")
        sizes = {name: len(gzip.compress((DIST / name).read_bytes())) for name in files}
        self.assertGreater(len(sizes), 1)
        self.assertLess(sum(sizes.values()), MOST, sizes)
