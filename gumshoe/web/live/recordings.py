"""Stored recordings: their trims, replay, figures of a stretch, parts cut out."""

from __future__ import annotations

import json
import struct
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from django.db.models import Count

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.pids import FieldKind, fields_by_key
from gumshoe.core.powertrain.description import AirMetering, Powertrain
from gumshoe.core.signals.bands import expected
from gumshoe.core.signals.comparing import Difference, compare
from gumshoe.core.signals.derived import derived_channels, with_derived
from gumshoe.core.signals.detectors import Context, Finding, Judged, judge_recording
from gumshoe.core.signals.detectors.model import RUNNING_RPM
from gumshoe.core.signals.disturbances import Disturbance, disturbances
from gumshoe.core.signals.recording import Channel
from gumshoe.core.signals.recording import Recording as Samples
from gumshoe.core.signals.regions import Region, stretches
from gumshoe.core.signals.strips import MOST_STRIPS, Told, channels_of, every_strip, usual_strips
from gumshoe.core.signals.trims import LeakFit, Pattern, RegionTrim, fit_leak, read_pattern, trims_by_region
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.memo import once
from gumshoe.web.live import looking, store
from gumshoe.web.live.feed import Car
from gumshoe.web.live.models import Recording, Reference
from gumshoe.web.live.reader import Reader

_LENGTH = struct.Struct("<I")

MOST_READ = 200
START_S = 2.0


NOTHING = Judged((), (), ())


@dataclass(frozen=True)
class Recorded:
    """One stored recording with its trims by region, or the reason why there are none."""

    recording: Recording
    seconds: float
    trims: tuple[RegionTrim, ...]
    note: str = ""
    judged: Judged = NOTHING
    keys: tuple[str, ...] = ()
    """Its channels, computed ones with them."""

    @property
    def bad(self) -> list[Finding]:
        """What the rules found wrong in it."""
        return [row for row in self.judged.findings if not row.good]


_read: dict[tuple[int, float, int], Recorded] = {}


@once
def recorded(case: Case) -> list[Recorded]:
    """Every recording of the case with its trims, newest last."""
    return [
        read(case, recording) for recording in case.recordings.select_related("by").annotate(blocks=Count("chunks"))
    ]


def read(case: Case, recording: Recording) -> Recorded:
    """A recording's trims and what the rules see in it; read once for as long as nothing is added to it."""
    blocks = recording.blocks if hasattr(recording, "blocks") else recording.chunks.count()
    key = recording.pk, recording.at.timestamp(), blocks
    if key not in _read:
        samples = samples_of(case, recording)
        try:
            trims, note = trims_by_region(samples), ""
        except KeyError as error:
            trims, note = (), f"Channel {error.args[0]} was not recorded: measure the mixture by hand instead."
        if not trims and not note:
            note = "No region was held long enough."
        while len(_read) >= MOST_READ:
            del _read[next(iter(_read))]
        context = Context(cases.powertrain_of(case), cases.specification_of(case))
        judged = judge_recording(samples, context)
        _read[key] = Recorded(recording, samples.seconds, trims, note, judged, tuple(samples.channels))
    return _read[key]


def find(case: Case, pk: int) -> Recording:
    """A recording of the case. Raises BadInput when there is none."""
    found = case.recordings.filter(pk=pk).first()
    if found is None:
        raise BadInput(f"This case has no recording {pk}.", remedies=("choose one of the list",))
    return found  # type: ignore[no-any-return]


def samples_of(case: Case, recording: Recording) -> Samples:
    """A recording with what follows from it."""
    return with_derived(store.load(recording), derived_channels(cases.powertrain_of(case)))


def on_strips(case: Case, recording: Recording) -> looking.Looking:
    """The strips that a recording's channels fill."""
    powertrain = cases.powertrain_of(case)
    known = looking.channels(case)
    fields = fields_by_key()
    held = [k for k in sorted(read(case, recording).keys) if k not in fields or fields[k].kind is FieldKind.NUMBER]
    told = {key: known.get(key) or Told(key, key, "", 0.01, "file") for key in held}
    strips = every_strip(powertrain, told)
    usual = [name for name in usual_strips(powertrain) if name in strips]
    order = (*usual, *(name for name in strips if name not in usual))
    return looking.Looking(strips, told, order[:MOST_STRIPS], ())


