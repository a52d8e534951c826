"""The settings form."""

from typing import Any

from django import forms

from gumshoe.core.knowledge.catalogue import tables
from gumshoe.web.kit.fields import AmountField, WholeField
from gumshoe.web.settings.models import Settings


class SettingsForm(forms.ModelForm):  # type: ignore[type-arg]  # no type arguments at run time
    """Shop, money, adapter."""

    labour_per_hour = AmountField(max_value=100_000, label="Labour per hour")
    bitrate = WholeField(min_value=10_000, max_value=5_000_000)
    climate = forms.ChoiceField(required=False)
    lacks = forms.MultipleChoiceField(required=False, widget=forms.CheckboxSelectMultiple)

    class Meta:
        model = Settings
        fields = (
            "shop_name",
            "currency",
            "labour_per_hour",
            "learns",
            "climate",
            "lacks",
            "customary_units",
            "interface",
            "channel",
            "bitrate",
        )

    def clean_climate(self) -> str:
        """Where nothing is said, as it was."""
        return str(self.cleaned_data["climate"] or self.instance.climate)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        known = sorted({test.equipment for test in tables().tests if test.equipment})
        self.fields["climate"].choices = [(row.id.value, row.words) for row in tables().climates]  # type: ignore[attr-defined]
        self.fields["lacks"].choices = [(name, name) for name in known]  # type: ignore[attr-defined]
