"""Django's test runner, ending with one line that counts."""

from __future__ import annotations

import os
from typing import Any

from django.test import SimpleTestCase
from django.test.runner import DiscoverRunner
from hypothesis import HealthCheck, settings

from tests.reader import Reader

settings.register_profile("any machine", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("any machine")  # how fast a machine is, is no property of the code


class Runner(DiscoverRunner):
    """Tests in two processes where there are two cores; prints ``N passed, N failed`` as its last line."""

    _line = ""

    def __init__(self, *args: Any, parallel: int = 0, **kwargs: Any) -> None:
        super().__init__(*args, parallel=parallel or min(os.cpu_count() or 1, 2), **kwargs)
        SimpleTestCase.client_class = Reader

    def setup_databases(self, **kwargs: Any) -> Any:
        """One database for each process. What SQLite still holds in its log is written before the copies are made."""
        processes, self.parallel = self.parallel, 1
        made = super().setup_databases(**kwargs)
        self.parallel = processes
        for connection, _name, own in made if processes > 1 else ():
            if own:
                if connection.vendor == "sqlite":
                    connection.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)")
                for number in range(processes):
                    connection.creation.clone_test_db(suffix=str(number + 1), verbosity=0)
        return made

    def suite_result(self, suite: Any, result: Any, **kwargs: Any) -> int:
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        passed = result.testsRun - failed - skipped
        self._line = f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else "")
        return int(super().suite_result(suite, result, **kwargs))

    def run_tests(self, *args: Any, **kwargs: Any) -> int:
        try:
            return int(super().run_tests(*args, **kwargs))
        finally:
            if self._line:
                print(self._line, flush=True)
