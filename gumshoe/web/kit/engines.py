"""What words and signs are looked up with: SQLite's FTS5, or PostgreSQL's text search and trigrams. Each collection has
tables of its own; what is asked for is told as queries of ``id``, which the caller puts together."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from typing import Any, Protocol

from django.db import connection

Query = tuple[str, list[Any]]
"""A query of ``id``, and what it is asked with."""
OPEN, SHUT = "\x02", "\x03"
"""Around what was found, in a piece of text."""
WORDS_AROUND = 12
Row = tuple[int, str, str, str]
"""Number, words, signs and codes of a document."""


class Engine(Protocol):
    """Full text by the beginnings of words, signs by any piece of them."""

    def made(self, name: str) -> tuple[str, ...]:
        """The statements that make the tables of a collection."""
        ...

    def gone(self, name: str) -> tuple[str, ...]:
        """The statements that take out a document, each with its number."""
        ...

    def put(self, name: str) -> tuple[tuple[str, tuple[int, ...]], ...]:
        """The statements that put in a document, each with the places of its values in a row."""
        ...

    def words(self, name: str, piece: str) -> Query:
        """What has a word or a sign that begins so."""
        ...

    def sign(self, name: str, sign: str, *, whole: bool) -> Query:
        """What has this sign; not ``whole``: one that begins so."""
        ...

    def within(self, name: str, sign: str) -> Query:
        """What has a sign with this in it, of three letters and more."""
        ...

    def texts(self, name: str, pieces: Sequence[str], pks: Sequence[int]) -> Query:
        """Not of ``id`` alone: of numbers and of their texts."""
        ...

    def shown(self, text: str, pieces: Sequence[str]) -> str:
        """Of such a text what stands around the words."""
        ...


class Sqlite:
    """FTS5: words and signs by their beginnings in one table, signs by three letters in a second."""

    def made(self, name: str) -> tuple[str, ...]:
        return (
            f"CREATE VIRTUAL TABLE IF NOT EXISTS {name} USING fts5(words, signs, codes UNINDEXED,"
            " tokenize='unicode61 remove_diacritics 2', prefix='2 3')",
            f"CREATE VIRTUAL TABLE IF NOT EXISTS {name}_within USING fts5(signs, tokenize='trigram')",
        )

    def gone(self, name: str) -> tuple[str, ...]:
        return f"DELETE FROM {name} WHERE rowid = %s", f"DELETE FROM {name}_within WHERE rowid = %s"

    def put(self, name: str) -> tuple[tuple[str, tuple[int, ...]], ...]:
        return (
            (f"INSERT INTO {name} (rowid, words, signs, codes) VALUES (%s, %s, %s, %s)", (0, 1, 2, 3)),
            (f"INSERT INTO {name}_within (rowid, signs) VALUES (%s, %s)", (0, 2)),
        )

    def words(self, name: str, piece: str) -> Query:
        return f"SELECT rowid AS id FROM {name} WHERE {name} MATCH %s", [f'{{words signs}} : "{piece}"*']

    def sign(self, name: str, sign: str, *, whole: bool) -> Query:
        return f"SELECT rowid AS id FROM {name} WHERE {name} MATCH %s", [f'signs : "{sign}"{"" if whole else "*"}']

    def within(self, name: str, sign: str) -> Query:
        return f"SELECT rowid AS id FROM {name}_within WHERE {name}_within MATCH %s", [f'"{sign}"']

    def texts(self, name: str, pieces: Sequence[str], pks: Sequence[int]) -> Query:
        any_of = " OR ".join(f'"{piece}"*' for piece in pieces)
        one = f"SELECT rowid, snippet({name}, 0, %s, %s, '…', 12) FROM {name} WHERE {name} MATCH %s AND rowid = %s"
        asked = [value for pk in pks for value in (OPEN, SHUT, f"words : ({any_of})", pk)]
        return " UNION ALL ".join([one] * len(pks)), asked  # a row at a time: of all that match only these are read

    def shown(self, text: str, pieces: Sequence[str]) -> str:
        return text  # it was cut already


class Postgres:
    """Text search over the words without accents, trigrams (``pg_trgm``, of PostgreSQL's own extensions) over signs."""

    def made(self, name: str) -> tuple[str, ...]:
        return (
            "CREATE EXTENSION IF NOT EXISTS pg_trgm",
            f"CREATE TABLE IF NOT EXISTS {name} (id bigint PRIMARY KEY, words text, signs text, codes text,"
            " told tsvector)",
            f"CREATE INDEX IF NOT EXISTS {name}_told ON {name} USING gin (told)",
            f"CREATE INDEX IF NOT EXISTS {name}_signs ON {name} USING gin (signs gin_trgm_ops)",
        )

    def gone(self, name: str) -> tuple[str, ...]:
        return (f"DELETE FROM {name} WHERE id = %s",)

    def put(self, name: str) -> tuple[tuple[str, tuple[int, ...]], ...]:
        return (
            (
                f"INSERT INTO {name} (id, words, signs, codes, told)"
                " VALUES (%s, %s, ' ' || %s || ' ', %s, to_tsvector('simple', %s))",
                (0, 1, 2, 3, 4),
            ),
        )

    def words(self, name: str, piece: str) -> Query:
        return f"SELECT id FROM {name} WHERE told @@ to_tsquery('simple', %s)", [f"'{bare(piece)}':*"]

    def sign(self, name: str, sign: str, *, whole: bool) -> Query:
        return f"SELECT id FROM {name} WHERE signs LIKE %s", [f"% {sign}{' ' if whole else ''}%"]

    def within(self, name: str, sign: str) -> Query:
        return f"SELECT id FROM {name} WHERE signs LIKE %s", [f"%{sign}%"]

    def texts(self, name: str, pieces: Sequence[str], pks: Sequence[int]) -> Query:
        return f"SELECT id, words FROM {name} WHERE id IN ({marks(pks)})", list(pks)

    def shown(self, text: str, pieces: Sequence[str]) -> str:
        """The words around the first that is found, with every one that is found marked."""
        tokens = re.findall(r"\S+", text)
        sought = [bare(piece) for piece in pieces]
        hits = [any(word.startswith(piece) for word in bare(token).split() for piece in sought) for token in tokens]
        first = max((hits.index(True) if True in hits else 0) - WORDS_AROUND // 3, 0)
        last = first + WORDS_AROUND
        part = zip(tokens[first:last], hits[first:last], strict=True)
        told = " ".join(f"{OPEN}{token}{SHUT}" if hit else token for token, hit in part)
        return f"{'…' if first else ''}{told}{'…' if last < len(tokens) else ''}"


def engine() -> Engine:
    """That of the database in use."""
    return Postgres() if connection.vendor == "postgresql" else Sqlite()


def row_of(document: Row) -> tuple[Any, ...]:
    """The values that ``put`` takes its own from: the document's, and its words and signs without accents."""
    return *document, bare(f"{document[1]} {document[2]}")


def marks(values: Iterable[Any]) -> str:
    """A place for each of the values in a query."""
    return ",".join("%s" for _ in values)


def bare(text: str) -> str:
    """Words without accents and signs, as they are compared."""
    plain = "".join(char for char in unicodedata.normalize("NFKD", text) if not unicodedata.combining(char))
    return " ".join(re.findall(r"[^\W_]+", plain)).lower()
