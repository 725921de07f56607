"""Debian's Chromium without a window, and the two sizes at which people see Kessa."""

import os

CHROMIUM = os.environ.get("KESSA_CHROMIUM", "/usr/bin/chromium-headless-shell")
DESK, PHONE = {"width": 1280, "height": 800}, {"width": 390, "height": 844}
QUIET = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]
QUIET += ["--disable-component-update", "--disable-sync"]
