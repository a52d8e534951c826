#!/usr/bin/env python3
"""Can a right repair be proven, and is a wrong one found out? Faults of all eight kinds of car, each repaired rightly
and wrongly, then driven as the plan says until nothing is left to be driven.

Right must end PROVEN, wrong must end CAME BACK or NOT YET. What is tried by hand is taken to have "stayed right" in
both: people overlook things, so the drive alone has to find a wrong repair out. The baseline, in the same run, is the
verdict of "clear, drive round the block, no code: proven" (idle and a round in town). Writes
benchmarks/figures/proving.json.

    .venv/bin/python benchmarks/proving.py [--most 20] [--only "PART OF CAR OR DEFECT"] [--minutes 60]
"""

from __future__ import annotations

import argparse
import json
import sys
import time
from concurrent.futures import ProcessPoolExecutor, as_completed
from copy import deepcopy
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from benchmarks.truths import suspect_of  # noqa: E402
from gumshoe.core.clues import OnRecord, extract  # noqa: E402
from gumshoe.core.codes import CodeState, TroubleCode  # noqa: E402
from gumshoe.core.knowledge.catalogue import Knowledge  # noqa: E402
from gumshoe.core.knowledge.rows import FaultRow  # noqa: E402
from gumshoe.core.obd.pids import pid_table  # noqa: E402
from gumshoe.core.obd.results import decode_results  # noqa: E402
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot, Snapshot, StoredCode  # noqa: E402
from gumshoe.core.obd.status import decode_status  # noqa: E402
from gumshoe.core.proof.circumstances import Repaired  # noqa: E402
from gumshoe.core.proof.plan import Plan, drive_for, needs_of, plan_proof  # noqa: E402
from gumshoe.core.proof.tracker import Observation, ProofVerdict, Tracker  # noqa: E402
from gumshoe.core.suspects import Assessment, assess  # noqa: E402
from gumshoe.core.work.procedures import needed_after  # noqa: E402
from gumshoe.practice.cars import CARS, Car  # noqa: E402
from gumshoe.practice.cures import is_sound, renew  # noqa: E402
from gumshoe.simulator.answers import EngineModule  # noqa: E402
from gumshoe.simulator.defects import defects_of  # noqa: E402
from gumshoe.simulator.drives import trips_of  # noqa: E402
from gumshoe.simulator.models import models  # noqa: E402
from gumshoe.simulator.parts import healthy  # noqa: E402
from gumshoe.simulator.routines import ROUTINES  # noqa: E402
from gumshoe.simulator.vehicle import Key, Vehicle  # noqa: E402

ROUNDS = 6
LOOK_S, CODES_S = 1.0, 30.0
ROUND_THE_BLOCK = (("idle", "town"),)
FRAME_PIDS = (0x04, 0x05, 0x0C, 0x0D)
KEPT = ("rpm", "load_pct", "coolant_c", "speed_kmh", "stft_b1_pct", "ltft_b1_pct", "stft_b2_pct", "ltft_b2_pct")


@dataclass(frozen=True)
class Proved:
    """How the proof of one repair ended; ``block``: what a drive round the block would have said."""

    car: str
    defect: str
    right: bool
    verdict: str
    missing: tuple[str, ...]
    minutes: float
    km: float
    rounds: int
    block: str

    @property
    def good(self) -> bool:
        return (self.verdict == ProofVerdict.PROVEN) == self.right


class Unit:
    """The engine's control unit by its bytes; what it says while it asks for time is passed over."""

    def __init__(self, car: Vehicle) -> None:
        self.car, self.module = car, EngineModule(car)

    def ask(self, request: bytes) -> bytes:
        return self.module.answer(request, False)[-1]

    def codes(self, service: int) -> tuple[str, ...]:
        body = self.ask(bytes((service,)))[2:]
        return tuple(TroubleCode.from_bytes(body[i], body[i + 1]) for i in range(0, len(body) - 1, 2))

    def scan(self) -> Snapshot:
        """Codes, frame, counters and readiness, with the key on and the engine standing."""
        self.car.turn_key(Key.ON)
        self.car.run(1.0)
        codes = [
            StoredCode(code, state)
            for service, state in ((3, CodeState.CONFIRMED), (7, CodeState.PENDING), (10, CodeState.PERMANENT))
            for code in self.codes(service)
        ]
        frames: tuple[FreezeFrame, ...] = ()
        code = self.ask(b"\x02\x02\x00")[3:5]
        if any(code):
            values: dict[str, float] = {}
            for pid in FRAME_PIDS:
                values |= pid_table()[pid].decode(self.ask(bytes((2, pid, 0)))[3:])
            frames = (FreezeFrame(TroubleCode.from_bytes(*code), values),)
        counted = range(0xA1, 0xA2 + self.car.model.cylinders)
        results = tuple(row for mid in counted for row in decode_results(self.ask(bytes((6, mid)))))
        status = decode_status(self.ask(b"\x01\x01")[2:])
        module = ModuleSnapshot(0x7E8, status=status, codes=tuple(codes), frames=frames, results=results)
        self.car.turn_key(Key.OFF)
        return Snapshot(datetime.now(UTC), "11 bit", (module,))

    def look(self, *, codes: bool) -> Observation:
        """One look while it is driven."""
        if not self.module.awake:
            return Observation(None)
        seen = self.car.live_values()
        run_time = pid_table()[0x1F].decode(self.ask(b"\x01\x1f")[2:]).get("run_time_s")
        lists = (self.codes(3), self.codes(7), self.codes(10)) if codes else (None, None, None)
        trip, whole = decode_status(self.ask(b"\x01\x41")[2:]), decode_status(self.ask(b"\x01\x01")[2:])
        kept = {key: round(seen[key], 2) for key in KEPT if key in seen}
        return Observation(run_time, kept, trip, *lists, lamp=whole.lamp)


