"""Read a case file and print what the Read and Suspects pages would show."""

from __future__ import annotations

from typing import Any

from gumshoe.core.casefile import CaseAssessment, CaseFile, assess_file
from gumshoe.core.words import share
from gumshoe.web.cases.management.case_file_command import CaseFileCommand


class Command(CaseFileCommand):
    """``manage.py assess CASE.json [--json]``; the output's keys are in docs/case-format.md."""

    help = __doc__

    def work(self, case: CaseFile) -> CaseAssessment:
        return assess_file(case)

    def document(self, found: CaseAssessment) -> dict[str, Any]:
        return found.document()

    def words(self, found: CaseAssessment) -> None:
        say = self.stdout.write
        say(f"{found.knowledge.powertrain.words}")
        say(f"{found.advice.title}. {found.advice.words}\n")
        for row in found.read.codes:
            title = row.row.title if row.row else row.structure_words
            say(f"{row.code}  {row.role}: {title}\n    {row.reason}")
        say("\nSuspects")
        for item in found.assessment.suspects[:5]:
            say(f"  {share(item.probability):>12}  {item.row.words}")
        say("\nNext tests")
        for proposal in found.proposals[:3]:
            say(f"  {proposal.bits:5.2f} bits in {proposal.minutes:.0f} min  {proposal.test.words}")
