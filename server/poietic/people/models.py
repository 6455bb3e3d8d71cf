"""Persons who sign in, their sessions, what happened at the door."""

from typing import ClassVar

from django.contrib.auth.base_user import AbstractBaseUser, BaseUserManager
from django.contrib.postgres.fields import ArrayField
from django.db import models

from ..commanding.models import Changing


class Person(AbstractBaseUser, Changing):
    """Somebody who works with the application."""

    name = models.CharField(max_length=40, unique=True)
    full_name = models.CharField(max_length=120)
    roles = ArrayField(models.CharField(max_length=20))
    is_active = models.BooleanField(default=True)
    #: comes in without a password, where the works is a demo
    is_demo = models.BooleanField(default=False)
    #: a code that signs in once, to set a new password with
    code_hash = models.CharField(max_length=128, blank=True)
    code_until = models.DateTimeField(null=True)
    #: of the second factor (RFC 6238), and the last time step whose code was used
    totp_secret = models.CharField(max_length=64, blank=True)
    totp_step = models.BigIntegerField(default=0)

    objects = BaseUserManager()

    USERNAME_FIELD = "name"
    REQUIRED_FIELDS: ClassVar[list[str]] = []

    def __str__(self) -> str:
        return self.full_name


class PastPassword(models.Model):
    """The hash of a password that a person had: it is not taken again."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="past_passwords")
    hash = models.CharField(max_length=128)

    def __str__(self) -> str:
        return str(self.person)


class OpenSession(models.Model):
    """A session of a person, from signing in until it ends."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="sessions")
    key = models.CharField(max_length=40, unique=True)
    address = models.CharField(max_length=60)
    agent = models.CharField(max_length=200, blank=True)
    begun_at = models.DateTimeField()
    seen_at = models.DateTimeField()

    def __str__(self) -> str:
        return f"{self.person} {self.begun_at}"


class FailedSignIn(models.Model):
    """One attempt to sign in that failed, or is being judged; too many in a while are throttled."""

    name = models.CharField(max_length=120)
    address = models.CharField(max_length=60)
    at = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["at"], name="failed_sign_in_by_time")]

    def __str__(self) -> str:
        return f"{self.name} {self.at}"


class Happening(models.Model):
    """Something at the door, for the audit: who came in or was refused, what was carried out."""

    class Kind(models.TextChoices):
        """What happened."""

        SIGNED_IN = "signed in"
        REFUSED = "sign-in refused"
        THROTTLED = "sign-in throttled"
        SIGNED_OUT = "signed out"
        SESSION_ENDED = "session ended"
        PASSWORD = "password changed"
        FACTOR = "second factor changed"
        ROLE_LACKED = "role lacked"
        EXPORT = "exported"

    at = models.DateTimeField()
    kind = models.CharField(max_length=30, choices=Kind)
    person = models.ForeignKey(Person, models.PROTECT, null=True)
    #: as it was entered, where nobody was signed in
    name = models.CharField(max_length=120, blank=True)
    address = models.CharField(max_length=60)
    detail = models.CharField(max_length=200, blank=True)

    class Meta:
        indexes = [models.Index(fields=["-at"], name="happening_by_time")]

    def __str__(self) -> str:
        return f"{self.at} {self.kind}"


class SavedView(models.Model):
    """How somebody looks at a table: its filters, order and columns, under a name that all may open."""

    page = models.CharField(max_length=40)
    name = models.CharField(max_length=60)
    #: the query of its address
    query = models.CharField(max_length=1000)
    person = models.ForeignKey(Person, models.CASCADE, null=True, related_name="+")
    saved_at = models.DateTimeField()

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["page", "name"], name="one_view_per_page_and_name")
        ]

    def __str__(self) -> str:
        return f"{self.page} {self.name}"
