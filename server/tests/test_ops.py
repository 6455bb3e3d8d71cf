"""The commands that set up, serve, keep and put back, on a works of their own."""

import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
from http.client import HTTPConnection
from pathlib import Path
from threading import Thread, Timer
from typing import Any
from unittest import TestCase

from ops import processes
from ops.files import read_facts, read_number, write_whole

ROOT = Path(__file__).resolve().parents[2]
FOLDER = ROOT / "var" / "test-works"
PORT = 19_870


def run(module: str, *arguments: str) -> "subprocess.CompletedProcess[str]":
    """Run one of the commands on the folder of these tests."""
    return subprocess.run(
        [sys.executable, "-m", f"ops.{module}", *arguments],
        cwd=ROOT,
        env=environment(),
        capture_output=True,
        text=True,
        timeout=600,
    )


def environment() -> dict[str, str]:
    """Return an environment in which the commands know nothing of the running tests."""
    kept = {k: v for k, v in os.environ.items() if not k.startswith(("POIETIC_", "DJANGO_"))}
    return kept | {"POIETIC_VAR": str(FOLDER)}


def ask(port: int, path: str) -> tuple[int, Any]:
    """Return the status and the JSON of an answer."""
    link = HTTPConnection("127.0.0.1", port, timeout=20)
    link.request("GET", path)
    answer = link.getresponse()
    return answer.status, json.loads(answer.read())


class Works(TestCase):
    """Set up, served in spite of what lies about, killed, kept and put back."""

    @classmethod
    def setUpClass(cls) -> None:
        shutil.rmtree(FOLDER, ignore_errors=True)
        FOLDER.mkdir(parents=True)
        done = run("demo")
        assert done.returncode == 0, done.stdout + done.stderr

    @classmethod
    def tearDownClass(cls) -> None:
        shutil.rmtree(FOLDER, ignore_errors=True)

    def start(self) -> "subprocess.Popen[bytes]":
        """Start it as a person does, and wait until it serves."""
        process = subprocess.Popen(
            [sys.executable, "-u", "-m", "ops.start", "--port", str(PORT)],
            cwd=ROOT,
            env=environment(),
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            start_new_session=True,
        )
        self.addCleanup(self.end, process)
        assert process.stdout
        self.said = ""
        given_up = Timer(600, process.kill)  # then its output ends
        given_up.start()
        self.addCleanup(given_up.cancel)
        for line in process.stdout:  # until its end, which comes if it does not serve
            self.said += line.decode()
            if "Poietic serves" in self.said:
                given_up.cancel()
                Thread(target=process.stdout.read, daemon=True).start()
                return process
        raise AssertionError(self.said)

    def end(self, process: "subprocess.Popen[bytes]") -> None:
        """End it as Ctrl-C does."""
        process.send_signal(signal.SIGTERM)
        process.wait(40)

    def test_it_serves_in_spite_of_what_lies_about_and_harms_nobody(self) -> None:
        innocent = subprocess.Popen(["sleep", "600"], start_new_session=True)
        self.addCleanup(innocent.kill)
        (FOLDER / "pg-port").write_text("54")  # half written
        facts = {"mark": "m" * 32, "processes": [innocent.pid, 1], "address": "x"}
        write_whole(FOLDER / "run.json", json.dumps(facts))
        (FOLDER / "pg/postmaster.pid").write_text(f"{os.getpid()}\n{FOLDER / 'pg'}\n0\n54870\n")
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", PORT))
            taken.listen()
            process = self.start()
        self.assertIsNone(innocent.poll())
        self.assertIn("left alone", self.said)
        self.assertIn("belongs to another one now", self.said)
        self.assertIn(f"Port {PORT} is taken", self.said)
        port = read_number(FOLDER / "port")
        assert port and port != PORT
        self.assertEqual(ask(port, "/api/me")[0], 200)
        self.assertIn("demo with open doors", self.said)
        self.assertIn("already runs", run("start").stdout)

        postmaster = int((FOLDER / "pg/postmaster.pid").read_text().split()[0])
        os.kill(postmaster, signal.SIGKILL)
        seen = set()
        until = time.monotonic() + 30
        while time.monotonic() < until:
            status, said = ask(port, "/api/me")
            seen.add(status)
            if status == 503:
                self.assertEqual(said["code"], "service.unavailable")
            if (
                status == 200
                and int((FOLDER / "pg/postmaster.pid").read_text().split()[0]) != postmaster
            ):
                break
            time.sleep(0.1)
        self.assertLessEqual(seen, {200, 503})
        self.assertEqual(ask(port, "/api/me")[0], 200)

        database = (FOLDER / "pg/postmaster.pid").read_text()
        process.kill()
        process.wait()
        begun = time.monotonic()
        self.start()
        self.assertLess(time.monotonic() - begun, 30)
        self.assertEqual((FOLDER / "pg/postmaster.pid").read_text(), database, "it went on serving")

    def test_a_demo_is_not_served_to_others(self) -> None:
        env = environment() | {"POIETIC_HOSTS": "works.example"}
        done = subprocess.run([sys.executable, "-m", "ops.start", "--port", str(PORT)], cwd=ROOT, env=env, capture_output=True, text=True, timeout=60)  # fmt: skip
        self.assertEqual(done.returncode, 1)
        self.assertIn("this machine only", " ".join(done.stderr.split()))

    def test_files_of_state_are_read_with_suspicion(self) -> None:
        path = FOLDER / "suspect"
        for text in ("", "{", "[1]", "null", '"x"', "54x", "99999999"):
            path.write_text(text)
            self.assertEqual(read_facts(path), {})
            self.assertIsNone(read_number(path))
        for facts in (
            {},
            {"mark": 5},
            {"mark": ""},
            {"mark": "x", "processes": [1]},
            {"processes": 5},
        ):
            processes.end_leftover(facts)

    def test_what_is_kept_can_be_put_back_whole_and_nothing_else(self) -> None:
        kept = FOLDER / "kept.tar.gz"
        done = run("backup", str(kept))
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertEqual(kept.stat().st_mode & 0o077, 0, "it holds secrets")
        for path in (FOLDER / "files").rglob("*.png"):
            path.unlink()
        self.assertIn("--replace", run("restore", str(kept)).stderr)
        half = FOLDER / "half.tar.gz"
        half.write_bytes(kept.read_bytes()[:-5000])
        for broken in (half, FOLDER / "suspect"):
            refused = run("restore", str(broken), "--replace")
            self.assertEqual(refused.returncode, 1)
            self.assertIn("no whole backup", refused.stderr)

        again = run("restore", str(kept), "--replace")

        self.assertEqual(again.returncode, 0, again.stdout + again.stderr)
        self.assertIn("0 differences", again.stdout)
        self.assertTrue(list((FOLDER / "files").rglob("*.png")))
        self.assertIn("0 differences", run("verify").stdout)
