"""Recordings as ASAM MDF 4 (measurement data format), in and out, by asammdf: an extra that need not be installed."""

from __future__ import annotations

import importlib.util
import tempfile
from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.poller import EPOCH_S
from gumshoe.core.signals.recording import Floats, Recording
from gumshoe.core.signals.strips import Told
from gumshoe.core.signals.tables import MOST_COLUMNS, Read, known_channel, made_of

SUFFIXES = (".mf4", ".mdf", ".dat")


def available() -> bool:
    """Whether the extra is installed."""
    return importlib.util.find_spec("asammdf") is not None


def needed() -> None:
    """Raises BadInput when the extra is not installed."""
    if not available():
        raise BadInput(
            "MDF files need an extra that is not installed here.",
            remedies=("install requirements-mdf.txt", "or use CSV"),
        )


def _asammdf() -> Any:
    needed()
    import asammdf

    return asammdf


def read_mdf(content: bytes, known: Mapping[str, Told]) -> Read:
    """Read an MDF file. Raises BadInput when it cannot be read, or the extra is missing."""
    library = _asammdf()
    columns: dict[str, tuple[Floats, Floats]] = {}
    units: dict[str, str] = {}
    notes: list[str] = []
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "recording.mf4"
        file.write_bytes(content)
        try:
            with library.MDF(file) as mdf:
                began = mdf.header.start_time.timestamp()
                origin = began if began > EPOCH_S else 0.0
                for signal in mdf.iter_channels():
                    if signal.samples.dtype.kind not in "biuf" or signal.samples.ndim != 1:
                        notes.append(f"“{signal.name}” holds no numbers and was left out.")
                        continue
                    values = signal.samples.astype(np.float64)
                    key, unit, values = known_channel(signal.name, signal.unit or "", values, known, notes)
                    columns[key], units[key] = (origin + signal.timestamps.astype(np.float64), values), unit
        except BadInput:
            raise
        except Exception as error:  # the library raises what its parsing happens to raise
            raise BadInput(
                f"The MDF file could not be read: {error or type(error).__name__}.",
                remedies=("export it again as MDF 4", "or as CSV"),
            ) from error
    if len(columns) > MOST_COLUMNS:
        raise BadInput(
            f"The file holds {len(columns)} channels; {MOST_COLUMNS} can be read.", remedies=("export fewer at once",)
        )
    return made_of(columns, units, notes, 0)


def write_mdf(recording: Recording, units: Mapping[str, str]) -> bytes:
    """A recording as MDF 4.10. Raises BadInput when the extra is missing."""
    library = _asammdf()
    begin = min((float(c.times[0]) for c in recording.channels.values() if c.times.size), default=0.0)
    # The file's own clock counts nanoseconds; what is left of the begin goes into the time stamps.
    start = float(int(begin)) if begin > EPOCH_S else 0.0
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "recording.mf4"
        with library.MDF(version="4.10") as mdf:
            mdf.header.start_time = datetime.fromtimestamp(start, UTC)
            for key, channel in recording.channels.items():
                told = library.Signal(
                    samples=channel.values, timestamps=channel.times - start, name=key, unit=units.get(key, "")
                )
                mdf.append([told], comment="Gumshoe")
            mdf.save(file, overwrite=True)
        return file.read_bytes()
