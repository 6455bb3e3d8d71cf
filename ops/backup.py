"""Keep database, files and secrets in one file, and put them back; verified each time."""

import argparse
import hashlib
import io
import json
import os
import subprocess
import sys
import tarfile
import tempfile
import time
from pathlib import Path

from . import cluster
from .django import manage, prepare
from .files import hold_alone
from .start import LOCK

#: what a backup holds beside the dump, each with its checksum in the list
LIST = "backup.json"
DUMP = "database.dump"
FILES = cluster.VAR / "files"
MODE = 0o600


def main() -> None:
    """Write a backup while the works goes on; nothing is half in it."""
    parser = argparse.ArgumentParser(prog="./poietic backup")
    parser.add_argument("file", type=Path, help="where to; it holds secrets: keep it safe")
    target = parser.parse_args().file.resolve()
    started = prepare()
    try:
        count = write(target)
    finally:
        if started:
            cluster.stop()
    print(
        f"{target}: {target.stat().st_size / 1e6:,.1f} MB, {count} files; checked against its list"
    )


def write(target: Path) -> int:
    """Write a backup and read it back; return how many files it holds."""
    fresh = target.with_name(f"{target.name}.new")
    descriptor = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, MODE)
    listed: dict[str, str] = {}
    with os.fdopen(descriptor, "wb") as file, tarfile.open(fileobj=file, mode="w:gz") as archive:

        def add(name: str, content: bytes) -> None:
            member = tarfile.TarInfo(name)
            member.size, member.mode, member.mtime = len(content), MODE, int(time.time())
            archive.addfile(member, io.BytesIO(content))
            listed[name] = hashlib.sha256(content).hexdigest()

        # the database first: a file that comes later belongs to nothing in it yet
        add(DUMP, _run("pg_dump", "--format=custom", "--no-owner", "--no-acl"))
        for folder in (cluster.SECRETS, FILES):
            for path in sorted(p for p in folder.rglob("*") if p.is_file()):
                add(str(path.relative_to(cluster.VAR)), path.read_bytes())
        facts = {"made_at": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()), "files": listed}
        add(LIST, json.dumps(facts, indent=1).encode())
    count = len(read_list(fresh))
    fresh.replace(target)
    return count


def read_list(source: Path) -> dict[str, str]:
    """Return what a backup says it holds, each file's checksum compared; stop where one differs."""
    found: dict[str, str] = {}
    listed: dict[str, str] = {}
    try:
        with tarfile.open(source, "r:gz") as archive:
            for member in archive:
                file = archive.extractfile(member)
                content = file.read() if file else b""
                if member.name == LIST:
                    listed = json.loads(content)["files"]
                else:
                    found[member.name] = hashlib.sha256(content).hexdigest()
    except (OSError, EOFError, tarfile.TarError, ValueError, KeyError) as err:
        sys.exit(f"{source} is no whole backup: {err}. Use another one.")
    if not listed or found != listed or DUMP not in found:
        wrong = sorted(set(found.items()) ^ set(listed.items()))
        sys.exit(
            f"{source} is no whole backup: {wrong[0][0] if wrong else LIST} differs. Use another one."
        )
    return listed


def restore() -> None:
    """Put back what a backup holds: in the place of an empty works, or of one given up with --replace."""
    parser = argparse.ArgumentParser(prog="./poietic restore")
    parser.add_argument("file", type=Path, help="a file that ./poietic backup wrote")
    parser.add_argument("--replace", action="store_true", help="give up what is there now")
    given = parser.parse_args()
    read_list(given.file)
    lock = hold_alone(LOCK)
    if lock is None:
        sys.exit("The works is being served. Stop ./poietic start first, then restore.")
    started = cluster.ensure()
    try:
        _refuse_to_overwrite(given.replace)
        _put_back(given.file)
        if manage("migrate", "-v", "0", "--no-input", role=cluster.OWNER):
            sys.exit("The schema could not be brought up to date.")
        code = manage("verify_ledger")
    finally:
        if started:
            cluster.stop()
    print("Restored and verified" if code == 0 else "Restored; the ledger differs, see above")
    sys.exit(code)


def _refuse_to_overwrite(is_replacing: bool) -> None:
    with cluster.as_superuser(cluster.DATABASE) as link:
        there = link.execute("SELECT to_regclass('people_person')").fetchone() != (None,)
        people = there and link.execute("SELECT 1 FROM people_person LIMIT 1").fetchone()
    if people and not is_replacing:
        sys.exit("There is a works already. Add --replace to give it up for the one in the backup.")


def _put_back(source: Path) -> None:
    """Restore into a database beside the present one, and put it in its place when it is whole."""
    fresh = f"{cluster.DATABASE}_restored"
    with tempfile.TemporaryDirectory(dir=cluster.VAR) as folder:
        _unpack(source, Path(folder))
        with cluster.as_superuser() as link:
            link.execute(f"DROP DATABASE IF EXISTS {fresh} WITH (FORCE)")
            link.execute(f"CREATE DATABASE {fresh} OWNER {cluster.OWNER}")
        dump = Path(folder) / DUMP
        _run(
            "pg_restore", "--no-owner", "--no-acl", "--exit-on-error", "--dbname", fresh, str(dump)
        )
        with cluster.as_superuser() as link:
            link.execute(f"DROP DATABASE IF EXISTS {cluster.DATABASE} WITH (FORCE)")
            link.execute(f"ALTER DATABASE {fresh} RENAME TO {cluster.DATABASE}")
        _put_files(Path(folder))


def _unpack(source: Path, folder: Path) -> None:
    """Write what a backup lists into a folder, and nothing beside it."""
    with tarfile.open(source, "r:gz") as archive:
        for name in read_list(source):
            target = (folder / name).resolve()
            if not target.is_relative_to(folder.resolve()):
                sys.exit(f"{source} holds {name}, which leads elsewhere. Use another one.")
            target.parent.mkdir(parents=True, exist_ok=True)
            file = archive.extractfile(name)
            target.write_bytes(file.read() if file else b"")


def _put_files(folder: Path) -> None:
    """Put documents in the place of those that are there, and the key that signs in force again."""
    kept = folder / FILES.name
    for path in (p for p in kept.rglob("*") if p.is_file()):
        target = FILES / path.relative_to(kept)
        target.parent.mkdir(parents=True, exist_ok=True)
        path.replace(target)
    # passwords of database roles stay those of this cluster; sessions and signatures go on
    (folder / "secrets/django").replace(cluster.SECRETS / "django")


def _run(program: str, *arguments: str) -> bytes:
    """Run one of PostgreSQL's programs as the owner, and return what it says."""
    env = os.environ | {"PGPASSWORD": cluster.secret(cluster.OWNER)}
    place = ["-h", "127.0.0.1", "-p", str(cluster.port()), "-U", cluster.OWNER]
    target = [] if "--dbname" in arguments else [cluster.DATABASE]
    done = subprocess.run(
        [str(cluster.BIN / program), *place, *arguments, *target],
        env=env,
        capture_output=True,
    )
    if done.returncode:
        sys.exit(f"{program} failed:\n{done.stderr.decode(errors='replace')}")
    return done.stdout


if __name__ == "__main__":
    main()
