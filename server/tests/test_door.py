"""Who comes in and how: passwords, codes, the second factor, sessions, the demo, throttling, the audit."""

import json
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from typing import Any
from unittest.mock import patch

import pyotp
from django.db import connection
from django.test import Client, SimpleTestCase, TestCase, TransactionTestCase, override_settings
from django.utils import timezone
from poietic.commanding.models import Entry
from poietic.commanding.registry import COMMANDS
from poietic.commanding.roles import Role
from poietic.demo.shop import Shop
from poietic.people.door import address_of, factor_fits
from poietic.people.models import FailedSignIn, Happening, OpenSession, Person
from poietic.web_api.events import Hub, Page
from poietic.works.models import Works

from .client import PASSWORD, Caller, make_person

OTHER = "quite another long one"


def sign_in(caller: Caller, name: str, password: str = PASSWORD, **more: str) -> Any:
    """Sign in through the door."""
    return caller.send("sign-in", {"name": name, "password": password} | more)


class Passwords(TestCase):
    """What is taken as a password, and how it changes (ASVS 5.0, 6.2 and 6.4)."""

    def setUp(self) -> None:
        self.admin = Caller(make_person("ada"))

    def test_common_repeated_short_and_own_names_are_refused(self) -> None:
        for password, why in (
            ("password123", "too common"),
            ("aaaaaaaaaaaa", "different characters"),
            ("short", "too short"),
            ("bodilexample", "too similar"),
        ):
            said = self.admin.do("add-person", {"name": "bodil", "full_name": "Bodil Example", "password": password, "roles": []})  # fmt: skip
            self.assertEqual((self.admin.status, said["code"]), (422, "input.invalid"))
            self.assertIn(why, said["detail"])

    def test_one_s_own_changes_with_the_present_one_and_ends_other_sessions(self) -> None:
        here, there = Caller(), Caller()
        for caller in (here, there):
            sign_in(caller, "ada")
        wrong = here.send("me/password", {"present": "no", "password": OTHER})
        self.assertIn("present password", wrong["detail"])
        again = here.send("me/password", {"present": PASSWORD, "password": PASSWORD})
        self.assertIn("used before", again["detail"])

        here.send("me/password", {"present": PASSWORD, "password": OTHER})

        self.assertEqual(here.status, 200)
        self.assertEqual([s["is_this"] for s in here.get("me/sessions")], [True])
        there.get("today")
        self.assertEqual(there.status, 401)
        back = here.send("me/password", {"present": OTHER, "password": PASSWORD})
        self.assertIn("used before", back["detail"])
        kept = str(list(Entry.objects.values()))
        self.assertNotIn(PASSWORD, kept)
        self.assertNotIn(OTHER, kept)

    def test_the_fingerprint_of_a_key_does_not_depend_on_a_secret(self) -> None:
        given = {"name": "bo", "full_name": "Bo Example", "roles": []}
        first = self.admin.do("add-person", given | {"password": PASSWORD}, key="same-key-1")
        again = self.admin.do("add-person", given | {"password": OTHER}, key="same-key-1")
        self.assertEqual(first, again)

    def test_a_one_time_code_lets_in_once_to_set_a_new_password(self) -> None:
        make_person("bo", Role.OPERATOR)
        other = Caller()
        sign_in(other, "bo")
        code = self.admin.send("people/bo/code", {})["code"]
        other.get("today")
        self.assertEqual(other.status, 401)
        self.assertNotIn(code, str(list(Entry.objects.values())))
        caller = Caller()
        self.assertEqual(sign_in(caller, "bo")["code"], "people.sign_in_refused")
        self.assertEqual(sign_in(caller, "bo", code)["code"], "people.new_password_needed")
        self.assertEqual(sign_in(caller, "bo", code, new_password=OTHER)["name"], "bo")
        self.assertEqual(sign_in(Caller(), "bo", code, new_password=OTHER + "!")["code"], "people.sign_in_refused")  # fmt: skip
        self.assertEqual(sign_in(Caller(), "bo", OTHER)["name"], "bo")

    def test_a_one_time_code_counts_a_day(self) -> None:
        make_person("bo", Role.OPERATOR)
        code = self.admin.send("people/bo/code", {})["code"]
        Person.objects.filter(name="bo").update(code_until=timezone.now() - timedelta(seconds=1))
        self.assertEqual(sign_in(Caller(), "bo", code, new_password=OTHER)["code"], "people.sign_in_refused")  # fmt: skip


