"""A running application for browser tests: live server, the real worker process, and Chromium."""

from __future__ import annotations

import atexit
import base64
import contextlib
import os
import shutil
import subprocess
import sys
import tempfile
import threading
from functools import cache
from pathlib import Path

import numpy as np
from django.conf import settings
from django.db import connections
from django.test import LiveServerTestCase
from playwright.sync_api import Browser, Locator, Page, Playwright, TimeoutError, sync_playwright
from playwright.sync_api import Error as PlaywrightError
from pydantic import TypeAdapter

from ektopos.edits import Edit
from server.workshop import reader_processes
from server.workshop.models import Job, Project, facts
from tests.browser.chromium import PIXELS, chromium
from tests.runner import TRACES
from tests.samples import folder, project_folder

ROOT = Path(__file__).resolve().parents[2]
VIOLATIONS = """async () => {
  const { violations } = await axe.run(document, { resultTypes: ['violations'] })
  return violations.map((v) => `${v.id}: ${v.help} — ${v.nodes[0].html.slice(0, 160)}`)
}"""


@cache
def browser(draws: bool = False) -> Browser:
    """The one browser of a run, and the one that draws; every test has a context of its own."""
    return chromium(_playwright(), draws)


@cache
def _playwright() -> Playwright:
    # Playwright's synchronous interface runs an event loop in this thread, which Django takes for
    # asynchronous code.
    os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
    playwright = sync_playwright().start()
    atexit.register(playwright.stop)
    return playwright


@cache
def keep_worker() -> None:
    """See that readers and a worker are there for the whole run, and another worker when one ends,
    as the application does."""
    readers = subprocess.Popen(
        reader_processes.command(),
        cwd=ROOT,
        env=reader_processes.environment(),
        stderr=subprocess.DEVNULL,
    )
    atexit.register(readers.terminate)
    reader_processes.use_readers()
    threading.Thread(target=_keep_worker, daemon=True).start()


def _keep_worker() -> None:
    database = Path(connections["default"].settings_dict["NAME"]).name
    environment = os.environ | {
        "EKTOPOS_DATABASE": database,
        "EKTOPOS_DATA": str(settings.DATA_FOLDER),
        "EKTOPOS_FOLDERS": tempfile.gettempdir(),
    }
    command = [sys.executable, "manage.py", "do_jobs"]
    while True:
        worker = subprocess.Popen(command, cwd=ROOT, env=environment, stderr=subprocess.DEVNULL)
        atexit.register(worker.terminate)
        worker.wait()


