"""The private PostgreSQL cluster under var/pg, on a free port of the loopback address."""

import os
import pwd
import secrets
import socket
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VAR = ROOT / "var"
DATA = VAR / "pg"
PORT = VAR / "pg-port"
SECRETS = VAR / "secrets"
LOG = DATA / "server.log"
BIN = Path("/usr/lib/postgresql/15/bin")
OWNER = "poietic_owner"
SERVING = "poietic_app"
DATABASE = "poietic"
#: fits two server processes, jobs, and parallel tests
SETTINGS = {
    "listen_addresses": "127.0.0.1",
    "unix_socket_directories": "",
    "max_connections": "100",
    "shared_buffers": "128MB",
    "password_encryption": "scram-sha-256",
}


def ensure() -> bool:
    """Make and start the cluster where that is needed; return whether this started it."""
    _check_folder()
    if not (DATA / "PG_VERSION").exists():
        _create()
    if _answers():
        return False
    _start()
    _create_roles()
    return True


def stop() -> None:
    """Stop the cluster; open transactions are rolled back."""
    _run("pg_ctl", "stop", "-D", str(DATA), "-m", "fast", "-w", check=False)


def environment(role: str = SERVING) -> dict[str, str]:
    """Return the environment in which Django connects as a role."""
    return os.environ | {
        "POIETIC_DB_PORT": PORT.read_text().strip(),
        "POIETIC_DB_USER": role,
        "POIETIC_DB_PASSWORD": secret(role),
        "POIETIC_SECRET_KEY": secret("django"),
        "PGCONNECT_TIMEOUT": "10",
    }


def secret(name: str) -> str:
    """Return a generated secret that stays in the project's folder."""
    SECRETS.mkdir(mode=0o700, parents=True, exist_ok=True)
    path = SECRETS / name
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(secrets.token_urlsafe(32))
    return path.read_text()


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
    done = subprocess.run(
        command, cwd="/", capture_output=True, text=True, stdin=subprocess.DEVNULL
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
    password.write_text(secret(OWNER))
    if _is_root():
        account = pwd.getpwnam("postgres")
        for path in (DATA, password):
            os.chown(path, account.pw_uid, account.pw_gid)
    _run(
        *("initdb", "-D", str(DATA), "-U", OWNER, "--auth", "scram-sha-256", "--encoding", "UTF8"),
        *("--pwfile", str(password), "--data-checksums", "--locale=C.UTF-8"),
    )
    password.unlink()


def _start() -> None:
    known = int(PORT.read_text()) if PORT.exists() else 54870
    PORT.write_text(str(free_port(known)))
    options = {**SETTINGS, "port": PORT.read_text()}
    flags = " ".join(f"-c {name}='{value}'" for name, value in options.items())
    _run("pg_ctl", "start", "-D", str(DATA), "-l", str(LOG), "-w", "-t", "60", "-o", flags)


def _answers() -> bool:
    """Tell whether our cluster runs: the server process named in its own lock file."""
    _forget_the_dead()
    status = _run("pg_ctl", "status", "-D", str(DATA), check=False)
    return status.returncode == 0 and PORT.exists()


def _forget_the_dead() -> None:
    """Remove the lock file of a killed server that nobody has waited for: it looks alive by its number."""
    lock = DATA / "postmaster.pid"
    if not lock.exists():
        return
    process = Path("/proc") / lock.read_text().split()[0] / "stat"
    if process.exists() and process.read_text().rpartition(")")[2].split()[0] == "Z":
        lock.unlink()


def _create_roles() -> None:
    import psycopg  # the environment has it by now

    with psycopg.connect(
        host="127.0.0.1",
        port=int(PORT.read_text()),
        user=OWNER,
        password=secret(OWNER),
        dbname="postgres",
        autocommit=True,
    ) as connection:
        if not connection.execute(
            "SELECT 1 FROM pg_roles WHERE rolname = %s", [SERVING]
        ).fetchone():
            connection.execute(f"CREATE ROLE {SERVING} LOGIN PASSWORD '{secret(SERVING)}'")
        if not connection.execute(
            "SELECT 1 FROM pg_database WHERE datname = %s", [DATABASE]
        ).fetchone():
            connection.execute(f"CREATE DATABASE {DATABASE}")
