"""What the scan as a whole says before any code is read."""

from __future__ import annotations

from gumshoe.core.codes import POWERTRAIN, told_by
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.obd.snapshot import ModuleSnapshot, Snapshot

LOW_SUPPLY_V = 11.0
MANY_MODULES = 3
SUPPLY_KINDS = frozenset({"power lost", "lost", "too low"})


def scan_notes(snapshot: Snapshot | None, engine: ModuleSnapshot | None, knowledge: Knowledge) -> tuple[str, ...]:
    """Remarks in words: what codes tell of the powertrain, empty engine controller with the
    lamp on, low supply (common practice, trade.md 2)."""
    notes = [
        f"{told.code} tells of {told.words}, which the description of this powertrain leaves out. It is taken to be "
        "fitted: correct the description, or the code if it was typed."
        for told in knowledge.fitted
    ]
    volts = engine.values.get("module_v") if engine else None
    if volts is not None and 0.0 < volts < LOW_SUPPLY_V:
        notes.append(
            f"The supply was {volts:.1f} V when the codes were read: a low supply sets unrelated codes in many "
            "modules. Put the battery right, clear, and read again before any of them is chased."
        )
    if snapshot is not None and engine is not None:
        others = [module for module in snapshot.modules if module is not engine and module.codes]
        if snapshot.lamp and not engine.codes:
            where = ", ".join(module.name or f"{module.responder:X}" for module in others)
            tail = f" There are codes in: {where}." if others else " None of the modules that answered holds one."
            notes.append(f"The lamp is on but the engine controller holds no code: read the other modules.{tail}")
        powerless = [
            module
            for module in snapshot.modules
            if any(
                code.code in knowledge.codes
                and knowledge.codes[code.code].kind in SUPPLY_KINDS
                and told_by(code.code).system != POWERTRAIN
                for code in module.codes
            )
        ]
        if len(powerless) >= MANY_MODULES:
            notes.append(
                f"{len(powerless)} modules complain of lost supply or messages at once: battery, charging and main "
                "grounds come before any of them."
            )
    return tuple(notes)
