"""Random requests over the whole interface, as its OpenAPI document describes it: none may make it fail."""

import argparse
import re
import subprocess
import sys
from pathlib import Path
from urllib.request import Request, urlopen

from . import cluster
from .scratch import served_demo
from .soak import Client

#: what would end the session that the rest is asked in
LEFT_OUT = "sign_out|sign_in|end_my_session|one_time_code|my_password|first_person|(post_|start_)(close_demo|deactivate_person|end_sessions|set_roles|give_code|set_second_factor|drop_second_factor|change_password)$"
#: about how many requests the limits of all fields make, and how many one example of each operation
OF_LIMITS, OF_ONE = 13_000, 170


def main() -> None:
    """Ask a demo of its own, and exit 1 if an answer was a failure of the server."""
    parser = argparse.ArgumentParser(prog="./poietic fuzz")
    parser.add_argument("--requests", type=int, default=30_000, help="about how many")
    given = parser.parse_args()
    started = cluster.ensure()
    with served_demo("poietic_fuzz") as address:
        code = ask(address, Client("mara", address), max(1, (given.requests - OF_LIMITS) // OF_ONE))
    if started:
        cluster.stop()
    sys.exit(code)


def ask(
    address: str, client: Client, examples: int, phases: str = "examples,coverage,fuzzing"
) -> int:
    """Let schemathesis ask all operations so often, and return its exit code."""
    cookies = "; ".join(f"{k}={v}" for k, v in client.cookies.items())
    asked = Request(f"{address}/api/openapi.json", headers={"Cookie": cookies})
    with urlopen(asked, timeout=120) as answer:  # it is long; schemathesis waits ten seconds for it
        described = answer.read()
    (cluster.VAR / "openapi.json").write_bytes(described)
    done = subprocess.run(
        [
            *(str(Path(sys.executable).parent / "schemathesis"), "run"),
            *("openapi.json", "--url", address),
            *("--checks", "not_a_server_error", "--phases", phases),
            *("--max-examples", str(examples), "--workers", "2", "--seed", "1"),
            *("--exclude-operation-id-regex", LEFT_OUT, "--request-timeout", "60"),
            *("--header", f"Cookie: {cookies}", "--header", f"X-CSRFToken: {client.token}"),
            *("--suppress-health-check", "all", "--warnings", "off", "--continue-on-failure"),
        ],
        cwd=cluster.VAR,
        capture_output=True,
        text=True,
    )
    shown = done.stdout[done.stdout.find("= FAILURES") - 40 :] if done.returncode else ""
    summary = re.findall(r".*(?:generated|passed|failed|found|Seed).*", done.stdout)
    print(shown[-6000:] + "\n".join(summary) + done.stderr[-2000:])
    return done.returncode


if __name__ == "__main__":
    main()
