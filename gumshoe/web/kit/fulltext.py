"""What is on file is found by words and by signs (plates, numbers, codes): an index in SQLite's FTS5.

The index is worked out from what is stored and made anew where it is missing. Each document carries the stamp of what
it was made from; before a search, documents whose stamp has changed are made again. So nothing that is stored has to
tell the index, and nothing that was stored is missed.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import connection, transaction
from django.db.models import QuerySet

VERSION = 1
"""Another number makes the whole index anew."""
WORDS, SIGNS, STAMPS = "found_words", "found_signs", "found_stamps"
KINDS = 8
"""A row's number is the number of what it stands for times this, and its collection's."""
AT_ONCE, BEFORE_A_SEARCH = 200, 400
"""So many documents are made at a time; so many before somebody's search. The rest is made beside (``catch_up``)."""
MOST_ASKED = 500
"""So many rows are asked for at a time."""
LEAST_SIGNS = 3
"""Shorter ones are not looked for inside of signs, only as one."""
ALIKE = str.maketrans("OQILSZB", "0011528")
"""Letters that are taken for digits, and the digits."""
OPEN, SHUT = "\x02", "\x03"
"""Around what was found, in a piece of text."""


@dataclass(frozen=True)
class Document:
    """``words`` of the thing with number ``pk``; ``signs``: numbers and plates of it; ``codes``: of trouble."""

    pk: int
    words: str
    signs: tuple[str, ...] = ()
    codes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Hit:
    """Something that was found: the less its ``rank``, the better. ``text``: where, OPEN and SHUT around the words."""

    pk: int
    rank: int
    text: str = ""


