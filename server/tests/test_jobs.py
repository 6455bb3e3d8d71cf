"""Commands in the background: their progress, their outcome, their refusal, and stopping them."""

import os
from typing import Any
from unittest.mock import patch

import psycopg
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import TestCase, TransactionTestCase
from django.utils import timezone
from poietic.catalog.models import Item
from poietic.commanding.jobs import LOST_AFTER, JobStopped, carry_out, take_up_lost
from poietic.commanding.models import Job
from poietic.commanding.roles import Role
from poietic.web_api.events import CHANNEL
from procrastinate.contrib.django.models import ProcrastinateJob

from ops.processes import end
from ops.serving import begin_worker

from .client import Caller, make_person

ITEMS = "code,name,unit,source,price\nBOLT,Bolt,pcs,buy,0.20\n"


class Worker(TransactionTestCase):
    """The worker that ./poietic start begins beside the server."""

    def test_it_does_what_waits_and_ends_with_the_rest(self) -> None:
        person = make_person()
        caller = Caller(person)
        answer = caller.client.post("/api/uploads", {"file": SimpleUploadedFile("items.csv", ITEMS.encode())})  # fmt: skip
        job = caller.send("jobs/import-tables", {"given": {"upload": answer.json()["upload"]}})
        with patch.dict(os.environ, {"POIETIC_DB_NAME": connection.settings_dict["NAME"]}):
            worker = begin_worker()
        self.addCleanup(end, worker)
        self.wait_for(job["number"])
        self.assertEqual(caller.get(f"jobs/{job['number']}")["state"], "done")
        self.assertTrue(Item.objects.filter(code="BOLT").exists())
        end(worker)
        self.assertIsNotNone(worker.poll())

    def wait_for(self, number: int) -> None:
        """Return once the worker has said that a job is done."""
        settings = connection.get_connection_params()
        with psycopg.connect(**settings, autocommit=True) as link:
            link.execute(f"LISTEN {CHANNEL}")
            while Job.objects.get(pk=number).state != Job.State.DONE:
                told = list(link.notifies(timeout=60, stop_after=1))
                self.assertTrue(told, "the worker has said nothing for a minute")


class Jobs(TestCase):
    """An import that nobody waits for."""

    def setUp(self) -> None:
        self.caller = Caller(make_person())

    def bring(self, text: str) -> int:
        """Bring a table and return its number."""
        answer = self.caller.client.post("/api/uploads", {"file": SimpleUploadedFile("items.csv", text.encode())})  # fmt: skip
        return int(answer.json()["upload"])

    def job(self, text: str) -> Any:
        """Start an import of a table."""
        return self.caller.send("jobs/import-tables", {"given": {"upload": self.bring(text)}})

    def test_a_job_is_its_starter_s_and_an_administrator_s(self) -> None:
        starter = Caller(make_person("ina", Role.ENGINEER))
        upload = starter.client.post("/api/uploads", {"file": SimpleUploadedFile("items.csv", ITEMS.encode())}).json()["upload"]  # fmt: skip
        number = starter.send("jobs/import-tables", {"given": {"upload": upload}})["number"]
        viewer = Caller(make_person("vic", Role.VIEWER))
        self.assertEqual(viewer.get("jobs"), [])
        viewer.get(f"jobs/{number}")
        self.assertEqual(viewer.status, 404)
        viewer.send(f"jobs/{number}/stop", {})
        self.assertEqual(viewer.status, 404)
        self.assertEqual(starter.get(f"jobs/{number}")["state"], "waiting")
        self.assertEqual(self.caller.send(f"jobs/{number}/stop", {})["state"], "stopped")

    def test_a_job_whose_worker_was_killed_is_begun_again_and_given_up_in_the_end(self) -> None:
        number = self.job(ITEMS)["number"]
        for attempt in (1, 2, 3):
            Job.objects.filter(pk=number).update(state=Job.State.RUNNING)  # and then it was killed
            take_up_lost()
            job = Job.objects.get(pk=number)
            wanted = Job.State.WAITING if attempt < 3 else Job.State.FAILED
            self.assertEqual((job.attempts, job.state), (attempt, wanted))
        self.assertEqual(self.caller.get(f"jobs/{number}")["problem"]["code"], "job.lost")
        again = self.job(ITEMS)["number"]
        Job.objects.filter(pk=again).update(state=Job.State.RUNNING)
        take_up_lost()
        carry_out(again)
        self.assertEqual(Job.objects.get(pk=again).state, Job.State.DONE)

    def test_a_job_is_queued_carried_out_once_and_keeps_its_outcome(self) -> None:
        job = self.job(ITEMS)
        self.assertEqual(job["state"], "waiting")
        queued = ProcrastinateJob.objects.get()
        self.assertEqual((queued.task_name, queued.args), ("run_job", {"job": job["number"]}))

        carry_out(job["number"])
        carry_out(job["number"])

        done = self.caller.get(f"jobs/{job['number']}")
        self.assertEqual((done["state"], done["problem"]), ("done", None))
        self.assertEqual(done["outcome"]["consequences"]["fields"][0]["after"], "1")
        self.assertTrue(Item.objects.filter(code="BOLT").exists())

    def test_a_job_that_is_gone_or_was_carried_out_is_left_alone(self) -> None:
        number = self.job(ITEMS)["number"]
        Job.objects.filter(pk=number).update(state=Job.State.STOPPED)
        carry_out(number)
        self.assertEqual(Job.objects.get(pk=number).state, Job.State.STOPPED)
        Job.objects.filter(pk=number).delete()
        carry_out(number)
        self.assertFalse(Item.objects.filter(code="BOLT").exists())

    def test_a_refusal_is_kept_as_a_problem_and_nothing_is_posted(self) -> None:
        job = self.job(ITEMS.replace("0.20", "cheap"))
        carry_out(job["number"])
        told = self.caller.get(f"jobs/{job['number']}")
        self.assertEqual((told["state"], told["problem"]["code"]), ("refused", "exchange.rows_refused"))  # fmt: skip

    def test_a_job_is_stopped_before_it_begins_and_while_it_runs(self) -> None:
        waiting, running = self.job(ITEMS), self.job(ITEMS)
        self.caller.send(f"jobs/{waiting['number']}/stop", {})
        carry_out(waiting["number"])
        with patch("poietic.exchange.commands.store", side_effect=JobStopped("Import tables")):
            carry_out(running["number"])
        states = {j["number"]: j["state"] for j in self.caller.get("jobs")}
        self.assertEqual(set(states.values()), {"stopped"})
        self.assertFalse(Item.objects.exists())

    def test_a_job_whose_worker_died_is_told_as_lost(self) -> None:
        number = self.job(ITEMS)["number"]
        long_ago = timezone.now() - 2 * LOST_AFTER
        Job.objects.filter(pk=number).update(state="running", seen_at=long_ago)
        self.assertEqual(self.caller.get(f"jobs/{number}")["state"], "lost")
        self.caller.get("jobs/999")
        self.assertEqual(self.caller.status, 404)
