"""App configuration."""

from django.apps import AppConfig


class FindingConfig(AppConfig):
    """The finding app."""

    name = "gumshoe.web.finding"