class Site(LiveServerTestCase):
    """A test with a page of its own."""

    draws = False
    """Whether its stage draws. In software that is half of what a page does, so only where a stage
    is looked at, or may be in the way; elsewhere it is a browser without WebGL."""

    def setUp(self) -> None:
        keep_worker()
        # The database is emptied between tests, and this process remembers what was in it.
        facts._values.clear()
        # As in a page zoomed out to half: the same layout, and a quarter of the texels to be drawn
        # without a graphics card.
        context = browser(self.draws).new_context(
            viewport={"width": 1280, "height": 800}, device_scale_factor=0.5, accept_downloads=True
        )
        context.tracing.start()
        self.page: Page = context.new_page()
        # Half of the tests run beside these, on two cores: what takes long is not what is wrong.
        self.page.set_default_timeout(90_000)
        self.complaints: list[str] = []
        self.page.on("pageerror", lambda problem: self.complaints.append(str(problem)))
        self.page.on(
            "console", lambda m: self.complaints.append(m.text) if m.type == "error" else None
        )
        # Nothing may be fetched from elsewhere at run time.
        self.page.on("request", lambda r: self._is_ours(r.url) or self.complaints.append(r.url))

    def tearDown(self) -> None:
        # The outcome of the test's own body; there is no other way to ask for it.
        if not self._outcome.success:  # type: ignore[attr-defined]
            TRACES.mkdir(parents=True, exist_ok=True)
            with contextlib.suppress(PlaywrightError):
                self.page.screenshot(path=TRACES / f"{self.id()}.png")
                self.page.context.tracing.stop(path=TRACES / f"{self.id()}.zip")
        self.page.context.close()

    def _is_ours(self, url: str) -> bool:
        return url.startswith((self.live_server_url, "data:", "blob:"))

    def open(self, path: str) -> None:
        self.page.goto(f"{self.live_server_url}{path}")

    def button(self, name: str) -> Locator:
        return self.page.get_by_role("button", name=name, exact=True)

    def slowed(self, times: int) -> None:
        """Let the page's own work take so many times as long, as on a weak or busy machine."""
        session = self.page.context.new_cdp_session(self.page)
        session.send("Emulation.setCPUThrottlingRate", {"rate": times})

    def begin(self, name: str = "Walk") -> str:
        """A new project through the interface; gives its address."""
        self.open("/")
        self.button("New project").click()
        self.page.get_by_label("Project name").fill(name)
        self.button("Create").click()
        self.page.wait_for_url("**/maps")
        self.page.get_by_text("No maps yet").wait_for()
        return self.page.url.removesuffix("/maps")

    def bring_in(self, folder: Path) -> None:
        """Bring a folder in as the button does, and wait until it is measured."""
        self.page.get_by_label("Folder to import").set_input_files(folder)
        self.page.get_by_role("region", name="Imports").get_by_role(
            "button", name="Close"
        ).wait_for()

    def open_small_project(self) -> None:
        """Open the small project from its zip, as the button of the first screen does."""
        with folder() as root:
            self.open("/")
            packed = shutil.make_archive(str(root / "p"), "zip", project_folder(root / "p"))
            self.page.get_by_label("Project zip to open").set_input_files(packed)
            self.page.wait_for_url("**/maps")
        self.measured()

    def measured(self) -> None:
        """Wait until no job is left, and the page shows what they have measured."""
        while Job.objects.filter(state__in=("waiting", "running")).exists():
            self.page.wait_for_timeout(50)
        self.page.reload()

    def other_page(self, project: str, *edits: dict) -> None:
        """Edits that somebody else makes meanwhile."""
        changed = Project.objects.get(pk=project)
        changed.edit([TypeAdapter(Edit).validate_python(edit) for edit in edits], None)

    def go(self, screen: str) -> None:
        link = self.page.get_by_role("navigation", name="Workflow").get_by_role("link", name=screen)
        # A station can name itself once more in what it says to do next.
        there = self.page.locator(f".trail [aria-current=page] >> text={screen}").first
        link.click()
        try:
            there.wait_for(timeout=20_000)
        except TimeoutError:
            # On a loaded machine a click can come between two states of the page; a hand clicks again.
            link.click()
            there.wait_for()

    def to_material(self, name: str) -> None:
        """Go to a material by way of the list."""
        self.go("Materials")
        self.page.get_by_title(name, exact=True).and_(self.page.get_by_role("button")).click()
        self.page.get_by_role("heading", name=name, exact=True).wait_for()

    def _canvas(self) -> Locator:
        return self.page.get_by_test_id("stage").locator("canvas")

    def _pixels_now(self) -> np.ndarray:
        """What the stage shows at this moment: `(96, 96, 4)` whole numbers, 0 to 255."""
        texels = np.frombuffer(base64.b64decode(self._canvas().evaluate(PIXELS)), np.uint8)
        return texels.reshape(96, 96, 4).astype(np.int32)

    def stage_pixels(self, unlike: np.ndarray | None = None) -> np.ndarray:
        """What the stage has really drawn: `(96, 96, 4)`, read back from its canvas once it has
        settled.

        With `unlike` given, waits until it differs from that, and fails if it never does.
        """
        self._canvas().wait_for()
        before = None
        for _ in range(100):
            now = self._pixels_now()
            drawn = now[..., 3].max() > 0 and (unlike is None or not np.array_equal(now, unlike))
            if drawn and before is not None and np.array_equal(now, before):
                return now
            before = now
            self.page.wait_for_timeout(200)
        raise AssertionError(
            "the stage does not settle" if unlike is None else "the stage does not change"
        )

    def stage_shows_again(self, expected: np.ndarray) -> None:
        """Waits until the stage looks as it did: half a step in 255 apart in the mean."""
        difference = np.inf
        for _ in range(100):
            difference = float(np.abs(self._pixels_now() - expected).mean())
            if difference < 0.5:
                return
            self.page.wait_for_timeout(200)
        raise AssertionError(f"the stage stays {difference:.2f} steps away from what it showed")

    def moves(self) -> None:
        """The stage shows something else again and again."""
        seen: set[str] = set()
        for _ in range(200):
            seen.add(self._canvas().evaluate(PIXELS))
            if len(seen) > 3:
                return
            self.page.wait_for_timeout(100)
        raise AssertionError("nothing moves")

    def axe(self, where: str) -> None:
        """No violation on the page as it is. Source: axe-core, all its rules for WCAG 2.2 A and AA
        and best practices."""
        if not self.page.evaluate("typeof axe !== 'undefined'"):
            # Evaluated, not added: the page's own policy lets no script be put into it.
            self.page.evaluate((ROOT / "web/node_modules/axe-core/axe.min.js").read_text())
        self.assertEqual(self.page.evaluate(VIOLATIONS), [], where)
