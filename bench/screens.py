"""What a page takes to be there, the stage drawn in software: Materials and Meshes of the sample
opened for the first time and again, and other lights. Goals: 0.3 s after the answer, and for a
light, as far as it is not the drawing itself."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from playwright.sync_api import Locator, Page, sync_playwright

from ektopos.rendering.lights import LIGHTS
from tests.browser.chromium import PIXELS, chromium
from tests.workshop import Workshop

CLICKED = """(button, there) => new Promise((done) => {
  const began = performance.now();
  const painted = () => requestAnimationFrame(() => setTimeout(() => done(performance.now() - began)));
  const look = () => document.querySelector(there) ? painted() : setTimeout(look, 5);
  button.click(); look();
})"""
"""Milliseconds from a click until something is there and the frame with it is handed over."""


def run() -> None:
    """Print the seconds from each click until what it asks for is painted."""
    with tempfile.TemporaryDirectory(prefix="ektopos-bench-") as name, sync_playwright() as player:
        workshop = Workshop(Path(name) / "data")
        workshop.start()
        browser = chromium(player)
        try:
            project = workshop.ask("POST", "/projects/sample")
            place = f"/projects/{project['id']}"
            while any(job["state"] != "done" for job in workshop.ask("GET", f"{place}/jobs")):
                time.sleep(0.5)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(f"http://127.0.0.1:{workshop.port}{place}/maps")
            page.locator(".board-row").first.wait_for()
            measure(page)
        finally:
            browser.close()
            workshop.stop()


def measure(page: Page) -> None:
    """Each of them, with a pause before it in which the page does what it leaves for later."""

    def seconds(button: Locator, there: str) -> float:
        page.wait_for_timeout(15_000)
        return float(button.evaluate(CLICKED, there)) / 1000

    trail = page.get_by_role("navigation", name="The job")
    for when in ("the first time", "again"):
        for screen, there in (("Materials", ".sheet-head"), ("Meshes", "table.slots tr td")):
            took = seconds(trail.get_by_role("link", name=screen), there)
            print(f"{screen}, {when}: {took:.2f} s")
    canvas = page.get_by_test_id("stage").locator("canvas")
    for light in list(LIGHTS.values())[1:]:
        took = seconds(page.get_by_role("button", name=light.label, exact=True), "canvas")
        began = time.perf_counter()
        canvas.evaluate(PIXELS)
        drawn = time.perf_counter() - began
        print(f"{light.label}: {took:.2f} s, and {drawn:.2f} s to be drawn and read back")
