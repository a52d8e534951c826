"""Sign in and out; one's own account; the people of the shop."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.views import LoginView, LogoutView
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts import people
from gumshoe.web.accounts.forms import AddressForm, NewPersonForm, OwnPasswordForm, PersonForm
from gumshoe.web.accounts.models import PeopleEntry, User
from gumshoe.web.accounts.pages import MePage, PeoplePage, PersonPage
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.kit.pages import show

MOST_ENTRIES = 40


class SignIn(LoginView):
    """The sign-in page; failures are throttled by django-axes. While nobody is known, the shop is set up first."""

    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True
    required_right = Right.ANYONE

    def dispatch(self, request: HttpRequest, *args: Any, **kwargs: Any) -> Any:
        """To the first start, where nobody could sign in."""
        if not User.objects.exists():
            return redirect("settings:first_start")
        return super().dispatch(request, *args, **kwargs)


class SignOut(LogoutView):
    """Sign out (POST only)."""

    next_page = "accounts:sign_in"
    required_right = Right.ANYONE


# -- one's own account ------------------------------------------------------------------------------------


@needs(Right.SELF)
def me(request: SignedIn) -> HttpResponse:
    """Change one's own password."""
    form = OwnPasswordForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        if not request.user.check_password(form.cleaned_data["old"]):
            form.add_error("old", "That is not it.")
        else:
            try:
                people.set_own(request.user, form.cleaned_data["password"])
            except BadInput as error:
                form.add_error("password", error.what)
            else:
                update_session_auth_hash(request, request.user)
                messages.success(request, "Password changed; everywhere else you are signed out.")
                return redirect("board:board")
    entries = tuple(request.user.entries.select_related("by").order_by("-pk")[:MOST_ENTRIES])
    return show(request, MePage(form=form, entries=entries), status=400 if form.errors else 200)


@require_POST
@needs(Right.SELF)
def sign_me_out(request: SignedIn) -> HttpResponse:
    """Sign out everywhere, here too."""
    people.sign_out_everywhere(request.user, request.user)
    return redirect("accounts:sign_in")


# -- the people of the shop -------------------------------------------------------------------------------


@require_GET
@needs(Right.MANAGE)
def everybody(request: SignedIn) -> HttpResponse:
    """Everybody, who is locked out, who came in lately, and what was done about people."""
    held = people.locked()
    page = PeoplePage(
        people=tuple(User.objects.order_by("-is_active", "role", "full_name")),
        locked=held.names,
        places=tuple(sorted(held.addresses)),
        sign_ins=tuple(people.lately()),
        entries=tuple(PeopleEntry.objects.select_related("by", "about").order_by("-pk")[:MOST_ENTRIES]),
    )
    return show(request, page)


@needs(Right.MANAGE)
def add(request: SignedIn) -> HttpResponse:
    """One more person; their password to be used once is shown now."""
    form = NewPersonForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        try:
            person, word = people.add(request.user, data["username"], data["full_name"], data["role"])
        except BadInput as error:
            form.add_error("username", error.what)
        else:
            return _person(request, person, word=word)
    return show(request, PersonPage(form=form, person=None), status=400 if form.errors else 200)


@needs(Right.MANAGE)
def one(request: SignedIn, pk: int) -> HttpResponse:
    """One person: name and role, and what a lead can do about them."""
    person = get_object_or_404(User, pk=pk)
    form = PersonForm(request.POST or None, initial={"full_name": person.full_name, "role": person.role})
    if request.method == "POST" and form.is_valid():
        try:
            people.change(request.user, person, form.cleaned_data["full_name"], form.cleaned_data["role"])
        except BadInput as error:
            form.add_error("role", error.what)
        else:
            messages.success(request, "Stored.")
            return redirect("accounts:one", pk)
    return _person(request, person, form)


def _person(request: SignedIn, person: User, form: PersonForm | None = None, word: str = "") -> HttpResponse:
    """The page of a person, with the password to be used once where one was just made."""
    page = PersonPage(
        form=form or PersonForm(initial={"full_name": person.full_name, "role": person.role}),
        person=person,
        word=word,
        locked=person.username in people.locked().names,
        entries=tuple(person.entries.select_related("by").order_by("-pk")[:MOST_ENTRIES]),
    )
    return show(request, page, status=400 if form is not None and form.errors else 200)


@require_POST
@needs(Right.MANAGE)
def one_time(request: SignedIn, pk: int) -> HttpResponse:
    """Give a password to be used once."""
    person = get_object_or_404(User, pk=pk, is_active=True)
    return _person(request, person, word=people.one_time_word(request.user, person))


@require_POST
@needs(Right.MANAGE)
def deactivate(request: SignedIn, pk: int) -> HttpResponse:
    """No longer gets in."""
    people.deactivate(request.user, get_object_or_404(User, pk=pk))
    messages.success(request, "Deactivated and signed out. What they did stays on record.")
    return redirect("accounts:one", pk)


@require_POST
@needs(Right.MANAGE)
def reactivate(request: SignedIn, pk: int) -> HttpResponse:
    """Gets in again."""
    person = get_object_or_404(User, pk=pk)
    return _person(request, person, word=people.reactivate(request.user, person))


@require_POST
@needs(Right.MANAGE)
def sign_out_everywhere(request: SignedIn, pk: int) -> HttpResponse:
    """Every session of this person ends."""
    person = get_object_or_404(User, pk=pk)
    people.sign_out_everywhere(request.user, person)
    messages.success(request, f"{person} is signed out everywhere.")
    return redirect("accounts:one", pk)


@require_POST
@needs(Right.MANAGE)
def unlock(request: SignedIn, pk: int) -> HttpResponse:
    """After too many wrong passwords: may try again."""
    person = get_object_or_404(User, pk=pk)
    people.unlock(request.user, person)
    messages.success(request, f"{person} may try again.")
    return redirect("accounts:one", pk)


@require_POST
@needs(Right.MANAGE)
def unlock_address(request: SignedIn) -> HttpResponse:
    """A place from which too many were tried: may try again."""
    address = AddressForm.of(request).read("address")
    people.unlock_address(request.user, address)
    messages.success(request, f"From {address} people may try again.")
    return redirect("accounts:people")
