"""Signals in the units the shop's readers use: turned where they leave for the page. What is stored, computed and given
out in files stays as the car told it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from gumshoe.core.signals.recording import Channel
from gumshoe.core.signals.strips import Told
from gumshoe.core.signals.units import Scale
from gumshoe.web.cases.models import Case
from gumshoe.web.live import looking
from gumshoe.web.ui.readers import shop_scale

Stretch = tuple[float, float, float, float]


class Reader:
    """The channels of one case's car, as the page shows them."""

    def __init__(self, case: Case) -> None:
        self.told: dict[str, Told] = looking.channels(case)

    def unit(self, unit: str) -> Scale:
        """From a unit of ours to the reader's."""
        return shop_scale(unit)

    def scale(self, key: str) -> Scale:
        """From what a channel tells to what is shown of it."""
        return self.unit(self.told[key].unit if key in self.told else "")

    def columns(self, columns: Mapping[str, Channel]) -> dict[str, Channel]:
        """Samples of channels."""
        return {key: Channel(item.times, self.scale(key).of(item.values)) for key, item in columns.items()}

    def bands(self, bands: Mapping[str, list[Stretch]]) -> dict[str, list[Stretch]]:
        """Expected bands along a recording: (from, to, low, high) by channel."""
        return {
            key: [(begin, end, self.scale(key).of(low), self.scale(key).of(high)) for begin, end, low, high in rows]
            for key, rows in bands.items()
        }

    def news(self, news: dict[str, Any]) -> dict[str, Any]:
        """What is new, as ``services.news`` tells it."""
        of = {key: self.scale(key) for key in {*news["columns"], *news["now"], *news["bands"]}}
        return news | {
            "columns": {
                key: [times, [round(of[key].of(value), 4) for value in values]]
                for key, (times, values) in news["columns"].items()
            },
            "now": {key: of[key].of(value) for key, value in news["now"].items()},
            "bands": {
                key: band | {"low": of[key].of(band["low"]), "high": of[key].of(band["high"])}
                for key, band in news["bands"].items()
            },
        }

    def strips(self, strips: list[dict[str, Any]]) -> list[dict[str, Any]]:
        """Strips as the page's script takes them, see ``looking.drawn``."""
        return [
            strip
            | {
                "unit": self.unit(strip["unit"]).unit,
                "series": [row | {"step": row["step"] * self.scale(row["key"]).factor} for row in strip["series"]],
            }
            for strip in strips
        ]
