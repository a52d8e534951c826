"""Fields of the entries on record: what they hold has a version, and names are those of today."""

from __future__ import annotations

import json
from typing import Any

from django.db import models

from gumshoe.core.knowledge.renamed import present
from gumshoe.core.stored import StoredShape, shape


class Stored(models.JSONField):
    """A JSON value with the version of its shape beside it; read as the present shape (``core/stored.py``).

    What comes out is what was put in, the order of its keys too; PostgreSQL, which would sort them, keeps one text.
    """

    def __init__(self, of: StoredShape[Any] | None = None, **kwargs: Any) -> None:
        self.of = of or shape("stored value", Any)
        super().__init__(**kwargs)

    def deconstruct(self) -> Any:
        name, _path, args, kwargs = super().deconstruct()
        return name, "django.db.models.JSONField", args, kwargs

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> Any:
        raw = super().from_db_value(value, expression, connection)
        raw = json.loads(raw) if isinstance(raw, str) and connection.vendor == "postgresql" else raw
        return None if raw is None else self.of.read(raw)

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        plain = self.of.write(value) if value is not None and not hasattr(value, "as_sql") else value
        told = isinstance(plain, dict) and connection.vendor == "postgresql"
        return super().get_db_prep_value(json.dumps(plain) if told else plain, connection, prepared)


class Named(models.CharField):  # type: ignore[type-arg]  # no type arguments at run time
    """The name of something in the tables of knowledge; one that was renamed since is read by its present name."""

    def deconstruct(self) -> Any:
        name, _path, args, kwargs = super().deconstruct()
        return name, "django.db.models.CharField", args, kwargs

    def from_db_value(self, value: str | None, *_: Any) -> str | None:
        return present(value) if value else value
