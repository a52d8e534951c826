"""Django's test runner, ending with one line that counts."""

from __future__ import annotations

from typing import Any

from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """Prints ``N passed, N failed`` as its last line."""

    _line = ""

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
