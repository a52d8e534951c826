"""What the Live page shows: new samples with their expected bands, recordings, trims by region and their meaning."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.pids import fields_by_key
from gumshoe.core.obd.status import FUEL_STATES
from gumshoe.core.powertrain.description import AirMetering, Powertrain
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
OF_A_BANK = ("total_trim_b{b}_pct", "stft_b{b}_pct", "ltft_b{b}_pct")
EXHAUST_OF_A_BANK = ("lambda_b{b}s1", "o2_b{b}s2_v")


def chart_keys(powertrain: Powertrain) -> tuple[str, ...]:
    """The channels this engine is drawn with: both banks side by side, air as it is metered."""
    banks = range(1, powertrain.banks + 1)
    air = {
        AirMetering.FLOW: ("maf_gps",),
        AirMetering.PRESSURE: ("map_kpa",),
        AirMetering.BOTH: ("maf_gps", "map_kpa"),
    }[powertrain.air_metering]
    mixture = [key.format(b=bank) for key in OF_A_BANK for bank in banks]
    exhaust = [key.format(b=bank) for key in EXHAUST_OF_A_BANK for bank in banks]
    return ("rpm", *air, *mixture, *exhaust, "load_pct")


def channels(case: Case) -> list[dict[str, str]]:
    """Name and unit of every chart."""
    named = fields_by_key()
    rows = []
    for key in chart_keys(cases.knowledge_of(case).powertrain):
        item = named.get(key)
        name = item.name if item else f"Total trim, bank {key.removeprefix('total_trim_b')[0]}"
        rows.append({"key": key, "name": name, "unit": item.unit if item else "%"})
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
    for key in chart_keys(knowledge.powertrain):
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
    """The newest trims of idle and 2500 rpm by bank, the pattern of the bank that is farthest off, and the leak
    computed from all of them."""

    banks: tuple[tuple[int, RegionTrim | None, RegionTrim | None], ...]
    bank: int
    pattern: Pattern
    fit: LeakFit | None

    @property
    def rows(self) -> list[tuple[str, RegionTrim | None]]:
        """(label, trim) for the table: the regions of each bank."""
        of_bank = len(self.banks) > 1
        return [
            (f"{name}, bank {bank}" if of_bank else name, trim)
            for bank, idle, fast in self.banks
            for name, trim in (("warm idle", idle), ("2500 rpm", fast))
        ]

    @property
    def recorded(self) -> bool:
        return any(trim for _, trim in self.rows)


def trim_reading(rows: list[Recorded], powertrain: Powertrain) -> TrimReading:
    """Put the newest trims together."""
    newest = {(trim.bank, trim.region): trim for row in rows for trim in row.trims}
    numbers = sorted({bank for bank, _ in newest}) or [1]
    banks = tuple((n, newest.get((n, Region.WARM_IDLE)), newest.get((n, Region.HIGH_IDLE))) for n in numbers)

    def off(row: tuple[int, RegionTrim | None, RegionTrim | None]) -> float:
        return max((abs(trim.total_pct) for trim in row[1:] if trim), default=0.0)

    bank, idle, fast = max(banks, key=off)
    metered = powertrain.air_metering is not AirMetering.PRESSURE
    return TrimReading(banks, bank, read_pattern(idle, fast, flow_metered=metered), fit_leak(newest.values()))
