"""App configuration."""

from django.apps import AppConfig


class SuspectsConfig(AppConfig):
    """The suspects app."""

    name = "gumshoe.web.suspects"
