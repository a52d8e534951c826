"""App configuration."""

from django.apps import AppConfig


class RepairsConfig(AppConfig):
    """The repairs app of 0.2, kept for its migrations."""

    name = "gumshoe.web.repairs"
