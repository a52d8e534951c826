"""What is on file is found by words and by signs (plates, numbers, codes): an index of the database (``engines.py``).

The index is worked out from what is stored and made anew where it is missing. Whatever is found carries a number that
is another after every change, and beside it the one it was put into the index with; before a search, those that differ
are made again. So nothing that is stored has to tell the index, nothing that was stored is missed, and what is long in
it costs nothing (an index of the database holds those that differ).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import connection
from django.db.models import F, Model, Q, QuerySet
from django.db.models.expressions import RawSQL

from gumshoe.web.kit.engines import OPEN, SHUT, Query, engine, marks, row_of
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import forget, once

VERSION = 2
"""Another number makes the whole index anew."""
AT_ONCE, BEFORE_A_SEARCH = 200, 400
"""So many documents are made at a time; so many before somebody's search. The rest is made beside (``catch_up``)."""
MOST_ASKED = 500
"""So many rows are asked for at a time."""
LEAST_SIGNS = 3
"""Shorter ones are not looked for inside of signs, only as one."""
ALIKE = str.maketrans("OQILSZB", "0011528")
"""Letters that are taken for digits, and the digits."""
__all__ = ["OPEN", "SHUT", "Collection", "Document", "Hit"]


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
    """What is searched together. ``model``: the rows that carry ``stamp``, another number after every change, and
    ``found``, the one they were put into the index with; ``documents`` makes some by their numbers."""

    number: int
    model: type[Model]
    stamp: str
    documents: Callable[[Sequence[int]], Iterable[Document]]

    @property
    def name(self) -> str:
        """Its table."""
        return f"found_v{VERSION}_{self.number}"

    # -- the index ------------------------------------------------------------------------------------------

    def stale(self, among: Sequence[int] | None = None) -> QuerySet[Any, Any]:
        """Numbers and stamps of what is not in the index as it is now, newest first; ``among``: of these alone."""
        self._be_there()
        rows = self.model._default_manager.filter(~Q(**{self.stamp: F("found")})).order_by("-pk")
        return (rows if among is None else rows.filter(pk__in=among)).values_list("pk", self.stamp)

    def bring_up(self, most: int, among: Sequence[int] | None = None) -> int:
        """Make up to so many documents anew; how many were made. ``among``: of these alone."""
        wanted = list(self.stale(among)[:most])
        for start in range(0, len(wanted), AT_ONCE):
            some = dict(wanted[start : start + AT_ONCE])
            self._store(list(self.documents(list(some))), some)
        return len(wanted)

    def _store(self, documents: Sequence[Document], stamps: dict[int, int]) -> None:
        told, of = engine(), self.model._meta
        rows = [row_of((one.pk, one.words, _written(one.signs + one.codes), " ".join(one.codes))) for one in documents]
        with in_turn(), connection.cursor() as cursor:
            for statement in told.gone(self.name):
                cursor.executemany(statement, [(pk,) for pk in stamps])
            for statement, places in told.put(self.name):
                cursor.executemany(statement, [tuple(row[place] for place in places) for row in rows])
            cursor.executemany(
                f"UPDATE {of.db_table} SET found = %s WHERE {of.pk.column} = %s",
                [(stamp, pk) for pk, stamp in stamps.items()],
            )

    def _be_there(self) -> None:
        """The tables, made where they are missing; everything is then to be put into them."""
        have = _tables()
        if self.name in have:
            return
        with in_turn(), connection.cursor() as cursor:
            for name in sorted(have):
                if re.fullmatch(rf"found_(words|signs|stamps|v\d+_{self.number}(_within)?)", name):
                    cursor.execute(f"DROP TABLE IF EXISTS {name}")  # of an older version
            for statement in engine().made(self.name):
                cursor.execute(statement)
            self.model._default_manager.update(found=0)
        forget()

    # -- asking ---------------------------------------------------------------------------------------------

    def find(self, text: str, most: int, *, texts: bool = False) -> list[Hit]:
        """What has every piece of the text in its words or signs, or the whole of it as one sign. Best first (0: it has
        exactly this sign; 1: it begins with it; 2: a sign holds it; 3: by words), and of equal ones the newest.
        ``texts``: with the text around the words."""
        self.bring_up(BEFORE_A_SEARCH)
        ranked: dict[int, int] = {}
        for rank, pk in self._newest(self._ranks(text), most):
            ranked[pk] = min(rank, ranked.get(pk, rank))
        best = sorted(ranked, key=lambda pk: (ranked[pk], -pk))[:most]
        shown = self._texts(text, best) if texts else {}
        return [Hit(pk, ranked[pk], shown.get(pk, "")) for pk in best]

    def matching(self, text: str) -> RawSQL:
        """The numbers of all that is found, for ``pk__in``."""
        self.bring_up(BEFORE_A_SEARCH)
        ranks = self._ranks(text)
        if not ranks:
            return RawSQL("SELECT NULL", ())
        (within, with_sign), (by_words, with_words) = ranks[2:]
        return RawSQL(
            f"SELECT id FROM ({within}) AS signs UNION SELECT id FROM ({by_words}) AS words", [*with_sign, *with_words]
        )

    def codes(self, pks: Iterable[int]) -> dict[int, tuple[str, ...]]:
        """The trouble codes of some."""
        wanted: list[int] = list(pks)
        found: dict[int, tuple[str, ...]] = {}
        row = "id" if connection.vendor == "postgresql" else "rowid"
        for start in range(0, len(wanted), MOST_ASKED):
            some = wanted[start : start + MOST_ASKED]
            self.bring_up(len(some), some)
            with connection.cursor() as cursor:
                cursor.execute(f"SELECT {row}, codes FROM {self.name} WHERE {row} IN ({marks(some)})", some)
                found |= {pk: tuple(codes.split()) for pk, codes in cursor.fetchall()}
        return found

    def _ranks(self, text: str) -> tuple[Query, ...]:
        """The queries, the best first; none for a text without letters and digits."""
        pieces, whole, told = pieces_of(text), _asked(plain(text)), engine()
        if not pieces:
            return ()
        exact = told.sign(self.name, whole, whole=True)
        begins = told.sign(self.name, whole, whole=False)
        within = told.within(self.name, whole) if len(whole) >= LEAST_SIGNS else exact
        return exact, begins, within, self._by_pieces(pieces)

    def _by_pieces(self, pieces: Sequence[str]) -> Query:
        """Everything that has each of the pieces."""
        first, *others = (self._by_piece(piece, alone=len(pieces) == 1) for piece in pieces)
        narrowed = "".join(f" AND id IN ({query})" for query, _ in others)
        return (
            f"SELECT id FROM ({first[0]}) AS first WHERE TRUE{narrowed}" if others else first[0],
            [value for _, values in (first, *others) for value in values],
        )

    def _by_piece(self, piece: str, *, alone: bool) -> Query:
        """By a word, or by a sign with it in it (``alone``: those have been asked for)."""
        told, sign = engine(), _asked(plain(piece))
        words, values = told.words(self.name, piece)
        if alone or len(sign) < LEAST_SIGNS:
            return words, values
        within, more = told.within(self.name, sign)
        return f"{words} UNION {within}", [*values, *more]

    def _newest(self, ranks: Sequence[Query], most: int) -> list[tuple[int, int]]:
        """The newest of each rank, with the rank; enough of them that the best are there."""
        if not ranks:
            return []
        asked = " UNION ALL ".join(
            f"SELECT {rank} AS rank, id FROM"
            f" (SELECT id FROM ({query}) AS r{rank} ORDER BY id DESC LIMIT {most:d}) AS best{rank}"
            for rank, (query, _) in enumerate(ranks)
        )
        with connection.cursor() as cursor:
            cursor.execute(asked, [value for _, values in ranks for value in values])
            return [(rank, pk) for rank, pk in cursor.fetchall()]

    def _texts(self, text: str, pks: Sequence[int]) -> dict[int, str]:
        """Where the words stand."""
        pieces = pieces_of(text)
        if not pks or not pieces:
            return {}
        told = engine()
        with connection.cursor() as cursor:
            cursor.execute(*told.texts(self.name, pieces, pks))
            return {pk: told.shown(text, pieces) for pk, text in cursor.fetchall()}


@once
def _tables() -> frozenset[str]:
    return frozenset(connection.introspection.table_names())


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
