"""The browser of the tests and the screenshots."""

from __future__ import annotations

CHROMIUM = (
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
)


def chromium(playwright):
    """Debian's Chromium, headless, drawing WebGL in software."""
    return playwright.chromium.launch(executable_path="/usr/bin/chromium", args=list(CHROMIUM))
