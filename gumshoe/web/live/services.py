"""What the Live page shows: new samples with their expected bands, recordings, trims by region and their meaning."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.pids import fields_by_key
from gumshoe.core.obd.status import FUEL_STATES
from gumshoe.core.signals.bands import expected
from gumshoe.core.signals.regions import Region, classify
from gumshoe.core.signals.trims import LeakFit, Pattern, RegionTrim, fit_leak, read_pattern, trims_by_region
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.live import store
from gumshoe.web.live.feed import feed
from gumshoe.web.live.models import Recording
from gumshoe.web.vehicles.links import connection

RECORD_S = 15.0


@dataclass(frozen=True)
class Purpose:
    """A guided recording: the region it must be made in and how to bring it about."""

    key: str
    label: str
    region: Region
    how: str


PURPOSES = (
    Purpose("idle", "Warm idle", Region.WARM_IDLE, "Coolant above 70 °C, pedal released, consumers off."),
    Purpose("fast", "2500 rpm", Region.HIGH_IDLE, "Standing, hold 2000–3000 1/min steadily."),
)
CHARTS = ("rpm", "total_trim_b1_pct", "stft_b1_pct", "ltft_b1_pct", "maf_gps", "lambda_b1s1", "o2_b1s2_v", "load_pct")


def channels() -> list[dict[str, str]]:
    """Name and unit of every chart."""
    named = fields_by_key()
    rows = []
    for key in CHARTS:
        item = named.get(key)
        rows.append(
            {
                "key": key,
                "name": item.name if item else "Total trim, bank 1",
                "unit": item.unit if item else "%",
            }
        )
    return rows


def news(case: Case, cursor: int) -> dict[str, Any]:
    """What is new since ``cursor``: samples by channel, the operating region, the bands that hold in it."""
    running = feed(connection(case.vehicle))
    count, samples = running.since(cursor)
    columns: dict[str, list[list[float]]] = {}
    for sample in samples:
        times, values = columns.setdefault(sample.key, [[], []])
        times.append(round(sample.time, 3))
        values.append(round(sample.value, 4))
    trouble = running.trouble
    now = {} if trouble else running.latest()
    region = classify(now) if now else Region.OFF
    knowledge, specification = cases.knowledge_of(case), cases.specification_of(case)
    bands = {}
    for key in CHARTS:
        band = expected(key, region, knowledge.bands, specification, knowledge.powertrain.displacement_l)
        if band:
            bands[key] = {"low": band.low, "high": band.high, "source": band.source}
            if key in now:
                bands[key]["verdict"] = band.judge(now[key])
    return {
        "cursor": count,
        "time": time.time(),
        "columns": columns,
        "now": now,
        "rates": {key: round(rate, 1) for key, rate in running.rates.items()},
        "region": region.value if now else "no data",
        "fuel": FUEL_STATES.get(int(now["fuel_status_1"]), "") if "fuel_status_1" in now else "",
        "ready": {purpose.key: region is purpose.region for purpose in PURPOSES},
        "bands": bands,
        "recording": running.recording_state(),
        "trouble": {"what": trouble.what, "remedies": list(trouble.remedies)} if trouble else None,
    }


def begin(case: Case, user: User, key: str) -> Recording:
    """Begin a guided recording. Raises BadInput when the engine is not in the region it is for."""
    purpose = next((item for item in PURPOSES if item.key == key), None)
    if purpose is None:
        raise BadInput(f"There is no recording “{key[:20]}”.")
    running = feed(connection(case.vehicle))
    if running.recording_state() is not None:
        raise BadInput("A recording is running already.", remedies=("wait for its end, or stop it",))
    now = running.latest()
    region = classify(now) if now else Region.OFF
    if region is not purpose.region:
        raise BadInput(
            f"The engine is at “{region.value if now else 'no data'}”, this recording is for “{purpose.region.value}”.",
            remedies=(purpose.how.rstrip("."),),
        )
    recording = Recording.objects.create(case=case, by=user, label=purpose.label, purpose=key)
    running.record(recording, RECORD_S)
    return recording


def stop(case: Case) -> None:
    """End the running recording; what came is kept."""
    feed(connection(case.vehicle)).stop_recording()


@dataclass(frozen=True)
class Recorded:
    """One stored recording with its trims by region, or the reason why there are none."""

    recording: Recording
    seconds: float
    trims: tuple[RegionTrim, ...]
    note: str = ""


def recorded(case: Case) -> list[Recorded]:
    """Every recording of the case with its trims, newest last."""
    rows = []
    for recording in case.recordings.prefetch_related("chunks"):
        samples = store.load(recording)
        try:
            trims, note = trims_by_region(samples), ""
        except KeyError as error:
            trims, note = (), f"Channel {error.args[0]} was not recorded: measure the mixture by hand instead."
        if not trims and not note:
            note = "No region was held long enough."
        rows.append(Recorded(recording, samples.seconds, trims, note))
    return rows


@dataclass(frozen=True)
class TrimReading:
    """The newest trims of idle and 2500 rpm, the pattern, and the leak computed from them."""

    idle: RegionTrim | None
    fast: RegionTrim | None
    pattern: Pattern
    fit: LeakFit | None


def trim_reading(rows: list[Recorded]) -> TrimReading:
    """Put the newest trims together."""
    newest: dict[Region, RegionTrim] = {}
    for row in rows:
        for trim in row.trims:
            newest[trim.region] = trim
    idle, fast = newest.get(Region.WARM_IDLE), newest.get(Region.HIGH_IDLE)
    return TrimReading(idle, fast, read_pattern(idle, fast), fit_leak(newest.values()))
