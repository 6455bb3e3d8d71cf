"""The private PostgreSQL cluster under var/pg, on a free port of the loopback address."""

import os
import pwd
import secrets
import socket
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from . import processes
from .files import read_number, write_whole

if TYPE_CHECKING:
    import psycopg

ROOT = Path(__file__).resolve().parent.parent
#: all that the application writes; elsewhere where something is tried that may break it
VAR = Path(os.environ.get("POIETIC_VAR") or ROOT / "var")
DATA = VAR / "pg"
PORT = VAR / "pg-port"
SECRETS = VAR / "secrets"
LOG = DATA / "server.log"
BIN = Path("/usr/lib/postgresql/15/bin")
#: makes roles and databases, and nothing else; the owner of all tables; the one that serves
SUPERUSER = "poietic_owner"
OWNER = "poietic_keeper"
SERVING = "poietic_app"
DATABASE = "poietic"
#: how often a server is started that does not start at once
STARTS = 10
#: how long one may read its log after a crash [s]
READY_WITHIN = 60
#: fits two server processes, jobs, and parallel tests
SETTINGS = {
    "listen_addresses": "127.0.0.1",
    "unix_socket_directories": "",
    "max_connections": "100",
    "shared_buffers": "128MB",
    "password_encryption": "scram-sha-256",
}


#: tables, sequences of none, functions and types of a role in the public schema, parts of extensions not
OWNED = """
SELECT 'TABLE', c.oid::regclass::text FROM pg_class c WHERE c.relkind IN ('r', 'p', 'v')
  AND c.relnamespace = 'public'::regnamespace AND c.relowner = %s::regrole
UNION ALL
SELECT 'SEQUENCE', c.oid::regclass::text FROM pg_class c WHERE c.relkind = 'S'
  AND c.relnamespace = 'public'::regnamespace AND c.relowner = %s::regrole
  AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.objid = c.oid AND d.deptype IN ('a', 'i'))
UNION ALL
SELECT 'ROUTINE', p.oid::regprocedure::text FROM pg_proc p
  WHERE p.pronamespace = 'public'::regnamespace AND p.proowner = %s::regrole
  AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.objid = p.oid AND d.deptype = 'e')
UNION ALL
SELECT 'TYPE', t.oid::regtype::text FROM pg_type t
  WHERE t.typtype = 'e' AND t.typnamespace = 'public'::regnamespace AND t.typowner = %s::regrole
"""


def ensure() -> bool:
    """Make and start the cluster where that is needed; return whether this started it."""
    _check_folder()
    if not (DATA / "PG_VERSION").exists():
        _create()
    runs = _answers()
    if not runs:
        _start()
    _await_ready()
    _create_roles()
    return not runs


def stop() -> None:
    """Stop the cluster; open transactions are rolled back."""
    _run("pg_ctl", "stop", "-D", str(DATA), "-m", "fast", "-w", check=False)


def environment(role: str = SERVING) -> dict[str, str]:
    """Return the environment in which Django connects as a role."""
    return os.environ | {
        "POIETIC_DB_PORT": str(port()),
        "POIETIC_DB_USER": role,
        "POIETIC_DB_PASSWORD": secret(role),
        "POIETIC_SECRET_KEY": secret("django"),
        "PGCONNECT_TIMEOUT": "10",
    }


def port() -> int:
    """Return the port that the database listens at; 0 before it was ever started."""
    return read_number(PORT) or 0


def secret(name: str) -> str:
    """Return a generated secret that stays in the project's folder."""
    SECRETS.mkdir(mode=0o700, parents=True, exist_ok=True)
    path = SECRETS / name
    if not path.exists():
        write_whole(path, secrets.token_urlsafe(32))
        path.chmod(0o600)
    if not (known := path.read_text()):
        sys.exit(f"The secret {path} is empty: put back the one of a backup.")
    return known


def free_port(first: int) -> int:
    """Return the first port from `first` on that nobody listens at."""
    for port in range(first, first + 500):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    sys.exit(f"No free port between {first} and {first + 500}.")


def _is_root() -> bool:
    return os.geteuid() == 0


def _run(program: str, *arguments: str, check: bool = True) -> subprocess.CompletedProcess[str]:
    """Run one of PostgreSQL's programs, as the account postgres where we are root."""
    command = [str(BIN / program), *arguments]
    if _is_root():
        command = ["runuser", "-u", "postgres", "--", *command]
    kept = {
        k: v for k, v in os.environ.items() if k != processes.MARK
    }  # it outlives a killed start
    done = subprocess.run(
        command, cwd="/", env=kept, capture_output=True, text=True, stdin=subprocess.DEVNULL
    )
    if check and done.returncode:
        sys.exit(f"{program} failed:\n{done.stdout}{done.stderr}")
    return done


