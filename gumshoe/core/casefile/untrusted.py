"""Files of other tools are read in a process of their own, with limits on time and memory (``core/forked.py``).

A log that loops, or a few hundred kilobytes that unfold into gigabytes, then cost a named error and nothing of the
server. The child says what it found as JSON and plain columns of numbers, never as objects.
"""

from __future__ import annotations

import io
import json
import os
import signal
import sys
import threading
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from itertools import islice
from typing import Any

import numpy as np
from pydantic import TypeAdapter

from gumshoe.core.casefile.files import read_case
from gumshoe.core.casefile.model import CaseFile
from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.forked import KeptReady, Limits, serve
from gumshoe.core.knowledge.code_catalogue import monitor_of
from gumshoe.core.obd.buslog import is_diagnostic, messages, read_frames, samples_of, snapshot_of
from gumshoe.core.obd.capture import candump_line
from gumshoe.core.obd.identifiers import IdentifierRow
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.obd.stored import plain_snapshot, read_snapshot
from gumshoe.core.obd.uds import ModuleAddress
from gumshoe.core.signals.mdf import read_mdf
from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.core.signals.strips import Told
from gumshoe.core.signals.tables import Read, read_table

MOST_SECONDS, MOST_MB = 30, 512
"""Unless GUMSHOE_READ_SECONDS and GUMSHOE_READ_MB say otherwise; memory is beyond what a child has when it begins."""
AT_ONCE = threading.BoundedSemaphore(2)
"""So many files are read at the same time."""
MOST_KEPT = 200_000
"""So many diagnostic frames of a log are kept with its scan."""
REFUSED, TOO_MUCH = 3, 4
READER = KeptReady("gumshoe.core.casefile.untrusted")
_KNOWN = TypeAdapter(dict[str, Told])
_ROWS = TypeAdapter(list[IdentifierRow])
_ADDRESSES = TypeAdapter(list[ModuleAddress])


class TooMuch(BadInput):
    """A file that takes more time or memory than reading a file may."""

    kept = "Nothing was stored; the server went on meanwhile."
    remedies = ("cut it to the stretch that matters", "export it again: it may be damaged", "use another format")


@dataclass(frozen=True)
class LogRead:
    """What a bus log amounts to: how many frames, its values as a recording, its codes as a scan, the frames kept."""

    frames: int
    recording: Recording
    snapshot: Snapshot | None
    lines: tuple[str, ...]


def table_apart(content: bytes, known: Mapping[str, Told], *, mdf: bool = False) -> Read:
    """A CSV or MDF file as a recording. Raises BadInput saying what does not fit, TooMuch beyond the limits."""
    argument = {"known": _KNOWN.dump_python(dict(known), mode="json")}
    told, columns = read_apart("mdf" if mdf else "table", content, argument)
    return Read(columns, told["units"], tuple(told["notes"]))


def log_apart(
    content: bytes, suffix: str, identifiers: Iterable[IdentifierRow] = (), beyond: Iterable[ModuleAddress] = ()
) -> LogRead:
    """A bus log: values and codes. Raises BadInput saying what does not fit, TooMuch beyond the limits."""
    argument = {
        "suffix": suffix,
        "identifiers": _ROWS.dump_python(list(identifiers), mode="json"),
        "beyond": _ADDRESSES.dump_python(list(beyond), mode="json"),
    }
    told, columns = read_apart("log", content, argument)
    snapshot = read_snapshot(told["snapshot"]) if told["snapshot"] else None
    return LogRead(told["frames"], columns, snapshot, tuple(told["lines"]))


def case_apart(content: bytes) -> CaseFile:
    """A case file: read in a child first, so that what would not end or not fit never begins here. Raises CaseFileError
    with the place and the reason, TooMuch beyond the limits."""
    try:
        read_apart("case", content, {})
    except TooMuch:
        raise
    except BadInput:
        pass  # it is said again here, as the error that it is
    return read_case(content)


