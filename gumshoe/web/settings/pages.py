"""The pages of settings: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from gumshoe.web.kit.pages import Page
from gumshoe.web.settings.forms import SettingsForm


@dataclass(frozen=True, kw_only=True)
class SettingsPage(Page):
    """What ``settings/settings.html`` shows."""

    TEMPLATE: ClassVar[str] = "settings/settings.html"
    form: SettingsForm
