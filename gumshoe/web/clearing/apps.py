"""App configuration."""

from django.apps import AppConfig


class ClearingConfig(AppConfig):
    """The clearing app."""

    name = "gumshoe.web.clearing"
