"""The forms of the lists, of a vehicle and of a customer."""

from __future__ import annotations

from typing import Any

from django import forms

from gumshoe.core.proof.tracker import ProofVerdict
from gumshoe.web.accounts.models import User
from gumshoe.web.kit.fields import WholeField
from gumshoe.web.kit.forms import Entry, Text

PROOFS = [("", "any"), ("not", "not proven"), *((item.value, item.value) for item in ProofVerdict)]
DAY = {"type": "date"}


class Asked(forms.Form):
    """What a list is narrowed and sorted by. What cannot be read counts as not asked for, and is said."""

    q = forms.CharField(max_length=120, required=False, label="Words, plate, number")
    DEFAULT = ""

    @property
    def told(self) -> dict[str, Any]:
        """Every field's value; the first order where none was chosen."""
        self.is_valid()
        empty: dict[str, Any] = dict.fromkeys(self.fields, "")
        found = empty | {name: value for name, value in self.cleaned_data.items() if value not in (None, "")}
        found["order"] = found["order"] or self.DEFAULT
        return found

    @property
    def narrowed(self) -> bool:
        """Whether anything is asked for but an order."""
        return any(value for name, value in self.told.items() if name != "order")


class CasesForm(Asked):
    """The list of cases."""

    DEFAULT = "newest"
    stage = forms.ChoiceField(required=False)
    code = forms.CharField(max_length=12, required=False, label="Trouble code")
    person = forms.ModelChoiceField(User.objects.none(), required=False, label="Worked on by", empty_label="anybody")
    bay = forms.CharField(max_length=20, required=False)
    since = forms.DateField(required=False, label="Opened from", widget=forms.DateInput(attrs=DAY))
    until = forms.DateField(required=False, label="to", widget=forms.DateInput(attrs=DAY))
    proof = forms.ChoiceField(choices=PROOFS, required=False)
    order = forms.ChoiceField(
        required=False,
        label="Sorted by",
        choices=[
            ("newest", "newest first"),
            ("oldest", "oldest first"),
            ("number", "number"),
            ("plate", "plate"),
            ("closed", "closed last"),
        ],
    )

    def __init__(self, *args: Any, stages: list[tuple[str, str]], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["stage"].choices = stages  # type: ignore[attr-defined]
        self.fields["person"].queryset = User.objects.order_by("full_name", "username")  # type: ignore[attr-defined]


class VehiclesForm(Asked):
    """The list of vehicles."""

    DEFAULT = "plate"
    order = forms.ChoiceField(
        required=False,
        label="Sorted by",
        choices=[("plate", "plate"), ("seen", "here last"), ("most", "most cases"), ("make", "make and model")],
    )


class CustomersForm(Asked):
    """The list of customers."""

    DEFAULT = "name"
    order = forms.ChoiceField(
        required=False, label="Sorted by", choices=[("name", "name"), ("seen", "here last"), ("most", "most cars")]
    )


class VehicleForm(forms.Form):
    """What is on file of a car."""

    plate = forms.CharField(max_length=16)
    vin = forms.CharField(max_length=20, required=False, label="VIN")
    make = forms.CharField(max_length=40)
    model = forms.CharField(max_length=40)
    year = WholeField(min_value=1950, max_value=2100, required=False)


class CustomerForm(forms.Form):
    """What is on file of somebody."""

    name = forms.CharField(max_length=80)
    phone = forms.CharField(max_length=40, required=False)
    mail = forms.CharField(max_length=120, required=False, label="Mail address")
    address = forms.CharField(max_length=200, required=False)
    remark = forms.CharField(max_length=300, required=False)


class OwnerForm(Entry):
    """Whose a car is from now on: somebody on file by number, or a new name."""

    customer = WholeField(required=False)
    name = Text(max_length=80)
    phone = Text(max_length=40)
    mail = Text(max_length=120)
    nobody = Text(max_length=3)


class EraseForm(Entry):
    """The name of who is to be forgotten, typed."""

    name = Text(max_length=80)


class DueForm(Entry):
    """How many are to be forgotten, typed."""

    number = WholeField(required=False)


class MergeForm(Entry):
    """The other one, by number."""

    other = WholeField(required=False)
    text = Text(max_length=60)
