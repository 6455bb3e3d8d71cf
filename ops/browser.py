"""How Debian's Chromium is started: headless, offline, without chatter."""

from pathlib import Path

#: the build without a window of its own first: the other one draws its toolbar as a page beside each page
BUILDS = (Path("/usr/bin/chromium-headless-shell"), Path("/usr/bin/chromium"))


def executable() -> Path:
    """Return the Chromium of this machine."""
    return next((build for build in BUILDS if build.exists()), BUILDS[0])


def launch_arguments() -> list[str]:
    """Return the arguments that Chromium needs here."""
    return [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-dev-shm-usage",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--disable-default-apps",
        "--font-render-hinting=none",
    ]