class SecondFactor(TestCase):
    """Codes of an authenticator."""

    def test_the_vectors_of_rfc_6238(self) -> None:
        """Appendix B, SHA-1; eight digits there, of which six are used here."""
        secret = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"  # "12345678901234567890" in base 32
        for seconds, code in ((59, "94287082"), (1111111109, "07081804"), (1234567890, "89005924"), (2000000000, "69279037")):  # fmt: skip
            person = make_person(f"p{seconds}")
            person.totp_secret = secret
            person.save()
            with patch("poietic.people.door.time.time", return_value=seconds):
                self.assertTrue(factor_fits(person, code[-6:]))
                self.assertFalse(factor_fits(person, code[-6:]), "a code counts once")
            with patch("poietic.people.door.time.time", return_value=seconds + 90):
                self.assertFalse(factor_fits(person, code[-6:]), "its time is over")

    def test_it_is_set_up_with_a_code_asked_for_and_taken_away(self) -> None:
        caller = Caller(make_person("ada"))
        secret = caller.get("me/second-factor")["secret"]
        refused = caller.do("set-second-factor", {"secret": secret, "code": "000000"})
        self.assertIn("authenticator shows", refused["detail"])
        caller.must("set-second-factor", {"secret": secret, "code": pyotp.TOTP(secret).now()})
        self.assertNotIn(secret, str(list(Entry.objects.values())))
        other = caller.get("me/second-factor")["secret"]
        again = caller.do("set-second-factor", {"secret": other, "code": pyotp.TOTP(other).now()})
        self.assertIn("administrator takes it away", again["detail"])
        door = Caller()
        self.assertEqual(sign_in(door, "ada")["code"], "people.factor_needed")
        self.assertEqual(sign_in(door, "ada", factor="000000")["code"], "people.sign_in_refused")
        self.assertEqual(sign_in(door, "ada", factor=pyotp.TOTP(secret).now())["name"], "ada")
        caller.must("drop-second-factor", {"name": "ada"})
        self.assertEqual(sign_in(Caller(), "ada")["name"], "ada")


class Sessions(TestCase):
    """How long a session lasts, and what ends it."""

    def setUp(self) -> None:
        make_person("ada")
        self.caller = Caller()
        sign_in(self.caller, "ada")

    def test_it_ends_when_it_is_idle_or_old_and_not_before(self) -> None:
        for field, hours, status in (
            ("seen_at", 1, 200),
            ("seen_at", 3, 401),
            ("begun_at", 13, 401),
        ):
            caller = Caller()
            sign_in(caller, "ada")
            rows = OpenSession.objects.order_by("-pk")[:1]
            OpenSession.objects.filter(pk=rows[0].pk).update(**{field: timezone.now() - timedelta(hours=hours)})  # fmt: skip
            caller.get("today")
            self.assertEqual(caller.status, status, (field, hours))

    def test_signing_out_deactivation_and_an_administrator_end_it(self) -> None:
        admin = Caller(make_person("ida"))
        self.caller.send("sign-out", {})
        self.caller.get("today")
        self.assertEqual(self.caller.status, 401)
        for command in ("end-sessions", "deactivate-person"):
            sign_in(self.caller, "ada")
            admin.must(command, {"name": "ada"})
            self.caller.get("today")
            self.assertEqual(self.caller.status, 401, command)
        self.assertEqual(sign_in(self.caller, "ada")["code"], "people.sign_in_refused")
        admin.must("activate-person", {"name": "ada"})
        self.assertEqual(sign_in(self.caller, "ada")["name"], "ada")

    def test_one_ends_another_of_one_s_own_and_nobody_else_s(self) -> None:
        other = Caller()
        sign_in(other, "ada")
        stranger = Caller(make_person("bo"))
        number = next(s["number"] for s in self.caller.get("me/sessions") if not s["is_this"])
        stranger.send(f"me/sessions/{number}/end", {})
        self.assertEqual(stranger.status, 404)
        self.caller.send(f"me/sessions/{number}/end", {})
        other.get("today")
        self.assertEqual(other.status, 401)

    def test_the_last_administrator_can_t_be_deactivated(self) -> None:
        said = self.caller.do("deactivate-person", {"name": "ada"})
        self.assertIn("only administrator", said["detail"])


