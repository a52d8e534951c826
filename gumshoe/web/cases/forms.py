"""Forms of intake."""

from __future__ import annotations

from typing import Any

from django import forms

from gumshoe.core.knowledge.catalogue import Knowledge, tables
from gumshoe.web.cases.models import Lamp
from gumshoe.web.kit.fields import WholeField
from gumshoe.web.vehicles.models import Vehicle, known_vehicle


class NewCaseForm(forms.Form):
    """A vehicle on file by its number, plate or VIN; else a new one, of somebody on file or of somebody new."""

    vehicle = forms.ModelChoiceField(
        Vehicle.objects.filter(same_as=None), required=False, widget=forms.HiddenInput, label="Vehicle on file"
    )
    known = forms.CharField(max_length=20, required=False, label="Plate or VIN")
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
        if not data.get("vehicle") and data.get("known"):
            data["vehicle"] = known_vehicle(data["known"])
            if data["vehicle"] is None:
                self.add_error("known", "No vehicle of the shop has this plate or VIN: describe it as a new one.")
        elif not data.get("vehicle"):
            for name in ("plate", "make", "model"):
                if not data.get(name):
                    self.add_error(name, "Needed for a new vehicle.")
        return data


ABOUT = {
    "running": "How it runs",
    "starting": "Starting and battery",
    "noise": "Noise, smell, leak",
    "warning": "Gauges, lamps, brakes, steering",
    "gearbox": "Gearbox",
    "filter": "Particulate filter",
    "work": "Recent work",
}
ALWAYS = ("warning", "work")
"""Asked on every car."""


class ComplaintForm(forms.Form):
    """What the customer saw."""

    text = forms.CharField(max_length=2000, label="In the customer's words", widget=forms.Textarea(attrs={"rows": 3}))
    symptoms = forms.MultipleChoiceField(required=False, widget=forms.CheckboxSelectMultiple)
    lamp = forms.ChoiceField(choices=Lamp.choices, required=False, widget=forms.RadioSelect)
    conditions = forms.CharField(max_length=200, required=False, label="When: cold, hot, wet, idle, hill …")
    since = forms.CharField(max_length=80, required=False, label="Since when, how often")
    recent_work = forms.CharField(max_length=200, required=False, label="Recent work, modifications")
    odometer_km = WholeField(min_value=0, max_value=3_000_000, required=False, label="Odometer, km")
    seen = WholeField(required=False, widget=forms.HiddenInput)
    """The complaint that held when the page was opened."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["symptoms"].choices = [(row.id, row.words) for row in tables().symptoms]  # type: ignore[attr-defined]

    def grouped(self, knowledge: Knowledge) -> list[tuple[str, list[Any], list[Any]]]:
        """The boxes to tick by what they are about: (words, those some fault of this car explains, the others)."""
        boxes = {box.data["value"]: box for box in self["symptoms"]}
        rows = []
        for about, words in ABOUT.items():
            own = [row for row in tables().symptoms if row.about == about]
            likely = [boxes[row.id] for row in own if knowledge.by_symptom.get(row.id) or about in ALWAYS]
            other = [boxes[row.id] for row in own if not (knowledge.by_symptom.get(row.id) or about in ALWAYS)]
            rows.append((words, likely, other))
        return [row for row in rows if row[1] or row[2]]
