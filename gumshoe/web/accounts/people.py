"""What a lead does about the people of the shop, and a person about their own account. Everything is on record."""

from __future__ import annotations

import secrets
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from axes.models import AccessAttempt, AccessFailureLog, AccessLog
from django.conf import settings
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import PeopleEntry, Role, User
from gumshoe.web.accounts.throttle import BY_ADDRESS, BY_NAME, BY_NAME_AND_ADDRESS
from gumshoe.web.kit.in_turn import in_turn

PLAIN = "abcdefghjkmnpqrstuvwxyz23456789"
"""Letters and digits that are not taken for one another when a password is read out."""
GROUPS, GROUP = 4, 4
MOST_SIGN_INS = 25


def new_word() -> str:
    """A password to be used once: 79 bits, to be read out."""
    return "-".join("".join(secrets.choice(PLAIN) for _ in range(GROUP)) for _ in range(GROUPS))


def _entered(by: User | None, about: User | None, words: str) -> None:
    PeopleEntry.objects.create(by=by, about=about, words=words)


@in_turn()
def add(by: User | None, username: str, full_name: str, role: str) -> tuple[User, str]:
    """A new person with a password to be used once. Raises BadInput where the name is taken or cannot be one."""
    word = new_word()
    person = User(username=username.strip(), full_name=full_name.strip(), role=role, one_time=True)
    person.set_password(word)
    _checked(person)
    person.save()
    _entered(by, person, f"added as {person.get_role_display().lower()}")
    return person, word


@in_turn()
def first_lead(username: str, full_name: str, password: str) -> User:
    """The first lead, with a password of their own. Raises BadInput when somebody is there already, or the password
    is weak."""
    if User.objects.exists():
        raise BadInput("The shop has been set up.", remedies=("sign in", "ask the lead technician to add you"))
    person = User(username=username.strip(), full_name=full_name.strip(), role=Role.LEAD)
    _strong(password, person)
    person.set_password(password)
    _checked(person)
    person.save()
    _entered(None, person, "set up the shop as its first lead technician")
    return person


@in_turn()
def change(by: User, person: User, full_name: str, role: str) -> None:
    """Another name or role. Raises BadInput for a role that is none, or when nobody would lead the shop."""
    if role not in Role.values:
        raise BadInput("That is no role.")
    was = User.objects.select_for_update().get(pk=person.pk)
    if role != was.role:
        if role != Role.LEAD:
            _somebody_leads_without(was)
        _entered(by, was, f"{was.get_role_display().lower()} → {Role(role).label.lower()}")
    if full_name.strip() != was.full_name:
        _entered(by, was, f"name: {was.full_name or was.username} → {full_name.strip()}")
    was.full_name, was.role = full_name.strip(), role
    _checked(was)
    was.save(update_fields=["full_name", "role"])


@in_turn()
def one_time_word(by: User, person: User) -> str:
    """A password to be used once; whoever is signed in with the old one is signed out."""
    word = new_word()
    person.set_password(word)
    person.one_time, person.sessions = True, person.sessions + 1
    person.save(update_fields=["password", "one_time", "sessions"])
    _entered(by, person, "was given a password to be used once")
    return word


@in_turn()
def deactivate(by: User, person: User) -> None:
    """No longer gets in; what they did stays. Raises BadInput when nobody would lead the shop."""
    _somebody_leads_without(person)
    person.is_active, person.sessions = False, person.sessions + 1
    person.save(update_fields=["is_active", "sessions"])
    _entered(by, person, "deactivated, and signed out everywhere")


@in_turn()
def reactivate(by: User, person: User) -> str:
    """Gets in again, with a password to be used once."""
    person.is_active = True
    person.save(update_fields=["is_active"])
    _entered(by, person, "active again")
    return one_time_word(by, person)


@in_turn()
def sign_out_everywhere(by: User, person: User) -> None:
    """Every session of this person ends."""
    person.sessions += 1
    person.save(update_fields=["sessions"])
    _entered(by, person, "signed out everywhere")


@in_turn()
def set_own(person: User, password: str) -> None:
    """A password of one's own; other sessions end. Raises BadInput where it is weak."""
    _strong(password, person)
    person.set_password(password)
    person.one_time, person.sessions = False, person.sessions + 1
    person.save(update_fields=["password", "one_time", "sessions"])
    _entered(person, person, "changed their own password")


def _strong(password: str, person: User) -> None:
    try:
        validate_password(password, person)
    except ValidationError as error:
        raise BadInput(" ".join(error.messages), kept="The password is as it was.") from error


def _checked(person: User) -> None:
    """Raises BadInput for what cannot be stored of a person."""
    try:
        person.full_clean(exclude=["password"])
    except ValidationError as error:
        raise BadInput(" ".join(error.messages), kept="Nobody was changed.") from error
    if User.objects.filter(username__iexact=person.username).exclude(pk=person.pk).exists():
        raise BadInput(f"Somebody signs in as “{person.username}” already.", kept="Nobody was changed.")


def _somebody_leads_without(person: User) -> None:
    others = User.objects.filter(role=Role.LEAD, is_active=True).exclude(pk=person.pk)
    if person.role == Role.LEAD and person.is_active and not others.exists():
        raise BadInput("Nobody would lead the shop any more.", remedies=("make somebody else lead technician first",))


# -- the door ---------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Locked:
    """Names and addresses at which nobody gets in for a while."""

    names: frozenset[str]
    addresses: frozenset[str]


def locked() -> Locked:
    """Whom the throttle holds off now."""
    since = timezone.now() - timedelta(hours=settings.AXES_COOLOFF_TIME)
    rows = AccessAttempt.objects.filter(attempt_time__gte=since, username__isnull=False)
    by_name, by_address, pairs = Counter[str](), Counter[str](), Counter[str]()
    for name, address, count in rows.values_list("username", "ip_address", "failures_since_start"):
        by_name[name] += count
        by_address[address or ""] += count
        pairs[f"{name}\0{address}"] += count
    names = {name for name, count in by_name.items() if count >= BY_NAME}
    names |= {pair.partition("\0")[0] for pair, count in pairs.items() if count >= BY_NAME_AND_ADDRESS}
    return Locked(frozenset(names), frozenset(_reached(by_address.items(), BY_ADDRESS)))


def _reached(counts: Iterable[tuple[str, int]], limit: int) -> Iterable[str]:
    return (key for key, count in counts if key and count >= limit)


@in_turn()
def unlock(by: User, person: User) -> None:
    """Tries under this name count from nothing again."""
    AccessAttempt.objects.filter(username=person.username).delete()
    _entered(by, person, "unlocked")


@in_turn()
def unlock_address(by: User, address: str) -> None:
    """Tries from this address count from nothing again."""
    AccessAttempt.objects.filter(ip_address=address).delete()
    _entered(by, None, f"unlocked the address {address}")


@dataclass(frozen=True)
class SignIn:
    """Somebody signed in, or tried to."""

    at: datetime
    name: str
    address: str
    worked: bool


def lately() -> list[SignIn]:
    """The last sign-ins and failed tries, newest first."""

    def some(model: Any, *, worked: bool) -> list[SignIn]:
        rows = model.objects.order_by("-attempt_time").values_list("attempt_time", "username", "ip_address")
        return [SignIn(at, name or "", address or "", worked) for at, name, address in rows[:MOST_SIGN_INS]]

    found = some(AccessLog, worked=True) + some(AccessFailureLog, worked=False)
    return sorted(found, key=lambda row: row.at, reverse=True)[:MOST_SIGN_INS]