def drive(car: Vehicle, unit: Unit, tracker: Tracker, pieces: tuple[tuple[str, ...], ...]) -> None:
    """Drive trips of named pieces, looking all the while."""
    car.begin(trips_of(pieces))
    since = 0.0
    while car.driving:
        car.run(LOOK_S)
        since += LOOK_S
        tracker.observe(unit.look(codes=since >= CODES_S))
        since = since % CODES_S
    tracker.observe(unit.look(codes=True))


def judged(tracker: Tracker) -> tuple[ProofVerdict, tuple[str, ...]]:
    return tracker.verdict(())


def proven(car: Vehicle, plan: Plan, features: frozenset[str]) -> tuple[Tracker, float, float, int]:
    """Drive as planned until nothing is missing or the rounds are over; minutes and kilometres asked for."""
    unit, tracker = Unit(car), Tracker(plan)
    minutes = km = 0.0
    count = 0
    while count < ROUNDS:
        count += 1
        needs = needs_of(plan, tracker.completed, frame_met=tracker.frame_met, tried=tracker.circumstances_met)
        asked = drive_for(needs, features, starts_warm=car.live_values().get("coolant_c", 0.0) > 70.0)
        pieces = tuple(tuple(row.id for row in trip.segments) for trip in asked.trips)
        minutes, km = minutes + asked.minutes, km + asked.km
        drive(car, unit, tracker, pieces or ROUND_THE_BLOCK)
        after = unit.scan()
        tracker.observe(
            Observation(0.0, {}, None, after.codes_in(CodeState.CONFIRMED), after.codes_in(CodeState.PENDING),
                        after.codes_in(CodeState.PERMANENT), after.lamp)
        )  # fmt: skip
        if judged(tracker)[0] is not ProofVerdict.NOT_YET:
            break
    return tracker, minutes, km, count


def named(defect: str, car: Car, found: Assessment) -> str:
    """The suspect that is the name of the defect, else the likeliest of its component, else the leader."""
    try:
        return suspect_of(defect, car.built)
    except (KeyError, ValueError):
        part = defects_of(car.built)[defect].component
        own = (row.id for row in found.suspects if row.row.component == part)
        return next(own, found.suspects[0].id)


def afterwards(vehicle: Vehicle, car: Car, fault: FaultRow) -> None:
    """What has to be taught or reset after the repair, as far as this kind of car has a routine for it."""
    numbers = {row.procedure: row.identifier for row in car.described.procedure}
    for item in needed_after(car.known, (fault.repair,), ()):
        if item.row.id in numbers:
            ROUTINES[numbers[item.row.id]].ends(vehicle)


def wrongly(car: Vehicle, fault: FaultRow, found: Assessment, known: Knowledge) -> FaultRow:
    """Carry out the repair of the likeliest wrong suspect that does not happen to cure the car; who mends the pedal's
    ground has its plug in hand and mends the wire beside it."""
    ill = deepcopy(car.parts)
    for row in (entry.row for entry in found.suspects):
        if row.repair == fault.repair or row.component == fault.component:
            continue
        repair = known.repairs[row.repair]
        car.carry_out(repair.component, known.reached_by(repair.id), work=repair.work)
        if not is_sound(car):
            return row
        renew(car, deepcopy(ill))
    raise LookupError("every repair cures it")