def read_apart(task: str, content: bytes, argument: Mapping[str, Any]) -> tuple[dict[str, Any], Recording]:
    """Run a task on a file in a child. Raises BadInput with the child's reason, TooMuch beyond the limits."""
    head = json.dumps({"task": task, **argument}).encode()
    seconds = int(os.environ.get("GUMSHOE_READ_SECONDS", MOST_SECONDS))
    megabytes = int(os.environ.get("GUMSHOE_READ_MB", MOST_MB))
    with AT_ONCE:
        ended = READER.ask(len(head).to_bytes(8, "big") + head + content, Limits(seconds, megabytes * 1024 * 1024))
    if ended.code == REFUSED:
        refusal = json.loads(ended.said)
        raise BadInput(refusal["what"], kept=refusal["kept"], remedies=tuple(refusal["remedies"]))
    if ended.code in (None, -signal.SIGXCPU):
        raise TooMuch(f"The file took longer than {seconds} s to read.")
    if ended.code != 0:
        raise TooMuch(f"The file takes more than {megabytes} MB of memory to read, or is damaged.")
    length = int.from_bytes(ended.said[:8], "big")
    told = json.loads(ended.said[8 : 8 + length])
    arrays = np.load(io.BytesIO(ended.said[8 + length :]), allow_pickle=False)
    columns = {key: Channel(arrays[f"t{place}"], arrays[f"v{place}"]) for place, key in enumerate(told.pop("channels"))}
    return told, Recording(columns)


# -- in the child -----------------------------------------------------------------------------------------


def _table(content: bytes, argument: Mapping[str, Any]) -> tuple[dict[str, Any], Recording]:
    found = read_table(content, _KNOWN.validate_python(argument["known"]))
    return {"units": found.units, "notes": list(found.notes)}, found.recording


def _mdf(content: bytes, argument: Mapping[str, Any]) -> tuple[dict[str, Any], Recording]:
    found = read_mdf(content, _KNOWN.validate_python(argument["known"]))
    return {"units": found.units, "notes": list(found.notes)}, found.recording


def _log(content: bytes, argument: Mapping[str, Any]) -> tuple[dict[str, Any], Recording]:
    frames = read_frames(content, argument["suffix"])
    heard = messages(frames)
    rows, beyond = _ROWS.validate_python(argument["identifiers"]), _ADDRESSES.validate_python(argument["beyond"])
    snapshot = snapshot_of(heard, beyond, monitor_of)
    kept = islice(filter(is_diagnostic, frames), MOST_KEPT) if snapshot else ()
    told = {
        "frames": len(frames),
        "snapshot": plain_snapshot(snapshot) if snapshot else None,
        "lines": [candump_line(frame) for frame in kept],
    }
    return told, Recording.from_samples(samples_of(heard, rows)).within_reach()[0]


def _case(content: bytes, _argument: Mapping[str, Any]) -> tuple[dict[str, Any], Recording]:
    read_case(content)
    return {}, Recording({})


TASKS = {"table": _table, "mdf": _mdf, "log": _log, "case": _case}


def work(asked: bytes) -> tuple[int, bytes]:
    """What was asked for, read: an exit code, and what is said."""
    try:
        length = int.from_bytes(asked[:8], "big")
        argument = json.loads(asked[8 : 8 + length])
        told, recording = TASKS[argument.pop("task")](asked[8 + length :], argument)
        body = io.BytesIO()
        arrays = {}
        for place, channel in enumerate(recording.channels.values()):
            arrays[f"t{place}"], arrays[f"v{place}"] = channel.times, channel.values
        np.savez(body, **arrays)  # type: ignore[arg-type]
        head = json.dumps({**told, "channels": list(recording.channels)}).encode()
        return 0, len(head).to_bytes(8, "big") + head + body.getvalue()
    except GumshoeError as error:
        said = {"what": error.what, "kept": error.kept, "remedies": list(error.remedies)}
        return REFUSED, json.dumps(said).encode()
    except MemoryError:
        return TOO_MUCH, b""


if __name__ == "__main__":
    serve(int(sys.argv[1]), work)
