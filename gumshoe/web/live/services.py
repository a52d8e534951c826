"""What the Live page shows while the car talks: new samples with their expected bands, recordings that run, marks."""

from __future__ import annotations

import time
from collections.abc import Iterable
from dataclasses import dataclass
from functools import partial
from typing import Any

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.status import FUEL_STATES
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.bands import expected
from gumshoe.core.signals.regions import Region, classify
from gumshoe.core.signals.strips import channels_of, every_strip, needed_by, usual_strips
from gumshoe.core.words import marked
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.alone import alone, has_it
from gumshoe.web.cases.models import Case
from gumshoe.web.live import looking, recordings
from gumshoe.web.live.feed import ALWAYS, Car, Feed, feed, present, told_by
from gumshoe.web.live.models import Mark, Recording
from gumshoe.web.ui.readers import for_shop
from gumshoe.web.vehicles.links import connection

RECORD_S = 15.0
MOST_RECORD_S = 2 * 3600.0
FEW = 6000
RUNS_ALREADY = "A recording is running already."


@dataclass(frozen=True)
class Purpose:
    """A guided recording: the region it must be made in and how to bring it about."""

    key: str
    label: str
    region: Region
    how: str


PURPOSES = (
    Purpose("idle", "Warm idle", Region.WARM_IDLE, marked("Coolant above {=70 °C}, pedal released, consumers off.")),
    Purpose("fast", "2500 rpm", Region.HIGH_IDLE, "Standing, hold 2000–3000 rpm steadily."),
)


def running(case: Case) -> Feed:
    """The feed of the case's vehicle; begins when it does not run."""
    return feed(connection(case.vehicle), looking.car_of(case))


def told(case: Case) -> frozenset[str] | None:
    """The channels that the car announced; None when it was not asked yet."""
    return told_by(connection(case.vehicle))


def recorded_keys(powertrain: Powertrain) -> tuple[str, ...]:
    """What a guided recording holds: the usual strips, and what tells the region."""
    strips = every_strip(powertrain, channels_of(powertrain))
    usual = [key for name in usual_strips(powertrain) if name in strips for key in strips[name].keys]
    return tuple(dict.fromkeys((*sorted(ALWAYS), *usual, "intake_c", "module_v", "spark_deg", "baro_kpa")))


def news(case: Case, cursor: int, keys: Iterable[str] = (), *, look: bool = True) -> dict[str, Any]:
    """What is new since ``cursor`` of these channels (without any: of the usual ones): samples, the operating region,
    the bands that hold in it, spikes and drop-outs (``look``)."""
    found = present(case.vehicle_id) or running(case)
    powertrain = found.car.powertrain
    wanted = tuple(keys) or recorded_keys(powertrain)
    found.want(wanted)
    count, samples = found.since(cursor, FEW)
    columns: dict[str, list[list[float]]] = {key: [[], []] for key in wanted}
    for sample in samples:
        if sample.key in columns:
            times, values = columns[sample.key]
            times.append(round(sample.time, 3))
            values.append(round(sample.value, 4))
    trouble = found.trouble
    now = {} if trouble else found.latest()
    region = classify(now) if now else Region.OFF
    known = found.told
    return {
        "cursor": count,
        "time": time.time(),
        "columns": {key: rows for key, rows in columns.items() if rows[0]},
        "now": {key: now[key] for key in wanted if key in now},
        "rates": {key: round(found.rates[key], 1) for key in wanted if key in found.rates},
        "absent": [key for key in wanted if known is not None and not needed_by([key], powertrain) <= known],
        "region": region.value if now else "no data",
        "fuel": FUEL_STATES.get(int(now["fuel_status_1"]), "") if "fuel_status_1" in now else "",
        "ready": {purpose.key: region is purpose.region for purpose in PURPOSES},
        "bands": bands(found.car, wanted, region, now),
        "disturbed": _disturbed(found, wanted) if look and not trouble else [],
        "recording": found.recording_state(),
        "trouble": _told(trouble) or _told(found.lost),
    }


def bands(car: Car, keys: Iterable[str], region: Region, now: dict[str, float]) -> dict[str, dict[str, Any]]:
    """The expected band of each channel in a region, and the verdict on what it shows now."""
    found: dict[str, dict[str, Any]] = {}
    for key in keys:
        band = expected(key, region, car.bands, car.specification, car.powertrain.displacement_l)
        if band:
            found[key] = {"low": band.low, "high": band.high, "source": band.source}
            if key in now:
                found[key]["verdict"] = band.judge(now[key])
    return found


def _disturbed(found: Feed, keys: Iterable[str]) -> list[dict[str, Any]]:
    wanted = set(keys)
    return [
        {"key": key, "kind": row.kind.value, "from": round(row.begin, 3), "to": round(row.end, 3)}
        for key, row in found.disturbed(partial(recordings.disturbed, found.car))
        if key in wanted
    ]


def _told(error: Any) -> dict[str, Any] | None:
    return {"what": error.what, "remedies": list(error.remedies)} if error else None


def begin(case: Case, user: User, key: str) -> Recording:
    """Begin a guided recording. Raises BadInput when the engine is not in the region it is for."""
    purpose = next((item for item in PURPOSES if item.key == key), None)
    if purpose is None:
        raise BadInput(f"There is no recording “{key[:20]}”.")
    found = _idle(case)
    now = found.latest()
    region = classify(now) if now else Region.OFF
    if region is not purpose.region:
        raise BadInput(
            f"The engine is at “{region.value if now else 'no data'}”, this recording is for “{purpose.region.value}”.",
            remedies=(for_shop(purpose.how).rstrip("."),),
        )
    keys = recorded_keys(cases.powertrain_of(case))
    return _record(case, user, found, keys, RECORD_S, label=purpose.label, purpose=key)


def begin_free(case: Case, user: User, label: str) -> Recording:
    """Record what is looked at, until it is stopped (two hours at most). Raises BadInput while another runs."""
    found = _idle(case)
    keys = tuple(dict.fromkeys((*sorted(ALWAYS), *looking.looking(case, user).keys)))
    return _record(case, user, found, keys, MOST_RECORD_S, label=label.strip() or "Recording")


def _idle(case: Case) -> Feed:
    found = running(case)
    if found.recording_state() is not None:
        raise _recorded_by(case)
    return found


def _record(case: Case, user: User, found: Feed, keys: tuple[str, ...], seconds: float, **facts: str) -> Recording:
    with alone(case, "recording", RUNS_ALREADY, user):
        if found.recording_state() is not None:
            raise _recorded_by(case)
        recording = Recording.objects.create(case=case, by=user, channels=looking.steps(case, keys), **facts)
        found.record(recording, seconds)
        return recording


def _recorded_by(case: Case) -> BadInput:
    last = case.recordings.order_by("-pk").first()
    return has_it(RUNS_ALREADY, last.by if last else "somebody")


def stop(case: Case) -> None:
    """End the running recording; what came is kept."""
    running(case).stop_recording()


def mark(case: Case, user: User, moment: float, text: str) -> Mark:
    """Mark a moment (seconds since the epoch), with a note or without. Raises BadInput for no moment of this world."""
    if not 0.0 < moment < 1e11:
        raise BadInput("That is no moment.", remedies=("press the key while the signal runs, or point at it",))
    return Mark.objects.create(case=case, by=user, moment=moment, text=text.strip())


def marks(case: Case) -> list[dict[str, Any]]:
    """Every mark of the case, as the page draws it."""
    return [{"at": row.moment, "text": row.text, "by": str(row.by)} for row in case.marks.select_related("by")]
