"""Read a case file and print how its repair is to be proven."""

from __future__ import annotations

from typing import Any

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.proving import ProofPlan, plan_file
from gumshoe.core.words import plain
from gumshoe.web.cases.management.case_file_command import CaseFileCommand


class Command(CaseFileCommand):
    """``manage.py plan CASE.json [--json]``; the output's keys are in docs/case-format.md."""

    help = __doc__

    def work(self, case: CaseFile) -> ProofPlan:
        return plan_file(case)

    def document(self, found: ProofPlan) -> dict[str, Any]:
        return found.document()

    def words(self, found: ProofPlan) -> None:
        def say(text: str) -> None:
            self.stdout.write(plain(text))

        say("What must be shown")
        for row in found.conditions:
            say(f"  {'x' if row.done else '-'} {row.words} ({row.detail})")
        for item in found.plan.circumstances:
            if item.advised:
                say(f"  . {item.words} (advised)")
        drive = found.drive
        say(f"\nWhat to drive: {drive.minutes:.0f} min, {drive.km:.0f} km, after {drive.rest_hours:.0f} h of rest")
        for number, trip in enumerate(drive.trips, 1):
            say(f"  Trip {number} ({trip.minutes:.0f} min, {trip.km:.0f} km)")
            for segment in trip.segments:
                say(f"    {segment.words}: {segment.how}")
        for need in drive.unmet:
            say(f"  No usual drive is known for {need.words}: see the maker's service information.")
        say(f"\nSo far: {found.verdict}")
        for words in found.missing:
            say(f"  {words}")
