"""Django's test runner, which also leaves its count where CI reads it."""

from typing import Any
from unittest import TestResult

from django.conf import settings
from django.test.runner import DiscoverRunner


class CountingRunner(DiscoverRunner):
    """Runs the tests and writes "N passed, N failed" to var/test-result."""

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
