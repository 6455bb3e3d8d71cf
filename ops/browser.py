"""How Debian's Chromium is started: headless, offline, without chatter."""


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
