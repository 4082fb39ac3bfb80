"""Debian's chromium without a screen, for the browser tests and the benchmarks."""

import os
import shutil

# The shell has no windows to draw, which is a quarter of the work of a page; ``CHROMIUM`` names another.
CHROMIUM = os.environ.get("CHROMIUM") or shutil.which("chromium-headless-shell") or shutil.which("chromium")
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]


def launched(playwright, *flags):
    """The browser, with these flags besides."""
    return playwright.chromium.launch(executable_path=CHROMIUM, args=[*FLAGS, *flags])
