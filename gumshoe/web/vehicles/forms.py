"""The form of the powertrain description."""

from __future__ import annotations

import re
from enum import StrEnum
from typing import Any

from django import forms

from gumshoe.core.powertrain import description as words
from gumshoe.web.kit.fields import NumberField, WholeField
from gumshoe.web.kit.forms import Entry, Text


def _choices(kind: type[StrEnum]) -> list[tuple[str, str]]:
    return [(item.value, item.value) for item in kind]


class PowertrainForm(forms.Form):
    """All facts of the description, in the order of the walk from front to back."""

    fuel = forms.ChoiceField(choices=_choices(words.Fuel))
    layout = forms.ChoiceField(choices=_choices(words.Layout))
    cylinders = WholeField(min_value=1, max_value=words.MAX_CYLINDERS)
    displacement_l = NumberField(label="Displacement, litres")
    mounting = forms.ChoiceField(choices=_choices(words.Mounting), label="Crankshaft lies … the car")
    drive_end = forms.ChoiceField(choices=_choices(words.BankOneSide), label="Drive end (cylinder 1) points")
    bank_1 = forms.ChoiceField(choices=_choices(words.BankOneSide), label="Bank 1 (in-line: exhaust) lies")
    numbering = forms.ChoiceField(choices=_choices(words.Numbering), label="Cylinders numbered")
    firing_order = forms.CharField(max_length=60, label="Firing order, with dashes", required=False)
    induction = forms.ChoiceField(choices=_choices(words.Induction))
    air_metering = forms.ChoiceField(choices=_choices(words.AirMetering), label="Air measured by")
    throttle = forms.ChoiceField(choices=_choices(words.Throttle))
    injection = forms.ChoiceField(choices=_choices(words.Injection))
    ignition = forms.ChoiceField(choices=_choices(words.Ignition))
    cams_per_bank = WholeField(min_value=1, max_value=2, label="Camshafts per bank")
    phasers = forms.ChoiceField(choices=_choices(words.Phasers), label="Cam phasers")
    egr = forms.BooleanField(required=False, label="Exhaust gas recirculation valve")
    secondary_air = forms.BooleanField(required=False, label="Secondary air")
    evap = forms.ChoiceField(choices=_choices(words.Evap), label="Evaporative leak test by")
    aftertreatment = forms.MultipleChoiceField(
        choices=_choices(words.Aftertreatment), widget=forms.CheckboxSelectMultiple, required=False
    )
    gearbox = forms.ChoiceField(choices=_choices(words.Gearbox))

    def clean_firing_order(self) -> tuple[int, ...]:
        """``1-3-4-2`` with any separators; empty means the usual order."""
        text = self.cleaned_data["firing_order"]
        if re.search(r"[^0-9\s,;.\-–]", text):
            raise forms.ValidationError("Write cylinder numbers with dashes, such as 1-3-4-2.")
        return tuple(int(number) for number in re.findall(r"\d+", text))

    def facts(self) -> dict[str, Any]:
        """What was entered, as plain facts; what was left empty is filled in as usual."""
        return {key: value for key, value in self.cleaned_data.items() if value not in ("", ())}


def initial_of(powertrain: words.Powertrain) -> dict[str, Any]:
    """The form's values for a description."""
    return {**vars(powertrain), "firing_order": powertrain.firing_words}


class ActionForm(Entry):
    """What the stand-in is to do."""

    action = Text()
