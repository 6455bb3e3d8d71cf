"""Everything that is checked without running the application."""

import gzip
import json
import os
import re
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

from . import cluster
from .django import manage

BIN = Path(sys.executable).parent
WEB = cluster.ROOT / "web"
#: compressed script of the first load [bytes]
FIRST_LOAD_MOST = 300_000
SCHEMA = WEB / "src/api/schema.d.ts"


def main() -> None:
    """Run every check, say how each went, and exit 1 if one failed."""
    os.chdir(cluster.ROOT)
    started = cluster.ensure()
    checks: dict[str, Callable[[], bool]] = {
        "ruff check": lambda: run("ruff", "check", "."),
        "ruff format": lambda: run("ruff", "format", "--check", "-q", "."),
        "mypy, strict, on core and server": lambda: run("mypy"),
        "import rules": lambda: run("lint-imports"),
        "migrations complete": lambda: manage("makemigrations", "--check", "--dry-run") == 0,
        "migrations named": migrations_named,
        "system checks": lambda: manage("check", "--fail-level", "WARNING") == 0,
        "lock files name no download host": lock_files_clean,
        "API types of the front end up to date": schema_current,
        "front-end lint": lambda: npm("lint"),
        "front-end types": lambda: npm("types"),
        "front-end unit tests": lambda: npm("test"),
        "front-end build and its size": build_small,
    }
    failed = [name for name, check in checks.items() if not _told(name, check)]
    if started:
        cluster.stop()
    sys.exit(1 if failed else 0)


def _told(name: str, check: Callable[[], bool]) -> bool:
    passed = check()
    print(f"{'ok    ' if passed else 'FAILED'} {name}", flush=True)
    return passed


def run(tool: str, *arguments: str) -> bool:
    """Run a Python tool of the environment; show what it says if it fails."""
    done = subprocess.run(
        [str(BIN / tool), *arguments], capture_output=True, text=True, env=cluster.environment()
    )
    if done.returncode:
        print(done.stdout + done.stderr)
    return done.returncode == 0


def npm(script: str) -> bool:
    """Run one of the front end's scripts."""
    return subprocess.call(["npm", "run", "--silent", script], cwd=WEB) == 0


def migrations_named() -> bool:
    """Tell whether every migration has a name that a person gave it."""
    nameless = [str(p) for p in Path("server").rglob("migrations/*_auto_*.py")]
    print("\n".join(nameless), end="")
    return not nameless


def lock_files_clean() -> bool:
    """Tell whether the lock files hold no address to download from."""
    dirty = [
        f"{path}: {match[0]}"
        for path in (Path("requirements.lock"), WEB / "package-lock.json", Path("pyproject.toml"))
        for match in re.finditer(
            r'"resolved": "http|https?://[\w.-]+/\S+\.(whl|tgz|tar\.gz)', path.read_text()
        )
    ]
    print("\n".join(dirty), end="")
    return not dirty


def generated() -> dict[Path, str]:
    """Return what the front end knows of the API as the server describes it now: types, and values of enums."""
    document = subprocess.run(
        [
            sys.executable,
            "server/manage.py",
            "export_openapi_schema",
            "--api",
            "poietic.config.api.api",
        ],
        env=cluster.environment(),
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    (cluster.VAR / "openapi.json").write_text(document)
    types = subprocess.run(
        ["npx", "--no-install", "openapi-typescript", str(cluster.VAR / "openapi.json")],
        cwd=WEB / "codegen",
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    schemas = json.loads(document)["components"]["schemas"]
    enums = [
        f"  {name}: {json.dumps(schema['enum'], ensure_ascii=False)},\n"
        for name, schema in sorted(schemas.items())
        if "enum" in schema
    ]
    values = f"/** What each named enum of the API may be; generated with its types. */\nexport const values = {{\n{''.join(enums)}}} as const;\n"
    return {SCHEMA: types, SCHEMA.with_name("values.ts"): values}


def schema_current() -> bool:
    """Compare the committed types and values with the generated ones; --write puts them right."""
    wanted = generated()
    if "--write" in sys.argv:
        for path, text in wanted.items():
            path.write_text(text)
    stale = [p for p, text in wanted.items() if not p.exists() or p.read_text() != text]
    for path in stale:
        print(f"Run ./poietic check --write to bring {path.relative_to(WEB.parent)} up to date.")
    return not stale


def build_small() -> bool:
    """Build, and tell whether the scripts of the first load stay under 300 kB compressed."""
    folder = cluster.VAR / "web-check"
    command = ["npm", "run", "--silent", "build", "--", "--logLevel", "warn", "--emptyOutDir"]
    if subprocess.call([*command, "--outDir", str(folder)], cwd=WEB):
        return False
    page = (folder / "index.html").read_text()
    first = [p for p in folder.glob("assets/*.js") if p.name in page]
    size = sum(len(gzip.compress(p.read_bytes())) for p in first)
    print(f"       first load: {size / 1000:.0f} kB of compressed script")
    return 0 < size < FIRST_LOAD_MOST


if __name__ == "__main__":
    main()
