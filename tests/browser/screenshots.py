"""Makes docs/screenshots/ again from the sample data: one picture of each main view, 1280 × 800."""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import cv2
from playwright.sync_api import Page, sync_playwright

from tests.browser.chromium import chromium

ROOT = Path(__file__).resolve().parents[2]
PORT = "8451"
OUT = ROOT / "docs/screenshots"
PASSWORD = "quiet stones, forty-two"


def wait_idle(page: Page) -> None:
    page.wait_for_load_state("networkidle")
    # The stage and small pictures of materials are drawn after their answers have come.
    page.wait_for_timeout(8000)


def take(page: Page, home: str) -> None:
    """Every view, in the order of the job."""

    def shot(name: str) -> None:
        wait_idle(page)
        page.screenshot(path=OUT / f"{name}.png")

    page.goto(f"{home}/maps")
    page.get_by_role("button", name="dome_copper_ORM: roughness").click()
    shot("maps")
    page.goto(f"{home}/materials/dome_copper")
    page.get_by_role("button", name="Roughness adjustments").click()
    shot("materials")
    page.goto(f"{home}/meshes/refractor?slot=9e_02")
    page.get_by_role("button", name="Slots", exact=True).click()
    page.get_by_role("region", name="Maps for 9e_02").get_by_role(
        "button", name="Assign"
    ).first.wait_for(timeout=180_000)
    shot("meshes")
    page.goto(f"{home}/checks")
    page.get_by_role("button", name=re.compile("^Green channel")).click()
    page.get_by_role("slider", name=re.compile("^Divider")).nth(1).wait_for(timeout=60_000)
    shot("checks")
    page.goto(f"{home}/scene")
    page.get_by_role("button", name="from the door", exact=True).click(timeout=90_000)
    time.sleep(6)
    shot("scene")
    page.goto(f"{home}/export")
    page.get_by_role("button", name="Export and test").click()
    page.get_by_text(re.compile(r"\d identical")).first.wait_for(timeout=180_000)
    shot("export")
    page.get_by_role("button", name="for glTF").click()
    page.get_by_role("menuitem", name="Compare the targets").click()
    page.get_by_role("row", name="USDZ").wait_for()
    shot("targets")
    page.get_by_role("dialog").get_by_role("button", name="Close").click()
    page.get_by_role("button", name="Hollin Ridge Observatory").click()
    page.get_by_role("menuitem", name="Dark theme").click()
    page.goto(f"{home}/materials/dome_copper")
    shot("materials_dark")
    page.get_by_role("button", name="Hollin Ridge Observatory").click()
    page.get_by_role("menuitem", name="Light theme").click()
    with tempfile.TemporaryDirectory() as folder:
        # The same copper after a wash: painted again in another program.
        (file,) = (ROOT / "build/screenshots-data").rglob("dome_copper_col.png")
        washed = cv2.imread(str(file)).astype(float)
        washed[..., 1] *= 0.85
        path = Path(folder) / "dome_copper_col.png"
        cv2.imwrite(str(path), washed.astype("uint8"))
        page.goto(f"{home}/maps")
        page.get_by_label("Files to import").set_input_files(path)
        page.get_by_role("button", name="Review…").click(timeout=60_000)
    page.get_by_role("table", name="What changes").wait_for(timeout=60_000)
    shot("changed_files")


def take_people(page: Page, other: Page, home: str) -> None:
    """The same project with two people in it: a note, and who may do what."""
    for one, name, screen in (
        (other, "tomas", "materials/dome_copper"),
        (page, "ines", "materials/dome_copper"),
    ):
        one.goto(f"{home}/{screen}")
        one.get_by_label("Name").fill(name)
        one.get_by_label("Password").fill(PASSWORD)
        one.get_by_role("button", name="Log in").click()
        one.wait_for_url(f"**/{screen}")
        one.get_by_role("heading", name="dome_copper", exact=True).wait_for()
    page.get_by_role("button", name="Roughness adjustments").click()
    page.get_by_role("button", name="Add note…").click()
    page.get_by_label("A note at").fill("A little duller at the seams?")
    page.keyboard.press("Control+Enter")
    page.get_by_role("dialog", name="Notes").get_by_text("A little duller").wait_for()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Hollin Ridge Observatory").click()
    page.get_by_role("menuitem", name="People").click()
    page.get_by_role("table", name="Members").wait_for()
    wait_idle(page)
    page.screenshot(path=OUT / "people.png")


@contextlib.contextmanager
def served(environment: dict[str, str]) -> Iterator[str]:
    """The application, while the block runs; its address."""
    server = subprocess.Popen(
        [str(ROOT / "run"), "demo"], cwd=ROOT, env=environment, stderr=subprocess.DEVNULL
    )
    try:
        address = f"http://127.0.0.1:{PORT}"
        for _ in range(240):
            try:
                urllib.request.urlopen(address, timeout=2)
                break
            except OSError:
                time.sleep(0.5)
        yield address
    finally:
        server.terminate()
        server.wait()


def main() -> None:
    """Start the application on a fresh data folder, take the pictures, stop it."""
    data = ROOT / "build/screenshots-data"
    shutil.rmtree(data, ignore_errors=True)
    OUT.mkdir(parents=True, exist_ok=True)
    environment = os.environ | {"EKTOPOS_DATA": str(data), "EKTOPOS_PORT": PORT}
    with sync_playwright() as playwright:
        browser = chromium(playwright)

        def opened() -> Page:
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.set_default_timeout(60_000)
            return page

        with served(environment) as address:
            page = opened()
            page.goto(address)
            page.get_by_role("link", name="Hollin Ridge Observatory").click()
            page.wait_for_url("**/maps")
            time.sleep(8)  # the worker measures the sample's files
            page.reload()
            home = page.url.removesuffix("/maps")
            take(page, home)
        environment["EKTOPOS_TEAM"] = "1"
        people = (
            "from django.contrib.auth.models import User; from server.workshop.models import *;"
            f"one, two = (User.objects.create_user(n, password='{PASSWORD}') for n in ('ines', 'tomas'));"
            "p = Project.objects.get(); Member.objects.create(project=p, person=one, role='own');"
            "Member.objects.create(project=p, person=two, role='work')"
        )
        manage = [sys.executable, "manage.py"]
        subprocess.run([*manage, "migrate", "-v", "0"], cwd=ROOT, env=environment, check=True)
        subprocess.run(
            [*manage, "shell", "-v", "0", "-c", people], cwd=ROOT, env=environment, check=True
        )
        with served(environment):
            take_people(opened(), opened(), home)


if __name__ == "__main__":
    Path(OUT).mkdir(parents=True, exist_ok=True)
    sys.exit(main())
