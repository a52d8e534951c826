"""Recordings from files of other tools, and as files for them."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import PurePath

from gumshoe.core.casefile.untrusted import log_apart, table_apart
from gumshoe.core.errors import BadInput
from gumshoe.core.obd.buslog import SUFFIXES
from gumshoe.core.signals import mdf
from gumshoe.core.signals.mdf import write_mdf
from gumshoe.core.signals.tables import write_long, write_wide
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.live import looking, recordings, store
from gumshoe.web.live.models import Recording
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import Scan

MOST_BYTES = 256_000_000


@dataclass(frozen=True)
class Made:
    """What was read from a file: a recording, a scan or both, and what is worth knowing of it."""

    recording: Recording | None
    words: str


def read(case: Case, user: User, name: str, content: bytes) -> Made:
    """Read a file as a recording. Raises BadInput saying what does not fit; then nothing was stored."""
    if PurePath(name).suffix.lower() in SUFFIXES:
        return _bus_log(case, user, name, content)
    is_mdf = PurePath(name).suffix.lower() in mdf.SUFFIXES
    if is_mdf:
        mdf.needed()
    found = table_apart(content, looking.channels(case), mdf=is_mdf)
    count = len(found.recording.channels)
    steps = looking.steps(case, found.recording.channels)
    made = store.keep(case, user, found.recording, steps, label=PurePath(name).stem[:80], origin=f"file {name}")
    seconds = found.recording.seconds
    words = f"Read: {count} channel{'s' if count > 1 else ''} over {seconds:.0f} s. {' '.join(found.notes)}"
    return Made(made, words.strip())


def _bus_log(case: Case, user: User, name: str, content: bytes) -> Made:
    """Frames of a bus that somebody else logged: its values become a recording, its codes a scan."""
    found = log_apart(content, PurePath(name).suffix.lower(), looking.car_of(case).identifiers, scans.beyond(case))
    samples, snapshot = found.recording, found.snapshot
    if not samples.channels and snapshot is None:
        raise BadInput(
            f"{found.frames} frames, and no diagnostic answer among them.",
            remedies=("log while a tool reads codes or live data",),
        )
    recording, words = None, [f"Read {found.frames} frames."]
    with in_turn():
        if samples.channels and samples.seconds > 0.0:
            steps = looking.steps(case, samples.channels)
            facts = {"label": PurePath(name).stem[:80], "origin": f"file {name}"}
            recording = store.keep(case, user, samples, steps, **facts)
            words.append(f"{len(samples.channels)} channels over {samples.seconds:.0f} s are a recording.")
        if snapshot is not None:
            why = Scan.Why.AGAIN if case.scans.exists() else Scan.Why.INTAKE
            scans.store(case, user, snapshot, list(found.lines), why, f"file {name}"[:80], samples.seconds)
            words.append(f"{len(snapshot.stored_codes)} codes of it are a scan.")
    return Made(recording, " ".join(words))


def csv_of(case: Case, recording: Recording, *, long: bool) -> tuple[str, str]:
    """(file name, text) of a recording."""
    samples = recordings.samples_of(case, recording)
    units = {key: told.unit for key, told in looking.channels(case).items()}
    text = write_long(samples, units) if long else write_wide(samples, units)
    return f"{case.number}-recording-{recording.pk}.csv", text


def mdf_of(case: Case, recording: Recording) -> tuple[str, bytes]:
    """(file name, bytes) of a recording as MDF 4. Raises BadInput when the extra is not installed."""
    units = {key: told.unit for key, told in looking.channels(case).items()}
    content = write_mdf(recordings.samples_of(case, recording), units)
    return f"{case.number}-recording-{recording.pk}.mf4", content
