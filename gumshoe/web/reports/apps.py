"""App configuration."""

from django.apps import AppConfig


class ReportsConfig(AppConfig):
    """The reports app."""

    name = "gumshoe.web.reports"
