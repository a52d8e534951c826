"""Read a case file and print what the readings at its circuits say, and where to put the leads next."""

from __future__ import annotations

from typing import Any

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.probe import CircuitRead, probe_file
from gumshoe.core.circuits.instruments import words_of
from gumshoe.core.errors import BadInput
from gumshoe.core.words import share
from gumshoe.web.cases.management.case_file_command import CaseFileCommand


class Command(CaseFileCommand):
    """``manage.py probe CASE.json [--json]``; the output's keys are in docs/case-format.md."""

    help = __doc__

    def work(self, case: CaseFile) -> tuple[CircuitRead, ...]:
        if not case.circuits:
            raise BadInput("This case file holds no circuit.", remedies=("name a component under “circuits”",))
        return probe_file(case)

    def document(self, found: tuple[CircuitRead, ...]) -> dict[str, Any]:
        return {"format": "gumshoe-probing", "version": 1, "circuits": [item.document() for item in found]}

    def words(self, found: tuple[CircuitRead, ...]) -> None:
        for item in found:
            self._circuit(item)

    def _circuit(self, found: CircuitRead) -> None:
        say = self.stdout.write
        say(found.circuit.words)
        if found.doubtful:
            say("  No single fault explains these readings; look again at the least believable one:")
            say(f"    {words_of(found.circuit, found.doubtful.probe)}")
            for pair in found.pairs:
                say(f"    or two at once: {pair.first.words}; {pair.second.words}")
        for row in found.loading:
            say(f"  The meter itself makes “{words_of(found.circuit, row.reading.probe)}”:")
            say(f"    {row.open_volts:.1f} V without it; about {row.leakage_ohm / 1e6:.0f} MΩ feed that place.")
        for group in found.groups[:5]:
            say(f"  {share(group.probability):>12}  {', or '.join(fault.words for fault in group.faults)}")
        say("  Next")
        for item in found.proposals[:3]:
            say(f"  {item.bits:5.2f} bits in {item.minutes:.0f} min  {item.words}")
            for shows in item.shows[:4]:
                same = abs(shows.highest - shows.lowest) < 0.05
                shown = f"{shows.lowest:.2f}" if same else f"{shows.lowest:.2f} to {shows.highest:.2f}"
                say(f"        {shown} {item.probe.unit}: {shows.fault.words}")