class Demo(TestCase):
    """Doors that are open in a works made as a demo, and nowhere else."""

    def setUp(self) -> None:
        shop = Shop()
        shop.do(
            "add-person", name="mara", full_name="Mara Quill", roles=["administrator"], is_demo=True
        )
        self.shop = shop

    def test_they_are_closed_where_there_is_no_demo(self) -> None:
        caller = Caller()
        self.assertEqual(caller.get("me")["demo_people"], [])
        self.assertEqual(caller.send("demo/sign-in", {"name": "mara"})["code"], "people.no_demo")

    def test_they_are_open_in_one_on_its_own_machine_only(self) -> None:
        self.shop.do("open-demo")
        caller = Caller()
        me = caller.get("me")
        self.assertEqual([p["name"] for p in me["demo_people"]], ["mara"])
        self.assertEqual([v for k, v in me.items() if "password" in k and v], [])
        far = Client(REMOTE_ADDR="192.0.2.7")
        body = {"name": "mara"}
        for address, status in (("192.0.2.7", 403), ("127.0.0.1", 200)):
            far = Client(REMOTE_ADDR=address)
            self.assertEqual(far.post("/api/demo/sign-in", body, content_type="application/json").status_code, status)  # fmt: skip
        self.assertEqual(Client(REMOTE_ADDR="192.0.2.7").get("/api/me").json()["demo_people"], [])

    def test_nobody_opens_it_later_and_one_act_closes_it(self) -> None:
        self.shop.do("open-demo")
        caller = Caller()
        caller.send("demo/sign-in", {"name": "mara"})
        self.assertIn("while it is set up", caller.do("open-demo", {})["detail"])
        self.assertIn("administrator", caller.do("close-demo", {})["detail"])
        make_person("ada")
        caller.must("close-demo", {})
        caller.get("today")
        self.assertEqual(caller.status, 401)
        self.assertEqual(caller.send("demo/sign-in", {"name": "mara"})["code"], "people.no_demo")
        self.assertFalse(Works.objects.get().is_demo)


class Throttled(TransactionTestCase):
    """Many tries, one after the other and at once."""

    def tries(self, count: int, *, name: str = "ada", address: str = "192.0.2.1") -> list[int]:
        """Return the statuses of so many wrong tries at once."""

        def attempt(n: int) -> int:
            try:
                client = Client(REMOTE_ADDR=address)
                body = {"name": name, "password": f"guess {n}"}
                return client.post(
                    "/api/sign-in", body, content_type="application/json"
                ).status_code
            finally:
                connection.close()

        with ThreadPoolExecutor(10) as pool:
            return list(pool.map(attempt, range(count)))

    @patch("poietic.people.door.SLOWEST", 0.01)
    def test_thirty_at_once_are_judged_five_times_and_lock_nobody_out(self) -> None:
        make_person("ada")
        statuses = self.tries(30)
        self.assertEqual((statuses.count(401), statuses.count(429)), (5, 25))
        elsewhere = Client(REMOTE_ADDR="192.0.2.9")
        body = {"name": "ada", "password": PASSWORD}
        self.assertEqual(elsewhere.post("/api/sign-in", body, content_type="application/json").status_code, 200)  # fmt: skip
        self.assertEqual(self.tries(1, name="bo"), [401])
        FailedSignIn.objects.update(at=timezone.now() - timedelta(hours=1))
        self.assertEqual(self.tries(1), [401])
        self.assertEqual(FailedSignIn.objects.count(), 1, "old tries are forgotten")


class Address(SimpleTestCase):
    """Where a request comes from."""

    def request(self, address: str, forwarded: str) -> Any:
        """Return a request as it arrives."""
        return Client().request(REMOTE_ADDR=address, HTTP_X_FORWARDED_FOR=forwarded, PATH_INFO="/x").wsgi_request  # fmt: skip

    def test_only_a_proxy_of_ours_is_believed(self) -> None:
        with override_settings(PROXIES=[]):
            self.assertEqual(address_of(self.request("192.0.2.1", "10.0.0.1")), "192.0.2.1")
        with override_settings(PROXIES=["192.0.2.1", "192.0.2.2"]):
            for forwarded, address in (("10.0.0.1", "10.0.0.1"), ("6.6.6.6, 10.0.0.1, 192.0.2.2", "10.0.0.1"), ("nonsense", "192.0.2.1"), ("", "192.0.2.1")):  # fmt: skip
                self.assertEqual(address_of(self.request("192.0.2.1", forwarded)), address)


