"""Settings of the tests."""

import hypothesis

from .base import *  # noqa: F403

# a pool would keep the test database from being dropped
DATABASES["default"]["OPTIONS"].pop("pool")  # type: ignore[attr-defined]  # noqa: F405
# what a crash would lose of a test's rows is lost to nobody
DATABASES["default"]["OPTIONS"]["options"] = "-c synchronous_commit=off"  # type: ignore[index]  # noqa: F405
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # fast: only in tests
LOGGING = {"version": 1, "disable_existing_loggers": True}
STORAGES = {"default": {"BACKEND": "django.core.files.storage.InMemoryStorage"}}
TEST_RUNNER = "server.tests.runner.CountingRunner"

# a property that holds is not broken by a machine that is busy
hypothesis.settings.register_profile("untimed", deadline=None)
hypothesis.settings.load_profile("untimed")
