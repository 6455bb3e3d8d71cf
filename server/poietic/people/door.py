"""Who is let in: passwords, one-time codes, the second factor, and how many tries there are."""

import time
from dataclasses import dataclass
from datetime import timedelta
from ipaddress import ip_address
from threading import BoundedSemaphore
from typing import ClassVar

import pyotp
from django.conf import settings
from django.contrib.auth.hashers import check_password, make_password
from django.db import connection, transaction
from django.http import HttpRequest
from django.utils import timezone
from poietic_core.errors import DomainError

from ..commanding.errors import Busy
from ..commanding.holding import let_go
from .models import FailedSignIn, Happening, Person

#: passwords that are judged at once: strangers who try take no more of the machine than this
JUDGED_AT_ONCE = BoundedSemaphore(2)
#: how long somebody waits to be judged [s]
JUDGED_WITHIN = 10
#: an answer to a name that many tries failed for comes later, at most so late [s]
SLOWEST = 3.0
#: steps of 30 s that a clock may be wrong by (RFC 6238, 5.2)
DRIFT = 1


@dataclass(eq=False)
class SignInRefused(DomainError):
    """Name and password do not belong together."""

    code: ClassVar[str] = "people.sign_in_refused"
    what: ClassVar[str] = "The sign-in was refused."
    why: ClassVar[str] = "Name and password, or the code, do not belong together."
    fix: ClassVar[str] = "Check both, or ask an administrator for a one-time code."


@dataclass(eq=False)
class FactorNeeded(DomainError):
    """The password is right, and the code of the second factor is wanted."""

    code: ClassVar[str] = "people.factor_needed"
    what: ClassVar[str] = "A code is wanted too."
    why: ClassVar[str] = "This person signs in with a second factor."
    fix: ClassVar[str] = "Enter the six digits that the authenticator shows now."


@dataclass(eq=False)
class NewPasswordNeeded(DomainError):
    """A one-time code is right, and a new password is wanted with it."""

    code: ClassVar[str] = "people.new_password_needed"
    what: ClassVar[str] = "A new password is wanted."
    why: ClassVar[str] = "A one-time code lets in once, to set a password."
    fix: ClassVar[str] = "Enter the new password beside the code."


@dataclass(eq=False)
class TooManyAttempts(DomainError):
    """Sign-in attempts are throttled."""

    minutes: int
    code: ClassVar[str] = "people.too_many_attempts"
    what: ClassVar[str] = "Too many attempts to sign in failed from here."
    why: ClassVar[str] = "Attempts are counted for {minutes} minutes."
    fix: ClassVar[str] = "Wait {minutes} minutes and try again."


@dataclass(frozen=True)
class Claim:
    """What somebody says at the door."""

    name: str
    password: str
    factor: str = ""


def address_of(request: HttpRequest) -> str:
    """Return where a request comes from: the last hop that is no proxy of ours."""
    address = str(request.META.get("REMOTE_ADDR") or "")
    hops = str(request.META.get("HTTP_X_FORWARDED_FOR") or "").split(",")
    while address in settings.PROXIES and hops:
        hop = hops.pop().strip()
        try:
            address = str(ip_address(hop))
        except ValueError:
            break
    return address[:60]


def note(request: HttpRequest, kind: Happening.Kind, *, name: str = "", detail: str = "") -> None:
    """Keep in the audit what happened at the door."""
    person = request.user if isinstance(request.user, Person) else None
    Happening.objects.create(
        at=timezone.now(),
        kind=kind,
        person=person,
        name=name[:120],
        address=address_of(request),
        detail=detail[:200],
    )


def let_in(claim: Claim, address: str) -> tuple[Person, bool]:
    """Return the person that a claim is right for, and whether it was a one-time code.

    Raises
    ------
    TooManyAttempts (people.too_many_attempts)
        If too many failed for this name from this address, or for any name from it.
    SignInRefused (people.sign_in_refused)
    FactorNeeded (people.factor_needed)
    """
    attempt, failed_for_name = _counted(claim.name, address)
    let_go()  # strangers who wait keep no connection from those who work
    if failed_for_name >= settings.SIGN_IN_ATTEMPTS:  # from elsewhere: nobody is locked out by it
        time.sleep(min(0.1 * 2 ** (failed_for_name - settings.SIGN_IN_ATTEMPTS), SLOWEST))
    if not JUDGED_AT_ONCE.acquire(timeout=JUDGED_WITHIN):
        raise Busy("the door", "Many sign in at this moment")
    try:
        person = Person.objects.filter(name=claim.name).first()
        is_code = person is not None and code_fits(person, claim.password)
        is_right = is_code or _fits(person, claim.password)
    finally:
        JUDGED_AT_ONCE.release()
    if person is None or not is_right or not person.is_active:
        raise SignInRefused
    if person.totp_secret and not claim.factor:
        attempt.delete()  # the password was right
        raise FactorNeeded
    if person.totp_secret and not factor_fits(person, claim.factor):
        raise SignInRefused
    FailedSignIn.objects.filter(name=claim.name, address=address).delete()
    return person, is_code


def _counted(name: str, address: str) -> tuple[FailedSignIn, int]:
    """Count an attempt before it is judged, so that many at once are counted too; return it, and how many failed for the name."""
    now = timezone.now()
    since = now - timedelta(seconds=settings.SIGN_IN_PAUSE_SECONDS)
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute(f"SET LOCAL lock_timeout = '{JUDGED_WITHIN}s'")
            cursor.execute(
                "SELECT pg_advisory_xact_lock(hashtextextended(%s, 2))", [f"door {address}"]
            )
        FailedSignIn.objects.filter(at__lt=since).delete()
        here = FailedSignIn.objects.filter(address=address)
        by_both = here.filter(name=name).count()
        if by_both >= settings.SIGN_IN_ATTEMPTS or here.count() >= 10 * settings.SIGN_IN_ATTEMPTS:
            raise TooManyAttempts(settings.SIGN_IN_PAUSE_SECONDS // 60)
        attempt = FailedSignIn.objects.create(name=name, address=address, at=now)
    return attempt, FailedSignIn.objects.filter(name=name).count() - 1


def _fits(person: Person | None, password: str) -> bool:
    if person is None or not person.has_usable_password():
        make_password(password)  # a name that is not there takes as long as one that is
        return False
    return person.check_password(password)


def code_fits(person: Person, code: str) -> bool:
    """Tell whether a one-time code is the person's and still counts."""
    is_open = person.code_until is not None and person.code_until > timezone.now()
    return is_open and bool(person.code_hash) and check_password(code, person.code_hash)


def factor_fits(person: Person, code: str) -> bool:
    """Tell whether a code of the second factor is right now; each counts once (RFC 6238, 5.2)."""
    now = int(time.time()) // 30
    totp = pyotp.TOTP(person.totp_secret)
    for step in range(now - DRIFT, now + DRIFT + 1):
        if pyotp.utils.strings_equal(code.strip(), totp.generate_otp(step)):
            used = Person.objects.filter(pk=person.pk, totp_step__lt=step).update(totp_step=step)
            return used == 1
    return False
