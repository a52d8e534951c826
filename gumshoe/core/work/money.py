"""What work costs: labour by the minute, sums with their tax. Amounts in the shop's currency."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from typing import Protocol

CENT = Decimal("0.01")


def labour(minutes: int, per_hour: Decimal) -> Decimal:
    """Labour booked in tenths of an hour, begun tenths counted."""
    tenths = -(-minutes // 6)
    return (Decimal(tenths) / 10 * per_hour).quantize(CENT, ROUND_HALF_UP)


class Priced(Protocol):
    """Something with a price, and the tax per cent that comes on top of it."""

    @property
    def total(self) -> Decimal: ...

    tax_percent: Decimal


@dataclass(frozen=True)
class Sum:
    """What lines cost together: without tax, each tax by its per cent, and with it."""

    net: Decimal
    taxes: tuple[tuple[Decimal, Decimal], ...]

    @property
    def gross(self) -> Decimal:
        """With tax."""
        return self.net + sum((tax for _, tax in self.taxes), Decimal(0))


def together(lines: Iterable[Priced]) -> Sum:
    """The sum of lines, each with the tax that held when it was proposed; tax is rounded once for each rate (common
    practice)."""
    by_rate: dict[Decimal, Decimal] = {}
    for line in lines:
        by_rate[line.tax_percent] = by_rate.get(line.tax_percent, Decimal(0)) + line.total
    taxes = tuple(
        (rate, (net * rate / 100).quantize(CENT, ROUND_HALF_UP)) for rate, net in sorted(by_rate.items()) if rate
    )
    return Sum(sum(by_rate.values(), Decimal(0)), taxes)
