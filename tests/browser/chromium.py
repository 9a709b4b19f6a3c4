"""The browser of the tests and the screenshots."""

from __future__ import annotations

CHROMIUM = (
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--host-resolver-rules=MAP studio.test 127.0.0.1",
)
DRAWS = ("--use-angle=swiftshader", "--enable-unsafe-swiftshader")
DRAWS_NOT = ("--disable-3d-apis",)
PIXELS = """(canvas) => {
  const copy = document.createElement('canvas'); copy.width = 96; copy.height = 96;
  const context = copy.getContext('2d', { willReadFrequently: true });
  context.drawImage(canvas, 0, 0, 96, 96);
  return btoa(String.fromCharCode(...context.getImageData(0, 0, 96, 96).data))
}"""
"""What a canvas shows, reduced to 96 texels a side: as one text, for a list of as many numbers takes
half a second to come over."""


def chromium(playwright, draws=True):
    """Debian's Chromium, headless, drawing WebGL in software or not at all."""
    arguments = [*CHROMIUM, *(DRAWS if draws else DRAWS_NOT)]
    return playwright.chromium.launch(executable_path="/usr/bin/chromium", args=arguments)