def prove(task: tuple[int, str]) -> list[Proved]:
    """One fault, repaired rightly and wrongly; nothing where the car has set no code and nobody would bring it."""
    index, defect = task
    car = CARS[index]
    known, (state, _) = car.known, car.driven(defect, seed=1)
    rows = []
    for right in (True, False):
        vehicle = car.fresh(defect, seed=1)
        vehicle.restore(state)
        unit = Unit(vehicle)
        before = unit.scan()
        if not before.codes_in(CodeState.CONFIRMED, CodeState.PENDING):
            return []
        evidence = OnRecord(module=before.engine, specification=car.described.specification)
        found = assess(known, extract(evidence, known), odometer_km=car.odometer_km)
        fault = known.faults.get(named(defect, car, found)) or found.suspects[0].row
        if right:
            suspect = fault
            renew(vehicle, healthy(vehicle.model))
            vehicle.memory.throttle_learnt = vehicle.memory.crank_learnt = True
            afterwards(vehicle, car, fault)
        else:
            suspect = wrongly(vehicle, fault, found, known)
        plan = plan_proof(before, known, repaired=Repaired(suspects=(suspect.id,), repairs=(suspect.repair,)))
        unit.ask(b"\x04")
        vehicle.clear()
        cleared = vehicle.save()
        tracker, minutes, km, count = proven(vehicle, plan, known.powertrain.features)
        verdict, missing = judged(tracker)
        vehicle.restore(cleared)
        short = Tracker(Plan(plan.targets))
        drive(vehicle, Unit(vehicle), short, ROUND_THE_BLOCK)
        block = ProofVerdict.CAME_BACK if short.returned else ProofVerdict.PROVEN
        rows.append(Proved(car.model, defect, right, verdict, missing, minutes, km, count, block))
    return rows


def tasks(most: int, only: str, offset: float) -> list[tuple[int, str]]:
    """Faults of every kind, of every system alike: parts first, then circuits, spread over the list from a share of a
    step (``offset``) on."""
    found = []
    for index, car in enumerate(CARS):
        every = [key for key in defects_of(models()[car.model]) if not only or only in key or only in car.model]
        step = max(len(every) / most, 1.0)
        chosen = [every[int((place + offset) * step)] for place in range(min(most, len(every)))]
        found += [(place, index, key) for place, key in enumerate(chosen)]
    return [(index, key) for _, index, key in sorted(found)]  # the kinds in turn: a run cut short is fair


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--most", type=int, default=20, help="faults of each kind")
    parser.add_argument("--only", default="")
    parser.add_argument("--offset", type=float, default=0.0, help="begin so far into the step between two (0 to 1)")
    parser.add_argument("--minutes", type=float, default=600.0, help="begin nothing new after so long")
    options = parser.parse_args()
    began, rows, silent, crashed = time.monotonic(), list[Proved](), 0, list[str]()
    with ProcessPoolExecutor(2) as pool:
        waiting = {pool.submit(prove, task): task for task in tasks(options.most, options.only, options.offset)}
        for count, done in enumerate(as_completed(waiting), 1):
            if done.cancelled():
                continue
            if count % 10 == 0:
                print(f"{count} of {len(waiting)}, {(time.monotonic() - began) / 60.0:.0f} min", flush=True)
            if done.exception() is not None:  # a stand-in that breaks is a finding, not the end of the run
                crashed.append(str(waiting[done]))
                print(f"{waiting[done]}: {done.exception()}", flush=True)
                continue
            made = done.result()
            silent += not made
            rows += made
            for row in made:
                if not row.good:
                    print(
                        f"{row.car} {row.defect} {'right' if row.right else 'wrong'}: {row.verdict}; {row.missing[:3]}",
                        flush=True,
                    )
            if time.monotonic() - began > options.minutes * 60.0:
                for item in waiting:
                    item.cancel()
    right, wrong = ([row for row in rows if row.right is flag] for flag in (True, False))
    figures = {
        "right_proven": [sum(row.good for row in right), len(right)],
        "wrong_found_out": [sum(row.good for row in wrong), len(wrong)],
        "baseline_right_proven": [sum(row.block == ProofVerdict.PROVEN for row in right), len(right)],
        "baseline_wrong_found_out": [sum(row.block != ProofVerdict.PROVEN for row in wrong), len(wrong)],
        "without_a_code": silent,
        "crashed": crashed,
        "minutes": round(sum(row.minutes for row in right) / max(len(right), 1), 1),
        "km": round(sum(row.km for row in right) / max(len(right), 1), 1),
        "misses": [asdict(row) for row in rows if not row.good],
    }
    named = f"proving_{options.offset:g}" if options.offset else "proving"
    out = ROOT / "benchmarks" / "figures" / f"{named}.json"
    out.parent.mkdir(exist_ok=True)
    out.write_text(json.dumps(figures, indent=1) + "\n")
    for name in ("right_proven", "wrong_found_out", "baseline_right_proven", "baseline_wrong_found_out"):
        good, of = figures[name]
        print(f"{name.replace('_', ' ')}: {good} of {of}")
    print(
        f"{silent} faults set no code in two mixed drives; asked for {figures['minutes']} min, {figures['km']} km "
        "on average"
    )


if __name__ == "__main__":
    main()
