"""Settings of the tests."""

from .base import *  # noqa: F403

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # fast: only in tests
LOGGING = {"version": 1, "disable_existing_loggers": True}
