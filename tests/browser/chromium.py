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
PIXELS = """(canvas) => {
  const copy = document.createElement('canvas'); copy.width = 96; copy.height = 96;
  const context = copy.getContext('2d'); context.drawImage(canvas, 0, 0, 96, 96);
  return Array.from(context.getImageData(0, 0, 96, 96).data)
}"""
"""What a canvas shows, reduced to 96 texels a side."""


def chromium(playwright):
    """Debian's Chromium, headless, drawing WebGL in software."""
    return playwright.chromium.launch(executable_path="/usr/bin/chromium", args=list(CHROMIUM))
