"""Copies of a shop's data: made while it is served, put back in one step that a power cut cannot leave half done.

Called by ``run.py backup`` and ``run.py restore`` (``python -m gumshoe.serving.backups make|restore FOLDER FILE``).
With a passphrase (``GUMSHOE_PASSPHRASE``) the file is sealed and holds everything; without, it holds no secret key.
What needs a package is imported where it is needed: ``run.py`` ends a restoring before anything is installed.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
import sys
import tempfile
import time
import zipfile
import zlib
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
DATABASE, KEY, LOCK = "gumshoe.sqlite3", "secret_key", "serving.lock"
NOT_BACKED_UP = (DATABASE, LOCK, "backups/", "before/", "logs/")
"""The database goes in as a consistent copy; the mark of a running server is no data; copies are not copied."""
TAKEN_OVER = ("photos", KEY)
"""What stays as it is where a backup has none."""
MOST_UNPACKED = 50 * 1024**3
LEFT_S = 24 * 3600.0
"""What is older than this was left by a restoring that was cut off; a younger one may be at work."""
NOTHING = "Nothing was changed."


class Refused(Exception):
    """A backup that cannot be made or put back; nothing was changed."""


def copy_of(database: Path, target: Path) -> None:
    """A consistent copy through SQLite's own backup, whoever writes meanwhile; readable by its owner only."""
    target.touch(0o600)
    with contextlib.closing(sqlite3.connect(database)) as old, contextlib.closing(sqlite3.connect(target)) as new:
        old.backup(new)


# -- made -------------------------------------------------------------------------------------------------


def make(folder: Path, target: Path, passphrase: str = "") -> None:
    """Copy a shop's data into a file that is whole or not there. Raises Refused."""
    from gumshoe.serving import sealed

    finish(folder)
    if not (folder / DATABASE).exists():
        raise Refused(f"There is no shop data in {folder} yet.")
    if target.exists():
        raise Refused(f"{target} exists already; nothing was overwritten. Choose another name.")
    with tempfile.TemporaryDirectory(prefix=f".{target.name}-", dir=target.parent) as making:
        part = Path(making) / "backup"
        part.touch(0o600)
        _pack(folder, Path(making) / DATABASE, part, with_key=bool(passphrase))
        if passphrase:
            whole, part = part, Path(making) / "sealed"
            part.touch(0o600)
            with whole.open("rb") as plain, part.open("wb") as file:
                sealed.seal(plain, file, passphrase)
        with part.open("rb") as file:
            os.fsync(file.fileno())
        try:
            os.link(part, target)  # never over another that came meanwhile
        except FileExistsError as error:
            raise Refused(f"{target} exists already; nothing was overwritten. Choose another name.") from error
        except OSError:  # a file system without links
            os.replace(part, target)


def _pack(folder: Path, copy: Path, target: Path, *, with_key: bool) -> None:
    copy_of(folder / DATABASE, copy)
    left = NOT_BACKED_UP if with_key else (*NOT_BACKED_UP, KEY)
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.write(copy, DATABASE)
        for path in sorted(folder.rglob("*")):
            if path.is_file() and not path.relative_to(folder).as_posix().startswith(left):
                archive.write(path, path.relative_to(folder).as_posix())


# -- put back ---------------------------------------------------------------------------------------------


def put_back(source: Path, folder: Path, passphrase: str = "") -> Path | None:
    """Put a backup in place: unpacked and checked beside the present data, which is then renamed, not deleted. Where
    that is now; None where there was none. Raises Refused."""
    folder.parent.mkdir(parents=True, exist_ok=True)
    finish(folder)
    if being_served(folder):
        raise Refused(f"Gumshoe serves {folder} just now. Stop it first; nothing was changed.")
    beside = Path(tempfile.mkdtemp(prefix=_beside(folder), dir=folder.parent))
    try:
        wrong = _opened(source, beside, passphrase) or what_is_wrong(beside / DATABASE)
        if wrong:
            raise Refused(f"{wrong} {NOTHING}")
        for name in TAKEN_OVER:
            if (folder / name).exists() and not (beside / name).exists():
                take_over(folder / name, beside / name)
        kept = folder.with_name(f"{folder.name}-before-{time.strftime('%Y%m%d-%H%M%S')}") if folder.exists() else None
        _note(folder).write_text(f"{beside.name}\n{kept.name if kept else ''}\n", encoding="utf-8")
        finish(folder)
    finally:
        shutil.rmtree(beside, ignore_errors=True)
    return kept


def finish(folder: Path) -> None:
    """End what a power cut left half done: once the note of a restoring is written, all is checked and it only has to
    be moved; before, what was unpacked is cleared away."""
    note = _note(folder)
    if note.exists():
        told = note.read_text(encoding="utf-8").splitlines()
        if len(told) == 2:  # else the note itself was cut off, and nothing was moved yet
            beside, kept = folder.with_name(told[0]), told[1]
            if beside.exists():
                if kept and folder.exists() and not folder.with_name(kept).exists():
                    folder.rename(folder.with_name(kept))
                if not folder.exists():
                    beside.rename(folder)
        note.unlink()
    for left in folder.parent.glob(f"{_beside(folder)}*"):
        if left.is_dir() and time.time() - left.stat().st_mtime > LEFT_S:
            shutil.rmtree(left, ignore_errors=True)


