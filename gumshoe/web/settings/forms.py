"""The forms of the settings."""

from decimal import Decimal
from typing import Any
from zoneinfo import available_timezones

import can
from django import forms
from django.conf import settings

from gumshoe.core.errors import GumshoeError
from gumshoe.core.knowledge.catalogue import tables
from gumshoe.core.obd.ip_link import host_and_port
from gumshoe.web.accounts.forms import NewPasswordForm
from gumshoe.web.kit.fields import AmountField, WholeField
from gumshoe.web.kit.pictures import MAX_BYTES, made_again
from gumshoe.web.settings.models import Adapter, Settings

KNOWN = sorted(can.VALID_INTERFACES)


LOGO_PX = 480
LABELS = {
    "shop_name": "Name of the shop",
    "mail": "Mail address",
    "tax_name": "Tax on parts and labour, its name",
    "tax_number": "The shop's tax number",
    "terms": "Terms, printed on offers",
}


class ShopForm(forms.ModelForm):  # type: ignore[type-arg]  # no type arguments at run time
    """What the shop is called and where it is, its money and units: what the first start asks for."""

    labour_per_hour = AmountField(max_value=100_000, label="Labour per hour")
    tax_percent = AmountField(max_value=100, label="Tax in per cent (0: prices are as they are)", required=False)
    climate = forms.ChoiceField(required=False, label="Where the cars live (base rates of what wears and rusts)")
    time_zone = forms.ChoiceField(required=False, label="Time zone")
    new_logo = forms.FileField(
        required=False, label="Logo", widget=forms.FileInput(attrs={"accept": "image/png,image/jpeg,image/webp"})
    )
    no_logo = forms.BooleanField(required=False, label="no logo")

    class Meta:
        model = Settings
        fields: tuple[str, ...] = (
            "shop_name",
            "address",
            "phone",
            "mail",
            "tax_number",
            "currency",
            "labour_per_hour",
            "tax_name",
            "tax_percent",
            "time_zone",
            "climate",
            "customary_units",
        )
        labels = LABELS
        widgets = {"address": forms.Textarea(attrs={"rows": 3}), "terms": forms.Textarea(attrs={"rows": 3})}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["climate"].choices = [(row.id.value, row.words) for row in tables().climates]  # type: ignore[attr-defined]
        zones = sorted(zone for zone in available_timezones() if "/" in zone and not zone.startswith("Etc/"))
        usual = [("", f"as the server has it ({settings.TIME_ZONE})"), ("UTC", "UTC")]
        self.fields["time_zone"].choices = [*usual, *((zone, zone.replace("_", " ")) for zone in zones)]  # type: ignore[attr-defined]

    def clean_climate(self) -> str:
        """Where nothing is said, as it was."""
        return str(self.cleaned_data["climate"] or self.instance.climate)

    def clean_tax_percent(self) -> Decimal:
        """Where nothing is said, none."""
        return self.cleaned_data["tax_percent"] or Decimal(0)

    def clean_new_logo(self) -> bytes | None:
        """A small PNG made from what was sent."""
        sent = self.cleaned_data["new_logo"]
        if not sent:
            return None
        try:
            return made_again(sent.read(MAX_BYTES + 1), LOGO_PX, "PNG", "logo")[0]
        except GumshoeError as error:
            raise forms.ValidationError(f"{error.what} Try: {'; '.join(error.remedies)}.") from error

    def save(self, commit: bool = True) -> Settings:
        """With the logo that was sent, or without the one that was there."""
        if self.cleaned_data.get("new_logo"):
            self.instance.logo = self.cleaned_data["new_logo"]
        elif self.cleaned_data.get("no_logo"):
            self.instance.logo = None
        stored: Settings = super().save(commit)
        return stored


class SettingsForm(ShopForm):
    """All of the settings."""

    countersign_hours = WholeField(
        required=False,
        min_value=0,
        max_value=720,
        label="A lead may countersign a verdict of their own after so many hours (0: never)",
        help_text="for a shop of one: the report says so",
    )
    keep_years = WholeField(
        required=False,
        min_value=0,
        max_value=100,
        label="Customers are due to be forgotten after so many years without a visit (0: never)",
        help_text="the lead forgets them on the page of customers; nobody is forgotten by itself",
    )
    lacks = forms.MultipleChoiceField(required=False, widget=forms.CheckboxSelectMultiple)

    class Meta(ShopForm.Meta):
        fields = (*ShopForm.Meta.fields, "terms", "countersign_hours", "keep_years", "learns", "lacks")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        known = sorted({test.equipment for test in tables().tests if test.equipment})
        self.fields["lacks"].choices = [(name, name) for name in known]  # type: ignore[attr-defined]

    def clean_keep_years(self) -> int:
        """Where nothing is said, for ever."""
        return self.cleaned_data["keep_years"] or 0

    def clean_countersign_hours(self) -> int:
        """Where nothing is said, never."""
        return self.cleaned_data["countersign_hours"] or 0


class FirstLeadForm(NewPasswordForm):
    """Who sets the shop up, and leads it."""

    full_name = forms.CharField(max_length=80, label="Your name, as the record shows it")
    username = forms.CharField(
        max_length=40, label="Name to sign in with", widget=forms.TextInput(attrs={"autocomplete": "username"})
    )
    code = forms.CharField(
        max_length=40,
        label="Code of the first start",
        help_text="the server printed it where it was started",
        widget=forms.TextInput(attrs={"autocomplete": "off"}),
    )
    field_order = ("full_name", "username", "password", "again", "code")


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
