"""Forms of intake."""

from __future__ import annotations

from typing import Any

from django import forms

from gumshoe.core.knowledge.catalogue import tables
from gumshoe.web.cases.models import Lamp
from gumshoe.web.ui.fields import WholeField
from gumshoe.web.vehicles.models import Vehicle


class NewCaseForm(forms.Form):
    """Pick a known vehicle, or describe a new one."""

    vehicle = forms.ModelChoiceField(Vehicle.objects.all(), required=False, empty_label="— a new vehicle —")
    bay = forms.CharField(max_length=20, required=False)
    plate = forms.CharField(max_length=16, required=False)
    vin = forms.CharField(max_length=20, required=False, label="VIN")
    make = forms.CharField(max_length=40, required=False)
    model = forms.CharField(max_length=40, required=False)
    year = WholeField(min_value=1950, max_value=2100, required=False)
    owner = forms.CharField(max_length=80, required=False)
    owner_contact = forms.CharField(max_length=80, required=False, label="Owner's phone or mail")

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if not data.get("vehicle"):
            for name in ("plate", "make", "model"):
                if not data.get(name):
                    self.add_error(name, "Needed for a new vehicle.")
        return data


class ComplaintForm(forms.Form):
    """What the customer saw."""

    text = forms.CharField(max_length=2000, label="In the customer's words", widget=forms.Textarea(attrs={"rows": 3}))
    symptoms = forms.MultipleChoiceField(required=False, widget=forms.CheckboxSelectMultiple)
    lamp = forms.ChoiceField(choices=Lamp.choices, widget=forms.RadioSelect, initial=Lamp.STEADY)
    conditions = forms.CharField(max_length=200, required=False, label="When: cold, hot, idle, hill …")
    since = forms.CharField(max_length=80, required=False, label="Since when, how often")
    recent_work = forms.CharField(max_length=200, required=False, label="Recent work, modifications")
    odometer_km = WholeField(min_value=0, max_value=3_000_000, required=False, label="Odometer, km")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["symptoms"].choices = [(row.id, row.words) for row in tables().symptoms]  # type: ignore[attr-defined]