class Audit(TestCase):
    """What is kept of the door."""

    def test_coming_in_refusals_lacking_roles_and_exports_are_kept_with_person_and_address(
        self,
    ) -> None:
        make_person("ada")
        viewer = Caller(make_person("vic", Role.VIEWER))
        caller = Caller()
        sign_in(caller, "ada", "wrong")
        sign_in(caller, "ada")
        caller.client.get("/api/export/csv")
        viewer.get("people")
        viewer.do("release-order", {"order": 1})
        kept = [(h["kind"], h["person"], h["name"]) for h in caller.get("audit")]
        self.assertEqual(kept, [
            ("role lacked", "Vic Example", ""),
            ("role lacked", "Vic Example", ""),
            ("exported", "Ada Example", ""),
            ("signed in", "Ada Example", ""),
            ("sign-in refused", "", "ada"),
        ])  # fmt: skip
        self.assertEqual({h.address for h in Happening.objects.all()}, {"127.0.0.1"})
        viewer.get("audit")
        self.assertEqual(viewer.status, 403)


class WorksDay(TestCase):
    """The one time zone of the works."""

    def test_days_are_the_works_wherever_the_server_stands(self) -> None:
        caller = Caller(make_person("ada"))
        late = datetime(2026, 3, 1, 23, 30, tzinfo=UTC)
        for zone, day in (("UTC", "2026-03-01"), ("Pacific/Kiritimati", "2026-03-02")):
            caller.must("set-zone", {"zone": zone})
            OpenSession.objects.update(begun_at=late, seen_at=late)
            with patch("django.utils.timezone.now", return_value=late):
                answer = caller.client.get("/api/export/csv")
                self.assertIn(day, answer["Content-Disposition"])
            OpenSession.objects.update(begun_at=timezone.now(), seen_at=timezone.now())
            self.assertEqual(caller.get("me")["zone"], zone)

    def test_it_is_set_before_work_begins_and_never_after(self) -> None:
        caller = Caller(make_person("ada"))
        caller.must("define-reason", {"code": "R", "name": "R"})
        said = caller.do("set-zone", {"zone": "Europe/Berlin"})
        self.assertIn("work has begun", said["detail"])


class Told(SimpleTestCase):
    """What open pages are told of what others do."""

    def test_pages_are_told_only_what_their_reader_may_know(self) -> None:
        hub = Hub()
        pages = {
            name: Page(person, frozenset(roles), name)
            for name, person, roles in (
                ("ada", 1, {"administrator"}),
                ("vic", 2, {"viewer"}),
                ("sunil", 3, {"cost accountant", "viewer"}),
            )
        }
        for page in pages.values():
            hub._pages.add(page)
        for told, reached in (
            (
                {"readers": ["viewer", "administrator"], "message": {"change": 1}},
                {"ada", "vic", "sunil"},
            ),
            ({"readers": ["cost accountant"], "message": {"change": 2}}, {"sunil"}),
            ({"readers": ["administrator"], "person": 2, "message": {"job": 1}}, {"ada", "vic"}),
            ({"ended": "vic"}, {"vic"}),
            ({"ended": 3}, {"sunil"}),
        ):
            hub._tell(json.dumps(told))
            self.assertEqual({n for n, p in pages.items() if p.waiting.qsize()}, reached, told)
            for page in pages.values():
                while page.waiting.qsize():
                    message = page.waiting.get_nowait()
                    self.assertNotIn("readers", message)

    def test_commands_on_persons_and_costs_are_told_to_those_who_may_know(self) -> None:
        self.assertEqual(COMMANDS["set-roles"].told, {Role.ADMINISTRATOR})
        self.assertNotIn(Role.VIEWER, COMMANDS["freeze-standard"].told)
        self.assertNotIn(Role.ENGINEER, COMMANDS["set-list-prices"].told)
        self.assertEqual(COMMANDS["report"].told, set(Role))
