"""The pages of people: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from gumshoe.web.accounts.forms import NewPersonForm, OwnPasswordForm, PersonForm
from gumshoe.web.accounts.models import PeopleEntry, User
from gumshoe.web.accounts.people import SignIn
from gumshoe.web.kit.pages import Page


@dataclass(frozen=True, kw_only=True)
class PeoplePage(Page):
    """What ``accounts/people.html`` shows. ``locked``: names; ``places``: addresses."""

    TEMPLATE: ClassVar[str] = "accounts/people.html"
    people: tuple[User, ...]
    locked: frozenset[str]
    places: tuple[str, ...]
    sign_ins: tuple[SignIn, ...]
    entries: tuple[PeopleEntry, ...]


@dataclass(frozen=True, kw_only=True)
class PersonPage(Page):
    """What ``accounts/person.html`` shows. ``word``: a password to be used once, shown now and never again."""

    TEMPLATE: ClassVar[str] = "accounts/person.html"
    form: NewPersonForm | PersonForm
    person: User | None
    word: str = ""
    locked: bool = False
    entries: tuple[PeopleEntry, ...] = ()


@dataclass(frozen=True, kw_only=True)
class MePage(Page):
    """What ``accounts/me.html`` shows."""

    TEMPLATE: ClassVar[str] = "accounts/me.html"
    form: OwnPasswordForm
    entries: tuple[PeopleEntry, ...]