def bands_of(case: Case, samples: Samples) -> dict[str, list[tuple[float, float, float, float]]]:
    """Expected bands along a recording, as the engine's region changes: (from, to, low, high) by channel."""
    if not samples.channels:
        return {}
    knowledge, specification = cases.knowledge_of(case), cases.specification_of(case)
    found: dict[str, list[tuple[float, float, float, float]]] = {}
    for begin, end, region in stretches(samples):
        for key in samples.channels:
            band = expected(key, region, knowledge.bands, specification, knowledge.powertrain.displacement_l)
            if band:
                found.setdefault(key, []).append((begin, end, band.low, band.high))
    return found


def as_bytes(columns: Mapping[str, Channel], **facts: object) -> bytes:
    """Columns for the page: length of a JSON head, the head (``origin`` and counts by key besides the facts), then each
    channel's seconds after the origin and values as 32-bit floats."""
    kept = {key: channel for key, channel in columns.items() if channel.times.size}
    origin = min((float(channel.times[0]) for channel in kept.values()), default=0.0)
    head = json.dumps(
        {**facts, "origin": origin, "channels": [[key, int(channel.times.size)] for key, channel in kept.items()]}
    ).encode()
    head += b" " * (-len(head) % 4)
    body = b"".join(
        (channel.times - origin).astype("<f4").tobytes() + channel.values.astype("<f4").tobytes()
        for channel in kept.values()
    )
    return _LENGTH.pack(len(head)) + head + body


@dataclass(frozen=True)
class Figures:
    """What a channel did in a stretch."""

    key: str
    name: str
    unit: str
    count: int
    least: float
    most: float
    mean: float


def figures(reader: Reader, columns: Mapping[str, Channel], begin: float, end: float) -> list[Figures]:
    """Least, most and mean (by time, the last value held) of each channel between two moments, in the reader's units.
    Raises BadInput when the stretch is empty."""
    if not begin < end:
        raise BadInput("The stretch has no length.", remedies=("choose two different moments",))
    told, fields = reader.told, fields_by_key()
    rows = []
    for key, channel in columns.items():
        if key in fields and fields[key].kind is FieldKind.BITS:
            continue
        first, last = np.searchsorted(channel.times, [begin, end], side="left")
        values, times = channel.values[first:last], channel.times[first:last]
        if not values.size:
            continue
        held = np.diff(np.append(times, end))
        mean = float(np.average(values, weights=held)) if held.sum() > 0.0 else float(values.mean())
        name, scale = told[key].name if key in told else key, reader.scale(key)
        least, most = scale.of(float(values.min())), scale.of(float(values.max()))
        rows.append(Figures(key, name, scale.unit, int(values.size), least, most, scale.of(mean)))
    if not rows:
        raise BadInput("Nothing was recorded in that stretch.", remedies=("choose a longer one",))
    return rows


def disturbed(car: Car, columns: Mapping[str, Channel]) -> list[tuple[str, Disturbance]]:
    """Spikes, drop-outs and gaps of each channel."""
    fields, told = fields_by_key(), channels_of(car.powertrain, car.identifiers)
    found = []
    for key, channel in columns.items():
        ends = (fields[key].low, fields[key].high) if key in fields else None
        step = told[key].step if key in told else 0.0
        found += [(key, row) for row in disturbances(channel, step, ends) if key == "rpm" or not _starts(columns, row)]
    return sorted(found, key=lambda row: row[1].begin)


def _starts(columns: Mapping[str, Channel], row: Disturbance) -> bool:
    """Whether the engine was just started there: everything jumps then."""
    rpm = columns.get("rpm")
    if rpm is None:
        return False
    before, after = rpm.at(np.array([row.begin - START_S, row.end + START_S])).tolist()
    return bool(before < RUNNING_RPM < after)


