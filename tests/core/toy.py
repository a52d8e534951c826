"""Small random knowledge for tests of the reasoning: no shipped table is used."""

from __future__ import annotations

from decimal import Decimal
from random import Random

from gumshoe.core.clues.model import Clue, ClueKind
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import (
    BinRow,
    CodeRow,
    Distribution,
    FaultRow,
    OutcomeRow,
    RepairRow,
    TestRow,
    VariableRow,
)
from gumshoe.core.powertrain.description import Powertrain


def distribution(draw: Random, names: list[str]) -> Distribution:
    """A random distribution with no bin below two per cent."""
    shares = [draw.uniform(0.05, 1.0) for _ in names]
    return {name: share / sum(shares) for name, share in zip(names, shares, strict=True)}


def code(number: str, leak: float) -> CodeRow:
    """A code row with only what the reasoning needs."""
    return CodeRow(number, number, "functional", "", "m", "", "", 2, "", "soon", "", (), (), (), "", (), leak)


def knowledge(draw: Random, faults: int = 6, codes: int = 3, tests: int = 2) -> Knowledge:
    """Random faults, codes, one graded variable, tests and a repair for each fault (two share one)."""
    names = [f"f{i}" for i in range(faults)]
    code_rows = {f"P0{100 + i}": code(f"P0{100 + i}", draw.uniform(0.01, 0.2)) for i in range(codes)}
    bins = ["low", "middle", "high"]
    variable = VariableRow("v", "v", "", "v", "", tuple(BinRow(name, name) for name in bins), distribution(draw, bins))
    fault_rows = {}
    for index, name in enumerate(names):
        fault_rows[name] = FaultRow(
            name,
            name,
            name,
            draw.uniform(0.5, 5.0),
            0.0,
            (),
            f"r{min(index, faults - 2)}",
            (),
            {number: draw.uniform(0.1, 0.95) for number in code_rows if draw.random() < 0.6},
            {},
            {"v": distribution(draw, bins)} if draw.random() < 0.6 else {},
        )
    test_rows = {}
    for index in range(tests):
        outcomes = ["good", "bad"]
        given = {name: distribution(draw, outcomes) for name in names if draw.random() < 0.5}
        test_rows[f"t{index}"] = TestRow(
            f"t{index}",
            f"t{index}",
            "",
            "",
            draw.uniform(2, 30),
            0,
            (),
            (),
            (),
            outcomes=tuple(OutcomeRow(o, o, "") for o in outcomes),
            otherwise=distribution(draw, outcomes),
            given=given,
        )
    repairs = {
        row.repair: RepairRow(
            row.repair, row.repair, "", draw.randrange(5, 200), Decimal(draw.randrange(1, 300)), (), (), (), "renew"
        )
        for row in fault_rows.values()
    }
    return Knowledge(Powertrain(), code_rows, {"v": variable}, {}, fault_rows, test_rows, repairs, {}, ())


def clues(draw: Random, known: Knowledge) -> list[Clue]:
    """One clue a code, one of the variable, one of each test: every one a family of its own."""
    found = [Clue(ClueKind.CODE, number, draw.choice(["present", "absent"]), number, number) for number in known.codes]
    found.append(Clue(ClueKind.GRADED, "v", draw.choice(["low", "middle", "high"]), "v", "v"))
    found += [Clue(ClueKind.TEST, name, draw.choice(["good", "bad"]), name, name) for name in known.tests]
    return found
