"""The forms of people and one's own account."""

from __future__ import annotations

from django import forms

from gumshoe.web.accounts.models import Role
from gumshoe.web.kit.forms import Entry, Text

CURRENT = {"autocomplete": "current-password"}
NEW = {"autocomplete": "new-password"}


class NewPersonForm(forms.Form):
    """Somebody who is added."""

    full_name = forms.CharField(max_length=80, label="Name, as the record shows it")
    username = forms.CharField(
        max_length=40, label="Name to sign in with", widget=forms.TextInput(attrs={"autocomplete": "off"})
    )
    role = forms.ChoiceField(choices=Role.choices, initial=Role.TECHNICIAN)


class PersonForm(forms.Form):
    """What can be changed of somebody."""

    full_name = forms.CharField(max_length=80, label="Name, as the record shows it")
    role = forms.ChoiceField(choices=Role.choices)


class NewPasswordForm(forms.Form):
    """A password, twice."""

    password = forms.CharField(
        label="New password",
        strip=False,
        max_length=200,
        widget=forms.PasswordInput(attrs=NEW),
        help_text="at least ten characters; three or four words do",
    )
    again = forms.CharField(label="The same again", strip=False, max_length=200, widget=forms.PasswordInput(attrs=NEW))

    def clean_again(self) -> str:
        """The same twice."""
        again = str(self.cleaned_data["again"])
        if "password" in self.cleaned_data and again != self.cleaned_data["password"]:
            raise forms.ValidationError("The two are not the same.")
        return again


class OwnPasswordForm(NewPasswordForm):
    """A password of one's own, by whoever knows the one that holds."""

    old = forms.CharField(
        label="The password you came in with", strip=False, max_length=200, widget=forms.PasswordInput(attrs=CURRENT)
    )
    field_order = ("old", "password", "again")


class AddressForm(Entry):
    """An address to unlock."""

    address = Text()
