"""Persons who sign in, and failed attempts to."""

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
    #: offered on the sign-in page, in the demo only
    is_demo = models.BooleanField(default=False)

    objects = BaseUserManager()

    USERNAME_FIELD = "name"
    REQUIRED_FIELDS: list[str] = []

    def __str__(self) -> str:
        return self.full_name


class FailedSignIn(models.Model):
    """One attempt to sign in that failed; too many in a while are throttled."""

    name = models.CharField(max_length=120)
    address = models.CharField(max_length=60)
    at = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["at"], name="failed_sign_in_by_time")]

    def __str__(self) -> str:
        return f"{self.name} {self.at}"
