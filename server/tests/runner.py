"""Django's test runner, which also leaves its count where CI reads it and loads the demo once."""

from typing import Any
from unittest import TestResult

from django.conf import settings
from django.db import connection
from django.test import TransactionTestCase
from django.test.runner import DiscoverRunner

from . import demo_rows
from .emptying import empty

#: of fewer tests, those that need the demo load it themselves
MANY = 100


class CountingRunner(DiscoverRunner):
    """Runs the tests and writes "N passed, N failed" to var/test-result."""

    _tests = 0

    def build_suite(self, *args: Any, **kwargs: Any) -> Any:
        """Gather the tests and count them."""
        suite = super().build_suite(*args, **kwargs)
        self._tests = suite.countTestCases()
        return suite

    def setup_databases(self, **kwargs: Any) -> Any:
        """Make the test databases: the demo's rows are in the first before the others are cloned."""
        TransactionTestCase._fixture_teardown = empty  # type: ignore[method-assign]
        make = connection.creation.create_test_db

        def make_with_demo(*args: Any, **options: Any) -> str:
            name: str = make(*args, **options)
            if self._tests >= MANY:
                demo_rows.keep()
            return name

        connection.creation.create_test_db = make_with_demo  # type: ignore[method-assign]
        try:
            return super().setup_databases(**kwargs)
        finally:
            connection.creation.create_test_db = make  # type: ignore[method-assign]

    def teardown_databases(self, old_config: Any, **kwargs: Any) -> None:
        """Drop the test databases, also from under a thread of a server that has just ended."""
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
                " WHERE datname LIKE %s AND pid <> pg_backend_pid()",
                [connection.settings_dict["NAME"] + "%"],
            )
        super().teardown_databases(old_config, **kwargs)

    def suite_result(self, suite: Any, result: TestResult, **kwargs: Any) -> int:
        """Write the count; a run of no test has failed."""
        told = (test for test, _ in [*result.failures, *result.errors])
        #: a test counts once, however many of its cases fail
        tests = {getattr(test, "test_case", test).id() for test in told}
        failed = len(tests) + len(result.unexpectedSuccesses)
        passed = result.testsRun - failed - len(result.skipped)
        line = f"{passed} passed, {failed} failed"
        (settings.ROOT / "var" / "test-result").write_text(line + "\n")
        print(line)
        return failed or int(result.testsRun == 0)
