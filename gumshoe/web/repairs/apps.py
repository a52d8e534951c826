"""App configuration."""

from django.apps import AppConfig


class RepairsConfig(AppConfig):
    """The repairs app."""

    name = "gumshoe.web.repairs"
