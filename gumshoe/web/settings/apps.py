"""App configuration."""

from django.apps import AppConfig


class SettingsConfig(AppConfig):
    """The settings app."""

    name = "gumshoe.web.settings"
    label = "shop"
