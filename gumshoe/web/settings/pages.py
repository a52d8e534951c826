"""The pages of settings: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from gumshoe.web.kit.pages import Page
from gumshoe.web.settings.adapters import Running
from gumshoe.web.settings.forms import AdapterForm, FirstLeadForm, SettingsForm, ShopForm
from gumshoe.web.settings.models import Adapter


@dataclass(frozen=True, kw_only=True)
class SettingsPage(Page):
    """What ``settings/settings.html`` shows."""

    TEMPLATE: ClassVar[str] = "settings/settings.html"
    form: SettingsForm


@dataclass(frozen=True, kw_only=True)
class FirstStartPage(Page):
    """What ``settings/first_start.html`` shows."""

    TEMPLATE: ClassVar[str] = "settings/first_start.html"
    shop: ShopForm
    lead: FirstLeadForm


@dataclass(frozen=True, kw_only=True)
class AdaptersPage(Page):
    """What ``settings/adapters.html`` shows."""

    TEMPLATE: ClassVar[str] = "settings/adapters.html"
    adapters: tuple[Adapter, ...]


@dataclass(frozen=True, kw_only=True)
class AdapterPage(Page):
    """What ``settings/adapter.html`` shows. ``running``: a test under way."""

    TEMPLATE: ClassVar[str] = "settings/adapter.html"
    form: AdapterForm
    adapter: Adapter | None
    running: Running | None = None