def _check_folder() -> None:
    if _is_root():
        for folder in [VAR, *VAR.parents]:
            if not folder.stat().st_mode & 0o001:
                sys.exit(
                    f"The account postgres can't pass {folder}. Run: chmod o+x {folder}\n"
                    "(or keep the project elsewhere, or start as an ordinary user)"
                )
    account = "postgres" if _is_root() else pwd.getpwuid(os.geteuid()).pw_name
    if DATA.exists() and (owner := DATA.owner()) != account:
        sys.exit(
            f"The database in {DATA} belongs to the account {owner}; this would serve it as {account}.\n"
            f"Start as {'root' if owner == 'postgres' else owner}, or move {DATA} away to begin anew."
        )


def _create() -> None:
    print(f"Making a database cluster in {DATA}")
    if DATA.exists():  # left half made
        subprocess.run(["rm", "-rf", str(DATA)], check=True)
    DATA.mkdir(mode=0o700)
    password = VAR / "pg-password"
    password.touch(mode=0o600)
    password.write_text(secret(SUPERUSER))
    if _is_root():
        account = pwd.getpwnam("postgres")
        for path in (DATA, password):
            os.chown(path, account.pw_uid, account.pw_gid)
    _run(
        *(
            "initdb",
            "-D",
            str(DATA),
            "-U",
            SUPERUSER,
            "--auth",
            "scram-sha-256",
            "--encoding",
            "UTF8",
        ),
        *("--pwfile", str(password), "--data-checksums", "--locale=C.UTF-8"),
    )
    password.unlink()


def _start() -> None:
    free = free_port(port() or 54870)
    write_whole(PORT, str(free))
    options = {**SETTINGS, "port": str(free)}
    flags = " ".join(f"-c {name}='{value}'" for name, value in options.items())
    arguments = ("start", "-D", str(DATA), "-l", str(LOG), "-w", "-t", "60", "-o", flags)
    for _ in range(STARTS - 1):  # sessions of a killed server may hold its memory for a moment
        if _run("pg_ctl", *arguments, check=False).returncode == 0:
            return
        time.sleep(1)
    _run("pg_ctl", *arguments)


def _await_ready() -> None:
    """Wait until it takes connections: after a crash it reads its log first, or it is just dying."""
    for _ in range(READY_WITHIN * 10):
        if not is_up():
            _forget_the_dead()
            _start()
        if _run("pg_isready", "-h", "127.0.0.1", "-p", str(port()), check=False).returncode == 0:
            return
        time.sleep(0.1)
    sys.exit(f"The database does not take connections within {READY_WITHIN} s; see {LOG}")


def _answers() -> bool:
    """Tell whether our cluster runs: the server process named in its own lock file."""
    _forget_the_dead()
    status = _run("pg_ctl", "status", "-D", str(DATA), check=False)
    if status.returncode:
        return False
    if read_number(PORT) is None:  # lost: the server says itself where it listens
        write_whole(PORT, (DATA / "postmaster.pid").read_text().splitlines()[3])
    return True


def is_up() -> bool:
    """Tell quickly whether the server process lives."""
    process = _postmaster()
    return process is not None and _is_server(process)


def _postmaster() -> processes.Process | None:
    with suppress(OSError, ValueError, IndexError):
        return processes.find(int((DATA / "postmaster.pid").read_text().split()[0]))
    return None


def _is_server(process: processes.Process) -> bool:
    return not process.is_over and str(DATA) in process.command


def _forget_the_dead() -> None:
    """Remove the lock file of a killed server whose number a dead or another process bears."""
    lock = DATA / "postmaster.pid"
    if not lock.exists():
        return
    process = _postmaster()
    if process is None or _is_server(process):  # PostgreSQL itself sees that nobody is there
        return
    if not process.is_over:
        print(
            f"The database was killed; its process number {process.pid} belongs to another one now"
        )
    lock.unlink()


def as_superuser(database: str = "postgres") -> "psycopg.Connection[tuple[object, ...]]":
    """Return a connection of the role that makes roles and databases."""
    import psycopg  # the environment has it by now

    return psycopg.connect(
        host="127.0.0.1",
        port=port(),
        user=SUPERUSER,
        password=secret(SUPERUSER),
        dbname=database,
        autocommit=True,
    )


def _create_roles() -> None:
    with as_superuser() as link:
        known = {row[0] for row in link.execute("SELECT rolname FROM pg_roles")}
        for role, rights in ((OWNER, "CREATEDB"), (SERVING, "")):
            if role not in known:
                link.execute(f"CREATE ROLE {role} LOGIN {rights} PASSWORD '{secret(role)}'")
        if not link.execute("SELECT 1 FROM pg_database WHERE datname = %s", [DATABASE]).fetchone():
            link.execute(f"CREATE DATABASE {DATABASE} OWNER {OWNER}")
    _hand_over(DATABASE)


def _hand_over(database: str) -> None:
    """Give what the superuser owns in a database, from before there was an owner, to the owner."""
    with as_superuser(database) as link:
        found = link.execute(OWNED, [SUPERUSER] * 4).fetchall()
        if not found:
            return
        link.execute(f"ALTER DATABASE {database} OWNER TO {OWNER}")
        link.execute(f"ALTER SCHEMA public OWNER TO {OWNER}")
        for kind, name in found:
            link.execute(f"ALTER {kind} {name} OWNER TO {OWNER}")
