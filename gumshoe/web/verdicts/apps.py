"""App configuration."""

from django.apps import AppConfig


class VerdictsConfig(AppConfig):
    """The verdicts app."""

    name = "gumshoe.web.verdicts"
