"""Recordings from files of other tools, and as files for them."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import PurePath

from django.core.files.uploadedfile import UploadedFile

from gumshoe.core.errors import BadInput
from gumshoe.core.signals.tables import read_table, write_long, write_wide
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case
from gumshoe.web.live import looking, recordings, store
from gumshoe.web.live.models import Recording

MOST_BYTES = 256 * 1024 * 1024


@dataclass(frozen=True)
class Made:
    """A recording read from a file, and what is worth knowing of it."""

    recording: Recording
    words: str


def read(case: Case, user: User, upload: UploadedFile) -> Made:
    """Read a file as a recording. Raises BadInput saying what does not fit; then nothing was stored."""
    name = PurePath(upload.name or "file").name[:80]
    if (upload.size or 0) > MOST_BYTES:
        raise BadInput(
            f"The file is larger than {MOST_BYTES // 1024 // 1024} MB.",
            remedies=("cut it to the stretch that matters",),
        )
    found = read_table(upload.read(), looking.channels(case))
    count = len(found.recording.channels)
    steps = looking.steps(case, found.recording.channels)
    made = store.keep(case, user, found.recording, steps, label=PurePath(name).stem[:80], origin=f"file {name}")
    seconds = found.recording.seconds
    words = f"Read: {count} channel{'s' if count > 1 else ''} over {seconds:.0f} s. {' '.join(found.notes)}"
    return Made(made, words.strip())


def csv_of(case: Case, recording: Recording, *, long: bool) -> tuple[str, str]:
    """(file name, text) of a recording."""
    samples = recordings.samples_of(case, recording)
    units = {key: told.unit for key, told in looking.channels(case).items()}
    text = write_long(samples, units) if long else write_wide(samples, units)
    return f"{case.number}-recording-{recording.pk}.csv", text
