"""What cars and customers are found by."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from gumshoe.web.kit.fulltext import Collection, Document
from gumshoe.web.vehicles.models import Customer, Vehicle


def _vehicles(pks: Sequence[int]) -> Iterator[Document]:
    for row in Vehicle.objects.filter(pk__in=pks).order_by():
        doubles = [sign for other in row.doubles.all() for sign in (other.plate, other.vin)]
        words = "" if row.same_as_id else f"{row.make} {row.model} {row.year or ''}"
        yield Document(row.pk, words, () if row.same_as_id else (row.plate, row.vin, *doubles))


def _customers(pks: Sequence[int]) -> Iterator[Document]:
    for row in Customer.objects.filter(pk__in=pks).order_by():
        names = " ".join(other.name for other in row.doubles.all())
        words = f"{row.name} {names} {row.mail} {row.address} {row.remark}"
        yield Document(row.pk, "" if row.same_as_id else words, () if row.same_as_id else (row.phone,))


VEHICLES = Collection(2, Vehicle, "changed", _vehicles)
CUSTOMERS = Collection(3, Customer, "changed", _customers)