def _note(folder: Path) -> Path:
    return folder.with_name(f".{folder.name}-restored")


def _beside(folder: Path) -> str:
    return f".{folder.name}-restoring-"


def being_served(folder: Path) -> bool:
    """Whether a server holds the data (its lock goes with the process, however that ends)."""
    mark = folder / LOCK
    if not mark.exists():
        return False
    try:
        import fcntl
    except ImportError:  # not on this system: the database's own locks are left
        return False
    with mark.open("a") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return True
    return False


def _opened(source: Path, folder: Path, passphrase: str) -> str:
    """Unpack a backup, sealed or not. What is wrong with it; empty when nothing."""
    from gumshoe.serving import sealed

    if not sealed.is_sealed(source):
        return unpack(source, folder)
    if not passphrase:
        return "This backup is sealed: its passphrase is needed."
    with tempfile.TemporaryDirectory(prefix=".opened-", dir=folder.parent) as opened:
        plain = Path(opened) / "plain.zip"
        plain.touch(0o600)
        try:
            with source.open("rb") as file, plain.open("wb") as out:
                sealed.unseal(file, out, passphrase)
        except sealed.CannotBeOpened as error:
            return str(error)
        return unpack(plain, folder)


def unpack(source: Path, folder: Path) -> str:
    """Unpack a backup into an empty folder, readable by its owner only. What is wrong with it; empty when nothing."""
    try:
        with zipfile.ZipFile(source) as archive:
            rows = archive.infolist()
            names = [row.filename for row in rows]
            if DATABASE not in names:
                return "This is not a backup of Gumshoe: it holds no database."
            if any(".." in Path(name).parts or Path(name).is_absolute() or "\\" in name for name in names):
                return "This archive holds names that lead out of its folder: it is not a backup of Gumshoe."
            if sum(row.file_size for row in rows) > MOST_UNPACKED:
                return "This archive unpacks to more than any shop's data."
            for row in rows:
                target = folder / row.filename
                if row.is_dir():
                    continue
                target.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
                descriptor = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
                with archive.open(row) as packed, os.fdopen(descriptor, "wb") as out:
                    shutil.copyfileobj(packed, out)
    except (zipfile.BadZipFile, OSError, EOFError, zlib.error) as error:
        return f"{source} cannot be unpacked: {error}."
    return ""


def take_over(source: Path, target: Path) -> None:
    """Copy a file or a folder of the present data into what is restored; nobody but the owner reads it."""
    if source.is_dir():
        shutil.copytree(source, target)
    else:
        shutil.copy2(source, target)
    for path in (target, *target.rglob("*")):
        path.chmod(0o700 if path.is_dir() else 0o600)


def what_is_wrong(database: Path) -> str:
    """Whether a database is whole, ours, and of no newer version than this program; empty when all is well."""
    try:
        with contextlib.closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as opened:
            found = opened.execute("pragma integrity_check").fetchone()[0]
            if found != "ok":
                return f"The database in this backup is damaged: {found}."
            tables = {row[0] for row in opened.execute("select name from sqlite_master where type = 'table'")}
            if not {"django_migrations", "cases_case", "scans_scan", "accounts_user"} <= tables:
                return "The database in this backup is not Gumshoe's."
            applied = {(app, name) for app, name in opened.execute("select app, name from django_migrations")}
    except sqlite3.Error as error:
        return f"The database in this backup cannot be read: {error}."
    ours = {path.parent.parent.name for path in ROOT.glob("gumshoe/web/*/migrations/0*.py")}
    known = {(path.parent.parent.name, path.stem) for path in ROOT.glob("gumshoe/web/*/migrations/0*.py")}
    newer = sorted(f"{app}.{name}" for app, name in applied if app in ours and (app, name) not in known)
    if newer:
        return f"This backup comes from a newer version of Gumshoe ({newer[0]}). Update first, then restore."
    return ""


def main(arguments: list[str]) -> int:
    """``make`` or ``restore``; returns the exit code."""
    what, folder, file = arguments[0], Path(arguments[1]), Path(arguments[2])
    passphrase = os.environ.get("GUMSHOE_PASSPHRASE", "")
    try:
        if os.environ.get("GUMSHOE_DATABASE"):  # a file that is left from before must not be taken for the shop
            raise Refused(f"GUMSHOE_DATABASE names a server: pg_dump and pg_restore copy it (docs/scale.md). {NOTHING}")
        if what == "make":
            make(folder, file, passphrase)
            how = "sealed with the passphrase" if passphrase else "not sealed, and without the secret key"
            print(f"Backed up {folder} to {file} ({how}).")
            return 0
        kept = put_back(file, folder, passphrase)
    except Refused as error:
        print(error, file=sys.stderr)
        return 1
    if kept is not None:
        print(f"The present data is kept in {kept}.")
    print(f"Restored {file} to {folder}.")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
