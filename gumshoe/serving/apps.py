"""App configuration."""

from django.apps import AppConfig


class ServingConfig(AppConfig):
    """The serving app."""

    name = "gumshoe.serving"
