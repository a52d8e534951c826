"""What somebody looks at: the strips of this car, chosen ones, favourites, presets by symptom."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.strips import (
    MOST_STRIPS,
    Strip,
    Told,
    channels_of,
    every_strip,
    needed_by,
    strips_file,
    usual_strips,
)
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.live.feed import Car
from gumshoe.web.live.models import Choice, Favourites


def car_of(case: Case) -> Car:
    """What the feed must know of the case's vehicle."""
    platform = platforms().get(case.vehicle.platform)
    identifiers = platform.identifier if platform else ()
    knowledge = cases.knowledge_of(case)
    return Car(knowledge.powertrain, identifiers, tuple(knowledge.bands), cases.specification_of(case))


def channels(case: Case) -> dict[str, Told]:
    """Every channel that a car like this may tell."""
    car = car_of(case)
    return channels_of(car.powertrain, car.identifiers)


def steps(case: Case, keys: Iterable[str]) -> dict[str, float]:
    """How finely each channel is told; 0 for one that is not known here."""
    known = channels(case)
    return {key: known[key].step if key in known else 0.0 for key in keys}


@dataclass(frozen=True)
class Looking:
    """Every strip of the car, which are shown, and which are favourites, by id."""

    strips: dict[str, Strip]
    told: dict[str, Told]
    shown: tuple[str, ...]
    favourites: tuple[str, ...]

    @property
    def shown_strips(self) -> list[Strip]:
        """Those shown, in their order."""
        return [self.strips[name] for name in self.shown]

    @property
    def keys(self) -> tuple[str, ...]:
        """The channels of what is shown."""
        return tuple(dict.fromkeys(key for strip in self.shown_strips for key in strip.keys))


def looking(case: Case, user: User) -> Looking:
    """What this person looks at in this case."""
    car, told = car_of(case), channels(case)
    strips = every_strip(car.powertrain, told)
    chosen = Choice.objects.filter(user=user, case=case).first()
    favourites = Favourites.objects.filter(user=user).first()
    wanted = chosen.strips if chosen else usual_strips(car.powertrain)
    return Looking(
        strips,
        told,
        tuple(name for name in wanted if name in strips)[:MOST_STRIPS],
        tuple(name for name in (favourites.strips if favourites else ()) if name in strips),
    )


def choose(case: Case, user: User, names: Iterable[str]) -> Looking:
    """Look at these strips from now on. Raises BadInput for too many, none, or one that the car has not."""
    wanted = list(dict.fromkeys(names))
    now = looking(case, user)
    unknown = [name for name in wanted if name not in now.strips]
    if unknown:
        raise BadInput(f"There is no strip “{unknown[0][:40]}” for this car.")
    if not 1 <= len(wanted) <= MOST_STRIPS:
        raise BadInput(
            f"{len(wanted)} strips are chosen; 1 to {MOST_STRIPS} can be shown.", remedies=("take some away",)
        )
    Choice.objects.update_or_create(user=user, case=case, defaults={"strips": wanted})
    return looking(case, user)


def favour(user: User, name: str) -> bool:
    """Add a strip to the favourites, or take it out; says whether it is one now."""
    row, _ = Favourites.objects.get_or_create(user=user)
    kept = [item for item in row.strips if item != name]
    row.strips = kept if name in row.strips else [*kept, name[:60]]
    row.save(update_fields=["strips"])
    return name in row.strips


def drawn(shown: Looking) -> list[dict[str, Any]]:
    """The strips as the page's script takes them."""
    return [
        {
            "id": strip.id,
            "name": strip.name,
            "unit": strip.unit,
            "series": [
                {
                    "key": item.key,
                    "label": item.label,
                    "name": shown.told[item.key].name,
                    "step": shown.told[item.key].step,
                }
                for item in strip.series
            ],
        }
        for strip in shown.shown_strips
    ]


@dataclass(frozen=True)
class Listed:
    """A strip to choose: shown now, a favourite, told by the car (None: not asked yet)."""

    strip: Strip
    shown: bool
    favourite: bool
    told: bool | None

    @property
    def names(self) -> str:
        """What one may search for."""
        return " ".join((self.strip.name, *self.strip.keys)).lower()


def groups(shown: Looking, powertrain: Powertrain, told: frozenset[str] | None) -> list[tuple[str, list[Listed]]]:
    """Every strip in groups: favourites, what is looked at together, single channels; what the car tells first."""

    def listed(name: str) -> Listed:
        strip = shown.strips[name]
        has = None if told is None else any(needed_by([key], powertrain) <= told for key in strip.keys)
        return Listed(strip, name in shown.shown, name in shown.favourites, has)

    together = {row.id for row in strips_file().strip}
    rows = sorted((listed(name) for name in shown.strips), key=lambda row: row.told is False)
    return [
        (words, found)
        for words, found in (
            ("Favourites", [row for row in rows if row.favourite]),
            ("Looked at together", [row for row in rows if not row.favourite and row.strip.id in together]),
            ("Single channels", [row for row in rows if not row.favourite and row.strip.id not in together]),
        )
        if found
    ]


@dataclass(frozen=True)
class Offered:
    """A preset for this car: its strips, and what it does not tell with the hand test that replaces it."""

    id: str
    words: str
    strips: tuple[str, ...]
    instead: tuple[tuple[str, str, str], ...]


def presets(case: Case, told: frozenset[str] | None) -> list[Offered]:
    """Every preset. ``told``: the channels that the car announces, None before it was asked. ``instead`` holds the
    strip's name, the test's words and its id."""
    car = car_of(case)
    strips = every_strip(car.powertrain, channels(case))
    tests = cases.knowledge_of(case).tests
    names = {row.id: row.name for row in strips_file().strip}

    def has(name: str) -> bool:
        if name not in strips:
            return False
        return told is None or any(needed_by([key], car.powertrain) <= told for key in strips[name].keys)

    found = []
    for row in strips_file().preset:
        instead = tuple(
            (names[item.strip], tests[item.test].words, item.test)
            for item in row.instead
            if not has(item.strip) and item.test in tests
        )
        # A symptom that this kind of car cannot have is told by nothing and tested by nothing.
        if instead or any(has(item.strip) for item in row.instead):
            found.append(Offered(row.id, row.words, tuple(name for name in row.strips if has(name)), instead))
    return found