@dataclass
class Collection:
    """What is searched together. ``stamps``: a query of ``pk`` and ``stamp``; ``documents`` makes some."""

    number: int
    stamps: Callable[[], QuerySet[Any, Any]]
    documents: Callable[[Sequence[int]], Iterable[Document]]

    def row(self, pk: int) -> int:
        """The number of its row."""
        return pk * KINDS + self.number

    # -- the index ------------------------------------------------------------------------------------------

    def stale(self, most: int, among: Sequence[int] | None = None) -> list[tuple[int, int]]:
        """Numbers and stamps of what is not in the index as it is now, newest first; ``among``: of these alone."""
        _make_tables()
        stamps = self.stamps() if among is None else self.stamps().filter(pk__in=among)
        query, values = stamps.query.sql_with_params()
        with connection.cursor() as cursor:
            cursor.execute(
                f"SELECT now.pk, now.stamp FROM ({query}) AS now LEFT JOIN {STAMPS} AS kept"
                f" ON kept.id = now.pk * {KINDS} + {self.number} WHERE kept.stamp IS NOT now.stamp + {VERSION}"
                " ORDER BY now.pk DESC LIMIT %s",
                [*values, most],
            )
            return [(int(pk), int(stamp)) for pk, stamp in cursor.fetchall()]

    def bring_up(self, most: int, among: Sequence[int] | None = None) -> int:
        """Make up to so many documents anew; how many were made. ``among``: of these alone."""
        wanted = self.stale(most, among)
        for start in range(0, len(wanted), AT_ONCE):
            some = dict(wanted[start : start + AT_ONCE])
            self._store(list(self.documents(list(some))), some)
        return len(wanted)

    def _store(self, documents: Sequence[Document], stamps: dict[int, int]) -> None:
        rows = [(self.row(pk),) for pk in stamps]
        with transaction.atomic(), connection.cursor() as cursor:
            for table, name in ((WORDS, "rowid"), (SIGNS, "rowid"), (STAMPS, "id")):
                cursor.executemany(f"DELETE FROM {table} WHERE {name} = %s", rows)
            cursor.executemany(
                f"INSERT INTO {WORDS} (rowid, words) VALUES (%s, %s)",
                [(self.row(one.pk), one.words) for one in documents],
            )
            cursor.executemany(
                f"INSERT INTO {SIGNS} (rowid, signs, codes) VALUES (%s, %s, %s)",
                [(self.row(one.pk), _written(one.signs + one.codes), " ".join(one.codes)) for one in documents],
            )
            cursor.executemany(
                f"INSERT INTO {STAMPS} (id, stamp) VALUES (%s, %s)",
                [(self.row(pk), stamp + VERSION) for pk, stamp in stamps.items()],
            )

    # -- asking ---------------------------------------------------------------------------------------------

    def find(self, text: str, most: int, *, start: int = 0) -> list[Hit]:
        """What has every piece of the text in its words or signs, or the whole of it as one sign. Best first, and of
        equal ones the newest."""
        self.bring_up(BEFORE_A_SEARCH)
        ranked = self._ranked(text)
        best = sorted(ranked, key=lambda pk: (ranked[pk], -pk))[start : start + most]
        texts = self._texts(text, best)
        return [Hit(pk, ranked[pk], texts.get(pk, "")) for pk in best]

    def numbers(self, text: str) -> set[int]:
        """The numbers of all that is found."""
        self.bring_up(BEFORE_A_SEARCH)
        return set(self._ranked(text))

    def codes(self, pks: Iterable[int]) -> dict[int, tuple[str, ...]]:
        """The trouble codes of some."""
        wanted: list[int] = list(pks)
        found: dict[int, tuple[str, ...]] = {}
        for start in range(0, len(wanted), MOST_ASKED):
            some = wanted[start : start + MOST_ASKED]
            self.bring_up(len(some), some)
            marks = ",".join(["%s"] * len(some))
            with connection.cursor() as cursor:
                cursor.execute(
                    f"SELECT rowid, codes FROM {SIGNS} WHERE rowid IN ({marks})", [self.row(pk) for pk in some]
                )
                found |= {row // KINDS: tuple(codes.split()) for row, codes in cursor.fetchall()}
        return found

    def _ranked(self, text: str) -> dict[int, int]:
        """0: it has exactly this sign; 1: it begins with it; 2: a sign holds it; 3: by words."""
        pieces, whole = pieces_of(text), plain(text)
        if not pieces:
            return {}
        found: set[int] | None = None
        for piece in pieces:
            here = self._by_words(piece) | self._by_sign(plain(piece))
            found = here if found is None else found & here
            if not found:
                break
        ranked = dict.fromkeys(found or (), 3)
        for pk in self._by_sign(whole):
            ranked[pk] = 2
        return ranked | self._exactly(whole, {pk for pk, rank in ranked.items() if rank == 2})

    def _by_words(self, piece: str) -> set[int]:
        return self._rows(f"SELECT rowid FROM {WORDS} WHERE {WORDS} MATCH %s", f'"{piece}"*')

    def _by_sign(self, sign: str) -> set[int]:
        if not sign:
            return set()
        if len(sign) < LEAST_SIGNS:  # not inside of others: as a whole alone
            return self._rows(f"SELECT rowid FROM {SIGNS} WHERE ' ' || signs || ' ' LIKE %s", f"% {_asked(sign)} %")
        return self._rows(f"SELECT rowid FROM {SIGNS} WHERE signs MATCH %s", f'"{_asked(sign)}"')

    def _rows(self, query: str, value: str) -> set[int]:
        with connection.cursor() as cursor:
            cursor.execute(query, [value])
            return {row // KINDS for (row,) in cursor.fetchall() if row % KINDS == self.number}

    def _exactly(self, sign: str, pks: set[int]) -> dict[int, int]:
        if not pks or len(pks) > BEFORE_A_SEARCH:
            return {}
        marks, asked = ",".join(["%s"] * len(pks)), _asked(sign)
        with connection.cursor() as cursor:
            cursor.execute(f"SELECT rowid, signs FROM {SIGNS} WHERE rowid IN ({marks})", [self.row(pk) for pk in pks])
            rows = [(row // KINDS, signs.split()) for row, signs in cursor.fetchall()]
        exact = {pk: 0 for pk, signs in rows if asked in signs}
        return {pk: 1 for pk, signs in rows if any(one.startswith(asked) for one in signs)} | exact

    def _texts(self, text: str, pks: Sequence[int]) -> dict[int, str]:
        """Where the words stand."""
        pieces = pieces_of(text)
        if not pks or not pieces:
            return {}
        marks, any_of = ",".join(["%s"] * len(pks)), " OR ".join(f'"{piece}"*' for piece in pieces)
        with connection.cursor() as cursor:
            cursor.execute(
                f"SELECT rowid, snippet({WORDS}, 0, %s, %s, '…', 12) FROM {WORDS}"
                f" WHERE {WORDS} MATCH %s AND rowid IN ({marks})",
                [OPEN, SHUT, any_of, *(self.row(pk) for pk in pks)],
            )
            return {row // KINDS: piece for row, piece in cursor.fetchall()}


def _make_tables() -> None:
    with connection.cursor() as cursor:
        cursor.execute(f"SELECT 1 FROM sqlite_master WHERE name = '{STAMPS}'")
        if cursor.fetchone():
            return
        cursor.execute(
            f"CREATE VIRTUAL TABLE IF NOT EXISTS {WORDS} USING fts5(words, tokenize='unicode61 remove_diacritics 2',"
            " prefix='2 3')"
        )
        cursor.execute(
            f"CREATE VIRTUAL TABLE IF NOT EXISTS {SIGNS} USING fts5(signs, codes UNINDEXED, tokenize='trigram')"
        )
        cursor.execute(f"CREATE TABLE IF NOT EXISTS {STAMPS} (id INTEGER PRIMARY KEY, stamp INTEGER NOT NULL)")


# -- text -------------------------------------------------------------------------------------------------


def pieces_of(text: str) -> list[str]:
    """The words of what somebody typed."""
    return re.findall(r"[^\W_]+", text)[:8]


def plain(text: str) -> str:
    """A sign without blanks and dashes, in capitals."""
    return "".join(re.findall(r"[^\W_]+", text)).upper()


def _written(signs: Iterable[str]) -> str:
    """Each sign as it is, and with letters that look like digits as digits."""
    held = dict.fromkeys(plain(sign) for sign in signs if plain(sign))
    return " ".join(dict.fromkeys((*held, *(f"{sign.translate(ALIKE)}" for sign in held))))


def _asked(sign: str) -> str:
    """What is looked for: with a digit in it, letters that look like digits are digits; else it is letters."""
    return sign.translate(ALIKE) if any(char.isdigit() for char in sign) else sign