def cut(case: Case, user: User, recording: Recording, begin: float, end: float) -> Recording:
    """A stretch of a recording as a recording of its own; the first stays whole. Raises BadInput when it is empty."""
    if not begin < end:
        raise BadInput("The stretch has no length.", remedies=("choose two different moments",))
    found: dict[str, Channel] = {}
    for key, channel in store.load(recording).channels.items():
        first, last = np.searchsorted(channel.times, [begin, end])
        if last > first:
            found[key] = Channel(channel.times[first:last], channel.values[first:last])
    if not found:
        raise BadInput("Nothing was recorded in that stretch.", remedies=("choose a longer one",))
    steps = recording.channels or looking.steps(case, found)
    origin = f"cut from recording {recording.pk}, {end - begin:.0f} s"
    return store.keep(case, user, Samples(found), steps, label=f"{recording.label}, cut"[:80], origin=origin)


def keep_as_good(case: Case, user: User, recording: Recording, words: str) -> Reference:
    """Let a recording stand for a good car of this kind. Raises BadInput when it does already, or nothing is known of
    the kind."""
    if hasattr(recording, "reference"):
        raise BadInput("This recording stands for a good car already.")
    if not case.vehicle.platform:
        raise BadInput("The kind of this car is not known.", remedies=("describe the vehicle first",))
    facts = {"platform": case.vehicle.platform, "words": words.strip()}
    return Reference.objects.create(case=case, by=user, recording=recording, **facts)


def good_ones(case: Case) -> list[Reference]:
    """Recordings of good cars of this case's kind, from any case."""
    found = Reference.objects.filter(platform=case.vehicle.platform).exclude(platform="").select_related("recording")
    return list(found.select_related("case__vehicle", "by"))


@dataclass(frozen=True)
class Compared:
    """What differs from a good car: (difference, channel's name, unit); and how many channels were held together."""

    reference: Reference
    rows: list[tuple[Difference, str, str]]
    together: int

    @property
    def differing(self) -> list[tuple[Difference, str, str]]:
        """Only what differs."""
        return [row for row in self.rows if row[0].differs]


def compared(case: Case, reader: Reader, recording: Recording, number: int) -> Compared:
    """A recording beside a good car's, in the reader's units. Raises BadInput without either a
    reference or a common region."""
    reference = next((row for row in good_ones(case) if row.pk == number), None)
    if reference is None:
        raise BadInput("There is no such recording of a good car for this kind.", remedies=("choose one of the list",))
    found = compare(samples_of(case, recording), samples_of(reference.case, reference.recording))
    if not found:
        raise BadInput(
            "The two recordings were never in the same operating region.",
            remedies=("record the region that the good car was in",),
        )
    rows = []
    for row in found:
        if row.key in reader.told:
            scale = reader.scale(row.key)
            shown = replace(row, here=scale.of(row.here), good=scale.of(row.good), spread=row.spread * scale.factor)
            rows.append((shown, reader.told[row.key].name, scale.unit))
    return Compared(reference, rows, len(rows))


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


def trim_reading(rows: Iterable[Recorded], powertrain: Powertrain) -> TrimReading | None:
    """Put the newest trims together; None for an engine that has none."""
    if not powertrain.has_trims:
        return None
    newest = {(trim.bank, trim.region): trim for row in rows for trim in row.trims}
    numbers = sorted({bank for bank, _ in newest}) or [1]
    banks = tuple((n, newest.get((n, Region.WARM_IDLE)), newest.get((n, Region.HIGH_IDLE))) for n in numbers)

    def off(row: tuple[int, RegionTrim | None, RegionTrim | None]) -> float:
        return max((abs(trim.total_pct) for trim in row[1:] if trim), default=0.0)

    bank, idle, fast = max(banks, key=off)
    metered = powertrain.air_metering is not AirMetering.PRESSURE
    return TrimReading(banks, bank, read_pattern(idle, fast, flow_metered=metered), fit_leak(newest.values()))
