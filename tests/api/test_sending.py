"""How much is sent: text compressed, and what never changes once. Source: RFC 9110, 8.4 and 12.5.3;
RFC 8246 (immutable)."""

from __future__ import annotations

import gzip
import json
import re

from server.workshop.models import MapFacts
from tests.api.client import Api

GZIP = {"Accept-Encoding": "gzip"}
FIRST_PAGE = 300_000
"""Bytes that may be asked for before the first page is there. Our own goal."""


class Sending(Api):
    def test_the_first_page_is_as_small_as_said_and_asked_for_once(self) -> None:
        page = self.client.get("/", headers=GZIP)
        self.assertEqual(page["Cache-Control"], "no-cache", "which says what the others are called")
        files = set(
            re.findall(rb'(?:src|href)="/assets/([^"]+)"', b"".join(page.streaming_content))
        )
        sent, imported = 0, set()
        for file in files:
            answer = self.client.get(f"/assets/{file.decode()}", headers=GZIP)
            self.assertEqual(answer["Content-Encoding"], "gzip", file)
            self.assertIn("immutable", answer["Cache-Control"], file)
            packed = b"".join(answer.streaming_content)
            sent += len(packed)
            imported |= set(re.findall(rb'(?:from|import)"\./([^"]+)"', gzip.decompress(packed)))
        self.assertLess(sent, FIRST_PAGE)
        self.assertTrue(imported)
        self.assertLessEqual(imported, files, "nothing is fetched that the page does not name")

    def test_answers_are_compressed_for_those_who_can_read_it_and_pictures_are_not(self) -> None:
        project = self.sample()
        plain = self.client.get(f"/api/projects/{project['id']}")
        self.assertNotIn("Content-Encoding", plain)
        packed = self.client.get(f"/api/projects/{project['id']}", headers=GZIP)
        self.assertEqual(packed["Content-Encoding"], "gzip")
        self.assertEqual(json.loads(gzip.decompress(packed.content)), plain.json())
        self.assertLess(len(packed.content), 0.5 * len(plain.content))
        sha256 = MapFacts.objects.first().sha256
        picture = self.client.get(f"/api/map-pictures/{sha256}/r/64.png", headers=GZIP)
        self.assertEqual(picture.status_code, 200)
        self.assertNotIn("Content-Encoding", picture)
