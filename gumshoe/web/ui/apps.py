"""App configuration."""

from django.apps import AppConfig


class UiConfig(AppConfig):
    """The ui app."""

    name = "gumshoe.web.ui"
