"""The forms of the settings."""

from typing import Any

import can
from django import forms

from gumshoe.core.errors import GumshoeError
from gumshoe.core.knowledge.catalogue import tables
from gumshoe.core.obd.ip_link import host_and_port
from gumshoe.web.kit.fields import AmountField, WholeField
from gumshoe.web.settings.models import Adapter, Settings

KNOWN = sorted(can.VALID_INTERFACES)


class SettingsForm(forms.ModelForm):  # type: ignore[type-arg]  # no type arguments at run time
    """Shop, money, units."""

    labour_per_hour = AmountField(max_value=100_000, label="Labour per hour")
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
        )

    def clean_climate(self) -> str:
        """Where nothing is said, as it was."""
        return str(self.cleaned_data["climate"] or self.instance.climate)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        known = sorted({test.equipment for test in tables().tests if test.equipment})
        self.fields["climate"].choices = [(row.id.value, row.words) for row in tables().climates]  # type: ignore[attr-defined]
        self.fields["lacks"].choices = [(name, name) for name in known]  # type: ignore[attr-defined]


class AdapterForm(forms.ModelForm):  # type: ignore[type-arg]  # no type arguments at run time
    """One adapter."""

    speed = WholeField(
        required=False,
        min_value=0,
        max_value=8_000_000,
        label="Speed",
        help_text="bit rate of the bus or baud rate of the port; empty: it is found",
    )

    class Meta:
        model = Adapter
        fields = ("name", "bay", "kind", "interface", "address", "speed", "fd")
        labels = {"address": "Address or channel", "interface": "Interface of python-can", "fd": "Try CAN FD too"}
        help_texts = {
            "address": "serial port (/dev/ttyUSB0, COM5) or socket://address:port; of a bus adapter its channel (can0);"
            " over IP the car's address, or nothing for whichever car answers in this network",
            "interface": "bus adapters only: socketcan, slcan, socketcand …",
            "fd": "bus adapters that have it, for new cars; on a bus without it, it disturbs",
            "bay": "cars in this bay are reached through it",
        }

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.initial["speed"] = self.initial.get("speed") or ""

    def clean_speed(self) -> int:
        """Empty: it is found."""
        return self.cleaned_data["speed"] or 0

    def clean(self) -> dict[str, Any]:
        """A bus adapter needs its interface, the others have none; only over IP the address may be found."""
        found: dict[str, Any] = super().clean() or {}
        interface = str(found.get("interface", "")).strip()
        if found.get("kind") == Adapter.Kind.BUS and not interface:
            self.add_error("interface", "Say which interface of python-can it is, for example socketcan.")
        elif found.get("kind") == Adapter.Kind.BUS and interface not in can.VALID_INTERFACES:
            self.add_error("interface", f"python-can has no interface “{interface}”; it has {', '.join(KNOWN)}.")
        if found.get("kind") != Adapter.Kind.BUS:
            found["interface"], found["fd"] = "", False
        address = str(found.get("address", "")).strip()
        if found.get("kind") != Adapter.Kind.IP and not address and "address" not in self.errors:
            self.add_error("address", "Say where it is: its port or channel.")
        elif found.get("kind") == Adapter.Kind.IP:
            found["speed"] = 0
            try:
                host_and_port(address)
            except GumshoeError as error:
                self.add_error("address", error.what)
        return found
